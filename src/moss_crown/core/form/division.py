"""Meshes with each triangle in four: straight, or rounded."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import FloatN3, IntN3, Solid, edge_keys, unpack

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Division:
    """How a closed mesh of so many vertices is divided: `ends` (e, 2) of its edges, in whose middles new vertices
    stand, and the corners that face each (e, 2); `triangles` (4 m, 3)."""

    count: int
    ends: IntN3
    facing: IntN3
    triangles: IntN3

    @cached_property
    def _around(self) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64], Floats]:
        """The edges by their vertices, one after the other: which vertices are at their other ends, where those of each
        vertex begin, how many it has, and the share that each has of what the vertex becomes (Loop: Smooth Subdivision
        Surfaces Based on Triangles, 1987; the shares of Warren)."""
        both = np.concatenate([self.ends[:, 0], self.ends[:, 1]])
        other = np.concatenate([self.ends[:, 1], self.ends[:, 0]])
        order = np.argsort(both, kind="stable")
        degree = np.bincount(both, minlength=self.count)
        begin = np.minimum(np.cumsum(degree) - degree, max(len(both) - 1, 0))
        share = np.where(degree == 3, 3 / 16, 3 / (8 * np.maximum(degree, 1)))
        return other[order], begin, degree, share * (degree > 0)

    def straight(self, places: FloatN3) -> FloatN3:
        """(n + e, 3): the same surface."""
        middles = (places[self.ends[:, 0]] + places[self.ends[:, 1]]) / 2
        return np.concatenate([places, middles])

    def rounded(self, places: FloatN3) -> FloatN3:
        """(n + e, 3): a rounder one."""
        other, begin, degree, share = self._around
        around = np.add.reduceat(places[other], begin, 0) * share[:, None]
        kept = places * (1 - degree * share)[:, None] + around
        middles = 3 / 8 * (places[self.ends[:, 0]] + places[self.ends[:, 1]])
        return np.concatenate([kept, middles + (places[self.facing[:, 0]] + places[self.facing[:, 1]]) / 8])

    def mixed(self, places: FloatN3, round: float) -> FloatN3:
        """(n + e, 3): the share `round` of the way from the same surface to the rounder one."""
        straight = self.straight(places)
        return straight if round <= 0 else straight + round * (self.rounded(places) - straight)


def division(triangles: IntN3, count: int) -> Division:
    """Of a closed mesh of so many vertices. Each vertex is on some triangle."""
    opposite = np.roll(triangles, -2, 1).reshape(-1)
    key, edge = np.unique(edge_keys(triangles).reshape(-1), return_inverse=True)
    order = np.argsort(edge, kind="stable").reshape(-1, 2)
    a, b, c = triangles.T
    p, q, r = edge.reshape(-1, 3).T + count
    four = np.stack([np.stack(one, 1) for one in ((a, p, r), (p, b, q), (r, q, c), (p, q, r))], 1)
    return Division(count, np.stack(unpack(key), 1), opposite[order], four.reshape(-1, 3))


def divided(solid: Solid, by: Division) -> Solid:
    """A solid with each triangle in four, straight: of the same shape, its corner normals those between its corners."""
    a, b, c = (solid.normals[:, k].astype(np.float64) for k in range(3))

    def between(one: FloatN3, other: FloatN3) -> FloatN3:
        found = one + other
        size = np.sqrt((found * found).sum(1, keepdims=True))
        return np.where(size > 1e-6, found / np.maximum(size, 1e-30), one)

    p, q, r = between(a, b), between(b, c), between(c, a)
    four = [np.stack(one, 1) for one in ((a, p, r), (p, b, q), (r, q, c), (p, q, r))]
    normals = np.stack(four, 1).reshape(-1, 3, 3).astype(np.float32)
    return Solid(by.straight(solid.vertices), by.triangles, np.repeat(solid.facet, 4), normals, solid.ridged)
