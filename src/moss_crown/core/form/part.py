"""A part of a letter's tubes: the whole solid cut across where the part begins and ends, and closed there.

Letters that grow are cut anew at every frame from the one solid that is whole: nothing of what is there changes.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import INDEX_BOUND, NOTHING, Solid, boundary
from moss_crown.core.form.tube import Tube

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
ROUND = 4
"""Rings of a round end."""
NEAR = 1e-3
"""A share of an edge."""


@dataclass
class _Cut:
    """Triangles on their way: corners (m, 3) of `vertices`, how far along each is (m, 3), their normals (m, 3, 3) and
    facets (m); vertices that were put in, by the edge and the level that they lie at."""

    vertices: Floats
    corners: Ints
    along: Floats
    normals: NDArray[np.floating]
    facet: NDArray[np.uint8]

    def of(self, chosen: NDArray[np.bool_]) -> _Cut:
        return _Cut(self.vertices, self.corners[chosen], self.along[chosen], self.normals[chosen], self.facet[chosen])

    def and_also(self, other: _Cut) -> _Cut:
        return _Cut(
            self.vertices,
            np.concatenate([self.corners, other.corners]),
            np.concatenate([self.along, other.along]),
            np.concatenate([self.normals, other.normals]),
            np.concatenate([self.facet, other.facet]),
        )


def part_of(whole: Solid, tube: Tube) -> Solid:
    """What a tube leaves of a letter's solid, which is that of the whole tube, its contours counted from their highest
    points. The ends of round tubes are round, others flat."""
    if tube.last <= tube.first or whole.along is None or whole.ring is None or not len(whole.triangles):
        return NOTHING
    long = tube.last - tube.first
    begin = (1 - long) / 2 if tube.spread else tube.first
    ring = np.asarray(whole.ring)[whole.triangles].min(1)
    offset = tube.start + (0.5 if tube.spread else 0.0)
    along = whole.along.astype(np.float64)[whole.triangles]
    along = np.where(ring[:, None], (along - offset) % 1, along)
    if tube.first <= 0 and tube.last >= 1:
        shifted = np.where(whole.ring, (whole.along - offset) % 1, whole.along)
        return replace(whole, along=shifted.astype(np.float32))
    least, most = along.min(1), along.max(1)
    seam = ring & (most - least > 0.5)
    inside = ~seam & (least >= begin) & (most <= begin + long)
    crossed = seam | ~(inside | (most < begin) | (least > begin + long))
    everything = _Cut(whole.vertices, whole.triangles, along, whole.normals, whole.facet)
    kept, cut = everything.of(inside), everything.of(crossed)
    # A closed contour is slit where it starts.
    seam = seam[crossed]
    over, plain = cut.of(seam), cut.of(~seam)
    over.along = np.where(over.along > 0.5, over.along - 1, over.along)
    after, plain.vertices = _kept(over, 0.0, 1.0)
    before = replace(over, vertices=plain.vertices)
    before, vertices = _kept(before, 0.0, -1.0)
    before.along = before.along + 1
    cut = replace(plain, vertices=vertices).and_also(after).and_also(before)
    for level, way in ((begin, 1.0), (begin + long, -1.0)):
        cut, cut.vertices = _kept(cut, level, way)
    return _closed(replace(kept, vertices=cut.vertices).and_also(cut), tube)


def _kept(cut: _Cut, level: float, way: float) -> tuple[_Cut, Floats]:
    """What lies beyond a level along, or with `way` -1 before it; and the vertices with those that were put in."""
    above = (cut.along - level) * way
    inside = above >= 0
    count = inside.sum(1)
    whole, one, two = cut.of(count == 3), count == 1, count == 2
    crossed = cut.of(one | two)
    if not len(crossed.corners):
        return whole, cut.vertices
    inside, above = inside[one | two], above[one | two]
    lone = inside.sum(1) == 1
    # Each is turned so that the corner that is alone on its side comes first.
    first = np.where(lone, inside.argmax(1), (~inside).argmax(1))
    order = (first[:, None] + np.arange(3)) % 3
    corners, along, above = (np.take_along_axis(a, order, 1) for a in (crossed.corners, crossed.along, above))
    normals = np.take_along_axis(crossed.normals.astype(np.float64), order[..., None], 1)
    share = above[:, :1] / (above[:, :1] - above[:, 1:])  # of the way from the first corner to the two others
    vertices, put_in = _between(cut.vertices, corners, share)
    mixed = normals[:, :1] + share[..., None] * (normals[:, 1:] - normals[:, :1])
    mixed /= np.maximum(np.linalg.norm(mixed, axis=2, keepdims=True), 1e-12)
    at = np.full_like(share, level)

    def built(which: NDArray[np.bool_], picks: list[tuple[int, int]]) -> _Cut:
        """Triangles of corners: (0, k) those that were there, (1, k) those put in towards corner k + 1."""
        parts = [(corners, along, normals), (put_in, at, mixed)]
        c, a, n = (np.stack([parts[kind][row][which][:, k] for kind, k in picks], 1) for row in range(3))
        return _Cut(vertices, c, a, n, crossed.facet[which])

    found = replace(whole, vertices=vertices)
    for part in (
        built(lone, [(0, 0), (1, 0), (1, 1)]),
        built(~lone, [(1, 0), (0, 1), (0, 2)]),
        built(~lone, [(1, 0), (0, 2), (1, 1)]),
    ):
        found = found.and_also(part)
    return found, vertices


def _between(vertices: Floats, corners: Ints, share: Floats) -> tuple[Floats, Ints]:
    """Vertices with one more on each cut edge from a first corner (m, 3) to the others by shares (m, 2) of the way, and
    which these are (m, 2). Two triangles at an edge share it."""
    from_, to = np.repeat(corners[:, :1], 2, 1), corners[:, 1:]
    low, high = np.minimum(from_, to), np.maximum(from_, to)
    by = np.where(from_ < to, share, 1 - share)
    _, first, which = np.unique((low * INDEX_BOUND + high).ravel(), return_index=True, return_inverse=True)
    a, b, s = low.ravel()[first], high.ravel()[first], by.ravel()[first]
    added = vertices[a] + s[:, None] * (vertices[b] - vertices[a])
    # So near to a corner that both would be one in a file: that corner is taken.
    numbers = np.where(s < NEAR, a, np.where(s > 1 - NEAR, b, len(vertices) + np.arange(len(s))))
    return np.vstack([vertices, added]), numbers[which].reshape(share.shape)


def _closed(cut: _Cut, tube: Tube) -> Solid:
    """The solid of what is left, with an end on each of its open borders."""
    a, b, c = cut.corners.T
    cut = cut.of((a != b) & (b != c) & (c != a))  # nothing is left of those whose corners became one
    corners, facet = cut.corners, cut.facet
    if not len(corners):
        return NOTHING
    starts, ends = boundary(corners)
    of_edge = _triangles_at(corners, starts, ends)
    vertices, normals, along = [cut.vertices], [cut.normals], np.zeros(len(cut.vertices))
    along[corners.ravel()] = cut.along.ravel()
    triangles, facets, reached = [corners], [facet], [along]
    count = len(cut.vertices)
    for loop, edges in _loops(starts, ends):
        added = _end(cut.vertices[loop], loop, count, tube)
        vertices.append(added[0])
        triangles.append(added[1])
        normals.append(added[2])
        facets.append(facet[of_edge[edges]][added[3]])
        reached.append(np.full(len(added[0]), along[loop[0]]))
        count += len(added[0])
    used, packed = np.unique(np.vstack(triangles), return_inverse=True)
    return Solid(
        np.ascontiguousarray(np.vstack(vertices)[used]),
        packed.reshape(-1, 3),
        np.concatenate(facets),
        np.concatenate([part.astype(np.float32) for part in normals]),
        False,
        np.concatenate(reached)[used].astype(np.float32),
    )


def _triangles_at(corners: Ints, starts: Ints, ends: Ints) -> Ints:
    """The triangle of each directed edge."""
    there = (corners * INDEX_BOUND + np.roll(corners, -1, 1)).ravel()
    order = np.argsort(there)
    return np.asarray(order[np.searchsorted(there, starts * INDEX_BOUND + ends, sorter=order)] // 3)


def _loops(starts: Ints, ends: Ints) -> list[tuple[Ints, Ints]]:
    """Closed ways along directed edges: their vertices, and the number of the edge that begins at each."""
    waiting: defaultdict[int, list[int]] = defaultdict(list)
    for k in range(len(starts) - 1, -1, -1):
        waiting[int(starts[k])].append(k)
    found = []
    for begin in starts.tolist():
        if not waiting[begin]:
            continue
        here, edges = begin, []
        while waiting[here]:
            edges.append(waiting[here].pop())
            here = int(ends[edges[-1]])
        found.append((starts[edges], np.array(edges)))
    return found


def _end(border: Floats, loop: Ints, count: int, tube: Tube) -> tuple[Floats, Ints, Floats, Ints]:
    """What closes a border (n, 3), whose vertices are `loop`: vertices, counted from `count` on, triangles (t, 3),
    their normals (t, 3, 3), and by which edge of the border each triangle lies (t)."""
    after = np.roll(border, -1, 0)
    weight = np.linalg.norm(after - border, axis=1)
    middle = ((border + after) * weight[:, None]).sum(0) / max(2 * weight.sum(), 1e-12)
    # The border runs about the solid: seen from outside, the other way round about its end.
    area = -np.cross(border - middle, after - middle).sum(0) / 2
    size = float(np.linalg.norm(area))
    out = area / max(size, 1e-12)
    round_ = tube.section == "round"
    n, each = len(loop), np.arange(len(loop))
    far = np.sqrt(size / np.pi) if round_ else 0.0
    angles = np.linspace(0, np.pi / 2, ROUND + 1)[1:-1] if round_ else np.zeros(0)
    rings = [middle + np.cos(a) * (border - middle) + np.sin(a) * far * out for a in angles]
    vertices = np.vstack([*rings, [middle + far * out]])
    numbers = [loop, *(count + k * n + each for k in range(len(rings)))]
    apex = count + len(rings) * n
    flat = (border - middle) - ((border - middle) @ out)[:, None] * out
    flat /= np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-12)

    def normal(a: float) -> Floats:
        return np.asarray(np.cos(a) * flat + np.sin(a) * out) if round_ else np.repeat(out[None], n, 0)

    turned = [normal(a) for a in (0.0, *angles)]
    triangles, normals, edges = [], [], []
    for k in range(len(numbers)):
        a, b, m, o = numbers[k], np.roll(numbers[k], -1), turned[k], np.roll(turned[k], -1, 0)
        if k == len(numbers) - 1:
            triangles.append(np.stack([b, a, np.full(n, apex)], 1))
            normals.append(np.stack([o, m, np.repeat(out[None], n, 0)], 1))
            edges.append(each)
            continue
        c, d, p, q = numbers[k + 1], np.roll(numbers[k + 1], -1), turned[k + 1], np.roll(turned[k + 1], -1, 0)
        triangles += [np.stack([b, a, c], 1), np.stack([b, c, d], 1)]
        normals += [np.stack([o, m, p], 1), np.stack([o, p, q], 1)]
        edges += [each, each]
    return vertices, np.vstack(triangles), np.concatenate(normals), np.concatenate(edges)
