"""Letters as convex parts: what rigid bodies are made of."""

from __future__ import annotations

from itertools import pairwise
from typing import TypeAlias

import numpy as np
import shapely
from numpy.typing import NDArray

from moss_crown.core.form.outline import Ring, area
from moss_crown.core.form.plan import triangulate

Floats: TypeAlias = NDArray[np.float64]
SIMPLER = 4.0
"""Thousandths of an em that the outline of a body may be off."""


def prisms(rings: list[Ring], unit: float, low: float, high: float) -> tuple[Floats, ...]:
    """Convex prisms (n, 3) that together are a letter of an outline (thousandths of an em) from one depth to another,
    in metres."""
    parts = convex_parts(simpler(rings, SIMPLER))
    return tuple(
        np.concatenate([np.column_stack([part * unit, np.full(len(part), z)]) for z in (low, high)]) for part in parts
    )


def simpler(rings: list[Ring], tolerance: float) -> list[Ring]:
    """Rings with fewer points, none farther off than a tolerance; those stay as they are that would get lost or turned
    inside out."""
    found = []
    for ring in rings:
        made = np.asarray(shapely.Polygon(ring).simplify(tolerance).exterior.coords)[:-1]
        kept = len(made) > 2 and abs(area(made)) > 0.5 * abs(area(ring))
        if not kept:
            found.append(ring)
        else:
            found.append(made if area(made) * area(ring) > 0 else made[::-1].copy())
    return found


def convex_parts(rings: list[Ring]) -> list[Floats]:
    """Convex polygons (n, 2) that together are an outline: Delaunay triangles, joined across the longest sides first as
    long as what they make is convex (Hertel and Mehlhorn, "Fast triangulation of simple polygons", 1983: at most four
    times as many as there must be)."""
    if not rings:
        return []
    points = np.vstack(rings)
    starts = np.cumsum([0, *(len(ring) for ring in rings)])
    edges = [np.stack([np.arange(a, b), np.roll(np.arange(a, b), -1)], 1) for a, b in pairwise(starts)]
    placed, triangles, _ = triangulate(points, np.vstack(edges), np.zeros((0, 2), np.int64))
    middle = placed[triangles].mean(1)
    inside = np.zeros(len(triangles), np.bool_)
    for ring in rings:
        inside ^= shapely.contains_xy(shapely.Polygon(ring), middle[:, 0], middle[:, 1])
    return [placed[part] for part in _joined(placed, triangles[inside].tolist())]


def _joined(placed: Floats, triangles: list[list[int]]) -> list[list[int]]:
    parts = dict(enumerate(triangles))
    sides = {side: k for k, part in parts.items() for side in zip(part, part[1:] + part[:1], strict=True)}
    home = {k: k for k in parts}

    def whose(k: int) -> int:
        while home[k] != k:
            k = home[k]
        return k

    def convex(around: list[int]) -> bool:
        a, b, c = (placed[np.roll(around, shift)] for shift in (1, 0, -1))
        turns = (b[:, 0] - a[:, 0]) * (c[:, 1] - b[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - b[:, 0])
        return bool((turns > -1e-9).all())

    inner = [(a, b) for a, b in sides if a < b and (b, a) in sides]
    inner.sort(key=lambda side: (-float(np.square(placed[side[0]] - placed[side[1]]).sum()), side))
    for a, b in inner:
        one, other = whose(sides[a, b]), whose(sides[b, a])
        if one == other:
            continue
        p, q = parts[one], parts[other]
        p = p[p.index(a) + 1 :] + p[: p.index(a) + 1]
        q = q[q.index(b) + 1 :] + q[: q.index(b) + 1]
        if p[0] != b or q[0] != a:
            continue
        if convex(p + q[1:-1]):
            parts[one], home[other] = p + q[1:-1], one
            del parts[other]
    return list(parts.values())
