"""Plans of even density: triangles of one size and good shape, ready to be bent, melted or broken.

The outline and every inset ring are resampled evenly between their corners, the face gets a hexagonal lattice, the
ridge gets points as far apart; one constrained Delaunay triangulation joins them, and face points move to the middle
of their neighbours (Laplacian smoothing) before it is done once more.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from moss_crown.core.form.field import InsetField
from moss_crown.core.form.mesh import FloatN2, unpack
from moss_crown.core.form.outline import Join, Ring, area, inset, tidy
from moss_crown.core.form.plan import Plan, advanced, name_bands, triangulate
from moss_crown.core.form.profile import NEAR, over_levels, undercut
from moss_crown.core.form.refine import Front, Seen, find_kinks, find_peaks

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

CORNER = math.radians(28.0)
"""A vertex at which a ring turns by more is kept where it is."""
SAGITTA = 1.0
"""How far, in thousandths of an em, an edge may leave its curve before points come closer than asked for."""
CLOSEST = 0.25
"""Points never come closer than this share of the edge asked for, whatever the curve."""
CLEAR = 0.6
"""Lattice points keep this share of the edge away from the rings."""
APART = 0.38
"""And points of the ridge this share from everything."""
RIDGE_TOLERANCE = 0.06
SMOOTHINGS = 3
SHARP_PROFILE = math.radians(40.0)


def even_levels(lines: list[Floats], edge: float) -> tuple[Floats, float]:
    """Insets for a plan: where the profiles turn sharply, and between so that no band is much wider than an edge.

    With the width of the narrowest band, along the profile. Lines in thousandths of an em, both ways.
    """
    found = [0.0]
    every = np.sort(np.concatenate([_even_line(line, edge)[:, 0] for line in lines]))
    for value in every:
        if value > found[-1] + NEAR:
            found.append(float(value))
    levels = np.array(found)
    widths = [edge]
    for line in lines:
        if undercut(line):
            continue
        heights = over_levels(line, levels)
        widths += np.hypot(np.diff(levels), heights.before[1:] - heights.after[:-1]).tolist()
    return levels, min(widths)


def _even_line(line: Floats, edge: float) -> Floats:
    """Points of a profile at even distances between its sharp turns."""
    if len(line) < 2:
        return line
    steps = np.diff(line, axis=0)
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*steps.T))])
    before, after = steps[:-1], steps[1:]
    turn = np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(1))
    ends = [0, *(1 + np.flatnonzero(np.abs(turn) > SHARP_PROFILE)).tolist(), len(line) - 1]
    at = [0.0]
    for first, last in pairwise(ends):
        count = max(1, round(float(length[last] - length[first]) / edge))
        at += np.linspace(length[first], length[last], count + 1)[1:].tolist()
    return np.stack([np.interp(at, length, line[:, i]) for i in (0, 1)], 1)


def even_plan(rings: list[Ring], levels: Floats, narrowest: float, edge: float, join: Join) -> Plan:
    """Triangulate an outline with its insets at `levels`, all edges about as long as `edge` (thousandths of an em).

    Where bands are narrow, their points come closer, so that triangles keep their shape.
    """
    spacing = float(np.clip(2.2 * narrowest, edge / 2.5, edge))
    base = [_resampled(ring, spacing) for ring in rings]
    base = [new if len(new) > 2 and area(new) * area(old) > 0 else old for new, old in zip(base, rings, strict=True)]
    top = float(levels[-1])
    field = InsetField(base, top, join)
    points, distance, constraints, connectors, ringed = _ring_points(base, levels, join, spacing)
    lattice = _lattice(base, top, edge, join, points)
    points = np.vstack([points, lattice])
    distance = np.concatenate([distance, np.full(len(lattice), top)])
    faced = len(points)
    for turn in range(3):
        placed, triangles, fixed = triangulate(points, constraints, connectors)
        if len(placed) > len(points):
            distance = np.concatenate([distance, field(placed[len(points) :])])
            constraints = np.stack(unpack(fixed), 1)
        triangles, band = name_bands(placed, triangles, fixed, field, levels)
        if turn == 2 or top <= 0:
            break
        wanted = _ridge_points(Front(placed, triangles, distance, band), fixed, field, levels, edge, spacing)
        if not len(wanted):
            break
        points = np.vstack([placed, wanted])
        distance = np.concatenate([distance, field(wanted)])
    moved = _smoothed(placed, triangles, ringed, faced)
    again, renewed, fixed_again = triangulate(moved, np.stack(unpack(fixed), 1), connectors)
    if len(again) == len(moved):
        placed = again
        triangles, band = name_bands(again, renewed, fixed_again, field, levels)
    return Plan(placed, triangles, distance, band)


def _corners(ring: Ring) -> Ints:
    leaving = np.roll(ring, -1, 0) - ring
    arriving = np.roll(leaving, 1, 0)
    cross = arriving[:, 0] * leaving[:, 1] - arriving[:, 1] * leaving[:, 0]
    return np.flatnonzero(np.abs(np.arctan2(cross, (arriving * leaving).sum(1))) > CORNER)


def _resampled(ring: Ring, spacing: float) -> Ring:
    """Evenly spaced between corners; closer, down to CLOSEST, where the chord would leave the curve."""
    corners = _corners(ring)
    lone = len(corners) < 2
    if len(corners) == 0:
        corners = np.array([int(ring[:, 0].argmin())])
    parts = []
    for a, b in zip(corners, np.roll(corners, -1), strict=True):
        index = np.arange(a, b + (len(ring) if b <= a else 0) + 1) % len(ring)
        parts.append(_resampled_run(ring[index], spacing, lone))
    return np.vstack(parts)


def _resampled_run(run: FloatN2, spacing: float, lone: bool) -> FloatN2:
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(run, axis=0).T))])
    least = 3 if lone else 1
    if len(run) > 2:
        heading = np.arctan2(*np.diff(run, axis=0).T[::-1])
        turn = np.abs((np.diff(heading) + np.pi) % (2 * np.pi) - np.pi)
        curvature = turn / np.maximum((length[2:] - length[:-2]) / 2, 1e-9)
        wanted = np.minimum(spacing, np.sqrt(8 * SAGITTA / np.maximum(curvature, 1e-9)))
        wanted = np.maximum(wanted, CLOSEST * spacing)
        density = np.interp((length[1:] + length[:-1]) / 2, length[1:-1], 1 / wanted)
        for _ in range(2):
            before, after = np.concatenate([density[:1], density[:-1]]), np.concatenate([density[1:], density[-1:]])
            density = np.maximum(density, (before + after) / 2)
        counted = np.concatenate([[0.0], np.cumsum(density * np.diff(length))])
        count = max(least, round(float(counted[-1])))
        at = np.interp(np.linspace(0, counted[-1], count + 1)[:-1], counted, length)
    else:
        count = max(least, round(float(length[-1]) / spacing))
        at = np.linspace(0, length[-1], count + 1)[:-1]
    return np.stack([np.interp(at, length, run[:, i]) for i in (0, 1)], 1)


def _sharp(rings: list[Ring], gap: float) -> tuple[FloatN2, FloatN2]:
    """The corners of rings, and where they are when every edge has moved inward by `gap`."""
    rings = [ring for ring in rings if len(ring) > 2]
    if not rings:
        return np.zeros((0, 2)), np.zeros((0, 2))
    chosen = [_corners(ring) for ring in rings]
    moved = [advanced([ring], gap) for ring in rings]
    return (
        np.vstack([ring[k] for ring, k in zip(rings, chosen, strict=True)]),
        np.vstack([ring[k] for ring, k in zip(moved, chosen, strict=True)]),
    )


def _ring_points(
    base: list[Ring], levels: Floats, join: Join, spacing: float
) -> tuple[FloatN2, Floats, Ints, Ints, int]:
    """Points of all rings with their insets, the rings as constraints, and corner lines between them as connectors."""
    rings_at: list[list[Ring]] = [base]
    hips: list[Floats] = []
    gap = float(levels[1]) if len(levels) > 1 else 0.0
    corner, predicted = _sharp(base, gap)
    for k, level in enumerate(levels[1:], 1):
        rings = [tidy(ring, 0.02) for ring in inset(base, float(level), join)]
        ahead = float(levels[k + 1] - level) if k + 1 < len(levels) else 0.0
        here, next_predicted = _sharp(rings, ahead)
        if len(corner) and len(here):
            away, nearest = cKDTree(here).query(predicted)
            met = away < 0.05 * (level - levels[k - 1]) + 0.02
            hips.append(np.hstack([corner[met], here[nearest[met]]]))
        corner, predicted = here, next_predicted
        rings = [_resampled(r, spacing) for r in rings if len(r) > 2 and abs(area(r)) > 0.05 * spacing**2]
        rings_at.append([ring for ring in rings if len(ring) > 2])
    edges, level_of, count = [], [], 0
    for k, rings in enumerate(rings_at):
        for ring in rings:
            index = np.arange(len(ring)) + count
            edges.append(np.stack([index, np.roll(index, -1)], 1))
            level_of += [k] * len(ring)
            count += len(ring)
    points = np.vstack([ring for rings in rings_at for ring in rings])
    distance = levels[np.array(level_of)]
    _, keep, inverse = np.unique(
        np.round(points / 1e-3).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    points, distance = points[keep], distance[keep]
    constraints = inverse.ravel()[np.vstack(edges)]
    constraints = constraints[constraints[:, 0] != constraints[:, 1]]
    connectors = np.zeros((0, 2), np.int64)
    if hips:
        lines = np.vstack(hips)
        tree = cKDTree(points)
        (off_a, a), (off_b, b) = tree.query(lines[:, :2]), tree.query(lines[:, 2:])
        good = (off_a < 2e-3) & (off_b < 2e-3) & (a != b)
        connectors = np.stack([a[good], b[good]], 1)
    return points, distance, constraints, connectors, len(points)


def _lattice(base: list[Ring], top: float, edge: float, join: Join, rings: FloatN2) -> FloatN2:
    """A hexagonal lattice on the face, clear of its rim."""
    core = inset(base, top + 0.55 * edge, join)
    if not core:
        return np.zeros((0, 2))
    (left, low), (right, high) = np.vstack(core).min(0), np.vstack(core).max(0)
    rows = np.arange(low, high + edge, edge * math.sqrt(3) / 2)
    across, up = np.meshgrid(np.arange(left, right + edge, edge), rows)
    across = across + (np.arange(len(rows)) % 2)[:, None] * edge / 2
    grid = np.stack([across.ravel(), up.ravel()], 1)
    inside = np.zeros(len(grid), bool)
    for ring in core:
        inside ^= shapely.contains_xy(shapely.Polygon(ring), grid[:, 0], grid[:, 1])
    grid = grid[inside]
    return grid[cKDTree(rings).query(grid)[0] > CLEAR * edge] if len(grid) else grid


def _ridge_points(front: Front, fixed: Ints, field: InsetField, levels: Floats, edge: float, spacing: float) -> FloatN2:
    """Points on the ridge, worst first, none nearer to anything than a share of the spacing."""
    tolerance = RIDGE_TOLERANCE * edge
    kinks = find_kinks(front, fixed, field, levels, tolerance, Seen())
    _, inner, error = find_peaks(front, field, levels, tolerance, Seen())
    candidate = np.vstack([kinks.worst, inner])
    if not len(candidate):
        return candidate
    candidate = candidate[np.argsort(-np.concatenate([kinks.error, error]), kind="stable")]
    keep = cKDTree(front.points).query(candidate)[0] > APART * spacing
    pairs = np.sort(cKDTree(candidate).query_pairs(APART * spacing, output_type="ndarray"), 1)
    for better, worse in sorted(map(tuple, pairs.tolist())):
        if keep[better]:
            keep[worse] = False
    return np.asarray(candidate[keep])


def _smoothed(points: FloatN2, triangles: Ints, first: int, last: int) -> FloatN2:
    """Points `first` to `last`, those of the lattice, moved to the middle of their neighbours."""
    movable = np.zeros(len(points), bool)
    movable[first:last] = True
    ends = np.vstack([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    degree = np.bincount(ends[:, 0], minlength=len(points))
    for _ in range(SMOOTHINGS):
        total = np.stack([np.bincount(ends[:, 0], points[ends[:, 1], i], len(points)) for i in (0, 1)], 1)
        middle = total / np.maximum(degree, 1)[:, None]
        points = np.where(movable[:, None] & (degree[:, None] > 0), middle, points)
    return points
