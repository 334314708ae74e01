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
from moss_crown.core.deform.functions import between, displaced, joined, laid, outside
from moss_crown.core.deform.rows import (
    AMOUNT,
    APART,
    ARCS,
    BACK,
    BEGUN,
    CLAMP,
    CURVE,
    INTO,
    KIND,
    KINDS,
    KNOTS,
    MIX,
    MOVED,
    OF_ALL,
    PLACES,
    ROW,
    RUN,
    SHAPE,
    SHAPES,
    SIZE,
    TRACK,
    TRACKS,
    ZONE,
)
from moss_crown.core.look.noise import noise

Floats = NDArray[np.float64]
STEP = 1e-5
"""Metres along the surface."""
BLOCK = 256
"""So many points go through all rows together: they stay in the processor's nearest cache."""
SPARE = 8
"""So many numbers a point are kept meanwhile."""
_inner, _outer = inner_with(error_model="numpy", nogil=True), outer_with(error_model="numpy", nogil=True)


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


def _over(number, broad):
    """The kernel of one kind of deformer: it moves many points by one row. With the kind known beforehand the loop has
    no branches, and the compiler takes several points at a time; `broad` knows as much of a wave, that it needs no
    power."""

    @_inner
    def moved(row, x, y, z, count):
        r0, r1, r2, r3, r4, r5 = row[0], row[1], row[2], row[3], row[4], row[5]
        r6, r7, r8, r9, r10, r11 = row[6], row[7], row[8], row[9], row[10], row[11]
        b0, b1, b2, b3, b4 = row[BACK], row[BACK + 1], row[BACK + 2], row[BACK + 3], row[BACK + 4]
        b5, b6, b7, b8 = row[BACK + 5], row[BACK + 6], row[BACK + 7], row[BACK + 8]
        a, b, c = row[AMOUNT], row[AMOUNT + 1], row[AMOUNT + 2]
        d, e, f = 1.0 if broad else row[AMOUNT + 3], row[AMOUNT + 4], row[AMOUNT + 5]
        for i in range(count):
            u, v, w = x[i], y[i], z[i]
            s = r0 * u + r1 * v + r2 * w + r3
            t = r4 * u + r5 * v + r6 * w + r7
            h = r8 * u + r9 * v + r10 * w + r11
            p, q, r = displaced(number, s, t, h, a, b, c, d, e, f)
            x[i] = u + b0 * p + b1 * q + b2 * r
            y[i] = v + b3 * p + b4 * q + b5 * r
            z[i] = w + b6 * p + b7 * q + b8 * r

    return moved


_bend, _curl, _twist, _wave, _globe, _ripple, _blast = (_over(number, 0) for number in range(1, KINDS["path"]))
_broad_wave = _over(KINDS["wave"], 1)


@_inner
def _along_path(tracks, row, x, y, z, count):
    """Points laid along the path of the rows before."""
    begun, apart = row[BEGUN], row[APART]
    for i in range(count):
        u, v, w = x[i], y[i], z[i]
        s = row[0] * u + row[1] * v + row[2] * w + row[3]
        t = row[4] * u + row[5] * v + row[6] * w + row[7]
        h = row[8] * u + row[9] * v + row[10] * w + row[11]
        j = int(min(max(math.floor((s - begun) / apart), 0.0), ARCS - 1.0))
        k = j + 1
        here, there = tracks[j // PLACES], tracks[k // PLACES]
        m, n = 3 * (j % PLACES), 3 * (k % PLACES)
        p, q, r = laid(s, t, h, begun + j * apart, apart, here[m], here[m + 1], here[m + 2], there[n + 2])
        x[i] = u + row[BACK] * p + row[BACK + 1] * q + row[BACK + 2] * r
        y[i] = v + row[BACK + 3] * p + row[BACK + 4] * q + row[BACK + 5] * r
        z[i] = w + row[BACK + 6] * p + row[BACK + 7] * q + row[BACK + 8] * r


@_inner
def _shares(row, x, y, z, share, count):
    """How far off a zone points are, as a share of its run."""
    for i in range(count):
        u = row[0] * x[i] + row[1] * y[i] + row[2] * z[i] + row[3]
        v = row[4] * x[i] + row[5] * y[i] + row[6] * z[i] + row[7]
        w = row[8] * x[i] + row[9] * y[i] + row[10] * z[i] + row[11]
        far = outside(row[SHAPE], u, v, w, row[SIZE], row[SIZE + 1], row[SIZE + 2])
        share[i] = min(max(far / row[RUN], 0.0), 1.0)


@_inner
def _felt(row, share, weight, count):
    """What a curve makes of those shares, or of the strengths before, joined to these."""
    for i in range(count):
        place = (weight[i] if row[OF_ALL] > 0.5 else share[i]) * (KNOTS - 1.0)
        k = min(max(math.floor(place), 0.0), KNOTS - 2.0)
        j = int(k)
        made = between(row[j], row[j + 1], row[j + 2], row[j + 3], place - k)
        now = joined(row[MIX], weight[i], made)
        weight[i] = min(max(now, 0.0), 1.0) if row[CLAMP] > 0.5 else now


@_inner
def _through(rows, x, y, z, count, spare):
    """Points of a letter through its rows (k, ROW), in place, with a spare space of (SPARE, BLOCK). What does nothing
    leaves them to the bit."""
    share, weight, p, q, r = spare[0], spare[1], spare[2], spare[3], spare[4]
    u, v, w = spare[5], spare[6], spare[7]  # at rest
    for k in range(len(rows)):
        if rows[k, KIND] == ZONE:
            for i in range(count):
                u[i], v[i], w[i] = x[i], y[i], z[i]
            break
    felt = False
    for k in range(len(rows)):
        row = rows[k]
        kind = row[KIND]
        if kind == TRACK:
            continue
        if kind >= ZONE:
            if kind == CURVE:
                felt = True
                _felt(row, share, weight, count)
            elif row[MOVED] > 0.5:
                _shares(row, x, y, z, share, count)
            else:
                _shares(row, u, v, w, share, count)
            continue
        if kind == 0.0 or row[AMOUNT] == 0.0:
            felt = False
            continue
        if felt:
            for i in range(count):
                p[i], q[i], r[i] = x[i], y[i], z[i]
        if kind < 3.5:
            if kind < 1.5:
                _bend(row, x, y, z, count)
            elif kind < 2.5:
                _curl(row, x, y, z, count)
            else:
                _twist(row, x, y, z, count)
        elif kind < 5.5:
            if kind < 4.5 and row[AMOUNT + 3] == 1.0:
                _broad_wave(row, x, y, z, count)
            elif kind < 4.5:
                _wave(row, x, y, z, count)
            else:
                _globe(row, x, y, z, count)
        elif kind < 6.5:
            _ripple(row, x, y, z, count)
        elif kind < 7.5:
            _blast(row, x, y, z, count)
        else:
            _along_path(rows[k - TRACKS : k], row, x, y, z, count)
        if felt:
            felt = False
            for i in range(count):
                x[i] = p[i] + weight[i] * (x[i] - p[i])
                y[i] = q[i] + weight[i] * (y[i] - q[i])
                z[i] = r[i] + weight[i] * (z[i] - r[i])


@_outer
def _bent(rows, points, found, space):
    """Points (f or 1, l, n, 3) through rows (f, l, k, ROW), in a space of (3 + SPARE, BLOCK)."""
    x, y, z = space[0], space[1], space[2]
    for f in range(rows.shape[0]):
        of = f if len(points) > 1 else 0
        for k in range(rows.shape[1]):
            for begin in range(0, points.shape[2], BLOCK):
                count = min(BLOCK, points.shape[2] - begin)
                for i in range(count):
                    j = begin + i
                    x[i], y[i], z[i] = points[of, k, j, 0], points[of, k, j, 1], points[of, k, j, 2]
                _through(rows[f, k], x, y, z, count, space[3:])
                for i in range(count):
                    j = begin + i
                    found[f, k, j, 0], found[f, k, j, 1], found[f, k, j, 2] = x[i], y[i], z[i]


@_outer
def _turned(rows, points, moved, at, normals, step, found, space):
    """Normals at points[at], which have moved: see `turned`. In a space of (6 + SPARE, BLOCK)."""
    x, y, z, u, v, w = space[0], space[1], space[2], space[3], space[4], space[5]
    for begin in range(0, len(normals), BLOCK):
        count = min(BLOCK, len(normals) - begin)
        for i in range(count):
            j = begin + i
            a, b, c = normals[j, 0], normals[j, 1], normals[j, 2]
            px, py, pz = points[at[j], 0], points[at[j], 1], points[at[j], 2]
            # Two directions square to the normal (Duff et al., JCGT 6(1), 2017).
            g = 1.0 if c >= 0.0 else -1.0
            k = -1.0 / (g + c)
            m = a * b * k
            x[i], y[i], z[i] = px + step * (1.0 + g * a * a * k), py + step * g * m, pz - step * g * a
            u[i], v[i], w[i] = px + step * m, py + step * (g + b * b * k), pz - step * b
        _through(rows, x, y, z, count, space[6:])
        _through(rows, u, v, w, count, space[6:])
        for i in range(count):
            j = begin + i
            px, py, pz = moved[at[j], 0], moved[at[j], 1], moved[at[j], 2]
            ux, uy, uz, vx, vy, vz = x[i] - px, y[i] - py, z[i] - pz, u[i] - px, v[i] - py, w[i] - pz
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            size = math.sqrt(nx * nx + ny * ny + nz * nz)
            size = 1.0 / size if size > 0.0 else 0.0
            found[j, 0], found[j, 1], found[j, 2] = nx * size, ny * size, nz * size


@_outer
def _distances(shape, size, places, found):
    for i in range(len(places)):
        found[i] = outside(shape, places[i, 0], places[i, 1], places[i, 2], size[0], size[1], size[2])


def distances(shape: str, size: Floats, places: Floats) -> Floats:
    """(n) metres from the border of a zone of a shape and its sizes (3), for places (n, 3) in its own space; at most 0
    inside."""
    found = np.empty(len(places))
    _distances(
        float(SHAPES[shape]), np.ascontiguousarray(size, np.float64), np.ascontiguousarray(places, np.float64), found
    )
    return found


def bent_all(rows: Floats, points: Floats) -> Floats:
    """(f, l, n, 3) points of each letter (f or 1, l, n, 3) through its rows (f, l, k, ROW) at each frame."""
    noise.link()
    points = np.ascontiguousarray(points, np.float64)
    found = np.empty((*rows.shape[:2], *points.shape[2:]))
    _bent(np.ascontiguousarray(rows), points, found, np.empty((3 + SPARE, BLOCK)))
    return found


def bent(rows: Floats, points: Floats) -> Floats:
    """(n, 3) points of one letter through its rows (k, ROW)."""
    found: Floats = bent_all(rows[None, None], points[None, None])[0, 0]
    return found


def turned(rows: Floats, points: Floats, moved: Floats, at: NDArray[np.int64], normals: Floats) -> Floats:
    """(m, 3) normals at points[at], which the rows have `moved` (n, 3) there, as the surface is turned: what steps
    along it become, crossed. Creases stay, since a vertex has a normal for each of its sides."""
    noise.link()
    found = np.empty((len(at), 3))
    _turned(
        np.ascontiguousarray(rows),
        np.ascontiguousarray(points, np.float64),
        np.ascontiguousarray(moved, np.float64),
        np.ascontiguousarray(at, np.int64),
        np.ascontiguousarray(normals, np.float64),
        STEP,
        found,
        np.empty((6 + SPARE, BLOCK)),
    )
    return found
