"""Textures: bounded, without seams and repeats, the same in both languages, and the catalogue made of them."""

import ast
import re
from dataclasses import replace

import numba
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from moss_crown.core.compiling import called
from moss_crown.core.document.look import Texture
from moss_crown.core.look.glsl import CannotSay, Writer, texture_source
from moss_crown.core.look.material import Grain, surface_at, texture_matrix
from moss_crown.core.look.materials import CONTROLS, MATERIALS, SWATCHES
from moss_crown.core.look.noise import cells, clouds, lattice, noise
from moss_crown.core.look.patterns import NAMES, layered, pattern

cells, clouds, lattice = map(called, (cells, clouds, lattice))
noise.link()

KINDS = [float(k) for k in range(1, len(NAMES))]
ON_THE_SURFACE = {"brushed", "hammered", "knit", "weave", "dots", "stripes", "grid"}
"""Patterns that lie flat on each side of a letter; all others fill space."""


@numba.njit
def sampled(kind, points):
    found = np.empty((len(points), 3))
    for k in range(len(points)):
        x, y, z = points[k]
        found[k] = layered(kind, x, y, z, x, y, 0.5, 0.4)
    return found


@numba.njit
def raw(kind, x, y, z, p, q):
    return pattern(kind, x, y, z, p, q)


@numba.njit
def one_noise(x, y, z, seed):
    return noise(x, y, z, seed)


def test_the_document_knows_every_pattern():
    named = re.findall(r"'(\w+)'", str(Texture.model_fields["pattern"].annotation))
    assert set(NAMES) <= set(named)
    assert set(CONTROLS) == set(NAMES)


@pytest.mark.parametrize("kind", KINDS)
def test_a_pattern_is_bounded_everywhere_and_varies(kind):
    rng = np.random.default_rng(int(kind))
    near = sampled(kind, rng.uniform(-4, 4, (4000, 3)))
    far = sampled(kind, rng.uniform(-900, 900, (4000, 3)))
    for values in (near, far):
        assert np.isfinite(values).all()
        assert (values[:, 0] >= 0).all()
        assert (values[:, 0] <= 1).all()
        assert np.abs(values[:, 1:]).max() < 2
    assert np.ptp(near[:, 0]) + np.ptp(near[:, 1]) + np.ptp(near[:, 2]) > 0.1


@pytest.mark.parametrize("kind", [k for k in KINDS if NAMES[int(k)] not in ON_THE_SURFACE | {"paper"}])
def test_a_pattern_of_space_runs_through_corners(kind):
    """What lies flat on a side makes no difference to it: at a corner both sides show the same."""
    for point in np.random.default_rng(3).uniform(-2, 2, (50, 3)):
        assert raw(kind, *point, 0.1, 0.2) == raw(kind, *point, 7.3, -1.1)


@pytest.mark.parametrize("kind", [k for k in KINDS if NAMES[int(k)] not in ON_THE_SURFACE])
def test_a_pattern_does_not_repeat_within_a_long_title(kind):
    points = np.random.default_rng(8).uniform(0, 1, (400, 3)) * (3, 1, 0.3)
    here = sampled(kind, points)
    for away in (8.0, 16.0, 64.0, 256.0):
        there = sampled(kind, points + (away, 0, 0))
        assert np.abs(here - there).mean() > 0.004


@given(st.floats(-500, 500), st.floats(-500, 500), st.floats(-500, 500))
def test_noise_is_smooth_and_zero_on_the_lattice(x, y, z):
    step = 1e-5
    assert abs(one_noise(x + step, y, z, 3.0) - one_noise(x, y, z, 3.0)) < 5 * step
    assert one_noise(np.floor(x), np.floor(y), np.floor(z), 3.0) == 0
    assert abs(one_noise(x, y, z, 3.0)) <= 1.5


@given(st.integers(-10_000, 10_000), st.integers(-10_000, 10_000))
def test_lattice_numbers_are_even(i, j):
    assert 0 <= lattice(float(i), float(j), 0.0, 1.0) < 1


def test_lattice_numbers_spread_and_do_not_depend_on_their_neighbours():
    numbers = np.array([[lattice(float(i), float(j), 2.0, 5.0) for i in range(-60, 60)] for j in range(-60, 60)])
    assert numbers.mean() == pytest.approx(0.5, abs=0.01)
    assert np.histogram(numbers, 10)[0] == pytest.approx(numbers.size / 10, rel=0.12)
    assert abs(np.corrcoef(numbers[:, 1:].ravel(), numbers[:, :-1].ravel())[0, 1]) < 0.03


@given(st.floats(-50, 50), st.floats(-50, 50), st.floats(-50, 50))
def test_the_second_cell_is_no_nearer_than_the_first(x, y, z):
    first, second, own = cells(x, y, z, 7.0)
    assert 0 <= first <= second
    assert first < 1.75
    assert 0 <= own < 1
    assert abs(clouds(x, y, z, 1.0)) < 2


@pytest.mark.parametrize("name", NAMES)
def test_every_pattern_can_be_written_for_the_draft(name):
    text = texture_source(name)
    assert text.count("{") == text.count("}")
    defined = set(re.findall(r"^\w+ (\w+)\(", text, flags=re.M))
    called = set(re.findall(r"\b([a-z]\w*_)\(", text))
    assert called <= defined, "a function is called that is not there"
    assert {f"{name}_", "layered_", "rubbed_"} <= defined, "what the draft calls"
    # Every number is a float: GLSL turns no whole number into one.
    body = text[text.index("}") + 1 :]
    assert not re.findall(r"(?<![\w.])\d+(?![\w.])", body)


@pytest.mark.parametrize(
    "body",
    [
        "return [x][0]",
        "over = x > 1.0\n    return 1.0 if over else 0.0",
        "return 1.0 if x else 0.0",
        "a = [x]\n    return x",
    ],
)
def test_what_the_shared_language_cannot_say_is_refused(body):
    (function,) = ast.parse(f"def f(x):\n    {body}").body
    with pytest.raises(CannotSay):
        Writer({}).function(function)


@given(st.floats(0.01, 10), st.floats(-720, 720), st.floats(-5, 5))
def test_a_texture_is_turned_shifted_and_scaled(scale, turn, shift):
    matrix = texture_matrix(Grain(1, scale=scale, turn=turn, shift=(shift, 0.0, 0.0)))
    assert matrix[:, :3] @ matrix[:, :3].T == pytest.approx(np.eye(3) / scale**2, rel=1e-9)
    assert matrix @ [shift, 0, 0, 1] == pytest.approx([0, 0, 0], abs=1e-9)
    direction = matrix[:, :3] @ [np.cos(np.radians(turn)), np.sin(np.radians(turn)), 0]
    assert direction == pytest.approx([1 / scale, 0, 0], abs=1e-9 / scale)


@pytest.mark.parametrize("name", MATERIALS)
def test_a_curated_material_is_complete_and_has_its_picture(name):
    entry = MATERIALS[name]
    surface = surface_at(entry.material, 0)
    assert all(0 <= c <= 1 for c in surface.colour)
    assert replace(surface, grain=None).coat >= 0
    with Image.open(SWATCHES / f"{name}.jpg") as picture:
        assert picture.size == (176, 132)
        assert np.asarray(picture).std() > 8


def test_there_are_materials_of_every_kind():
    assert len(MATERIALS) >= 36
    assert len({entry.group for entry in MATERIALS.values()}) >= 8
    used = {entry.material.texture.pattern for entry in MATERIALS.values()}
    assert used >= set(NAMES) - {"plain"}
