"""Keys moved, scaled, reversed, copied and pasted; another frame rate."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch, write_shot
from moss_crown.core.document.keys import move_keys, paste_keys, retimed
from moss_crown.core.document.kinds import FrameRate
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.values.sampling import sample

MOVE, TURN, LENS = "/steps/0/move", "/steps/0/turn", "/steps/7/lens"


def key(frame, value, **more):
    return {"frame": frame, "value": value, **more}


def keyed_shot():
    patch = [
        {"op": "replace", "path": LENS, "value": {"keys": [key(0, 30), key(10, 40, press=0.3), key(30, 35)]}},
        {"op": "replace", "path": TURN, "value": {"keys": [key(5, [0, 0, 0]), key(20, [0, 90, 0])], "after": "repeat"}},
    ]
    return apply_patch(new_shot(), patch)[0]


def keys(shot, path):
    return [(k["frame"], k["value"]) for k in _at(write_shot(shot), path)["keys"]]


def _at(node, path):
    for part in path.split("/")[1:]:
        node = node[int(part)] if isinstance(node, list) else node[part]
    return node


def test_chosen_keys_of_several_values_move_together():
    shot = apply_patch(keyed_shot(), move_keys(keyed_shot(), {LENS: [10, 30], TURN: [5]}, by=4))[0]
    assert keys(shot, LENS) == [(0, 30), (14, 40), (34, 35)]
    assert keys(shot, TURN) == [(9, [0, 0, 0]), (20, [0, 90, 0])]
    assert _at(write_shot(shot), TURN)["after"] == "repeat"
    assert _at(write_shot(shot), LENS)["keys"][1]["press"] == 0.3


def test_keys_that_land_on_others_take_their_place():
    shot = apply_patch(keyed_shot(), move_keys(keyed_shot(), {LENS: [10]}, by=20))[0]
    assert keys(shot, LENS) == [(0, 30), (30, 40)]


def test_scaling_about_a_frame_and_copies():
    shot = apply_patch(keyed_shot(), move_keys(keyed_shot(), {LENS: [0, 10, 30]}, scale=2, about=10))[0]
    assert [f for f, _ in keys(shot, LENS)] == [-10, 10, 50]
    copied = apply_patch(keyed_shot(), move_keys(keyed_shot(), {LENS: [0, 10]}, by=40, copy=True))[0]
    assert [f for f, _ in keys(copied, LENS)] == [0, 10, 30, 40, 50]


@given(st.floats(0, 1), st.floats(-1, 2), st.floats(0, 1), st.floats(-1, 2), st.floats(-1, 1))
def test_reversed_keys_run_the_value_backward(x1, y1, x2, y2, press):
    ease = {"leave": [x1, y1], "arrive": [x2, y2]}
    run = [
        key(10, 13.0, ease=ease, press=press),
        key(30, 50.0, ease={"leave": [0.1, 0.2], "arrive": [0.5, 1]}),
        key(40, 20.0),
    ]
    shot = apply_patch(new_shot(), [{"op": "replace", "path": LENS, "value": {"keys": run}}])[0]
    back = apply_patch(shot, move_keys(shot, {LENS: [10, 30, 40]}, reverse=True))[0]
    frames = np.linspace(10, 40, 61)
    forth = sample(shot.steps[7].lens, frames)
    assert sample(back.steps[7].lens, 50 - frames) == pytest.approx(forth, abs=1e-6)


@pytest.mark.parametrize(
    ("chosen", "more"),
    [({LENS: [11]}, {}), ({MOVE: [0]}, {}), ({"/steps/9/lens": [0]}, {}), ({LENS: [0, 10]}, {"scale": 1e-9})],
)
def test_keys_that_are_not_there_or_would_meet_are_refused(chosen, more):
    with pytest.raises(DocumentInvalid):
        move_keys(keyed_shot(), chosen, **more)


def test_pasting_to_many_values_spreads_by_a_delay():
    shot = keyed_shot()
    shot = apply_patch(shot, paste_keys(shot, [key(3, 50), key(8, 60)], [LENS, "/steps/7/sensor"], 20, False, 5))[0]
    assert keys(shot, LENS) == [(0, 30), (10, 40), (20, 50), (25, 60), (30, 35)]
    assert keys(shot, "/steps/7/sensor") == [(25, 50), (30, 60)]
    turned = apply_patch(shot, paste_keys(shot, [key(3, 50), key(8, 60)], ["/steps/7/sensor"], 0, True, 0))[0]
    assert keys(turned, "/steps/7/sensor")[:2] == [(0, 60), (5, 50)]
    with pytest.raises(DocumentInvalid):
        apply_patch(shot, paste_keys(shot, [key(0, "red")], [LENS], 0, False, 0))


@pytest.mark.parametrize("rate", [(50, 1), (12, 1), (24000, 1001)])
def test_another_rate_keeps_the_seconds(rate):
    shot = keyed_shot()
    fps = FrameRate(numerator=rate[0], denominator=rate[1])
    new = apply_patch(shot, retimed(shot, fps, "seconds"))[0]
    factor = float(fps.fraction / shot.fps.fraction)
    frames = np.linspace(0.37, 70.1, 50)  # not on a seam of what repeats
    structure = Evaluation(shot).structure(0)
    assert Evaluation(new).poses(Evaluation(new).structure(0), frames * factor) == pytest.approx(
        Evaluation(shot).poses(structure, frames), abs=2e-4
    )
    assert (new.last + 1) / float(fps.fraction) == pytest.approx((shot.last + 1) / 25, abs=0.5 / float(fps.fraction))
    kept = apply_patch(shot, retimed(shot, fps, "frames"))[0]
    assert kept.steps == shot.steps and kept.fps == fps


def test_offsets_keyed_once_reach_letter_after_letter():
    """Keys of a drive's offset, spread: each letter moves as the first did, later."""
    plain = new_shot(text="TIDE")
    drive = next(k for k, s in enumerate(plain.steps) if s.kind == "drive")
    keys = {"keys": [{"frame": 5, "value": [0, 0, 0]}, {"frame": 15, "value": [0, 2, 0]}], "spread": 4}
    everywhere = [{"kind": "everywhere"}]
    moved = apply_patch(
        plain,
        [
            {"op": "replace", "path": f"/steps/{drive}/reaches", "value": everywhere},
            {"op": "replace", "path": f"/steps/{drive}/offset", "value": {"move": keys}},
        ],
    )[0]
    height = Evaluation(moved).poses(Evaluation(moved).structure(0), np.arange(60.0))[:, :, 1, 3]
    assert height[0] + 2 == pytest.approx(height[-1])
    for letter in (1, 2, 3):
        rise = height[:, letter] - height[0, letter]
        assert rise[4 * letter :] == pytest.approx((height[:, 0] - height[0, 0])[: 60 - 4 * letter], abs=1e-12)
    # Twice the frames a second: the same at the same time.
    faster = apply_patch(moved, retimed(moved, FrameRate(numerator=50), "seconds"))[0]
    again = Evaluation(faster).poses(Evaluation(faster).structure(0), np.arange(0, 120.0, 2))[:, :, 1, 3]
    assert again == pytest.approx(height, abs=1e-9)


def test_the_version_put_aside_keeps_its_seconds_too():
    shot = new_shot()
    drive = next(k for k, s in enumerate(shot.steps) if s.kind == "drive")
    aside = {"kind": "drive", "reaches": [{"kind": "cadence", "start": 8, "duration": 20}]}
    shot = apply_patch(shot, [{"op": "replace", "path": f"/steps/{drive}/aside", "value": aside}])[0]
    faster = apply_patch(shot, retimed(shot, FrameRate(numerator=50), "seconds"))[0]
    reach = faster.steps[drive].aside["reaches"][0]
    assert (reach["start"], reach["duration"]) == (16, 40)
