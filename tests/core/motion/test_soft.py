"""Deformers among the steps of a recipe: where their axes stand, what carries bent letters on, and what they feel."""

from __future__ import annotations

import numpy as np
import pytest

from letters import still_shot
from moss_crown.core.deform.chain import bent
from moss_crown.core.deform.rows import AMOUNT
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation


def seen(shot, frame=0.0, at=((0.0, 0.5, 0.0), (0.4, 0.0, 0.1), (0.1, 1.0, -0.1))):
    """(l, n, 3) where places of each letter's own space are in the world."""
    of = Evaluation(shot)
    structure = of.structure(frame)
    (moved,) = of.moved(structure, np.array([frame]))
    points = np.array(at)
    found = []
    for k, pose in enumerate(moved.poses[0]):
        own = points if moved.bends is None else bent(moved.bends[0, k], points)
        found.append(own @ pose[:3, :3].T + pose[:3, 3])
    return np.array(found)


BEND = {"id": "bend", "kind": "bend", "angle": 120.0}
WAVE = {"id": "wave", "kind": "wave", "crests": "endless", "height": 0.4, "width": 2.5}
TURN = {"move": [0.4, 1.0, -0.3], "turn": [-80.0, 25.0, 10.0]}


def turned(points, move, turn):
    shot = still_shot(text="I", block={"move": move, "turn": turn})
    of = Evaluation(shot)
    pose = of.poses(of.structure(0), np.zeros(1))[0, 0] @ np.linalg.inv(
        Evaluation(still_shot(text="I")).poses(of.structure(0), np.zeros(1))[0, 0]
    )
    return points @ pose[:3, :3].T + pose[:3, 3]


@pytest.mark.parametrize("step", [BEND, WAVE, {"id": "curl", "kind": "curl"}])
def test_turning_and_moving_a_block_leaves_what_bends_in_it_as_it_is(step):
    still, carried = seen(still_shot(step)), seen(still_shot(step, block=TURN))
    assert carried == pytest.approx(turned(still, **TURN), abs=1e-9)


def test_in_the_world_letters_go_through_what_bends():
    world = WAVE | {"space": "world", "centre": {"about": "block", "own": [0.0, 0.0, 0.0]}}
    flat = seen(still_shot(block={"move": [0.7, 0.0, 0.0]}))
    lifted = seen(still_shot(world, block={"move": [0.7, 0.0, 0.0]}))
    x = flat[..., 0]
    expected = 0.4 * (0.5 + 0.5 * np.cos(2 * np.pi * x / 2.5))
    assert lifted - flat == pytest.approx(np.stack([0 * x, expected, 0 * x], -1), abs=1e-6)


def test_a_drive_below_carries_bent_letters_on_and_one_above_moves_them_through():
    lift = {"id": "up", "kind": "drive", "offset": {"move": [0.0, 2.0, 0.0]}, "reaches": [{"kind": "everywhere"}]}
    bent_first, plain = seen(still_shot(BEND, lift)), seen(still_shot(BEND))
    assert bent_first == pytest.approx(plain + [0, 2, 0], abs=1e-9)
    moved_first = seen(still_shot(lift, BEND))
    # Higher up in the same arch letters lie farther out, and so farther apart.
    assert np.ptp(moved_first[:, 0, 0]) > np.ptp(plain[:, 0, 0]) + 0.5


def test_a_bend_about_the_block_is_one_arch_and_about_letters_as_many():
    arch = seen(still_shot(BEND))[:, 0]
    middle = (arch[0] + arch[-1]) / 2
    assert arch[5, 1] > middle[1] + 1  # its ends go down
    own = seen(still_shot(BEND | {"centre": {"about": "letter"}, "space": "letter"}))[:, 0]
    flat = seen(still_shot())[:, 0]
    assert np.abs(own - flat)[:, :2].max() < 0.5


@pytest.mark.parametrize("level", [0.25, 0.5])
def test_half_of_a_reach_is_half_of_the_amount_and_keeps_lengths(level):
    half = seen(still_shot(BEND | {"reaches": [{"kind": "everywhere", "level": level}]}))
    assert half == pytest.approx(seen(still_shot(BEND | {"angle": 120.0 * level})), abs=1e-9)


def test_letters_feel_a_deformer_one_after_the_other():
    twist = {"id": "t", "kind": "twist", "space": "letter", "centre": {"about": "letter"}, "about": "vertical"}
    cadence = {"kind": "cadence", "way": "arrive", "start": 10, "delay": 4, "duration": 8}
    of = Evaluation(still_shot(twist | {"reaches": [cadence]}))
    structure = of.structure(0)
    (moved,) = of.moved(structure, np.arange(73.0))
    amount = moved.bends[:, :, 0, AMOUNT]
    for k in range(len(structure.letters)):
        assert (amount[: 10 + 4 * k + 1, k] == amount[0, k]).all()
        assert (amount[10 + 4 * k + 8 :, k] == 0).all()
    assert of.timing(structure, np.arange(73.0)).rest == pytest.approx(10 + 4 * np.arange(11) + 8)


def test_a_follow_through_swings_the_amount_past_its_end():
    cadence = {"kind": "cadence", "way": "arrive", "start": 5, "delay": 0, "duration": 6}
    follow = {"id": "f", "kind": "follow", "damping": 0.1}
    (moved,) = Evaluation(still_shot(BEND | {"reaches": [cadence]}, follow)).moved(
        Evaluation(still_shot()).structure(0), np.arange(73.0)
    )
    amount = moved.bends[:, 0, 0, AMOUNT]
    assert amount[0] == pytest.approx(np.radians(120)) and amount.min() < -0.1 * amount[0]
    off = follow | {"bend": False}
    (moved,) = Evaluation(still_shot(BEND | {"reaches": [cadence]}, off)).moved(
        Evaluation(still_shot()).structure(0), np.arange(73.0)
    )
    assert moved.bends[:, 0, 0, AMOUNT].min() >= 0


def test_a_frame_alone_has_the_same_bits_as_in_a_row():
    ripple = {"id": "r", "kind": "ripple", "loop": 40}
    shot = still_shot(BEND, WAVE, ripple, {"id": "b", "kind": "blast"})
    of = Evaluation(shot)
    structure = of.structure(0)
    (row,) = of.moved(structure, np.arange(100.0) / 3)
    for k in (0, 7, 99):
        (alone,) = Evaluation(shot).moved(structure, np.array([k / 3]))
        assert np.array_equal(alone.bends[0], row.bends[k])


def test_a_ripple_in_a_loop_is_the_same_again():
    ripple = {"id": "r", "kind": "ripple", "loop": 40, "speed": 1.3}
    assert seen(still_shot(ripple), 12.0) == pytest.approx(seen(still_shot(ripple), 52.0), abs=1e-9)
    assert np.abs(seen(still_shot(ripple), 12.0) - seen(still_shot(ripple), 22.0)).max() > 0.01


def test_what_is_switched_off_bends_nothing():
    assert np.array_equal(seen(still_shot(BEND | {"on": False})), seen(still_shot()))


def test_a_letter_without_size_is_left_alone():
    drive = {"id": "d", "kind": "drive", "offset": {"scale": [0.0, 1.0, 1.0]}, "reaches": [{"kind": "everywhere"}]}
    assert np.isfinite(seen(still_shot(drive, BEND))).all()


@pytest.mark.parametrize(
    "step",
    [
        BEND | {"angle": 10_000.0},
        {"id": "c", "kind": "curl", "radius": 0.0},
        {"id": "w", "kind": "wave", "width": 0.0},
        {"id": "w", "kind": "wrap", "radius": 0.0},
    ],
)
def test_what_makes_no_sense_is_refused_by_name(step):
    with pytest.raises(DocumentInvalid, match=r"steps/2/(angle|radius|width)"):
        still_shot(step)


def test_there_are_only_so_many_deformers():
    with pytest.raises(DocumentInvalid, match="8 deformers"):
        still_shot(*(BEND | {"id": f"b{k}"} for k in range(9)))


def test_a_drive_below_turns_letters_about_their_pivots_as_these_are_bent():
    spin = {
        "id": "spin",
        "kind": "drive",
        "pivot": {"place": "baseline"},
        "offset": {"turn": [0.0, 0.0, 90.0]},
        "reaches": [{"kind": "everywhere"}],
    }
    foot = ((0.3, 0.0, 0.0),)
    middle = Evaluation(still_shot()).structure(0).letters[0].centre[0]
    plain, spun = (seen(still_shot(*steps), at=((middle, 0.0, 0.0), *foot)) for steps in ((BEND,), (BEND, spin)))
    assert spun[0, 0] == pytest.approx(plain[0, 0], abs=1e-9)
    assert np.linalg.norm(spun[0, 1] - spun[0, 0]) == pytest.approx(np.linalg.norm(plain[0, 1] - plain[0, 0]))
    assert np.linalg.norm(spun[0, 1] - plain[0, 1]) > 0.05


def test_boxes_go_where_bent_letters_are():
    """They hold the letters as they are bent, turned with them, and a letter that only bends is seen to move."""
    of = Evaluation(still_shot(BEND | {"reaches": [{"kind": "cadence", "start": 5, "delay": 0, "duration": 30}]}))
    structure = of.structure(0)
    frames = np.arange(0.0, 73.0, 9.0)
    boxed, (moved,) = of.boxed(structure, frames), of.moved(structure, frames)
    for f, k in np.ndindex(len(frames), len(structure.letters)):
        box = structure.boxes[k]
        inner = np.random.default_rng(k).uniform(box.min(0), box.max(0), (200, 3))
        pose = moved.poses[f, k]
        there = bent(moved.bends[f, k], inner) @ pose[:3, :3].T + pose[:3, 3]
        local = (there - boxed[f, k, :3, 3]) @ np.linalg.inv(boxed[f, k, :3, :3]).T
        slack = 0.02 * np.ptp(box, axis=0) + 0.01
        assert (local > box.min(0) - slack).all() and (local < box.max(0) + slack).all()
    assert np.array_equal(boxed[-1], moved.poses[-1])
    speeds = of.timing(structure, np.arange(73.0)).speeds
    assert speeds[0, 15:20, 0].min() > 0.1 and speeds[0, 45:].max() == 0


def test_letters_that_bend_into_the_floor_are_told_of():
    shot = still_shot(BEND)
    of = Evaluation(shot)
    structure = of.structure(0)
    found = of.contacts(structure, np.array([10.0]))
    assert found[0, 0] & 2 and found[0, -1] & 2 and not found[0, 5] & 2
