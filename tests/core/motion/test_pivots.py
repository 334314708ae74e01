"""Pivots of letters, words, lines and blocks, and drives that turn about them."""

import numpy as np
import pytest

from letters import setting
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.motion.pivots import pivots
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.path import Baseline

NONE = (0.0, 0.0, 0.0)


def world(letters, points):
    return np.array([(m.pose() @ [*p, 1])[:3] for m, p in zip(letters, points, strict=True)])


@pytest.mark.parametrize("baseline", [Baseline(), Baseline("arc", 4.0), Baseline("drum", 3.0)])
def test_letters_of_a_word_share_their_pivot(baseline):
    letters = set_block(setting("SALT ROADS\nTIDE", baseline=baseline))
    for about, groups in (("word", 3), ("line", 2), ("block", 1)):
        at = world(letters, pivots(letters, about, "centre", NONE, 1.0))
        key = {"word": [m.word for m in letters], "line": [m.line for m in letters], "block": [0] * len(letters)}
        assert len(np.unique(np.round(at, 6), axis=0)) == groups
        for group in set(key[about]):
            own = at[[k == group for k in key[about]]]
            assert np.ptp(own, axis=0) == pytest.approx(0, abs=1e-9)


def test_places_on_a_letter():
    letter = set_block(setting("H"))
    (h,) = letter
    expected = {
        "centre": (*h.centre, 0),
        "baseline": (h.centre[0], 0, 0),
        "cap": (h.centre[0], 1, 0),
        "left": (h.left, h.centre[1], 0),
        "right": (h.right, h.centre[1], 0),
    }
    for place, point in expected.items():
        assert pivots(letter, "letter", place, NONE, 1.0)[0] == pytest.approx(point)
    assert pivots(letter, "letter", "own", (1, 2, 3), 0.5)[0] == pytest.approx((h.centre[0] + 0.5, 1, 1.5))
    assert pivots((), "letter", "centre", NONE, 1.0).shape == (0, 3)


@pytest.mark.parametrize("place", ["baseline", "left", "cap"])
def test_a_turn_leaves_the_pivot_where_it_is(place):
    changes = {"/steps/2/pivot/place": place, "/steps/2/pivot/about": "word", "/steps/2/offset/move": [0, 0, 0]}
    patch = [{"op": "replace", "path": p, "value": v} for p, v in changes.items()]
    shot, _ = apply_patch(new_shot(text="SALT ROADS"), patch)
    structure = Evaluation(shot).structure(0)
    letters = structure.letters
    rest = world(letters, pivots(letters, "word", place, NONE, 1.0))
    local = pivots(letters, "word", place, NONE, 1.0)
    for poses in Evaluation(shot).poses(structure, np.array([0.0, 9.0, 15.5])):
        now = np.array([(p @ [*q, 1])[:3] for p, q in zip(poses, local, strict=True)])
        assert now == pytest.approx(rest, abs=1e-9)


def test_a_pivot_can_be_keyed():
    keys = {"keys": [{"frame": 0, "value": [0, 0, 0]}, {"frame": 10, "value": [0, 1, 0]}]}
    patch = [
        {"op": "replace", "path": "/steps/2/pivot/place", "value": "own"},
        {"op": "replace", "path": "/steps/2/pivot/own", "value": keys},
        {"op": "replace", "path": "/steps/2/offset/move", "value": [0, 0, 0]},
    ]
    shot, _ = apply_patch(new_shot(text="H"), patch)
    structure = Evaluation(shot).structure(0)
    low, high = Evaluation(shot).poses(structure, np.array([0.0, 10.0]))[:, 0]
    middle = structure.letters[0].centre[0]
    assert (low @ [middle, 0, 0, 1])[:3] == pytest.approx([structure.letters[0].x + middle, 0, 0], abs=1e-9)
    assert (high @ [middle, 1, 0, 1])[:3] == pytest.approx([structure.letters[0].x + middle, 1, 0], abs=1e-9)
