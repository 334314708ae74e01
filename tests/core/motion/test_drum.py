"""Flip drums: one glyph for each letter at every frame, changed at edge-on, the word itself at the end."""

from itertools import pairwise

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.motion import DrumStep, FollowStep
from moss_crown.core.draft.draft import draft
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.motion.drum import columns, radius


def drum_shot(text="SALT", more=(), **drum):
    raw = write_shot(new_shot(text=text))
    drum = DrumStep(id="drum", **drum).model_dump(mode="json")
    raw["steps"] = [*raw["steps"][:2], drum, *(s.model_dump(mode="json") for s in more), *raw["steps"][3:]]
    return read_shot(raw)


def shown(shot, frame):
    return "".join(letter.text for letter in Evaluation(shot).structure(frame).letters)


def angle(pose):
    return np.degrees(np.arctan2(pose[2, 1], pose[1, 1]))


def test_words_follow_each_other_and_the_block_stays():
    shot = drum_shot(words="TIDE\nROAD", start=0, delay=0, duration=40)
    seen = [shown(shot, f) for f in range(41)]
    assert list(dict.fromkeys(seen)) == ["TIDE", "ROAD", "SALT"]
    assert Evaluation(shot).rest_frame() == 40


@pytest.mark.parametrize("sides", [3, 4, 6, 12])
@pytest.mark.parametrize("rolls", ["up", "down"])
def test_each_glyph_is_seen_while_it_faces_the_front_most(sides, rolls):
    shot = drum_shot(words="TIDE\nROAD\nLAMP", sides=sides, rolls=rolls, start=0, delay=3, duration=60)
    frames = [float(f) for f in range(73)]
    for structure, own in Evaluation(shot).spans(frames):
        turns = angle(
            Evaluation(shot).poses(structure, np.array(own))[..., :3, :3].reshape(-1, 3, 3).transpose(1, 2, 0)
        )
        assert np.abs(turns).max() <= 180 / sides + 1e-6


def test_it_changes_within_half_a_frame_of_edge_on():
    shot = drum_shot(text="I", words="O", sides=4, start=0, delay=0, duration=50)
    times = np.arange(0, 50.5, 0.5)
    letters = [shown(shot, t) for t in times]
    change = letters.index("I")
    fine = np.linspace(times[change - 1], times[change], 200)
    moment = next(t for t in fine if shown(shot, t) == "I")
    there = angle(Evaluation(shot).poses(Evaluation(shot).structure(moment), np.array([moment]))[0, 0])
    assert abs(there) == pytest.approx(45, abs=0.5)


def test_the_prism_turns_about_its_exact_centre():
    shot = drum_shot(text="H", words="E", sides=6, start=0, delay=0, duration=50)
    away = radius(6, 1.0)
    for t in np.linspace(0, 50, 23):
        structure = Evaluation(shot).structure(t)
        (pose,) = Evaluation(shot).poses(structure, np.array([t]))[0]
        letter = structure.letters[0]
        centre = pose @ [letter.centre[0], 0.5, -away, 1]
        home = letter.pose() @ [letter.centre[0], 0.5, -away, 1]
        assert centre == pytest.approx(home, abs=1e-9)


def test_short_words_leave_empty_faces_and_drawn_letters_differ_from_their_neighbours():
    shot = drum_shot(words="TO", start=0, delay=0, duration=40)
    drum = shot.steps[2]
    assert columns(drum, 0, tuple("SALT"), 1) == (("T", "S"), ("O", "A"), (" ", "L"), (" ", "T"))
    structure = Evaluation(shot).structure(0)
    (block,) = Evaluation(shot).moved(structure, np.array([0.0]))
    assert block.wear.opacity[0].tolist() == [1, 1, 0, 0]
    drawn = columns(DrumStep(id="d", before=20), 0, tuple("SALT"), 1)
    for column, letter in zip(drawn, "SALT", strict=True):
        assert len(column) == 21 and column[-1] == letter
        assert all(a != b for a, b in pairwise(column))


def test_a_frame_alone_is_as_in_sequence_and_a_spring_leaves_the_drum_alone():
    shot = drum_shot(words="TIDE\nROAD", start=2, delay=2.5, duration=30)
    frames = [float(f) for f in range(60)]
    together = {}
    for structure, own in Evaluation(shot).spans(frames):
        for frame, pose in zip(own, Evaluation(shot).poses(structure, np.array(own)), strict=True):
            together[frame] = (structure, pose)
    followed = drum_shot(words="TIDE\nROAD", start=2, delay=2.5, duration=30, more=[FollowStep(id="f")])
    for frame in (0.0, 7.0, 19.0, 33.0, 59.0):
        structure = Evaluation(shot).structure(frame)
        assert structure == together[frame][0]
        assert (Evaluation(shot).poses(structure, np.array([frame]))[0] == together[frame][1]).all()
        own = Evaluation(followed).structure(frame)
        assert Evaluation(followed).poses(own, np.array([frame]))[0] == pytest.approx(together[frame][1], abs=1e-9)


def test_a_drum_of_two_faces_is_refused_and_the_draft_holds_every_face():
    raw = write_shot(drum_shot(words="TIDE"))
    raw["steps"][2]["sides"] = 2
    with pytest.raises(DocumentInvalid) as refused:
        read_shot(raw)
    assert refused.value.bound == "at least 3"
    body = draft(drum_shot(words="TIDE\nROAD"))
    assert body.count(b'"text":"R"') >= 1 and body.count(b'"text":"D"') >= 1
