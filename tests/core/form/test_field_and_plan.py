"""The inset distance against brute force and against the offset itself; the plan as a triangulation."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from letters import setting
from moss_crown.core.form.field import InsetField
from moss_crown.core.form.mesh import boundary, edge_keys, pack, unpack
from moss_crown.core.form.outline import Flattener, area, clean, inset, letter_outline, pull_apart, tidy
from moss_crown.core.form.plan import plan
from moss_crown.core.form.profile import Edge, profile
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.shape import faces


def outline(letter, family="archivo-black"):
    (one,) = set_block(setting(letter, family))
    return letter_outline(one.glyphs, faces(family))


def inside_points(rings, count=400, seed=3):
    rng = np.random.default_rng(seed)
    every = np.vstack(rings)
    points = rng.uniform(every.min(0), every.max(0), (count, 2))
    return points[InsetField(rings, 500.0, "round").winding(points) > 0]


@pytest.mark.parametrize("letter", ["O", "R", "&", "s"])
def test_with_round_joins_it_is_the_distance_to_the_outline(letter):
    rings = outline(letter)
    points = inside_points(rings)
    least = np.full(len(points), np.inf)
    for ring in rings:
        a, b = ring, np.roll(ring, -1, 0)
        for p, q in zip(a, b, strict=True):
            d = q - p
            t = np.clip(((points - p) @ d) / (d @ d), 0, 1)[:, None]
            least = np.minimum(least, np.hypot(*(points - p - t * d).T))
    assert InsetField(rings, 500.0, "round")(points) == pytest.approx(least, abs=1e-9)


@pytest.mark.parametrize("letter", ["E", "A", "g", "8"])
@pytest.mark.parametrize("join", ["mitre", "round"])
@pytest.mark.parametrize("distance", [15.0, 45.0])
def test_its_level_sets_are_the_offset_rings(letter, join, distance):
    rings = outline(letter)
    field = InsetField(rings, distance * 1.5, join)
    moved = inset(rings, distance, join)
    if not moved:
        return
    on_ring = np.vstack([ring * 0.5 + np.roll(ring, -1, 0) * 0.5 for ring in moved])
    # A round join is drawn as a polygon: its chords lie a little inside the arc.
    assert field(on_ring) == pytest.approx(distance, abs=0.02 if join == "mitre" else 0.35)


@pytest.mark.parametrize("letter", ["O", "B", "y", "Q", "%"])
@pytest.mark.parametrize("d", [10.0, 40.0, 150.0])
def test_a_plan_covers_its_outline_exactly_once(letter, d):
    rings = outline(letter)
    levels = profile(Edge("roundover", d, d, 4))[:, 0]
    made = plan(rings, levels, "mitre")
    corner = made.points[made.triangles]
    u, v = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
    areas = (u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]) / 2
    assert (areas > 0).all()
    assert areas.sum() == pytest.approx(sum(area(r) for r in rings), rel=1e-12)
    _, uses = np.unique(edge_keys(made.triangles), return_counts=True)
    assert uses.max() == 2
    start, end = boundary(made.triangles)
    assert made.inset[start] == pytest.approx(0, abs=1e-9)
    assert len(start) == len(set(start)) == len(set(end))


@pytest.mark.parametrize("letter", ["O", "R", "&"])
def test_heights_of_a_plan_are_the_inset_distance(letter):
    rings = outline(letter)
    levels = profile(Edge("chamfer", 60.0, 60.0))[:, 0]
    made = plan(rings, levels, "mitre")
    field = InsetField(rings, 60.0, "mitre")
    assert made.inset == pytest.approx(np.minimum(field(made.points), 60.0), abs=0.08)


@given(st.integers(0, 2**23), st.integers(0, 2**23))
def test_edges_pack_both_ways(a, b):
    key = pack(np.array([a, b]), np.array([b, a]))
    assert key[0] == key[1]
    low, high = unpack(key)
    assert (int(low[0]), int(high[0])) == (min(a, b), max(a, b))


@pytest.mark.parametrize("tolerance", [2.0, 0.35, 0.05])
def test_curves_are_flattened_within_their_tolerance(tolerance):
    sink = Flattener(tolerance)
    k = 0.5522847498 * 300
    sink.move((300, 0))
    sink.cubic((300, k), (k, 300), (0, 300))
    sink.cubic((-k, 300), (-300, k), (-300, 0))
    sink.line((300, 0))
    sink.close()
    (ring,) = sink.rings
    curve = ring[:-1]
    middle = (curve[1:] + curve[:-1]) / 2
    assert np.abs(np.hypot(*middle.T) - 300).max() < tolerance + 0.1  # a Bezier circle is off by 0.03 % itself
    assert len(curve) < 18 * (2 / tolerance) ** 0.5 + 4


def test_doubled_and_straight_points_and_spikes_go():
    ring = np.array([[0, 0], [50, 0], [50, 0], [100, 0], [100, 100], [100, 200], [100, 100], [0, 100]], float)
    assert tidy(ring, 0.05).tolist() == [[0, 0], [100, 0], [100, 100], [0, 100]]


def test_overlapping_contours_become_one_and_holes_run_backward():
    a = np.array([[0, 0], [100, 0], [100, 100], [0, 100]], float)
    (whole,) = clean([a, a + [50, 0]])
    assert area(whole) == pytest.approx(150 * 100)
    outer, hole = sorted(clean([a, (a * 0.5 + 25)[::-1]]), key=area, reverse=True)
    assert area(outer) == pytest.approx(10_000)
    assert area(hole) == pytest.approx(-2_500)


def test_a_hole_that_touches_the_rim_is_pulled_off_it():
    rim = np.array([[0, 0], [100, 0], [100, 100], [0, 100]], float)
    hole = np.array([[50, 0], [30, 40], [70, 40]], float)
    apart = pull_apart([rim, hole])
    assert apart[1][0, 1] > 0.01
