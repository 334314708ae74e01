"""Where light comes from that letters throw on the stage: directions drawn by what photons found.

A floor or a wall near polished letters is lit by their small bright facets, which directions by the cosine hardly ever
find. Cells of its surface know from where photons came that letters had sent on (see `photons`), and draw a share of
their directions by that, the others as the material has it; the density is that of both together, so that the picture
stays right whatever the photons found (Jensen, "Importance Driven Path Tracing using the Photon Map", EGWR 1995).

Directions are told apart on the disc below the hemisphere, where equal areas send equal light (Malley's way).
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import HALF, ONE, ZERO, f32, inlined, kernel, u32

CELLS, BINS = 24, 16
"""A sheet has so many cells to each side, and each of them as many bins of directions."""
ACROSS, UP, NORMAL, CELL_X, CELL_Y = 0, 3, 6, 9, 13
FRAME = 17
"""Numbers that a guided sheet holds: its axes and normal, then what takes a place to its cell, each way."""
_HALF_BINS, _CELLS = f32(BINS / 2), f32(CELLS)
_NO_WAY, _BELOW_ONE = f32(1e-5), f32(1 - 2**-24)


class Guide(NamedTuple):
    """`of` (i): which guided sheet an instance is, or -1. frames (g, FRAME); of each cell of each sheet: rising chances
    of its bins (g * CELLS^2, BINS^2 + 1), and the share (g * CELLS^2) of directions that are drawn by them."""

    there: bool
    of: NDArray[np.int32]
    frames: NDArray[np.float32]
    rise: NDArray[np.float32]
    share: NDArray[np.float32]


def no_guide(instances: int) -> Guide:
    return Guide(
        False,
        np.full(instances, -1, np.int32),
        np.zeros((0, FRAME), np.float32),
        np.zeros((0, BINS * BINS + 1), np.float32),
        np.zeros(0, np.float32),
    )


@inlined
def _cell(frames, g, at, x, y, z):
    return frames[g, at] * x + frames[g, at + 1] * y + frames[g, at + 2] * z + frames[g, at + 3]


@kernel
def find_cells(guide, w, q, n):
    """CELL of the lanes, lifted off their hits, and the share of directions that is drawn by it: GUIDED."""
    of, frames, share = guide.of, guide.frames, guide.share
    for i in range(n):
        w[ln.GUIDED + i] = ZERO
        g = of[q[ln.INSTANCE + i]]
        if g < 0:
            continue
        facing = (
            frames[g, NORMAL] * w[ln.GX + i]
            + frames[g, NORMAL + 1] * w[ln.GY + i]
            + frames[g, NORMAL + 2] * w[ln.GZ + i]
        )
        x = _cell(frames, g, CELL_X, w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i])
        y = _cell(frames, g, CELL_Y, w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i])
        if facing > HALF and ZERO <= x < _CELLS and ZERO <= y < _CELLS:
            cell = (g * CELLS + int(y)) * CELLS + int(x)
            q[ln.CELL + i] = u32(cell)
            w[ln.GUIDED + i] = share[cell]


@kernel
def choose_guided(w, n):
    """Which lanes get a direction by their cell: TURNED. Of U each keeps what that choice left of it."""
    for i in range(n):
        share, u = w[ln.GUIDED + i], w[ln.U + i]
        turned = u < share
        w[ln.TURNED + i] = ONE if turned else ZERO
        w[ln.U + i] = min(u / share if turned else (u - share) / (ONE - share), _BELOW_ONE)


@kernel
def turn_guided(guide, w, q, n):
    """Give those lanes their direction instead of the one that the material drew: IN_X.."""
    frames, rise = guide.frames, guide.rise
    for i in range(n):
        if w[ln.TURNED + i] == ZERO:
            continue
        cell = int(q[ln.CELL + i])
        u = w[ln.U + i]
        low, high = 0, BINS * BINS
        while high - low > 1:
            middle = (low + high) // 2
            if rise[cell, middle] <= u:
                low = middle
            else:
                high = middle
        within = (u - rise[cell, low]) / (rise[cell, low + 1] - rise[cell, low])
        across = (f32(low % BINS) + min(within, ONE)) / _HALF_BINS - ONE
        up = (f32(low // BINS) + w[ln.V + i]) / _HALF_BINS - ONE
        square = ONE - across * across - up * up
        if square <= ZERO:  # beyond the disc: such a path ends
            w[ln.IN_X + i], w[ln.IN_Y + i], w[ln.IN_Z + i] = ONE, ZERO, _NO_WAY
            continue
        out = math.sqrt(square)
        g = cell // (CELLS * CELLS)
        x = frames[g, ACROSS] * across + frames[g, UP] * up + frames[g, NORMAL] * out
        y = frames[g, ACROSS + 1] * across + frames[g, UP + 1] * up + frames[g, NORMAL + 1] * out
        z = frames[g, ACROSS + 2] * across + frames[g, UP + 2] * up + frames[g, NORMAL + 2] * out
        w[ln.IN_X + i] = w[ln.TX + i] * x + w[ln.TY + i] * y + w[ln.TZ + i] * z
        w[ln.IN_Y + i] = w[ln.WX + i] * x + w[ln.WY + i] * y + w[ln.WZ + i] * z
        w[ln.IN_Z + i] = max(w[ln.NX + i] * x + w[ln.NY + i] * y + w[ln.NZ + i] * z, _NO_WAY)


@kernel
def weigh_guided(guide, w, q, n):
    """What was evaluated at guided lanes, as if the material had drawn all of it: OUT_R.. over DRAWN is what comes of
    both ways. RATIO: how much rarer the material alone draws the direction.

    The density of the material alone goes on to weigh such paths against looking at lights: both sides take it, and a
    guide looks for letters, not for lights.
    """
    frames, rise = guide.frames, guide.rise
    for i in range(n):
        share = w[ln.GUIDED + i]
        if not share > ZERO:
            w[ln.RATIO + i] = ONE
            continue
        cell = int(q[ln.CELL + i])
        g = cell // (CELLS * CELLS)
        a, b, c = w[ln.IN_X + i], w[ln.IN_Y + i], w[ln.IN_Z + i]
        x = w[ln.TX + i] * a + w[ln.WX + i] * b + w[ln.NX + i] * c
        y = w[ln.TY + i] * a + w[ln.WY + i] * b + w[ln.NY + i] * c
        z = w[ln.TZ + i] * a + w[ln.WZ + i] * b + w[ln.NZ + i] * c
        across = frames[g, ACROSS] * x + frames[g, ACROSS + 1] * y + frames[g, ACROSS + 2] * z
        up = frames[g, UP] * x + frames[g, UP + 1] * y + frames[g, UP + 2] * z
        out = frames[g, NORMAL] * x + frames[g, NORMAL + 1] * y + frames[g, NORMAL + 2] * z
        column = min(max(int((across + ONE) * _HALF_BINS), 0), BINS - 1)
        row = min(max(int((up + ONE) * _HALF_BINS), 0), BINS - 1)
        k = row * BINS + column
        density = (rise[cell, k + 1] - rise[cell, k]) * _HALF_BINS * _HALF_BINS * max(out, ZERO)
        drawn = w[ln.DRAWN + i]
        ratio = drawn / max(share * density + (ONE - share) * drawn, f32(1e-20))
        w[ln.RATIO + i] = ratio
        w[ln.OUT_R + i], w[ln.OUT_G + i], w[ln.OUT_B + i] = (
            w[ln.OUT_R + i] * ratio,
            w[ln.OUT_G + i] * ratio,
            w[ln.OUT_B + i] * ratio,
        )
        w[ln.EVEN_R + i], w[ln.EVEN_G + i], w[ln.EVEN_B + i] = (
            w[ln.EVEN_R + i] * ratio,
            w[ln.EVEN_G + i] * ratio,
            w[ln.EVEN_B + i] * ratio,
        )
