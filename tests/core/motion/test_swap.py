"""Turn and swap: texts change edge-on or behind the back, all holds are alike, and the last text is the block's own."""

from __future__ import annotations

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.motion import SwapStep
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.timing import timing

FRONT = np.array([0.0, 0.0, 1.0])


def swap_shot(own="KESTREL", **swap):
    raw = write_shot(new_shot(text=own, last=120))
    step = SwapStep(id="swap", **({"texts": "TIDE\nSALT | ROADS"} | swap)).model_dump(mode="json")
    raw["steps"] = [*raw["steps"][:2], step, *raw["steps"][3:]]
    return read_shot(raw)


def seen(shot, frame):
    """The text at a frame, and the way that its letters look."""
    of = Evaluation(shot)
    structure = of.structure(frame)
    pose = of.poses(structure, np.array([float(frame)]))[0, 0]
    return "".join(letter.text for letter in structure.letters), pose[:3, :3] @ FRONT


@pytest.mark.parametrize("swaps", ["edge_on", "back"])
@pytest.mark.parametrize("turns", ["right", "left", "up", "down"])
def test_texts_follow_each_other_and_hold_still_for_as_long(swaps, turns):
    shot = swap_shot(start=10, turn=20, hold=8, swaps=swaps, turns=turns)
    for frames, text in (([0, 10], "TIDE"), (range(30, 39), "SALTROADS"), (range(58, 121, 10), "KESTREL")):
        for frame in frames:
            assert seen(shot, frame)[0] == text
            np.testing.assert_allclose(seen(shot, frame)[1], FRONT, atol=1e-9)


def test_edge_on_no_text_is_seen_from_behind_and_it_changes_where_none_is_seen():
    shot = swap_shot(texts="TIDE", start=0, turn=40, hold=0)
    ways = [seen(shot, frame) for frame in np.arange(0, 40.5, 0.5)]
    assert min(way[2] for _, way in ways) > -1e-9
    change = next(k for k, (text, _) in enumerate(ways) if text == "KESTREL")
    assert ways[change - 1][0] == "TIDE" and ways[change][1][2] < 0.25
    assert ways[change - 1][1][0] > 0 > ways[change][1][0]  # it leaves to the right, and comes back from the left


def test_behind_its_back_it_turns_all_the_way():
    shot = swap_shot(texts="TIDE", start=0, turn=40, hold=0, swaps="back")
    ways = [seen(shot, frame) for frame in np.arange(0, 40.5, 0.5)]
    change = next(k for k, (text, _) in enumerate(ways) if text == "KESTREL")
    assert ways[change][1][2] < -0.9


@pytest.mark.parametrize("turns, axis, sign", [("right", 0, 1), ("left", 0, -1), ("up", 1, 1), ("down", 1, -1)])
def test_it_turns_to_the_side_that_is_asked_for(turns, axis, sign):
    assert sign * seen(swap_shot(start=0, turn=40, turns=turns), 6)[1][axis] > 0.05


def test_while_the_shutter_is_open_a_text_turns_on_as_it_was():
    shot = swap_shot(texts="TIDE", start=0, turn=40, hold=0)
    of = Evaluation(shot)
    change = next(f for f in range(40) if seen(shot, f)[0] == "KESTREL")
    structure = of.structure(change - 1)
    ways = of.poses(structure, np.linspace(change - 1, change + 1, 9))[:, 0, :3, :3] @ FRONT
    angles = np.unwrap(np.arctan2(ways[:, 0], ways[:, 2]))
    assert (np.diff(angles) > 0).all() and angles[-1] - angles[0] < 1.0


def test_it_rests_when_its_own_text_has_come_round():
    shot = swap_shot(start=10, turn=20, hold=8)
    of = Evaluation(shot)
    structure = of.structure(120)
    np.testing.assert_allclose(timing(of, structure, np.arange(0.0, 121)).rest, 58, atol=0.5)


def test_switched_off_it_is_the_blocks_own_text():
    assert seen(swap_shot(on=False), 0)[0] == "KESTREL"
