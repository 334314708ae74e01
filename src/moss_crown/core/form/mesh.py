"""Triangle meshes: solid letters, and small tools shared by the plan, its refinement and the solid."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

FloatN2: TypeAlias = NDArray[np.float64]
FloatN3: TypeAlias = NDArray[np.float64]
IntN3: TypeAlias = NDArray[np.int64]

FACE, BEVEL, RETURN, REAR_BEVEL, REAR, INSIDE = range(6)
FACETS = ("face", "bevel", "return", "rear bevel", "rear", "inside")
"""The last is what was inside a letter that is in pieces."""

_SHIFT = 24
INDEX_BOUND = 1 << _SHIFT


def pack(a: NDArray[np.int64], b: NDArray[np.int64]) -> NDArray[np.int64]:
    """An undirected edge as one integer; indices stay below INDEX_BOUND."""
    packed: NDArray[np.int64] = np.minimum(a, b).astype(np.int64) * INDEX_BOUND + np.maximum(a, b)
    return packed


def unpack(key: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The two indices of packed edges, the smaller first."""
    return key >> _SHIFT, key & (INDEX_BOUND - 1)


def edge_keys(triangles: IntN3) -> NDArray[np.int64]:
    """(m, 3) triangles -> (m, 3) packed edges; edge i runs from corner i to corner i + 1."""
    return pack(triangles, np.roll(triangles, -1, axis=1))


def directed(triangles: IntN3) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(3 m) every edge of every triangle as it goes there, and as it would go back, each as one integer."""
    after = np.roll(triangles, -1, 1)
    return (triangles * INDEX_BOUND + after).ravel(), (after * INDEX_BOUND + triangles).ravel()


def boundary(triangles: IntN3) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The directed edges that only one triangle uses, in that triangle's direction: starts and ends."""
    _, index, count = np.unique(edge_keys(triangles).ravel(), return_index=True, return_counts=True)
    edge = index[count == 1]
    return triangles[edge // 3, edge % 3], triangles[edge // 3, (edge + 1) % 3]


@dataclass(frozen=True)
class Solid:
    """A closed two-manifold, outward.

    vertices (n, 3) metres; triangles (m, 3), counter-clockwise seen from outside; facet (m) of FACETS;
    normals (m, 3, 3): one a corner, flat on faces, smooth along curves. `ridged`: somewhere the edge is wider than
    the stem and meets in a ridge. `along` (n): for tubes, how far along its contour each vertex lies, 0 to 1, and
    whether that is a `ring` (n): a closed one. `piece` (n): which piece of a letter in pieces each vertex is of; each
    is closed by itself.
    """

    vertices: FloatN3
    triangles: IntN3
    facet: NDArray[np.uint8]
    normals: NDArray[np.float32]
    ridged: bool
    along: NDArray[np.float32] | None = None
    ring: NDArray[np.bool_] | None = None
    piece: NDArray[np.int32] | None = None

    @property
    def volume(self) -> float:
        """Signed volume by the divergence theorem; positive when the triangles face outward."""
        a, b, c = (self.vertices[self.triangles[:, i]] for i in range(3))
        return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6)


NOTHING = Solid(
    np.zeros((0, 3)), np.zeros((0, 3), np.int64), np.zeros(0, np.uint8), np.zeros((0, 3, 3), np.float32), False
)
"""The solid of a letter of which nothing is there."""
