"""Outlines: flattened, united, tidied, with touching corners pulled apart. Thousandths of an em.

A ring is (n, 2) float64, end point not repeated; outer rings run counter-clockwise, holes clockwise.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Literal, TypeAlias

import manifold3d
import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import outer
from moss_crown.core.type.fonts import Face, Point
from moss_crown.core.type.shape import Glyph

Ring: TypeAlias = NDArray[np.float64]
Join: TypeAlias = Literal["sharp", "mitre", "round"]

TOLERANCE = 0.35
"""Largest distance of a chord from its curve."""

FINER = (0.35, 0.17, 0.08, 0.04)
"""Tolerances for letters that are larger in the frame; a few fixed ones, so that solids are shared between frames."""

MITRE_LIMITS = {"sharp": 6.0, "mitre": 2.0}
"""A reflex corner whose mitre would be longer than this many insets is squared off. With "round" it is an arc."""

TIDY = 0.05
MOST_STEPS = 400
SMALLEST_AREA = 4.0
TOUCH = 1e-2
PULL = 0.05
ROUND_SEGMENTS = 64


class Flattener:
    """An outline sink that makes polygons; a curve gets the fewest equal steps that keep within the tolerance.

    Number of steps: the second difference bounds a Bezier segment's distance from its chord (Wang, 1984).
    """

    def __init__(self, tolerance: float = TOLERANCE) -> None:
        self.tolerance = tolerance
        self.rings: list[Ring] = []
        self._points: list[Point] = []

    def move(self, to: Point) -> None:
        self.close()
        self._points = [to]

    def line(self, to: Point) -> None:
        self._points.append(to)

    def quadratic(self, control: Point, to: Point) -> None:
        start, bend, end = np.array(self._points[-1]), np.array(control), np.array(to)
        deviation = float(np.hypot(*(start - 2 * bend + end))) / 4
        self._curve(deviation, lambda t: (1 - t) ** 2 * start + 2 * (1 - t) * t * bend + t**2 * end)

    def cubic(self, first: Point, second: Point, to: Point) -> None:
        a, b, c, d = (np.array(p) for p in (self._points[-1], first, second, to))
        deviation = 0.75 * max(float(np.hypot(*(a - 2 * b + c))), float(np.hypot(*(b - 2 * c + d))))
        self._curve(
            deviation,
            lambda t: (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d,
        )

    def close(self) -> None:
        if len(self._points) > 2:
            self.rings.append(np.array(self._points))
        self._points = []

    def _curve(self, deviation: float, at: Callable[[NDArray[np.float64]], NDArray[np.float64]]) -> None:
        steps = min(MOST_STEPS, max(1, math.ceil(math.sqrt(deviation / self.tolerance))))
        t = np.linspace(0, 1, steps + 1)[1:, None]
        self._points += [(float(x), float(y)) for x, y in at(t)]


def letter_outline(glyphs: tuple[Glyph, ...], fonts: tuple[Face, ...], tolerance: float = TOLERANCE) -> list[Ring]:
    """The clean outline of a letter that may consist of several glyphs (a base and its marks)."""
    sink = Flattener(tolerance)
    for glyph in glyphs:
        fonts[glyph.font].draw(glyph.index, sink, glyph.dx, glyph.dy)
        sink.close()
    return clean(sink.rings)


def clean(paths: list[Ring]) -> list[Ring]:
    """Nonzero union of closed paths: rings that neither cross nor touch, without doubled or straight points."""
    section = manifold3d.CrossSection([path for path in paths if len(path) > 2], manifold3d.FillRule.NonZero)
    rings = [tidy(np.asarray(ring, np.float64), TIDY) for ring in section.to_polygons()]
    return pull_apart([ring for ring in rings if len(ring) > 2 and abs(area(ring)) > SMALLEST_AREA])


def inset(rings: list[Ring], distance: float, join: Join) -> list[Ring]:
    """Move an outline inward by `distance` (outward when negative): zero or more rings, exact up to the join.

    Always offset the original outline, never an inset of it: errors would add up and events would be missed.
    """
    section = manifold3d.CrossSection(rings, manifold3d.FillRule.NonZero)
    kind = manifold3d.JoinType.Round if join == "round" else manifold3d.JoinType.Miter
    moved = section.offset(-distance, kind, MITRE_LIMITS.get(join, 2.0), ROUND_SEGMENTS).to_polygons()
    return [np.asarray(ring, np.float64) for ring in moved]


def shaped(rings: list[Ring], weight: float, fill: bool, wall: float, join: Join) -> list[Ring]:
    """The outline before it gets depth: heavier or lighter by `weight`, counters filled, hollow with a `wall`.

    All in thousandths of an em; a wall of 0 leaves it solid. A letter that would vanish keeps a trace: weight is
    lightened only as far as something remains. Where a wall fills a stem there is no hollow.
    """
    if weight:
        moved = clean(inset(rings, -weight, join))
        while not moved and abs(weight) > 0.5:
            weight *= 0.8
            moved = clean(inset(rings, -weight, join))
        rings = moved or rings
    if fill:
        rings = clean([ring for ring in rings if area(ring) > 0])
    if wall > 0:
        within = [ring[::-1] for ring in clean(inset(rings, wall, join))]
        rings = pull_apart(rings + within)
    return rings


def area(ring: Ring) -> float:
    """Signed area; positive for a counter-clockwise ring (shoelace formula)."""
    x, y = ring[:, 0], ring[:, 1]
    return 0.5 * float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))


def tidy(ring: Ring, nearness: float) -> Ring:
    """Drop doubled points, points (nearly) on the straight way through, and spikes."""
    while len(ring) > 3:
        before, after = np.roll(ring, 1, 0), np.roll(ring, -1, 0)
        arriving, leaving = ring - before, after - ring
        length_in, length_out = np.hypot(*arriving.T), np.hypot(*leaving.T)
        cross = arriving[:, 0] * leaving[:, 1] - arriving[:, 1] * leaving[:, 0]
        along = (arriving * leaving).sum(1)
        doubled = length_in < nearness
        straight = (np.abs(cross) < nearness * 0.05 * (length_in + length_out)) & (along > 0)
        spike = (np.abs(cross) < 1e-3 * length_in * length_out) & (along < 0)
        drop = doubled | straight | spike
        if not drop.any():
            break
        # Two neighbours never go at once: each was judged in the presence of the other. Spikes go regardless.
        keep = ~drop | (np.roll(drop, 1) & ~spike)
        if keep.all():
            break
        ring = ring[keep]
    return ring


def pull_apart(rings: list[Ring]) -> list[Ring]:
    """Corners that touch another part of the outline are pulled back by PULL: outer corners into the letter, hole
    corners into their hole. Touching contours would make the solid non-manifold."""
    for _ in range(3 if rings else 0):
        starts = np.vstack(rings)
        ends = np.vstack([np.roll(ring, -1, 0) for ring in rings])
        previous, offset = [], 0
        for ring in rings:
            previous.append(np.roll(np.arange(len(ring)), 1) + offset)
            offset += len(ring)
        hits = np.zeros(len(starts), np.bool_)
        _touching(hits, starts, ends, np.concatenate(previous), TOUCH)
        if not hits.any():
            break
        moved, offset = [], 0
        for ring in rings:
            moved.append(_pulled(ring, hits[offset : offset + len(ring)]))
            offset += len(ring)
        rings = moved
    return rings


def _pulled(ring: Ring, hits: NDArray[np.bool_]) -> Ring:
    if not hits.any():
        return ring
    leaving = np.roll(ring, -1, 0) - ring
    leaving = leaving / np.hypot(*leaving.T)[:, None]
    arriving = np.roll(leaving, 1, 0)
    normal = np.stack([-leaving[:, 1], leaving[:, 0]], 1)
    bisector = normal + np.roll(normal, 1, 0)
    bisector /= np.maximum(np.hypot(*bisector.T), 0.2)[:, None]
    convex = np.sign(arriving[:, 0] * leaving[:, 1] - arriving[:, 1] * leaving[:, 0])
    return np.asarray(ring + np.where(hits, convex, 0.0)[:, None] * PULL * bisector)


@outer
def _touching(hits, starts, ends, previous, nearness):
    """Which vertices lie on, or at, another part of the outline."""
    count = len(starts)
    for i in range(count):
        x, y = starts[i, 0], starts[i, 1]
        for j in range(count):
            if j == i or j == previous[i]:
                continue
            if min(starts[j, 0], ends[j, 0]) - nearness > x or max(starts[j, 0], ends[j, 0]) + nearness < x:
                continue
            dx, dy = ends[j, 0] - starts[j, 0], ends[j, 1] - starts[j, 1]
            ux, uy = x - starts[j, 0], y - starts[j, 1]
            t = min(1.0, max(0.0, (ux * dx + uy * dy) / (dx * dx + dy * dy + 1e-30)))
            gap_x, gap_y = ux - t * dx, uy - t * dy
            if gap_x * gap_x + gap_y * gap_y < nearness * nearness:
                hits[i] = True
                break
