"""The environment as a distribution to draw directions from, in proportion to its brightness."""

from __future__ import annotations

import math
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from moss_crown.core.render.shading import INV_PI, ONE, PI, TWO_PI, ZERO, f32
from moss_crown.core.stage.scene import Surround

COLUMNS, ROWS = 64, 32
"""Cells of the drawing distribution. Coarser than the picture: a draw costs less; its density only has to be known."""


class EnvironmentMap(NamedTuple):
    """radiance (h, w, 3), strength applied; rising chances of rows (1, ROWS + 1) and of cells in a row (ROWS,
    COLUMNS + 1) with their guides; edges (ROWS + 1): cosines between rows; density (ROWS, COLUMNS) a steradian; turn in
    radians."""

    radiance: NDArray[np.float32]
    rows: NDArray[np.float32]
    row_guide: NDArray[np.uint8]
    cells: NDArray[np.float32]
    cell_guide: NDArray[np.uint8]
    edges: NDArray[np.float32]
    density: NDArray[np.float32]
    turn: np.float32


def environment_map(surround: Surround) -> tuple[EnvironmentMap, float]:
    """The map of an environment, and its power: the integral of its brightness over all directions."""
    height, width = surround.picture.shape[:2]
    radiance = np.ascontiguousarray(surround.picture * np.float32(surround.strength), np.float32)
    brightness = radiance.astype(np.float64) @ [0.2126, 0.7152, 0.0722]
    sine = np.sin((np.arange(height) + 0.5) / height * np.pi)[:, None]
    weight = (brightness * sine).reshape(ROWS, height // ROWS, COLUMNS, width // COLUMNS).sum((1, 3))
    edges = np.cos(np.linspace(0, np.pi, ROWS + 1))
    solid_angle = (edges[:-1] - edges[1:])[:, None] * (2 * np.pi / COLUMNS) * np.ones((1, COLUMNS))
    even = solid_angle / (4 * np.pi)
    total = weight.sum()
    # A floor keeps every direction possible, so that no part of the picture is left to other means alone.
    share = 0.92 * weight / total + 0.08 * even if total > 0 else even
    by_row = share.sum(1)
    rows = _to_one(np.concatenate([[0], np.cumsum(by_row)])[None])
    cells = _to_one(np.concatenate([np.zeros((ROWS, 1)), np.cumsum(share, 1) / by_row[:, None]], 1))
    power = float((brightness * sine).sum() * (np.pi / height) * (2 * np.pi / width))
    return EnvironmentMap(
        radiance,
        rows,
        _guide(rows, 64),
        cells,
        _guide(cells, 128),
        edges.astype(np.float32),
        (share / solid_angle).astype(np.float32),
        np.float32(np.radians(surround.turn)),
    ), power


def _guide(cumulative: NDArray[np.float32], size: int) -> NDArray[np.uint8]:
    """(r, n + 1) rising tables -> (r, size) interval that holds k / size."""
    starts = np.arange(size, dtype=np.float32) / np.float32(size)
    return np.array([np.searchsorted(row, starts, side="right") - 1 for row in cumulative], np.uint8)


def _to_one(cumulative: NDArray[np.float64]) -> NDArray[np.float32]:
    exact = cumulative / cumulative[..., -1:]
    return np.ascontiguousarray(exact, np.float32)


@numba.njit(cache=True, inline="always")
def find(cumulative, u):
    """The interval of a rising table that holds u, by bisection."""
    low, high = 0, len(cumulative) - 1
    while high - low > 1:
        middle = (low + high) // 2
        if cumulative[middle] <= u:
            low = middle
        else:
            high = middle
    return low


@numba.njit(cache=True, inline="always")
def find_guided(cumulative, guide, r, u):
    """The same in row r of a table, from a guide that says where to begin (Chen and Asau, 1974)."""
    k = int(guide[r, int(u * f32(guide.shape[1]))])
    while cumulative[r, k + 1] <= u:
        k += 1
    return k


@numba.njit(cache=True, inline="always")
def texel(radiance, across, down):
    """Radiance (r, g, b) at shares of the picture's width and height, bilinear, seamless across."""
    height, width = radiance.shape[0], radiance.shape[1]
    px = across * f32(width) - f32(0.5)
    py = min(max(down * f32(height) - f32(0.5), ZERO), f32(height - 1))
    x0 = int(px + ONE) - 1
    y0 = min(int(py), height - 2)
    tx, ty = px - f32(x0), py - f32(y0)
    x1 = x0 + 1
    if x0 < 0:
        x0 += width
    if x1 >= width:
        x1 -= width
    w00, w10 = (ONE - tx) * (ONE - ty), tx * (ONE - ty)
    w01, w11 = (ONE - tx) * ty, tx * ty
    y1 = y0 + 1
    return (
        radiance[y0, x0, 0] * w00 + radiance[y0, x1, 0] * w10 + radiance[y1, x0, 0] * w01 + radiance[y1, x1, 0] * w11,
        radiance[y0, x0, 1] * w00 + radiance[y0, x1, 1] * w10 + radiance[y1, x0, 1] * w01 + radiance[y1, x1, 1] * w11,
        radiance[y0, x0, 2] * w00 + radiance[y0, x1, 2] * w10 + radiance[y1, x0, 2] * w01 + radiance[y1, x1, 2] * w11,
    )


@numba.njit(cache=True, inline="always")
def draw_direction(surround, u, v):
    """A direction (x, y, z), its density a steradian, and the radiance (r, g, b) from there.

    Even in solid angle within a cell of the drawing distribution.
    """
    r = find_guided(surround.rows, surround.row_guide, 0, v)
    inner_v = (v - surround.rows[0, r]) / (surround.rows[0, r + 1] - surround.rows[0, r])
    c = find_guided(surround.cells, surround.cell_guide, r, u)
    inner_u = (u - surround.cells[r, c]) / (surround.cells[r, c + 1] - surround.cells[r, c])
    y = surround.edges[r] + (surround.edges[r + 1] - surround.edges[r]) * inner_v
    across = (f32(c) + inner_u) / f32(COLUMNS)
    azimuth = across * TWO_PI - PI - surround.turn
    sine = math.sqrt(max(ONE - y * y, ZERO))
    red, green, blue = texel(surround.radiance, across, math.acos(y) * INV_PI)
    return sine * math.sin(azimuth), y, -sine * math.cos(azimuth), surround.density[r, c], red, green, blue


@numba.njit(cache=True, inline="always")
def seen(surround, x, y, z):
    """Radiance (r, g, b) towards a direction, and the density with which `draw_direction` draws it."""
    across = (math.atan2(x, -z) + surround.turn) / TWO_PI + f32(0.5)
    across = across - f32(math.floor(across))
    down = math.acos(min(max(y, -ONE), ONE)) * INV_PI
    red, green, blue = texel(surround.radiance, across, down)
    row = min(int(down * f32(ROWS)), ROWS - 1)
    column = min(int(across * f32(COLUMNS)), COLUMNS - 1)
    return red, green, blue, surround.density[row, column]
