"""Looks fit any title: kept from one shot, put on another, measured by the title that wears them."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Key, Keyed
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame
from moss_crown.core.proposals.look_book import LOOKS, PARTS, Look
from moss_crown.core.proposals.looks import look_of, wear
from moss_crown.demo.looks import looks as demo


def step(shot, kind):
    return next(s for s in shot.steps if s.kind == kind)


def dressed(shot, look, parts=PARTS):
    return apply_patch(shot, wear(shot, float(shot.last), look, parts))[0]


def middle(shot):
    corners = Evaluation(shot).title_corners(float(shot.last))
    return (corners.min(0) + corners.max(0)) / 2, float(np.ptp(corners[:, 0])) / 2


def test_twenty_looks_ship():
    assert len(LOOKS) == 20
    assert all(look.material and look.environment and look.lights is not None and look.stage for look in LOOKS.values())


@pytest.mark.parametrize("text", ["TIDE", "THE LAST FERRY HOME", "A"])
def test_a_look_that_is_kept_and_put_on_again_changes_nothing(text):
    shot = new_shot("one", text)
    again = dressed(shot, look_of(shot, float(shot.last), "mine"))
    for kind in ("material", "environment"):
        assert step(again, kind) == step(shot, kind)
    assert step(again, "stage").wall_distance == pytest.approx(step(shot, "stage").wall_distance, rel=1e-3)
    for before, after in zip(step(shot, "lights").lights, step(again, "lights").lights, strict=True):
        assert after.place == pytest.approx(before.place, abs=2e-3)
        assert after.aim == pytest.approx(before.aim, abs=2e-3)
        assert (after.width, after.height, after.power) == pytest.approx(
            (before.width, before.height, before.power), rel=1e-6
        )


@settings(max_examples=12, deadline=None)
@given(st.floats(0.2, 6.0), st.sampled_from(list(LOOKS)))
def test_a_title_twice_as_large_is_lit_alike(size, name):
    """Places go with the title, and what arrives stays: power with the square of the size."""
    small = new_shot("one", "TIDE")
    document = small.model_dump(mode="json")
    next(s for s in document["steps"] if s["kind"] == "block")["size"] = size
    large = Shot.model_validate(document)
    one, two = dressed(small, LOOKS[name]), dressed(large, LOOKS[name])
    (at_one, half_one), (at_two, half_two) = middle(one), middle(two)
    assert half_two / half_one == pytest.approx(size, rel=1e-3)
    for a, b in zip(step(one, "lights").lights, step(two, "lights").lights, strict=True):
        assert (np.array(b.aim) - at_two) / half_two == pytest.approx((np.array(a.aim) - at_one) / half_one, abs=2e-3)
        assert b.power / half_two**2 == pytest.approx(a.power / half_one**2, rel=1e-6)


def test_parts_are_put_on_alone():
    shot = new_shot("one", "TIDE")
    look = LOOKS["red-neon"]
    lit = dressed(shot, look, ("lights",))
    assert step(lit, "material") == step(shot, "material")
    assert step(lit, "lights") != step(shot, "lights")
    clad = dressed(shot, look, ("material",))
    assert step(clad, "material").face == look.material.face
    assert step(clad, "material").id == step(shot, "material").id
    assert step(clad, "lights") == step(shot, "lights")


def test_a_recipe_that_lacks_a_step_gets_it():
    document = new_shot("one", "TIDE").model_dump(mode="json")
    document["steps"] = [s for s in document["steps"] if s["kind"] in ("block", "form", "camera")]
    bare = Shot.model_validate(document)
    worn = dressed(bare, LOOKS["porcelain"])
    assert {"material", "environment", "lights", "stage"} <= {s.kind for s in worn.steps}
    assert len(Evaluation(worn).scene(worn.last, 16 / 9).lights) == len(LOOKS["porcelain"].lights)


def test_several_lights_steps_become_one():
    document = new_shot("one", "TIDE").model_dump(mode="json")
    lights = next(s for s in document["steps"] if s["kind"] == "lights")
    document["steps"].append(lights | {"id": "more"})
    worn = dressed(Shot.model_validate(document), LOOKS["porcelain"])
    assert len(Evaluation(worn).scene(worn.last, 16 / 9).lights) == len(LOOKS["porcelain"].lights)


def test_keyed_places_are_kept_as_keys():
    document = new_shot("one", "TIDE").model_dump(mode="json")
    lights = next(s for s in document["steps"] if s["kind"] == "lights")
    keyed = Keyed(keys=[Key(frame=0, value=(0.0, 3.0, 5.0)), Key(frame=20, value=(2.0, 3.0, 5.0))])
    lights["lights"][0]["place"] = keyed.model_dump(mode="json")
    shot = Shot.model_validate(document)
    again = dressed(shot, look_of(shot, float(shot.last), "moving"))
    keys = step(again, "lights").lights[0].place.keys
    assert [key.frame for key in keys] == [0, 20]
    assert keys[1].value == pytest.approx((2.0, 3.0, 5.0), abs=2e-3)


def test_a_shot_without_a_title_says_so():
    document = new_shot("one", "TIDE").model_dump(mode="json")
    document["steps"] = [s for s in document["steps"] if s["kind"] != "block"]
    with pytest.raises(DocumentInvalid, match="title"):
        look_of(Shot.model_validate(document), 0.0, "none")


def test_looks_travel_as_json():
    for shot in demo():
        look = look_of(shot, float(shot.last), shot.title)
        assert Look.model_validate_json(look.model_dump_json()) == look


@pytest.mark.parametrize("name", LOOKS)
def test_every_look_can_be_seen(name):
    """Neither black nor burnt: letters are told from what is behind them."""
    shot = dressed(new_shot("one", "TIDE"), LOOKS[name])
    passes = render_frame(Evaluation(shot), shot.last, FrameOrder(96, 54, 8, denoise=False))
    stage = passes.normal[..., 2] < 0.999  # letters have bevels, and the floor looks up
    assert 0.02 < passes.beauty.mean() < 1.5
    assert np.isfinite(passes.beauty).all()
    assert stage.any()
