"""Letters and their pieces as bodies of a shot: as designed until they are let go, then at rest, or whole again."""

from __future__ import annotations

import numpy as np
import pytest

from letters import setting, still_shot
from moss_crown.core import limits
from moss_crown.core.cache import Cache
from moss_crown.core.document.door import read_shot
from moss_crown.core.draft.notes import notes
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.timing import NEVER
from moss_crown.core.form.outline import area, letter_outline
from moss_crown.core.physics.parts import SIMPLER, convex_parts, prisms, simpler
from moss_crown.core.type.layout import letters_of
from moss_crown.core.type.shape import faces

CACHE = Cache()
HIGH = {"move": [0, 1.2, 0]}
WHOLE = {"id": "p", "kind": "pieces", "number": 6, "reaches": [{"kind": "passage", "passed": 0}]}


def bodies(**more):
    return {"id": "b", "kind": "bodies", "start": 6, **more}


def evaluation(*steps, text="TIDE", block=HIGH, **head):
    return Evaluation(still_shot(*steps, text=text, block=block, last=60, **head), CACHE)


def at(of, *frames):
    (found,) = of.moved(of.structure(of.shot.last), np.array(frames, float))
    return found


def lowest(of, frame):
    """The lowest place of each letter, or of its pieces."""
    scene, found = of.scene(frame, 16 / 9, blur=False), []
    for letter in scene.letters:
        places = letter.bent.places[0] if letter.bent else scene.solids[letter.solid].vertices
        found.append((places @ letter.poses[0, 1, :3] + letter.poses[0, 1, 3]).min())
    return np.array(found)


def test_letters_are_where_they_are_designed_until_they_are_let_go():
    of, plain = evaluation(bodies()), evaluation()
    assert np.array_equal(at(of, 0, 3, 6).poses, at(plain, 0, 3, 6).poses)
    assert not np.allclose(at(of, 9).poses, at(plain, 9).poses)


def test_switched_off_they_stay_as_they_are_designed():
    plain, off = at(evaluation(), 0, 20, 50).poses, at(evaluation(bodies(on=False)), 0, 20, 50).poses
    assert np.array_equal(off, plain)
    keys = {"keys": [{"frame": 0, "value": True}, {"frame": 40, "value": False}]}
    keyed = at(evaluation(bodies(on=keys)), 20, 50).poses
    assert np.array_equal(keyed[1], plain[2]) and not np.allclose(keyed[0], plain[1])


def test_letters_fall_on_the_floor_and_rest_where_the_sheet_says():
    of = evaluation(bodies(bounce=0.1))
    assert lowest(of, 60) == pytest.approx(0, abs=0.01)  # a hundredth of their height
    rest = of.timing(of.structure(0), np.arange(61.0)).rest
    assert ((rest > 15) & (rest < 60)).all()
    last = float(rest.max())
    assert at(of, last).poses == pytest.approx(at(of, last + 20).poses, abs=2e-3)
    assert np.array_equal(at(of, last + 10).poses, at(of, last + 30).poses)


def test_one_is_let_go_after_the_other_in_an_order():
    of = evaluation(bodies(delay=5.0, order="reverse"))
    moved = [
        next(f for f in range(61) if not np.array_equal(at(of, f).poses[0, k], at(of, 0).poses[0, k])) for k in range(4)
    ]
    assert moved == [22, 17, 12, 7]


def test_a_frame_alone_has_the_bits_of_one_in_sequence():
    whole = at(evaluation(bodies()), *range(61)).poses
    alone = Evaluation(still_shot(bodies(), text="TIDE", block=HIGH, last=60), Cache())
    for frame in (33, 12, 50):
        assert np.array_equal(at(alone, frame).poses[0], whole[frame])
    between = at(alone, 20.5).poses[0]
    assert between[:, :3, 3] == pytest.approx((whole[20] + whole[21])[:, :3, 3] / 2, abs=0.02)


def test_letters_collide_and_do_not_stand_in_each_other():
    """One that is thrown pushes others; none is deeper in another than a hundredth of a cap height in the end."""
    thrown = evaluation(bodies(thrown=[0, 0, 0], gravity=[0, 0, 0], blow=4.0, blow_place=[0, 1.7, 0], chance=0.0))
    x = at(thrown, 6, 40).poses[:, :, 0, 3]
    assert x[1, 0] < x[0, 0] - 0.3 and x[1, -1] > x[0, -1] + 0.3


def test_a_designed_flight_is_followed_and_collides():
    lift = {"id": "d", "kind": "drive", "scope": "block", "offset": {"move": [0, 1, 0], "turn": [0, 0, 0]},
            "reaches": [{"kind": "cadence", "way": "leave", "start": 8, "duration": 20, "delay": 0}]}  # fmt: skip
    close = evaluation(lift, bodies(start=2, follow=0.9))
    design = evaluation(lift)
    off = at(close, 50).poses[0, :, :3, 3] - at(design, 50).poses[0, :, :3, 3]
    assert np.abs(off).max() < 0.05
    free = evaluation(lift, bodies(start=2, follow=0.0))
    assert lowest(free, 50) == pytest.approx(0, abs=0.05)


def test_pieces_shatter_and_come_whole_backward():
    of = evaluation(WHOLE, bodies(of="piece", blow=2.0, blow_place=[0, 1.7, -0.5]))
    early, late = at(of, 5).apart, at(of, 50).apart
    assert early.whole.all() and not late.whole.any()
    assert (lowest(of, 50) > -0.03).all()
    back = evaluation(WHOLE, bodies(of="piece", start=40, backward=True, blow=2.0, blow_place=[0, 1.7, -0.5]))
    assert not at(back, 5).apart.whole.any() and at(back, 40, 55).apart.whole.all()
    # What would follow, seen from its end: at equal times from the start pieces are at equal places.
    forward = evaluation(WHOLE, bodies(of="piece", start=40, blow=2.0, blow_place=[0, 1.7, -0.5]))
    assert at(back, 30).apart.ways == pytest.approx(at(forward, 50).apart.ways, abs=1e-9)


def test_pieces_of_letters_that_are_not_cut_are_the_letters():
    one, two = (at(evaluation(bodies(of=of)), 30).poses for of in ("piece", "letter"))
    assert np.array_equal(one, two)


def test_the_stage_is_what_they_fall_on():
    raw = still_shot(bodies(), text="TIDE", block=HIGH, last=60).model_dump(mode="json")

    def lands(**stage):
        steps = [s | stage if s["kind"] == "stage" else s for s in raw["steps"]]
        return lowest(Evaluation(read_shot(raw | {"steps": steps}), CACHE), 60)

    assert lands(floor=False, wall=False).max() < -5
    assert lands(shape="sweep").min() > -0.05
    ball = lands(shape="globe", radius=1.0, globe_place=[0, 0.8, 0])
    assert ball.min() < -2  # off it they fall on


def test_more_bodies_than_there_may_be_stay_as_they_are(monkeypatch):
    monkeypatch.setattr(limits, "BODIES", 3)
    of = evaluation(bodies())
    assert np.array_equal(at(of, 30).poses, at(of, 0).poses)
    (said,) = [note for note in notes(of) if note.code == "motion.many_bodies"]
    assert said.step == "b" and said.text.startswith("0 of 4 are bodies: there are at most 3")


def test_what_acts_by_piece_says_where_nothing_is_cut():
    by = {"id": "d", "kind": "drive", "scope": "piece"}
    assert [n.step for n in notes(evaluation(by, bodies(of="piece"))) if n.code == "motion.no_pieces"] == ["d", "b"]
    assert not [n for n in notes(evaluation(WHOLE, by, bodies(of="piece"))) if n.code == "motion.no_pieces"]


def test_nothing_stops_a_letter_in_empty_space():
    of = evaluation(bodies(gravity=[0, 0, 0], thrown=[0, 0, 1.0]))
    assert (of.timing(of.structure(0), np.arange(61.0)).rest == NEVER).all()


@pytest.mark.parametrize("text", ["K", "S", "8", "&", "O"])
def test_convex_parts_are_the_letter(text):
    (letter,) = letters_of(setting(text))
    rings = letter_outline(letter.glyphs, faces(letter.family, letter.axes))
    parts = convex_parts(simpler(rings, SIMPLER))
    exact = sum(area(ring) for ring in rings)
    assert sum(abs(area(part)) for part in parts) == pytest.approx(abs(exact), rel=0.01)
    for part in parts:
        a, b, c = np.roll(part, 1, 0), part, np.roll(part, -1, 0)
        turns = (b[:, 0] - a[:, 0]) * (c[:, 1] - b[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - b[:, 0])
        assert (turns > -1e-6).all()
    assert len(parts) < 40
    solids = prisms(rings, letter.unit, -0.1, 0.1)
    assert len(solids) == len(parts) and all(np.ptp(one[:, 2]) == pytest.approx(0.2) for one in solids)
