"""Triangles in an order in which neighbours follow one another: whoever draws them works out each vertex about once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import outer

CACHE = 20
"""Vertices that are taken to be still known when they are asked for again: fewer than most cards and drivers keep."""


def ordered(triangles: NDArray[np.integer]) -> NDArray[np.int64]:
    """(m, 3) the same triangles in another order (Sander, Nehab and Barczak, "Fast Triangle Reordering for Vertex
    Locality and Reduced Overdraw", ACM TOG 26(3), 2007)."""
    corners = np.ascontiguousarray(triangles, np.int64)
    if not len(corners):
        return corners
    count = int(corners.max()) + 1
    flat = corners.reshape(-1)
    begins = np.zeros(count + 1, np.int64)
    np.cumsum(np.bincount(flat, minlength=count), out=begins[1:])
    around = np.argsort(flat, kind="stable") // 3
    order = np.empty(len(corners), np.int64)
    _order(corners, begins, around, order, CACHE)
    return corners[order]


def worked_out(triangles: NDArray[np.integer], cache: int) -> float:
    """How many vertices a triangle are worked out by a cache of so many that lets go of the oldest."""
    known: dict[int, None] = {}
    missed = 0
    for vertex in np.asarray(triangles).reshape(-1).tolist():
        if vertex not in known:
            missed += 1
            known[vertex] = None
            if len(known) > cache:
                del known[next(iter(known))]
    return missed / max(len(triangles), 1)


@outer
def _order(corners, begins, around, order, cache):
    count = len(begins) - 1
    live = begins[1:] - begins[:-1]
    known = np.zeros(count, np.int64)
    emitted = np.zeros(len(corners), np.bool_)
    stack = np.empty(3 * len(corners), np.int64)
    fan = np.empty(3 * len(corners), np.int64)
    high, clock, cursor, done, at = 0, cache + 1, 0, 0, corners[0, 0]
    while at >= 0:
        ring = 0
        for place in range(begins[at], begins[at + 1]):
            triangle = around[place]
            if emitted[triangle]:
                continue
            emitted[triangle] = True
            order[done] = triangle
            done += 1
            for k in range(3):
                vertex = corners[triangle, k]
                stack[high], fan[ring] = vertex, vertex
                high, ring = high + 1, ring + 1
                live[vertex] -= 1
                if clock - known[vertex] > cache:
                    known[vertex] = clock
                    clock += 1
        # Next the vertex that has been known for longest and will still be when all of its triangles have been drawn.
        at, best = -1, -1
        for k in range(ring):
            vertex = fan[k]
            if live[vertex] > 0:
                age = clock - known[vertex]
                rank = age if age + 2 * live[vertex] <= cache else 0
                if rank > best:
                    at, best = vertex, rank
        while at < 0 and high > 0:
            high -= 1
            if live[stack[high]] > 0:
                at = stack[high]
        while at < 0 and cursor < count:
            if live[cursor] > 0:
                at = cursor
            cursor += 1
