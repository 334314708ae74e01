"""One block that becomes another: whole at both ends, in pieces between, each piece from one place to the other."""

from __future__ import annotations

import numpy as np
import pytest

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.draft.notes import notes
from moss_crown.core.evaluation.becoming import _nearest, _ranked
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame

GOES = {"keys": [{"frame": 10, "value": 0}, {"frame": 40, "value": 1}]}
CUT = {"id": "cut", "kind": "pieces", "number": 6, "reaches": [{"kind": "everywhere", "level": 0}]}
PASSAGE = {"kind": "passage", "passed": GOES, "rough": 0, "each": 0.6}
BECOMES = {"id": "becomes", "kind": "become", "reaches": [PASSAGE]}
CACHE = Cache()


def shot_of(*steps, one="TO", other="SEA", more=(), last=60):
    raw = write_shot(new_shot(text=one, last=last))
    kept = [step for step in raw["steps"] if step["kind"] != "drive"]
    second = kept[0] | {"id": "other", "text": other, "move": [0.5, 0.4, 0.2]} | dict(more)
    return read_shot(raw | {"steps": [kept[0], second, kept[1], *steps, *kept[2:]]})


def moved(shot, frames):
    of = Evaluation(shot, CACHE)
    structure = of.structure(0)
    return of, structure, of.moved(structure, np.asarray(frames, float))


def test_at_its_ends_the_one_is_whole_and_nothing_is_there_of_the_other():
    of, structure, (one, other) = moved(shot_of(CUT, BECOMES), [0.0, 10.0, 25.0, 40.0, 60.0])
    assert one.apart.whole.all(1).tolist() == [True, True, False, False, False]
    assert other.apart.whole.all(1).tolist() == [False, False, False, True, True]
    for block, frame in ((other, 0), (one, 4)):
        assert np.abs(block.apart.ways[frame, :, :, :3]).max() < 1e-12  # as large as a point
    plain = Evaluation(shot_of(CUT), CACHE).moved(structure, np.array([60.0]))
    assert np.array_equal(other.poses[-1], plain[1].poses[0])
    assert 36 <= of.rest_frame() <= 40


def test_each_piece_goes_from_its_place_to_that_of_the_one_that_it_is_matched_with():
    still = BECOMES | {
        "bow": [0, 0, 0],
        "spread": 0,
        "turn": [0, 0, 0],
        "scope": "block",
        "reaches": [PASSAGE | {"each": 1}],
    }
    frames = np.linspace(10, 40, 31)
    _of, _structure, (one, other) = moved(shot_of(CUT, still), frames)

    def places(block):
        pieces = block.apart.pieces
        poses = block.apart.poses(block.poses)
        return (poses[..., :3, :3] @ pieces.middles[:, :, None])[..., 0] + poses[..., :3, 3]

    at, to = places(one), places(other)
    ends = to[-1]
    gone = np.linalg.norm(at - at[:1], axis=2)
    near = np.linalg.norm(at[-1][:, None] - ends[None], axis=2)
    assert near.min(1).max() < 1e-9  # each comes to where one of the other lies
    assert (np.diff(gone, axis=0) > -1e-9).all()
    begun = np.linalg.norm(to[0][:, None] - at[0][None], axis=2)
    assert begun.min(1).max() < 1e-9  # and each of the other begins where one lies
    # Straight ways, and all as far as the reach says.
    share = (gone / gone[-1]).mean(1)
    assert np.abs(gone / gone[-1] - share[:, None]).max() < 1e-6


def test_sizes_go_over_into_each_other_and_no_two_are_there_at_once():
    frames = np.linspace(10, 40, 61)
    _of, _structure, (one, other) = moved(shot_of(CUT, BECOMES | {"scope": "block"}), frames)
    there = [np.abs(np.linalg.det(block.apart.ways[..., :3])) > 1e-12 for block in (one, other)]
    first, second = (found.mean(1) for found in there)
    assert set(np.unique(first)) <= {0.0, 1.0} and (first + second == 1).all()


@pytest.mark.parametrize("matched", ["place", "order", "size", "chance"])
def test_every_piece_has_a_partner(matched):
    _of, _structure, (one, other) = moved(shot_of(CUT, BECOMES | {"matched": matched}), [25.0, 40.0])
    assert np.isfinite(one.apart.ways).all() and np.isfinite(other.apart.ways).all()
    assert other.apart.whole[-1].all()


def test_pairs_are_as_near_as_may_be_and_ranks_are_spread():
    a, b = np.array([(0.0, 0, 0), (1, 0, 0), (0.5, 0, 0)]), np.array([(1.0, 0, 0), (0, 0, 0)])
    forth, back = _nearest(a, b)
    assert forth[:2].tolist() == [1, 0] and back.tolist() == [1, 0]
    ranks = _ranked(np.array([2, 0, 1, 3]), np.array([5, 6]))
    assert ranks.tolist() == [5, 6, 5, 6] and set(_ranked(np.array([1, 0]), np.array([2, 0, 1, 3])).tolist()) == {2, 1}


def test_what_is_not_cut_goes_letter_by_letter_and_an_order_of_frames_does_not_matter():
    shot = shot_of(BECOMES)
    of, structure, (one, other) = moved(shot, [0.0, 22.0, 60.0])
    assert one.apart is None and one.poses.shape[1] == 2
    assert np.abs(one.poses[-1, :, :3, :3]).max() == 0 and np.abs(other.poses[0, :, :3, :3]).max() == 0
    alone = Evaluation(shot, CACHE).moved(structure, np.array([22.0]))
    assert np.array_equal(alone[0].poses[0], one.poses[1])
    order = FrameOrder(64, 36, 2, denoise=False)
    cut = shot_of(CUT, BECOMES)
    here = render_frame(Evaluation(cut, Cache()), 22, order).beauty
    of = Evaluation(cut, CACHE)
    render_frame(of, 30, order)
    assert np.array_equal(render_frame(of, 22, order).beauty, here)


def test_the_same_value_takes_it_back():
    keys = [{"frame": 10, "value": 0}, {"frame": 30, "value": 1}, {"frame": 50, "value": 0}]
    back = BECOMES | {"reaches": [PASSAGE | {"passed": {"keys": keys}}]}
    _of, _structure, (one, other) = moved(shot_of(CUT, back), [10.0, 30.0, 50.0])
    assert one.apart.whole[2].all() and other.apart.whole[1].all() and not other.apart.whole[2].any()


def test_blocks_are_named_and_where_none_are_it_says_so():
    named = BECOMES | {"what": "other", "into": "block"}
    of, _, (one, other) = moved(shot_of(CUT, named), [0.0, 60.0])
    assert other.apart.whole[0].all() and one.apart.whole[1].all() and not one.apart.whole[0].any()
    of, _, blocks = moved(shot_of(CUT, BECOMES | {"into": "gone"}), [25.0])
    assert blocks[0].apart is None or blocks[0].apart.whole.all()
    assert "motion.becomes_nothing" in [note.code for note in notes(of, 0.0)]
    of, _structure, blocks = moved(shot_of(CUT, BECOMES | {"on": False}), [25.0])
    assert all(block.apart is None or block.apart.whole.all() for block in blocks)
    assert "motion.becomes_nothing" not in [note.code for note in notes(of, 0.0)]
