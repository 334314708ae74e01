"""What surfaces see of the sky, against closed forms, and what is drawn by it."""

import numpy as np
import pytest

from moss_crown.core.look.environment import environment
from moss_crown.core.look.material import Surface
from moss_crown.core.render.environment_map import (
    COLUMNS,
    ROWS,
    SIGHT_COLUMNS,
    SIGHT_ROWS,
    environment_map,
)
from moss_crown.core.render.renderer import RenderSettings, render
from moss_crown.core.render.sight import FEWEST, SIDES, sight
from moss_crown.core.render.world import build_world
from moss_crown.core.stage.camera import look_at
from moss_crown.core.stage.scene import Camera, Scene, Sheet, Surround

GREY = Surface((0.5, 0.5, 0.5), 0.0, 1.0, 1.0)
UP, FRONT = 2, 4


def sheet(*place):
    return Sheet(*(np.array(p) for p in place), 0)


FLOOR = sheet((0.0, 0.0, 0.0), (500.0, 0.0, 0.0), (0.0, 0.0, -500.0))
WALL = sheet((0.0, 500.0, -1.0), (500.0, 0.0, 0.0), (0.0, 500.0, 0.0))


def seen_from_above(sheets, turn=0.0, sky=None):
    camera = Camera(look_at(np.array([0.0, 4.0, 6.0]), np.zeros(3))[None], (0.3, 0.2), (0.0, 0.0))
    light = np.ones((256, 512, 3), np.float32) if sky is None else sky
    return Scene((), (), tuple(sheets), (GREY,), (), Surround(light, 1.0, turn), camera)


def surveyed(scene):
    world, rays = build_world(scene)
    try:
        return sight(world)
    finally:
        rays.close()


def heights():
    return np.cos((np.arange(SIGHT_ROWS) + 0.5) / SIGHT_ROWS * np.pi)


def test_a_floor_sees_all_above_it_by_the_cosine():
    found = surveyed(seen_from_above([FLOOR]))
    assert found[UP] == pytest.approx(np.repeat(np.maximum(heights(), 0)[:, None], SIGHT_COLUMNS, 1), abs=1e-5)
    assert (np.delete(found, UP, 0) == 1).all(), "of what is not seen, nothing is said"


@pytest.mark.parametrize("turn", [0.0, 90.0])
def test_what_a_wall_hides_is_not_seen_from_the_floor(turn):
    found = surveyed(seen_from_above([FLOOR, WALL], turn))[UP]
    low = SIGHT_ROWS // 2 - 1  # just above the horizon
    column = (np.arange(SIGHT_COLUMNS) + 0.5) / SIGHT_COLUMNS * 2 * np.pi - np.pi - np.radians(turn)
    behind = np.cos(column) > 0  # the middle of an unturned picture lies at -z
    assert (found[low][behind] == 0).all()
    assert found[low][~behind] == pytest.approx(heights()[low], abs=1e-5)


def test_walls_and_floor_are_told_apart():
    found = surveyed(seen_from_above([FLOOR, WALL]))
    assert found[FRONT][SIGHT_ROWS // 2 :].max() < 1e-6, "the floor lies below the wall"
    assert found[FRONT].max() > 0.9 and found[UP].max() > 0.7


def test_a_scene_of_hardly_any_surface_says_nothing():
    small = sheet((0.0, 0.0, 0.0), (0.01, 0.0, 0.0), (0.0, 0.0, -0.01))
    found = surveyed(seen_from_above([small]))
    assert found.shape == (SIDES, SIGHT_ROWS, SIGHT_COLUMNS) and FEWEST > 1
    assert (found == 1).all()


def density_of(sky):
    """(sides, rows, columns) a steradian."""
    return sky.dense[..., None] * np.diff(sky.cells)


@pytest.mark.parametrize("preset", ["two_windows", "night_market"])
def test_by_sight_every_direction_stays_possible_and_chances_add_up_to_one(preset):
    weights = np.random.default_rng(3).random((SIDES, SIGHT_ROWS, SIGHT_COLUMNS)).astype(np.float32)
    weights[1] = 0
    sky, _ = environment_map(Surround(environment(preset), 1.0, 0.0), weights)
    angle = (sky.edges[:-1] - sky.edges[1:])[:, None] * 2 * np.pi / COLUMNS
    density = density_of(sky)
    assert density.shape == (SIDES, ROWS, COLUMNS)
    assert (density * angle).sum((1, 2)) == pytest.approx(1, abs=1e-4)
    assert density.min() > 1e-3
    alone, _ = environment_map(Surround(environment(preset), 1.0, 0.0))
    assert density[1] == pytest.approx(density_of(alone)[0], rel=1e-5), "what sees nothing is as if nothing were known"


def test_light_stays_the_same_and_its_noise_falls(monkeypatch):
    """A floor before a wall, under a sky that is bright behind the wall: the mean is that of a long picture."""
    sky = np.full((256, 512, 3), 0.2, np.float32)
    sky[:, 128:384] = 3.0  # behind the wall
    scene = seen_from_above([FLOOR, WALL], sky=sky)

    def of(samples, seed):
        return render(scene, RenderSettings(32, 24, samples, seed=seed, depth=1, bounded=False), None).beauty

    informed = [of(16, seed) for seed in (1, 2)]
    monkeypatch.setattr("moss_crown.core.render.renderer.sight", lambda world: np.ones((SIDES, 16, 32), np.float32))
    blind = [of(16, seed) for seed in (1, 2)]
    long = of(512, 3)
    assert informed[0].mean() == pytest.approx(long.mean(), rel=0.01)
    spread = [float(np.square(a - b).mean()) for a, b in (informed, blind)]
    assert spread[0] < 0.7 * spread[1]
