"""Pieces in motion: whole to the bit at home, gone and back by one value, and whatever acts on each by itself."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from letters import still_shot
from moss_crown.core.assets import assets_of
from moss_crown.core.cache import Cache
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.draft.draft import see
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.form.mesh import INSIDE
from moss_crown.core.form.solid import closed
from moss_crown.core.look import pictures
from moss_crown.core.motion.clearance import MEETS, SINKS
from moss_crown.core.picture import title_model
from moss_crown.core.render.renderer import RenderSettings, render

CACHE = Cache()
GOES = {"keys": [{"frame": 5, "value": 0}, {"frame": 20, "value": 1}, {"frame": 40, "value": 0}]}
STILL = {"outward": 0.0, "move": [0, 0, 0], "turn": [0, 0, 0], "spread": 0.0}


def step(passed=GOES, reach=None, **more):
    passage = {"kind": "passage", "passed": passed, "rough": 0.0, **(reach or {})}
    return {"id": "pieces", "kind": "pieces", "number": 8, "reaches": [passage], **more}


def shot(*steps, text="TIDE", **head):
    return still_shot(*(steps or (step(),)), text=text, last=60, **head)


def evaluation(*steps, **head):
    return Evaluation(shot(*steps, **head), CACHE)


def apart(of, *frames):
    (found,) = of.moved(of.structure(of.shot.last), np.array(frames, float))
    return found


def test_a_letter_none_of_whose_pieces_is_away_is_the_letter_itself_to_the_bit():
    of, plain = evaluation(), Evaluation(still_shot(text="TIDE", last=60), CACHE)
    assert apart(of, 0, 40, 60).apart.whole.all()
    for frame in (0, 45, 55):
        cut, whole = (one.scene(frame, 16 / 9) for one in (of, plain))
        assert all(letter.bent is None for letter in cut.letters)
        for a, b in zip(cut.solids, whole.solids, strict=True):
            assert np.array_equal(a.vertices, b.vertices) and np.array_equal(a.normals, b.normals)
        for a, b in zip(cut.letters, whole.letters, strict=True):
            assert np.array_equal(a.poses, b.poses)
    few = RenderSettings(48, 27, 4)
    assert np.array_equal(
        render(of.scene(0, 16 / 9), few, None).beauty, render(plain.scene(0, 16 / 9), few, None).beauty
    )


def test_pieces_go_outward_as_far_as_the_step_says_and_come_back():
    of = evaluation(step(outward=2.0, move=[0, 0, 0.5], turn=[0, 0, 0], spread=0.0, centre={"place": "centre"}))
    found = apart(of, 20).apart
    way = found.ways[0, :, :, 3] - [0, 0, 0.5]
    assert np.linalg.norm(way, axis=1) == pytest.approx(2.0, rel=1e-6)
    assert not found.whole.any() and (found.away == 1).all()
    centres = np.array([(*letter.centre, 0.0) for letter in of.structure(20).letters])[found.pieces.of]
    out = found.pieces.middles - centres
    assert (way * out).sum(1) == pytest.approx(2 * np.linalg.norm(out, axis=1), rel=1e-6)


def test_chance_changes_where_pieces_go_and_a_seed_changes_chance():
    one, two, other = (apart(evaluation(step(cut="line", seed=seed)), 20).apart.ways for seed in (1, 1, 2))
    assert np.array_equal(one, two) and not np.allclose(one, other)
    turns = one[0, :, :, :3]
    assert np.einsum("pij,pkj->pik", turns, turns) == pytest.approx(np.broadcast_to(np.eye(3), turns.shape), abs=1e-9)


def test_pieces_shrink_drift_and_go_along_a_curve():
    small = apart(evaluation(step(**STILL, scale=0.25)), 20).apart.ways
    assert np.linalg.det(small[0, :, :, :3]) == pytest.approx(0.25**3)
    drifts = apart(evaluation(step(1.0, **STILL, drift=[0, 0.5, 0])), 0, 25, 50).apart.ways[:, :, 1, 3]
    assert drifts == pytest.approx(np.array([0, 0.5, 1.0])[:, None] + np.zeros_like(drifts))
    even = {"each": 1.0, "ease": {"leave": [0.3, 0.3], "arrive": [0.7, 0.7]}}
    bow = apart(evaluation(step(0.5, even, **STILL, bow=[1, 0, 0])), 3)
    assert bow.apart.ways[0, :, 0, 3] == pytest.approx(1.0, abs=1e-3)  # 4 r (1 - r) of it
    assert apart(evaluation(step(1.0, **STILL, bow=[1, 0, 0])), 3).apart.whole.all()


def order(**reach):
    """When each piece has gone half way as the passage goes on, and where it is at home."""
    of = evaluation(step({"formula": "f / 60"}, reach, turn=[0, 0, 0]))
    found = apart(of, *range(61)).apart
    rest = np.array([letter.pose() for letter in of.structure(0).letters])[found.pieces.of]
    places = (rest[:, :3, :3] @ found.pieces.middles[..., None])[..., 0] + rest[:, :3, 3]
    gone = np.linalg.norm(found.ways[..., 3] - found.ways[:1, ..., 3], axis=2)
    return (gone < gone[-1:] / 2).sum(0), places


def test_pieces_go_in_order_along_a_direction_from_a_point_and_by_chance():
    along = [0.6, 0.8, 0]
    when, places = order(order="axis", along=along, each=0.3)
    assert np.corrcoef(when, places @ along)[0, 1] > 0.99
    when, places = order(order="near", point=[0, 0.5, 0], each=0.3)
    assert np.corrcoef(when, np.linalg.norm(places - [0, 0.5, 0], axis=1))[0, 1] > 0.99
    when, places = order(order="shuffled", each=0.3)
    assert abs(np.corrcoef(when, places[:, 0])[0, 1]) < 0.6 and len(set(when.tolist())) > 10
    when, _ = order(order="noise", grain=0.4)
    assert len(set(when.tolist())) > 5
    assert (order(each=1.0)[0] == order(each=1.0)[0][0]).all()


def test_pieces_go_first_where_a_picture_is_bright():
    id = "picture-" + "7" * 32
    grey = np.broadcast_to(np.linspace(0, 1, 64)[None, :, None], (8, 64, 4)).copy()
    grey[..., 3] = 1
    pictures.bring_in(id, pictures.pack(grey.astype(np.float32)))
    when, places = order(order="picture", picture=id, width=8.0, each=0.2)
    assert np.corrcoef(when, places[:, 0])[0, 1] < -0.99  # it is bright at its right


@settings(max_examples=20, deadline=None)
@given(st.floats(0, 1), st.floats(0, 1), st.floats(0.01, 1))
def test_a_passage_runs_from_nothing_to_everything(passed, rough, each):
    def gone(at):
        return apart(evaluation(step(at, {"rough": rough, "each": each}, **(STILL | {"outward": 1.0}))), 3).apart

    assert gone(0.0).whole.all() and not gone(1.0).whole.any()
    far = np.linalg.norm(gone(passed).ways[0, :, :, 3], axis=1)
    assert far.max() <= 1 + 1e-9
    more = np.linalg.norm(gone(min(1.0, passed + 0.1)).ways[0, :, :, 3], axis=1)
    assert (more >= far - 1e-9).all()


def drive(**more):
    offset = {"move": [0, 1, 0], "turn": [0, 0, 0], "scale": [1, 1, 1]}
    return {"id": "d", "kind": "drive", "scope": "piece", "offset": offset, "reaches": [{"kind": "everywhere"}], **more}


def test_drives_by_piece_take_zones_cadences_and_noise():
    up = {"inside": 1.0, "outside": 0.0, "shape": "slab", "place": [0, 0, 0], "size": [0.8, 1, 1], "run": 0.5}
    found = apart(evaluation(step(0.0), drive(reaches=[{"kind": "zone", **up}])), 3).apart
    height = found.ways[0, :, 1, 3]
    assert 0 in height and 1 in height and len(set(np.round(height, 3))) > 4
    rows = {"kind": "cadence", "way": "leave", "order": "axis", "along": [0, 1, 0], "delay": 1.0, "duration": 4}
    found = apart(evaluation(step(0.0), drive(reaches=[rows])), 0, 20, 60).apart
    assert found.whole[0].all() and 0 < found.away[1].mean() < 1 and (found.away[2] == 1).all()
    noise = apart(evaluation(step(0.0), drive(reaches=[{"kind": "noise"}])), 7).apart.ways[0, :, 1, 3]
    assert noise.std() > 0.05


def test_by_piece_is_by_letter_where_nothing_is_cut():
    by = [drive(scope=scope) for scope in ("piece", "letter")]
    one, two = (apart(Evaluation(still_shot(d, text="TIDE")), 3) for d in by)
    assert one.apart is None and np.array_equal(one.poses, two.poses)
    off = evaluation(step(1.0) | {"on": False}, drive())
    assert apart(off, 3).apart is None


def test_pieces_turn_about_their_own_middles_or_their_letter():
    turned = drive(offset={"move": [0, 0, 0], "turn": [0, 0, 90], "scale": [1, 1, 1]}, pivot={"about": "piece"})
    found = apart(evaluation(step(0.0), turned), 3).apart
    middles = found.pieces.middles
    there = (found.ways[0, :, :, :3] @ middles[..., None])[..., 0] + found.ways[0, :, :, 3]
    assert there == pytest.approx(middles, abs=1e-9)
    as_one = apart(evaluation(step(0.0), turned | {"pivot": {"about": "letter"}}), 3).apart
    for letter in range(4):  # alike for all pieces of a letter
        own = as_one.ways[0, as_one.pieces.of == letter]
        assert own == pytest.approx(np.broadcast_to(own[0], own.shape), abs=1e-9)


def test_a_follow_through_and_shivers_act_on_pieces():
    spring = {"id": "f", "kind": "follow", "tempo": 2.0, "damping": 0.3}
    leaves = {"kind": "cadence", "way": "arrive", "delay": 0.0, "duration": 4, "start": 4}
    of = evaluation(step(0.0), drive(reaches=[leaves]), spring)
    up = apart(of, *range(60)).apart.ways[:, :, 1, 3]
    assert up[0] == pytest.approx(1.0, abs=1e-6) and up.min() < -0.1  # past its end, and back
    assert np.abs(up[-1]).max() < 0.02
    shakes = {"id": "s", "kind": "shiver", "scope": "piece", "pivot": {"about": "piece"}}
    found = apart(evaluation(step(0.0), shakes), 7).apart
    assert not found.whole.any() and np.abs(found.ways[0, :, :, 3]).max() < 0.1
    rest = evaluation(step(0.0), shakes)
    assert (rest.timing(rest.structure(0), np.arange(61.0)).rest == 0).all()


def test_what_pieces_wear_is_their_letters_by_the_mean():
    fades = drive(
        offset={"opacity": 0.0, "move": [0, 0, 0], "turn": [0, 0, 0]},
        reaches=[{"kind": "zone", "shape": "slab", "place": [-10, 0, 0], "size": [10, 1, 1], "run": 0}],
    )
    left = apart(evaluation(step(0.0), fades), 3).wear.opacities()[0]
    assert left[0] == 0 and left[-1] == 1 and ((left >= 0) & (left <= 1)).all()


def test_pieces_are_rendered_where_they_are_and_meshes_stay_closed():
    of = evaluation()
    scene = of.scene(15, 16 / 9, motion=True)
    for letter in scene.letters:
        solid = scene.solids[letter.solid]
        if letter.bent is None:
            continue
        assert closed(solid.triangles) and (solid.facet == INSIDE).any()
        assert np.linalg.norm(letter.bent.normals, axis=-1) == pytest.approx(1, abs=1e-4)
    assert max(len(letter.bent.places) for letter in scene.letters if letter.bent is not None) > 1
    begin = of.shutter_frames(15, 16 / 9)[0]
    ways = apart(of, begin).apart
    number = next(k for k, letter in enumerate(scene.letters) if letter.bent is not None)
    own = ways.ways[0, ways.pieces.of == number]
    solid, bent = scene.solids[scene.letters[number].solid], scene.letters[number].bent
    there = (own[solid.piece][..., :3] @ solid.vertices[..., None])[..., 0] + own[solid.piece][..., 3]
    assert bent.places[0] == pytest.approx(there, abs=1e-5)
    later = apart(of, begin + 1).apart
    after = later.ways[0, later.pieces.of == number][solid.piece]
    assert bent.later == pytest.approx((after[..., :3] @ solid.vertices[..., None])[..., 0] + after[..., 3], abs=1e-5)


def test_a_frame_alone_has_the_bits_of_one_in_sequence():
    whole, alone = evaluation(), Evaluation(shot(), Cache())
    found = apart(whole, *range(61)).apart.ways
    for frame in (31, 7, 15):
        assert np.array_equal(apart(alone, frame).apart.ways[0], found[frame])


def test_the_inside_has_a_material_of_its_own():
    raw = write_shot(shot())
    for one in raw["steps"]:
        if one["kind"] == "material":
            one["inside"] = {"colour": [0.9, 0.05, 0.02], "roughness": 0.8}
    scene = Evaluation(read_shot(raw), CACHE).scene(20, 16 / 9)
    colours = {scene.surfaces[letter.surfaces[INSIDE]].colour for letter in scene.letters}
    assert colours == {(0.9, 0.05, 0.02)}
    plain = evaluation().scene(20, 16 / 9)
    assert all(letter.surfaces[INSIDE] == letter.surfaces[1] for letter in plain.letters)


def test_bent_letters_break_too():
    bend = {"id": "b", "kind": "bend", "angle": 120.0}
    of = evaluation(bend, step())
    scene = of.scene(15, 16 / 9)
    assert all(closed(scene.solids[letter.solid].triangles) for letter in scene.letters)
    assert any(scene.solids[letter.solid].piece is not None for letter in scene.letters)


def test_models_of_a_frame_hold_its_pieces():
    of = evaluation()
    model = title_model(of, 20)
    poses = apart(of, 20)
    for node, number in zip(model.nodes, range(4), strict=True):
        own = model.solids[node.mesh]
        assert closed(own.triangles) and (own.facet == INSIDE).any()
        ways = poses.apart.ways[0, poses.apart.pieces.of == number]
        low, high = own.vertices.min(0), own.vertices.max(0)
        middles = poses.apart.pieces.middles[poses.apart.pieces.of == number]
        there = (ways[..., :3] @ middles[..., None])[..., 0] + ways[..., 3]
        assert (there > low - 0.05).all() and (there < high + 0.05).all()


def test_the_sheet_knows_contacts_rest_and_what_is_away():
    falls = evaluation(step(**(STILL | {"move": [0, -2, 0]})))
    frames = np.arange(61.0)
    found = falls.contacts(falls.structure(0), frames)
    assert not (found[0] & SINKS).any() and (found[20] & SINKS).all() and not (found[60] & SINKS).any()
    across = evaluation(step(reach={"each": 0.1}, **(STILL | {"move": [0.7, 0, 0]})))
    assert (across.contacts(across.structure(0), frames) & MEETS).any()
    rest = falls.timing(falls.structure(0), frames).rest
    assert ((rest > 20) & (rest <= 41)).all()
    seen = see(falls.shot, CACHE)
    head = seen.head.spans[0]
    assert head.pieces == sum(count for _, count in (letter.pieces for letter in head.letters)) > 8
    assert all('"cut":{' in letter.recipe for letter in head.letters)
    whole = see(shot(step(0.0)), CACHE).head.spans[0]
    assert whole.pieces == 0 and all('"cut":null' in letter.recipe for letter in whole.letters)


def test_cuts_go_through_all_letters_when_asked():
    def edges(through):
        of = evaluation(step(cut="strips", number=6, angle=90.0, through=through))
        found = of.in_pieces(of.structure(0), 0)
        return [np.round(found.boxes[found.of == k][:, 0, 1], 3) for k in range(4)]

    one, two = edges(False), edges(True)
    assert set(one[0]) and set(two[0])
    of = evaluation(step(cut="bricks", number=6, through=True))
    assert of.in_pieces(of.structure(0), 0).count > 8


def test_pictures_and_emblems_that_pieces_go_by_are_known_to_be_needed():
    id = "picture-" + "8" * 32
    inside = {"pictures": {"colour": "picture-" + "9" * 32}}
    raw = write_shot(shot(step(reach={"picture": id}, cut="line", line={"emblem": "own-mark"})))
    raw["steps"] = [s | {"inside": inside} if s["kind"] == "material" else s for s in raw["steps"]]
    named = assets_of(read_shot(raw))
    assert named[id] == "/steps/2/reaches/0/picture" and named["own-mark"] == "/steps/2/line/emblem"
    assert named["picture-" + "9" * 32].endswith("/inside/pictures/colour")


def test_a_shot_has_no_more_pieces_than_it_may():
    of = evaluation(step(1.0, number=400), text="THE SALT ROAD")
    assert of.in_pieces(of.structure(0), 0).count <= 3_300
    with pytest.raises(Exception, match="number"):
        shot(step(1.0, number=0))
    with pytest.raises(Exception, match="number"):
        shot(step(1.0, number=1_000_000))
