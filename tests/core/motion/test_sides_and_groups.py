"""Letters that come from several sides, and cadences over words, lines and groups, forward and backward."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.document.motion import Cadence
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.motion.clearance import out_of_frame
from moss_crown.core.motion.reach import Units, cadence_end, cadence_starts

AT = np.zeros(1)
LEFT, ABOVE, RIGHT, BELOW = range(4)


def units(*lines):
    """Letters of words of lines, one metre apart, lines one metre below each other."""
    letters, words, of_line = [], [], []
    for down, line in enumerate(lines):
        across = 0.0
        for word in line.split():
            for _ in word:
                letters.append((across, -float(down), 0.0))
                words.append((down, word))
                of_line.append(down)
                across += 1
            across += 1
    names = list(dict.fromkeys(words))
    within = {
        "word": np.array([names.index(word) for word in words]),
        "line": np.array(of_line),
        "block": np.zeros(len(letters), np.int64),
    }
    places = np.array(letters)
    return Units(places, lambda: places[None], within=within)


def starts(of, **more):
    return cadence_starts(Cadence(start=10, delay=2, duration=8, **more), AT, of)[0].tolist()


TWO = units("AB CD", "EF")


def test_letters_of_one_unit_start_together():
    assert starts(TWO) == [10, 12, 14, 16, 18, 20]
    assert starts(TWO, unit="word") == [10, 10, 12, 12, 14, 14]
    assert starts(TWO, unit="line") == [10, 10, 10, 10, 12, 12]
    assert starts(TWO, unit="block") == [10] * 6


def test_the_order_begins_afresh_in_each_group():
    assert starts(TWO, group="line", group_delay=8) == [10, 12, 14, 16, 18, 20]
    assert starts(TWO, group="line", group_delay=3) == [10, 12, 14, 16, 13, 15]
    assert starts(TWO, group="word", group_delay=5) == [10, 12, 15, 17, 20, 22]
    assert starts(TWO, unit="word", group="line", group_delay=9) == [10, 10, 12, 12, 19, 19]
    assert starts(TWO, order="reverse", group="line", group_delay=9) == [25, 23, 21, 19, 12, 10]


def test_all_within_leaves_room_for_groups():
    found = starts(TWO, group="line", group_delay=6, whole=30)
    assert max(found) + 8 <= 10 + 30 + 1e-9
    assert found[3] - found[0] == pytest.approx(30 - 8 - 6)


orders = st.sampled_from(["reading", "reverse", "centre_out", "edges_in", "shuffled", "axis", "near", "far"])
scopes = st.sampled_from(["letter", "word", "line", "block"])


@given(orders, scopes, st.sampled_from(["none", "word", "line"]), st.floats(-5, 5), st.sampled_from(["arrive", "pass"]))
def test_worked_backward_the_last_is_done_at_the_start(order, unit, group, delay, way):
    cadence = Cadence(
        start=60, delay=delay, duration=7, order=order, unit=unit, group=group, way=way, backward=True, stay=3
    )
    forward = cadence_starts(cadence.model_copy(update={"backward": False}), AT, TWO)[0]
    found = cadence_starts(cadence, AT, TWO)[0]
    assert found.max() + cadence_end(cadence, 0) == pytest.approx(60)
    assert found - found.min() == pytest.approx(forward - forward.min())


@given(orders, st.floats(-5, 5))
def test_a_group_of_all_is_no_group(order, delay):
    alone = Cadence(start=3, delay=delay, order=order)
    one = units("ABCDEFG")
    grouped = Cadence(start=3, delay=delay, order=order, group="line", group_delay=9)
    assert cadence_starts(alone, AT, one) == pytest.approx(cadence_starts(grouped, AT, one))


def sides_of(outside, sides, text="ABCDEFGH"):
    """For each letter, on which side of the frame it stands at first."""
    raw = write_shot(new_shot(text=text))
    drive = next(k for k, step in enumerate(raw["steps"]) if step["kind"] == "drive")
    values = {"move": [0, 0, 0], "turn": [0, 0, 0], "scale": [1, 1, 1], "outside": outside, "sides": sides}
    shot = patched(
        raw, [{"op": "replace", "path": f"/steps/{drive}/offset/{name}", "value": v} for name, v in values.items()]
    )
    of = Evaluation(shot)
    at = np.array([float(shot.first)])
    structure = of.structure(shot.first)
    poses = of.poses(structure, at)
    path = of.camera_path(at, shot.aspect)
    assert out_of_frame(poses, structure.boxes, *path).all(), "all are outside"
    seen = np.einsum("lij,lj->li", poses[0, :, :3, :3], structure.boxes.mean(1)) + poses[0, :, :3, 3]
    local = (seen - path.poses[0, :3, 3]) @ path.poses[0, :3, :3]
    x, y = (local[:, axis] / -local[:, 2] / path.half[0, axis] - path.shift[0, axis] for axis in (0, 1))
    beyond = np.stack([-x, y, x, -y])
    return beyond.argmax(0).tolist()


def test_letters_come_from_one_side_by_turns_or_all_round():
    assert sides_of("left", "alike") == [LEFT] * 8
    assert sides_of("left", "turns") == [LEFT, ABOVE, RIGHT, BELOW] * 2
    assert sides_of("above", "turns") == [ABOVE, RIGHT, BELOW, LEFT] * 2
    assert sides_of("left", "round") == [LEFT, LEFT, ABOVE, ABOVE, RIGHT, RIGHT, BELOW, BELOW]


def test_the_nearest_side_is_the_shortest_way_and_chance_is_the_same_each_time():
    nearest = sides_of("left", "nearest", "ABCDEFGHIJKLMNOPQRSTUVWX")
    assert nearest[0] == LEFT
    assert nearest[-1] == RIGHT
    assert nearest[11] in (ABOVE, BELOW)
    shuffled = sides_of("left", "shuffled", "ABCDEFGHIJKLMNOP")
    assert len(set(shuffled)) > 2
    assert shuffled == sides_of("left", "shuffled", "ABCDEFGHIJKLMNOP")


def test_a_formula_chooses_a_side_for_each_letter():
    formula = {"formula": '"left" if i % 4 == 0 else "above" if i % 4 == 1 else "right" if i % 4 == 2 else "below"'}
    assert sides_of(formula, "alike") == [LEFT, ABOVE, RIGHT, BELOW] * 2
