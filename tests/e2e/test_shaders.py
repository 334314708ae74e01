"""What the draft's shaders work out is what the core does: each pair of functions at 1,000 points, in the browser."""

import re
from pathlib import Path

import numba
import numpy as np
import pytest

from moss_crown.core.look import mixing
from moss_crown.core.look.glsl import shared_source, texture_source
from moss_crown.core.look.noise import noise
from moss_crown.core.look.patterns import NAMES, layered, rubbed
from moss_crown.core.render.display import LUT_HIGH, LUT_LOW, MIDDLE, draft_table, to_display

POINTS = 1000
DRAWING = Path(__file__).parents[2] / "web/src/shot/picture"
noise.link()

ANSWERS = """async ([source, body, inputs]) => {
  const canvas = document.createElement('canvas');
  const gl = canvas.getContext('webgl2');
  gl.getExtension('EXT_color_buffer_float');
  const made = (kind, text) => {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, '#version 300 es\\nprecision highp float; precision highp int;\\n' + text);
    gl.compileShader(shader);
    if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader));
    return shader;
  };
  const program = gl.createProgram();
  gl.attachShader(program, made(gl.VERTEX_SHADER, `void main() {
    gl_Position = vec4(4.0 * float(gl_VertexID % 2) - 1.0, 4.0 * float(gl_VertexID / 2) - 1.0, 0.0, 1.0); }`));
  gl.attachShader(program, made(gl.FRAGMENT_SHADER, `${source}
    uniform highp sampler2D given; out vec4 found;
    void main() {
      vec4 a = texelFetch(given, ivec2(int(gl_FragCoord.x), 0), 0);
      vec4 b = texelFetch(given, ivec2(int(gl_FragCoord.x), 1), 0);
      ${body}
    }`));
  gl.linkProgram(program);
  gl.useProgram(program);
  const count = inputs.length / 8;
  const texture = (height, data) => {
    const one = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, one);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, count, height, 0, gl.RGBA, gl.FLOAT, data);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    return one;
  };
  const target = texture(1, null);
  gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, target, 0);
  texture(2, new Float32Array(inputs));
  gl.viewport(0, 0, count, 1);
  gl.drawArrays(gl.TRIANGLES, 0, 3);
  const found = new Float32Array(4 * count);
  gl.readPixels(0, 0, count, 1, gl.RGBA, gl.FLOAT, found);
  return [...found];
}"""


def drawn(page, source, body, points):
    """(n, 4): what a shader answers at points (n, up to 8), which it has as `a` and `b`."""
    given = np.zeros((2, len(points), 4), np.float32)
    given[0, :, : min(4, points.shape[1])] = points[:, :4]
    if points.shape[1] > 4:
        given[1, :, : points.shape[1] - 4] = points[:, 4:]
    return np.array(page.evaluate(ANSWERS, [source, body, given.ravel().tolist()])).reshape(-1, 4)


@numba.njit
def each_mixed(points):
    found = np.empty((len(points), 4))
    for k in range(len(points)):
        a, b, c = points[k]
        found[k] = (
            mixing.mixed(a, b, c),
            mixing.toned(a, b, 2.0 * c - 1.0),
            mixing.dulled(a, b, 2.0 * c - 1.0),
            mixing.painted(a, b, c),
        )
    return found


def test_what_is_mixed_is_mixed_alike(blank):
    points = np.random.default_rng(1).random((POINTS, 3)).astype(np.float32)
    points[:50] *= 0.004  # where painted light rises in a straight line
    body = """found = vec4(mixed_(a.x, a.y, a.z), toned_(a.x, a.y, 2.0 * a.z - 1.0),
      dulled_(a.x, a.y, 2.0 * a.z - 1.0), painted_(a.x, a.y, a.z));"""
    assert drawn(blank, shared_source(), body, points) == pytest.approx(each_mixed(points.astype(float)), abs=2e-5)


def test_constants_arrive_whole(blank):
    named = {name: np.atleast_1d(value) for name, value in mixing.CONSTANTS.items()}
    for name, value in named.items():
        body = f"found = vec4({name}, 0.0);" if len(value) == 3 else f"found = vec4({name});"
        found = drawn(blank, shared_source(), body, np.zeros((1, 1)))[0, : len(value)]
        assert found == pytest.approx(value, rel=1e-6)


@numba.njit
def each_layered(kind, points):
    found = np.empty((len(points), 4))
    for k in range(len(points)):
        x, y, z, amount, contrast, wear = points[k]
        found[k, :3] = layered(kind, x, y, z, x, y, amount, contrast)
        found[k, 3] = rubbed(wear, x, y, z)
    return found


def test_every_pattern_is_drawn_as_it_is_rendered(blank):
    body = """found = vec4(layered_(0.0, a.x, a.y, a.z, a.x, a.y, a.w, b.x), rubbed_(b.y, a.x, a.y, a.z));"""
    for kind, name in enumerate(NAMES[1:], 1):
        rng = np.random.default_rng(kind)
        points = np.concatenate([rng.uniform(-3, 3, (POINTS, 3)), rng.random((POINTS, 3))], 1).astype(np.float32)
        found = drawn(blank, texture_source(name), body, points)
        expected = each_layered(float(kind), points.astype(float))
        # Edges are sharp, and a float32 beside one may fall on its other side.
        off = np.abs(found - expected).max(1)
        assert np.median(off) < 1e-3, name
        assert (off > 0.02).mean() < 0.02, name


def test_the_display_table_is_looked_up_as_the_core_shows_light(blank):
    """The place of a light in the table, as the last pass of the draft has it, is where the core has put it."""
    size = len(draft_table())
    light = (MIDDLE * 2.0 ** np.random.default_rng(2).uniform(LUT_LOW, LUT_HIGH, (POINTS, 3))).astype(np.float32)
    body = f"found = vec4((log2(a.rgb / {MIDDLE}) - ({LUT_LOW})) / {LUT_HIGH - LUT_LOW}, 0.0);"
    place = drawn(blank, "", body, light)[:, :3] * (size - 1)
    low = np.clip(np.floor(place).astype(int), 0, size - 2)
    part = place - low
    table, found = draft_table(), np.zeros((POINTS, 3))
    for corner in np.ndindex(2, 2, 2):  # blue, green, red
        at = low[:, ::-1] + np.array(corner)
        weight = np.where(np.array(corner), part[:, ::-1], 1 - part[:, ::-1]).prod(1)
        found += weight[:, None] * table[at[:, 0], at[:, 1], at[:, 2]]
    assert np.abs(found - to_display(light)).mean() < 0.01


def test_no_number_of_the_shared_functions_stands_in_the_draft_a_second_time():
    """The front end's shaders have the names, not the numbers."""
    text = "".join(path.read_text() for path in DRAWING.glob("*.ts") if ".test." not in path.name)
    for value in ("3.71", "1.93", "2.47", "0.12 *", "1.055"):
        assert not re.search(re.escape(value), text), value
