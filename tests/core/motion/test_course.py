"""Lines that lie along drawn paths, and around the globe of the stage."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from letters import still_shot
from moss_crown.core.deform.chain import bent, row, turned
from moss_crown.core.deform.rows import AMOUNT, ARCS, KIND, KINDS, PLACES, ROW, TRACK, TRACKS
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.draft.notes import notes
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.motion.course import LOOPS, course, laid_along
from moss_crown.core.type.path import Path

RING = tuple((2 * np.sin(a), 2 * np.cos(a)) for a in np.linspace(0, 2 * np.pi, 24, endpoint=False))
WAVY = ((-3.0, 0.0), (-1.2, 0.7), (1.2, -0.3), (3.0, 0.4))


def line(path, share=1.0, reach=3.0, scale=1.0):
    """(n, 2): a straight line laid along a path, by stretches as long as a letter, each of 13 arcs of 8 chords."""
    count = round(2 * reach / 0.5)
    begun, apart = np.linspace(-reach, reach, count, endpoint=False), np.full(count, 2 * reach / count / 13)
    x, y, turn = np.moveaxis(laid_along(course(path), np.full(count, share), np.full(count, scale), begun, apart), 2, 0)
    far = (np.arange(8) / 8 * apart[0])[None, None]
    curve = ((turn[:, 1:] - turn[:, :-1]) / apart[0])[..., None]
    angle, long = turn[:, :-1, None] + curve * far / 2, far * np.sinc(curve * far / 2 / np.pi)
    places = np.stack([x[:, :-1, None] + long * np.cos(angle), y[:, :-1, None] + long * np.sin(angle)], -1)
    return np.concatenate([places.reshape(-1, 2), [[x[-1, -1], y[-1, -1]]]])


def length(points):
    return float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())


def far_off(points, curve):
    """How far points (n, 2) are from a line through close points (m, 2)."""
    a, b = curve[:-1], curve[1:]
    way = b - a
    along = np.clip(((points[:, None] - a) * way).sum(-1) / np.maximum((way * way).sum(-1), 1e-12), 0, 1)
    return np.linalg.norm(points[:, None] - (a + along[..., None] * way), axis=-1).min(1)


def test_a_line_on_a_ring_goes_around_it():
    ring = Path(RING, closed=True, at=0.0)
    points = line(ring, reach=4.0)
    assert np.linalg.norm(points, axis=1) == pytest.approx(2.0, rel=4e-3)
    assert points[len(points) // 2] == pytest.approx([0, 2], abs=3e-3)
    # Clockwise, to the right of its top.
    angle = np.unwrap(np.arctan2(points[:, 0], points[:, 1]))
    assert angle == pytest.approx(np.linspace(-4, 4, len(points)) / 2, abs=0.01)
    inside = line(Path(RING, closed=True, at=0.0, below=True), reach=4.0)
    assert inside[len(inside) // 2] == pytest.approx([0, 2], abs=3e-3)
    assert inside[len(inside) // 2 + 20, 0] < 0


@given(st.floats(0, 1), st.floats(1, 3))
def test_a_line_keeps_its_length_whatever_the_share(share, scale):
    assert length(line(Path(WAVY), share, 4.0, scale)) == pytest.approx(8.0, abs=1e-4)


def test_a_line_lies_on_the_path_as_it_is_drawn():
    path = Path(WAVY)
    assert far_off(line(path, reach=3.0), path.curve).max() < 0.02
    # Beyond its ends it goes on straight.
    ends = line(path, reach=6.0)
    way = np.diff(ends[-200:], axis=0)
    assert way == pytest.approx(np.tile(way[0], (199, 1)), abs=1e-9)


def test_corners_stay_corners_and_a_square_is_no_circle():
    square = ((0.0, 0.0), (0.0, 4.0), (4.0, 4.0), (4.0, 0.0))
    path = course(Path(square, closed=True, smooth=False, at=0.0))
    middle = laid_along(path, np.ones(1), np.ones(1), np.array([1.0]), np.array([2.0 / 13]))[0]
    # Where it is cut, by a share of the path's length.
    assert np.ptp(middle[:, 0]) < 1e-9 and abs(middle[0, 0]) < 0.03
    assert middle[:, 2] == pytest.approx(np.pi / 2)


def test_straightened_a_line_is_level_through_where_it_was():
    straight = line(Path(WAVY), 1e-12)
    assert straight[:, 1] == pytest.approx(0, abs=1e-9)
    assert straight[:, 0] == pytest.approx(np.linspace(-3, 3, len(straight)), abs=1e-9)


def test_a_row_has_the_same_bits_alone_and_among_others():
    rng = np.random.default_rng(1)
    rows = [rng.uniform(low, high, 700) for low, high in ((0, 1), (0.5, 2), (-4, 0), (0.1, 0.4))]
    among = laid_along(course(Path(WAVY)), *rows)
    for k in (0, 17, 300, 699):
        assert np.array_equal(laid_along(course(Path(WAVY)), *(one[k : k + 1] for one in rows))[0], among[k])


@given(
    st.lists(st.tuples(st.floats(-9, 9), st.floats(-9, 9)), min_size=0, max_size=8),
    st.booleans(),
    st.booleans(),
    st.floats(0, 1),
)
def test_any_path_at_all_has_a_place_for_every_letter(points, closed, below, at):
    path = course(Path(tuple(points), closed, True, False, at, below))
    if path is None:
        return
    found = laid_along(path, np.array([1.0, 0.3]), np.ones(2), np.array([-70.0, 30.0]), np.array([3.0, 0.001]))
    assert np.isfinite(found).all()
    assert LOOPS >= 2


def placed(shot, frame=0.0, at=((0.0, 0.0, 0.0), (0.2, 0.0, 0.1), (0.1, 0.7, -0.1))):
    of = Evaluation(shot)
    (moved,) = of.moved(of.structure(frame), np.array([frame]))
    points, found = np.array(at), []
    for k, pose in enumerate(moved.poses[0]):
        own = points if moved.bends is None else bent(moved.bends[0, k], points)
        found.append(own @ pose[:3, :3].T + pose[:3, 3])
    return np.array(found)


FOOT = {"about": "block", "place": "baseline"}
ALONG = {"id": "w", "kind": "wrap", "onto": "path", "centre": FOOT, "path": {"points": WAVY, "fit": False}}


def test_letters_stand_on_their_path_and_lean_with_it():
    found = placed(still_shot(ALONG))
    flat = placed(still_shot())
    corners = np.concatenate(list(Evaluation(still_shot()).block_corners(0).values()))
    middle = (corners[:, 0].min() + corners[:, 0].max()) / 2
    for own, before in zip(found, flat, strict=True):
        s = before[0, 0] - middle
        if abs(s) < 2.9:
            assert far_off(own[:1, :2], Path(WAVY).curve + [middle, 0])[0] < 0.05
    assert not np.allclose(found, flat, atol=0.05)
    assert np.array_equal(placed(still_shot(ALONG | {"wrapped": 0.0})), flat)


def test_a_path_that_fits_is_as_long_as_the_line():
    fits = ALONG | {"path": {"points": [(-0.1, 0.0), (0.0, 0.05), (0.1, 0.0)], "fit": True}}
    found = placed(still_shot(fits))
    heights = found[:, 0, 1]
    assert heights.max() - heights.min() > 0.5 and abs(heights[0] - heights[-1]) < 0.8


@pytest.mark.parametrize("space", ["letter", "block", "world"])
def test_a_frame_alone_has_the_bits_of_a_row_on_a_path_that_moves(space):
    keyed = {"keys": [{"frame": 0, "value": 0.2}, {"frame": 60, "value": 0.8}]}
    wrapped = {"keys": [{"frame": 0, "value": 0.0}, {"frame": 50, "value": 1.0}]}
    step = ALONG | {"space": space, "wrapped": wrapped, "path": ALONG["path"] | {"at": keyed}}
    shot = still_shot(step)
    of = Evaluation(shot)
    structure = of.structure(0)
    (every,) = of.moved(structure, np.arange(73.0))
    for k in (0, 31, 72):
        (alone,) = Evaluation(shot).moved(structure, np.array([float(k)]))
        assert np.array_equal(alone.bends[0], every.bends[k])
    assert (every.bends[10, :, TRACKS, KIND] == KINDS["path"]).all()


def test_what_it_is_wrapped_onto_can_change():
    onto = {"keys": [{"frame": 0, "value": "drum"}, {"frame": 20, "value": "path"}, {"frame": 40, "value": "globe"}]}
    shot = still_shot(ALONG | {"onto": onto})
    for frame, name in ((5.0, "drum"), (25.0, "path"), (60.0, "globe")):
        alone = placed(still_shot(ALONG | {"onto": name}))
        assert placed(shot, frame) == pytest.approx(alone, abs=1e-12)


def with_globe(*steps, **more):
    shot = still_shot(*steps, **more)
    (stage,) = [k for k, step in enumerate(shot.steps) if step.kind == "stage"]
    values = {"shape": "globe", "radius": 3.0, "globe_place": [0.5, 0.2, -1.0]}
    return patched(
        write_shot(shot), [{"op": "replace", "path": f"/steps/{stage}/{k}", "value": v} for k, v in values.items()]
    )


@pytest.mark.parametrize("block", [{}, {"move": [0.3, -2.5, 3.0]}, {"move": [0.2, -1.0, 2.5], "turn": [10, 30, 20]}])
def test_a_line_lies_around_the_globe_of_the_stage_as_far_from_it_as_it_stood(block):
    step = {"id": "w", "kind": "wrap", "onto": "stage", "centre": FOOT}
    middle = np.array([0.5, 0.2 - 3.0, -1.0])
    found = placed(with_globe(step, block=block))
    flat = placed(with_globe(block=block))
    way = (flat[-1, 0] - flat[0, 0]) / np.linalg.norm(flat[-1, 0] - flat[0, 0])
    away = np.linalg.norm(np.cross(flat[0, 0] - middle, way))
    feet = np.linalg.norm(found[:, 0] - middle, axis=1)
    spread = np.linalg.norm(flat[:, 0] - middle, axis=1)
    assert np.ptp(spread) > 1 and feet == pytest.approx(np.full(len(feet), away), abs=1e-9)
    # And letters lie apart along it as they stood.
    steps = np.arccos(((found[1:, 0] - middle) * (found[:-1, 0] - middle)).sum(1) / away**2) * away
    assert steps == pytest.approx(np.linalg.norm(np.diff(flat[:, 0], axis=0), axis=1), abs=1e-6)


def test_without_a_globe_nothing_is_wrapped_and_the_shot_says_so():
    step = {"id": "w", "kind": "wrap", "onto": "stage", "centre": FOOT}
    assert np.array_equal(placed(still_shot(step)), placed(still_shot()))
    assert "motion.no_globe" in {note.code for note in notes(Evaluation(still_shot(step)))}
    assert "motion.no_globe" not in {note.code for note in notes(Evaluation(with_globe(step)))}


def on_a_ring(radius, share=1.0):
    """The rows by which a letter from -0.5 to 0.5 lies on a ring, by its arcs."""
    ring = [(radius * np.sin(a), radius * np.cos(a)) for a in np.linspace(0, 2 * np.pi, 48, endpoint=False)]
    path = course(Path(tuple(ring), closed=True, at=0.0))
    places = laid_along(path, np.array([share]), np.ones(1), np.array([-0.5]), np.array([1 / ARCS]))[0]
    rows = np.zeros((TRACKS + 1, ROW))
    rows[:TRACKS, : 3 * PLACES] = places.reshape(TRACKS, -1)
    rows[:TRACKS, KIND] = TRACK
    rows[TRACKS] = row("path", np.eye(3, 4), (share, -0.5, 1 / ARCS))
    return rows


POINTS = np.random.default_rng(1).uniform([-0.5, 0, -0.1], [0.5, 1, 0.1], (600, 3))


@given(st.floats(1.2, 20))
def test_a_letter_on_a_ring_is_bent_as_around_a_drum(radius):
    """A place s along and t above the line stands a radius and t from the ring's middle, s / radius around it."""
    found = bent(on_a_ring(radius), POINTS)
    around, far = POINTS[:, 0] / radius, radius + POINTS[:, 1]
    assert found[:, 0] == pytest.approx(far * np.sin(around), abs=4e-3 * radius)
    assert found[:, 1] == pytest.approx(far * np.cos(around), abs=4e-3 * radius)
    assert np.array_equal(found[:, 2], POINTS[:, 2])


def test_a_point_on_a_path_goes_the_same_way_alone_and_among_many():
    rows = on_a_ring(2.0, 0.7)
    among = bent(rows, POINTS)
    for k in (0, 255, 256, 599):
        assert np.array_equal(bent(rows, POINTS[k : k + 1])[0], among[k])
    off = rows.copy()
    off[TRACKS, AMOUNT] = 0
    assert np.array_equal(bent(off, POINTS), POINTS)


def test_normals_on_a_path_are_those_of_the_bent_surface():
    rows = on_a_ring(1.5)
    normals = np.random.default_rng(3).normal(size=(len(POINTS), 3))
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    found = turned(rows, POINTS, bent(rows, POINTS), np.arange(len(POINTS)), normals)
    ways = np.eye(3) * 1e-6
    stretch = np.stack([(bent(rows, POINTS + way) - bent(rows, POINTS - way)) / 2e-6 for way in ways], -1)
    expected = np.einsum("nji,nj->ni", np.linalg.inv(stretch), normals)
    expected /= np.linalg.norm(expected, axis=1, keepdims=True)
    cosine = np.einsum("ij,ij->i", found, expected)
    assert np.quantile(cosine, 0.02) > np.cos(np.radians(0.05))  # but for those where two arcs meet


def test_beyond_its_stretch_a_letter_goes_on_straight():
    rows = on_a_ring(2.0)
    out = np.column_stack([np.linspace(0.5, 3, 50), np.zeros((50, 2))])
    way = np.diff(bent(rows, out), axis=0)
    assert way == pytest.approx(np.tile(way[0], (49, 1)), abs=1e-12)
    assert np.linalg.norm(way, axis=1) == pytest.approx(2.5 / 49)
