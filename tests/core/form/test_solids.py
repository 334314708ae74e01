"""Solids: closed, outward, and as large as they must be, whatever the letter and the bevel."""

import manifold3d
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moss_crown.core.form.outline import area, clean, inset, letter_outline
from moss_crown.core.form.profile import profile
from moss_crown.core.form.solid import BEVEL, FACE, REAR, RETURN, Form, solid
from moss_crown.core.type.families import FAMILIES
from moss_crown.core.type.layout import Setting, faces, set_block

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ\nabcdefghijklmnopqrstuvwxyz\n0123456789"
BEVELS = {"small": 0.012, "usual": 0.04, "wide": 0.11}


def assert_sound(s):
    """Every edge is used once in each direction (closed, consistently wound, two-manifold), and volume is positive."""
    t = s.triangles
    directed = t * (1 << 30) + np.roll(t, -1, axis=1)
    back = np.roll(t, -1, axis=1) * (1 << 30) + t
    flat, reverse = np.sort(directed.ravel()), np.sort(back.ravel())
    assert len(np.unique(flat)) == len(flat), "an edge is used twice in one direction"
    assert (flat == reverse).all(), "an edge has no partner"
    assert s.volume > 0


def exact_volume(rings, form, unit, slices=80):
    """The outline's area through the straight part, and the integral of exact inset areas through both bevels."""
    whole = sum(area(r) for r in rings) * unit**2
    d = form.bevel_used
    if d == 0:
        return whole * form.depth
    edge = profile(form.profile, d, form.segments)
    heights = (np.arange(slices) + 0.5) / slices * d
    insets = np.interp(heights, edge[:, 1], edge[:, 0]) / unit
    areas = [sum(area(r) for r in inset(rings, s, form.join)) * unit**2 for s in insets]
    return whole * (form.depth - 2 * d) + 2 * d * float(np.mean(areas))


@pytest.mark.parametrize("size", BEVELS)
@pytest.mark.parametrize("family", FAMILIES)
def test_every_letter_of_every_family(family, size):
    form = Form(0.3, "chamfer" if size == "wide" else "roundover", BEVELS[size], 4)
    for letter in set_block(Setting(LETTERS, family, 1, 0, 1.5, "centre")):
        rings = letter_outline(letter.glyphs, faces(family))
        built = solid(rings, form, letter.unit)
        assert_sound(built)
        assert built.volume == pytest.approx(exact_volume(rings, form, letter.unit), rel=5e-3), letter.text


def square(side=200.0):
    return [np.array([[0, 0], [side, 0], [side, side], [0, side]], float)]


@pytest.mark.parametrize("d", [5.0, 30.0, 100.0, 140.0])
def test_a_chamfered_square_stem_against_its_closed_form(d):
    side, depth = 200.0, 300.0
    built = solid(square(side), Form(depth, "chamfer", d, 1), 1.0)
    cut = min(d, side / 2)  # past half the stem the bevel meets in a ridge
    left = side - 2 * cut
    expected = side**2 * (depth - 2 * d) + 2 * cut / 3 * (side**2 + left**2 + side * left)
    assert_sound(built)
    assert built.volume == pytest.approx(expected, rel=1e-9)
    assert built.ridged == (d > side / 2)


def test_a_roundover_takes_away_what_a_quarter_circle_leaves():
    side, depth, d, n = 200.0, 300.0, 40.0, 24
    built = solid(square(side), Form(depth, "roundover", d, n), 1.0)
    t = np.linspace(0, np.pi / 2, 20_001)
    s, z = d * (1 - np.cos(t)), d * np.sin(t)
    expected = side**2 * (depth - 2 * d) + 2 * np.trapezoid((side - 2 * s) ** 2, z)
    assert built.volume == pytest.approx(expected, rel=2e-4)


def test_a_disc_with_a_bevel_wider_than_itself_is_two_cones():
    angle = np.linspace(0, 2 * np.pi, 256, endpoint=False)
    ring = np.stack([100 * np.cos(angle), 100 * np.sin(angle)], 1)
    built = solid([ring], Form(400.0, "chamfer", 150.0, 1), 1.0)
    assert_sound(built)
    polygon = area(ring)
    assert built.volume == pytest.approx(polygon * 100 + 2 * polygon * 100 / 3, rel=1e-3)


def test_a_bevel_deeper_than_half_the_depth_is_limited():
    form = Form(0.1, "chamfer", 0.2, 1)
    assert form.bevel_used < 0.05
    assert_sound(solid(square(), Form(100.0, "chamfer", 90.0, 1), 1.0))


def test_a_square_edge_has_face_return_and_rear_only():
    built = solid(square(), Form(50.0, "square", 10.0, 3), 1.0)
    assert set(np.unique(built.facet)) == {FACE, RETURN, REAR}
    assert built.volume == pytest.approx(200 * 200 * 50)


def test_faces_are_flat_and_a_roundover_runs_into_them():
    built = solid(square(), Form(100.0, "roundover", 30.0, 8), 1.0)
    assert (built.normals[built.facet == FACE] == [0, 0, 1]).all()
    corner = built.vertices[built.triangles[built.facet == BEVEL]]
    normal = built.normals[built.facet == BEVEL]
    on_face = np.isclose(corner[..., 2], 50.0)
    assert on_face.any()
    assert normal[on_face][:, 2] == pytest.approx(1.0, abs=1e-6)
    assert np.linalg.norm(built.normals, axis=2) == pytest.approx(1.0, abs=1e-5)


def test_touching_contours_are_pulled_apart():
    a = np.array([[0, 0], [100, 0], [100, 100], [0, 100]], float)
    assert_sound(solid(clean([a, a + [100, 100]]), Form(50.0, "chamfer", 8.0, 1), 1.0))


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(0, 40), st.integers(0, 40)), min_size=3, max_size=12),
    st.floats(1, 120),
    st.sampled_from(["chamfer", "roundover"]),
    st.sampled_from(["mitre", "round"]),
)
def test_any_polygon_even_a_self_crossing_one(points, d, kind, join):
    rings = clean([np.array(points, float) * 20])
    if not rings:
        return
    built = solid(rings, Form(300.0, kind, d, 3, join), 1.0)
    assert_sound(built)
    mesh = manifold3d.Mesh(built.vertices.astype(np.float32), built.triangles.astype(np.uint32))
    assert manifold3d.Manifold(mesh).status() == manifold3d.Error.NoError
