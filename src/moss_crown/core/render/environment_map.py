"""The environment as a distribution to draw directions from, in proportion to its brightness."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.look.exposure import BRIGHTNESS
from moss_crown.core.render.arithmetic import (
    HALF,
    INV_PI,
    ONE,
    TWO_PI,
    ZERO,
    arc_cosine,
    arc_tangent,
    circle,
    f32,
    fetch,
    inlined,
    kernel,
)
from moss_crown.core.stage.scene import Surround

COLUMNS, ROWS = 256, 128
"""Cells of the drawing distribution, coarser than the picture: its density only has to be known."""
SIGHT_COLUMNS, SIGHT_ROWS = 32, 16
"""Parts of the sky of which it is known how much of them is seen."""
BY_SIGHT, EVENLY = 0.9, 0.04
"""Shares of directions drawn by what is seen, and evenly; the rest by brightness alone."""


class EnvironmentMap(NamedTuple):
    """radiance (h, w, 3), strength applied; for each side that surfaces look to, rising chances of rows (s, ROWS + 1)
    and of cells in a row (s, ROWS, COLUMNS + 1) with their guides; edges (ROWS + 1): cosines between rows; dense (s,
    ROWS): the density a steradian of a cell in a row, if its chance there were 1; turn in radians."""

    radiance: NDArray[np.float32]
    rows: NDArray[np.float32]
    row_guide: NDArray[np.uint8]
    cells: NDArray[np.float32]
    cell_guide: NDArray[np.uint8]
    edges: NDArray[np.float32]
    dense: NDArray[np.float32]
    turn: np.float32


def environment_map(surround: Surround, sight: NDArray[np.float32] | None = None) -> tuple[EnvironmentMap, float]:
    """The map of an environment, and its power: the integral of its brightness over all directions.

    sight (s, SIGHT_ROWS, SIGHT_COLUMNS): how much of each part of the sky arrives at surfaces that look to a side;
    without it there is one side, which sees all of it.
    """
    height, width = surround.picture.shape[:2]
    radiance = np.ascontiguousarray(surround.picture * np.float32(surround.strength), np.float32)
    brightness = radiance.astype(np.float64) @ BRIGHTNESS
    sine = np.sin((np.arange(height) + 0.5) / height * np.pi)[:, None]
    weight = (brightness * sine).reshape(ROWS, height // ROWS, COLUMNS, width // COLUMNS).sum((1, 3))
    edges = np.cos(np.linspace(0, np.pi, ROWS + 1))
    solid_angle = (edges[:-1] - edges[1:])[:, None] * (2 * np.pi / COLUMNS) * np.ones((1, COLUMNS))
    even = solid_angle / (4 * np.pi)
    total = weight.sum()
    bright = weight / total if total > 0 else even
    seen_by = bright[None]
    if sight is not None:
        seen_by = bright * sight.repeat(ROWS // SIGHT_ROWS, 1).repeat(COLUMNS // SIGHT_COLUMNS, 2)
        whole = seen_by.sum((1, 2), keepdims=True)
        seen_by = np.where(whole > 0, seen_by / np.where(whole > 0, whole, 1), bright)
    # Every direction stays possible, so that no part of the picture is left to other means alone.
    share = BY_SIGHT * seen_by + (1 - BY_SIGHT - EVENLY) * bright + EVENLY * even
    by_row = share.sum(2)
    none = np.zeros((len(share), 1))
    rows = _to_one(np.concatenate([none, np.cumsum(by_row, 1)], 1))
    cells = _to_one(np.concatenate([np.zeros((len(share), ROWS, 1)), np.cumsum(share, 2) / by_row[..., None]], 2))
    power = float((brightness * sine).sum() * (np.pi / height) * (2 * np.pi / width))
    return EnvironmentMap(
        radiance,
        rows,
        _guide(rows, 2 * ROWS),
        cells,
        _guide(cells, COLUMNS),
        edges.astype(np.float32),
        (np.diff(rows) / solid_angle[:, 0]).astype(np.float32),
        np.float32(np.radians(surround.turn)),
    ), power


def _guide(cumulative: NDArray[np.float32], size: int) -> NDArray[np.uint8]:
    """(..., n + 1) rising tables -> (..., size) interval that holds k / size."""
    starts = np.arange(size, dtype=np.float32) / np.float32(size)
    tables = cumulative.reshape(-1, cumulative.shape[-1])
    found = np.array([np.searchsorted(row, starts, side="right") - 1 for row in tables], np.uint8)
    return found.reshape(*cumulative.shape[:-1], size)


def _to_one(cumulative: NDArray[np.float64]) -> NDArray[np.float32]:
    exact = cumulative / cumulative[..., -1:]
    return np.ascontiguousarray(exact, np.float32)


@inlined
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


@inlined
def fetch_texel(address, height, width, across, down):
    """Ask for what `texel` is going to read; `address`: where the picture lies."""
    x = int(max(across * f32(width) - f32(0.5), ZERO))
    y = int(max(down * f32(height) - f32(0.5), ZERO))
    first = address + 12 * (y * width + x)
    fetch(first)
    fetch(first + 12 * width)


@kernel
def place(turn, x, y, z):
    """Where a direction lies in the picture: shares of its width and height."""
    across = (arc_tangent(x, -z) + turn) / TWO_PI + HALF
    return across - np.floor(across), arc_cosine(y) * INV_PI


@kernel
def towards(turn, across, y):
    """The direction (x, y, z) to a share of the picture's width, at a sine of the height."""
    turned = across - HALF - turn / TWO_PI
    cosine, azimuthal = circle(turned - np.floor(turned))
    sine = math.sqrt(max(ONE - y * y, ZERO))
    return sine * azimuthal, y, -sine * cosine


@inlined
def density_at(cells, dense, side, across, down):
    """The density a steradian with which surfaces that look to a side draw a place of the picture."""
    row = min(int(down * f32(ROWS)), ROWS - 1)
    column = min(int(across * f32(COLUMNS)), COLUMNS - 1)
    return dense[side, row] * (cells[side, row, column + 1] - cells[side, row, column])
