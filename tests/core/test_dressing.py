"""Who wears what: materials for all letters, for those of a rule, and for some by hand."""

import numpy as np
import pytest
from jsonpatch import apply_patch
from pydantic import ValidationError

from moss_crown.core import limits
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.letters import BlockStep, Some
from moss_crown.core.document.look import Material, MaterialStep
from moss_crown.core.document.motion import DriveStep, Offset, Zone
from moss_crown.core.document.shot import Shot
from moss_crown.core.draft.looks import look_at_frame
from moss_crown.core.errors import TooMany
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.setting import set_at
from moss_crown.core.look.dressing import dresses_of, material_for, material_steps, stretches, those, wearers
from moss_crown.core.picture import title_model
from moss_crown.core.proposals.look_book import LOOKS
from moss_crown.core.proposals.looks import look_of, wear

RED, BLUE = Material(colour=(0.8, 0.05, 0.02)), Material(colour=(0.05, 0.1, 0.8))


def shot_with(text: str, *materials: MaterialStep, **block: object) -> Shot:
    shot = new_shot(text=text)
    steps = [s for s in shot.steps if s.kind != "material"]
    first = steps[0].model_copy(update=block)
    return shot.model_copy(update={"steps": [first, *steps[1:], *materials]})


def material(id: str, face: Material, **some: object) -> MaterialStep:
    return MaterialStep(id=id, face=face, some=Some.model_validate(some))


def worn_by(shot: Shot, frame: float = 60) -> str:
    """A character a letter: the id of the material step that it wears."""
    setting = Evaluation(shot).structure(frame).blocks[0].setting
    steps, wears = wearers(shot, 0, setting, frame)
    return "".join(steps[k].id[-1] for k in wears)


ALL = material("step-a", RED)


@pytest.mark.parametrize(
    ("some", "expected"),
    [
        ({"by": "all"}, "bbbbbbbbbbb"),
        ({"by": "rule", "rule": {"pick": "first", "within": "word"}}, "baaaaaabaaa"),
        ({"by": "rule", "rule": {"unit": "word", "pick": "last"}}, "aaaaaaabbbb"),
        ({"by": "rule", "rule": {"pick": "every", "every": 2, "start": 2}}, "abababababa"),
        ({"by": "hand", "hand": [{"block": "block", "of": "KESTREL TIDE", "first": 8, "last": 9}]}, "aaaaaaabbaa"),
        ({"by": "hand", "hand": [{"block": "other", "of": "KESTREL TIDE", "first": 8, "last": 9}]}, "aaaaaaaaaaa"),
        ({"by": "all", "blocks": ["block"]}, "bbbbbbbbbbb"),
        ({"by": "all", "blocks": ["other"]}, "aaaaaaaaaaa"),
    ],
)
def test_the_last_material_for_a_letter_is_worn(some, expected):
    shot = shot_with("KESTREL TIDE", ALL, material("step-b", BLUE, **some))
    assert worn_by(shot) == expected


def test_a_later_material_for_all_covers_those_before_it():
    some = material("step-b", BLUE, by="rule")
    assert worn_by(shot_with("TIDE", some, ALL)) == "aaaa"
    assert len(material_steps(shot_with("TIDE", some, ALL), 0, 0)) == 1


def test_a_step_that_is_off_is_worn_by_nobody():
    off = material("step-b", BLUE, by="rule").model_copy(update={"on": False})
    assert worn_by(shot_with("TIDE", ALL, off)) == "aaaa"


def test_letters_by_hand_are_found_again_in_another_text():
    hand = [{"block": "block", "of": "HIGH TIDE", "first": 5, "last": 8}]
    chosen = material("step-b", BLUE, by="hand", hand=hand)
    assert worn_by(shot_with("THE TIDE", ALL, chosen)) == "aaabbbb"


def test_a_stretch_that_leaves_its_text_is_refused():
    hand = [{"block": "block", "of": "TIDE", "first": 2, "last": 4}]
    with pytest.raises(ValidationError, match=r"between first \(2\) and the end of the text \(3\)"):
        Some.model_validate({"by": "hand", "hand": hand})


def test_scene_draft_and_export_agree_on_who_wears_what():
    shot = shot_with("TIDE", ALL, material("step-b", BLUE, by="rule", rule={"pick": "last"}))
    scene = Evaluation(shot).scene(60, 16 / 9)
    faces = [scene.surfaces[letter.surfaces[0]].colour for letter in scene.letters]
    assert faces == [RED.colour] * 3 + [BLUE.colour]
    block = look_at_frame(shot, 60).blocks[0]
    assert [block.dresses[k][0].colour for k in block.wears] == faces
    model = title_model(Evaluation(shot), 60)
    assert [model.dresses[node.mesh].surfaces[0].colour for node in model.nodes] == faces


def test_an_export_keeps_tint_and_opacity_of_a_drive():
    shot = shot_with("TIDE", ALL)
    cadence = {"kind": "cadence", "way": "leave", "start": 0, "duration": 10, "delay": 4}
    offset = {"tint": (0.1, 0.2, 0.9), "tint_share": 1.0, "opacity": 0.25}
    drive = DriveStep.model_validate({"kind": "drive", "id": "wear", "offset": offset, "reaches": [cadence]})
    gone = drive.model_copy(
        update={"id": "gone", "offset": Offset(opacity=0.0), "reaches": [Zone(place=(-1.5, 0.5, 0.0))]}
    )
    for steps in ([drive], [drive, gone]):
        worn = shot.model_copy(update={"steps": [shot.steps[0], *steps, *shot.steps[1:]]})
        scene, model = (
            Evaluation(worn).scene(15, 16 / 9, blur=False),
            title_model(Evaluation(worn), 15),
        )
        seen = [scene.surfaces[letter.surfaces[0]] for letter in scene.letters]
        assert [model.dresses[node.mesh].surfaces[0] for node in model.nodes] == seen
        assert 0 < len(seen) < 4 or len(steps) == 1
        assert len({surface.opacity for surface in seen}) > 1


def test_a_scene_of_too_many_triangles_is_refused(monkeypatch):
    shot = shot_with("TIDE", ALL)
    most = sum(len(solid.triangles) for solid in Evaluation(shot).scene(60, 16 / 9).solids)
    monkeypatch.setattr(limits, "TRIANGLES", most)
    Evaluation(shot).scene(60, 16 / 9)
    monkeypatch.setattr(limits, "TRIANGLES", most - 1)
    with pytest.raises(TooMany, match=f"at most {most - 1}"):
        Evaluation(shot).scene(60, 16 / 9)


def test_equal_letters_in_unlike_materials_are_two_meshes_of_an_export():
    shot = shot_with("OO", ALL, material("step-b", BLUE, by="rule"))
    model = title_model(Evaluation(shot), 60)
    assert [model.dresses[n.mesh].surfaces[0].colour for n in model.nodes] == [BLUE.colour, RED.colour]


def test_a_bevel_of_their_own_is_for_those_letters_alone():
    own = material("step-b", BLUE, by="rule").model_copy(update={"bevel": RED})
    shot = shot_with("TIDE", ALL, own)
    dresses, wears = dresses_of(shot, 0, Evaluation(shot).structure(0).blocks[0].setting, 0)
    assert [len(dresses[k].surfaces) for k in wears] == [3, 2, 2, 2]


def given(shot: Shot, letters: list[int], frame: float = 60) -> Shot:
    """The shot after letters were given a material of their own."""
    blocks = [(b.step, b.setting) for b in Evaluation(shot).structure(frame).blocks]
    return read_shot(apply_patch(write_shot(shot), material_for(shot, blocks, letters, frame)))


def test_letters_given_a_material_of_their_own_look_as_before():
    shot = shot_with("KESTREL TIDE", ALL)
    after = given(shot, [7, 8, 9, 10])
    step = after.steps[-1]
    assert step.kind == "material" and step.name == "TIDE: material"
    assert [h.of[h.first : h.last + 1] for h in step.some.hand] == ["TIDE"]
    before, now = (Evaluation(s).scene(60, 16 / 9) for s in (shot, after))
    for a, b in zip(before.letters, now.letters, strict=True):
        assert before.surfaces[a.surfaces[0]] == now.surfaces[b.surfaces[0]]


def test_letters_of_two_blocks_can_share_a_material():
    shot = shot_with("TIDE", ALL)
    second = BlockStep(id="second", text="TABLE", move=(0, -1.5, 0))
    shot = shot.model_copy(update={"steps": [shot.steps[0], second, *shot.steps[1:]]})
    after = given(shot, [3, 4])
    assert {h.block: h.of[h.first : h.last + 1] for h in after.steps[-1].some.hand} == {"block": "E", "second": "T"}
    assert given(after, [0]).steps[-1].id != after.steps[-1].id


def test_no_letters_give_no_patch():
    shot = shot_with("TIDE", ALL)
    assert material_for(shot, [(0, set_at(shot.steps[0], 0))], [40], 0) == []


def test_stretches_join_neighbours_across_spaces_only():
    setting = Evaluation(shot_with("KESTREL TIDE", ALL)).structure(0).blocks[0].setting
    found = stretches("block", setting, [0, 1, 6, 7, 10])
    assert [s.of[s.first : s.last + 1] for s in found] == ["KE", "L T", "E"]
    assert those(Some(by="hand", hand=found), "block", setting) == [0, 1, 6, 7, 10]


def test_a_look_leaves_the_material_of_some_letters_alone():
    own = material("step-b", BLUE, by="rule")
    shot = shot_with("TIDE", ALL, own)
    look = LOOKS["porcelain"]
    after = read_shot(apply_patch(write_shot(shot), wear(shot, 60, look)))
    materials = {s.id: s for s in after.steps if s.kind == "material"}
    assert materials["step-a"].face == look.material.face
    assert materials["step-b"] == own
    assert look_of(shot, 60, "kept").material.face == RED


def test_surfaces_are_shared_by_letters_that_wear_the_same():
    shot = shot_with("KESTREL TIDE", ALL, material("step-b", BLUE, by="rule", rule={"pick": "every", "every": 2}))
    scene = Evaluation(shot).scene(60, 16 / 9)
    assert len({letter.surfaces for letter in scene.letters}) == 2
    assert np.ptp([s for letter in scene.letters for s in letter.surfaces]) < len(scene.surfaces)
