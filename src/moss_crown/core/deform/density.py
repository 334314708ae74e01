"""Meshes as dense as bending needs, and no denser: a solid's own edges are cut where they would cut a curve short.

The shape at rest stays as it is, with its facets and creases, and closed.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.deform.chain import bent
from moss_crown.core.deform.rows import KIND, ZONE
from moss_crown.core.form.mesh import Solid, edge_keys, unpack

Floats: TypeAlias = NDArray[np.float64]
Long: TypeAlias = Callable[[Floats, Floats], NDArray[np.bool_]]
"""Whether edges between two places (n, 3) are too long."""
ROUNDS = 14
_WHERE = (0.25, 0.5, 0.75)
"""Of an edge: its middle alone may lie on its chord by chance."""
_CLOSELY = (0.125, 0.25, 0.375, 0.5, 0.625, 0.75, 0.875)
"""Of an edge that a zone's border may cross."""


def fine_enough(solid: Solid, states: Sequence[Floats], tolerance: float, most: int) -> Solid:
    """A solid whose edges stay within a tolerance (metres) of the curves that they stand for, in all states of its rows
    (k, ROW); as near to that as `most` triangles come."""

    def long(p: Floats, q: Floats) -> NDArray[np.bool_]:
        found = np.zeros(len(p), np.bool_)
        for rows in states:
            left = np.flatnonzero(~found)
            if not len(left):
                break
            a, c = p[left], q[left]
            begun, ended = bent(rows, a), bent(rows, c)
            for share in _CLOSELY if (rows[:, KIND] == ZONE).any() else _WHERE:
                off = bent(rows, a + (c - a) * share) - (begun + (ended - begun) * share)
                found[left] |= np.einsum("ij,ij->i", off, off) > tolerance**2
        return found

    return split(solid, long, most)


def split(solid: Solid, long: Long, most: int) -> Solid:
    """Edges cut in the middle as long as `long` says so of them, each for both of its triangles, unless that would make
    more than `most` triangles."""
    vertices, triangles, facet = solid.vertices, solid.triangles, solid.facet
    normals, along, piece = solid.normals.astype(np.float64), solid.along, solid.piece
    settled: NDArray[np.int64] = np.zeros(0, np.int64)
    for _ in range(ROUNDS):
        every, where = np.unique(edge_keys(triangles), return_inverse=True)
        first, second = unpack(every)
        asked = ~np.isin(every, settled)
        cut = np.zeros(len(every), np.bool_)
        cut[asked] = long(vertices[first[asked]], vertices[second[asked]])
        settled = every[~cut]
        middle = np.full(len(every), -1)
        middle[cut] = len(vertices) + np.arange(cut.sum())
        six = np.concatenate([triangles, middle[where.reshape(triangles.shape)]], 1)
        code = (six[:, 3:] >= 0) @ np.array([1, 2, 4])
        if not cut.any() or len(code) + np.bitwise_count(code.astype(np.uint8)).sum() > most:
            break
        vertices = np.vstack([vertices, (vertices[first[cut]] + vertices[second[cut]]) / 2])
        if along is not None:
            along = np.concatenate([along, (along[first[cut]] + along[second[cut]]) / 2])
        if piece is not None:
            piece = np.concatenate([piece, piece[first[cut]]])
        between = normals + np.roll(normals, -1, 1)
        between /= np.maximum(np.linalg.norm(between, axis=2, keepdims=True), 1e-12)
        normal = np.concatenate([normals, between], 1)
        parts = [(code == key, corners) for key, rows in _CORNERS.items() for corners in rows]
        triangles = np.vstack([six[own][:, corners] for own, corners in parts])
        normals = np.vstack([normal[own][:, corners] for own, corners in parts])
        facet = np.concatenate([facet[own] for own, _ in parts])
    return replace(
        solid,
        vertices=vertices,
        triangles=triangles,
        facet=facet,
        normals=normals.astype(np.float32),
        along=along,
        ring=None,
        piece=piece,
    )


def with_edges(solid: Solid, edge: float, most: int) -> Solid:
    """A solid without edges longer than that, in metres."""
    return split(solid, lambda p, q: np.square(q - p).sum(1) > edge * edge, most)


def _corners() -> dict[int, list[list[int]]]:
    """Which triangles a triangle becomes, by a bit for each of its edges that is cut: corners 0 to 2, and 3 to 5 in the
    middle of the edges that begin there."""
    found = {0: [[0, 1, 2]], 7: [[0, 3, 5], [3, 1, 4], [5, 4, 2], [3, 4, 5]]}
    for i in range(3):
        j, k = (i + 1) % 3, (i + 2) % 3
        found[1 << i] = [[i, 3 + i, k], [3 + i, j, k]]
        found[1 << i | 1 << j] = [[3 + i, j, 3 + j], [i, 3 + i, 3 + j], [i, 3 + j, k]]
    return found


_CORNERS = _corners()
