"""Letters that bend: what is drawn and what is picked are what is rendered, and steps are made by hand."""

from __future__ import annotations

import re

import numpy as np
import pytest
from axe_playwright_python.sync_playwright import Axe
from screens import document, drag, new_shot, put, saved, settled, step

from cluster import wait_for
from letters import still_shot
from messages import opened
from moss_crown.core.deform.chain import bent, row, turned
from moss_crown.core.deform.rows import FELT, ROW
from moss_crown.core.deform.source import script, vertex_source
from moss_crown.core.evaluation.evaluation import Evaluation

POINTS = 1_000
SOME = {
    "bend": (2.5, 3.0),
    "curl": (4.0, 6.0, 0.3, 0.3),
    "twist": (3.0, 6.0),
    "wave": (0.3, 2.0, 0.4, 2.0, 1.0),
    "globe": (0.4,),
    "ripple": (0.1, 1.0, 0.4, 3.0, 4.0),
    "blast": (0.8, 0.3, 0.6, 0.5, 7.0),
}
DRAWN = """([source, points, normals, rows]) => {
  const gl = document.createElement('canvas').getContext('webgl2');
  const program = gl.createProgram();
  const main = `#version 300 es
    precision highp float;
    in vec3 p; in vec3 m; out vec3 q; out vec3 r;
    ${source}
    void main() { q = bent(0, p); r = bentNormal(0, p, m); gl_Position = vec4(0.0); }`;
  const rest = '#version 300 es\\nprecision highp float; out vec4 c; void main() { c = vec4(1.0); }';
  for (const [kind, text] of [[gl.VERTEX_SHADER, main], [gl.FRAGMENT_SHADER, rest]]) {
    const made = gl.createShader(kind);
    gl.shaderSource(made, text);
    gl.compileShader(made);
    if (!gl.getShaderParameter(made, gl.COMPILE_STATUS)) return gl.getShaderInfoLog(made);
    gl.attachShader(program, made);
  }
  gl.transformFeedbackVaryings(program, ['q', 'r'], gl.INTERLEAVED_ATTRIBS);
  gl.linkProgram(program);
  gl.useProgram(program);
  gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
  for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.NEAREST);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, rows.length / 4, 1, 0, gl.RGBA, gl.FLOAT, Float32Array.from(rows));
  for (const [name, values] of [['p', points], ['m', normals]]) {
    gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
    gl.bufferData(gl.ARRAY_BUFFER, Float32Array.from(values), gl.STATIC_DRAW);
    const at = gl.getAttribLocation(program, name);
    gl.enableVertexAttribArray(at);
    gl.vertexAttribPointer(at, 3, gl.FLOAT, false, 0, 0);
  }
  const found = new Float32Array(points.length * 2);
  gl.bindBufferBase(gl.TRANSFORM_FEEDBACK_BUFFER, 0, gl.createBuffer());
  gl.bufferData(gl.TRANSFORM_FEEDBACK_BUFFER, found.byteLength, gl.STREAM_READ);
  gl.enable(gl.RASTERIZER_DISCARD);
  gl.beginTransformFeedback(gl.POINTS);
  gl.drawArrays(gl.POINTS, 0, points.length / 3);
  gl.endTransformFeedback();
  gl.getBufferSubData(gl.TRANSFORM_FEEDBACK_BUFFER, 0, found);
  return Array.from(found);
}"""


def table(kind, seed=1):
    """A row whose axes are turned, and points and normals in front of it."""
    rng = np.random.default_rng(seed)
    turn, _ = np.linalg.qr(rng.normal(size=(3, 3)))
    into = np.concatenate([turn, rng.uniform(-0.5, 0.5, (3, 1))], 1)
    points = np.float32(rng.uniform([-4, 0, -0.14], [4, 1, 0.14], (POINTS, 3))).astype(float)
    normals = rng.normal(size=(POINTS, 3))
    return row(kind, into, SOME[kind]), points, normals / np.linalg.norm(normals, axis=1, keepdims=True)


def drawn(blank, kinds, rows, points, normals):
    """(n, 3) twice: where the draft's shader puts points of a letter by its rows (k, ROW), and their normals."""
    asked = [points.ravel().tolist(), normals.ravel().tolist(), rows.ravel().tolist()]
    found = blank.evaluate(DRAWN, [vertex_source(kinds, len(rows)), *asked])
    assert not isinstance(found, str), found
    return np.array(found).reshape(POINTS, 2, 3).transpose(1, 0, 2)


@pytest.mark.parametrize("kind", SOME)
def test_letters_are_bent_in_the_draft_as_they_are_rendered(blank, kind):
    """Within a ten-thousandth of a cap height; where a stretch ends normals may fall on either side."""
    rows, points, normals = table(kind)
    places, turns = drawn(blank, (kind,), rows[None], points, normals)
    moved = bent(rows[None], points)
    assert np.abs(places - moved).max() < 1e-4
    cosine = np.einsum("ij,ij->i", turns, turned(rows[None], points, moved, np.arange(POINTS), normals))
    assert np.quantile(cosine, 0.03) > np.cos(np.radians(1.5))


def felt():
    """The rows of a letter whose points feel two zones, one where they rest and one where they have been bent."""
    zone = {"kind": "zone", "shape": "ball", "place": [0.2, 0.4, 0.0], "size": [0.3, 0.2, 0.2], "run": 1.5}
    box = {"shape": "box", "place": [0.5, 0.5, 0.1], "turn": [10, 20, 30], "measures": "moved", "mix": "add"}
    wave = {"id": "wave", "kind": "wave", "height": 0.6, "scope": "point", "reaches": [zone, zone | box]}
    ring = zone | {"shape": "ring", "size": [0.8, 0.1, 0.1], "mix": "cut"}
    slab = zone | {"shape": "slab", "size": [0.1, 1, 1]}
    bend = {"id": "bend", "kind": "bend", "scope": "point", "reaches": [slab, ring]}
    shot = still_shot(wave | {"response": [[0, 0], [0.4, 0.9], [1, 0.5]]}, bend | {"beyond": False}, text="OWL")
    of = Evaluation(shot)
    (moved,) = of.moved(of.structure(0), np.zeros(1))
    return moved.bends[0, 1]


def test_points_feel_zones_in_the_draft_as_they_do_when_rendered(blank):
    rows = felt()
    _, points, normals = table("wave")
    points *= [0.25, 1, 1]
    places, _ = drawn(blank, ("bend", "wave", FELT), rows, points, normals)
    moved = bent(rows, points)
    assert np.abs(places - moved).max() < 1e-4
    far = np.abs(moved - points).max(1)
    assert far.min() < 0.02 and far.max() > 0.05


def on_path():
    """The rows of a letter on a wavy path, after a wave."""
    path = {"points": [[-1.0, 0.0], [-0.3, 0.5], [0.4, -0.2], [1.0, 0.3]]}
    wrap = {"id": "wrap", "kind": "wrap", "onto": "path", "path": path, "wrapped": 0.8}
    of = Evaluation(still_shot({"id": "wave", "kind": "wave", "height": 0.2}, wrap, text="OWL"))
    (moved,) = of.moved(of.structure(0), np.zeros(1))
    return moved.bends[0, 1]


def test_letters_lie_on_paths_in_the_draft_as_they_do_when_rendered(blank):
    rows = on_path()
    _, points, normals = table("wave")
    points *= [0.3, 1, 1]
    places, turns = drawn(blank, ("wave", "path"), rows, points, normals)
    moved = bent(rows, points)
    assert np.abs(places - moved).max() < 1e-4 and np.abs(moved - points).max() > 0.1
    cosine = np.einsum("ij,ij->i", turns, turned(rows, points, moved, np.arange(POINTS), normals))
    assert np.quantile(cosine, 0.03) > np.cos(np.radians(1.5))


def test_what_is_picked_is_bent_as_what_is_rendered(blank):
    rows = np.concatenate([felt(), on_path(), *(table(kind)[0][None] for kind in SOME)])
    points = table("bend")[1]
    text = re.sub(r"(: ArrayLike<number>|: number| as \[[^\]]*\]|export )", "", script())
    found = blank.evaluate(
        "([text, rows, points]) => new Function('rows', 'points', `${text} "
        "return points.map((p) => bent(rows, 0, rows.length / " + str(ROW) + ", ...p));`)(rows, points)",
        [text, rows.ravel().tolist(), points.tolist()],
    )
    assert np.array(found) == pytest.approx(bent(rows, points), abs=1e-9)


def letters(seen):
    """Where a picture shows lit letters."""
    return seen.max(2) > 70


def test_a_line_is_wrapped_by_hand_and_unwrapped_again(quiet, server):
    shot = new_shot(quiet, server, "SALT ROADS")
    before = document(server, shot)["steps"]
    quiet.get_by_role("button", name="+ add a step").click()
    quiet.get_by_role("menuitem", name="Wrap", exact=True).click()
    saved(quiet)
    put(quiet, "spinbutton", "Radius", 1.6)
    assert step(server, shot, "wrap")["radius"] == 1.6
    found = Axe().run(quiet).response["violations"]
    assert [v["id"] for v in found if v["impact"] in ("serious", "critical")] == []
    head, _ = opened(server.client.get(f"/api/shots/{shot}/draft").content)
    assert (head["spans"][0]["bends"], head["spans"][0]["bent_by"]) == (1, ["bend"])
    wrapped = letters(settled(quiet))
    told = quiet.locator("nav[aria-label=Recipe]").get_by_text(re.compile(r"^[\d,]+ triangles, around"))
    assert int(told.inner_text().split()[0].replace(",", "")) > 5_000
    quiet.get_by_role("button", name="Undo", exact=True).click()
    quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: document(server, shot)["steps"] == before)
    straight = letters(settled(quiet))
    assert (wrapped != straight).mean() > 0.02
    quiet.get_by_role("button", name="Redo", exact=True).click()
    quiet.get_by_role("button", name="Redo", exact=True).click()
    wait_for(lambda: len(document(server, shot)["steps"]) == len(before) + 1)
    assert (letters(settled(quiet)) != wrapped).mean() < 0.005


def test_a_line_lies_along_a_path_that_is_drawn_by_hand(quiet, server):
    """Points are pulled in the picture and on the board; every letter is drawn whole, wherever its path takes it."""
    shot = new_shot(quiet, server, "SALT ROADS")
    quiet.get_by_role("button", name="+ add a step").click()
    quiet.get_by_role("menuitem", name="Wrap", exact=True).click()
    saved(quiet)
    quiet.get_by_role("combobox", name="Onto").select_option("path")
    wait_for(lambda: step(server, shot, "wrap")["onto"] == "path")
    quiet.keyboard.press("Escape")
    quiet.keyboard.press("End")
    lit = letters(settled(quiet)).sum()
    before = step(server, shot, "wrap")["path"]["points"]
    grip = quiet.get_by_role("button", name="Point 2 of the path").bounding_box()
    drag(quiet, grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2, 0, -70)
    wait_for(lambda: step(server, shot, "wrap")["path"]["points"] != before)
    after = step(server, shot, "wrap")["path"]["points"]
    assert after[1][1] > before[1][1] + 0.4 and after[:1] + after[2:] == before[:1] + before[2:]
    # Drawn in strips, letters far from where they rest are left out of none that they are in.
    assert letters(settled(quiet)).sum() > 0.85 * lit
    point = quiet.get_by_role("slider", name="Path of the wrap, point 2")
    point.press("+")
    wait_for(lambda: len(step(server, shot, "wrap")["path"]["points"]) == 5)
    point.press("Delete")
    wait_for(lambda: len(step(server, shot, "wrap")["path"]["points"]) == 4)
    for _ in range(3):
        quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: step(server, shot, "wrap")["path"]["points"] == before)
    quiet.get_by_role("combobox", name="Onto").select_option("stage")
    quiet.get_by_text("lies around nothing: the stage is no globe").wait_for()


def test_what_a_deformer_goes_by_is_a_choice_of_its_step(quiet, server):
    shot = new_shot(quiet, server, "SALT ROADS")
    quiet.get_by_role("button", name="+ add a step").click()
    quiet.get_by_role("menuitem", name="Wave", exact=True).click()
    saved(quiet)
    quiet.get_by_role("tab", name="Where", exact=True).click()
    quiet.get_by_role("combobox", name="Stands in").select_option("world")
    wait_for(lambda: step(server, shot, "wave")["space"] == "world")
    put(quiet, "spinbutton", "Centre x", -2)
    assert step(server, shot, "wave")["centre"]["own"] == [-2, 0, 0]
    quiet.get_by_role("tab", name="Everywhere").click()
    quiet.get_by_role("combobox", name="Reach", exact=True).select_option("cadence")
    wait_for(lambda: step(server, shot, "wave")["reaches"][0]["kind"] == "cadence")
    head, _ = opened(server.client.get(f"/api/shots/{shot}/draft").content)
    assert len(head["spans"][0]["starts"][step(server, shot, "wave")["id"]]) == 9


def test_a_wave_is_set_by_its_grips_in_the_picture(quiet, server):
    """Its centre, its width and its height are pulled where they act, by mouse and by keyboard, each one edit."""
    shot = new_shot(quiet, server, "SALT ROADS")
    quiet.keyboard.press("End")
    quiet.get_by_role("button", name="+ add a step").click()
    quiet.get_by_role("menuitem", name="Wave", exact=True).click()
    saved(quiet)
    begun = step(server, shot, "wave")
    grips = {name: quiet.get_by_role("button", name=f"{name}; drag it") for name in ("Centre", "Width", "Height")}
    for grip in grips.values():
        grip.wait_for()

    def pull(name, dx, dy):
        box = grips[name].bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        drag(quiet, x, y, dx, dy)
        saved(quiet)
        return box

    pull("Height", 0, -40)
    higher = step(server, shot, "wave")
    assert higher["height"] > begun["height"] and higher["width"] == begun["width"]
    pull("Width", -30, 0)
    narrower = step(server, shot, "wave")
    assert narrower["width"] < begun["width"]
    was = pull("Centre", 50, 0)
    wait_for(lambda: step(server, shot, "wave")["centre"]["place"] == "own")
    wait_for(lambda: abs(grips["Centre"].bounding_box()["x"] - was["x"] - 50) < 6)
    held = step(server, shot, "wave")
    assert held["centre"]["own"][1] == pytest.approx(0.5, abs=0.02), "it went along, not up"
    grips["Height"].focus()
    quiet.keyboard.press("ArrowDown")
    wait_for(lambda: step(server, shot, "wave")["height"] == pytest.approx(higher["height"] - 0.05, abs=1e-3))
    found = Axe().run(quiet).response["violations"]
    assert [v["id"] for v in found if v["impact"] in ("serious", "critical")] == []
    for _ in range(4):
        quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: step(server, shot, "wave") == begun)
