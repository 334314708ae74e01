"""Foils that gas fills, solved frame by frame.

Extended position based dynamics (Macklin, Mueller, Chentanez: XPBD, 2016) by small steps (Macklin and others: Small
Steps in Physics Simulation, 2019): many substeps, one pass over all constraints in each, in a fixed order. Edges are
distances, softer when they are too short, so that foil wrinkles rather than shrinks; hinges bend by a quadratic
energy; gas pushes along the gradient of the volume; vertices keep a thickness apart. Everything is added, multiplied
and rooted in one order: the bits are the same on any machine.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import inner, outer

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

PRESSURE, MOST, GROW, STIFF, BEND, HOLD, DRAG = range(7)
"""What a row says of a foil in a frame: pressure, the volume at which gas has faded, how many times as long edges are
that are not of a seam, their stiffness, that of bending, how fast it is drawn home (radians a second), and drag
(1 / s)."""
ROW = 7
SOFTER = 30.0
"""So many times softer edges are that are too short: foil wrinkles rather than shrinks."""
MARGIN = 2.6
"""Lists of vertices near each other reach so many thicknesses."""


@inner
def _pushed(x, triangles, begin, end, push):
    """Areas that gas pushes, six times their share for each vertex; answers the volume."""
    six = 0.0
    for t in range(begin, end):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ux, uy, uz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        vx, vy, vz = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        six += x[a, 0] * nx + x[a, 1] * ny + x[a, 2] * nz
        push[a, 0] += nx
        push[a, 1] += ny
        push[a, 2] += nz
        push[b, 0] += nx
        push[b, 1] += ny
        push[b, 2] += nz
        push[c, 0] += nx
        push[c, 1] += ny
        push[c, 2] += nz
    return six / 6


@inner
def _gone(x, before, listed, w, push, begin, end, force, drag, weight, h, fastest):
    """Vertices go on as they went, pushed and slowed down, none faster than it may. Answers how far one is from where
    it was listed."""
    slow = 1.0 / (1.0 + drag * h)
    far = 0.0
    for i in range(begin, end):
        qx, qy, qz = x[i, 0] - listed[i, 0], x[i, 1] - listed[i, 1], x[i, 2] - listed[i, 2]
        far = max(far, qx * qx + qy * qy + qz * qz)
        by = h * force * w[i]
        vx = ((x[i, 0] - before[i, 0]) / h + by * push[i, 0] + h * weight[0]) * slow
        vy = ((x[i, 1] - before[i, 1]) / h + by * push[i, 1] + h * weight[1]) * slow
        vz = ((x[i, 2] - before[i, 2]) / h + by * push[i, 2] + h * weight[2]) * slow
        speed = math.sqrt(vx * vx + vy * vy + vz * vz)
        go = h
        if speed > fastest:
            go = h * fastest / speed
        before[i, 0], before[i, 1], before[i, 2] = x[i, 0], x[i, 1], x[i, 2]
        x[i, 0] += go * vx
        x[i, 1] += go * vy
        x[i, 2] += go * vz
    return math.sqrt(far)


@inner
def _stretched(x, w, edges, length, seam, begin, end, grow, stiff, slack):
    """Edges keep their lengths; `stiff` and `slack` are compliances by the square of the time, for those that are too
    long and too short."""
    for e in range(begin, end):
        a, b = edges[e, 0], edges[e, 1]
        dx, dy, dz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        size = math.sqrt(dx * dx + dy * dy + dz * dz)
        if size < 1e-12:
            continue
        off = size - length[e]
        if not seam[e]:
            off = size - length[e] * grow
        ease = stiff
        if off < 0:
            ease = slack
        by = off / ((w[a] + w[b] + ease) * size)
        ba, bb = by * w[a], by * w[b]
        x[a, 0] += ba * dx
        x[a, 1] += ba * dy
        x[a, 2] += ba * dz
        x[b, 0] -= bb * dx
        x[b, 1] -= bb * dy
        x[b, 2] -= bb * dz


@inner
def _bent(x, w, hinges, weights, area, bent, begin, end, ease):
    """Hinges stay as they are bent at rest. `ease` is 1 over their stiffness and the square of the time."""
    for q in range(begin, end):
        a, b, c, d = hinges[q, 0], hinges[q, 1], hinges[q, 2], hinges[q, 3]
        ka, kb, kc, kd = weights[q, 0], weights[q, 1], weights[q, 2], weights[q, 3]
        sx = ka * x[a, 0] + kb * x[b, 0] + kc * x[c, 0] + kd * x[d, 0]
        sy = ka * x[a, 1] + kb * x[b, 1] + kc * x[c, 1] + kd * x[d, 1]
        sz = ka * x[a, 2] + kb * x[b, 2] + kc * x[c, 2] + kd * x[d, 2]
        if bent[q] != 0:
            ux, uy, uz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
            vx, vy, vz = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            by = 1.0 / math.sqrt(nx * nx + ny * ny + nz * nz + 1e-30)
            nx, ny, nz = by * nx, by * ny, by * nz
            vx, vy, vz = x[b, 0] - x[d, 0], x[b, 1] - x[d, 1], x[b, 2] - x[d, 2]
            mx, my, mz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            by = 1.0 / math.sqrt(mx * mx + my * my + mz * mz + 1e-30)
            nx, ny, nz = nx + by * mx, ny + by * my, nz + by * mz
            size = math.sqrt(nx * nx + ny * ny + nz * nz)
            if size > 1e-9:
                by = bent[q] / size
                sx, sy, sz = sx - by * nx, sy - by * ny, sz - by * nz
        by = 1.0 / (w[a] * ka * ka + w[b] * kb * kb + w[c] * kc * kc + w[d] * kd * kd + area[q] * ease)
        pa, pb, pc, pd = by * w[a] * ka, by * w[b] * kb, by * w[c] * kc, by * w[d] * kd
        x[a, 0] -= pa * sx
        x[a, 1] -= pa * sy
        x[a, 2] -= pa * sz
        x[b, 0] -= pb * sx
        x[b, 1] -= pb * sy
        x[b, 2] -= pb * sz
        x[c, 0] -= pc * sx
        x[c, 1] -= pc * sy
        x[c, 2] -= pc * sz
        x[d, 0] -= pd * sx
        x[d, 1] -= pd * sy
        x[d, 2] -= pd * sz


@inner
def _apart(x, pairs, near, begin, end, first, awake):
    """Vertices keep apart; those of a foil that is asleep (`first` and `awake` are of those) stay where they are."""
    for p in range(begin, end):
        a, b = pairs[p, 0], pairs[p, 1]
        dx, dy, dz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        square = dx * dx + dy * dy + dz * dz
        if square >= near[p] * near[p] or square < 1e-20:
            continue
        one = two = 0.5
        if len(awake):
            if not awake[first[a]] and not awake[first[b]]:
                continue
            if not awake[first[a]]:
                one, two = 0.0, 1.0
            if not awake[first[b]]:
                one, two = 1.0, 0.0
        size = math.sqrt(square)
        by = (size - near[p]) / size
        x[a, 0] += one * by * dx
        x[a, 1] += one * by * dy
        x[a, 2] += one * by * dz
        x[b, 0] -= two * by * dx
        x[b, 1] -= two * by * dy
        x[b, 2] -= two * by * dz


@inner
def _kept_off(x, before, begin, end, planes, rub):
    """Nothing goes behind a plane: a normal and how far along it that lies; what touches one is slowed down by it."""
    for i in range(begin, end):
        for k in range(len(planes)):
            nx, ny, nz = planes[k, 0], planes[k, 1], planes[k, 2]
            deep = planes[k, 3] - (x[i, 0] * nx + x[i, 1] * ny + x[i, 2] * nz)
            if deep > 0:
                x[i, 0] += deep * nx
                x[i, 1] += deep * ny
                x[i, 2] += deep * nz
                dx, dy, dz = before[i, 0] - x[i, 0], before[i, 1] - x[i, 1], before[i, 2] - x[i, 2]
                out = dx * nx + dy * ny + dz * nz
                x[i, 0] += rub * (dx - out * nx)
                x[i, 1] += rub * (dy - out * ny)
                x[i, 2] += rub * (dz - out * nz)


@inner
def _homeward(x, home, begin, end, ease):
    for i in range(begin, end):
        x[i, 0] -= (x[i, 0] - home[i, 0]) * ease
        x[i, 1] -= (x[i, 1] - home[i, 1]) * ease
        x[i, 2] -= (x[i, 2] - home[i, 2]) * ease


# fmt: off
@outer
def swell(x, before, listed, home, w, push, triangles, edges, length, seam, hinges, weights, area, bent, first, owner,
          pairs, near, own, between, between_near, rows, far, awake, planes, weight, rub, thick, h, substep, count):
    """Substeps of a frame from one on; answers the one that is next: all of them, or as many as there are before
    something could come nearer than a thickness unseen, and lists of neighbours have to be made anew."""
    nobody = awake[:0]
    while substep < count:
        for k in range(len(rows)):
            if 2 * far[k] > (MARGIN - 1.4) * thick:
                return substep
        for k in range(len(rows)):
            if not awake[k]:
                continue
            v0, v1 = first[k, 0], first[k + 1, 0]
            for i in range(v0, v1):
                push[i, 0] = push[i, 1] = push[i, 2] = 0.0
            volume = _pushed(x, triangles, first[k, 1], first[k + 1, 1], push)
            left = min(1.0, max(0.0, (rows[k, MOST] - volume) / (0.2 * rows[k, MOST])))
            force = rows[k, PRESSURE] * left / 6
            # What bursts open comes to a stop at the most that there can be, and does not fly on.
            drag = rows[k, DRAG] + 2 * max(0.0, volume / rows[k, MOST] - 0.8) / (0.2 * h)
            far[k] = _gone(x, before, listed, w, push, v0, v1, force, drag, weight, h, 0.4 * thick / h)
            stiff = 1.0 / (rows[k, STIFF] * h * h)
            _stretched(x, w, edges, length, seam, first[k, 2], first[k + 1, 2], rows[k, GROW], stiff, stiff * SOFTER)
            if rows[k, BEND] > 0:
                _bent(x, w, hinges, weights, area, bent, first[k, 3], first[k + 1, 3], 1.0 / (rows[k, BEND] * h * h))
            if rows[k, HOLD] > 0:
                tight = rows[k, HOLD] * h
                _homeward(x, home, v0, v1, tight * tight / (1.0 + tight * tight))
            _apart(x, pairs, near, own[k], own[k + 1], owner, nobody)
            _kept_off(x, before, v0, v1, planes, rub)
        _apart(x, between, between_near, 0, len(between), owner, awake)
        substep += 1
    return substep
# fmt: on


@outer
def _in_cells(x, low, size, cells, cell, starts, order, fill):
    """Vertices by cells of a grid, a counting sort: in a cell they are in their own order."""
    for i in range(len(x)):
        at = 0
        for k in range(3):
            q = int((x[i, k] - low[k]) / size)
            at = at * cells[k] + min(cells[k] - 1, max(0, q))
        cell[i] = at
        starts[at + 1] += 1
    for c in range(len(starts) - 1):
        starts[c + 1] += starts[c]
    for c in range(len(starts) - 1):
        fill[c] = starts[c]
    for i in range(len(x)):
        order[fill[cell[i]]] = i
        fill[cell[i]] += 1


@outer
def _near_pairs(x, owner, size, cells, cell, starts, order, found, same):
    """Pairs i < j that are nearer than a size, of one foil or of two. Where there is too little room it counts."""
    count = 0
    for i in range(len(x)):
        cz = cell[i] % cells[2]
        cy = cell[i] // cells[2] % cells[1]
        cx = cell[i] // (cells[2] * cells[1])
        for gx in range(max(0, cx - 1), min(cells[0], cx + 2)):
            for gy in range(max(0, cy - 1), min(cells[1], cy + 2)):
                row = (gx * cells[1] + gy) * cells[2]
                for s in range(starts[row + max(0, cz - 1)], starts[row + min(cells[2], cz + 2)]):
                    j = order[s]
                    if j <= i or (owner[i] == owner[j]) != same:
                        continue
                    dx, dy, dz = x[j, 0] - x[i, 0], x[j, 1] - x[i, 1], x[j, 2] - x[i, 2]
                    if dx * dx + dy * dy + dz * dz < size * size:
                        if count < len(found):
                            found[count, 0], found[count, 1] = i, j
                        count += 1
    return count


MOST_CELLS = 160
"""On a side of the grid."""


def near_pairs(x: Floats, owner: Ints, size: float, same: bool) -> Ints:
    """(p, 2): vertices (n, 3) that are nearer to each other than a size, of the same foil or of different ones, in an
    order that follows from where they are."""
    if len(x) < 2:
        return np.zeros((0, 2), np.int64)
    low = x.min(0)
    size = max(size, 1e-9)
    cells = np.minimum(((x.max(0) - low) / size).astype(np.int64) + 1, MOST_CELLS)
    wide = max(size, float(((x.max(0) - low) / cells).max()) * (1 + 1e-9))
    cell, order = np.empty(len(x), np.int64), np.empty(len(x), np.int64)
    starts = np.zeros(int(cells[0] * cells[1] * cells[2]) + 1, np.int64)
    _in_cells(x, low, wide, cells, cell, starts, order, np.empty_like(starts))
    found = np.empty((12 * len(x), 2), np.int64)
    count = _near_pairs(x, owner, size, cells, cell, starts, order, found, same)
    if count > len(found):
        found = np.empty((count, 2), np.int64)
        _near_pairs(x, owner, size, cells, cell, starts, order, found, same)
    return found[:count]
