"""Tubes that grow: each letter by its own share, the same at any frame alone, and what they glow by."""

from __future__ import annotations

import numpy as np
import pytest

from letters import still_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.draft.notes import notes
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.form.solid import closed

CADENCE = {"kind": "cadence", "start": 4, "delay": 3, "duration": 24, "ease": {"leave": [0, 0], "arrive": [1, 1]}}
GROW = {"id": "grow", "kind": "grow", "reaches": [CADENCE]}
TUBES = {"on": True, "width": 0.04, "height": 0.04}


def sign(*steps, text="OWL", tubes=TUBES):
    raw = write_shot(still_shot(*steps, text=text))
    (form,) = (step for step in raw["steps"] if step["kind"] == "form")
    form["tubes"] |= tubes
    return read_shot(raw)


def solids(of, frame):
    """The solid of each letter, by its number; of those of which nothing is there none."""
    scene = of.scene(frame, 16 / 9)
    return {letter.number: scene.solids[letter.solid] for letter in scene.letters}


def volumes(of, frame):
    found = np.zeros(len(of.structure(frame).letters))
    for number, solid in solids(of, frame).items():
        found[number] = solid.volume
    return found


def test_letters_are_drawn_one_after_the_other_at_an_even_pace():
    of = Evaluation(sign(GROW))
    whole = volumes(of, of.shot.last)
    assert (volumes(of, 4) == 0).all()
    for frame in (8, 14, 20, 30):
        share = np.clip((frame - 4 - 3 * np.arange(3)) / 24, 0, 1)
        found = volumes(of, frame) / whole
        # An open tube has two round ends; a length that is hardly begun is all ends.
        assert found[share == 0] == pytest.approx(0)
        assert found[share > 0] == pytest.approx(share[share > 0], abs=0.03)
        assert all(closed(solid.triangles) for solid in solids(of, frame).values())


def test_what_is_whole_is_what_is_there_without_the_step():
    grown, plain = Evaluation(sign(GROW)), Evaluation(sign())
    for number, one in solids(grown, 60).items():
        other = solids(plain, 60)[number]
        assert np.array_equal(one.vertices, other.vertices) and np.array_equal(one.triangles, other.triangles)
    assert grown.rest_frame() == pytest.approx(4 + 2 * 3 + 24)


def test_a_frame_alone_has_the_same_letters_as_one_in_sequence():
    one = Evaluation(sign(GROW))
    in_order = {frame: one.structure(frame).address() for frame in range(0, 40)}
    for frame in (17, 3, 31):
        assert Evaluation(sign(GROW)).structure(frame).address() == in_order[frame]
    spans = one.spans(list(range(0, 40)))
    assert len(spans[0][1]) == 5  # nothing is there until the first begins


def test_halves_lie_on_their_side_of_the_start():
    """A contour begins at its highest point: half of it to both sides of that is the upper half. What grows onward and
    what grows backward are the halves of one whole."""
    half = {"kind": "everywhere", "level": 0.5}

    def drawn(grows):
        return solids(Evaluation(sign(GROW | {"grows": grows, "reaches": [half]}, text="O")), 0)[0]

    whole = solids(Evaluation(sign(text="O")), 0)[0]
    (left, low), (right, high) = whole.vertices.min(0)[:2], whole.vertices.max(0)[:2]
    both, onward, backward = drawn("both"), drawn("onward"), drawn("backward")
    assert both.vertices[:, 0].min() == pytest.approx(left, abs=1e-4)
    assert both.vertices[:, :2].max(0) == pytest.approx([right, high], abs=1e-4)
    assert both.vertices[:, 1].min() > low + 0.3 * (high - low)
    assert onward.volume + backward.volume == pytest.approx(whole.volume, rel=0.03)
    middle = lambda solid: solid.vertices[:, 0].mean()  # noqa: E731
    assert middle(onward) + middle(backward) == pytest.approx(left + right, abs=0.06)


def test_a_letter_can_start_elsewhere():
    quarter = {"kind": "everywhere", "level": 0.75}
    usual = solids(Evaluation(sign(GROW | {"reaches": [quarter]})), 0)
    moved = solids(Evaluation(sign(GROW | {"reaches": [quarter], "starts": {"1": 0.5}})), 0)
    assert np.array_equal(usual[0].vertices, moved[0].vertices) and np.array_equal(usual[2].vertices, moved[2].vertices)
    assert np.abs(usual[1].vertices.mean(0) - moved[1].vertices.mean(0)).max() > 0.1


def test_tubes_that_come_and_go_leave_what_both_leave():
    gone = GROW | {"id": "gone", "grows": "backward", "reaches": [CADENCE | {"way": "leave", "start": 4}]}
    of = Evaluation(sign(GROW, gone, text="O"))
    whole = volumes(Evaluation(sign(text="O")), 0)
    # One end runs in as the other runs out: at the half each leaves the half that the other takes.
    assert volumes(of, 16) / whole == pytest.approx([0.0], abs=0.05)
    before = Evaluation(sign(GROW, gone | {"reaches": [CADENCE | {"way": "leave", "start": 14}]}, text="O"))
    assert volumes(before, 21) / whole == pytest.approx([(21 - 4) / 24 - (21 - 14) / 24], abs=0.05)


def test_a_sign_that_is_not_drawn_by_tubes_says_so():
    of = Evaluation(still_shot(GROW, text="OWL"))
    assert "motion.no_tubes" in {note.code for note in notes(of)}
    assert "motion.no_tubes" not in {note.code for note in notes(Evaluation(sign(GROW)))}


def test_a_drive_dims_the_glow_of_letters_by_its_reach():
    raw = write_shot(sign({"id": "dark", "kind": "drive", "offset": {"glow": 0.25}, "reaches": [CADENCE]}))
    for step in raw["steps"]:
        if step["kind"] == "material":
            step["face"] |= {"glow": 4.0, "glow_colour": [1.0, 0.5, 0.25]}
    of = Evaluation(read_shot(raw))
    scene = of.scene(10, 16 / 9)
    for k, letter in enumerate(scene.letters):
        reach = 1 - np.clip((10 - 4 - 3 * k) / 24, 0, 1)
        assert scene.surfaces[letter.surfaces[0]].glow == pytest.approx(
            [4 * (1 - 0.75 * reach) * c for c in (1, 0.5, 0.25)], rel=1e-3
        )
