"""Points where a bevel's plan needs them: on ridges and saddles, where the linear inset distance is wrong.

Order matters. Circumcentres of triangles whose corners share a level are the branch points of the ridge (Voronoi
vertices): put in first, they leave little to do (a disc takes 1,024 triangles instead of 18,856). Then come the worst
points on edges (golden section) and inside triangles (pattern search), retriangulated a few times. What remains is
split in place.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from dataclasses import field as member

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from moss_crown.core.form.field import InsetField
from moss_crown.core.form.mesh import FloatN2, IntN3, edge_keys, unpack

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SHORTEST = 0.3
"""Edges below this are never split: nothing visible is gained, and points pile up."""
CROWDING = 30.0
SAMPLES = 7
GOLDEN = (math.sqrt(5) - 1) / 2
INNER = np.array([(i, j, 6 - i - j) for i in range(1, 5) for j in range(1, 6 - i)]) / 6.0
STEPS = np.array([[1, -1, 0], [-1, 1, 0], [1, 0, -1], [-1, 0, 1], [0, 1, -1], [0, -1, 1]])


@dataclass
class Front:
    """A plan in the making: points (n, 2), triangles (m, 3), inset distance (n), band (m)."""

    points: FloatN2
    triangles: IntN3
    inset: Floats
    band: Ints


@dataclass
class Seen:
    """Edges and triangles already found good: they stay good, and asking the field again is what costs."""

    edges: Ints = member(default_factory=lambda: np.zeros(0, np.int64))
    triangles: Ints = member(default_factory=lambda: np.zeros(0, np.int64))


@dataclass
class Kinks:
    """Bad edges: their ends, their packed keys, the worst point on each and how bad it is."""

    start: Ints
    end: Ints
    key: Ints
    worst: FloatN2
    error: Floats


def cross(a: Floats, b: Floats) -> Floats:
    """z of the cross product of (n, 2) vectors."""
    return np.asarray(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])


def wanted(
    front: Front, fixed: Ints, field: InsetField, levels: Floats, tolerance: float, turn: int, seen: Seen
) -> FloatN2:
    """Points for the next triangulation, worst first, thinned so that they do not crowd."""
    points: list[FloatN2] = []
    errors: list[Floats] = []
    if turn == 0:
        found, error = _branch_points(front, field, levels, tolerance)
        points.append(found)
        errors.append(error)
    if turn or not len(points[0]):
        kinks = find_kinks(front, fixed, field, levels, tolerance, seen)
        points.append(kinks.worst)
        errors.append(kinks.error)
        if not len(kinks.worst) or turn % 2:
            _, found, error = find_peaks(front, field, levels, tolerance, seen)
            points.append(found)
            errors.append(error)
    candidate, error = np.vstack(points), np.concatenate(errors)
    if not len(candidate):
        return candidate
    return _thinned(candidate[np.argsort(-error, kind="stable")], front.points)


def settle(front: Front, fixed: Ints, field: InsetField, levels: Floats, tolerance: float, seen: Seen) -> Front:
    """Splits on edges and inside triangles, in place: the triangulation stays valid whatever they do."""
    for _ in range(2):
        kinks = find_kinks(front, fixed, field, levels, tolerance, seen)
        if len(kinks.worst):
            front = _split(front, kinks, field)
        triangle, inner, _ = find_peaks(front, field, levels, tolerance, seen)
        if len(inner):
            front = _poked(front, triangle, inner, field)
        if not len(kinks.worst) and not len(inner):
            break
    return front


def _branch_points(front: Front, field: InsetField, levels: Floats, tolerance: float) -> tuple[FloatN2, Floats]:
    bevel = np.flatnonzero(front.band < len(levels) - 1)
    triangle, band = front.triangles[bevel], front.band[bevel]
    level = np.ptp(front.inset[triangle], axis=1) < 1e-9
    triangle, band = triangle[level], band[level]
    if not len(triangle):
        return np.zeros((0, 2)), np.zeros(0)
    centre, radius = _circumcentres(*(front.points[triangle[:, i]] for i in range(3)))
    value = field(centre)
    rise = np.abs(value - front.inset[triangle[:, 0]])
    good = np.abs(rise - radius) < 0.05 * radius
    good &= (rise > tolerance) & (value > levels[band]) & (value < levels[band + 1])
    return centre[good], rise[good]


def _circumcentres(a: FloatN2, b: FloatN2, c: FloatN2) -> tuple[FloatN2, Floats]:
    ab, ac = b - a, c - a
    with np.errstate(divide="ignore", invalid="ignore"):
        d = 2 * cross(ab, ac)
        b2, c2 = (ab**2).sum(1), (ac**2).sum(1)
        offset = np.stack([ac[:, 1] * b2 - ab[:, 1] * c2, ab[:, 0] * c2 - ac[:, 0] * b2], 1) / d[:, None]
    bad = ~np.isfinite(offset).all(1) | (np.abs(offset).max(1, initial=0.0) > 1e7)
    offset[bad] = 1e7  # far outside: a sliver has no circumcentre to speak of
    return a + offset, np.hypot(*offset.T)


def _thinned(candidate: FloatN2, present: FloatN2) -> FloatN2:
    near = cKDTree(present).query(candidate)[0]
    keep = near > 0.05
    radius = np.clip(0.5 * near, 0.2, CROWDING)
    pairs = cKDTree(candidate).query_pairs(CROWDING, output_type="ndarray")
    if len(pairs):
        gap = np.hypot(*(candidate[pairs[:, 0]] - candidate[pairs[:, 1]]).T)
        pairs = np.sort(pairs[gap < radius[pairs.min(1)]], 1)
        pairs = pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))]
        for better, worse in pairs:
            if keep[better]:
                keep[worse] = False
    return np.asarray(candidate[keep])


def find_kinks(front: Front, fixed: Ints, field: InsetField, levels: Floats, tolerance: float, seen: Seen) -> Kinks:
    """Free bevel edges on which linear and true inset distance differ."""
    key = edge_keys(front.triangles)
    bevel = np.repeat(front.band < len(levels) - 1, 3)
    unique, first, count = np.unique(key.ravel(), return_index=True, return_counts=True)
    unique = unique[(count == 2) & bevel[first]]
    unique = unique[~np.isin(unique, fixed, assume_unique=True)]
    unique = unique[~np.isin(unique, seen.edges, assume_unique=True)]
    a, b = unpack(unique)
    points, inset = front.points, front.inset
    t = (np.arange(SAMPLES) + 1.0) / (SAMPLES + 1)
    sample = points[a][:, None] * (1 - t)[None, :, None] + points[b][:, None] * t[None, :, None]
    difference = field(sample.reshape(-1, 2)).reshape(-1, SAMPLES) - inset[a][:, None] * (1 - t) - inset[b][:, None] * t
    worst = np.abs(difference).argmax(1) if len(a) else np.zeros(0, np.int64)
    row = np.arange(len(worst))
    bad = (np.abs(difference[row, worst]) > tolerance) & (np.hypot(*(points[a] - points[b]).T) > SHORTEST)
    seen.edges = np.concatenate([seen.edges, unique[~bad]])
    sign = np.sign(difference[row, worst])[bad]
    a, b, unique, worst = a[bad], b[bad], unique[bad], worst[bad]
    if not len(a):
        return Kinks(a, b, unique, np.zeros((0, 2)), np.zeros(0))
    step = 1 / (SAMPLES + 1)
    low, high = np.maximum(t[worst] - step, 1e-3), np.minimum(t[worst] + step, 1 - 1e-3)
    n = len(a)
    error = np.zeros(n)
    for _ in range(12):
        one, two = high - GOLDEN * (high - low), low + GOLDEN * (high - low)
        at = np.vstack([points[a] * (1 - m[:, None]) + points[b] * m[:, None] for m in (one, two)])
        value = field(at)
        error_one = sign * (value[:n] - inset[a] * (1 - one) - inset[b] * one)
        error_two = sign * (value[n:] - inset[a] * (1 - two) - inset[b] * two)
        left = error_one > error_two
        high = np.where(left, two, high)
        low = np.where(left, low, one)
        error = np.maximum(error_one, error_two)
    middle = ((low + high) / 2)[:, None]
    return Kinks(a, b, unique, points[a] * (1 - middle) + points[b] * middle, error)


def find_peaks(
    front: Front, field: InsetField, levels: Floats, tolerance: float, seen: Seen
) -> tuple[Ints, FloatN2, Floats]:
    """Bevel triangles whose inside misses a branch point of the ridge: triangle, worst point, error."""
    none = np.zeros(0, np.int64), np.zeros((0, 2)), np.zeros(0)
    index = np.flatnonzero(front.band < len(levels) - 1)
    triangle = front.triangles[index]
    ordered = np.sort(triangle, 1)
    key = (ordered[:, 0] << 42) + (ordered[:, 1] << 21) + ordered[:, 2]
    fresh = ~np.isin(key, seen.triangles, assume_unique=True)
    index, triangle, key = index[fresh], triangle[fresh], key[fresh]
    if not len(index):
        return none
    points, inset = front.points, front.inset
    at = np.einsum("kj,tjx->tkx", INNER, points[triangle])
    linear = inset[triangle] @ INNER.T
    errors = np.abs(field(at.reshape(-1, 2)).reshape(linear.shape) - linear)
    worst = errors.argmax(1)
    bad = errors[np.arange(len(worst)), worst] > tolerance
    corner = points[triangle]
    bad &= np.abs(cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])) > 0.05
    seen.triangles = np.concatenate([seen.triangles, key[~bad]])
    if not bad.any():
        return none
    index, triangle, weight, error = index[bad], triangle[bad], INNER[worst[bad]], errors[bad].max(1)
    step = 0.125
    row = np.arange(len(triangle))
    for _ in range(14):
        candidate = np.clip(weight[:, None] + STEPS * step, 0.02, 1)
        candidate /= candidate.sum(2, keepdims=True)
        at = np.einsum("tkj,tjx->tkx", candidate, points[triangle])
        found = np.abs(
            field(at.reshape(-1, 2)).reshape(len(triangle), 6) - (candidate * inset[triangle][:, None]).sum(2)
        )
        best = found.argmax(1)
        better = found[row, best] > error
        weight = np.where(better[:, None], candidate[row, best], weight)
        error = np.maximum(error, found[row, best])
        step *= 0.72
    return index, (weight[..., None] * points[triangle]).sum(1), error


def _rolled(triangle: IntN3, midpoint: IntN3, first: Ints) -> tuple[IntN3, IntN3]:
    turn = (np.arange(3)[None] + first[:, None]) % 3
    return np.take_along_axis(triangle, turn, 1), np.take_along_axis(midpoint, turn, 1)


def _split(front: Front, kinks: Kinks, field: InsetField) -> Front:
    """Split edges at their worst points; every triangle becomes 2, 3 or 6. New vertices lie on the old edges."""
    base = len(front.points)
    points = np.vstack([front.points, kinks.worst])
    inset = np.concatenate([front.inset, field(kinks.worst)])
    key = edge_keys(front.triangles)
    place = np.searchsorted(kinks.key, key.ravel())
    place[place == len(kinks.key)] = 0
    midpoint = np.where(kinks.key[place] == key.ravel(), base + place, -1).reshape(-1, 3)
    count = (midpoint >= 0).sum(1)
    triangles, bands = [front.triangles[count == 0]], [front.band[count == 0]]

    def add(band: Ints, *pieces: tuple[Ints, Ints, Ints]) -> None:
        for piece in pieces:
            triangles.append(np.stack(piece, 1))
            bands.append(band)

    one = count == 1
    t, m = _rolled(front.triangles[one], midpoint[one], midpoint[one].argmax(1))
    add(front.band[one], (t[:, 0], m[:, 0], t[:, 2]), (m[:, 0], t[:, 1], t[:, 2]))

    two = count == 2
    t, m = _rolled(front.triangles[two], midpoint[two], (midpoint[two] < 0).argmax(1))
    p, q = m[:, 1], m[:, 2]
    shorter = np.hypot(*(points[t[:, 0]] - points[p]).T) < np.hypot(*(points[t[:, 1]] - points[q]).T)
    add(
        front.band[two],
        (q, p, t[:, 2]),
        (t[:, 0], t[:, 1], np.where(shorter, p, q)),
        (np.where(shorter, t[:, 0], t[:, 1]), p, q),
    )

    three = count == 3
    if three.any():
        t, m = front.triangles[three], midpoint[three]
        a, b, c = points[t[:, 0]], points[t[:, 1]], points[t[:, 2]]
        centroid = (a + b + c) / 3
        circumcentre, _ = _circumcentres(a, b, c)
        inside = _least_barycentric(circumcentre, a, b, c) > 0.02
        options = np.stack([centroid, points[m].mean(1), np.where(inside[:, None], circumcentre, centroid)])
        values = np.stack([field(option) for option in options])
        highest = values.argmax(0)
        centre = len(points) + np.arange(len(t))
        points = np.vstack([points, options[highest, np.arange(len(t))]])
        inset = np.concatenate([inset, values.max(0)])
        for i in range(3):
            add(front.band[three], (t[:, i], m[:, i], centre), (m[:, i], t[:, (i + 1) % 3], centre))
    return Front(points, np.vstack(triangles), inset, np.concatenate(bands))


def _poked(front: Front, index: Ints, inner: FloatN2, field: InsetField) -> Front:
    """One triangle becomes three around a point inside it."""
    triangle, band = front.triangles[index], front.band[index]
    middle = len(front.points) + np.arange(len(inner))
    fans = [np.stack([triangle[:, i], triangle[:, (i + 1) % 3], middle], 1) for i in range(3)]
    return Front(
        np.vstack([front.points, inner]),
        np.vstack([np.delete(front.triangles, index, 0), *fans]),
        np.concatenate([front.inset, field(inner)]),
        np.concatenate([np.delete(front.band, index), np.tile(band, 3)]),
    )


def _least_barycentric(p: FloatN2, a: FloatN2, b: FloatN2, c: FloatN2) -> Floats:
    whole = cross(b - a, c - a)
    with np.errstate(divide="ignore", invalid="ignore"):
        least: Floats = np.minimum(np.minimum(cross(c - b, p - b), cross(p - a, c - a)), cross(b - a, p - a)) / whole
    return np.nan_to_num(least, nan=-1.0)
