"""Samples are even, directions are drawn with the density that is claimed, the Embree door agrees with a plain twin."""

from dataclasses import replace
from typing import NamedTuple, get_args

import numba
import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.interpolate import RegularGridInterpolator

from moss_crown.core.compiling import called
from moss_crown.core.document.look import EnvironmentPreset
from moss_crown.core.look.environment import environment
from moss_crown.core.look.material import Surface
from moss_crown.core.render import lanes as ln
from moss_crown.core.render import surfaces as su
from moss_crown.core.render.arithmetic import arc_cosine, arc_tangent, circle, f32, u32
from moss_crown.core.render.display import LUT_HIGH, LUT_LOW, LUT_SIZE, MIDDLE, draft_table, to_bytes, to_display
from moss_crown.core.render.environment_map import EnvironmentMap, density_at, environment_map, texel
from moss_crown.core.render.environment_map import place as place_of
from moss_crown.core.render.lamps import LIGHT_ROW, choose, look_at, sky_radiance, to_sky
from moss_crown.core.render.lanes import LANES, workspace
from moss_crown.core.render.sampling import mix, place_in_order, reverse_bits, sample2, second_dimension
from moss_crown.core.render.shading import draw, evaluate, settle
from moss_crown.core.render.surfaces import material_rows
from moss_crown.core.render.tables import (
    COSINES,
    LEVELS,
    MEANS,
    albedo_table,
    compute_albedo,
    compute_glass,
    glass_table,
)
from moss_crown.core.render.views import Packed
from moss_crown.core.stage.scene import Surround

arc_cosine, arc_tangent, circle = map(called, (arc_cosine, arc_tangent, circle))
reverse_bits, second_dimension = map(called, (reverse_bits, second_dimension))
place_in_order = called(place_in_order)
choose, look_at, sky_radiance, to_sky = map(called, (choose, look_at, sky_radiance, to_sky))
draw, evaluate, settle = map(called, (draw, evaluate, settle))


@numba.njit
def numbers_of(sequence, order, pixel, index, within, dimension):
    return sample2(sequence, order, pixel, index, within, dimension)


@numba.njit
def points(count, pixel, dimension):
    found = np.empty((count, 2), np.float32)
    for k in range(count):
        within = u32(0xFFFFFFFF)
        found[k] = sample2(u32(7), u32(0), u32(pixel), reverse_bits(u32(k)), within, dimension)
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


@numba.njit
def points_of_pixels(left, top, side, bits, dimension):
    """(side, side, 2^bits, 2): the samples of a square of pixels."""
    count = 1 << bits
    within = reverse_bits(u32(count - 1))
    found = np.empty((side, side, count, 2), np.float32)
    for y in range(side):
        for x in range(side):
            order, square = place_in_order(u32(left + x), u32(top + y), u32(bits))
            pixel = mix(u32(x + 1000 * y))
            for k in range(count):
                found[y, x, k] = sample2(u32(77 + square), order, pixel, reverse_bits(u32(k)), within, dimension)
    return found


@pytest.mark.parametrize(("side", "bits"), [(1, 4), (2, 0), (2, 2), (2, 4), (4, 2), (8, 1)])
@pytest.mark.parametrize("corner", [(0, 0), (640, 352)])
def test_samples_of_neighbours_are_a_net_together(side, bits, corner):
    p = points_of_pixels(*corner, side, bits, 3).reshape(-1, 2)
    m = len(p).bit_length() - 1
    for a in range(m + 1):
        cells = (np.floor(p[:, 0] * 2**a) * 2 ** (m - a) + np.floor(p[:, 1] * 2 ** (m - a))).astype(int)
        assert len(set(cells)) == len(p)


@pytest.mark.parametrize("bits", [0, 2, 3])
@pytest.mark.parametrize("dimension", [0, 3, 101])
def test_noise_is_fine_grained(bits, dimension):
    """Means over squares of pixels stray far less than those of independent pixels would: there by 1 over the side."""
    p = points_of_pixels(128, 64, 64, bits, dimension).astype(float)
    value = (np.cos(3 * p[..., 0]) * p[..., 1] + (p[..., 0] + p[..., 1] > 1.1)).mean(-1)
    for side in (4, 8):
        squares = value.reshape(64 // side, side, 64 // side, side).mean((1, 3))
        assert squares.std() < 0.7 * value.std() / side


def test_what_a_square_of_pixels_does_not_hold_goes_on_in_another_sequence():
    bits = 20  # so that 6 bits of a side are left
    places = {
        tuple(int(n) for n in place_in_order(u32(x), u32(y), u32(bits))) for x in range(0, 200, 3) for y in range(90)
    }
    assert len(places) == 67 * 90
    inside, squares = zip(*places, strict=True)
    assert max(inside) < 2 ** (32 - bits)
    assert len(set(squares)) == 4 * 2


def test_the_second_dimension_is_sobols():
    """Against its definition: the XOR of direction numbers v(k) = v(k-1) ^ v(k-1) >> 1, the bits reversed."""
    columns = [1 << 31]
    for _ in range(31):
        columns.append(columns[-1] ^ columns[-1] >> 1)
    rng = np.random.default_rng(0)
    for index in [0, 1, 2, 3, 1000, *rng.integers(0, 2**32, 50)]:
        point = 0
        for k in range(32):
            if int(index) >> k & 1:
                point ^= columns[k]
        assert second_dimension(u32(index)) == int(f"{point:032b}"[::-1], 2)


@pytest.mark.parametrize("x", np.linspace(-1, 1, 41))
def test_polynomials_stand_for_functions(x):
    assert arc_cosine(f32(x)) == pytest.approx(np.arccos(x), abs=3e-7)
    for y in (-3.0, -1e-3, 0.0, 0.4, 1.0):
        assert arc_tangent(f32(y), f32(x)) == pytest.approx(np.arctan2(y, f32(x)), abs=5e-7)
    v = (x + 1) / 2
    assert circle(f32(v)) == pytest.approx((np.cos(2 * np.pi * v), np.sin(2 * np.pi * v)), abs=5e-7)


def test_pixels_and_dimensions_are_not_correlated():
    a = np.concatenate([points(64, p, 0) for p in range(60)])
    b = np.concatenate([points(64, p, 1) for p in range(60)])
    for i in range(2):
        for j in range(2):
            assert abs(np.corrcoef(a[:, i], b[:, j])[0, 1]) < 0.05


class Lit(NamedTuple):
    """Of a world what lights it."""

    lights: NDArray[np.float32]
    surround: EnvironmentMap


def drawn_directions(sky, count):
    """Rows of direction, density and radiance as the environment is drawn, lane after lane."""
    world = Packed(Lit(np.zeros((0, LIGHT_ROW), np.float32), sky))
    w, q = workspace()
    rows = (ln.LX, ln.LY, ln.LZ, ln.CHANCE, ln.LIGHT_R, ln.LIGHT_G, ln.LIGHT_B)
    found = []
    for first in range(0, count, LANES):
        look_at(w, q, LANES, 0)
        at = np.array(
            [
                numbers_of(u32(9), u32(0), u32(9), reverse_bits(u32(k)), u32(0xFFFFFFFF), 0)
                for k in range(first, first + LANES)
            ]
        )
        w[ln.U : ln.U + LANES], w[ln.V : ln.V + LANES] = at[:, 0], at[:, 1]
        to_sky(world, w, q, LANES)
        sky_radiance(world, w, q, LANES)
        found.append(np.stack([w[row : row + LANES] for row in rows], 1))
    return np.concatenate(found)


@numba.njit
def look(radiance, cells, dense, turn, directions):
    found = np.empty((len(directions), 4), np.float32)
    for k in range(len(directions)):
        across, down = place_of(turn, directions[k, 0], directions[k, 1], directions[k, 2])
        found[k, :3] = texel(radiance, across, down)
        found[k, 3] = density_at(cells, dense, 0, across, down)
    return found


@pytest.mark.parametrize("preset", get_args(EnvironmentPreset))
@pytest.mark.parametrize("turn", [0.0, 73.0])
def test_environment_draws_have_the_claimed_density(preset, turn):
    sky, power = environment_map(Surround(environment(preset), 1.3, turn))
    found = drawn_directions(sky, 4 * LANES)
    directions = found[:, :3].copy()
    assert np.linalg.norm(directions, axis=1) == pytest.approx(1, abs=1e-4)
    again = look(sky.radiance, sky.cells, sky.dense, sky.turn, directions)
    agree = np.isclose(again[:, 3], found[:, 3], rtol=1e-3)
    assert agree.mean() > 0.99  # rounding may step over a cell's border
    assert (1 / found[:, 3]).mean() == pytest.approx(4 * np.pi, rel=0.04)
    assert again[:, :3] == pytest.approx(found[:, 4:], rel=1e-3, abs=1e-3)
    brightness = found[:, 4:] @ np.array([0.2126, 0.7152, 0.0722])
    assert (brightness / found[:, 3]).mean() == pytest.approx(power, rel=0.04)


TABLE = albedo_table()


MATERIAL = (ln.RED, ln.GREEN, ln.BLUE, ln.METAL, ln.ROUGH, ln.CLEAR, ln.COAT, ln.COAT_ROUGH, ln.SHEEN)


def settled(row, out):
    """A workspace whose lanes are all one material, seen from `out` (3) or from a direction each (3, LANES)."""
    w, _ = workspace()
    for place, value in zip((*MATERIAL, ln.BRUSHED), (*row[: su.GLOW_R], row[su.BRUSHED]), strict=True):
        w[place : place + LANES] = value
    for place, value in zip((ln.OUT_X, ln.OUT_Y, ln.OUT_Z), out, strict=True):
        w[place : place + LANES] = value
    settle(w, TABLE, LANES, LANES, True)
    return w


def rows_of(w, *places):
    return np.stack([w[place : place + LANES].copy() for place in places], 1)


def test_the_table_is_looked_up_between_its_places():
    """Against the same pairs between four neighbours, in float64, also at and beyond the table's borders."""
    rng = np.random.default_rng(8)
    w, _ = workspace()
    w[ln.ROUGH : ln.ROUGH + LANES] = rng.uniform(-0.1, 1.1, LANES)
    w[ln.OUT_Z : ln.OUT_Z + LANES] = rng.uniform(-0.1, 1.1, LANES)
    w[ln.OUT_Z], w[ln.OUT_Z + 1], w[ln.ROUGH], w[ln.ROUGH + 1] = 0, 1, 0, 1
    settle(w, TABLE, LANES, LANES, False)
    down = np.clip(w[ln.LEVEL : ln.LEVEL + LANES].astype(float), 0, LEVELS - 1)
    along = np.clip(w[ln.OUT_Z : ln.OUT_Z + LANES].astype(float), 0, 1) * (COSINES - 1)
    grid = (np.arange(LEVELS + 1), np.arange(COSINES))
    pairs = RegularGridInterpolator(grid, TABLE[: LEVELS + 1].astype(float))(np.stack([down, along], 1))
    assert rows_of(w, ln.A_OUT, ln.B_OUT) == pytest.approx(pairs, abs=2e-5)
    means = [np.interp(down, grid[0], TABLE[MEANS, : LEVELS + 1, k]) for k in (0, 1)]
    assert rows_of(w, ln.MEAN_A, ln.MEAN_B) == pytest.approx(np.stack(means, 1), abs=2e-5)


@pytest.mark.parametrize("lights", [1, 3, 40])
@pytest.mark.parametrize("turns", [1, 5])
def test_lights_are_chosen_by_their_chances(lights, turns):
    rng = np.random.default_rng(lights)
    chances = rng.random(lights)
    choice = np.concatenate([[0.0], np.cumsum(chances / chances.sum())]).astype(np.float32)
    w, q = workspace()
    w[ln.WHICH : ln.WHICH + LANES] = rng.random(LANES)
    for turn in range(turns):
        choose(w, q, LANES, choice, np.float32(turns), turn)
        at = (w[ln.WHICH : ln.WHICH + LANES].astype(float) + turn) / turns
        expected = np.clip(np.searchsorted(choice, at, side="right") - 1, 0, lights - 1)
        found = q[ln.LAMP : ln.LAMP + LANES]
        near = np.abs(at[:, None] - choice[None, 1:-1]).min(1, initial=1) < 1e-6  # rounding may step over a border
        assert (found == expected)[~near].all()
        assert w[ln.CHANCE : ln.CHANCE + LANES] == pytest.approx(turns * np.diff(choice)[found], rel=1e-4)


def scattered(w, into):
    """Value (r, g, b) and density for directions (3, LANES) of the light."""
    for place, value in zip((ln.IN_X, ln.IN_Y, ln.IN_Z), into, strict=True):
        w[place : place + LANES] = value
    evaluate(w, TABLE, LANES, LANES, True)
    return rows_of(w, ln.OUT_R, ln.OUT_G, ln.OUT_B, ln.DRAWN).astype(np.float64)


def scatter(row, cosine, batches=4):
    """Draws for a viewer: mean throughput, integral of the density over the hemisphere, share of draws below."""
    w = settled(row, (np.sqrt(1 - cosine**2) * np.cos(0.4), np.sqrt(1 - cosine**2) * np.sin(0.4), cosine))
    total, below = np.zeros(3), 0
    for batch in range(batches):
        at = np.array(
            [
                numbers_of(u32(5), u32(0), u32(5), reverse_bits(u32(batch * LANES + k)), u32(0xFFFFFFFF), 3)
                for k in range(LANES)
            ]
        )
        w[ln.U : ln.U + LANES], w[ln.V : ln.V + LANES] = at[:, 0], at[:, 1]
        draw(w, LANES)
        up = w[ln.IN_Z : ln.IN_Z + LANES] > 0
        below += (~up).sum()
        found = scattered(w, rows_of(w, ln.IN_X, ln.IN_Y, ln.IN_Z).T)
        total += (found[up, :3] / found[up, 3:]).sum(0)
    n = 256
    z = (np.arange(n) + 0.5) / n
    mass = 0.0
    for start in z:
        phi = 2 * np.pi * (np.arange(LANES) + 0.5) / LANES
        sine = np.sqrt(1 - start**2)
        mass += scattered(w, (sine * np.cos(phi), sine * np.sin(phi), start))[:, 3].mean() * 2 * np.pi / n
    return total / (batches * LANES), mass, below / (batches * LANES)


WHITE = (1.0, 1.0, 1.0)
LAYERED = {
    "metal": Surface(WHITE, 1.0, 0.3, 1.5),
    "rough metal": Surface(WHITE, 1.0, 0.8, 1.5),
    "clear over white": Surface(WHITE, 0.0, 0.4, 1.5),
    "coated": Surface(WHITE, 0.0, 0.6, 1.5, coat=1.0, coat_roughness=0.35),
    "cloth": Surface(WHITE, 0.0, 0.9, 1.4, sheen=1.0),
    "brushed": Surface(WHITE, 1.0, 0.4, 1.5, brushed=1.0),
    "faint surface": Surface(WHITE, 0.0, 0.3, 1.1),
    "everything": Surface(WHITE, 0.3, 0.5, 1.5, coat=0.6, coat_roughness=0.4, sheen=0.5),
}


@pytest.mark.parametrize("name", LAYERED)
@pytest.mark.parametrize("cosine", [0.2, 0.5, 0.9])
def test_material_draws_have_the_claimed_density_and_white_sends_everything_back(name, cosine):
    """The density integrates to the share of draws that stay above the surface; no light is lost or made."""
    rows = material_rows((LAYERED[name],))
    albedo, mass, below = scatter(rows[0], cosine)
    assert mass + below == pytest.approx(1, abs=0.01)
    slant = name == "brushed" and cosine < 0.8
    assert albedo == pytest.approx([1, 1, 1], abs=0.05 if slant else 0.012)


@pytest.mark.parametrize("cosine", [0.15, 0.4, 0.8, 1.0])
@pytest.mark.parametrize("roughness", [0.1, 0.6])
def test_a_coat_over_metal_loses_and_makes_little(cosine, roughness):
    """The larger albedo of both directions is exact for a mirror and near for a rough metal; it never makes light."""
    row = material_rows((Surface(WHITE, 1.0, roughness, 1.5, coat=1.0, coat_roughness=0.1),))[0]
    albedo, _, _ = scatter(row, cosine)
    assert albedo == pytest.approx([1, 1, 1], abs=0.03)
    assert albedo.max() < 1.008


def test_without_a_change_of_index_there_is_only_an_even_base():
    """Lambert's law: a share of pi of the colour, from anywhere to anywhere."""
    row = material_rows((Surface((0.2, 0.5, 0.8), 0.0, 0.5, 1.0),))[0]
    a, b = np.abs(np.random.default_rng(4).normal(size=(2, 3, LANES))) + np.array([0, 0, 0.05])[:, None]
    a, b = a / np.linalg.norm(a, axis=0), b / np.linalg.norm(b, axis=0)
    found = scattered(settled(row, a), b)[:, :3] / b[2][:, None]
    assert found == pytest.approx(np.broadcast_to(np.array([0.2, 0.5, 0.8]) / np.pi, found.shape), rel=1e-4)


@pytest.mark.parametrize("ior", [1.0, 1.02, 1.1, 1.2, 1.3, 1.34])
def test_what_faint_surfaces_mirror_has_the_mean_of_fresnels_equations(ior):
    surface = Surface(WHITE, 0.0, 0.5, ior)
    cosine = (np.arange(20_000) + 0.5) / 20_000
    inside = np.sqrt(1 - (1 - cosine**2) / ior**2)
    one, other = (cosine - ior * inside) / (cosine + ior * inside), (ior * cosine - inside) / (ior * cosine + inside)
    exact = ((one**2 + other**2) * cosine).mean()  # twice the half of both
    curve = surface.dielectric_reflectance + (surface.grazing - surface.dielectric_reflectance) * (1 - cosine) ** 5
    assert 2 * (curve * cosine).mean() == pytest.approx(exact, abs=0.0003)
    w = settled(material_rows((surface,))[0], (0.0, 0.0, 1.0))
    assert w[ln.GRAZING] == pytest.approx(surface.grazing, abs=1e-4)


@pytest.mark.parametrize("name", LAYERED)
def test_scattering_is_reciprocal(name):
    row = material_rows((replace(LAYERED[name], colour=(0.8, 0.5, 0.2)),))[0]
    a, b = np.abs(np.random.default_rng(4).normal(size=(2, 3, LANES))) + np.array([0, 0, 0.05])[:, None]
    a, b = a / np.linalg.norm(a, axis=0), b / np.linalg.norm(b, axis=0)
    there = scattered(settled(row, a), b)[:, :3] / b[2][:, None]
    back = scattered(settled(row, b), a)[:, :3] / a[2][:, None]
    assert there == pytest.approx(back, rel=3e-3)


def test_shares_of_lobes_are_chances():
    for surface in LAYERED.values():
        w = settled(material_rows((surface,))[0], (0.8, 0.0, 0.6))
        specular, coat = w[ln.SPECULAR_SHARE], w[ln.COAT_SHARE]
        assert 0 <= specular <= 1
        assert 0 <= specular + coat <= 1 + 1e-6


def test_the_kept_table_is_what_is_computed():
    assert compute_albedo() == pytest.approx(TABLE, abs=1e-6)
    assert compute_glass() == pytest.approx(glass_table(), abs=1e-6)


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
