"""Drawings that ship with the application are emblems like any; a sign hangs from two of them."""

import numpy as np
import pytest

from moss_crown.core.assets import assets_of, check_assets
from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.motion import GroupStep
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.form.solid import Form
from moss_crown.core.motion.clearance import MEETS, SINKS
from moss_crown.core.proposals.motions import set_motion
from moss_crown.core.proposals.thumbnails import tried_on
from moss_crown.core.type import emblem
from moss_crown.core.type.drawing import box_of
from moss_crown.core.type.layout import EmblemSetting, set_emblem
from moss_crown.core.type.ornaments import ORNAMENTS

ALL = Cache(64 * 1024 * 1024)


@pytest.mark.parametrize("id", ORNAMENTS)
def test_an_ornament_stands_on_its_origin_and_is_as_high_as_it_says(id):
    face = emblem.find(id)
    assert emblem.is_known(id) and emblem.is_emblem(id)
    extents = np.array([face.extents(part) for part in range(len(face.names))])
    assert extents[:, 1].min() == pytest.approx(0) and extents[:, 3].max() == pytest.approx(1000)
    assert extents[:, 0].min() == pytest.approx(-extents[:, 2].max())
    left, top, wide, high = box_of(ORNAMENTS[id].parts)
    assert (left, top, wide, high) == pytest.approx((-wide / 2, -1000, wide, 1000))


def hung(text, **more):
    shot = new_shot(text=text)
    return patched(write_shot(shot), set_motion(shot, "hanging-sign", **more))


def test_a_shot_with_bundled_drawings_needs_no_file():
    shot = hung("SALT")
    assert not [id for id in assets_of(shot) if emblem.is_emblem(id)]
    check_assets(shot)


@pytest.mark.parametrize("text", ["SALT UNION\nof Lowmere", "UVOWY", "T", "i j"])
def test_each_cord_ends_on_a_letter_and_hangs_from_the_rail_at_every_frame(text):
    shot = hung(text)
    of = Evaluation(shot)
    cords = [s for s in shot.steps if isinstance(s, EmblemStep) and s.id.startswith("rig-cord")]
    structure = of.structure(shot.last)
    low = of.block_corners(shot.last)
    top = low["rig-rail"][:, 1].min()
    at_rest = of.resting(structure, shot.last).poses
    block = structure.blocks[0]
    solids = [solid_of(letter, block.form, ALL) for letter in block.letters]
    letters = np.concatenate([s.vertices @ p[:3, :3].T + p[:3, 3] for s, p in zip(solids, at_rest[0], strict=True)])
    for cord in cords:
        corners = low[cord.id]
        assert corners[:, 1].max() == pytest.approx(top, abs=1e-3)
        x, y = cord.move[0], cord.move[1]
        near = letters[(np.abs(letters[:, 0] - x) < 0.12) & (np.abs(letters[:, 1] - y) < 0.05)]
        wide = letters[np.abs(letters[:, 1] - y) < 0.05]
        assert len(near) or wide[:, 0].min() < x < wide[:, 0].max(), f"the cord at {x} ends in the air"
    for frame in range(int(shot.first), int(shot.last), 7):
        for number, own in enumerate(structure.blocks):
            if shot.steps[own.step].id.startswith("rig-cord"):
                pose = of.poses(structure, np.array([float(frame)]))[0]
                begin = sum(len(b.letters) for b in structure.blocks[:number])
                upper = pose[begin] @ np.array([0.0, own.letters[0].top, 0.0, 1.0])
                assert upper[1] == pytest.approx(top, abs=2e-3), frame


@pytest.mark.parametrize("text", ["\nSALT", "SALT\n\n"])
def test_a_line_without_letters_holds_nothing(text):
    assert len([s for s in hung(text).steps if isinstance(s, EmblemStep)]) == 3


def test_a_title_that_is_off_hangs_from_nothing_and_other_motions_are_shown_all_the_same():
    new = new_shot()
    shot = new.model_copy(update={"steps": [BlockStep(id="block", text="SALT", on=False), *new.steps[1:]]})
    with pytest.raises(DocumentInvalid, match="nothing to hang"):
        set_motion(shot, "hanging-sign")
    shown = tried_on(shot)
    assert "hanging-sign" not in shown and "hinge" in shown


def test_the_sign_swings_less_each_time_comes_to_rest_and_touches_no_stage():
    shot = hung("THE ANCHOR INN")
    (sign,) = [s for s in shot.steps if isinstance(s, GroupStep)]
    swings = [abs(key.value[0]) for key in sign.turn.keys]
    assert swings == sorted(swings, reverse=True) and swings[-1] == 0 and swings[0] > 30
    of = Evaluation(shot)
    for structure, own in of.spans([float(f) for f in shot.frames]):
        assert not (of.contacts(structure, np.array(own)) & (MEETS | SINKS)).any()
    assert of.rest_frame() < shot.last


def test_what_a_rig_brought_goes_with_it_and_a_second_one_hangs_by_its_own():
    shot = hung("SALT")
    again = patched(write_shot(shot), set_motion(shot, "shop-sign"))
    assert not [s for s in again.steps if s.id.startswith("rig-")]
    twice = patched(write_shot(shot), set_motion(shot, "hanging-sign", keep=True))
    groups = [s for s in twice.steps if isinstance(s, GroupStep)]
    assert groups[1].members == ["block", "rig-cord-1-2", "rig-cord-2-2"]
    instead = patched(write_shot(shot), set_motion(shot, "hanging-sign"))
    assert len([s for s in instead.steps if isinstance(s, EmblemStep)]) == 3
    (only,) = [s for s in instead.steps if isinstance(s, GroupStep)]
    assert set(only.members) <= {s.id for s in instead.steps}


def test_every_part_makes_a_sound_solid():
    for id in ORNAMENTS:
        for part in set_emblem(EmblemSetting(id, 1.0)):
            made = solid_of(part, Form(depth=0.1), ALL)
            edges = np.sort(made.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), 1)
            assert (np.unique(edges, axis=0, return_counts=True)[1] == 2).all() and made.volume > 0
