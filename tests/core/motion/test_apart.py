"""Letters that a follow-through brings together keep a gap, and give way no more than they must."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.motion import DriveStep, FollowStep, Offset
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.motion.apart import Row, kept_apart
from moss_crown.core.motion.poses import Act, Channel, moved_poses, rest_poses

BOX = np.array([(x, y, z) for x in (0.0, 1.0) for y in (0.0, 1.0) for z in (-0.1, 0.1)])
STILL = np.zeros((1, 1, 3))


def row(*places):
    """Boxes of width 1 along a line."""
    rest = np.repeat(np.eye(4)[None], len(places), 0)
    rest[:, 0, 3] = places
    first = np.arange(len(places) - 1)
    return Row(rest, np.repeat(BOX[None], len(places), 0), np.stack([first, first + 1], 1))


def moves(by):
    """An act that moves letters along x: (f, l)."""
    by = np.asarray(by, float)
    offset = np.zeros((*by.shape, 3))
    offset[..., 0] = by
    reach = np.ones((len(by), 1))
    return Act(Channel(reach, offset), Channel(reach, STILL), Channel(reach, STILL), np.zeros((1, by.shape[1], 3)))


def left(now, after, letters, gap):
    """Where letters end up along x: (f, l)."""
    kept = kept_apart([moves(now)], [moves(after)], letters, np.full(len(now), float(gap)))
    return moved_poses(rest_poses(letters.rest, len(now)), kept)[..., 0, 3]


def test_letters_that_stay_apart_follow_wholly():
    found = left([[0, 0, 0]], [[0.2, 0.2, 0.1]], row(0, 1.5, 3), 0.1)
    assert found == pytest.approx(np.array([[0.2, 1.7, 3.1]]), abs=1e-12)


def test_two_that_meet_in_the_middle_go_as_far_as_the_gap_allows():
    # Apart by 0.6; each would go 0.5 towards the other: a gap of 0.2 leaves each 0.2, which is four tenths.
    found = left([[0, 0]], [[0.5, -0.5]], row(0, 1.6), 0.2)
    assert found == pytest.approx(np.array([[0.2, 1.4]]), abs=1e-6)


def test_letters_that_stand_closer_than_the_gap_come_no_closer():
    assert left([[0, 0]], [[0.05, 0]], row(0, 1.1), 0.5) == pytest.approx(np.array([[0, 1.1]]), abs=1e-6)


def test_what_leaves_in_another_direction_is_apart():
    letters = row(0, 1.2)
    up = moves([[0.0, 0.0]])
    offset = np.zeros((1, 2, 3))
    offset[0, 0] = (1.2, 1.5, 0)  # over its neighbour, but above it
    risen = Act(Channel(np.ones((1, 1)), offset), up.turn, up.scale, up.pivots)
    (act,) = kept_apart([up], [risen], letters, np.array([0.1]))
    assert moved_poses(letters.rest[None], [act])[0, 0, :3, 3] == pytest.approx([1.2, 1.5, 0])


def lists(count):
    return st.lists(st.floats(-2, 2), min_size=count, max_size=count)


@settings(max_examples=60)
@given(
    st.lists(st.floats(1.0, 1.8), min_size=2, max_size=5).flatmap(
        lambda widths: st.tuples(st.just(widths), lists(len(widths) + 1), lists(len(widths) + 1))
    ),
    st.floats(0, 0.6),
)
def test_no_two_come_closer_than_the_gap_or_than_they_were(case, gap):
    widths, now, after = case
    letters = row(*np.concatenate([[0], np.cumsum(widths)]))
    before, found = (
        # Along x, on either side; where boxes meet there, they do along z by their depth.
        np.maximum(np.maximum(way - 1, -way - 1), -0.2)
        for way in (np.diff(letters.rest[:, 0, 3] + now), np.diff(left([now], [after], letters, gap)[0]))
    )
    assert (found >= np.minimum(gap, before) - 1e-6).all()


@given(st.lists(lists(3), min_size=2, max_size=6))
def test_frames_know_nothing_of_one_another(after):
    letters = row(0, 1.3, 2.6)
    now = np.zeros((len(after), 3))
    together = left(now, after, letters, 0.1)
    for k in range(len(after)):
        assert (left(now[k : k + 1], after[k : k + 1], letters, 0.1)[0] == together[k]).all()


def swinging(**more):
    raw = write_shot(new_shot(text="SALT ROADS"))
    drive = DriveStep(id="arrive", offset=Offset(spacing=0.9))
    follow = FollowStep(id="spring", tempo=1.5, damping=0.1, **more)
    raw["steps"] = [*raw["steps"][:2], drive.model_dump(mode="json"), follow.model_dump(mode="json"), *raw["steps"][3:]]
    return read_shot(raw)


def least_gap(shot):
    frames = np.arange(shot.first, shot.last + 1, dtype=float)
    structure = Evaluation(shot).structure(shot.first)
    poses = Evaluation(shot).poses(structure, frames)
    corners = np.einsum("flij,lcj->flci", poses[..., :3, :3], structure.boxes) + poses[:, :, None, :3, 3]
    low, high = corners[..., 0].min(2), corners[..., 0].max(2)
    return (low[:, 1:] - high[:, :-1]).min(0), poses


def test_a_title_that_swings_together_keeps_its_letters_apart():
    free, loose = least_gap(swinging())
    kept, held = least_gap(swinging(apart=True, gap=0.01))
    still, _ = least_gap(swinging(strength=0))
    wanted = np.minimum(0.01 * 1.0, still)
    assert (free < wanted - 0.05).any(), "without it letters run into each other"
    assert (kept > wanted - 1e-5).all()
    assert (held != loose).any() and held[-1] == pytest.approx(loose[-1], abs=0.05)
