"""The stage as triangles: flat sheets, lines drawn out across, balls."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.stage.scene import Globe, Ground, Sheet, Swept

Floats = NDArray[np.float64]
AROUND, HIGH = 192, 96
"""Triangles of a globe, around and from pole to pole: its outline is off by less than 2 mm for a radius of 6 m."""


class Mesh(NamedTuple):
    """vertices (n, 3), triangles (m, 3) counter-clockwise from where they face, normals (m, 3, 3) a corner."""

    vertices: Floats
    triangles: NDArray[np.int64]
    normals: Floats


def triangulated(ground: Ground) -> Mesh:
    """A part of the stage as triangles."""
    if isinstance(ground, Sheet):
        return _sheet(ground)
    return _swept(ground) if isinstance(ground, Swept) else _globe(ground)


def _sheet(sheet: Sheet) -> Mesh:
    normal = np.cross(sheet.u, sheet.v)
    corners = square(sheet.centre, sheet.u, sheet.v)
    return Mesh(corners, HALVES, np.tile(normal / np.linalg.norm(normal), (2, 3, 1)))


HALVES = np.array([[0, 1, 2], [0, 2, 3]])
"""The two triangles of a quadrilateral."""


def square(centre: Floats, u: Floats, v: Floats) -> Floats:
    """(4, 3) corners of a parallelogram with half edges u and v, counter-clockwise from where u x v points."""
    found: Floats = np.array([centre - u - v, centre + u - v, centre + u + v, centre - u + v])
    return found


def _swept(swept: Swept) -> Mesh:
    """Every piece of the line is a quadrilateral of its own, since normals may break between pieces."""
    first, last = swept.line[:-1], swept.line[1:]
    pieces = len(first)

    def corner(x: float, at: Floats) -> Floats:
        return np.column_stack([np.full(len(at), x), at])

    left, right = -swept.half, swept.half
    vertices = np.stack([corner(left, first), corner(right, first), corner(right, last), corner(left, last)], 1)
    triangles = (4 * np.arange(pieces)[:, None, None] + HALVES).reshape(-1, 3)
    begin, end = (np.column_stack([np.zeros(pieces), swept.normals[:, k]]) for k in (0, 1))
    normals = np.stack([np.stack([begin, begin, end], 1), np.stack([begin, end, end], 1)], 1)
    return Mesh(vertices.reshape(-1, 3), triangles, normals.reshape(-1, 3, 3))


def _globe(globe: Globe) -> Mesh:
    around = np.linspace(0, 2 * np.pi, AROUND, endpoint=False)
    high = np.linspace(np.pi / 2, -np.pi / 2, HIGH + 1)
    y, ring = np.sin(high)[:, None], np.cos(high)[:, None]
    unit = np.stack(np.broadcast_arrays(ring * np.sin(around), y, ring * np.cos(around)), -1).reshape(-1, 3)
    j, i = (k.ravel() for k in np.meshgrid(np.arange(HIGH), np.arange(AROUND), indexing="ij"))
    a, b = j * AROUND + i, j * AROUND + (i + 1) % AROUND
    c, d = b + AROUND, a + AROUND
    triangles = np.concatenate([np.column_stack([a, d, c])[j < HIGH - 1], np.column_stack([a, c, b])[j > 0]])
    flat = unit[triangles]
    return Mesh(globe.centre + globe.radius * unit, triangles, flat)


def sweep_line(distance: float, radius: float, reach: float, pieces: int = 48) -> tuple[Floats, Floats]:
    """A floor that bends up into a wall: line (n, 2) and normals (n - 1, 2, 2). The wall stands `distance` behind."""
    angle = np.linspace(0, np.pi / 2, pieces + 1)
    curve = np.column_stack([radius * (1 - np.cos(angle)), -distance + radius - radius * np.sin(angle)])
    facing = np.column_stack([np.cos(angle), np.sin(angle)])
    line = np.concatenate([[[0.0, 2 * reach - distance]], curve, [[2 * reach, -distance]]])
    bent = np.stack([facing[:-1], facing[1:]], 1)
    floor, wall = np.array([[[1.0, 0.0], [1.0, 0.0]]]), np.array([[[0.0, 1.0], [0.0, 1.0]]])
    return line, np.concatenate([floor, bent, wall])


def steps_line(distance: float, count: int, rise: float, run: float, reach: float) -> tuple[Floats, Floats]:
    """A floor and `count` steps up behind it, the last as deep as the stage: line (n, 2) and normals (n - 1, 2, 2)."""
    line = [(0.0, 2 * reach - distance), (0.0, -distance)]
    for k in range(count):
        deep = -2 * reach if k == count - 1 else -distance - run * (k + 1)
        line += [((k + 1) * rise, -distance - run * k), ((k + 1) * rise, deep)]
    up, forward = (1.0, 0.0), (0.0, 1.0)
    facing = [up] + [side for _ in range(count) for side in (forward, up)]
    return np.array(line), np.repeat(np.array(facing)[:, None], 2, 1)
