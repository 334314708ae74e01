"""A solid letter: the front's plan lifted by its profile, mirrored to the rear, joined by the return."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import FloatN3, IntN3, boundary
from moss_crown.core.form.outline import Join, Ring
from moss_crown.core.form.plan import plan
from moss_crown.core.form.profile import ProfileKind, profile

FACE, BEVEL, RETURN, REAR_BEVEL, REAR = range(5)
FACETS = ("face", "bevel", "return", "rear bevel", "rear")

CREASE = np.cos(np.radians(32.0))
"""Normals are averaged across an edge that turns by less than this."""

DEEPEST_BEVEL = 0.498
"""Front and rear bevel share the depth: each takes less than half of it, so that a return remains."""


@dataclass(frozen=True)
class Form:
    """Metres. `bevel` is both width and height of the edge profile."""

    depth: float
    profile: ProfileKind
    bevel: float
    segments: int
    join: Join = "mitre"

    @property
    def bevel_used(self) -> float:
        """The bevel after its limit by depth; 0 for a square edge."""
        return 0.0 if self.profile == "square" else min(self.bevel, DEEPEST_BEVEL * self.depth)


@dataclass(frozen=True)
class Solid:
    """A closed two-manifold, outward, centred in depth about z = 0.

    vertices (n, 3) metres; triangles (m, 3), counter-clockwise seen from outside; facet (m) of FACETS;
    normals (m, 3, 3): one a corner, flat on faces, smooth along curves. `ridged`: somewhere the bevel is wider than
    the stem and meets in a ridge.
    """

    vertices: FloatN3
    triangles: IntN3
    facet: NDArray[np.uint8]
    normals: NDArray[np.float32]
    ridged: bool

    @property
    def volume(self) -> float:
        """Signed volume by the divergence theorem; positive when the triangles face outward."""
        a, b, c = (self.vertices[self.triangles[:, i]] for i in range(3))
        return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6)


def solid(rings: list[Ring], form: Form, unit: float) -> Solid:
    """Build a letter's solid from its clean outline in thousandths of an em; `unit` takes those to metres."""
    edge = profile(form.profile, form.bevel_used / unit, form.segments)
    levels = edge[:, 0]
    front = plan(rings, levels, form.join)
    height = form.depth / 2 - form.bevel_used + np.interp(front.inset, levels, edge[:, 1]) * unit
    flat = front.points * unit
    count = len(flat)
    vertices = np.vstack([np.column_stack([flat, height]), np.column_stack([flat, -height])])
    start, end = boundary(front.triangles)
    returns = np.vstack([np.stack([start, start + count, end], 1), np.stack([end, start + count, end + count], 1)])
    rear = front.triangles[:, ::-1] + count
    face_band = len(levels) - 1
    on_face = front.band == face_band
    facet = np.concatenate(
        [
            np.where(on_face, FACE, BEVEL),
            np.full(len(returns), RETURN),
            np.where(on_face, REAR, REAR_BEVEL),
        ]
    ).astype(np.uint8)
    used, triangles = np.unique(np.vstack([front.triangles, returns, rear]), return_inverse=True)
    triangles = triangles.reshape(-1, 3)
    vertices = np.ascontiguousarray(vertices[used])
    normals = corner_normals(vertices, triangles, facet)
    ridged = bool(form.bevel_used > 0 and front.inset.max() < levels[-1] * 0.9999) or _has_ridge(front.inset, levels)
    return Solid(vertices, triangles, facet, normals, ridged)


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
    count = len(triangles)
    flat = np.zeros((count, 3))
    angle = np.zeros((count, 3))
    starts = np.zeros(len(vertices) + 1, np.int64)
    for t in range(count):
        a, b, c = vertices[triangles[t, 0]], vertices[triangles[t, 1]], vertices[triangles[t, 2]]
        n = np.cross(b - a, c - a)
        size = np.sqrt((n * n).sum())
        if size > 0:
            flat[t] = n / size
        for k in range(3):
            here = vertices[triangles[t, k]]
            u = vertices[triangles[t, (k + 1) % 3]] - here
            v = vertices[triangles[t, (k + 2) % 3]] - here
            lengths = np.sqrt((u * u).sum() * (v * v).sum())
            if lengths > 0:
                angle[t, k] = np.arccos(min(1.0, max(-1.0, (u * v).sum() / lengths)))
            starts[triangles[t, k] + 1] += 1
    for v in range(len(vertices)):
        starts[v + 1] += starts[v]
    fill = starts[:-1].copy()
    members = np.empty(count * 3, np.int64)
    for t in range(count):
        for k in range(3):
            members[fill[triangles[t, k]]] = t * 3 + k
            fill[triangles[t, k]] += 1
    result = np.empty((count, 3, 3), np.float32)
    for t in range(count):
        own = facet[t]
        for k in range(3):
            v = triangles[t, k]
            total = np.zeros((3, 3))  # from the face, from the return, from the own facet
            for s in range(starts[v], starts[v + 1]):
                other, corner = members[s] // 3, members[s] % 3
                if (flat[t] * flat[other]).sum() < crease:
                    continue
                kind = facet[other]
                if kind == own:
                    total[2] += flat[other] * angle[other, corner]
                elif own == 1 or own == 3:
                    if kind == 0 or kind == 4:
                        total[0] += flat[other] * angle[other, corner]
                    elif kind == 2:
                        total[1] += flat[other] * angle[other, corner]
            chosen = flat[t]
            if own == 0 or own == 4:
                pass
            elif (total[0] * total[0]).sum() > 0:
                chosen = total[0]
            elif (total[1] * total[1]).sum() > 0:
                chosen = total[1]
            elif (total[2] * total[2]).sum() > 0:
                chosen = total[2]
            size = np.sqrt((chosen * chosen).sum())
            if size > 0:
                result[t, k] = chosen / size
            else:
                result[t, k] = np.array([0.0, 0.0, 1.0])
    return result
