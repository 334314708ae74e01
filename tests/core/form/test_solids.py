"""Solids: closed, outward, and as large as they must be, whatever the letter and the bevel."""

from itertools import pairwise

import manifold3d
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from letters import alike, setting
from moss_crown.core.form.mesh import BEVEL, FACE, REAR, RETURN, Solid
from moss_crown.core.form.outline import area, clean, inset, letter_outline, shaped
from moss_crown.core.form.profile import Edge, profile
from moss_crown.core.form.solid import Form, solid, with_volume
from moss_crown.core.type.families import FAMILIES
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.shape import faces

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ\nabcdefghijklmnopqrstuvwxyz\n0123456789"
SIZES = {"small": 0.012, "usual": 0.04, "wide": 0.11}
KINDS = ("chamfer", "roundover", "cove", "ogee", "step", "bead", "rim", "drawn")
JOINS = ("mitre", "sharp", "round")


def assert_sound(s):
    """Every edge is used once in each direction (closed, consistently wound, two-manifold), and volume is positive."""
    t = s.triangles
    directed = t * (1 << 30) + np.roll(t, -1, axis=1)
    back = np.roll(t, -1, axis=1) * (1 << 30) + t
    flat, reverse = np.sort(directed.ravel()), np.sort(back.ravel())
    assert len(np.unique(flat)) == len(flat), "an edge is used twice in one direction"
    assert (flat == reverse).all(), "an edge has no partner"
    assert s.volume > 0


def parts(s):
    """Volumes of the parts that hang together by edges."""
    count = len(s.triangles)
    with_edge = {}
    for k, triangle in enumerate(s.triangles.tolist()):
        for a, b in zip(triangle, [*triangle[1:], triangle[0]], strict=True):
            with_edge.setdefault(frozenset((a, b)), []).append(k)
    part = list(range(count))

    def of(k):
        while part[k] != k:
            k = part[k]
        return k

    for together in with_edge.values():
        for k in together[1:]:
            part[of(k)] = of(together[0])
    a, b, c = (s.vertices[s.triangles[:, k]] for k in range(3))
    volumes = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6
    return np.bincount([of(k) for k in range(count)], volumes, count)[[k for k in range(count) if part[k] == k]]


@pytest.mark.parametrize("weight", [-8.0, -14.0, -24.0])
def test_a_weight_that_eats_hairlines_leaves_nothing_without_volume(weight):
    """Of a family with hairlines, in which a step's treads meet what is left of them."""
    for letter in set_block(setting("AHNVWXaegvwxyz&%", "bodoni-moda")):
        form = Form(0.3, Edge("step", 0.04, 0.04, 3), join="round", weight=weight)
        rings = letter_outline(letter.glyphs, faces(letter.family, letter.axes))
        made = solid(rings, form, letter.unit)
        if len(made.triangles):
            assert_sound(made)
            assert parts(made).min() > 0


def test_two_triangles_back_to_back_are_not_kept():
    (letter,) = set_block(setting("i", "archivo-black"))
    whole = solid(letter_outline(letter.glyphs, faces(letter.family, letter.axes)), Form(0.3), letter.unit)
    assert len(parts(whole)) == 2
    assert with_volume(whole, 1e-9) is whole
    count = len(whole.vertices)
    sliver = np.array([[0, 1, 0], [0, 2, 0], [0, 3, 0.1]], float)
    thin = Solid(
        np.vstack([sliver, whole.vertices]),
        np.vstack([[[0, 1, 2], [2, 1, 0]], whole.triangles + 3]),
        np.concatenate([np.zeros(2, np.uint8), whole.facet]),
        np.concatenate([np.zeros((2, 3, 3), np.float32), whole.normals]),
        False,
        np.arange(count + 3, dtype=np.float32),
    )
    kept = with_volume(thin, 1e-9)
    assert (kept.vertices == whole.vertices).all()
    assert (kept.triangles == whole.triangles).all()
    assert (kept.facet == whole.facet).all()
    assert (kept.along == np.arange(3, count + 3)).all()


def exact_volume(rings, form, unit, slices=24):
    """The shaped outline's area times the straight depth, and for each edge the integral of exact inset areas over its
    height: treads add nothing, risers their inset's area."""
    rings = shaped(rings, form.weight, form.fill, form.wall / unit, form.join)

    def area_at(inset_by):
        return sum(area(r) for r in inset(rings, inset_by / unit, form.join)) * unit**2

    edges = [edge for edge in (form.front_used, form.rear_used) if edge.cuts]
    volume = area_at(0) * (form.depth - sum(edge.height for edge in edges))
    for edge in edges:
        line = profile(edge)
        volume += area_at(0) * line[0, 1]
        for (x0, z0), (x1, z1) in pairwise(line):
            share = (np.arange(slices) + 0.5) / slices if x1 != x0 else np.zeros(1)
            volume += (z1 - z0) * float(np.mean([area_at(x0 + (x1 - x0) * t) for t in share]))
    return volume


@pytest.mark.parametrize("family", FAMILIES)
def test_every_letter_of_every_family(family):
    """Kind, size, corners and weight go round from letter to letter; `./crown bench solids` tries all on all."""
    turn = list(FAMILIES).index(family)
    for k, letter in enumerate(set_block(setting(LETTERS, family))):
        n = turn * 5 + k
        size = list(SIZES.values())[n % 3]
        edge = Edge(KINDS[n % len(KINDS)], size, size * 0.7, 3)
        form = Form(0.3, edge, Edge("chamfer", 0.02, 0.02), JOINS[n // 3 % 3], weight=(-6.0, 0.0, 14.0)[n // 9 % 3])
        rings = letter_outline(letter.glyphs, faces(family))
        built = solid(rings, form, letter.unit)
        assert_sound(built)
        assert built.volume == pytest.approx(exact_volume(rings, form, letter.unit), rel=1e-3), (letter.text, form)


def square(side=200.0):
    return [np.array([[0, 0], [side, 0], [side, side], [0, side]], float)]


@pytest.mark.parametrize("d", [5.0, 30.0, 100.0, 140.0])
def test_a_chamfered_square_stem_against_its_closed_form(d):
    side, depth = 200.0, 300.0
    built = solid(square(side), alike(depth, "chamfer", d, 1), 1.0)
    cut = min(d, side / 2)  # past half the stem the bevel meets in a ridge
    left = side - 2 * cut
    expected = side**2 * (depth - 2 * d) + 2 * cut / 3 * (side**2 + left**2 + side * left)
    assert_sound(built)
    assert built.volume == pytest.approx(expected, rel=1e-9)
    assert built.ridged == (d > side / 2)


def test_a_roundover_takes_away_what_a_quarter_circle_leaves():
    side, depth, d, n = 200.0, 300.0, 40.0, 24
    built = solid(square(side), alike(depth, "roundover", d, n), 1.0)
    t = np.linspace(0, np.pi / 2, 20_001)
    s, z = d * (1 - np.cos(t)), d * np.sin(t)
    expected = side**2 * (depth - 2 * d) + 2 * np.trapezoid((side - 2 * s) ** 2, z)
    assert built.volume == pytest.approx(expected, rel=2e-4)


def test_a_disc_with_a_bevel_wider_than_itself_is_two_cones():
    angle = np.linspace(0, 2 * np.pi, 256, endpoint=False)
    ring = np.stack([100 * np.cos(angle), 100 * np.sin(angle)], 1)
    built = solid([ring], alike(400.0, "chamfer", 150.0, 1), 1.0)
    assert_sound(built)
    polygon = area(ring)
    assert built.volume == pytest.approx(polygon * 100 + 2 * polygon * 100 / 3, rel=1e-3)


def test_a_bevel_deeper_than_half_the_depth_is_limited():
    form = alike(0.1, "chamfer", 0.2, 1)
    assert form.front_used.height < 0.05
    assert_sound(solid(square(), alike(100.0, "chamfer", 90.0, 1), 1.0))


def test_a_square_edge_has_face_return_and_rear_only():
    built = solid(square(), alike(50.0, "square", 10.0, 3), 1.0)
    assert set(np.unique(built.facet)) == {FACE, RETURN, REAR}
    assert built.volume == pytest.approx(200 * 200 * 50)


def test_faces_are_flat_and_a_roundover_runs_into_them():
    built = solid(square(), alike(100.0, "roundover", 30.0, 8), 1.0)
    assert (built.normals[built.facet == FACE] == [0, 0, 1]).all()
    corner = built.vertices[built.triangles[built.facet == BEVEL]]
    normal = built.normals[built.facet == BEVEL]
    on_face = np.isclose(corner[..., 2], 50.0)
    assert on_face.any()
    assert normal[on_face][:, 2] == pytest.approx(1.0, abs=1e-6)
    assert np.linalg.norm(built.normals, axis=2) == pytest.approx(1.0, abs=1e-5)


def test_touching_contours_are_pulled_apart():
    a = np.array([[0, 0], [100, 0], [100, 100], [0, 100]], float)
    assert_sound(solid(clean([a, a + [100, 100]]), alike(50.0, "chamfer", 8.0, 1), 1.0))


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
    built = solid(rings, alike(300.0, kind, d, 3, join=join), 1.0)
    assert_sound(built)
    mesh = manifold3d.Mesh(built.vertices.astype(np.float32), built.triangles.astype(np.uint32))
    assert manifold3d.Manifold(mesh).status() == manifold3d.Error.NoError


def test_a_glyph_without_ink_is_no_solid_and_one_too_light_keeps_a_trace():
    letter = set_block(setting("I"))[0]
    rings = letter_outline(letter.glyphs, faces(letter.family, letter.axes))
    for edge in (Edge(), Edge("roundover", 0.03, 0.03, 4)):
        assert len(solid([], Form(0.3, edge), letter.unit).triangles) == 0
        thin = solid(rings, Form(0.3, edge, weight=-1000.0), letter.unit)
        assert_sound(thin)
        assert 0 < thin.volume < 0.02 * solid(rings, Form(0.3, edge), letter.unit).volume


UNDERCUTS = {
    "groove": ((0, 0), (1, 0.3), (0.2, 0.7), (0.8, 1)),
    "overhang": ((0, 0), (1, 0.5), (0.3, 1)),
    "riser": ((0, 0), (0.6, 0.3), (0.6, 0.6), (0.1, 0.8), (0.4, 1)),
    "shelf": ((0, 0), (0.8, 0.2), (0.2, 0.5), (0.2, 0.8), (1, 1)),
    "back to the outline": ((0, 0), (0.5, 0.5), (0, 1)),
}


@pytest.mark.parametrize("name", UNDERCUTS)
@pytest.mark.parametrize("family", ["archivo-black", "abril-fatface", "pacifico"])
def test_profiles_that_turn_back_outward_are_sound_and_as_large_as_they_must_be(family, name):
    for k, letter in enumerate(set_block(setting("RS&8", family))):
        edge = Edge("drawn", (0.02, 0.05, 0.11)[k % 3], 0.1, 5, UNDERCUTS[name])
        form = Form(0.3, edge, Edge("chamfer", 0.02, 0.04), join=JOINS[k % 3])
        rings = letter_outline(letter.glyphs, faces(letter.family, letter.axes))
        made = solid(rings, form, letter.unit)
        assert_sound(made)
        assert made.volume == pytest.approx(exact_volume(rings, form, letter.unit, 12), rel=3e-3)
        mesh = manifold3d.Mesh(made.vertices.astype(np.float32), made.triangles.astype(np.uint32))
        assert manifold3d.Manifold(mesh).status() == manifold3d.Error.NoError


def test_an_undercut_square_has_the_volume_of_its_cross_sections():
    """Between two heights the square's side changes evenly: the prismatoid formula (Simpson's rule) is exact."""
    edge = Edge("drawn", 0.1, 0.2, 1, UNDERCUTS["overhang"])
    made = solid([np.array([[0, 0], [600, 0], [600, 600], [0, 600.0]])], Form(0.5, edge, Edge()), 1e-3)
    side = [0.6 - 0.2 * x for x, _ in UNDERCUTS["overhang"]]
    exact = 0.3 * side[0] ** 2
    for a, b in pairwise(side):
        exact += 0.1 / 6 * (a**2 + (a + b) ** 2 + b**2)
    assert_sound(made)
    assert made.volume == pytest.approx(exact, rel=1e-6)
