"""Scenes that nobody means to build: each a bounded picture, or a clear refusal."""

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch
from moss_crown.core.document.look import Light
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame

LETTER = [0.0, 0.5, 0.0]
"""Inside the I that stands in the middle."""
HUGE = 1e7


def rendered(*operations, text="I", frame=72):
    shot, _ = apply_patch(new_shot(text=text), [{"op": "replace", "path": p, "value": v} for p, v in operations])
    beauty = render_frame(Evaluation(shot), frame, FrameOrder(64, 36, 4)).beauty
    assert np.isfinite(beauty).all()
    assert beauty.min() >= 0 and beauty.max() < HUGE
    return beauty


def lamp(**members):
    return Light(**members).model_dump(mode="json")


@pytest.mark.parametrize("shape", ["rectangle", "disc", "tube", "ball", "sun"])
def test_a_light_inside_a_letter(shape):
    inside = lamp(shape=shape, place=LETTER, aim=[0, 0.6, 3], width=0.05, height=0.05, power=500.0)
    rendered(("/steps/5/lights", [inside]))


def test_a_light_that_aims_at_its_own_place():
    rendered(("/steps/5/lights", [lamp(place=[1, 1, 1], aim=[1, 1, 1])]))


def test_the_camera_inside_a_letter_and_at_its_own_aim():
    rendered(("/steps/7/fit", 0), ("/steps/7/place", LETTER), ("/steps/7/aim", [0, 0.5, -2]))
    rendered(("/steps/7/fit", 0), ("/steps/7/place", LETTER), ("/steps/7/aim", LETTER))


def test_focus_at_nothing_is_focus_on_the_title():
    sharp = rendered(("/steps/7/opening", 0.4), ("/steps/7/focus", 0))
    assert sharp.std() > 0.005


@pytest.mark.parametrize("metal", [0.0, 1.0])
def test_a_mirror_under_a_light_as_small_as_a_point(metal):
    small = lamp(shape="ball", place=[1, 2, 4], width=0.001, height=0.001, power=400.0)
    rendered(
        ("/steps/3/face/roughness", 0),
        ("/steps/3/face/metal", metal),
        ("/steps/3/edge/roughness", 0),
        ("/steps/5/lights", [small]),
    )


@pytest.mark.parametrize(("member", "bound"), [("width", "above 0.0"), ("height", "above 0.0")])
def test_a_light_without_a_size_is_refused(member, bound):
    shape = lamp() | {member: 0}
    with pytest.raises(DocumentInvalid) as refused:
        apply_patch(new_shot(), [{"op": "replace", "path": "/steps/5/lights", "value": [shape]}])
    assert (refused.value.field, refused.value.bound) == (f"/steps/5/lights/0/{member}", bound)


def test_two_hundred_lights_are_refused_and_as_many_as_there_may_be_are_drawn():
    with pytest.raises(DocumentInvalid) as refused:
        apply_patch(new_shot(), [{"op": "replace", "path": "/steps/5/lights", "value": [lamp()] * 200}])
    assert (refused.value.field, refused.value.bound) == ("/steps/5/lights", "at most 16")
    many = [lamp(place=[k - 8.0, 4.0, 5.0], power=50.0, stack=6) for k in range(16)]
    assert rendered(("/steps/5/lights", many)).mean() > 0.01


def test_no_light_at_all_is_black_and_the_strongest_stays_bounded():
    dark = ("/steps/5/lights", []), ("/steps/4/strength", 0), ("/steps/6/horizon", 0)
    assert rendered(*dark).max() < 1e-4
    strongest = [lamp(power=1e6, stops=4.0, place=[0.0, 2.0, 6.0])]
    assert rendered(("/steps/5/lights", strongest)).max() > 10


def test_letters_as_small_and_as_large_as_they_may_be():
    rendered(("/steps/0/size", 1e-3))
    rendered(("/steps/0/size", 100.0))


def test_a_letter_driven_flat_and_one_turned_inside_out():
    flat = [("/steps/2/offset/scale", [1, 1, 0]), ("/steps/2/reaches", [{"kind": "everywhere"}])]
    rendered(*flat)
    rendered(("/steps/2/offset/scale", [-1, 1, 1]), flat[1])
    rendered(("/steps/2/offset/scale", [0, 0, 0]), flat[1])
