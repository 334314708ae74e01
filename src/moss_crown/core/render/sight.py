"""How much of the sky the surfaces of a scene see: a stage hides most of it, and what is hidden is not worth asking.

A few points of what the camera sees are asked for a few hundred directions each. Surfaces that look to the same of six
sides are taken together: for them the environment is drawn in proportion to its brightness times how much of that
arrives. (Weighting a distribution by mean visibility: Bitterli, Novak and Jarosz, "Portal-Masked Environment Map
Sampling", CGF 34(4), 2015, who have it exactly, for portals.)
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import HALF, ONE, PI, ZERO, entry, f32, kernel, u32
from moss_crown.core.render.camera import begin, lift, padded, pinhole
from moss_crown.core.render.environment_map import SIGHT_COLUMNS, SIGHT_ROWS, towards
from moss_crown.core.render.hits import met
from moss_crown.core.render.lamps import FAR_AWAY, sides
from moss_crown.core.render.rays import SEEN_BY_CAMERA, ray_buffer, shadows
from moss_crown.core.render.shading import frame
from moss_crown.core.render.views import Packed, view
from moss_crown.core.render.world import World

ACROSS, DOWN = 24, 16
SIDES = 6
ALL_OF_IT = np.ones((SIDES, SIGHT_ROWS, SIGHT_COLUMNS), np.float32)
FEWEST = 6
"""Of so few points or fewer nothing is said about others that look the same way."""


@kernel
def _points(w, q):
    """Lanes for points evenly over the picture; answers how many."""
    n = 0
    for y in range(DOWN):
        for x in range(ACROSS):
            w[ln.LX + n], w[ln.LY + n], w[ln.LZ + n] = f32(x), f32(y), ZERO
            w[ln.V + n], w[ln.TIME + n] = ZERO, HALF
            q[ln.PIXEL + n], q[ln.KEY + n] = u32(n), u32(n)
            q[ln.INSTANCE + n], q[ln.FACET + n] = u32(0), u32(0)
            n += 1
    return n


@kernel
def _towards(w, n, row, column, turn):
    """All lanes look to the middle of a part of the sky, those that it can light at all with a share of 1."""
    height = math.cos((f32(row) + HALF) * PI / f32(SIGHT_ROWS))
    x, y, z = towards(turn, (f32(column) + HALF) / f32(SIGHT_COLUMNS), height)
    for i in range(n):
        up = w[ln.NX + i] * x + w[ln.NY + i] * y + w[ln.NZ + i] * z
        flat = w[ln.GX + i] * x + w[ln.GY + i] * y + w[ln.GZ + i] * z
        w[ln.LX + i], w[ln.LY + i], w[ln.LZ + i], w[ln.REACH + i] = x, y, z, FAR_AWAY
        w[ln.CHANCE + i] = max(up, ZERO)
        w[ln.SHARE + i] = ONE if min(up, flat) > ZERO else ZERO


@entry
def _survey(world, w, q, ray, found, points):
    found, points = view(found), view(points)
    w, q, ray = view(w), view(q), view(ray)
    n = _points(w, q)
    pinhole(w, n, world.camera, world.lens, ACROSS, DOWN)
    begin(w, padded(n))
    n = met(world, w, q, ray, n, SEEN_BY_CAMERA, u32(0), True)
    frame(w, padded(n))
    sides(w, q, n)
    lift(w, padded(n))
    for i in range(n):
        points[q[ln.SIDE + i]] += ONE
    for row in range(SIGHT_ROWS):
        for column in range(SIGHT_COLUMNS):
            _towards(w, n, row, column, world.surround.turn)
            sent = shadows(world, w, q, ray, n, True)
            for j in range(sent):
                i = int(q[ln.PICK + j])
                found[q[ln.SIDE + i], row, column] += w[ln.SHARE + i] * w[ln.CHANCE + i]


def sight(world: World) -> NDArray[np.float32]:
    """(SIDES, SIGHT_ROWS, SIGHT_COLUMNS): the share of its light that arrives from each part of the sky at surfaces
    that look to each side, on the mean; all of it where too few of them are seen to tell."""
    found = np.zeros((SIDES, SIGHT_ROWS, SIGHT_COLUMNS), np.float32)
    points = np.zeros(SIDES, np.float32)
    _survey(Packed(world), *ln.workspace(), ray_buffer(), found, points)
    found /= np.maximum(points, 1)[:, None, None]
    found[points <= FEWEST] = 1
    return found
