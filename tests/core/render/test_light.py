"""The renderer against closed forms: furnaces, a rectangle light over a plane, shadows, passes, motion."""

from dataclasses import replace

import numpy as np
import pytest

from letters import alike
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.form.solid import solid
from moss_crown.core.look.material import Grain, Surface, surface_at
from moss_crown.core.look.materials import MATERIALS
from moss_crown.core.look.patterns import NAMES
from moss_crown.core.render import renderer
from moss_crown.core.render.renderer import Render, RenderSettings, render
from moss_crown.core.stage.camera import look_at
from moss_crown.core.stage.scene import Camera, Placed, RectangleLight, Scene, Sheet, Surround

WHITE_SKY = Surround(np.ones((256, 512, 3), np.float32), 1.0, 0.0)
NO_SKY = Surround(np.zeros((256, 512, 3), np.float32), 0.0, 0.0)
STILL = np.eye(4)[None]


def camera(place=(0, 0, 5), aim=(0, 0, 0), half=(0.05, 0.05)):
    return Camera(look_at(np.array(place, float), np.array(aim, float))[None], half, (0.0, 0.0))


ROUNDED = alike(200.0, "roundover", 40.0, 6)


def block(side=200.0, form=ROUNDED):
    ring = np.array([[-side, -side], [side, -side], [side, side], [-side, side]], float) / 2
    return solid([ring], form, 1.0)


def scaled(s):
    return np.diag([s, s, s, 1.0])[None]


def scene(surface, lights=(), sky=WHITE_SKY, cam=None, letters=None, sheets=()):
    if letters is None:
        letters = (Placed(0, scaled(0.01), (0,) * 6),)
    return Scene((block(),), tuple(letters), tuple(sheets), tuple(surface), tuple(lights), sky, cam or camera())


def mean(picture):
    return picture.beauty.mean((0, 1))


def test_surfaces_that_widen_with_those_before_them_lose_no_light():
    """Polished letters on a dull white floor under a white sky: as white as everything, bounded or not."""
    polished, dull = Surface((1.0, 1.0, 1.0), 1.0, 0.05, 1.5), Surface((1.0, 1.0, 1.0), 0.0, 1.0, 1.0)
    floor = Sheet(np.array([0.0, -1.0, 0.0]), np.array([5.0, 0.0, 0.0]), np.array([0.0, 0.0, -5.0]), 1)
    wide = camera(place=(3, 2, 5), half=(0.4, 0.3))
    found = scene([polished, dull], cam=wide, sheets=(floor,))
    for bounded in (True, False):
        settings = RenderSettings(48, 36, 128, depth=24, bounded=bounded)
        picture = render(found, settings, None)
        inside = picture.alpha[..., 0] > 0.999
        assert inside.mean() > 0.4
        assert picture.beauty[inside].mean() == pytest.approx(1, abs=0.01)


@pytest.mark.parametrize("roughness", [0.0, 0.1, 0.3, 0.6, 1.0])
@pytest.mark.parametrize("metal", [0.0, 0.5, 1.0])
def test_a_white_furnace_gives_one(roughness, metal):
    """A white letter in a white sky can not be seen, whatever its material: no light is lost or made."""
    white = Surface((1.0, 1.0, 1.0), metal, roughness, 1.5)
    wide = camera(place=(3, 2, 5), half=(0.25, 0.25))
    picture = render(scene([white], cam=wide), RenderSettings(48, 48, 256, depth=24, bounded=False), None)
    inside = picture.alpha[..., 0] > 0.999
    assert inside.sum() > 300
    assert picture.beauty[inside].mean(0) == pytest.approx([1, 1, 1], abs=0.01)


@pytest.mark.parametrize("name", MATERIALS)
def test_every_curated_material_keeps_all_light_when_its_colours_are_white(name):
    """Its structure is kept: layers, roughness, coat, sheen, and which layer shows where."""
    surface = surface_at(MATERIALS[name].material, 0)
    white = (1.0, 1.0, 1.0)
    grain = replace(surface.grain, colour=white, tone=0.0, relief=0.0) if surface.grain else None
    surface = replace(surface, colour=white, glow=(0.0, 0.0, 0.0), grain=grain)
    wide = camera(place=(3, 2, 5), half=(0.25, 0.25))
    picture = render(scene([surface], cam=wide), RenderSettings(24, 24, 256, depth=16, bounded=False), None)
    inside = picture.alpha[..., 0] > 0.999
    # A coat over a rough metal is not exact: it may lose two hundredths, and never makes light.
    coated_metal = surface.coat > 0 and surface.metal > 0.3
    assert picture.beauty[inside].mean(0) == pytest.approx([1, 1, 1], abs=0.022 if coated_metal else 0.012)
    assert picture.beauty[inside].mean() < 1.008


def test_a_glow_is_as_bright_as_it_says():
    dark = Surface((0.0, 0.0, 0.0), 0.0, 1.0, 1.0, glow=(2.0, 0.5, 0.0))
    picture = render(scene([dark], sky=NO_SKY), RenderSettings(8, 8, 16, bounded=False), None)
    assert mean(picture) == pytest.approx([2.0, 0.5, 0.0], rel=1e-5)


def test_a_texture_stays_on_a_letter_that_moves_and_runs_on_to_the_next():
    """At rest the title is one piece; a letter that has moved takes its part of the texture along."""
    grain = Grain(NAMES.index("stripes"), scale=0.5, contrast=1.0, tone=0.0, colour=(1.0, 1.0, 1.0), roughness=1.0)
    striped = Surface((0.0, 0.0, 0.0), 0.0, 1.0, 1.0, grain=grain)
    settings = RenderSettings(32, 8, 64, depth=1, bounded=False)
    at_rest = Placed(0, scaled(0.01), (0,) * 6, scaled(0.01)[0])
    moved = scaled(0.01)
    moved[0, 0, 3] = 0.7
    there = Placed(0, moved, (0,) * 6, scaled(0.01)[0])
    one = render(scene([striped], cam=camera(half=(0.1, 0.02)), letters=[at_rest]), settings, None)
    cam = camera(place=(0.7, 0, 5), aim=(0.7, 0, 0), half=(0.1, 0.02))
    two = render(scene([striped], cam=cam, letters=[there]), settings, None)
    assert np.abs(one.beauty - two.beauty).mean() < 0.02
    assert np.ptp(one.beauty[..., 0].mean(0)) > 0.5
    # Stripes are an eighth of a metre apart: half of that further along, light and dark have changed places.
    shifted = Placed(0, scaled(0.01), (0,) * 6, scaled(0.01)[0] + np.array([[0, 0, 0, 1 / 16]] + [[0] * 4] * 3))
    three = render(scene([striped], cam=camera(half=(0.1, 0.02)), letters=[shifted]), settings, None)
    assert np.corrcoef(one.beauty[..., 0].mean(0), three.beauty[..., 0].mean(0))[0, 1] < -0.8


def test_relief_bends_the_light_and_keeps_the_outline():
    grain = Grain(NAMES.index("hammered"), scale=0.6, tone=0.0, amount=0.0, relief=1.0)
    bumpy = Surface((0.8,) * 3, 1.0, 0.2, 1.5, grain=grain)
    flat = replace(bumpy, grain=replace(grain, relief=0.0))
    settings = RenderSettings(48, 48, 32)
    cam = camera(place=(1, 1, 5), half=(0.25, 0.25))
    one, two = (render(scene([s], cam=cam), settings, None) for s in (bumpy, flat))
    assert (one.alpha == two.alpha).all()
    inside = one.alpha[..., 0] > 0.999
    assert np.linalg.norm(one.normal[inside], axis=1).min() > 0.3
    assert np.abs(one.normal - two.normal)[inside].mean() > 0.05


@pytest.mark.parametrize("albedo", [0.2, 0.8])
def test_a_closed_furnace_is_a_geometric_series(albedo):
    """Inside a closed box of albedo a, whose walls all see a sky-like emission e at the last bounce only, energy adds
    up as the series of its bounces: here a box without a lid under a white sky stays below 1 and above a."""
    grey = Surface((albedo,) * 3, 0.0, 1.0, 1.0)
    picture = render(scene([grey]), RenderSettings(32, 32, 256, depth=12, bounded=False), None)
    assert mean(picture) == pytest.approx([albedo] * 3, abs=0.01)


def form_factor_parallel(a, b, c):
    """From a point below the corner of a parallel rectangle a x b at distance c (Howell, A Catalog of Radiation Heat
    Transfer Configuration Factors, B-3)."""
    x, y = a / c, b / c
    return (1 / (2 * np.pi)) * (
        x / np.sqrt(1 + x * x) * np.arctan(y / np.sqrt(1 + x * x))
        + y / np.sqrt(1 + y * y) * np.arctan(x / np.sqrt(1 + y * y))
    )


@pytest.mark.parametrize(("width", "height", "above"), [(2.0, 1.0, 1.5), (0.4, 0.4, 3.0), (6.0, 6.0, 1.0)])
@pytest.mark.parametrize("depth", [1, 3])
def test_a_rectangle_light_over_a_diffuse_plane(width, height, above, depth):
    radiance, albedo = 5.0, 0.5
    floor = Sheet(np.zeros(3), np.array([50.0, 0, 0]), np.array([0, 0, -50.0]), 0)
    lamp = RectangleLight(
        np.array([0.0, above, 0.0]), np.array([width / 2, 0, 0]), np.array([0, 0, height / 2]), np.full(3, radiance)
    )
    assert lamp.normal == pytest.approx([0, -1, 0])
    cam = camera(place=(0, 0.2, 0.0), aim=(0, 0, 0), half=(0.01, 0.01))  # between lamp and floor, looking down
    lit = scene([Surface((albedo,) * 3, 0.0, 1.0, 1.0)], [lamp], NO_SKY, cam, letters=(), sheets=[floor])
    picture = render(lit, RenderSettings(16, 16, 256, depth=depth, bounded=False), None)
    expected = albedo * radiance * 4 * form_factor_parallel(width / 2, height / 2, above)
    assert mean(picture) == pytest.approx([expected] * 3, rel=0.01)


def test_a_blocker_throws_a_shadow_and_the_lamp_shines_to_one_side():
    floor = Sheet(np.zeros(3), np.array([50.0, 0, 0]), np.array([0, 0, -50.0]), 0)
    grey = Surface((0.5, 0.5, 0.5), 0.0, 1.0, 1.0)
    u, v = np.array([0.1, 0, 0]), np.array([0, 0, 0.1])
    down = RectangleLight(np.array([0.0, 4.0, 0.0]), u, v, np.full(3, 100.0))
    up = RectangleLight(np.array([0.0, 4.0, 0.0]), u, -v, np.full(3, 100.0))
    cam = camera(place=(2.0, 0.6, 2.0), aim=(0, 0, 0), half=(0.02, 0.02))
    lid = Placed(0, np.array([[[0.01, 0, 0, 0], [0, 0, 0.01, 2], [0, -0.01, 0, 0], [0, 0, 0, 1]]], float), (0,) * 6)
    settings = RenderSettings(8, 8, 64, depth=1, bounded=False)
    assert mean(render(scene([grey], [down], NO_SKY, cam, (), [floor]), settings, None))[0] > 0.01
    assert mean(render(scene([grey], [down], NO_SKY, cam, (lid,), [floor]), settings, None)) == pytest.approx([0, 0, 0])
    assert mean(render(scene([grey], [up], NO_SKY, cam, (), [floor]), settings, None)) == pytest.approx([0, 0, 0])


def test_a_mirror_shows_the_sky_where_it_should_and_turning_turns_it():
    """A smooth metal face seen head-on reflects what is behind the camera: +Z, the edge columns of the picture."""
    picture = np.zeros((256, 512, 3), np.float32)
    picture[:, :8] = picture[:, -8:] = 3.0
    mirror = Surface((1.0, 1.0, 1.0), 1.0, 0.0, 1.5)
    cam = camera(place=(0, 0, 9), half=(0.02, 0.02))
    settings = RenderSettings(8, 8, 64, depth=1, bounded=False)
    head_on = scene([mirror], (), Surround(picture, 1.0, 0.0), cam)
    assert mean(render(head_on, settings, None))[0] == pytest.approx(3.0, rel=0.02)
    turned = scene([mirror], (), Surround(picture, 1.0, 90.0), cam)
    assert mean(render(turned, settings, None))[0] == pytest.approx(0.0, abs=0.05)


def test_passes_against_geometry():
    """A face one metre in front of the origin, seen from five: alpha, depth and normal are known."""
    grey = Surface((0.25, 0.5, 0.75), 0.0, 1.0, 1.0)
    picture = render(scene([grey]), RenderSettings(16, 16, 32), None)
    assert picture.alpha == pytest.approx(1.0)
    assert picture.normal.mean((0, 1)) == pytest.approx([0, 0, 1], abs=1e-5)
    assert picture.albedo.mean((0, 1)) == pytest.approx([0.25, 0.5, 0.75], abs=0.01)
    straight = 4.0
    assert straight <= picture.depth.min() <= picture.depth.max() <= straight * np.sqrt(1 + 2 * 0.056**2)


def test_alpha_of_half_a_pixel():
    """An edge through the middle of the picture covers half of it."""
    grey = Surface((0.5,) * 3, 0.0, 1.0, 1.0)
    cam = camera(place=(1.0, 0, 5), aim=(1.0, 0, 0), half=(0.05, 0.05))
    sharp = Scene(
        (block(form=alike(200.0)),),
        (Placed(0, scaled(0.01), (0,) * 6),),
        (),
        (grey,),
        (),
        WHITE_SKY,
        cam,
    )
    picture = render(sharp, RenderSettings(32, 32, 64), None)
    assert picture.alpha.mean() == pytest.approx(0.5, abs=0.01)
    assert picture.alpha[:, 0].mean() == 1
    assert picture.alpha[:, -1].mean() == 0


def test_a_moving_letter_is_blurred_and_a_still_one_is_not():
    grey = Surface((0.5,) * 3, 0.0, 1.0, 1.0)
    path = np.stack([np.diag([0.002, 0.002, 0.002, 1.0])] * 3)
    path[:, 0, 3] = [-0.5, 0.0, 0.5]
    cam = camera(half=(0.25, 0.25))
    moving = scene([grey], cam=cam, letters=(Placed(0, path, (0,) * 6),))
    picture = render(moving, RenderSettings(64, 64, 128), None)
    # 0.4 m wide, 1 m of way: no pixel is always covered, and the coverage adds up to that of the still letter.
    still = render(scene([grey], cam=cam, letters=(Placed(0, path[1:2], (0,) * 6),)), RenderSettings(64, 64, 128), None)
    assert 0.2 < picture.alpha.max() < 0.6
    assert still.alpha.max() == 1
    assert picture.alpha.sum() == pytest.approx(still.alpha.sum(), rel=0.02)
    assert still.sharp and not picture.sharp


@pytest.mark.parametrize("blades", [0, 6])
@pytest.mark.parametrize(("place", "focus"), [(9.0, 5.0), (5.0, 9.0), (5.0, 5.0)])
def test_a_small_light_out_of_focus_spreads_to_the_circle_of_a_thin_lens(place, focus, blades):
    """Its width in the picture is the opening's times |d - f| / d at the distance f (Cook, Porter and Carpenter)."""
    dark = Surface((0.0, 0.0, 0.0), 0.0, 1.0, 1.0, glow=(1.0, 1.0, 1.0))
    radius, half = 0.2, 0.1
    pose = np.diag([2e-4, 2e-4, 2e-4, 1.0])[None]
    lens = Camera(camera(place=(0, 0, place)).poses, (half, half), (0.0, 0.0), radius, focus, blades)
    small = scene([dark], sky=NO_SKY, cam=lens, letters=[Placed(0, pose, (0,) * 6)])
    found = render(small, RenderSettings(64, 64, 1024, bounded=False), None)
    assert not found.sharp
    picture = found.alpha[..., 0]
    at = (np.arange(64) + 0.5) / 32 - 1
    total = picture.sum()
    spread = np.sqrt(((at[None] ** 2 + at[:, None] ** 2) * picture).sum() / total)
    circle = radius * abs(place - focus) / place / focus / half  # in half frames
    # The second moment about the middle: half of the radius squared for a disc; of a polygon a little less.
    inner = (1 + np.cos(2 * np.pi / blades) / 2) / 3 if blades else 0.5
    pixel = 2 * (0.42 / 32) ** 2 + (0.02 / (place * half)) ** 2 / 1.5
    assert spread == pytest.approx(np.sqrt(circle**2 * inner + pixel), rel=0.06, abs=0.01)


def test_exposure_and_white_balance_are_in_the_picture(monkeypatch):
    monkeypatch.setattr(renderer, "FAINT", 0.0)  # what is faint is told by exposed light
    grey = Surface((0.5, 0.5, 0.5), 0.0, 1.0, 1.0)
    plain = render(scene([grey]), RenderSettings(8, 8, 16), None)
    lens = replace(camera(), grade=np.diag([2.0, 1.0, 0.5]))
    graded = render(scene([grey], cam=lens), RenderSettings(8, 8, 16), None)
    assert graded.beauty == pytest.approx(plain.beauty * [2.0, 1.0, 0.5], rel=1e-5)
    assert (graded.albedo == plain.albedo).all()


def test_bits_do_not_depend_on_threads_or_on_how_samples_are_split():
    brass = Surface((0.9, 0.6, 0.3), 1.0, 0.3, 1.5)
    here = scene([brass], cam=camera(place=(2, 1, 5), half=(0.3, 0.3)))
    one = render(here, RenderSettings(40, 40, 8, threads=1), None)
    two = render(here, RenderSettings(40, 40, 8, threads=2), None)
    assert (one.beauty == two.beauty).all()
    with Render(here, RenderSettings(40, 40, 8)) as split:
        split.add(3)
        split.add(5)
        assert (split.passes().beauty == one.beauty).all()
    other = render(here, RenderSettings(40, 40, 8, frame=1), None)
    assert (other.beauty != one.beauty).any(), "the noise changes with the frame"


def test_a_hundred_lamps_at_one_power_are_as_bright_as_one():
    """Choosing one of many lamps at later surfaces must not change the mean."""
    floor = Sheet(np.zeros(3), np.array([50.0, 0, 0]), np.array([0, 0, -50.0]), 0)
    wall = Sheet(np.array([0.0, 5, -1]), np.array([50.0, 0, 0]), np.array([0, 50.0, 0]), 0)
    grey = Surface((0.6, 0.6, 0.6), 0.0, 1.0, 1.0)
    cam = camera(place=(0, 1, 2), aim=(0, 0.2, -0.4), half=(0.2, 0.2))

    def lamp(share):
        return RectangleLight(
            np.array([0.0, 3.0, 1.0]), np.array([0.5, 0, 0]), np.array([0, 0, 0.5]), np.full(3, 20.0 * share)
        )

    settings = RenderSettings(24, 24, 128, depth=4, bounded=False)
    one = render(scene([grey], [lamp(1)], NO_SKY, cam, (), [floor, wall]), settings, None)
    many = render(scene([grey], [lamp(0.1)] * 10, NO_SKY, cam, (), [floor, wall]), settings, None)
    assert mean(many) == pytest.approx(mean(one), rel=0.01)


def test_rays_for_faint_light_that_are_left_to_chance_change_no_mean(monkeypatch):
    shot = Evaluation(new_shot(text="TIDE")).scene(60, 4, height=18)
    found = []
    for faint in (0.0, 1.0):  # as if all light were faint, where the product means two hundredths
        monkeypatch.setattr(renderer, "FAINT", faint)
        runs = [render(shot, RenderSettings(72, 18, 64, seed=seed), None).beauty for seed in range(32)]
        found.append(np.array(runs))
    sent, left = found
    assert not np.array_equal(sent, left)
    error = np.sqrt((sent.mean((1, 2)).var(0) + left.mean((1, 2)).var(0)) / len(sent))
    assert (np.abs(sent.mean((0, 1, 2)) - left.mean((0, 1, 2))) < 4 * error).all()
    assert (4 * error < 0.02 * sent.mean((0, 1, 2))).all()  # or the test would not see a wrong weight


@pytest.mark.parametrize("samples", [1, 4])
def test_noise_of_a_lamp_is_fine_grained(samples):
    """Errors of neighbours make up for each other: means over 4 by 4 pixels stray less than a pixel's over 4."""
    floor = Sheet(np.zeros(3), np.array([50.0, 0, 0]), np.array([0, 0, -50.0]), 0)
    lamp = RectangleLight(np.array([0.0, 1.5, 0.0]), np.array([0.7, 0, 0]), np.array([0, 0, 0.7]), np.full(3, 20.0))
    here = scene([Surface((0.6, 0.6, 0.6), 0.0, 1.0, 1.0)], [lamp], NO_SKY, camera(place=(0, 2, 3)), (), [floor])
    runs = [render(here, RenderSettings(64, 64, samples, seed=seed), None).beauty[..., 0] for seed in range(8)]
    error = np.array(runs) - np.mean(runs, 0)
    squares = error.reshape(8, 16, 4, 16, 4).mean((2, 4))
    assert squares.std() < 0.75 * error.std() / 4
