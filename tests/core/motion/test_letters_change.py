"""Drives that change which glyphs there are: variable axes by letter, scrambled letters."""

import numpy as np
import pytest

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.motion import Cadence, DriveStep, Everywhere, Offset
from moss_crown.core.draft.draft import draft
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.solids import solid_of


def shot_with(drive, text="SALT ROADS", family="cinzel", **block):
    raw = write_shot(new_shot(text=text))
    raw["steps"][0] |= {"family": family, **block}
    raw["steps"] = [*raw["steps"][:2], drive.model_dump(mode="json"), *raw["steps"][3:]]
    return read_shot(raw)


def weights(shot, frame):
    return [dict(letter.axes).get("wght") for letter in Evaluation(shot).structure(frame).letters]


def test_weight_runs_through_a_word_with_the_reach():
    drive = DriveStep(id="d", offset=Offset(axes={"wght": 500}), reaches=[Cadence(start=0, delay=4, duration=8)])
    shot = shot_with(drive, axes={"wght": 400})
    assert weights(shot, 0) == [900] * 9
    assert weights(shot, 60) == [400] * 9
    there = weights(shot, 14)
    assert there == sorted(there) and there[0] == 400 and there[-1] == 900
    steps = {w for f in range(60) for w in weights(shot, f)}
    assert len(steps) <= 17, "letters share their solids"


def test_heavier_letters_are_larger_and_their_neighbours_make_room():
    drive = DriveStep(id="d", offset=Offset(axes={"wght": 500}), reaches=[Everywhere()])
    light = shot_with(drive.model_copy(update={"on": False}))
    heavy = shot_with(drive)
    cache = Cache()

    def measure(shot):
        structure = Evaluation(shot).structure(0)
        block = structure.blocks[0]
        volume = sum(solid_of(letter, block.form, cache).volume for letter in block.letters)
        return volume, np.ptp(Evaluation(shot).poses(structure, np.array([0.0]))[0, :, 0, 3])

    (v0, w0), (v1, w1) = measure(light), measure(heavy)
    assert v1 > 1.2 * v0 and w1 > 1.02 * w0


def test_an_axis_that_a_family_has_not_changes_nothing():
    drive = DriveStep(id="d", offset=Offset(axes={"ZZZZ": 500}, move=(0, 1, 0)), reaches=[Everywhere()])
    shot = shot_with(drive, family="archivo-black")
    plain = shot_with(DriveStep(id="d", offset=Offset(move=(0, 1, 0)), reaches=[Everywhere()]), family="archivo-black")
    at = np.array([0.0])
    assert Evaluation(shot).poses(Evaluation(shot).structure(0), at) == pytest.approx(
        Evaluation(plain).poses(Evaluation(plain).structure(0), at)
    )


def test_scrambled_letters_settle_one_after_the_other():
    drive = DriveStep(id="d", offset=Offset(scramble=1), reaches=[Cadence(start=6, delay=3, duration=4)])
    shot = shot_with(drive, "SALT", family="archivo-black")
    seen = ["".join(m.text for m in Evaluation(shot).structure(f).letters) for f in range(40)]
    assert seen[0] == seen[1] == seen[2] != seen[3], "each stands for three frames"
    assert all(len(text) == 4 for text in seen)
    assert seen[13][0] == "S" and seen[39] == "SALT"
    assert len(set(seen)) > 5
    half = shot_with(DriveStep(id="d", offset=Offset(scramble=0.5), reaches=[]), "SALT", family="archivo-black")
    kept = np.mean(
        [
            [
                a == b
                for a, b in zip("".join(m.text for m in Evaluation(half).structure(f).letters), "SALT", strict=True)
            ]
            for f in range(0, 600, 3)
        ]
    )
    assert 0.4 < kept < 0.65


def test_a_frame_alone_is_as_in_sequence_and_the_draft_holds_it():
    drive = DriveStep(id="d", offset=Offset(axes={"wght": 400}, scramble=0.6, move=(0, 1, 0)), reaches=[Cadence()])
    shot = shot_with(drive, "SALT")
    for structure, own in Evaluation(shot).spans([float(f) for f in range(0, 40)]):
        for frame in own[::3]:
            assert Evaluation(shot).structure(frame) == structure
    assert draft(shot).count(b'"recipe"') > 40
