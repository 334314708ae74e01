"""Letters brought clear of the stage and of each other."""

from __future__ import annotations

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.draft.notes import notes
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.timing import contacts_of
from moss_crown.core.motion.clearance import MEETS, SINKS
from moss_crown.core.proposals.arranging import inside_ring
from moss_crown.core.proposals.clearing import MARGIN, keep_apart, lift_clear
from moss_crown.core.proposals.motion_book import BOOK
from moss_crown.core.proposals.motions import set_motion
from moss_crown.core.stage.staging import grounds_at


def change(shot, *values):
    """A shot with values set: pairs of the id of a step with the rest of a pointer, and the value."""
    steps = {step.id: k for k, step in enumerate(shot.steps)}
    patch = []
    for path, value in values:
        id, _, rest = path.partition("/")
        patch.append({"op": "replace", "path": f"/steps/{steps[id]}/{rest}", "value": value})
    return patched(write_shot(shot), patch)


def bits(shot):
    """All contacts of a shot, at any frame."""
    of = Evaluation(shot)
    found = 0
    for structure, own in of.spans([float(f) for f in shot.frames]):
        found |= int(np.bitwise_or.reduce(contacts_of(of, structure, np.array(own)), axis=None))
    return found


def lowest(shot):
    return float(Evaluation(shot).title_corners(shot.last)[:, 1].min())


def test_a_block_in_the_floor_is_lifted_out_of_it():
    shot = change(new_shot(text="SALT"), ("block/move", [0, -0.4, 0]))
    lifted = patched(write_shot(shot), lift_clear(shot, motion=False))
    assert lowest(lifted) == pytest.approx(MARGIN, abs=1e-4)


def test_a_motion_that_dips_into_the_floor_is_lifted_by_as_much():
    shot = change(new_shot(text="SALT"), ("arrive/offset/move", [0, -0.3, 0]), ("arrive/offset/turn", [0, 0, 0]))
    assert bits(shot) & SINKS
    lifted = patched(write_shot(shot), lift_clear(shot, motion=True))
    assert not bits(lifted) & SINKS
    assert lowest(lifted) - lowest(shot) == pytest.approx(0.3 + MARGIN, abs=0.03)


def test_the_wall_is_set_back_behind_what_goes_into_it():
    far = (("arrive/offset/move", [0, 0, -3]), ("arrive/offset/turn", [0, 0, 0]), ("stage/wall_distance", 1.25))
    shot = change(new_shot(text="SALT"), *far)
    assert bits(shot) & SINKS
    clear = patched(write_shot(shot), lift_clear(shot, motion=True))
    assert not bits(clear) & SINKS
    assert lowest(clear) == pytest.approx(lowest(shot))


def test_what_comes_from_far_below_is_left_alone_and_said():
    shot = change(new_shot(text="SALT"), ("arrive/offset/move", [0, -4, 0]))
    with pytest.raises(DocumentInvalid, match="below the floor"):
        lift_clear(shot, motion=True)


def test_nothing_to_lift_is_said():
    with pytest.raises(DocumentInvalid, match="nothing goes into the stage"):
        lift_clear(new_shot(text="SALT"), motion=False)


@pytest.mark.parametrize("id", [entry.id for entry in BOOK.values() if entry.group == "rig"])
def test_rigs_make_room_for_themselves(id):
    shot = change(new_shot(text="SALT ROADS", last=120), ("stage/wall_distance", 1.25))
    moved = patched(write_shot(shot), set_motion(shot, id))
    assert not bits(moved) & SINKS


@pytest.mark.parametrize("id", list(BOOK))
def test_no_motion_warns_of_what_it_made_itself(id):
    shot = new_shot(text="SALT ROADS", last=150)
    moved = patched(write_shot(shot), set_motion(shot, id))
    assert [note for note in notes(Evaluation(moved)) if note.code.startswith("formula")] == []


def test_letters_are_kept_apart_on_their_way():
    shot = change(new_shot(text="TIDE"), ("arrive/offset/move", [-3, 0, 0]), ("arrive/offset/turn", [0, 0, 0]))
    shot = change(shot, ("arrive/reaches/0/delay", 2.0))
    assert bits(shot) & MEETS
    apart = patched(write_shot(shot), keep_apart(shot))
    assert not bits(apart) & MEETS
    here, there = Evaluation(shot), Evaluation(apart)
    np.testing.assert_allclose(here.title_corners(72), there.title_corners(72))


def test_what_cannot_be_parted_is_said():
    shot = change(new_shot(text="TIDE"), ("arrive/on", False))
    with pytest.raises(DocumentInvalid, match="no letters run into each other"):
        keep_apart(shot)


def test_a_globe_fits_inside_the_ring_of_a_line():
    shot = new_shot(text="SALT ROADS ")
    shot = change(
        shot, ("block/baseline/kind", "drum"), ("block/baseline/radius", 2.0), ("block/baseline/spread", True)
    )
    shot = change(shot, ("block/move", [1.0, 0.5, -0.5]))
    round_it = patched(write_shot(shot), inside_ring(shot, 72, "block"))
    (globe,) = grounds_at(round_it, 72, [])
    assert globe.radius == pytest.approx(1.8)
    corners = Evaluation(round_it).title_corners(72)
    away = np.hypot(corners[:, 0] - globe.centre[0], corners[:, 2] - globe.centre[2])
    assert away.min() > 1.8 and away.max() < 2.4
    assert abs(globe.centre[1] - corners[:, 1].mean()) < 0.3


def test_a_straight_line_has_no_ring():
    shot = new_shot(text="SALT")
    with pytest.raises(DocumentInvalid, match="no ring"):
        inside_ring(shot, 72, "block")
