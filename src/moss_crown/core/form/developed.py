"""Texture coordinates: a plane on faces, and bevels and returns unrolled along the outline."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import inner, outer
from moss_crown.core.form.mesh import FACE, REAR, REAR_BEVEL, RETURN, Solid
from moss_crown.core.form.profile import Edge, profile
from moss_crown.core.form.solid import MOST_EDGES, Form

Floats = NDArray[np.float64]


def texture_places(solid: Solid, form: Form) -> NDArray[np.float32]:
    """(m, 3, 2) metres, a pair a corner.

    On the face and the rear: x and y, so that both fall on one plane. On bevels and the return: the length along the
    outline from its ring's first point, and the length along the profile from the front's rim: inward on the bevel and,
    below 0, down the return. A moulding that is unrolled has the same lengths, and reads the right way from outside.
    """
    corners = solid.vertices[solid.triangles]
    places = corners[..., :2].copy()
    sides = (solid.facet != FACE) & (solid.facet != REAR)
    if not sides.any():
        return places.astype(np.float32)
    edge = form.tube.edge if form.tube else None
    front, rear = (edge, edge) if edge else (form.front_used, form.rear_used)
    depth = (form.tube.depth / MOST_EDGES if form.tube else form.depth) / 2
    top = depth - (front.height if front.cuts else 0.0)
    bottom = depth - (rear.height if rear.cuts else 0.0)
    starts, ends, along, ring, length = _outline(solid)
    u, away = np.empty((sides.sum(), 3)), np.empty((sides.sum(), 3))
    _unrolled(u, away, corners[sides][..., :2], starts, ends, along, ring, length)
    z = corners[sides][..., 2] - form.middle
    kind = solid.facet[sides]
    v = z - top
    for facet, used, base, sign in ((1, front, top, 1.0), (REAR_BEVEL, rear, bottom, -1.0)):
        own = kind == facet
        if own.any():
            run = _along_profile(np.stack([away[own], sign * z[own] - base], -1), used)
            v[own] = run if sign > 0 else -(top + bottom + run)
    places[sides] = np.stack([u, v], -1)
    return places.astype(np.float32)


def _outline(solid: Solid) -> tuple[Floats, Floats, Floats, NDArray[np.int64], Floats]:
    """Edges of the front's rim: starts and ends (e, 2), the length before each, its ring, and each ring's length."""
    wall = solid.triangles[solid.facet == RETURN]
    corner = np.stack([wall, np.roll(wall, -1, 1)], -1).reshape(-1, 2)
    # The rim's edges are those of the return whose way back belongs to the front: the others lie lower or stand.
    level = solid.vertices[:, 2]
    flat = np.abs(level[corner[:, 0]] - level[corner[:, 1]]) < 1e-9
    inner = {(b, a) for a, b in corner.tolist()}
    rim = [(a, b) for a, b in corner[flat].tolist() if (a, b) not in inner]
    highest = max(level[a] for a, _ in rim)
    middle = (highest + min(level[a] for a, _ in rim)) / 2
    following = {b: a for a, b in rim if level[a] > middle}  # against the return's way: counter-clockwise from above
    order: list[tuple[int, int, int]] = []
    left = dict(following)
    number = 0
    while left:
        first = min(left, key=lambda k: (-solid.vertices[k, 1], solid.vertices[k, 0]))
        at = first
        while at in left:
            after = left.pop(at)
            order.append((at, after, number))
            at = after
        number += 1
    index = np.array(order)
    starts, ends = solid.vertices[index[:, 0], :2], solid.vertices[index[:, 1], :2]
    size = np.hypot(*(ends - starts).T)
    along = np.zeros(len(size))
    length = np.zeros(number)
    for k in range(number):
        own = index[:, 2] == k
        along[own] = np.cumsum(size[own]) - size[own]
        length[k] = size[own].sum()
    return starts, ends, along, index[:, 2], length


@outer
def _unrolled(u, away, corners, starts, ends, along, ring, length):
    """For corners (m, 3, 2): the length along the outline of the nearest point of the ring that is nearest to the
    triangle's middle, without a jump inside a triangle, into u (m, 3); and the distance from it, into away (m, 3)."""
    for t in range(len(corners)):
        cx = (corners[t, 0, 0] + corners[t, 1, 0] + corners[t, 2, 0]) / 3
        cy = (corners[t, 0, 1] + corners[t, 1, 1] + corners[t, 2, 1]) / 3
        best, nearby, at = 1e30, 0, 0.0
        for e in range(len(starts)):
            d, s = _to_edge(cx, cy, starts, ends, e)
            if d < best:
                best, nearby, at = d, e, along[e] + s
        own = ring[nearby]
        whole = length[own]
        dx, dy = ends[nearby, 0] - starts[nearby, 0], ends[nearby, 1] - starts[nearby, 1]
        size = math.sqrt(dx * dx + dy * dy)
        for k in range(3):
            x, y = corners[t, k, 0], corners[t, k, 1]
            nearest, place = 1e30, 0.0
            for e in range(len(starts)):
                if ring[e] != own:
                    continue
                d, s = _to_edge(x, y, starts, ends, e)
                off = along[e] + s - at
                off -= whole * math.floor(off / whole + 0.5)
                d += abs(off) * 1e-6  # of places as near, such as the two ends of a ring, the one beside the middle
                if d < nearest:
                    nearest, place = d, off
            if abs(place) > 1.5 * math.sqrt((x - cx) ** 2 + (y - cy) ** 2):
                # Beyond a ridge or a corner line other parts of the outline are nearer: go on straight instead.
                place = ((x - cx) * dx + (y - cy) * dy) / max(size, 1e-12)
            u[t, k] = at + place
            away[t, k] = nearest


@inner
def _to_edge(x, y, starts, ends, e):
    """The distance of a point from an edge, and how far along it the nearest point lies."""
    ax, ay = starts[e, 0], starts[e, 1]
    dx, dy = ends[e, 0] - ax, ends[e, 1] - ay
    size = math.sqrt(dx * dx + dy * dy)
    if size == 0.0:
        return math.sqrt((x - ax) ** 2 + (y - ay) ** 2), 0.0
    s = min(max(((x - ax) * dx + (y - ay) * dy) / size, 0.0), size)
    px, py = ax + dx * s / size, ay + dy * s / size
    return math.sqrt((x - px) ** 2 + (y - py) ** 2), s


def _along_profile(points: Floats, edge: Edge) -> Floats:
    """The length along a profile (...) of the nearest point of it to points (..., 2) of inset and height."""
    line = profile(edge)
    best = np.full(points.shape[:-1], np.inf)
    found = np.zeros(points.shape[:-1])
    run = 0.0
    for a, b in pairwise(line):
        step = b - a
        size = float(np.hypot(*step))
        if size == 0:
            continue
        share = np.clip(((points - a) @ step) / size**2, 0, 1)
        off = np.hypot(*np.moveaxis(points - a - share[..., None] * step, -1, 0))
        nearer = off < best
        best, found = np.where(nearer, off, best), np.where(nearer, run + share * size, found)
        run += size
    return found
