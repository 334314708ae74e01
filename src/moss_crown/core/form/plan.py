"""The plan of a bevelled front: one constrained Delaunay triangulation of the letter with its inset rings.

The front of a letter is a height over its plan. With one valid planar triangulation and a single-valued height no
crossing and no T-joint can occur; ridges, saddles and vanished stems need no special case. Rings are constraints,
and so are connectors between a ring's vertices and their places on the next, which keep corner lines exact. Points
are then added where the linear inset distance of a triangle departs from the true one (`refine`).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pythoncdt
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from moss_crown.core.form import refine
from moss_crown.core.form.field import InsetField
from moss_crown.core.form.mesh import FloatN2, IntN3, edge_keys, pack
from moss_crown.core.form.outline import Join, Ring, area, inset, tidy

ROUNDS = 5
MERGE = 1e-4
"""Points nearer than this are one point."""


@dataclass(frozen=True)
class Plan:
    """points (n, 2); triangles (m, 3), counter-clockwise; inset distance (n); band (m).

    Band k lies between level k and level k + 1; the last band is the face.
    """

    points: FloatN2
    triangles: IntN3
    inset: NDArray[np.float64]
    band: NDArray[np.int64]


def plan(rings: list[Ring], levels: NDArray[np.float64], join: Join) -> Plan:
    """Triangulate an outline with its insets at rising `levels` (the first is 0)."""
    field = InsetField(rings, float(levels[-1]), join)
    points, constraints, connectors, level = _rings(rings, levels, join)
    distance = levels[level]
    top = float(levels[-1])
    tolerance = 0.004 * top + 0.03
    seen = refine.Seen()
    for turn in range(ROUNDS):
        placed, triangles, fixed = triangulate(points, constraints, connectors)
        if len(placed) > len(points):  # a constraint crossed another and was resolved by a new point
            distance = np.concatenate([distance, field(placed[len(points) :])])
        triangles, band = name_bands(placed, triangles, fixed, field, levels)
        mesh = refine.Front(placed, triangles, distance, band)
        if top <= 0 or turn == ROUNDS - 1:
            break
        wanted = refine.wanted(mesh, fixed, field, levels, tolerance, turn, seen)
        if len(wanted) == 0:
            return Plan(mesh.points, mesh.triangles, mesh.inset, mesh.band)
        points = np.vstack([placed, wanted])
        distance = np.concatenate([distance, field(wanted)])
        constraints = np.stack([fixed >> 24, fixed & ((1 << 24) - 1)], 1)
        connectors = np.zeros((0, 2), np.int64)
    if top > 0:
        # The last word has splits that stay inside the triangles they split: valid whatever happens.
        mesh = refine.settle(mesh, fixed, field, levels, 2 * tolerance, seen)
    return Plan(mesh.points, mesh.triangles, mesh.inset, mesh.band)


def _rings(
    rings: list[Ring], levels: NDArray[np.float64], join: Join
) -> tuple[FloatN2, NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """All rings as points and constraint edges, with connectors and the level of every point."""
    gaps = np.diff(levels)
    points: list[Ring] = []
    edges: list[NDArray[np.int64]] = []
    connectors: list[NDArray[np.int64]] = []
    level: list[int] = []
    count = 0
    predicted: FloatN2 = np.zeros((0, 2))
    predicted_from = 0
    for k, distance in enumerate(levels):
        here = rings if k == 0 else _inset_rings(rings, float(distance), join, float(gaps[k - 1]))
        first = count
        for ring in here:
            index = np.arange(len(ring)) + count
            edges.append(np.stack([index, np.roll(index, -1)], 1))
            points.append(ring)
            count += len(ring)
        level += [k] * (count - first)
        if count == first:
            break
        if k:
            gap, nearest = cKDTree(np.vstack(here)).query(predicted)
            met = np.flatnonzero(gap < max(0.03, 0.02 * gaps[k - 1]))
            connectors.append(np.stack([predicted_from + met, first + nearest[met]], 1))
        predicted = advanced(here, float(gaps[k]) if k < len(gaps) else 0.0)
        predicted_from = first
    stacked = np.vstack(points)
    _, keep, inverse = np.unique(
        np.round(stacked / MERGE).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    inverse = inverse.ravel()
    constraint = inverse[np.vstack(edges)]
    constraint = constraint[constraint[:, 0] != constraint[:, 1]]
    connector = inverse[np.vstack(connectors)] if connectors else np.zeros((0, 2), np.int64)
    return stacked[keep], constraint, connector, np.array(level)[keep]


def _inset_rings(rings: list[Ring], distance: float, join: Join, gap: float) -> list[Ring]:
    tidied = [tidy(ring, min(0.02, 0.05 * gap)) for ring in inset(rings, distance, join)]
    return [ring for ring in tidied if len(ring) > 2 and abs(area(ring)) > 1e-3]


def advanced(rings: list[Ring], gap: float) -> FloatN2:
    """Where each vertex moves when its two edges move inward by `gap`."""
    moved = []
    for ring in rings:
        edge = np.roll(ring, -1, 0) - ring
        edge /= np.maximum(np.hypot(*edge.T), 1e-12)[:, None]
        normal = np.stack([-edge[:, 1], edge[:, 0]], 1)
        before = np.roll(normal, 1, 0)
        moved.append(ring + gap * (normal + before) / np.maximum(1 + (normal * before).sum(1), 0.02)[:, None])
    return np.vstack(moved)


def triangulate(
    points: FloatN2, constraints: NDArray[np.int64], connectors: NDArray[np.int64]
) -> tuple[FloatN2, IntN3, NDArray[np.int64]]:
    """Constrained Delaunay with robust predicates. Answers points, triangles and the packed constrained edges."""

    def run(edges: NDArray[np.int64]) -> Any:
        triangulation: Any = pythoncdt.Triangulation(
            pythoncdt.VertexInsertionOrder.AUTO, pythoncdt.IntersectingConstraintEdges.TRY_RESOLVE, 1e-6
        )
        triangulation.insert_vertices(np.ascontiguousarray(points))
        triangulation.insert_edges(np.ascontiguousarray(edges.astype(np.uint32)))
        return triangulation

    constraints = np.unique(np.sort(constraints, 1), axis=0)
    every = np.vstack([constraints, connectors])
    every = np.unique(np.sort(every[every[:, 0] != every[:, 1]], 1), axis=0)
    done = run(every)
    if done.vertices_count() > len(points) + 3:  # a connector crossed something: do without connectors
        done = run(constraints)
    done.erase_super_triangle()
    vertices = done.vertices_array()
    placed = np.stack([vertices["x"], vertices["y"]], 1)
    triangles = np.asarray(done.triangles_array()["vertices"]).astype(np.int64)
    fixed = constraints if len(placed) == len(points) else np.array([(e.v1, e.v2) for e in done.fixed_edges_iter()])
    return placed, triangles, np.unique(pack(fixed[:, 0], fixed[:, 1]))


def name_bands(
    points: FloatN2, triangles: IntN3, fixed: NDArray[np.int64], field: InsetField, levels: NDArray[np.float64]
) -> tuple[IntN3, NDArray[np.int64]]:
    """Flood across free edges; the largest triangle of each patch names its band. Outside patches are dropped."""
    flat = edge_keys(triangles).ravel()
    owner = np.repeat(np.arange(len(triangles)), 3)
    order = np.argsort(flat, kind="stable")
    key, tri = flat[order], owner[order]
    same = np.flatnonzero(key[1:] == key[:-1])
    same = same[~np.isin(key[same], fixed)]
    graph = coo_matrix((np.ones(len(same)), (tri[same], tri[same + 1])), (len(triangles), len(triangles)))
    _, patch = connected_components(graph, directed=False)
    corner = points[triangles]
    double_area = refine.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    order = np.lexsort((-double_area, patch))
    first = order[np.concatenate([[True], patch[order][1:] != patch[order][:-1]])]
    centre = corner[first].mean(1)
    band = np.searchsorted(levels, field(centre), side="right") - 1
    band = np.where(field.winding(centre) > 0, band, -1)
    # Slivers of the hull on straight runs have no area worth the name and would count as inside by rounding.
    extent = np.ptp(corner[first], axis=1).max(1)
    band[np.abs(double_area[first]) < 2e-7 * extent**2] = -1
    of_triangle = band[patch]
    inside = of_triangle >= 0
    return triangles[inside], of_triangle[inside]
