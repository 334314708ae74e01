"""Zones that measure letters where the steps above their drive have moved them."""

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.draft.notes import notes
from moss_crown.core.evaluation.evaluation import Evaluation

FRAMES = np.arange(0.0, 61.0)
ACROSS = {"keys": [{"frame": 0, "value": [-6, 0, 0]}, {"frame": 60, "value": [6, 0, 0]}]}
FLIGHT = {"kind": "drive", "id": "flight", "reaches": [{"kind": "everywhere"}], "offset": {"move": ACROSS}}
SPRING = {"kind": "follow", "id": "spring", "tempo": 1.5, "damping": 0.3}


def gate(**more):
    """Letters in a thin slab at x = 0 are lifted by a metre."""
    zone = {"kind": "zone", "place": [0, 0, 0], "size": [0.2, 0.2, 0.2], "run": 1.0, "measures": "moved"}
    drive = {"kind": "drive", "id": "gate", "scope": "letter", "offset": {"move": [0, 1, 0]}}
    return drive | {"reaches": [zone | more.pop("zone", {})]} | more


def shot_with(*steps, **block):
    document = write_shot(new_shot(text="TIDE"))
    kept = [s | (block if s["kind"] == "block" else {}) for s in document["steps"] if s["kind"] != "drive"]
    return read_shot(document | {"steps": [*kept, *steps]})


def places(shot, frames=FRAMES):
    return Evaluation(shot).poses(Evaluation(shot).structure(0), frames)[..., :3, 3]


def lifted(shot, without=None):
    """(f, l): how far letters are lifted."""
    return (places(shot) - places(without or shot_with()))[..., 1]


def middles(shot):
    structure = Evaluation(shot).structure(0)
    centres = np.array([letter.centre[0] for letter in structure.letters])
    return places(shot)[..., 0] + centres


def expected(at, half=0.2, run=1.0):
    """How a slab with a run is felt: an ease that is straight."""
    return 1 - np.clip((np.abs(at) - half) / run, 0, 1)


STRAIGHT = {"leave": [1 / 3, 1 / 3], "arrive": [2 / 3, 2 / 3]}


def test_letters_that_fly_through_a_zone_feel_it_as_they_pass():
    shot = shot_with(FLIGHT, gate(zone={"ease": STRAIGHT}))
    assert lifted(shot) == pytest.approx(expected(middles(shot)), abs=1e-6)
    assert lifted(shot).max() > 0.95 and lifted(shot)[0].max() < 0.01
    # One that measures rest feels the same at every frame.
    resting = lifted(shot_with(FLIGHT, gate(zone={"measures": "rest"})))
    assert (resting == resting[0]).all()


def test_only_what_stands_above_its_drive_counts():
    below = lifted(shot_with(gate(), FLIGHT))
    assert (below == below[0]).all()


def test_where_block_groups_and_follow_through_have_brought_them():
    keys = {"keys": [{"frame": 0, "value": [-6, 0, 0]}, {"frame": 20, "value": [0, 0, 0]}]}
    sprung = shot_with(SPRING, gate(zone={"ease": STRAIGHT}), move=keys)
    assert lifted(sprung) == pytest.approx(expected(middles(sprung)), abs=1e-6)
    led = shot_with({"kind": "group", "id": "g", "move": keys}, SPRING, gate(zone={"ease": STRAIGHT}))
    assert lifted(led) == pytest.approx(expected(middles(led)), abs=1e-6)
    assert np.abs(middles(led) - middles(shot_with(gate(), move=keys))).max() > 0.1


def test_words_are_measured_at_the_middle_of_their_letters():
    shot = shot_with(FLIGHT, gate(scope="block", zone={"ease": STRAIGHT}))
    middle = middles(shot).mean(1)
    assert lifted(shot) == pytest.approx(np.repeat(expected(middle)[:, None], 4, 1), abs=1e-6)


def test_a_frame_alone_has_the_same_bits_with_a_follow_through_above_and_below():
    shot = shot_with(FLIGHT, SPRING, gate(), SPRING | {"id": "after", "tempo": 3.0})
    whole = places(shot)
    for k in (0, 13, 29, 60):
        assert (places(shot, FRAMES[k : k + 1])[0] == whole[k]).all()


def test_on_twos_it_is_measured_on_twos():
    shot = shot_with(FLIGHT, gate(exposed=2))
    up = lifted(shot)
    assert (up[1::2] == up[:-1:2]).all() and (up[2::2] != up[:-1:2]).any()


def test_what_is_measured_can_change():
    switch = {"keys": [{"frame": 0, "value": "rest"}, {"frame": 30, "value": "moved"}]}
    up, rest, moved = (
        lifted(shot_with(FLIGHT, gate(zone={"measures": measures}))) for measures in (switch, "rest", "moved")
    )
    assert (up[:30] == rest[:30]).all() and (up[30:] == moved[30:]).all()


def test_a_weight_swells_where_letters_pass():
    """Axes are worn by what stands in the zone at the frame."""
    swell = gate(offset={"axes": {"wght": 300}})
    shot = shot_with(FLIGHT, swell, family="archivo", axes={"wght": 400})
    heavy = [
        [dict(letter.axes)["wght"] for letter in Evaluation(shot).structure(float(frame)).letters] for frame in (0, 25)
    ]
    assert heavy[0] == [400] * 4
    assert max(heavy[1]) > 650


def test_a_zone_that_only_moving_letters_meet_is_not_said_to_act_on_nothing():
    far = {"place": [5.5, 0, 0], "run": 0.1}

    def said(measures):
        shot = shot_with(FLIGHT, gate(zone=far | {"measures": measures}))
        return [n.code for n in notes(Evaluation(shot))]

    assert "motion.not_felt" in said("rest")
    assert "motion.not_felt" not in said("moved")
