"""Blocks in their places: aligned, spaced and fitted as they are really seen."""

from itertools import pairwise

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch, read_shot, write_shot
from moss_crown.core.document.shot import Shot
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.proposals.arranging import _seen, align, fit_width, hang, lean, space_evenly, stand


def shot_of(*texts, fit=0.0, **first):
    raw = write_shot(new_shot(text=texts[0]))
    raw["steps"][0] |= first
    for k, text in enumerate(texts[1:]):
        extra = {
            "kind": "block",
            "id": f"more{k}",
            "text": text,
            "size": 0.5,
            "move": [0.7 * k - 1, 1.9 * k + 1.6, 0.3],
        }
        raw["steps"].insert(1, extra)
    raw["steps"][-1] |= {"fit": fit, "place": [1.0, 1.6, 15.0], "aim": [0.2, 1.0, 0.0]}
    return read_shot(raw)


def after(shot, patch):
    return apply_patch(shot, patch)[0]


@pytest.mark.parametrize("to", ["frame", "action_safe", "title_safe"])
@pytest.mark.parametrize(
    ("side", "sign"), [("left", -1), ("right", 1), ("top", 1), ("bottom", -1), ("centre", 0), ("middle", 0)]
)
@pytest.mark.parametrize("fit", [0.0, 0.7])
def test_a_side_lies_exactly_on_that_of_the_area(to, side, sign, fit):
    shot = shot_of("SALT", fit=fit)
    box = _seen(after(shot, align(shot, 72.0, "block", side, to)), 72.0, "block")
    axis = 0 if side in ("left", "right", "centre") else 1
    here = {-1: box[0, axis], 1: box[1, axis], 0: box[:, axis].mean()}[sign]
    assert here == pytest.approx(sign * {"frame": 1, "action_safe": 0.93, "title_safe": 0.9}[to], abs=2e-3)


def test_a_turned_block_of_several_is_aligned_as_it_is_seen():
    shot = shot_of("SALT", "ROADS", turn=[0, 40, 0])
    box = _seen(after(shot, align(shot, 72.0, "block", "right", "title_safe")), 72.0, "block")
    assert box[1, 0] == pytest.approx(0.9, abs=2e-3)


@pytest.mark.parametrize("side", ["left", "centre", "right", "top", "middle", "bottom"])
def test_blocks_are_aligned_to_each_other(side):
    shot = shot_of("SALT ROADS", "TIDE")
    corners = Evaluation(after(shot, align(shot, 72.0, "more0", side, "blocks"))).block_corners(72.0)
    boxes = [np.stack([c.min(0), c.max(0)]) for c in corners.values()]
    axis = 0 if side in ("left", "right", "centre") else 1
    place = {"left": 0, "bottom": 0, "right": 1, "top": 1}.get(side)
    found = [b[place, axis] if place is not None else b[:, axis].mean() for b in boxes]
    assert found[0] == pytest.approx(found[1], abs=1e-5)


def test_gaps_become_equal_and_the_ends_stay():
    shot = shot_of("SALT", "ROADS", "TIDE", "LOW")
    before = Evaluation(shot).block_corners(72.0)
    corners = Evaluation(after(shot, space_evenly(shot, 72.0))).block_corners(72.0)
    boxes = sorted(([c[:, 1].min(), c[:, 1].max()] for c in corners.values()), key=sum)
    gaps = [high[0] - low[1] for low, high in pairwise(boxes)]
    assert gaps == pytest.approx([gaps[0]] * 3, abs=1e-5)
    assert corners["block"] == pytest.approx(before["block"])


@pytest.mark.parametrize("share", [0.2, 0.55, 1.0])
@pytest.mark.parametrize("texts", [("SALT",), ("SALT", "ROADS")])
def test_a_block_takes_its_share_of_the_width(share, texts):
    shot = shot_of(*texts)
    box = _seen(after(shot, fit_width(shot, 72.0, "block", share)), 72.0, "block")
    assert np.ptp(box[:, 0]) / 2 == pytest.approx(share, rel=2e-3)


def test_keys_are_shifted_as_a_whole():
    keys = [{"frame": 0, "value": [0, 0, 0]}, {"frame": 50, "value": [1, 2, 3]}]
    shot = shot_of("SALT", "ROADS", move={"keys": keys})
    moved = after(shot, align(shot, 50.0, "block", "left", "frame")).steps[0].move.keys
    change = np.array(moved[1].value) - np.array(moved[0].value)
    assert change == pytest.approx([1, 2, 3], abs=1e-5)


def test_what_cannot_be_arranged_is_refused():
    shot = shot_of("SALT")
    with pytest.raises(DocumentInvalid, match="no other block"):
        align(shot, 0.0, "block", "left", "blocks")
    with pytest.raises(DocumentInvalid, match="three blocks"):
        space_evenly(shot, 0.0)
    with pytest.raises(DocumentInvalid, match="frame's width"):
        fit_width(shot, 0.0, "block", 0.0)


def on_stage(text: str, **stage: object) -> Shot:
    shot = new_shot(text=text)
    steps = [s.model_copy(update=stage) if s.kind == "stage" else s for s in shot.steps]
    return shot.model_copy(update={"steps": steps})


def feet(shot: Shot) -> np.ndarray:
    """(l, 3) where the letters' origins stand in the world at rest."""
    return Evaluation(shot).poses(Evaluation(shot).structure(72), np.array([200.0]))[0, :, :3, 3]


@pytest.mark.parametrize("radius", [4.0, 25.0])
def test_letters_stand_on_a_globe_around_it(radius):
    shot = on_stage("HIGH\nWATER", shape="globe", radius=radius)
    standing = apply_patch(shot, stand(shot, 72, "block"))[0]
    poses = Evaluation(standing).poses(Evaluation(standing).structure(72), np.array([200.0]))[0]
    # Each letter's foot is a tangent of the globe.
    above = ((poses[:, :3, 3] - (0, -radius, 0)) * poses[:, :3, 1]).sum(1)
    assert above[-5:] == pytest.approx(radius, abs=1e-5)
    assert (above[:-5] > radius + 0.5).all()
    again = apply_patch(standing, stand(standing, 72, "block"))[0]
    assert feet(again) == pytest.approx(feet(standing), abs=1e-5)


def test_each_line_stands_on_a_step_of_its_own():
    shot = on_stage("LOW\nTIDE\nTABLE", shape="steps", rise=0.3, run=0.5, wall_distance=1.0)
    standing = apply_patch(shot, stand(shot, 72, "block"))[0]
    at = feet(standing)
    assert at[:, 1] == pytest.approx([0.6] * 3 + [0.3] * 4 + [0.0] * 5, abs=1e-5)
    assert at[:, 2] == pytest.approx([-1.75] * 3 + [-1.25] * 4 + [0.0] * 5, abs=1e-5)
    again = apply_patch(standing, stand(standing, 72, "block"))[0]
    assert feet(again) == pytest.approx(at, abs=1e-5)
    assert len(again.steps[0].patterns) == 2


def test_a_block_that_floats_is_put_on_the_floor():
    shot = on_stage("TIDE", shape="sweep")
    floating = apply_patch(shot, [{"op": "replace", "path": "/steps/0/move", "value": [0, 2, 0]}])[0]
    down = apply_patch(floating, stand(floating, 72, "block"))[0]
    assert Evaluation(down).block_corners(72)["block"][:, 1].min() == pytest.approx(0, abs=1e-6)


def test_without_a_stage_nothing_can_be_stood_on():
    with pytest.raises(DocumentInvalid, match="nothing to stand on"):
        stand(on_stage("TIDE", on=False), 72, "block")


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (0.0, 25.0, 0.0)])
def test_a_block_hangs_on_the_wall(turn):
    shot = on_stage("TIDE", wall_distance=2.5)
    raised = apply_patch(shot, [{"op": "replace", "path": "/steps/0/move", "value": [0.3, 2, 0]}])[0]
    raised = apply_patch(raised, [{"op": "replace", "path": "/steps/0/turn", "value": list(turn)}])[0]
    hung = apply_patch(raised, hang(raised, 72, "block"))[0]
    assert Evaluation(hung).block_corners(72)["block"][:, 2].min() == pytest.approx(-2.5, abs=1e-6)
    assert feet(hung)[:, :2] == pytest.approx(feet(raised)[:, :2], abs=1e-6)
    assert hang(hung, 72, "block")[0]["value"] == pytest.approx(hung.steps[0].move, abs=2e-6)


@pytest.mark.parametrize("angle", [5.0, 12.0, 60.0])
def test_a_block_leans_between_floor_and_wall(angle):
    shot = on_stage("HIGH\nTIDE", wall_distance=3.0)
    leaning = apply_patch(shot, lean(shot, 72, "block", angle))[0]
    corners = Evaluation(leaning).block_corners(72)["block"]
    assert corners.min(0)[1:] == pytest.approx([0, -3], abs=1e-5)
    # By the angle: the letters' own way up points that far back.
    up = Evaluation(leaning).poses(Evaluation(leaning).structure(72), np.array([200.0]))[0, 0, :3, 1]
    assert up == pytest.approx([0, np.cos(np.radians(angle)), -np.sin(np.radians(angle))], abs=1e-9)
    again = apply_patch(leaning, lean(leaning, 72, "block", angle))[0]
    assert Evaluation(again).block_corners(72)["block"] == pytest.approx(corners, abs=1e-5)


def test_a_block_that_turns_cannot_lean_and_without_a_wall_nothing_hangs():
    keys = {"keys": [{"frame": 0, "value": [0, 0, 0]}, {"frame": 9, "value": [0, 90, 0]}]}
    turning = apply_patch(on_stage("TIDE"), [{"op": "replace", "path": "/steps/0/turn", "value": keys}])[0]
    with pytest.raises(DocumentInvalid, match="cannot lean"):
        lean(turning, 72, "block", 12)
    for bare in (on_stage("TIDE", on=False), on_stage("TIDE", wall=False), on_stage("TIDE", shape="steps")):
        for arranged in (lambda s: hang(s, 72, "block"), lambda s: lean(s, 72, "block", 12)):
            with pytest.raises(DocumentInvalid, match="no wall"):
                arranged(bare)
