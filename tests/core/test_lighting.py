"""Lights placed for a title: kits that fit any size, and lights put where their effect is pointed at."""

from typing import get_args

import numpy as np
import pytest

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch, read_shot, write_shot
from moss_crown.core.document.look import Light
from moss_crown.core.draft.looks import look_at_frame
from moss_crown.core.draft.schema import Touches
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.around import lights_at
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.metering import metered
from moss_crown.core.proposals.kits import Kit
from moss_crown.core.proposals.lighting import LOWEST, light_with, point_light
from moss_crown.core.render.renderer import RenderSettings, render

CACHE = Cache()


def shot_of(text="TIDE", **block):
    raw = write_shot(new_shot(text=text))
    raw["steps"][0] |= block
    shot = read_shot(raw)
    return after(shot, light_with(shot, shot.last, "key_and_fill"))


def after(shot, patch):
    return apply_patch(shot, patch)[0]


def lamps(shot):
    return next(step.lights for step in shot.steps if step.kind == "lights")


def picture_place(shot, point):
    camera = Evaluation(shot).camera(np.array([float(shot.last)]), shot.width / shot.height)
    x, y, z = (np.asarray(point) - camera.poses[0, :3, 3]) @ camera.poses[0, :3, :3]
    across, up = x / -z / camera.half[0] + camera.shift[0], y / -z / camera.half[1] + camera.shift[1]
    return (1 + across) / 2, (1 - up) / 2


def eye(shot):
    return Evaluation(shot).camera(np.array([float(shot.last)]), shot.width / shot.height).poses[0, :3, 3]


def front_of(shot, share=0.5):
    """A place on the front of the last letter's stem: for an I its middle."""
    corners = Evaluation(shot).title_corners(shot.last)
    low, high = corners.min(0), corners.max(0)
    return np.array([(low[0] + high[0]) / 2, low[1] + (high[1] - low[1]) * share, high[2]])


@pytest.mark.parametrize("kit", get_args(Kit))
@pytest.mark.parametrize("size", [0.05, 1.0, 20.0])
def test_a_kit_stands_in_front_of_the_wall_above_the_floor_and_is_as_bright_at_any_size(kit, size):
    lit = after(shot_of(size=size), light_with(shot_of(size=size), 72, kit))
    for light in lamps(lit):
        assert light.place[1] >= LOWEST - 1e-6
        assert light.place[2] >= -1.25 + LOWEST - 1e-6
    if size == 20.0:  # far from floor and wall: twice as large means twice as far, and four times the power
        half = after(shot_of(size=10.0), light_with(shot_of(size=10.0), 72, kit))
        for large, small in zip(lamps(lit), lamps(half), strict=True):
            if min(small.place[1], small.place[2] + 1.25) > LOWEST + 1e-3:
                assert large.power == pytest.approx(4 * small.power, rel=1e-3)
                assert large.width == pytest.approx(2 * small.width, rel=1e-3)


def test_a_kit_needs_a_title_and_brings_its_own_step():
    raw = write_shot(shot_of())
    raw["steps"] = [s for s in raw["steps"] if s["kind"] != "lights"]
    bare = read_shot(raw)
    assert len(lamps(after(bare, light_with(bare, 0, "side_pair")))) == 2
    raw["steps"][0]["on"] = False
    with pytest.raises(DocumentInvalid):
        light_with(read_shot(raw), 0, "side_pair")


@pytest.mark.parametrize("share", [0.3, 0.7])
def test_a_highlight_is_the_mirror_image_of_the_light(share):
    shot = shot_of("I")
    point = front_of(shot, share)
    patch = point_light(shot, shot.last, "lights", 0, "highlight", *picture_place(shot, point), CACHE)
    light = lamps(after(shot, patch))[0]
    to_light, to_eye = np.array(light.place) - point, eye(shot) - point
    half = to_light / np.linalg.norm(to_light) + to_eye / np.linalg.norm(to_eye)
    assert half / np.linalg.norm(half) == pytest.approx([0, 0, 1], abs=2e-3)
    assert light.aim == pytest.approx(point, abs=2e-3)


def test_a_highlight_is_really_seen_there():
    """Of a polished letter under one small lamp the brightest place is the one that was pointed at."""
    raw = write_shot(shot_of("I"))
    for step in raw["steps"]:
        if step["kind"] == "material":
            for side in ("face", "edge"):
                step[side] |= {"metal": 1.0, "roughness": 0.25}
        if step["kind"] == "environment":
            step["strength"] = 0.0
        if step["kind"] == "lights":
            step["lights"] = [step["lights"][0] | {"width": 0.3, "height": 0.3}]
    shot = read_shot(raw)
    x, y = picture_place(shot, front_of(shot, 0.62))
    lit = after(shot, point_light(shot, shot.last, "lights", 0, "highlight", x, y, CACHE))
    width, height = 192, 108
    passes = render(Evaluation(lit, CACHE).scene(lit.last, width / height), RenderSettings(width, height, 24), None)
    face = (passes.normal[..., 2] > 0.98) & (passes.albedo[..., 0] > 0.4)
    bright = np.where(face, passes.beauty.sum(-1), 0)
    row, column = np.unravel_index(bright.argmax(), bright.shape)
    assert column / width == pytest.approx(x, abs=0.03)
    assert row / height == pytest.approx(y, abs=0.04)


def test_a_shadow_falls_where_it_was_pointed_at():
    shot = shot_of()
    corners = Evaluation(shot).title_corners(shot.last)
    middle = (corners.min(0) + corners.max(0)) / 2
    for place in ([middle[0] + 1.4, 1.9, -1.25], [middle[0] - 0.6, 0.0, 0.9]):
        x, y = picture_place(shot, place)
        light = lamps(after(shot, point_light(shot, shot.last, "lights", 1, "shadow", x, y, CACHE)))[1]
        way = middle - np.array(light.place)
        off = np.cross(way / np.linalg.norm(way), np.array(place) - light.place)
        assert np.linalg.norm(off) < 2e-3 or light.place[1] == pytest.approx(LOWEST, abs=1e-3)


def test_an_edge_glows_at_the_bevel_nearest_to_the_place():
    shot = shot_of("I")
    point = front_of(shot)
    corners = Evaluation(shot).title_corners(shot.last)
    beside = point + [0.36 * np.ptp(corners[:, 0]), 0, 0]
    before = lights_at(shot, shot.last)[0].centre
    patch = point_light(shot, shot.last, "lights", 0, "edge", *picture_place(shot, beside), CACHE)
    light = lamps(after(shot, patch))[0]
    assert light.aim[0] > point[0] + 0.3 * np.ptp(corners[:, 0]), "the bevel on the right"
    assert np.array(light.place) != pytest.approx(before)
    to_light, to_eye = np.array(light.place) - light.aim, eye(shot) - light.aim
    half = to_light / np.linalg.norm(to_light) + to_eye / np.linalg.norm(to_eye)
    half /= np.linalg.norm(half)
    assert half[0] > 0.2
    assert half[2] > 0.2


def test_a_keyed_light_gets_a_key_and_keeps_the_others():
    raw = write_shot(shot_of("I"))
    ease = {"leave": [0.4, 0], "arrive": [0.35, 1]}
    keys = [{"frame": f, "value": [f / 10, 3, 4], "ease": ease, "hold": False} for f in (0, 72)]
    raw["steps"][5]["lights"][0]["place"] = {"keys": keys, "before": "hold", "after": "hold"}
    shot = read_shot(raw)
    x, y = picture_place(shot, front_of(shot))
    found = lamps(after(shot, point_light(shot, 60, "lights", 0, "highlight", x, y, CACHE)))[0].place
    assert [key.frame for key in found.keys] == [0, 60, 72]
    assert found.keys[0].value == (0, 3, 4)


@pytest.mark.parametrize(
    ("step", "light", "effect", "place", "field"),
    [
        ("lights", 9, "highlight", (0.5, 0.5), "light"),
        ("block", 0, "highlight", (0.5, 0.5), "light"),
        ("nothing", 0, "shadow", (0.5, 0.5), "light"),
        ("lights", 0, "highlight", (0.01, 0.02), "place"),
        ("lights", 0, "edge", (0.99, 0.02), "place"),
    ],
)
def test_where_there_is_nothing_it_says_so(step, light, effect, place, field):
    with pytest.raises(DocumentInvalid) as caught:
        point_light(shot_of(), 72, step, light, effect, *place, CACHE)
    assert caught.value.field == field


def test_without_floor_and_wall_no_shadow_can_be_placed():
    raw = write_shot(shot_of())
    raw["steps"] = [s for s in raw["steps"] if s["kind"] != "stage"]
    with pytest.raises(DocumentInvalid, match="floor or wall"):
        point_light(read_shot(raw), 72, "lights", 0, "shadow", 0.5, 0.9, CACHE)


def test_a_draft_is_told_what_each_lamp_lights():
    shot = shot_of()
    block = shot.steps[0]
    steps = [
        block,
        block.model_copy(update={"id": "below", "text": "LOW"}),
        *(
            step.model_copy(update={"lights": [Light(), Light(on_faces=False, only=["below"]), Light(on_stage=False)]})
            if step.kind == "lights"
            else step
            for step in shot.steps[1:]
        ),
    ]
    looked = look_at_frame(shot.model_copy(update={"steps": steps}), 0)
    assert [lamp.touches for lamp in looked.lights] == [
        Touches(None, None, True),
        Touches([], [1], True),
        Touches([0, 1], [0, 1], False),
    ]


def test_a_draft_is_told_how_dark_shadows_are():
    shot = shot_of()
    lights = [Light(shadow=False), Light(on_letters_dark=0.25, on_stage_dark=0.5)]
    steps = [s.model_copy(update={"lights": lights}) if s.kind == "lights" else s for s in shot.steps]
    looked = look_at_frame(shot.model_copy(update={"steps": steps}), 0)
    assert [lamp.dark for lamp in looked.lights] == [(0.0, 0.0), (0.25, 0.5)]


@pytest.mark.parametrize("shape", ["rectangle", "sun"])
def test_a_highlight_spreads_over_the_letters_that_are_picked_and_is_not_white(shape):
    """Of polished letters under one lamp: seen in all that were picked, next to not in the others, nowhere white."""
    raw = write_shot(shot_of("TIDE", move=[0, 4, 0]))  # high enough that the floor hides nothing of the lamp
    for step in raw["steps"]:
        if step["kind"] == "material":
            for side in ("face", "edge"):
                step[side] |= {"metal": 1.0, "roughness": 0.08, "colour": [0.9, 0.9, 0.9]}
        if step["kind"] == "environment":
            step["strength"] = 0.0
        if step["kind"] == "lights":
            step["lights"] = [step["lights"][0] | {"shape": shape, "power": 50_000.0}]
    shot = read_shot(raw)
    box = Evaluation(shot, CACHE).title_corners(shot.last).reshape(-1, 8, 3)
    middle = (box[1:3].reshape(-1, 3).min(0) + box[1:3].reshape(-1, 3).max(0)) / 2
    x, y = picture_place(shot, np.array([box[1, :, 0].mean(), middle[1], box[1, :, 2].max()]))
    lit = after(shot, point_light(shot, shot.last, "lights", 0, "highlight", x, y, CACHE, letters=[1, 2]))
    seen = metered(Evaluation(lit, CACHE), shot.last, 256, 16)
    levels = [one.level for one in seen.readings]
    assert min(levels[1:3]) > 0.2
    assert max(levels[1:3]) < 3 * min(levels[1:3])
    assert all(one.clipped < 0.02 for one in seen.readings)


def test_a_highlight_over_letters_that_are_not_there_is_refused():
    shot = shot_of("I")
    x, y = picture_place(shot, front_of(shot))
    with pytest.raises(DocumentInvalid, match="none of these letters"):
        point_light(shot, shot.last, "lights", 0, "highlight", x, y, CACHE, letters=[9])
