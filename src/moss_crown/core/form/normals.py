"""Crease-aware normals, one a corner."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import outer
from moss_crown.core.form.mesh import FloatN3, IntN3

CREASE = np.cos(np.radians(32.0))
"""Normals are averaged across an edge that turns by less than this."""


def corner_normals(vertices: FloatN3, triangles: IntN3, facet: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Crease-aware normals, one a corner: (m, 3, 3).

    Faces stay flat. A bevel corner takes over the face's or the return's normal where it meets them smoothly, so that
    a roundover runs into both without a line. Otherwise: the mean of the neighbours on the same facet that turn by
    less than the crease angle, weighted by the angle at the vertex (Thuermer and Wuethrich, 1998).
    """
    count = len(triangles)
    normals = np.empty((count, 3, 3), np.float32)
    starts, members = np.zeros(len(vertices) + 1, np.int64), np.empty(3 * count, np.int64)
    room = (np.zeros((count, 3)), np.zeros((count, 3)), starts, np.zeros_like(starts), members, np.empty((3, 3)))
    _corner_normals(normals, vertices, triangles, facet, CREASE, *room)
    return normals


@outer
def _corner_normals(result, vertices, triangles, facet, crease, flat, angle, starts, fill, members, total):
    """Plain loops over scalars: small arrays made inside would cost more than all the arithmetic. The last six are its
    room: all zeros but for members, and total (3, 3): from the face, from the return, from the own facet."""
    count = len(triangles)
    for t in range(count):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ux, uy, uz = vertices[b, 0] - vertices[a, 0], vertices[b, 1] - vertices[a, 1], vertices[b, 2] - vertices[a, 2]
        vx, vy, vz = vertices[c, 0] - vertices[a, 0], vertices[c, 1] - vertices[a, 1], vertices[c, 2] - vertices[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        size = math.sqrt(nx * nx + ny * ny + nz * nz)
        if size > 0:
            flat[t, 0], flat[t, 1], flat[t, 2] = nx / size, ny / size, nz / size
        for k in range(3):
            i, j, m = triangles[t, k], triangles[t, (k + 1) % 3], triangles[t, (k + 2) % 3]
            dot = one = two = 0.0
            for d in range(3):
                p, q = vertices[j, d] - vertices[i, d], vertices[m, d] - vertices[i, d]
                dot, one, two = dot + p * q, one + p * p, two + q * q
            lengths = math.sqrt(one * two)
            if lengths > 0:
                angle[t, k] = math.acos(min(1.0, max(-1.0, dot / lengths)))
            starts[i + 1] += 1
    for v in range(len(vertices)):
        starts[v + 1] += starts[v]
    for v in range(len(vertices)):
        fill[v] = starts[v]
    for t in range(count):
        for k in range(3):
            members[fill[triangles[t, k]]] = t * 3 + k
            fill[triangles[t, k]] += 1
    for t in range(count):
        own = facet[t]
        for k in range(3):
            for k3 in range(3):
                total[0, k3] = total[1, k3] = total[2, k3] = 0.0
            if own != 0 and own != 4:
                v = triangles[t, k]
                for s in range(starts[v], starts[v + 1]):
                    other, corner = members[s] // 3, members[s] % 3
                    if flat[t, 0] * flat[other, 0] + flat[t, 1] * flat[other, 1] + flat[t, 2] * flat[other, 2] < crease:
                        continue
                    kind = facet[other]
                    place = -1
                    if kind == own:
                        place = 2
                    elif own == 1 or own == 3:
                        if kind == 0 or kind == 4:
                            place = 0
                        elif kind == 2:
                            place = 1
                    if place >= 0:
                        for d in range(3):
                            total[place, d] += flat[other, d] * angle[other, corner]
            x, y, z = flat[t, 0], flat[t, 1], flat[t, 2]
            for place in range(3):
                if total[place, 0] != 0 or total[place, 1] != 0 or total[place, 2] != 0:
                    x, y, z = total[place, 0], total[place, 1], total[place, 2]
                    break
            size = math.sqrt(x * x + y * y + z * z)
            if size > 0:
                result[t, k, 0], result[t, k, 1], result[t, k, 2] = x / size, y / size, z / size
            else:
                result[t, k, 0], result[t, k, 1], result[t, k, 2] = 0.0, 0.0, 1.0
