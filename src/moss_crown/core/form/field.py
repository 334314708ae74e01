"""The inset distance: how far the outline has to move inward until it reaches a point.

For a point it is the least of what every edge strip and every reflex-corner wedge says, under the join rule of the
offset itself, so that its level sets are exactly the rings that `outline.inset` gives. (Grassfire distance with the
joins of polygon offsetting; see Aichholzer and Aurenhammer 1996 for the roof it describes.)
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import outer, outer_with
from moss_crown.core.form.outline import MITRE_LIMITS, Join, Ring


class InsetField:
    """The inset distance f of an outline, exact where f <= `top`; beyond, anything above `top`."""

    def __init__(self, rings: list[Ring], top: float, join: Join) -> None:
        self.elements = _elements(rings)
        self.top = top
        self._limit = MITRE_LIMITS.get(join, 0.0)
        reach = top * max(self._limit, 1.0) + 1.0
        low = self.elements[:, :2].min(0) - 1
        high = self.elements[:, :2].max(0) + 1
        self._cell = max(8.0, reach / 3, float((high - low).max()) / 64)
        self._low = low
        self._cells = np.maximum(1, np.ceil((high - low) / self._cell)).astype(np.int64)
        columns, rows = self._cells
        where = (self.elements, reach, self._cell, low[0], low[1], columns, rows)
        counts = np.zeros(columns * rows, np.int64)
        _bucket(*where, counts, np.empty(0, np.int32))
        self._starts = np.concatenate([np.zeros(1, np.int64), np.cumsum(counts)])
        self._members = np.empty(self._starts[-1], np.int32)
        _bucket(*where, self._starts[:-1].copy(), self._members)

    def __call__(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n, 2) points inside the outline -> (n) inset distances."""
        distances = np.empty(len(points))
        _distance(
            distances,
            np.ascontiguousarray(points),
            self.elements,
            self._limit,
            self.top,
            self._starts,
            self._members,
            self._cell,
            self._low[0],
            self._low[1],
            self._cells[0],
            self._cells[1],
        )
        return distances

    def winding(self, points: NDArray[np.float64]) -> NDArray[np.int64]:
        """(n, 2) points -> (n) winding numbers; above 0 is inside."""
        numbers = np.zeros(len(points), np.int64)
        _winding(numbers, np.ascontiguousarray(points), self.elements)
        return numbers


def _elements(rings: list[Ring]) -> NDArray[np.float64]:
    start = np.vstack(rings)
    end = np.vstack([np.roll(ring, -1, 0) for ring in rings])
    before = np.vstack([np.roll(ring, 1, 0) for ring in rings])
    direction = end - start
    length = np.hypot(*direction.T)
    direction /= length[:, None]
    arriving = start - before
    arriving /= np.hypot(*arriving.T)[:, None]
    return np.ascontiguousarray(np.hstack([start, direction, length[:, None], arriving]))


@outer
def _bucket(elements, reach, cell, x0, y0, columns, rows, place, members):
    """The elements that may decide f in each of a grid's cells, put from its `place` on among `members`; or counted
    there where these have no room yet."""
    for j in range(len(elements)):
        ax, ay = elements[j, 0], elements[j, 1]
        dx, dy, length = elements[j, 2], elements[j, 3], elements[j, 4]
        bx, by = ax + dx * length, ay + dy * length
        first_x = max(0, int((min(ax, bx) - reach - x0) // cell))
        last_x = min(columns - 1, int((max(ax, bx) + reach - x0) // cell))
        first_y = max(0, int((min(ay, by) - reach - y0) // cell))
        last_y = min(rows - 1, int((max(ay, by) + reach - y0) // cell))
        for p in range(first_x, last_x + 1):
            for q in range(first_y, last_y + 1):
                cx, cy = x0 + (p + 0.5) * cell - ax, y0 + (q + 0.5) * cell - ay
                t = min(max(cx * dx + cy * dy, 0.0), length)
                gap_x, gap_y = cx - t * dx, cy - t * dy
                if gap_x * gap_x + gap_y * gap_y > (reach + 0.7072 * cell) ** 2:
                    continue
                if len(members) > 0:
                    members[place[p * rows + q]] = j
                place[p * rows + q] += 1


@outer_with(fastmath=True)
def _distance(result, points, elements, limit, top, starts, members, cell, x0, y0, columns, rows):
    for i in range(len(points)):
        x, y = points[i, 0], points[i, 1]
        best = top * 1.001 + 1e-3
        column = min(columns - 1, max(0, int((x - x0) // cell)))
        row = min(rows - 1, max(0, int((y - y0) // cell)))
        c = column * rows + row
        for k in range(starts[c], starts[c + 1]):
            j = members[k]
            ux, uy = x - elements[j, 0], y - elements[j, 1]
            dx, dy = elements[j, 2], elements[j, 3]
            along = ux * dx + uy * dy
            if 0.0 <= along <= elements[j, 4]:
                best = min(best, abs(dx * uy - dy * ux))
            elif along < 0.0:
                px, py = elements[j, 5], elements[j, 6]
                if ux * px + uy * py > 0.0 and px * dy - py * dx < 0.0:  # in the wedge of a reflex corner
                    radius = math.sqrt(ux * ux + uy * uy)
                    if limit > 0.0:
                        wedge = max(px * uy - py * ux, dx * uy - dy * ux)
                        nx, ny = -py - dy, px + dx
                        size = math.sqrt(nx * nx + ny * ny)
                        if size < 2.0 / limit:  # past the limit: the corner is squared off
                            if size > 1e-9:
                                wedge = max(wedge, (ux * nx + uy * ny) / size)
                            else:
                                wedge = max(wedge, radius)
                    else:
                        wedge = radius
                    best = min(best, wedge)
        result[i] = best


@outer
def _winding(result, points, elements):
    """Winding numbers by ray crossing (Sunday, 2001), added to zeros."""
    for i in range(len(points)):
        x, y = points[i, 0], points[i, 1]
        for j in range(len(elements)):
            ax, ay = elements[j, 0], elements[j, 1]
            bx = ax + elements[j, 2] * elements[j, 4]
            by = ay + elements[j, 3] * elements[j, 4]
            side = (bx - ax) * (y - ay) - (x - ax) * (by - ay)
            if ay <= y < by and side > 0:
                result[i] += 1
            elif by <= y < ay and side < 0:
                result[i] -= 1
