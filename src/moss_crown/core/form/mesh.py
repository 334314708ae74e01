"""Small tools of triangle meshes shared by the plan, its refinement and the solid."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

FloatN2: TypeAlias = NDArray[np.float64]
FloatN3: TypeAlias = NDArray[np.float64]
IntN3: TypeAlias = NDArray[np.int64]

_SHIFT = 24
INDEX_BOUND = 1 << _SHIFT


def pack(a: NDArray[np.int64], b: NDArray[np.int64]) -> NDArray[np.int64]:
    """An undirected edge as one integer; indices stay below INDEX_BOUND."""
    packed: NDArray[np.int64] = np.minimum(a, b).astype(np.int64) * INDEX_BOUND + np.maximum(a, b)
    return packed


def unpack(key: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    return key >> _SHIFT, key & (INDEX_BOUND - 1)


def edge_keys(triangles: IntN3) -> NDArray[np.int64]:
    """(m, 3) triangles -> (m, 3) packed edges; edge i runs from corner i to corner i + 1."""
    return pack(triangles, np.roll(triangles, -1, axis=1))


def boundary(triangles: IntN3) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The directed edges that only one triangle uses, in that triangle's direction: starts and ends."""
    _, index, count = np.unique(edge_keys(triangles).ravel(), return_index=True, return_counts=True)
    edge = index[count == 1]
    return triangles[edge // 3, edge % 3], triangles[edge // 3, (edge + 1) % 3]
