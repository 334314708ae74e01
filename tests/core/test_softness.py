"""Letters that are soft: blurred over a disc that faces the camera, by standing about in it through the shutter."""

from dataclasses import replace

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.scene import SOFT_POSES
from moss_crown.core.motion.poses import softened
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame


def soft_shot(softness, **offset):
    """One letter that everything holds at the full strength of a drive."""
    shot = new_shot(text="I")
    drive = next(k for k, s in enumerate(shot.steps) if s.kind == "drive")
    put = {"reaches": [{"kind": "everywhere"}], "offset": {"softness": softness, **offset}}
    return patched(
        write_shot(shot), [{"op": "replace", "path": f"/steps/{drive}/{name}", "value": v} for name, v in put.items()]
    )


def path(radius, cameras):
    """A letter's places while the shutter is open, densely: between two moments it goes straight."""
    found = softened(np.zeros((SOFT_POSES, 2, 4, 4)), np.array([radius, 0.0]), cameras)[..., :3, 3]
    assert (found[:, 1] == 0).all()
    share = np.linspace(0, 1, 50, endpoint=False)[:, None, None]
    return (found[None, :-1, 0] * (1 - share) + found[None, 1:, 0] * share).reshape(-1, 3)


def test_softness_spreads_like_an_even_disc_that_faces_the_camera():
    turn = np.eye(4)
    turn[:3, :3] = [[0, 0, 1], [0, 1, 0], [-1, 0, 0]]  # a camera that looks along x
    places = path(0.5, np.broadcast_to(turn, (SOFT_POSES, 4, 4)))
    assert places[:, 0] == pytest.approx(0)
    assert places.mean(0) == pytest.approx(0, abs=0.02)
    assert (places[:, 1:] ** 2).mean(0) == pytest.approx(0.25 / 4, rel=0.05)
    assert (places[:, 1] * places[:, 2]).mean() == pytest.approx(0, abs=0.25 / 80)


def test_softness_goes_by_the_reach_and_by_the_size_of_the_letters():
    shot = soft_shot(0.2)
    (block,) = Evaluation(shot).moved(Evaluation(shot).structure(0), np.arange(5.0))
    assert block.wear.soft == pytest.approx(0.2 * shot.steps[0].size)
    half = patched(write_shot(shot), [{"op": "replace", "path": "/steps/2/strength", "value": 0.5}])
    assert half.steps[2].kind == "drive"
    assert Evaluation(half).moved(Evaluation(half).structure(0), np.arange(5.0))[0].wear.soft == pytest.approx(
        0.1 * shot.steps[0].size
    )
    sharp = soft_shot(0.0)
    assert Evaluation(sharp).moved(Evaluation(sharp).structure(0), np.arange(5.0))[0].wear.soft is None
    assert len(Evaluation(sharp).scene(60, 1).letters[0].poses) == 1


def _alpha(softness):
    shot = soft_shot(softness).model_copy(update={"width": 96, "height": 96})
    stage = next(k for k, s in enumerate(shot.steps) if s.kind == "stage")
    shot = patched(write_shot(shot), [{"op": "remove", "path": f"/steps/{stage}"}])
    order = FrameOrder(96, 96, 64, denoise=False, alpha=True)
    return render_frame(Evaluation(shot), 60, order).alpha[..., 0]


def test_edges_of_soft_letters_run_out_over_their_disc_and_nothing_is_lost():
    sharp, soft = _alpha(0.0), _alpha(0.1)
    assert soft.sum() == pytest.approx(sharp.sum(), rel=0.02)
    row = slice(40, 56)  # across the stem
    width = sharp[row].mean(0).sum()
    cap = (sharp.sum(1) > 0.5 * width).sum()  # of the letter, so many rows
    by = path(0.1 * cap, np.broadcast_to(np.eye(4), (SOFT_POSES, 4, 4)))[:, 0]
    at = np.arange(96.0)
    expected = np.mean([np.interp(at - shift, at, sharp[row].mean(0)) for shift in by], 0)
    assert np.abs(soft[row].mean(0) - expected).max() < 0.06
    assert (np.abs(sharp[row].mean(0) - expected) > 0.3).any()


def test_a_soft_frame_has_the_same_bits_every_time():
    one, two = (render_frame(Evaluation(soft_shot(0.1)), 60, FrameOrder(32, 32, 4, denoise=False)) for _ in range(2))
    assert (one.beauty == two.beauty).all()
    other = replace(FrameOrder(32, 32, 4, denoise=False), threads=2)
    assert (render_frame(Evaluation(soft_shot(0.1)), 60, other).beauty == one.beauty).all()
