"""What a floor before a wall mirrors in the draft: the wall's light, as the renderer finds it."""

import numpy as np
import pytest

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.draft import look_at_frame
from moss_crown.core.evaluate import scene_at
from moss_crown.core.render.renderer import RenderSettings, render
from moss_crown.core.stage.camera import look_at
from moss_crown.core.stage.scene import Camera, Scene


def sheet(shot, height):
    """The floor or the wall of a look: whose half edges reach up, or do not."""
    sheets = look_at_frame(shot, shot.last)["grounds"]
    return next(s for s in sheets if (s["v"][1] != 0) == (height > 0))


def edited(**members):
    shot = new_shot(text="TIDE")
    stage = next(k for k, step in enumerate(shot.steps) if step.kind == "stage")
    patch = [{"op": "replace", "path": f"/steps/{stage}/{k}", "value": v} for k, v in members.items()]
    return patched(write_shot(shot), patch)


def test_only_a_floor_before_a_wall_that_is_seen_mirrors_it():
    assert sheet(edited(), 0)["mirrors"] > 0
    assert sheet(edited(), 1)["mirrors"] is None
    assert sheet(edited(wall=False), 0)["mirrors"] is None
    assert sheet(edited(catch=True), 0)["mirrors"] is None


def test_it_is_as_bright_as_the_renderer_sees_the_wall_without_a_title():
    shot = edited(**{"wall_material/roughness": 1.0})
    whole = scene_at(shot, shot.last, 1.5, Cache())
    wall = next(s for s in whole.grounds if s.name == "wall")
    found = []
    for x in (-2.0, 0.0, 2.0):
        place = np.array([x, 1.0, wall.centre[2]])
        camera = Camera(look_at(place + [0, 0, 0.4], place)[None], (0.02, 0.02), (0.0, 0.0))
        alone = Scene((), (), (wall,), whole.surfaces, whole.lights, whole.surround, camera)
        picture = render(alone, RenderSettings(8, 8, 256, depth=1, clamp=0), None)
        found.append(picture.beauty.mean((0, 1)) @ [0.2126, 0.7152, 0.0722])
    # The renderer's wall has a gloss besides, and its lamps are no points.
    assert sheet(shot, 0)["mirrors"] == pytest.approx(np.mean(found), rel=0.3)


def test_twice_the_light_is_twice_as_bright():
    shot = edited(**{"wall_material/roughness": 1.0})
    lights = next(k for k, step in enumerate(shot.steps) if step.kind == "lights")
    environment = next(k for k, step in enumerate(shot.steps) if step.kind == "environment")
    patch = [{"op": "replace", "path": f"/steps/{environment}/strength", "value": 0}]
    dark = patched(write_shot(shot), patch)
    stops = [
        {"op": "replace", "path": f"/steps/{lights}/lights/{k}/stops", "value": 1}
        for k in range(len(shot.steps[lights].lights))
    ]
    bright = patched(write_shot(dark), stops)
    assert sheet(bright, 0)["mirrors"] == pytest.approx(2 * sheet(dark, 0)["mirrors"], rel=1e-3)
