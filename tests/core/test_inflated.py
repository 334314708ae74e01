"""Letters that gas fills: in scenes, drafts, models and on the sheet."""

from __future__ import annotations

import json
import struct

import numpy as np
import pytest

from moss_crown.core.cache import Cache, Patience
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.draft.draft import packed_whole, see
from moss_crown.core.draft.notes import notes
from moss_crown.core.draft.recipes import SolidRecipe, build_recipe
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation import inflating
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.order import FrameOrder
from moss_crown.core.physics.balloons import CHUNK
from moss_crown.core.picture import render_frame, title_model

FILLS = {"kind": "cadence", "way": "leave", "start": 6, "delay": 3, "duration": 12}
INFLATE = {"id": "inflate", "kind": "inflate", "fine": "coarse", "reaches": [FILLS]}
CACHE = Cache()


def shot_of(*steps, text="SEA", last=60, form=(), block=(), **more):
    raw = write_shot(new_shot(text=text, last=last))
    kept = [step for step in raw["steps"] if step["kind"] != "drive"]
    kept[0] |= dict(block)
    kept[1] |= dict(form)
    return read_shot(raw | {"steps": [*kept[:2], *(steps or (INFLATE | more,)), *kept[2:]]})


def of_shot(shot, cache=CACHE):
    of = Evaluation(shot, cache)
    return of, of.structure(0)


def test_letters_are_as_they_were_until_they_are_filled_and_after_the_gas_is_out():
    there = {"kind": "everywhere", "level": {"keys": [{"frame": k, "value": v} for k, v in ((4, 0), (12, 1), (20, 0))]}}
    of, structure = of_shot(shot_of(reaches=[there], last=100))
    full = of.inflated(structure, 0)
    assert full.at(4.0, 0) is None and full.at(12.0, 0) is not None and full.at(99.0, 0) is None
    plain = Evaluation(shot_of({"id": "none", "kind": "shiver", "move": [0, 0, 0], "turn": [0, 0, 0]}), CACHE)
    order = FrameOrder(64, 36, 2, denoise=False)
    for frame, same in ((3, True), (12, False), (99, True)):
        pictures = [render_frame(one, frame, order).beauty for one in (of, plain)]
        assert np.array_equal(*pictures) == same
    boxed, poses = of.boxed(structure, np.array([2.0, 14.0, 99.0])), of.poses(structure, np.array([2.0, 14.0, 99.0]))
    assert np.array_equal(boxed[[0, 2]], poses[[0, 2]]) and not np.array_equal(boxed[1], poses[1])


def test_boxes_are_around_letters_as_they_are():
    of, structure = of_shot(shot_of())
    full = of.inflated(structure, 0)
    boxed, poses = (ask(structure, np.array([40.0]))[0] for ask in (of.boxed, of.poses))
    for letter in range(3):
        at = full.at(40.0, letter)
        world = at @ poses[letter, :3, :3].T + poses[letter, :3, 3]
        corners = full.solid(letter).vertices
        low, high = corners.min(0), corners.max(0)
        box = np.array([(x, y, z) for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        around = box @ boxed[letter, :3, :3].T + boxed[letter, :3, 3]
        assert around.min(0) == pytest.approx(world.min(0), abs=1e-5)
        assert around.max(0) == pytest.approx(world.max(0), abs=1e-5)


def test_full_letters_are_full_from_the_first_frame_on():
    of, structure = of_shot(shot_of(reaches=[{"kind": "everywhere"}]))
    full = of.inflated(structure, 0)
    first, last = full.at(0.0, 1), full.at(60.0, 1)
    assert first is not None and np.abs(first - last).max() < 1e-3
    assert of.timing(structure, np.arange(0.0, 61.0)).rest.max() <= 0


def test_a_frame_alone_has_the_bits_of_one_in_sequence_and_blur_lies_between():
    shot = shot_of()
    of, structure = of_shot(shot)
    order = FrameOrder(64, 36, 2, denoise=False)
    one = render_frame(Evaluation(shot, Cache()), 14, order).beauty
    for frame in (20, 14):
        again = render_frame(of, frame, order).beauty
    assert np.array_equal(one, again)
    scene = of.scene(12, 16 / 9)
    bent = [letter.bent for letter in scene.letters]
    assert all(b is not None and len(b.places) >= 2 for b in bent[:1])
    assert np.linalg.norm(bent[0].normals, axis=-1) == pytest.approx(1.0, abs=1e-4)
    full = of.inflated(structure, 0)
    early, late = full.at(12 - 0.25, 0), full.at(12 + 0.25, 0)
    count = len(early)
    assert bent[0].places[0][:count] == pytest.approx(
        full.divided(0)[0].mixed(early, full.roundness(0, early))[:count], abs=1e-6
    )
    assert np.abs(late - early).max() > 1e-4
    assert of.scene(50, 16 / 9, motion=True).letters[0].bent.later is not None


def unpacked(message):
    long = struct.unpack("<I", message[:4])[0]
    return json.loads(message[4 : 4 + long]), np.frombuffer(message[4 + long :], "<f4")


def chunks_in(head, numbers):
    """Chunks of a draft of one span without wear or bends."""
    span = head["spans"][0]
    frames, letters = span["last"] - span["first"] + 1, len(span["letters"])
    at = frames * letters * 16 + frames * 16
    found = {}
    for name, (vertices, own) in head["sent"].items():
        words = -(-CHUNK * vertices * 3 // 2)
        most, round_ = numbers[at], numbers[at + 1 : at + 1 + CHUNK * own]
        small = numbers[at + 1 + CHUNK * own : at + 1 + CHUNK * own + words].view("<i2")[: CHUNK * vertices * 3]
        found[name] = most * small.reshape(CHUNK, vertices, 3) / 32_767, round_.reshape(CHUNK, own)
        at += 1 + CHUNK * own + words
    return found


@pytest.mark.parametrize("more", [{}, {"turn": [20, 30, 0], "scale": [1.5, 1.5, 1.5], "layout": "drum"}])
def test_a_draft_has_the_vertices_that_a_render_has(more):
    block = {key: value for key, value in more.items() if key != "layout"}
    shot = shot_of(block=block | ({"baseline": {"kind": "drum", "radius": 2.0}} if "layout" in more else {}))
    head, numbers = unpacked(packed_whole(see(shot, CACHE)))
    assert head["solved"] is None
    span, chunks = head["spans"][0], chunks_in(head, numbers)
    (swelling,) = span["swellings"]
    of, structure = of_shot(shot)
    full = of.inflated(structure, 0)
    size = float(structure.blocks[0].setting.size)
    for frame in (10, 17, 40):
        since = round(frame - swelling["begin"])
        offsets, round_ = chunks[swelling["chunks"][(since - 1) // CHUNK]]
        for place, (letter, begin, end) in enumerate(swelling["letters"]):
            at = full.at(float(frame), letter)
            home = full.solid(letter).vertices
            drawn = home + offsets[(since - 1) % CHUNK, begin:end]
            assert np.abs(drawn - (home if at is None else at)).max() < 1e-4 * size
            if at is not None:
                assert round_[(since - 1) % CHUNK, place] == pytest.approx(full.roundness(letter, at), abs=1e-4)
    # And the browser has these vertices by their numbers.
    recipe = SolidRecipe.model_validate_json(span["letters"][0]["recipe"])
    assert recipe.even > 0 and b"_VERTEX" in build_recipe(recipe, CACHE)
    assert b"_VERTEX" not in build_recipe(recipe.model_copy(update={"even": 0.0}), CACHE)


def test_a_draft_comes_as_far_as_somebody_waits_and_what_is_there_is_not_sent_again():
    shot, cache = shot_of(pressure=1.07), Cache()
    first = see(shot, cache, (), Patience(0.0))
    assert first.head.solved is not None
    sketch = first.head.spans[0].swellings[0]
    known, rounds = list(first.head.sent), 0
    while True:
        seen = see(shot, cache, known, Patience(0.01))
        assert not set(seen.head.sent) & set(known)
        known += seen.head.sent
        rounds += 1
        if seen.head.solved is None:
            break
        assert seen.head.spans[0].swellings[0] == sketch  # it stays until all is known
        assert 6 <= seen.head.solved < 60 and rounds < 40
    assert rounds > 1
    whole = see(shot, Cache())
    assert whole.head.spans[0].swellings == seen.head.spans[0].swellings
    assert set(whole.head.sent) <= set(known)
    swelling = whole.head.spans[0].swellings[0]
    assert swelling.vertices > 1.3 * sketch.vertices
    assert len(sketch.chunks) == len(swelling.chunks) and sketch.begin == swelling.begin
    # A sketch is as plump as what it stands for.
    fine, coarse = Evaluation(shot, cache), Evaluation(shot, Cache(), Patience(0.0))
    there = [np.array([20.0, 50.0]), fine.structure(0)]
    boxes = [one.boxed(there[1] if one is fine else one.structure(0), there[0]) for one in (fine, coarse)]
    assert np.abs(boxes[0] - boxes[1]).max() < 0.08
    assert packed_whole(see(shot, cache, known)) == packed_whole(see(shot, cache, known))


def test_more_chunks_than_a_message_should_have_come_with_the_next(monkeypatch):
    monkeypatch.setattr("moss_crown.core.draft.draft.SENT_BYTES", 1)
    shot, known, rounds = shot_of(), [], 0
    while True:
        seen = see(shot, CACHE, known)
        assert len(seen.head.sent) == 1
        known += seen.head.sent
        rounds += 1
        if seen.head.solved is None:
            break
        assert seen.head.solved == 59
    assert rounds > 2 and set(known) == set(seen.head.spans[0].swellings[0].chunks)


def test_models_have_letters_as_full_as_they_are():
    of, _ = of_shot(shot_of())
    flat, full = (title_model(of, frame) for frame in (0, 50))
    volumes = [sum(solid.volume for solid in model.solids) for model in (flat, full)]
    assert volumes[1] > 1.1 * volumes[0]
    assert all(np.linalg.norm(s.normals, axis=2) == pytest.approx(1.0, abs=1e-4) for s in full.solids)


def test_the_sheet_says_when_each_has_swollen_and_what_it_meets():
    of, structure = of_shot(shot_of(last=100))
    frames = np.arange(0.0, 101.0)
    timing = of.timing(structure, frames)
    assert (np.diff(timing.rest) > 0).all() and 18 < timing.rest[0] < 90
    assert timing.speeds[0, 12, 0] > 0.02 and timing.speeds[0, 2].max() == 0
    assert of.rest_frame() == timing.rest.max()


def test_each_letter_has_a_pressure_of_its_own_and_deformers_bend_them_full():
    own = {"formula": "1 + 7 * i"}
    of, structure = of_shot(shot_of(INFLATE | {"pressure": own, "stretch": 0.8}, text="OOO"))
    full = of.inflated(structure, 0)
    deep = [float(np.ptp(full.at(50.0, k)[:, 2])) for k in range(3)]
    assert deep[0] < deep[1] < deep[2]
    bend = {"id": "bend", "kind": "bend", "angle": 60, "reaches": [{"kind": "everywhere"}]}
    of, structure = of_shot(shot_of(INFLATE, bend))
    scene = of.scene(50, 16 / 9)
    straight = Evaluation(shot_of(), CACHE).scene(50, 16 / 9)
    for one, other in zip(scene.letters, straight.letters, strict=True):
        assert one.bent.places.shape == other.bent.places.shape
        assert np.abs(one.bent.places - other.bent.places).max() > 0.01


def test_letters_with_many_vertices_get_coarser_and_say_so(monkeypatch):
    monkeypatch.setattr(inflating, "MOST_VERTICES", 1_500)
    of, structure = of_shot(shot_of(fine="fine"), Cache())
    full = of.inflated(structure, 0)
    assert len(full.foils.foil.home) <= 1_500 and full.foils.edge > inflating.EDGES["fine"]
    assert "motion.swells_coarse" in [note.code for note in notes(of, 0.0)]


def test_what_is_asked_for_without_end_is_solved_so_long_and_says_so(monkeypatch):
    monkeypatch.setattr(inflating, "AFTER", 1.0)
    level = {"formula": "0.5 + 0.5 * sin(f)"}
    of, structure = of_shot(shot_of(reaches=[{"kind": "everywhere", "level": level}], last=100), Cache())
    full = of.inflated(structure, 0)
    assert np.array_equal(full.at(80.0, 0), full.at(100.0, 0))
    assert "motion.swells_long" in [note.code for note in notes(of, 0.0)]


def test_what_is_cut_and_what_is_filled_already_is_said():
    pieces = {"id": "pieces", "kind": "pieces", "number": 3}
    of, structure = of_shot(shot_of(INFLATE, pieces), Cache())
    assert of.inflated(structure, 0) is None
    assert "motion.swells_whole" in [note.code for note in notes(of, 0.0)]
    of, structure = of_shot(shot_of(INFLATE, INFLATE | {"id": "more"}), Cache())
    assert [(n.step, n.code) for n in notes(of, 0.0) if n.code.startswith("motion.swells")] == [
        ("more", "motion.swells_once")
    ]
    of, structure = of_shot(shot_of(on=False), Cache())
    assert of.inflated(structure, 0) is None and not of.swells


def test_nothing_swells_into_the_floor_that_it_stands_on():
    of, structure = of_shot(shot_of(reaches=[{"kind": "everywhere"}], weight=2.0))
    full = of.inflated(structure, 0)
    poses = of.poses(structure, np.array([0.0]))[0]
    lowest = min(float((full.at(0.0, k) @ poses[k, 1, :3] + poses[k, 1, 3]).min()) for k in range(3))
    rest = min(float((full.solid(k).vertices @ poses[k, 1, :3] + poses[k, 1, 3]).min()) for k in range(3))
    assert lowest > rest - 1e-5
    free, structure = of_shot(shot_of(reaches=[{"kind": "everywhere"}], weight=2.0, grounds=False))
    other = free.inflated(structure, 0)
    assert min(float((other.at(0.0, k) @ poses[k, 1, :3] + poses[k, 1, 3]).min()) for k in range(3)) < rest - 0.005


@pytest.mark.parametrize(
    ("member", "value"),
    [
        ("pressure", -1),
        ("pressure", 1e6),
        ("wrinkles", 1.5),
        ("stretch", 2),
        ("stiff", -0.1),
        ("weight", 11),
        ("fine", "x"),
    ],
)
def test_what_lies_beyond_a_bound_names_its_field(member, value):
    with pytest.raises(DocumentInvalid) as wrong:
        shot_of(INFLATE | {member: value})
    assert f"/{member}" in wrong.value.field


def test_an_early_frame_is_solved_no_farther_than_it_needs():
    of, structure = of_shot(shot_of(pressure=1.11), Cache())
    full = of.inflated(structure, 0)
    assert full.at(9.0, 0) is not None and full.track(1).solved == CHUNK
