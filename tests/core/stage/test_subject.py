"""The camera's subject: followed as far as it moves, and kept sharp."""

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.draft.notes import notes
from moss_crown.core.evaluation.evaluation import Evaluation


def edited(**members):
    """A shot whose letters arrive from two metres to the right, with members of the camera changed."""
    shot = new_shot(text="TIDE SALT")
    at = {step.kind: k for k, step in enumerate(shot.steps)}
    offset = {"move": [2.0, 0.0, 0.0], "turn": [0.0, 0.0, 0.0], "scale": [1.0, 1.0, 1.0]}
    patch = [{"op": "replace", "path": f"/steps/{at['drive']}/offset", "value": offset}]
    patch += [{"op": "replace", "path": f"/steps/{at['camera']}/{k}", "value": v} for k, v in members.items()]
    return patched(write_shot(shot), patch)


BLOCK = {"block": "block", "letter": None}


def test_a_letter_is_where_its_middle_is_and_a_block_in_the_middle_of_its_letters():
    shot = edited()
    frames = np.array([0.0, float(shot.last)])
    letters = np.array(
        [Evaluation(shot).subject_places(type_of({"block": "block", "letter": k}), frames) for k in range(8)]
    )
    assert Evaluation(shot).subject_places(type_of(BLOCK), frames) == pytest.approx(letters.mean(0))
    assert letters[:, 0] - letters[:, 1] == pytest.approx(np.tile([2.0, 0.0, 0.0], (8, 1)), abs=1e-9)
    assert (np.diff(letters[:, 1, 0]) > 0).all(), "reading order runs to the right"


def type_of(subject):
    from moss_crown.core.document.camera import Subject

    return Subject.model_validate(subject)


@pytest.mark.parametrize("share", [1.0, 0.25])
def test_the_camera_goes_along_by_its_share_and_ends_where_it_would_stand(share):
    still, follows = edited(), edited(follow={"block": "block", "letter": 3}, follow_share=share)
    frames = np.arange(0.0, 73.0)
    one, half, _ = Evaluation(still).camera_path(frames, 1.5)
    other, same, _ = Evaluation(follows).camera_path(frames, 1.5)
    away = other[:, :3, 3] - one[:, :3, 3]
    assert away[0] == pytest.approx([2 * share, 0, 0])
    assert away[-1] == pytest.approx([0, 0, 0])
    assert other[:, :3, :3] == pytest.approx(one[:, :3, :3])
    assert same == pytest.approx(half)
    # The same frame alone.
    assert (Evaluation(follows).camera_path(frames[20:21], 1.5)[0][0] == other[20]).all()


def test_focus_stays_on_a_letter_that_comes_nearer():
    shot = edited(focus_on={"block": "block", "letter": 0}, orbit=[0.0, 0.0], fit=0.5)
    offset = {"move": [0.0, 0.0, 3.0], "turn": [0.0, 0.0, 0.0], "scale": [1.0, 1.0, 1.0]}
    drive = next(k for k, step in enumerate(shot.steps) if step.kind == "drive")
    shot = patched(write_shot(shot), [{"op": "replace", "path": f"/steps/{drive}/offset", "value": offset}])
    far = Evaluation(shot).camera(np.array([float(shot.last)]), 1.5).focus
    near = Evaluation(shot).camera(np.array([0.0]), 1.5).focus
    assert far - near == pytest.approx(3.0)
    assert far == pytest.approx(
        Evaluation(edited(orbit=[0.0, 0.0], fit=0.5)).camera(np.array([72.0]), 1.5).focus, abs=0.5
    )


def test_a_subject_that_is_not_there_is_said_and_moves_nothing():
    lost = edited(follow={"block": "elsewhere", "letter": None}, focus_on={"block": "block", "letter": 99})
    frames = np.array([0.0, 30.0])
    assert Evaluation(lost).camera_path(frames, 1.5)[0] == pytest.approx(
        Evaluation(edited()).camera_path(frames, 1.5)[0]
    )
    assert [n.code for n in notes(Evaluation(lost))].count("camera.no_subject") == 2
    assert not [n for n in notes(Evaluation(edited(follow=BLOCK))) if n.code == "camera.no_subject"]
