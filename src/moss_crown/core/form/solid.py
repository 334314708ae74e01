"""A solid letter: one plan, lifted by the front's profile and by the rear's, joined by the return."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

import numba
import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.even import even_levels, even_plan
from moss_crown.core.form.mesh import INDEX_BOUND, FloatN3, IntN3, boundary, edge_keys
from moss_crown.core.form.outline import Join, Ring, shaped
from moss_crown.core.form.plan import Plan, plan
from moss_crown.core.form.profile import SQUARE, Edge, Heights, merge_levels, over_levels, profile, sloped
from moss_crown.core.form.tube import Line, Tube, along, bands, middle_lines

Grow: TypeAlias = Literal["both", "forward", "backward"]

FACE, BEVEL, RETURN, REAR_BEVEL, REAR = range(5)
FACETS = ("face", "bevel", "return", "rear bevel", "rear")

CREASE = np.cos(np.radians(32.0))
"""Normals are averaged across an edge that turns by less than this."""

MOST_EDGES = 0.996
"""Front and rear edges share the depth; together they take at most this much of it."""

GENTLE = 0.4
"""How far a riser leans inward, in thousandths of an em, where an upright one cannot stand."""


@dataclass(frozen=True)
class Form:
    """What a letter's outline becomes. Metres; `weight` in thousandths of an em.

    The depth grows from the plane of the type: to both sides alike, forward or backward. Front and rear edges count
    within it. `wall` makes the letter hollow, `fill` closes its counters, before it gets depth. With a `tube` the
    letter is not filled but drawn by tubes along its outline.
    """

    depth: float
    front: Edge = SQUARE
    rear: Edge = SQUARE
    join: Join = "mitre"
    grow: Grow = "both"
    weight: float = 0.0
    fill: bool = False
    wall: float = 0.0
    tube: Tube | None = None

    @property
    def limit(self) -> float:
        """By how much both edges are made smaller, so that a return remains between them; 1 when they fit."""
        wanted = sum(edge.height for edge in (self.front, self.rear) if edge.cuts)
        return min(1.0, MOST_EDGES * self.depth / wanted) if wanted else 1.0

    @property
    def front_used(self) -> Edge:
        return self.front.scaled(self.limit)

    @property
    def rear_used(self) -> Edge:
        return self.rear.scaled(self.limit)

    @property
    def middle(self) -> float:
        """z of the middle of the depth."""
        return {"both": 0.0, "forward": self.depth / 2, "backward": -self.depth / 2}[self.grow]


@dataclass(frozen=True)
class Solid:
    """A closed two-manifold, outward.

    vertices (n, 3) metres; triangles (m, 3), counter-clockwise seen from outside; facet (m) of FACETS;
    normals (m, 3, 3): one a corner, flat on faces, smooth along curves. `ridged`: somewhere the edge is wider than
    the stem and meets in a ridge. `along` (n): for tubes, how far along its contour each vertex lies, 0 to 1.
    """

    vertices: FloatN3
    triangles: IntN3
    facet: NDArray[np.uint8]
    normals: NDArray[np.float32]
    ridged: bool
    along: NDArray[np.float32] | None = None

    @property
    def volume(self) -> float:
        """Signed volume by the divergence theorem; positive when the triangles face outward."""
        a, b, c = (self.vertices[self.triangles[:, i]] for i in range(3))
        return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6)


NOTHING = Solid(
    np.zeros((0, 3)), np.zeros((0, 3), np.int64), np.zeros(0, np.uint8), np.zeros((0, 3, 3), np.float32), False
)
"""The solid of a letter of which nothing is there."""


def solid(rings: list[Ring], form: Form, unit: float, strokes: Sequence[Line] = (), edge: float | None = None) -> Solid:
    """Build a letter's solid from its clean outline in thousandths of an em; `unit` takes those to metres.

    `strokes`: middle lines of a drawing, along which tubes run instead of along the outline. With an `edge` in metres
    all triangles get edges about as long, and good shapes: for what bends, melts or breaks.
    """
    rings = shaped(rings, form.weight, form.fill, form.wall / unit, form.join)
    if form.tube is not None:
        return _tubes(rings, list(strokes), form, form.tube, unit, edge)
    lines = [profile(edge) / (unit, 1.0) for edge in (form.front_used, form.rear_used)]
    built = _build(rings, lines, form, unit, edge)
    if not closed(built.triangles):
        # Where a level touches itself an upright riser would share an edge with another: let risers lean a little.
        built = _build(rings, [sloped(line, GENTLE) for line in lines], form, unit, edge)
    return built


def _tubes(rings: list[Ring], strokes: list[Line], form: Form, tube: Tube, unit: float, edge: float | None) -> Solid:
    lines = middle_lines(rings, strokes, tube, unit, form.join)
    outline = bands(lines, tube, unit)
    if not outline:
        return NOTHING
    section = tube.edge
    # The edges of a round section take all its height but the sliver that a return needs.
    swept = Form(tube.depth / MOST_EDGES, section, section, "sharp", form.grow)
    built = solid(outline, swept, unit, edge=edge)
    return replace(built, ridged=False, along=along(lines, built.vertices[:, :2] / unit))


def _build(rings: list[Ring], lines: list[NDArray[np.float64]], form: Form, unit: float, edge: float | None) -> Solid:
    if edge is None:
        levels = merge_levels(*lines)
        made = plan(rings, levels, form.join)
    else:
        levels, narrowest = even_levels([line * (1, 1 / unit) for line in lines], edge / unit)
        made = even_plan(rings, levels, narrowest, edge / unit, form.join)
    sides = [over_levels(line, levels) for line in lines]
    half = form.depth / 2
    front, rear = (
        _side(made, levels, side, half - used.height * used.cuts)
        for side, used in zip(sides, (form.front_used, form.rear_used), strict=True)
    )
    count = len(front.points)
    vertices = np.vstack([front.points * (unit, unit, 1), rear.points * (unit, unit, -1)])
    vertices[:, 2] += form.middle
    rims = front.rim, (rear.rim[0] + count, rear.rim[1] + count)
    vertices, returns = _returns(vertices, *rims, edge)
    facet = np.concatenate(
        [
            np.where(front.on_face, FACE, BEVEL),
            np.full(len(returns), RETURN),
            np.where(rear.on_face, REAR, REAR_BEVEL),
        ]
    ).astype(np.uint8)
    used, triangles = np.unique(
        np.vstack([front.triangles, returns, rear.triangles[:, ::-1] + count]), return_inverse=True
    )
    triangles = triangles.reshape(-1, 3)
    vertices = np.ascontiguousarray(vertices[used])
    normals = corner_normals(vertices, triangles, facet)
    return Solid(vertices, triangles, facet, normals, _has_ridge(made.inset, levels))


Rim: TypeAlias = tuple[NDArray[np.int64], NDArray[np.int64]]


def _returns(vertices: FloatN3, front: Rim, rear: Rim, edge: float | None) -> tuple[FloatN3, IntN3]:
    """The walls from the front's rim to the rear's: one strip, or more of about an edge each, diagonals alternating."""
    start = front[0]
    depth = float(np.abs(vertices[start[0], 2] - vertices[rear[0][0], 2])) if len(start) else 0.0
    strips = 1 if edge is None else max(1, round(depth / edge))
    rim, place = np.unique(np.concatenate(front), return_inverse=True)
    below = np.empty(len(rim), np.int64)
    below[place] = np.concatenate(rear)
    rows = [rim]
    added = [vertices]
    count = len(vertices)
    for k in range(1, strips):
        share = k / strips
        added.append(vertices[rim] * (1 - share) + vertices[below] * share)
        rows.append(count + np.arange(len(rim)))
        count += len(rim)
    rows.append(below)
    a, b = place[: len(start)], place[len(start) :]
    walls = []
    for k in range(strips):
        p, q, r, s = rows[k][a], rows[k + 1][a], rows[k + 1][b], rows[k][b]
        if k % 2 == 0:
            walls += [np.stack([p, q, s], 1), np.stack([s, q, r], 1)]
        else:
            walls += [np.stack([p, q, r], 1), np.stack([p, r, s], 1)]
    return np.vstack(added), np.vstack(walls)


@dataclass(frozen=True)
class _Side:
    """Front (or rear, as if it were a front): points (n, 3) with plan units and metres of height, triangles (m, 3),
    which of them are face (m), and the rim's directed edges: starts and ends."""

    points: FloatN3
    triangles: IntN3
    on_face: NDArray[np.bool_]
    rim: Rim


def _side(made: Plan, levels: NDArray[np.float64], heights: Heights, base: float) -> _Side:
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
    return _Side(points, np.vstack([triangles, walls]), on_face, (rim[0], rim[1]))


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


def closed(triangles: IntN3) -> bool:
    """Is every edge used once in each direction?"""
    there = (triangles * INDEX_BOUND + np.roll(triangles, -1, 1)).ravel()
    back = (np.roll(triangles, -1, 1) * INDEX_BOUND + triangles).ravel()
    there.sort()
    back.sort()
    return bool((there[1:] != there[:-1]).all() and (there == back).all())


def _has_ridge(inset: NDArray[np.float64], levels: NDArray[np.float64]) -> bool:
    """A vertex between two levels was put in by refinement: the bevel meets itself there."""
    if len(levels) < 2:
        return False
    off = np.abs(inset[:, None] - levels[None]).min(1)
    return bool((off > 0.02 * levels[-1]).any())


def corner_normals(vertices: FloatN3, triangles: IntN3, facet: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Crease-aware normals, one a corner: (m, 3, 3).

    Faces stay flat. A bevel corner takes over the face's or the return's normal where it meets them smoothly, so that
    a roundover runs into both without a line. Otherwise: the mean of the neighbours on the same facet that turn by
    less than the crease angle, weighted by the angle at the vertex (Thuermer and Wuethrich, 1998).
    """
    normals: NDArray[np.float32] = _corner_normals(vertices, triangles, facet, CREASE)
    return normals


@numba.njit(cache=True)
def _corner_normals(vertices, triangles, facet, crease):
    """Plain loops over scalars: small arrays made inside would cost more than all the arithmetic."""
    count = len(triangles)
    flat = np.zeros((count, 3))
    angle = np.zeros((count, 3))
    starts = np.zeros(len(vertices) + 1, np.int64)
    for t in range(count):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ux, uy, uz = vertices[b, 0] - vertices[a, 0], vertices[b, 1] - vertices[a, 1], vertices[b, 2] - vertices[a, 2]
        vx, vy, vz = vertices[c, 0] - vertices[a, 0], vertices[c, 1] - vertices[a, 1], vertices[c, 2] - vertices[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        size = math.sqrt(nx * nx + ny * ny + nz * nz)
        if size > 0:
            flat[t, 0], flat[t, 1], flat[t, 2] = nx / size, ny / size, nz / size
        for k in range(3):
            i, j, m = triangles[t, k], triangles[t, (k + 1) % 3], triangles[t, (k + 2) % 3]
            dot = one = two = 0.0
            for d in range(3):
                p, q = vertices[j, d] - vertices[i, d], vertices[m, d] - vertices[i, d]
                dot, one, two = dot + p * q, one + p * p, two + q * q
            lengths = math.sqrt(one * two)
            if lengths > 0:
                angle[t, k] = math.acos(min(1.0, max(-1.0, dot / lengths)))
            starts[i + 1] += 1
    for v in range(len(vertices)):
        starts[v + 1] += starts[v]
    fill = starts[:-1].copy()
    members = np.empty(count * 3, np.int64)
    for t in range(count):
        for k in range(3):
            members[fill[triangles[t, k]]] = t * 3 + k
            fill[triangles[t, k]] += 1
    result = np.empty((count, 3, 3), np.float32)
    total = np.empty((3, 3))  # from the face, from the return, from the own facet
    for t in range(count):
        own = facet[t]
        for k in range(3):
            total[:] = 0.0
            if own != 0 and own != 4:
                v = triangles[t, k]
                for s in range(starts[v], starts[v + 1]):
                    other, corner = members[s] // 3, members[s] % 3
                    if flat[t, 0] * flat[other, 0] + flat[t, 1] * flat[other, 1] + flat[t, 2] * flat[other, 2] < crease:
                        continue
                    kind = facet[other]
                    place = -1
                    if kind == own:
                        place = 2
                    elif own == 1 or own == 3:
                        if kind == 0 or kind == 4:
                            place = 0
                        elif kind == 2:
                            place = 1
                    if place >= 0:
                        for d in range(3):
                            total[place, d] += flat[other, d] * angle[other, corner]
            x, y, z = flat[t, 0], flat[t, 1], flat[t, 2]
            for place in range(3):
                if total[place, 0] != 0 or total[place, 1] != 0 or total[place, 2] != 0:
                    x, y, z = total[place, 0], total[place, 1], total[place, 2]
                    break
            size = math.sqrt(x * x + y * y + z * z)
            if size > 0:
                result[t, k, 0], result[t, k, 1], result[t, k, 2] = x / size, y / size, z / size
            else:
                result[t, k, 0], result[t, k, 1], result[t, k, 2] = 0.0, 0.0, 1.0
    return result
