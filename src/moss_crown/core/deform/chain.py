"""A letter through its deformers, one after the other: points and normals.

All deformers of a letter are rows of a table, each with the way from the letter's own space into the deformer's axes
and back: whatever poses, drives and blocks do to the letter besides stays a matrix behind all of them.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import inner_with, outer_with
from moss_crown.core.deform.functions import displaced
from moss_crown.core.deform.rows import AMOUNT, BACK, INTO, KIND, KINDS, ROW
from moss_crown.core.look.noise import noise

Floats = NDArray[np.float64]
STEP = 1e-5
"""Metres along the surface."""


def row(kind: str, into: Floats, values: Sequence[float]) -> Floats:
    """(ROW) a deformer: `into` (3, 4) from the letter's space to its axes, `values` its amount and what else it has."""
    found = np.zeros(ROW)
    found[INTO:BACK] = np.asarray(into)[:3].reshape(12)
    found[BACK:KIND] = np.linalg.inv(np.asarray(into)[:3, :3]).reshape(9)
    found[KIND] = KINDS[kind]
    found[AMOUNT : AMOUNT + len(values)] = values
    return found


def at_rest(rows: Floats) -> bool:
    """Do these rows (..., ROW) leave everything where it is?"""
    return not (rows[..., AMOUNT] * rows[..., KIND]).any()


@inner_with(error_model="numpy", nogil=True)
def through(rows, x, y, z):
    """A point of a letter through its rows (k, ROW). What does nothing leaves it to the bit."""
    for k in range(len(rows)):
        if rows[k, KIND] == 0.0 or rows[k, AMOUNT] == 0.0:
            continue
        s = rows[k, 0] * x + rows[k, 1] * y + rows[k, 2] * z + rows[k, 3]
        t = rows[k, 4] * x + rows[k, 5] * y + rows[k, 6] * z + rows[k, 7]
        h = rows[k, 8] * x + rows[k, 9] * y + rows[k, 10] * z + rows[k, 11]
        a, b, c = rows[k, AMOUNT], rows[k, AMOUNT + 1], rows[k, AMOUNT + 2]
        d, e, f = rows[k, AMOUNT + 3], rows[k, AMOUNT + 4], rows[k, AMOUNT + 5]
        p, q, r = displaced(rows[k, KIND], s, t, h, a, b, c, d, e, f)
        x = x + rows[k, BACK] * p + rows[k, BACK + 1] * q + rows[k, BACK + 2] * r
        y = y + rows[k, BACK + 3] * p + rows[k, BACK + 4] * q + rows[k, BACK + 5] * r
        z = z + rows[k, BACK + 6] * p + rows[k, BACK + 7] * q + rows[k, BACK + 8] * r
    return x, y, z


@outer_with(error_model="numpy", nogil=True)
def _bent(rows, points, found):
    """Points (f or 1, l, n, 3) through rows (f, l, k, ROW)."""
    for f in range(rows.shape[0]):
        of = f if len(points) > 1 else 0
        for k in range(rows.shape[1]):
            own = rows[f, k]
            for i in range(points.shape[2]):
                x, y, z = through(own, points[of, k, i, 0], points[of, k, i, 1], points[of, k, i, 2])
                found[f, k, i, 0], found[f, k, i, 1], found[f, k, i, 2] = x, y, z


@outer_with(error_model="numpy", nogil=True)
def _turned(rows, points, at, normals, step, found):
    for i in range(len(normals)):
        a, b, c = normals[i, 0], normals[i, 1], normals[i, 2]
        x, y, z = points[at[i], 0], points[at[i], 1], points[at[i], 2]
        # Two directions square to the normal (Duff et al., JCGT 6(1), 2017).
        g = 1.0 if c >= 0.0 else -1.0
        k = -1.0 / (g + c)
        m = a * b * k
        px, py, pz = through(rows, x, y, z)
        ux, uy, uz = through(rows, x + step * (1.0 + g * a * a * k), y + step * g * m, z - step * g * a)
        vx, vy, vz = through(rows, x + step * m, y + step * (g + b * b * k), z - step * b)
        ux, uy, uz, vx, vy, vz = ux - px, uy - py, uz - pz, vx - px, vy - py, vz - pz
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        size = math.sqrt(nx * nx + ny * ny + nz * nz)
        size = 1.0 / size if size > 0.0 else 0.0
        found[i, 0], found[i, 1], found[i, 2] = nx * size, ny * size, nz * size


def bent_all(rows: Floats, points: Floats) -> Floats:
    """(f, l, n, 3) points of each letter (f or 1, l, n, 3) through its rows (f, l, k, ROW) at each frame."""
    noise.link()
    points = np.ascontiguousarray(points, np.float64)
    found = np.empty((*rows.shape[:2], *points.shape[2:]))
    _bent(np.ascontiguousarray(rows), points, found)
    return found


def bent(rows: Floats, points: Floats) -> Floats:
    """(n, 3) points of one letter through its rows (k, ROW)."""
    found: Floats = bent_all(rows[None, None], points[None, None])[0, 0]
    return found


def turned(rows: Floats, points: Floats, at: NDArray[np.int64], normals: Floats) -> Floats:
    """(m, 3) normals at points[at], as the surface there is turned: what steps along it become, crossed. Creases stay,
    since a vertex has a normal for each of its sides."""
    noise.link()
    found = np.empty((len(at), 3))
    _turned(
        np.ascontiguousarray(rows),
        np.ascontiguousarray(points, np.float64),
        np.ascontiguousarray(at, np.int64),
        np.ascontiguousarray(normals, np.float64),
        STEP,
        found,
    )
    return found
