"""Lamps of every shape against closed forms of the light that they bring to a place."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from letters import alike
from moss_crown.core.document.look import Light
from moss_crown.core.form.solid import solid
from moss_crown.core.look.exposure import colour_of
from moss_crown.core.look.material import Surface
from moss_crown.core.render.environment_map import environment_map
from moss_crown.core.render.renderer import RenderSettings, render
from moss_crown.core.render.world import arriving_from
from moss_crown.core.stage.camera import look_at
from moss_crown.core.stage.lamps import EDGES, FACES, SUN_AWAY, WIDEST_SUN, light_at, sources_at
from moss_crown.core.stage.scene import (
    EVERYTHING,
    MIRRORED,
    Camera,
    Manner,
    Placed,
    RectangleLight,
    Scene,
    ShapeLight,
    Sheet,
    SunLight,
    Surround,
    triangle_areas,
)

ALBEDO = 0.5
GREY = Surface((ALBEDO,) * 3, 0.0, 1.0, 1.0)
NO_SKY = Surround(np.zeros((256, 512, 3), np.float32), 0.0, 0.0)
FLOOR = Sheet(np.zeros(3), np.array([50.0, 0, 0]), np.array([0, 0, -50.0]), 0)


def floor_light(lights, letters=(), solids=(), surfaces=(GREY,), depth=1, samples=256, at=(0.0, 0.0, 0.0)):
    """Irradiance of a place of the floor, measured by what it sends to a camera."""
    at = np.array(at)
    camera = Camera(look_at(at + [0, 0.15, 0.001], at)[None], (0.01, 0.01), (0.0, 0.0))
    scene = Scene(tuple(solids), tuple(letters), (FLOOR,), tuple(surfaces), tuple(lights), NO_SKY, camera)
    picture = render(scene, RenderSettings(8, 8, samples, depth=depth, bounded=False), None)
    return picture.beauty.mean((0, 1)) * np.pi / ALBEDO


def lamp(**more):
    return light_at(Light(place=(0.0, 3.0, 0.0), aim=(0.0, 0.0, 0.0), width=0.8, height=0.8, power=100.0, **more), 0)


def test_a_disc_lights_what_is_under_it():
    """E = pi L r^2 / (r^2 + h^2); power P spread over its area and the half space: L = P / (pi A)."""
    area = 48 / 2 * 0.4**2 * np.sin(2 * np.pi / 48)
    r2 = area / np.pi
    expected = np.pi * (100 / (np.pi * area)) * r2 / (r2 + 9)
    assert floor_light([lamp(shape="disc")]) == pytest.approx([expected] * 3, rel=0.01)


def test_a_ball_lights_as_one_point_would():
    """Any ball of even radiance: E = L pi r^2 / h^2, and its whole power is P."""
    assert floor_light([lamp(shape="ball")]) == pytest.approx([100 / (4 * np.pi * 9)] * 3, rel=0.02)


def test_a_tube_is_the_sum_of_its_pieces():
    light = lamp(shape="tube", angle=1.0)
    triangles = light.triangles
    cross = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]) / 2
    expected = 0.0
    rng = np.random.default_rng(1)
    u = np.sqrt(rng.random((400, 1, 1)))
    v = rng.random((400, 1, 1))
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    points = a + (b - a) * (u * (1 - v)) + (c - a) * (u * v)
    distance2 = (points**2).sum(-1)
    way = points / np.sqrt(distance2)[..., None]
    facing = np.maximum(-(way * cross).sum(-1), 0)
    expected = float(light.radiance[0] * (facing * way[..., 1] / distance2).mean(0).sum())
    assert floor_light([light])[0] == pytest.approx(expected, rel=0.02)


@pytest.mark.parametrize("angle", [0.6, 20.0])
def test_a_sun_lights_everywhere_alike(angle):
    sun = light_at(Light(shape="sun", place=(3.0, 4.0, 0.0), aim=(0.0, 0.0, 0.0), power=200.0, angle=angle), 0)
    expected = 200 / (np.pi * SUN_AWAY**2) * 0.8
    assert floor_light([sun]) == pytest.approx([expected] * 3, rel=0.01)
    assert floor_light([sun], at=(20.0, 0.0, -9.0)) == pytest.approx([expected] * 3, rel=0.01)


def test_a_mirror_shows_the_sun_as_wide_as_it_is():
    """Found by chance alone: what its reflection adds up to is its irradiance times the mirror's reflectance."""
    mirror = Surface((1.0, 1.0, 1.0), 1.0, 0.0, 1.5)
    sun = light_at(Light(shape="sun", place=(0.0, 5.0, -5.0), aim=(0.0, 0.0, 0.0), power=100.0, angle=4.0), 0)
    camera = Camera(look_at(np.array([0.0, 5.0, 5.0]), np.zeros(3))[None], (0.1, 0.1), (0.0, 0.0))
    scene = Scene((), (), (FLOOR,), (mirror,), (sun,), NO_SKY, camera)
    picture = render(scene, RenderSettings(64, 64, 64, depth=1, bounded=False), None).beauty[..., 0]
    solid_angle = (2 * 0.1) ** 2
    assert picture.mean() * solid_angle == pytest.approx(sun.irradiance[0], rel=0.03)


def test_a_spot_keeps_to_its_cone():
    spot = lamp(spot=40.0, soft=0.0)
    wide = lamp()
    assert floor_light([spot]) == pytest.approx(floor_light([wide]), rel=0.01)
    assert floor_light([spot], at=(2.5, 0.0, 0.0)) == pytest.approx([0, 0, 0])
    assert floor_light([wide], at=(2.5, 0.0, 0.0))[0] > 0.5


def test_a_limit_ends_it_smoothly():
    near, far = (floor_light([lamp(limit=limit)])[0] for limit in (4.0, 2.0))
    whole = floor_light([lamp()])[0]
    assert near == pytest.approx(whole * (1 - (3 / 4) ** 4) ** 2, rel=0.05)
    assert far == pytest.approx(0)


def test_stops_double_and_kelvin_colours():
    assert floor_light([lamp(stops=1.0)]) == pytest.approx(2 * floor_light([lamp()]), rel=1e-4)
    warm = floor_light([lamp(white=3000.0)])
    assert warm[0] > warm[1] > warm[2]
    assert warm @ [0.2126, 0.7152, 0.0722] == pytest.approx(floor_light([lamp()])[1], rel=1e-3)
    assert colour_of(6500.0) == pytest.approx([1, 1, 1], abs=1e-6)


def block_above(height=1.5):
    ring = np.array([[-100, -100], [100, -100], [100, 100], [-100, 100]], float)
    body = solid([ring], alike(20.0), 1.0)
    lying = np.array([[[0.01, 0, 0, 0], [0, 0, 0.01, height], [0, -0.01, 0, 0], [0, 0, 0, 1]]])
    return body, lying


def test_shadow_can_be_turned_off_and_letters_spared():
    body, lying = block_above()
    lid = Placed(0, lying, (0,) * 6)
    assert floor_light([lamp()], [lid], [body]) == pytest.approx([0, 0, 0])
    assert floor_light([lamp(shadow=False)], [lid], [body]) == pytest.approx(floor_light([lamp()]), rel=0.01)
    spared = RectangleLight(*_rectangle(), manner=Manner(touches=(0,)))
    assert floor_light([spared]) == pytest.approx([0, 0, 0])
    kept = RectangleLight(*_rectangle(), manner=Manner(touches=(FACES | EDGES,)))
    assert floor_light([kept])[0] > 0


@pytest.mark.parametrize("shape", ["rectangle", "ball", "sun"])
def test_what_does_not_mirror_a_lamp_has_its_light_without_its_gloss(shape):
    """Of a floor that is dull nothing is missing, a metal has nothing else; a glossy one has what its dull base has,
    however it is seen."""
    place = {"place": (0.0, 3.0, 0.0), "aim": (0.0, 0.0, 0.0), "width": 0.8, "height": 0.8, "power": 100.0}
    seen, hidden = (
        light_at(Light(shape=shape, **place), 0, touches=touches) for touches in (None, (EVERYTHING ^ MIRRORED,))
    )
    assert floor_light([hidden]) == pytest.approx(floor_light([seen]), rel=0.01)
    metal = Surface((0.5,) * 3, 1.0, 0.2, 1.5)
    assert floor_light([seen], surfaces=(metal,))[0] > 0
    assert floor_light([hidden], surfaces=(metal,)) == pytest.approx([0, 0, 0])
    glossy = Surface((ALBEDO,) * 3, 0.0, 0.2, 1.5)
    assert floor_light([seen], surfaces=(glossy,))[0] > 1.2 * floor_light([seen])[0]
    assert floor_light([hidden], surfaces=(glossy,)) == pytest.approx(floor_light([seen]), rel=0.1)


@pytest.mark.parametrize("shape", ["rectangle", "ball", "sun"])
def test_a_shadow_is_as_dark_as_it_is_meant_to_be(shape):
    """On the floor; how dark it is on letters does not matter there. Seen at a slant a glossy floor scatters into the
    lamp as well, so that both ways of finding light are weighed."""
    body, lying = block_above()
    lid = Placed(0, lying, (0,) * 6)
    glossy = Surface((0.5,) * 3, 0.0, 0.25, 1.5)
    for surface in (GREY, glossy):
        whole = floor_light([lamp(shape=shape)], surfaces=(surface,))
        weak = lamp(shape=shape, on_stage_dark=0.25, on_letters_dark=1.0)
        assert floor_light([weak], [lid], [body], (surface,)) == pytest.approx(0.75 * whole, rel=0.02)
        other = lamp(shape=shape, on_letters_dark=0.0)
        assert floor_light([other], [lid], [body], (surface,)) == pytest.approx([0, 0, 0], abs=1e-5)


@given(st.integers(1, 6), st.floats(1, 4), st.sampled_from(["rectangle", "disc", "tube", "ball", "sun"]))
def test_a_stack_shares_the_light_of_one_lamp_among_wider_and_wider_ones(count, spread, shape):
    light = Light(shape=shape, place=(0.0, 4.0, 0.0), aim=(0.0, 0.0, 0.0), stack=count, spread=spread, angle=0.3)
    sources = sources_at(light, 0)
    alone = light_at(light, 0)
    assert len(sources) == count
    if shape == "sun":
        assert sum(s.irradiance for s in sources) == pytest.approx(alone.irradiance)
        widths = np.array([s.radius for s in sources])
        most = np.radians(WIDEST_SUN / 2)
    else:
        areas = [s.area if shape == "rectangle" else triangle_areas(s.triangles).sum() for s in sources]
        power = sum(s.radiance * area for s, area in zip(sources, areas, strict=True))
        area = alone.area if shape == "rectangle" else triangle_areas(alone.triangles).sum()
        assert power == pytest.approx(alone.radiance * area)
        widths = np.sqrt(areas)
        most = np.inf
    assert widths == pytest.approx(np.minimum(widths[0] * spread ** np.arange(count), most))


def test_a_stack_has_a_dark_heart_and_a_wide_edge():
    """Beside the shadow of an edge: a small lamp leaves full light, the wider ones of a stack take some away."""
    body, lying = block_above(1.0)
    lid = Placed(0, lying, (0,) * 6)
    small = {"place": (0.0, 3.0, 0.0), "aim": (0.0, 0.0, 0.0), "width": 0.02, "height": 0.02, "power": 100.0}
    beside, under = (1.7, 0.0, 0.0), (0.0, 0.0, 0.0)
    one = [light_at(Light(**small), 0)]
    many = sources_at(Light(**small, stack=6, spread=2.6), 0)
    open_one, open_many = (floor_light(lights, at=beside)[0] for lights in (one, many))
    assert floor_light(one, [lid], [body], at=beside)[0] == pytest.approx(open_one, rel=0.01)
    assert 0.5 * open_many < floor_light(many, [lid], [body], at=beside)[0] < 0.98 * open_many
    assert floor_light(one, [lid], [body], at=under)[0] == pytest.approx(0, abs=1e-6)


def _rectangle():
    return np.array([0.0, 3.0, 0.0]), np.array([0.4, 0, 0]), np.array([0, 0, 0.4]), np.full(3, 10.0)


@pytest.mark.parametrize("depth", [1, 3])
def test_a_glowing_letter_lights_like_a_lamp_of_its_face(depth):
    """A square that glows, two metres wide and 1.5 above: four corner factors of a parallel rectangle."""
    body, lying = block_above()
    glowing = Surface((0.0, 0.0, 0.0), 0.0, 1.0, 1.0, glow=(4.0, 2.0, 0.0))
    half = Placed(0, lying, (1,) * 6)
    found = floor_light([], [half], [body], (GREY, glowing), depth)
    height = 1.5 - 0.1  # the block is 20 thousandths of ten metres thick, about its middle
    x = 1 / height
    factor = 4 * (1 / (2 * np.pi)) * 2 * (x / np.sqrt(1 + x * x) * np.arctan(x / np.sqrt(1 + x * x)))
    assert found == pytest.approx(np.pi * factor * np.array([4.0, 2.0, 0.0]), rel=0.02, abs=1e-6)


def test_many_lamps_are_sampled_by_chance_without_changing_the_mean():
    one = floor_light([lamp()], samples=256)
    many = floor_light([lamp(stops=float(np.log2(1 / 12)))] * 12, samples=256)
    assert many == pytest.approx(one, rel=0.01)


def test_what_arrives_of_lamps_and_environments_can_be_compared():
    """Radiance by solid angle: of a small lamp, of a ball, of a sun, and of an even sky."""
    white = np.ones(3)
    small = RectangleLight(np.array([0.0, 5, 0]), np.array([0.1, 0, 0]), np.array([0, 0, 0.1]), white)
    assert arriving_from(small, 1.0, np.zeros(3)) == pytest.approx(0.04 / 25, rel=1e-3)
    # Turned away it is not given up: it may light the stage.
    assert 0 < arriving_from(small, 1.0, np.array([0.0, 10, 0])) < 0.2 * 0.04 / 25
    ball = lamp(shape="ball")  # 0.8 wide, 3 metres away
    assert isinstance(ball, ShapeLight)
    assert arriving_from(ball, 1.0, np.zeros(3)) == pytest.approx(np.pi * 0.16 / 9, rel=0.05)
    sun = SunLight(np.array([0.0, -1, 0]), 0.01, white)
    assert arriving_from(sun, 2.5, np.zeros(3)) == 2.5
    _, around = environment_map(Surround(np.full((256, 512, 3), 0.7, np.float32), 1.0, 0.0))
    assert around == pytest.approx(0.7 * 4 * np.pi, rel=1e-3)


def test_a_strong_lamp_far_away_does_not_take_the_paths_from_the_sky():
    """Light that comes by a wall: the noise of 16 samples, with the sky and a lamp that hardly counts."""
    wall = Sheet(np.array([0.0, 2, -1]), np.array([5.0, 0, 0]), np.array([0, 2.0, 0]), 0)
    far = RectangleLight(np.array([0.0, 80, 60]), np.array([4.0, 0, 0]), np.array([0, 0, -4.0]), np.full(3, 6.0))
    sky = Surround(np.full((256, 512, 3), 0.5, np.float32), 1.0, 0.0)
    at = np.array([0.0, 0, 0])
    camera = Camera(look_at(at + [0, 0.3, 0.3], at)[None], (0.05, 0.05), (0.0, 0.0))

    def noise(lights):
        scene = Scene((), (), (FLOOR, wall), (GREY,), lights, sky, camera)
        beauty = render(scene, RenderSettings(32, 32, 16, depth=3, bounded=False), None).beauty
        return beauty.std() / beauty.mean()

    assert noise((far,)) < 1.3 * noise(())
