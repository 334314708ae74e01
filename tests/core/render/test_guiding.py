"""Directions by photons: what photons carry, densities as what is drawn has them, and pictures that stay right."""

from dataclasses import replace

import numpy as np
import pytest
from test_light import NO_SKY, WHITE_SKY, camera, scaled, scene

from moss_crown.core.compiling import called
from moss_crown.core.look.material import Surface
from moss_crown.core.render import lanes as ln
from moss_crown.core.render import photons, renderer
from moss_crown.core.render.guiding import BINS, CELLS, choose_guided, no_guide, turn_guided, weigh_guided
from moss_crown.core.render.photons import guide_of
from moss_crown.core.render.renderer import Render, RenderSettings
from moss_crown.core.render.world import build_world
from moss_crown.core.stage.scene import Placed, RectangleLight, Sheet, SunLight

choose_guided, turn_guided, weigh_guided = map(called, (choose_guided, turn_guided, weigh_guided))

POLISHED, DULL = Surface((0.9, 0.7, 0.4), 1.0, 0.2, 1.5), Surface((0.4, 0.4, 0.4), 0.0, 1.0, 1.0)
FLOOR = Sheet(np.array([0.0, -1.0, 0.0]), np.array([6.0, 0.0, 0.0]), np.array([0.0, 0.0, -6.0]), 1)
WALL = Sheet(np.array([0.0, 2.0, -1.5]), np.array([6.0, 0.0, 0.0]), np.array([0.0, 3.0, 0.0]), 1)
LAMP = RectangleLight(
    np.array([2.0, 3.0, 3.0]), np.array([0.3, 0.0, 0.0]), np.array([0.0, 0.3, 0.0]), np.array([60.0, 60.0, 60.0])
)
LAMP = replace(LAMP, u=np.array([-0.3, 0.0, 0.0]))  # towards the letter and the wall
MANY = 1 << 23


def polished(**other):
    """A polished letter over a dull floor, before a dull wall, under a lamp."""
    wide = camera(place=(2, 1.5, 6), half=(0.35, 0.25))
    return replace(scene([POLISHED, DULL], [LAMP], NO_SKY, wide, sheets=(FLOOR, WALL)), **other)


def guide_for(found, samples=MANY):
    world, rays = build_world(found)
    guide = guide_of(found, world, samples)
    rays.close()
    return guide


SQUARE = np.array([[-0.5, 0, 0.5], [0.5, 0, 0.5], [0.5, 0, -0.5], [-0.5, 0, -0.5]], float)[[[0, 1, 2], [0, 2, 3]]]


def carried(lights, sky=NO_SKY):
    _, ways = photons._sent(scene([POLISHED], lights, sky), SQUARE, 1 << 16)
    return ways[:, 3].sum(dtype=float)


def test_photons_of_a_small_lamp_carry_what_arrives():
    lamp = RectangleLight(
        np.array([0.3, 2.0, 0.1]), np.array([0.05, 0, 0]), np.array([0, 0, 0.05]), np.array([7.0, 7.0, 7.0])
    )
    assert lamp.normal == pytest.approx([0, -1, 0])
    x, z = np.meshgrid(*[(np.arange(400) + 0.5) / 400 - 0.5] * 2)
    away = (x - 0.3) ** 2 + (z - 0.1) ** 2 + 4
    arriving = (7 * lamp.area * (2 / np.sqrt(away)) ** 2 / away).mean()
    assert carried([lamp]) == pytest.approx(arriving, rel=0.01)


def test_photons_of_a_sun_and_of_an_even_sky_carry_what_arrives():
    along = np.array([0.3, -0.9, 0.1]) / np.linalg.norm([0.3, -0.9, 0.1])
    assert carried([SunLight(along, 0.01, np.array([2.0, 2.0, 2.0]))]) == pytest.approx(-2 * along[1], rel=1e-3)
    assert carried([], WHITE_SKY) == pytest.approx(np.pi, rel=0.01)


def test_lamps_and_sky_share_the_photons_rightly():
    along = np.array([0.0, -1.0, 0.0])
    sun = SunLight(along, 0.01, np.array([2.0, 2.0, 2.0]))
    assert carried([sun, sun], WHITE_SKY) == pytest.approx(4 + np.pi, rel=0.01)


def lanes_at(guide, cell, count):
    """Lanes in a cell with the shading frame of the sheet turned about its normal, and even numbers U, V."""
    w, q = ln.workspace()
    g = cell // (CELLS * CELLS)
    across, up, normal = guide.frames[g, :9].reshape(3, 3)
    q[ln.CELL : ln.CELL + count] = cell
    w[ln.GUIDED : ln.GUIDED + count] = guide.share[cell]
    turned = (0.6 * across + 0.8 * up, -0.8 * across + 0.6 * up, normal)
    for first, axis in zip((ln.TX, ln.WX, ln.NX), turned, strict=True):
        for k, row in enumerate((first, first + ln.PITCH, first + 2 * ln.PITCH)):
            w[row : row + count] = axis[k]
    return w, q


def by_the_cosine(w, count):
    """Directions by the cosine from U and V, as a dull material draws them."""
    u, v = w[ln.U : ln.U + count], w[ln.V : ln.V + count]
    w[ln.IN_X : ln.IN_X + count] = np.sqrt(u) * np.cos(2 * np.pi * v)
    w[ln.IN_Y : ln.IN_Y + count] = np.sqrt(u) * np.sin(2 * np.pi * v)
    w[ln.IN_Z : ln.IN_Z + count] = np.sqrt(np.maximum(1 - u, 1e-9))


def evaluated(w, count):
    """The same material: OUT and its density."""
    z = w[ln.IN_Z : ln.IN_Z + count]
    for row in (ln.OUT_R, ln.OUT_G, ln.OUT_B, ln.EVEN_R, ln.EVEN_G, ln.EVEN_B, ln.DRAWN):
        w[row : row + count] = z / np.pi


@pytest.mark.parametrize("kind", ["cosine", "one way", "both"])
def test_what_is_drawn_has_the_density_that_is_said(kind):
    """The mean of what directions bring, over their density, is the integral: of the cosine, and of what comes from a
    narrow part of the hemisphere alone."""
    guide = guide_for(polished())
    floor = guide.of[1]
    cell = floor * CELLS * CELLS + int(np.argmax(guide.share.reshape(-1, CELLS * CELLS)[floor]))
    count, rounds = ln.LANES, 64
    w, q = lanes_at(guide, cell, count)
    heavy = np.argmax(np.diff(guide.rise[cell]))
    middle = (np.array([heavy % BINS, heavy // BINS]) + 0.5) / (BINS / 2) - 1
    total = 0.0
    for k in range(rounds):
        number = np.arange(count) * rounds + k
        w[ln.U : ln.U + count] = (number + 0.5) / (count * rounds)
        w[ln.V : ln.V + count] = (number * 0.6180339887498949) % 1
        w[ln.GUIDED : ln.GUIDED + count] = guide.share[cell]
        choose_guided(w, count)
        by_the_cosine(w, count)
        turn_guided(guide, w, q, count)
        evaluated(w, count)
        weigh_guided(guide, w, q, count)
        x, y, z = (w[row : row + count].astype(float) for row in (ln.IN_X, ln.IN_Y, ln.IN_Z))
        across, up = 0.6 * x - 0.8 * y, 0.8 * x + 0.6 * y
        near = (np.hypot(across - middle[0], up - middle[1]) < 0.2) & (z > 1e-4)
        brings = {"cosine": z > 1e-4, "one way": near, "both": (z > 1e-4) + 3.0 * near}[kind]
        total += (brings * w[ln.OUT_R : ln.OUT_R + count] / w[ln.DRAWN : ln.DRAWN + count]).mean() / rounds
    # On the disc below the hemisphere equal areas bring equal light.
    xs, ys = np.meshgrid(*[(np.arange(1500) + 0.5) / 750 - 1] * 2)
    disc = xs**2 + ys**2 < 1
    part = float((np.hypot(xs - middle[0], ys - middle[1]) < 0.2)[disc].mean())
    assert total == pytest.approx({"cosine": 1.0, "one way": part, "both": 1 + 3 * part}[kind], rel=0.02)


def test_a_guide_is_a_set_of_distributions_and_the_same_each_time():
    found = polished()
    guide, again = guide_for(found), guide_for(found)
    assert guide.there and list(guide.of) == [-1, 0, 1, -1]
    for one, other in zip(guide[1:], again[1:], strict=True):
        assert (one == other).all()
    assert (np.diff(guide.rise, axis=1) >= 0).all()
    assert (guide.rise[:, 0] == 0).all() and (guide.rise[:, -1] == 1).all()
    assert (guide.share >= 0).all() and guide.share.max() <= photons.MOST


def test_a_guided_picture_is_as_bright_and_has_less_noise(monkeypatch):
    found = polished()

    def rendered(seed):
        with Render(found, RenderSettings(96, 64, 64, seed=seed, bounded=False, threads=2)) as picture:
            picture.add(64)
            return picture.passes().beauty.mean(-1, dtype=float)

    # So small a picture would get too few photons.
    monkeypatch.setattr(renderer, "guide_of", lambda found, world, samples: guide_of(found, world, MANY))
    guided = np.stack([rendered(seed) for seed in range(6)])
    monkeypatch.setattr(renderer, "guide_of", lambda found, world, samples: no_guide(len(world.first_triangle)))
    plain = np.stack([rendered(seed) for seed in range(6)])
    noise = [np.sqrt(many.var(0, ddof=1).mean()) for many in (guided, plain)]
    assert noise[0] < 0.7 * noise[1]
    spread = plain.mean((1, 2)).std(ddof=1) / np.sqrt(6)
    assert guided.mean() == pytest.approx(plain.mean(), abs=4 * spread)


@pytest.mark.parametrize(
    "without",
    [
        {"lights": ()},
        {"letters": ()},
        {"grounds": ()},
        {"grounds": (replace(FLOOR, catches=True),)},
        {"letters": (Placed(0, scaled(0.0), (0,) * 6),)},
    ],
)
def test_where_nothing_is_thrown_nothing_guides(without):
    assert not guide_for(polished(**without)).there


def test_a_small_picture_has_no_time_for_photons():
    assert not guide_for(polished(), 1000).there
