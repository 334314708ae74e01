"""Deformers against closed forms, each along its own axes: a row that leads there and back without turning."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.deform.chain import at_rest, bent, row, turned
from moss_crown.core.deform.rows import AMOUNT

HERE = np.eye(3, 4)
SOME = {
    "bend": (2.5, 3.0),
    "curl": (4.0, 6.0, 0.3, 0.3),
    "twist": (3.0, 6.0),
    "wave": (0.3, 2.0, 0.4, 2.0, 2.0),
    "globe": (0.4,),
    "ripple": (0.1, 1.0, 0.4, 3.0, 4.0),
    "blast": (0.8, 0.3, 0.6, 0.5, 7.0),
}
POINTS = np.random.default_rng(1).uniform([-4, 0, -0.14], [4, 1, 0.14], (500, 3))
LINE = np.column_stack([np.linspace(-4, 4, 40_001), np.zeros((40_001, 2))])


def by(kind, points, *values):
    return bent(row(kind, HERE, values or SOME[kind])[None], points)


def length(points):
    return float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())


def stretches(kind, points, *values, step=1e-6):
    """(n, 3, 3) the derivatives of a deformer by differences."""
    ends = [by(kind, points + way, *values) - by(kind, points - way, *values) for way in np.eye(3) * step]
    return np.stack(ends, -1) / (2 * step)


@pytest.mark.parametrize("kind", SOME)
def test_an_amount_of_0_leaves_everything_where_it_is_to_the_bit(kind):
    none = (0.0, *SOME[kind][1:])
    assert np.array_equal(by(kind, POINTS, *none), POINTS)
    assert at_rest(row(kind, HERE, none)[None]) and not at_rest(row(kind, HERE, SOME[kind])[None])
    # A little does a little: nothing jumps when an amount comes to 0.
    little = (1e-7, *SOME[kind][1:])
    assert np.abs(by(kind, POINTS, *little) - POINTS).max() < 1e-5


@pytest.mark.parametrize("kind", SOME)
def test_a_point_goes_the_same_way_alone_and_among_many(kind):
    """The processor takes several at a time where there are several: each has the same bits."""
    several, normals = np.tile(POINTS, (2, 1)), np.tile([0.6, 0.0, 0.8], (2 * len(POINTS), 1))
    moved = by(kind, several)
    rows = row(kind, HERE, SOME[kind])[None]
    all_turned = turned(rows, several, moved, np.arange(len(several)), normals)
    for k in (0, 1, 254, 255, 256, 257, 511, 512, 767, len(several) - 1):
        assert np.array_equal(by(kind, several[k : k + 1])[0], moved[k])
        alone = turned(rows, several[k : k + 1], moved[k : k + 1], np.zeros(1, int), normals[:1])
        assert np.array_equal(alone[0], all_turned[k])


def test_a_wave_of_narrowness_1_lies_between_its_neighbours():
    """It has a way of its own, without a power."""
    under, at, over = (by("wave", POINTS, 0.3, 2.0, 0.4, narrow, 2.0) for narrow in (1 - 1e-9, 1.0, 1 + 1e-9))
    assert at == pytest.approx(under, abs=1e-8) and at == pytest.approx(over, abs=1e-8)


@given(st.floats(-12, 12), st.floats(0.3, 9))
def test_a_bend_keeps_the_length_of_its_middle_line(angle, over):
    assert length(by("bend", LINE, angle, over)) == pytest.approx(8, abs=1e-6)


@given(st.floats(0, 8), st.floats(0.05, 2), st.floats(0, 0.6))
def test_a_curl_keeps_the_length_of_its_middle_line(rolled, radius, gap):
    assert length(by("curl", LINE, rolled, 4.0, radius, gap)) == pytest.approx(8, abs=1e-5)


def test_turns_of_a_curl_stay_a_gap_apart():
    """Along each ray from the middle of the core the line comes again a gap farther out."""
    rolled = by("curl", LINE, 7.5, 4.0, 0.3, 0.35)[LINE[:, 0] > -3.4]
    end = rolled[-1]
    tangent = rolled[-1] - rolled[-2]
    middle = end + 0.3 * np.array([-tangent[1], tangent[0], 0]) / np.linalg.norm(tangent)
    radii = np.linalg.norm(rolled - middle, axis=1)
    angle = np.unwrap(np.arctan2(*(rolled - middle)[:, 1::-1].T))
    turns = np.abs(angle - angle[-1]) / (2 * np.pi)
    outer = np.interp(np.linspace(0.1, 0.8, 40) + 1, turns[::-1], radii[::-1])
    inner = np.interp(np.linspace(0.1, 0.8, 40), turns[::-1], radii[::-1])
    assert outer - inner == pytest.approx(0.35, abs=0.02)


@given(st.floats(0.5, 20), st.floats(-0.3, 0.3))
def test_a_bend_of_all_there_is_lays_a_line_around_a_drum(radius, above):
    """A place s along and t to the side of the middle line stands at a radius less t, s / radius around."""
    points = LINE[::400] + [0, above, 0]
    found = by("bend", points, 8 / radius, 8.0)
    around = points[:, 0] / radius
    expected = np.column_stack([(radius - above) * np.sin(around), radius - (radius - above) * np.cos(around)])
    assert found[:, :2] == pytest.approx(expected, abs=2e-6)


@given(st.floats(0.6, 20))
def test_a_globe_keeps_distances_along_its_middle_and_lies_on_a_ball(radius):
    flat = POINTS * [0.4, 1, 0]
    on = by("globe", flat, 1 / radius) + [0, 0, radius]
    assert np.linalg.norm(on, axis=1) == pytest.approx(radius, rel=1e-6)
    line = LINE * [min(1.0, radius), 1, 1]
    assert length(by("globe", line, 1 / radius)) == pytest.approx(length(line), rel=1e-6)


@pytest.mark.parametrize("kind, tolerance", [("twist", 1e-6), ("wave", 1e-6)])
def test_a_twist_and_a_wave_keep_volumes(kind, tolerance):
    assert np.linalg.det(stretches(kind, POINTS)) == pytest.approx(1, abs=tolerance)


def test_a_bend_squeezes_what_lies_inside_and_stretches_what_lies_outside():
    inside = np.abs(POINTS[:, 0]) < 1.45
    assert np.linalg.det(stretches("bend", POINTS[inside])) == pytest.approx(
        1 - 2.5 / 3.0 * POINTS[inside][:, 1], abs=1e-6
    )


@given(st.floats(-3, 3), st.sampled_from([0.0, 1.0, 2.0]))
def test_crests_go_on_by_what_they_have_travelled(travelled, how):
    early = by("wave", POINTS, 0.3, 2.0, 0.4, 2.0, how)
    late = by("wave", POINTS + [travelled, 0, 0], 0.3, 2.0, 0.4 + travelled, 2.0, how)
    assert late - early == pytest.approx(np.broadcast_to([travelled, 0, 0], early.shape), abs=1e-9)


def test_crests_are_as_high_and_as_many_as_they_are_meant_to_be():
    for how, crests in ((0.0, 1), (1.0, 3), (2.0, 4)):
        height = by("wave", LINE, 0.3, 2.0, 1.0, 1.0, how)[:, 1]
        assert height.max() == pytest.approx(0.3, abs=1e-6)
        above = height > 0.15
        assert (np.diff(above.astype(int)) == 1).sum() + above[0] == crests


def test_a_ripple_is_as_rough_between_two_patterns_as_in_either():
    far = np.random.default_rng(2).uniform(-300, 300, (20_000, 3))
    spread = [np.std(by("ripple", far, 0.1, 1.0, share, 3.0, 4.0)[:, 1] - far[:, 1]) for share in (0.0, 0.25, 0.5, 1.0)]
    assert max(spread) / min(spread) < 1.05


def test_a_blast_drives_out_from_its_middle():
    found = by("blast", POINTS, 0.8, 0.3, 0.0, 0.5, 7.0) - POINTS
    along = np.einsum("ij,ij->i", found, POINTS) / np.linalg.norm(POINTS, axis=1)
    assert np.linalg.norm(found, axis=1) == pytest.approx(along)
    far = np.linalg.norm(POINTS, axis=1)
    assert along == pytest.approx(0.8 * far / np.sqrt(far**2 + 0.09))


@pytest.mark.parametrize("kind", SOME)
def test_normals_are_those_of_the_bent_surface(kind):
    """By the inverse transpose of the deformer's derivatives."""
    normals = np.random.default_rng(3).normal(size=(len(POINTS), 3))
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    rows = row(kind, HERE, SOME[kind])[None]
    found = turned(rows, POINTS, bent(rows, POINTS), np.arange(len(POINTS)), normals)
    expected = np.einsum("nji,nj->ni", np.linalg.inv(stretches(kind, POINTS)), normals)
    expected *= np.sign(np.linalg.det(stretches(kind, POINTS)))[:, None]
    expected /= np.linalg.norm(expected, axis=1, keepdims=True)
    cosine = np.einsum("ij,ij->i", found, expected)
    assert np.quantile(cosine, 0.02) > np.cos(np.radians(0.05))  # but for those on the border of a stretch


def test_rows_are_one_after_the_other_and_lead_there_and_back():
    turn = np.array([[0.0, 1, 0, 0.3], [-1, 0, 0, 0.1], [0, 0, 1, -0.2]])
    one, two = row("bend", turn, SOME["bend"]), row("wave", HERE, SOME["wave"])
    there = POINTS @ turn[:, :3].T + turn[:, 3]
    back = (by("bend", there) - turn[:, 3]) @ turn[:, :3]
    assert bent(one[None], POINTS) == pytest.approx(back)
    assert np.array_equal(bent(np.stack([one, two]), POINTS), by("wave", bent(one[None], POINTS)))
    off = two.copy()
    off[AMOUNT] = 0
    assert np.array_equal(bent(np.stack([one, off]), POINTS), bent(one[None], POINTS))
