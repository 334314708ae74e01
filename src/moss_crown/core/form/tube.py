"""Tubes: a section swept along a letter's outline, or along the strokes of a drawing.

A tube is the band within half its width of a middle line, and a round section is that band's edge profile. So the
exact inset distance keeps it even in thickness at corners, and where tubes run into each other they become one.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from shapely.geometry import LinearRing, LineString, Polygon
from shapely.geometry.base import BaseGeometry

from moss_crown.core.form.outline import Join, Ring, clean, inset
from moss_crown.core.form.profile import Edge

SectionKind: TypeAlias = Literal["round", "square", "flat"]
Line: TypeAlias = tuple[bool, Ring]
"""A middle line: closed or open, and its points."""

ARC = 8
"""Chords of a quarter turn at joints and ends."""
CREST = 0.97
"""A round section's crest is flat from here on, where it is all but flat anyway: edges that met in a ridge exactly
on the middle line would take ten times the triangles."""
SAMPLE = 4.0
"""Distance, in thousandths of an em, of the points by which lengths along a tube are found."""


@dataclass(frozen=True, slots=True)
class Tube:
    """Metres. A round section is an ellipse of `width` and `height`, a square one as high as wide, a flat one a ribbon.

    `offset` moves the middle line outward (below 0: inward); `rows` run side by side, each `gap` further out. `start`
    is where each contour begins, as a share of its length from its highest point on; only the part from `first` to
    `last` is there, with `spread` as much of it on both sides of the start, or of the middle of an open line.
    """

    section: SectionKind = "round"
    width: float = 0.06
    height: float = 0.06
    offset: float = 0.0
    rows: int = 1
    gap: float = 0.09
    start: float = 0.0
    first: float = 0.0
    last: float = 1.0
    spread: bool = False
    segments: int = 5

    @property
    def whole(self) -> Tube:
        """The same tube with nothing left out, its contours begun at their highest points."""
        return replace(self, start=0.0, first=0.0, last=1.0, spread=False)

    @property
    def depth(self) -> float:
        """Metres from the front of a tube to its rear."""
        return self.width if self.section == "square" else self.height

    @property
    def edge(self) -> Edge:
        """The edge that gives the band its section, front and rear."""
        if self.section != "round":
            return Edge()
        return Edge("roundover", CREST * self.width / 2, self.depth / 2, self.segments)


def middle_lines(rings: list[Ring], strokes: list[Line], tube: Tube, unit: float, join: Join) -> list[list[Line]]:
    """The lines along which the tubes of each row run, whole, in thousandths of an em.

    Along the outline at every row's distance, or along strokes where there are any. A row whose inset vanishes has
    none.
    """
    found: list[list[Line]] = []
    for row in range(tube.rows):
        away = (tube.offset + row * tube.gap) / unit
        if strokes:
            lines = [line if abs(away) < 1e-9 else _beside(line, away) for line in strokes]
        else:
            moved = inset(rings, -away, join) if away else rings
            lines = [(True, _from_the_top(ring)) for ring in moved]
        found.append([line for line in lines if len(line[1]) > 1])
    return found


def _from_the_top(ring: Ring) -> Ring:
    """A contour begins at its highest point, the leftmost of several: offsetting would begin it anywhere."""
    return np.roll(ring, -int(np.lexsort((ring[:, 0], -ring[:, 1]))[0]), 0)


def _beside(line: Line, away: float) -> Line:
    closed, points = line
    shape = (LinearRing(points) if closed else LineString(points)).parallel_offset(away, join_style="round")
    longest = max(getattr(shape, "geoms", [shape]), key=lambda g: g.length)
    moved = np.array(longest.coords)
    return (closed, moved[:-1]) if closed and len(moved) > 3 else (False, moved)


def bands(lines: list[Line], tube: Tube, unit: float) -> list[Ring]:
    """The clean outline of everything within half the width of the lines. Ends of open tubes are round."""
    half = tube.width / unit / 2
    rings: list[Ring] = []
    for closed, points in lines:
        if closed and len(points) > 2:
            shape = LinearRing(points).buffer(half, quad_segs=ARC, join_style="round")
        else:
            cap = "round" if tube.section == "round" else "flat"
            shape = LineString(points).buffer(half, quad_segs=ARC, cap_style=cap, join_style="round")
        rings += _rings(shape)
    return clean(rings)


def _rings(shape: BaseGeometry) -> list[Ring]:
    found: list[Ring] = []
    for polygon in getattr(shape, "geoms", [shape]):
        if not isinstance(polygon, Polygon) or polygon.is_empty:
            continue
        exterior = np.array(polygon.exterior.coords)[:-1]
        found.append(exterior if polygon.exterior.is_ccw else exterior[::-1])
        for hole in polygon.interiors:
            inner = np.array(hole.coords)[:-1]
            found.append(inner[::-1] if hole.is_ccw else inner)
    return found


def along(lines: list[Line], points: NDArray[np.float64]) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """How far along its line each point (n, 2) lies, 0 at the start of the nearest line, 1 at its end; and the number
    of that line."""
    places, shares, numbers = [], [], []
    for number, (closed, line) in enumerate(lines):
        whole = np.vstack([line, line[:1]]) if closed else line
        length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(whole, axis=0).T))])
        at = np.linspace(0, length[-1], max(2, int(length[-1] / SAMPLE)))
        places.append(np.stack([np.interp(at, length, whole[:, i]) for i in (0, 1)], 1))
        shares.append(at / length[-1])
        numbers.append(np.full(len(at), number))
    if not places:
        return np.zeros(len(points), np.float32), np.zeros(len(points), np.int64)
    _, nearest = cKDTree(np.vstack(places)).query(points)
    return np.concatenate(shares)[nearest].astype(np.float32), np.concatenate(numbers)[nearest]
