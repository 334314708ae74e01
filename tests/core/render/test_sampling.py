"""Samples are even, directions are drawn with the density that is claimed, the Embree door agrees with a plain twin."""

from dataclasses import replace
from typing import get_args

import numba
import numpy as np
import pytest

from moss_crown.core.look.environment import Preset, environment
from moss_crown.core.look.material import Surface
from moss_crown.core.render.display import LUT_HIGH, LUT_LOW, LUT_SIZE, MIDDLE, draft_table, to_bytes, to_display
from moss_crown.core.render.environment_map import draw_direction, environment_map, seen
from moss_crown.core.render.sampling import SECOND, reverse_bits, sample2, u32
from moss_crown.core.render.shading import NUMBERS, SPECULAR_SHARE, draw, evaluate, f32, settle
from moss_crown.core.render.tables import albedo_table, compute_albedo, material_rows
from moss_crown.core.stage.scene import Surround


@numba.njit
def points(count, pixel, dimension):
    found = np.empty((count, 2), np.float32)
    for k in range(count):
        found[k] = sample2(SECOND, u32(pixel), reverse_bits(u32(k)), dimension)
    return found


@pytest.mark.parametrize("pixel", [1, 77, 123_456_789])
@pytest.mark.parametrize("dimension", [0, 5])
def test_sixteen_samples_are_a_net(pixel, dimension):
    """Every elementary interval of area 1/16 holds exactly one of 16 points ((0, 4, 2)-net, Niederreiter)."""
    p = points(16, pixel, dimension)
    assert (p >= 0).all()
    assert (p < 1).all()
    for a in range(5):
        cells = (np.floor(p[:, 0] * 2**a) * 2 ** (4 - a) + np.floor(p[:, 1] * 2 ** (4 - a))).astype(int)
        assert len(set(cells)) == 16


def test_pixels_and_dimensions_are_not_correlated():
    a = np.concatenate([points(64, p, 0) for p in range(60)])
    b = np.concatenate([points(64, p, 1) for p in range(60)])
    for i in range(2):
        for j in range(2):
            assert abs(np.corrcoef(a[:, i], b[:, j])[0, 1]) < 0.05


@numba.njit
def drawn_directions(sky, count):
    found = np.empty((count, 7), np.float32)
    for k in range(count):
        u, v = sample2(SECOND, u32(9), reverse_bits(u32(k)), 0)
        found[k] = draw_direction(sky, u, v)
    return found


@numba.njit
def look(sky, directions):
    found = np.empty((len(directions), 4), np.float32)
    for k in range(len(directions)):
        found[k] = seen(sky, directions[k, 0], directions[k, 1], directions[k, 2])
    return found


@pytest.mark.parametrize("preset", get_args(Preset))
@pytest.mark.parametrize("turn", [0.0, 73.0])
def test_environment_draws_have_the_claimed_density(preset, turn):
    sky, power = environment_map(Surround(environment(preset), 1.3, turn))
    found = drawn_directions(sky, 4096)
    directions = found[:, :3].copy()
    assert np.linalg.norm(directions, axis=1) == pytest.approx(1, abs=1e-4)
    again = look(sky, directions)
    agree = np.isclose(again[:, 3], found[:, 3], rtol=1e-3)
    assert agree.mean() > 0.99  # rounding may step over a cell's border
    assert (1 / found[:, 3]).mean() == pytest.approx(4 * np.pi, rel=0.02)
    brightness = found[:, 4:] @ np.array([0.2126, 0.7152, 0.0722])
    assert (brightness / found[:, 3]).mean() == pytest.approx(power, rel=0.02)


TABLE = albedo_table()


@numba.njit
def settled(table, row, cosine):
    here = np.empty(NUMBERS, np.float32)
    settle(here, table, row[0], row[1], row[2], row[3], row[4], row[5], row[6], row[7], row[8], cosine)
    return here


@numba.njit
def scatter(table, row, ox, oz, count):
    """Draw `count` directions: throughput of each; the integral of the density over the hemisphere; draws below."""
    here = settled(table, row, oz)
    total = np.zeros(3)
    below = 0
    for k in range(count):
        u, v = sample2(SECOND, u32(5), reverse_bits(u32(k)), 3)
        ix, iy, iz = draw(here, ox, f32(0), oz, u, v)
        if iz <= 0:
            below += 1
            continue
        r, g, b, d = evaluate(table, here, ox, f32(0), oz, ix, iy, iz)
        total += np.array([r / d, g / d, b / d])
    mass = 0.0
    n = 400
    for a in range(n):
        z = (a + 0.5) / n
        s = np.sqrt(1 - z * z)
        for c in range(4 * n):
            phi = 2 * np.pi * (c + 0.5) / (4 * n)
            _, _, _, d = evaluate(table, here, ox, f32(0), oz, f32(s * np.cos(phi)), f32(s * np.sin(phi)), f32(z))
            mass += d / n * 2 * np.pi / (4 * n)
    return total / count, mass, below / count


WHITE = (1.0, 1.0, 1.0)
LAYERED = {
    "metal": Surface(WHITE, 1.0, 0.3, 1.5),
    "rough metal": Surface(WHITE, 1.0, 0.8, 1.5),
    "clear over white": Surface(WHITE, 0.0, 0.4, 1.5),
    "coated": Surface(WHITE, 0.0, 0.6, 1.5, coat=1.0, coat_roughness=0.35),
    "cloth": Surface(WHITE, 0.0, 0.9, 1.4, sheen=1.0),
    "everything": Surface(WHITE, 0.3, 0.5, 1.5, coat=0.6, coat_roughness=0.4, sheen=0.5),
}


@pytest.mark.parametrize("name", LAYERED)
@pytest.mark.parametrize("cosine", [0.2, 0.5, 0.9])
def test_material_draws_have_the_claimed_density_and_white_sends_everything_back(name, cosine):
    """The density integrates to the share of draws that stay above the surface; no light is lost or made."""
    rows = material_rows((LAYERED[name],))
    sine = f32(np.sqrt(1 - cosine**2))
    albedo, mass, below = scatter(TABLE, rows[0], sine, f32(cosine), 4096)
    assert mass + below == pytest.approx(1, abs=0.01)
    assert albedo == pytest.approx([1, 1, 1], abs=0.012)


@pytest.mark.parametrize("cosine", [0.15, 0.4, 0.8, 1.0])
@pytest.mark.parametrize("roughness", [0.1, 0.6])
def test_a_coat_over_metal_loses_and_makes_little(cosine, roughness):
    """The larger albedo of both directions is exact for a mirror and near for a rough metal; it never makes light."""
    row = material_rows((Surface(WHITE, 1.0, roughness, 1.5, coat=1.0, coat_roughness=0.1),))[0]
    albedo, _, _ = scatter(TABLE, row, f32(np.sqrt(1 - cosine**2)), f32(cosine), 4096)
    assert albedo == pytest.approx([1, 1, 1], abs=0.03)
    assert albedo.max() < 1.008


@pytest.mark.parametrize("name", LAYERED)
def test_scattering_is_reciprocal(name):
    row = material_rows((replace(LAYERED[name], colour=(0.8, 0.5, 0.2)),))[0]
    rng = np.random.default_rng(4)
    for _ in range(50):
        a, b = (v / np.linalg.norm(v) for v in np.abs(rng.normal(size=(2, 3))) + [0, 0, 0.05])
        there = evaluate(TABLE, settled(TABLE, row, f32(a[2])), *map(f32, a), *map(f32, b))
        back = evaluate(TABLE, settled(TABLE, row, f32(b[2])), *map(f32, b), *map(f32, a))
        assert np.array(there[:3]) / b[2] == pytest.approx(np.array(back[:3]) / a[2], rel=2e-3)


def test_shares_of_lobes_are_chances():
    for surface in LAYERED.values():
        here = settled(TABLE, material_rows((surface,))[0], f32(0.6))
        assert 0 <= here[SPECULAR_SHARE] <= 1
        assert 0 <= here[SPECULAR_SHARE] + here[SPECULAR_SHARE + 1] <= 1 + 1e-6


def test_the_kept_table_is_what_is_computed():
    assert compute_albedo() == pytest.approx(TABLE, abs=1e-6)


def test_the_draft_table_is_the_display_transform():
    rng = np.random.default_rng(2)
    s = rng.uniform(0.2, 0.95, (300, 3))
    light = (MIDDLE * 2 ** (LUT_LOW + s * (LUT_HIGH - LUT_LOW))).astype(np.float32)
    table, place = draft_table(), s * (LUT_SIZE - 1)
    low = place.astype(int)
    part = place - low
    found = np.zeros((300, 3))
    for corner in range(8):
        step = np.array([corner & 1, corner >> 1 & 1, corner >> 2 & 1])
        index = np.minimum(low + step, LUT_SIZE - 1)
        weight = np.prod(np.where(step, part, 1 - part), axis=1)
        found += weight[:, None] * table[index[:, 2], index[:, 1], index[:, 0]]
    assert np.abs(found - to_display(light)).max() < 0.05  # where one channel clips and the others do not
    assert np.abs(found - to_display(light)).mean() < 0.003


def test_black_stays_black_grey_rises_and_dither_keeps_the_mean():
    ramp = np.repeat(np.linspace(0, 4, 200, dtype=np.float32)[:, None], 3, 1)
    shown = to_display(ramp)
    assert shown[0] == pytest.approx([0, 0, 0], abs=1e-4)
    assert (np.diff(shown[:, 1]) >= -1e-6).all()
    flat = np.full((64, 64, 3), 100.3 / 255, np.float32)
    assert to_bytes(flat, 3).mean() == pytest.approx(100.3, abs=0.05)
    assert len(np.unique(to_bytes(flat, 3))) > 1
    assert (to_bytes(np.zeros((8, 8, 3), np.float32), 3) == 0).all()
