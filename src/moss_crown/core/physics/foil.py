"""A closed mesh as foil that gas fills: what has to stay as long as it is, what bends, and what it weighs.

Lengths are cap heights here; a square cap height of foil weighs 1.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.cache import address
from moss_crown.core.form.mesh import REAR, REAR_BEVEL, RETURN, Solid, edge_keys

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
FREE = math.cos(math.radians(40.0))
"""Edges that turn by more than this fold freely: seams, and the edges of a bevel."""


@dataclass(frozen=True)
class Foil:
    """Foils one after the other. home (n, 3); triangles (m, 3); edges (e, 2) with their lengths, and whether each is of
    a `seam`; hinges (k, 4), an edge and the corners beside it, with weights (k, 4), the areas that they bend (k) and
    how far they are bent at rest (k); mass (n). `first` (l + 1, 4): where the vertices, triangles, edges and hinges of
    each begin; `most` (l): the volume of a ball of all foil of each."""

    home: Floats
    triangles: Ints
    edges: Ints
    length: Floats
    seam: NDArray[np.bool_]
    hinges: Ints
    weights: Floats
    area: Floats
    bent: Floats
    mass: Floats
    first: Ints
    most: Floats

    @property
    def count(self) -> int:
        """How many foils there are."""
        return len(self.first) - 1

    @cached_property
    def key(self) -> str:
        """A hash of all that decides it."""
        return address(*(part.tobytes() for part in (self.home, self.triangles, self.seam, self.first)))

    @property
    def edge(self) -> float:
        """How long an edge usually is."""
        return float(np.median(self.length)) if len(self.length) else 1.0


def foils(solids: Sequence[tuple[Floats, Ints, NDArray[np.bool_]]]) -> Foil:
    """Of closed meshes: vertices (n, 3), triangles (m, 3), and which vertices lie on a seam (n)."""
    parts = [_foil(*one) for one in solids]
    counts = np.array([(len(p.home), len(p.triangles), len(p.edges), len(p.hinges)) for p in parts], np.int64)
    first = np.concatenate([np.zeros((1, 4), np.int64), np.cumsum(counts.reshape(-1, 4), 0)])

    def numbers(own: Sequence[Floats], *shape: int) -> Floats:
        return np.ascontiguousarray(np.concatenate([np.zeros((0, *shape)), *own]))

    def corners(own: Sequence[Ints], wide: int) -> Ints:
        moved = [rows + first[k, 0] for k, rows in enumerate(own)]
        return np.ascontiguousarray(np.concatenate([np.zeros((0, wide), np.int64), *moved]))

    return Foil(
        numbers([p.home for p in parts], 3),
        corners([p.triangles for p in parts], 3),
        corners([p.edges for p in parts], 2),
        numbers([p.length for p in parts]),
        np.concatenate([np.zeros(0, np.bool_), *(p.seam for p in parts)]),
        corners([p.hinges for p in parts], 4),
        numbers([p.weights for p in parts], 4),
        numbers([p.area for p in parts]),
        numbers([p.bent for p in parts]),
        numbers([p.mass for p in parts]),
        first,
        np.array([float(p.most[0]) for p in parts]),
    )


def seams_of(solid: Solid) -> NDArray[np.bool_]:
    """(n): vertices on the borders between what looks forward and the sides, and between these and the rear."""
    front = np.zeros(len(solid.vertices), np.bool_)
    side, rear = front.copy(), front.copy()
    front[solid.triangles[solid.facet < RETURN]] = True
    side[solid.triangles[solid.facet == RETURN]] = True
    rear[solid.triangles[(solid.facet == REAR_BEVEL) | (solid.facet == REAR)]] = True
    return (front & side) | (side & rear) | (front & rear)


def _foil(rest: Floats, triangles: Ints, on_seam: NDArray[np.bool_]) -> Foil:
    """Hinges bend by the cotangents of their triangles (Bergou, Wardetzky, Harmon, Zorin, Grinspun: A Quadratic Bending
    Model for Inextensible Surfaces, 2006)."""
    count = len(rest)
    ends = np.stack([triangles, np.roll(triangles, -1, 1)], 2).reshape(-1, 2)
    opposite = np.roll(triangles, -2, 1).reshape(-1)
    order = np.argsort(edge_keys(triangles).reshape(-1), kind="stable")
    first, second = order[::2], order[1::2]
    a, b = ends[first].T
    c, d = opposite[first], opposite[second]
    corners = rest[triangles]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    twice = _size(cross)
    normal = cross / np.maximum(twice, 1e-30)[:, None]
    along, ac, ad, bc, bd = (rest[q] - rest[p] for p, q in ((a, b), (a, c), (a, d), (b, c), (b, d)))
    at_a, at_a2 = _cotangent(along, ac), _cotangent(along, ad)
    at_b, at_b2 = _cotangent(-along, bc), _cotangent(-along, bd)
    weights = np.stack([at_b + at_b2, at_a + at_a2, -at_a - at_b, -at_a2 - at_b2], 1)
    hinges = np.stack([a, b, c, d], 1)
    one, other = normal[first // 3], normal[second // 3]
    turn = (one * other).sum(1)
    middle = one + other
    middle = middle / np.maximum(_size(middle), 1e-30)[:, None]
    bent = ((weights[:, :, None] * rest[hinges]).sum(1) * middle).sum(1)
    bent[turn > 1 - 1e-9] = 0.0
    area = (twice[first // 3] + twice[second // 3]) / 6
    mass = np.bincount(triangles.ravel(), np.repeat(twice / 6, 3), count)
    kept = turn > FREE
    whole = float(mass.sum())
    return Foil(
        rest,
        triangles,
        np.stack([a, b], 1),
        _size(rest[a] - rest[b]),
        on_seam[a] & on_seam[b],
        hinges[kept],
        weights[kept],
        area[kept],
        bent[kept],
        np.maximum(mass, 1e-12),
        np.zeros((1, 4), np.int64),
        np.array([whole * math.sqrt(whole) / (6 * math.sqrt(math.pi))]),
    )


def _size(vectors: Floats) -> Floats:
    """(n): by squares one by one, whose bits are the same on any machine."""
    return np.asarray(np.sqrt((vectors * vectors).sum(1)))


def _cotangent(one: Floats, other: Floats) -> Floats:
    return np.asarray((one * other).sum(1) / np.maximum(_size(np.cross(one, other)), 1e-12))
