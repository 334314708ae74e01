"""The motion book: every entry on any title, as steps that can be opened."""

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch, read_shot, write_shot
from moss_crown.core.document.letters import EmblemStep
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.proposals import thumbnails
from moss_crown.core.proposals.motion_book import BOOK, MotionSet
from moss_crown.core.proposals.motion_page import Made
from moss_crown.core.proposals.motions import motion_of, moved_by, set_motion
from moss_crown.core.proposals.thumbnails import thumbnail, tried_on
from moss_crown.demo.cards import ring_of_crossings


def shot_in(id, text="SALT ROADS", keep=False, texts=(), **more):
    shot = new_shot(text=text, **more)
    return apply_patch(shot, set_motion(shot, id, texts, keep))[0]


def ends(shot):
    """Where letters are at the last frame, and where they would be without any motion."""
    last = np.array([float(shot.last)])
    plain = read_shot(
        write_shot(shot) | {"steps": [s.model_dump(mode="json") for s in shot.steps if not s.facts.moves]}
    )
    structure = Evaluation(shot).structure(shot.last)
    return where(shot, structure, last)[0], Evaluation(plain).boxed(Evaluation(plain).structure(shot.last), last)[0]


def where(shot, structure, frames):
    """Where letters are, bent or in pieces; of balloons, whose shape is another at rest too, where they stand."""
    of = Evaluation(shot)
    return of.poses(structure, frames) if of.swells else of.boxed(structure, frames)


def test_there_are_two_dozen_motions_and_the_rigs():
    groups = [entry.group for entry in BOOK.values()]
    assert sum(group != "rig" for group in groups) >= 24 and groups.count("rig") >= 6
    assert len({entry.name for entry in BOOK.values()}) == len(BOOK)


@pytest.mark.parametrize("id", list(BOOK))
@pytest.mark.parametrize("text", ["I", "SALT ROADS\nTIDE"])
def test_every_entry_moves_any_title(id, text):
    shot = shot_in(id, text, last=120)
    assert read_shot(write_shot(shot)) == shot
    moving = [s for s in shot.steps if s.facts.moves]
    assert all(s.name or s.kind == "follow" for s in moving)
    found = Evaluation(shot).spans([float(f) for f in range(0, 121, 4)])
    poses = [Evaluation(shot).boxed(structure, np.array(own)) for structure, own in found]
    assert all(np.isfinite(p).all() for p in poses)
    first, last = poses[0][0], poses[-1][-1]
    middle = poses[len(poses) // 2]
    moves = len(found) > 1 or any(np.abs(p - p[:1]).max() > 1e-3 for p in [*poses, middle])
    tinted = any(getattr(s, "offset", None) and s.offset.opacity != 1 for s in moving)
    assert moves or tinted or first.shape != last.shape or np.ptp(glows(shot, np.arange(0.0, 121.0))) > 0.5


def glows(shot, frames):
    """(f, l): how many times as bright as their material the letters of a shot glow."""
    of = Evaluation(shot)
    found = [np.concatenate([b.wear.glows() for b in of.moved(of.structure(f), np.array([f]))], 1) for f in frames]
    return np.concatenate(found)


@pytest.mark.parametrize(
    "id", [e.id for e in BOOK.values() if e.group == "arrive"] + ["hinge", "shop-sign", "fly-through"]
)
def test_what_arrives_ends_at_rest_where_the_letters_belong(id):
    shot = shot_in(id, last=200)
    assert Evaluation(shot).rest_frame() < 200
    there, plain = ends(shot)
    assert there == pytest.approx(plain, abs=2e-3)


@pytest.mark.parametrize("id", [e.id for e in BOOK.values() if e.group == "leave"])
def test_what_leaves_begins_at_rest_and_is_gone_at_the_end(id):
    shot = shot_in(id, last=120)
    structure = Evaluation(shot).structure(0)
    start = where(shot, structure, np.array([0.0, 120.0]))
    _, plain = ends(shot)
    assert start[0] == pytest.approx(plain, abs=1e-6)
    if id == "burnt-out":
        glow = glows(shot, np.arange(0.0, 121.0))
        assert (glow[0] == 1).all() and (glow[-1] == 0).all()
    else:
        assert np.abs(start[1] - plain).max() > 0.05


def test_a_sign_is_made_of_glowing_tubes_where_it_was_not_and_strikes():
    shot = shot_in("night-sign", last=120)
    form = next(s for s in shot.steps if s.kind == "form")
    material = next(s for s in shot.steps if s.kind == "material")
    assert form.tubes.on and material.face.glow == material.edge.glow == 5.0
    glow = glows(shot, np.arange(0.0, 121.0))
    assert (glow[0] == 0).all() and (glow[-1] == 1).all()
    assert (np.diff((glow > 0).argmax(0)) >= 0).all()  # one after the other
    # What is there already stays as it is.
    raw = write_shot(shot)
    raw["steps"][[s["kind"] for s in raw["steps"]].index("material")]["face"]["glow"] = 2.0
    again = apply_patch(read_shot(raw), set_motion(read_shot(raw), "struck"))[0]
    assert next(s for s in again.steps if s.kind == "material").face.glow == 2.0


def test_the_same_seconds_at_another_frame_rate():
    slow, fast = (
        shot_in("gangway", fps={"numerator": 24, "denominator": 1}),
        shot_in("gangway", fps={"numerator": 48, "denominator": 1}, last=144),
    )
    a, b = slow.steps[2].reaches[0], fast.steps[2].reaches[0]
    assert (b.duration, b.start) == pytest.approx((2 * a.duration, 2 * a.start), abs=0.2)


def test_a_motion_takes_the_place_of_the_old_one_or_joins_it():
    once = shot_in("rising-tide")
    assert [s.kind for s in once.steps if s.facts.moves] == ["drive", "follow"]
    again = apply_patch(once, set_motion(once, "gangway"))[0]
    assert [s.name for s in again.steps if s.kind == "drive"] == ["Gangway"]
    both = apply_patch(once, set_motion(once, "swell", keep=True))[0]
    assert [s.kind for s in both.steps if s.facts.moves] == ["drive", "follow", "drive"]
    assert len({s.id for s in both.steps}) == len(both.steps)


def test_texts_of_rigs():
    drum = shot_in("flip-drum", "SALT", texts=["TIDE", "ROAD"])
    assert drum.steps[2].words == "TIDE\nROAD"
    swap = shot_in("turn-and-swap", "SALT", texts=["IT'S", 'A "B"'])
    seen = ["".join(m.text for m in Evaluation(swap).structure(f).letters) for f in range(0, 140)]
    assert list(dict.fromkeys(seen)) == ["IT'S", 'A"B"', "SALT"]
    with pytest.raises(DocumentInvalid):
        set_motion(new_shot(), "no-such-motion")


def test_a_band_turns_about_its_own_axis_without_a_seam():
    shot = shot_in("band", "SIX CROSSINGS", last=150)
    radius = shot.steps[0].baseline.radius
    structure = Evaluation(shot).structure(0)
    for frame in (0.0, 37.0, 150.0):
        (poses,) = Evaluation(shot).poses(structure, np.array([frame]))
        middles = np.array([(*m.centre, 0.0, 1.0) for m in structure.letters])
        x, _, z, _ = np.einsum("lij,lj->il", poses, middles)
        assert np.hypot(x, z + radius) == pytest.approx(radius, rel=0.02)
        row = np.array([m.line for m in structure.letters]) == 0
        around = np.sort(np.arctan2(poses[row, 0, 3], poses[row, 2, 3] + radius))
        gaps = np.diff(np.append(around, around[0] + 2 * np.pi))
        assert gaps.max() < 5 * np.median(gaps), "no seam wider than a gap between words"


def test_emblems_move_too_but_have_no_texts():
    raw = write_shot(new_shot())
    raw["steps"][0] = EmblemStep(id="block", emblem="emblem-none").model_dump(mode="json")
    shot = read_shot(raw)
    with pytest.raises(DocumentInvalid, match="texts"):
        set_motion(shot, "turn-and-swap")
    with pytest.raises(DocumentInvalid, match="letters to move"):
        set_motion(read_shot({**raw, "steps": raw["steps"][1:]}), "gangway")


def test_a_kept_motion_is_worn_by_another_shot():
    kept = motion_of(shot_in("driftwood"), "Mine")
    raw = kept.model_dump(mode="json")
    assert MotionSet.model_validate(raw).model_dump(mode="json") == raw
    other = new_shot(text="TIDE")
    worn = apply_patch(other, moved_by(other, Made(tuple(kept.steps)), False))[0]
    assert [s.name for s in worn.steps if s.kind == "drive"] == ["Driftwood"]
    with pytest.raises(DocumentInvalid):
        motion_of(
            read_shot(write_shot(other) | {"steps": [s for s in write_shot(other)["steps"] if s["kind"] != "drive"]}),
            "x",
        )


def test_thumbnails_show_the_title_where_the_camera_sees_it():
    seen = thumbnail(new_shot(text="SALT"))
    assert len(seen.frames) == len(seen.which) and len(seen.outlines) == 4
    end = np.array(seen.frames[-1])
    assert (end[:, 0] > 0.02).all() and (end[:, 6] == 1).all()
    assert -0.85 < end[0, 4] < -0.6, "as wide as the camera fits it"
    assert (np.diff(end[:, 4]) > 0).all()
    found = tried_on(new_shot(text="SALT"), {"own": motion_of(shot_in("ebb"), "Mine")})
    assert set(found) == {"own", *BOOK}


def test_outlines_of_thumbnails_are_drawn_once(monkeypatch):
    """A ring that turns has other places of letters at every frame, but the same letters."""
    drawn = []
    outline = thumbnails.letter_outline
    monkeypatch.setattr(thumbnails, "letter_outline", lambda *of: (drawn.append(of[0]), outline(*of))[1])
    shot = ring_of_crossings()
    first = thumbnail(shot, known := {})
    assert len(drawn) == len(known) < len(first.which[0])
    assert thumbnail(shot, known) == first
    assert len(drawn) == len(known)
