"""Lifting a plan: from a planar triangulation and an edge profile to the front (or rear) of a solid."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import INDEX_BOUND, FloatN3, IntN3, boundary, edge_keys, pack, unpack
from moss_crown.core.form.plan import Plan
from moss_crown.core.form.profile import NEAR, Floats, Heights

Rim: TypeAlias = tuple[NDArray[np.int64], NDArray[np.int64]]


@dataclass(frozen=True)
class Side:
    """Front (or rear, as if it were a front): points (n, 3) with plan units and metres of height, triangles (m, 3),
    which of them are face (m), and the rim's directed edges: starts and ends."""

    points: FloatN3
    triangles: IntN3
    on_face: NDArray[np.bool_]
    rim: Rim


def lift(made: Plan, levels: NDArray[np.float64], heights: Heights, base: float) -> Side:
    """Lift a plan. A plan vertex has a copy for every group (bands between two risers) that meets there; copies of
    neighbouring triangles are joined by upright walls."""
    group = heights.group[made.band]
    many = int(heights.group[-1]) + 1
    keys, corner = np.unique(made.triangles * many + group[:, None], return_inverse=True)
    triangles = corner.reshape(-1, 3)
    vertex = keys // many
    inset = made.inset[vertex]
    height = heights.lift(inset, keys % many, levels)
    points = np.column_stack([made.points[vertex], base + height])
    start, end = boundary(made.triangles)
    owner = _owners(made.triangles, start, end)
    rim = tuple(np.searchsorted(keys, at * many + group[owner]) for at in (start, end))
    walls = _walls(made.triangles, group, keys, many) if many > 1 else np.zeros((0, 3), np.int64)
    on_face = np.concatenate([made.band >= heights.face, np.zeros(len(walls), bool)])
    return Side(points, np.vstack([triangles, walls]), on_face, (rim[0], rim[1]))


def _owners(triangles: IntN3, start: NDArray[np.int64], end: NDArray[np.int64]) -> NDArray[np.int64]:
    """The triangle that has each directed edge."""
    directed = (triangles * INDEX_BOUND + np.roll(triangles, -1, 1)).ravel()
    order = np.argsort(directed)
    found: NDArray[np.int64] = order[np.searchsorted(directed[order], start * INDEX_BOUND + end)] // 3
    return found


def _walls(triangles: IntN3, group: NDArray[np.int64], keys: NDArray[np.int64], many: int) -> IntN3:
    """Upright walls along edges between triangles of different groups, counter-clockwise seen from outside.

    A wall takes in every copy of its two vertices that lies between the two groups, so that walls that meet at a
    vertex share its upright edges.
    """
    flat = edge_keys(triangles).ravel()
    order = np.argsort(flat, kind="stable")
    pair = np.flatnonzero(flat[order][1:] == flat[order][:-1])
    one, two = order[pair], order[pair + 1]
    differs = group[one // 3] != group[two // 3]
    present = set(keys.tolist())
    found: list[tuple[int, int, int]] = []
    place = {key: k for k, key in enumerate(keys.tolist())}
    for i, j in zip(one[differs].tolist(), two[differs].tolist(), strict=True):
        lower, higher = (i, j) if group[i // 3] < group[j // 3] else (j, i)
        low, high = int(group[lower // 3]), int(group[higher // 3])
        a, b = int(triangles[lower // 3, lower % 3]), int(triangles[lower // 3, (lower + 1) % 3])
        left = [place[a * many + g] for g in range(low, high + 1) if a * many + g in present]
        right = [place[b * many + g] for g in range(low, high + 1) if b * many + g in present]
        # Seen from the lower group the edge runs from a to b; the wall closes the polygon a..a' b'..b from outside.
        x, y = 0, 0
        while x < len(left) - 1 or y < len(right) - 1:
            if x < len(left) - 1 and (y == len(right) - 1 or x <= y):
                found.append((right[y], left[x], left[x + 1]))
                x += 1
            else:
                found.append((left[x], right[y + 1], right[y]))
                y += 1
    return np.array(found, np.int64).reshape(-1, 3)


@dataclass(frozen=True)
class _Part:
    """A run of an undercut profile that goes only inward or only outward: bands `low` to `high` (the first not
    included), the height of an inset, and whether it is face. Outward runs look down."""

    low: int
    high: int
    outward: bool
    at: Floats
    height: Floats
    face: bool

    @property
    def turn(self) -> int:
        """The level at which it meets the part before it."""
        return self.high if self.outward and not self.face else self.low


def _parts(line: Floats, levels: Floats) -> list[_Part]:
    """The runs of a profile whose insets are levels already, then its face."""
    places = np.searchsorted(levels, line[:, 0])
    ways = np.sign(np.diff(places))
    starts = [0, *(k for k in range(1, len(ways)) if ways[k] != ways[k - 1])]
    found = []
    for first, last in pairwise([*starts, len(line) - 1]):
        run = line[first : last + 1]
        outward = bool(ways[first] < 0)
        run = run[::-1] if outward else run
        low, high = sorted((int(places[first]), int(places[last])))
        found.append(_Part(low, high, outward, run[:, 0], run[:, 1], False))
    end = line[-1:]
    return [*found, _Part(int(places[-1]), len(levels), False, end[:, 0], end[:, 1], True)]


def snapped(line: Floats, levels: Floats) -> Floats:
    """A profile with its insets moved onto the nearest levels; points that fall together become one, the later."""
    moved = line.copy()
    away = np.abs(line[:, :1] - levels[None])
    moved[:, 0] = levels[away.argmin(1)]
    kept: Floats = moved[np.append(np.abs(np.diff(moved[:, 0])) > NEAR / 2, True)]
    return kept


def lift_undercut(made: Plan, levels: Floats, line: Floats, base: float, inset: Callable[[Floats], Floats]) -> Side:
    """Lift a plan by a profile that turns back outward while it rises.

    The cross-section at each height is the outline inset by what the profile says there. Each run of the profile is a
    sheet of its own over the same plan; sheets are joined along the level at which the profile turns. `inset` is the
    true inset distance of points.
    """
    line = snapped(line, levels)
    parts = _parts(line, levels)
    made = _without_chords(made, parts, inset)
    points: list[NDArray[np.float64]] = []
    triangles: list[IntN3] = []
    on_face: list[NDArray[np.bool_]] = []
    total = 0
    ids = np.full(len(made.points), -1)
    first_ids = ids
    for number, part in enumerate(parts):
        own = made.triangles[(made.band >= part.low) & (made.band < part.high)]
        before, ids = ids, np.full(len(made.points), -1)
        if number:
            cut = np.unique(_cut(made, part.turn))
            ids[cut] = before[cut]
        fresh = np.unique(own)
        fresh = fresh[ids[fresh] < 0]
        ids[fresh] = total + np.arange(len(fresh))
        total += len(fresh)
        height = np.interp(made.inset[fresh], part.at, part.height)
        points.append(np.column_stack([made.points[fresh], base + height]))
        triangles.append(ids[own[:, ::-1] if part.outward else own])
        on_face.append(np.full(len(own), part.face))
        if number == 0:
            first_ids = ids
    start, end = boundary(made.triangles)
    return Side(np.vstack(points), np.vstack(triangles), np.concatenate(on_face), (first_ids[start], first_ids[end]))


def _cut(made: Plan, level: int) -> NDArray[np.int64]:
    """(e, 2) edges between the bands outside a level and those inside; for level 0 the outline."""
    if level == 0:
        return np.stack(boundary(made.triangles), 1)
    keys = edge_keys(made.triangles)
    inside = made.band >= level
    return np.stack(unpack(np.intersect1d(keys[inside], keys[~inside])), 1)


def _without_chords(made: Plan, parts: list[_Part], inset: Callable[[Floats], Floats]) -> Plan:
    """Split edges that join two points of a level at which the profile turns without lying in it.

    Two sheets that meet there would both have such an edge. Its middle lies off the level, so that they part.
    """
    keys = np.unique(edge_keys(made.triangles))
    edges = np.stack(unpack(keys), 1)
    chords: list[NDArray[np.int64]] = []
    for part in parts[1:]:
        if part.face and not parts[-2].outward:
            continue  # the face goes on inward from a run that came inward: one sheet on either side
        cut = _cut(made, part.turn)
        on = np.zeros(len(made.points), bool)
        on[cut.ravel()] = True
        chords.append(keys[on[edges].all(1) & ~np.isin(keys, pack(*cut.T))])
    split = np.unique(np.concatenate(chords)) if chords else np.zeros(0, np.int64)
    if not len(split):
        return made
    a, b = unpack(split)
    middle = (made.points[a] + made.points[b]) / 2
    of = dict(zip(split.tolist(), range(len(made.points), len(made.points) + len(split)), strict=True))
    triangles: list[tuple[int, int, int]] = []
    band: list[int] = []
    edges_of = edge_keys(made.triangles)
    touched = np.isin(edges_of, split).any(1)
    for corner, edge, own in zip(
        made.triangles[touched].tolist(), edges_of[touched].tolist(), made.band[touched].tolist(), strict=True
    ):
        new = _split(corner, [of.get(key) for key in edge])
        triangles += new
        band += [own] * len(new)
    return Plan(
        np.vstack([made.points, middle]),
        np.vstack([made.triangles[~touched], np.array(triangles)]),
        np.concatenate([made.inset, inset(middle)]),
        np.concatenate([made.band[~touched], np.array(band)]),
    )


def _split(corner: list[int], middle: list[int | None]) -> list[tuple[int, int, int]]:
    """A triangle with new points in the middle of some of its edges (edge k from corner k to k + 1), as triangles."""
    ring = [v for k in range(3) for v in (corner[k], middle[k]) if v is not None]
    start = next((k for k, v in enumerate(ring) if v in middle), 0)
    ring = ring[start:] + ring[:start]
    if len(ring) < 6:
        return [(ring[0], ring[k], ring[k + 1]) for k in range(1, len(ring) - 1)]
    a, ab, b, bc, c, ca = ring[1], ring[2], ring[3], ring[4], ring[5], ring[0]
    return [(ca, a, ab), (ab, b, bc), (bc, c, ca), (ca, ab, bc)]
