"""Drawings that ship with the application: rails, cords, rules, rings. Shops of signs and title cards use them all."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Line = NDArray[np.float64]
UNITS = 1000.0
_SIDES = 180


@dataclass(frozen=True, eq=False)
class Ornament:
    """A drawing of named parts, each of rings and of the middle lines of its strokes as (closed, points).

    In thousandths of its height, y up, standing on 0, its middle at 0."""

    id: str
    name: str
    parts: tuple[tuple[str, tuple[Line, ...], tuple[tuple[bool, Line], ...]], ...]

    def path(self) -> str:
        """SVG path data of all rings, y downward: a small picture of it."""
        rings = [np.round(ring * (1, -1)).astype(int).tolist() for _, own, _ in self.parts for ring in own]
        return "".join("M" + "L".join(f"{x} {y}" for x, y in ring) + "Z" for ring in rings)

    def box(self) -> list[float]:
        """Left, top, width and height of that picture."""
        every = np.vstack([ring for _, own, _ in self.parts for ring in own])
        (left, bottom), (right, top) = every.min(0), every.max(0)
        return [float(v) for v in (left, -top, right - left, top - bottom)]


def _ring(*points: tuple[float, float]) -> Line:
    return np.array(points, np.float64)


def _box(width: float, bottom: float = 0.0, top: float = UNITS) -> Line:
    return _ring((-width / 2, bottom), (width / 2, bottom), (width / 2, top), (-width / 2, top))


def _circle(radius: float, clockwise: bool = False) -> Line:
    turn = np.linspace(0, 2 * math.pi, _SIDES, endpoint=False) * (-1 if clockwise else 1)
    return np.stack([radius * np.cos(turn), UNITS / 2 + radius * np.sin(turn)], 1)


def _lozenge(wide: float) -> Line:
    return _ring((-wide / 2, UNITS / 2), (0, 0), (wide / 2, UNITS / 2), (0, UNITS))


def _taper(side: float) -> Line:
    """Half of a rule: as thick as a third of the lozenge beside it, and nothing at its end."""
    near, far, half = 700.0 * side, 7000.0 * side, 130.0
    points = ((near, 500 - half), (far, 492.0), (far, 508.0), (near, 500 + half))
    return _ring(*(points if side > 0 else points[::-1]))


RAIL, CORD = "emblem-rail", "emblem-cord"
RAIL_SHAPE, CORD_SHAPE = 12.0, 0.05
"""How wide they are for their height."""

ORNAMENTS: dict[str, Ornament] = {
    one.id: one
    for one in (
        Ornament(RAIL, "Rail", (("rail", (_box(RAIL_SHAPE * UNITS),), ()),)),
        Ornament(CORD, "Cord", (("cord", (_box(CORD_SHAPE * UNITS),), ()),)),
        Ornament(
            "emblem-rule",
            "Rule",
            (
                ("left", (_taper(-1),), ()),
                ("lozenge", (_lozenge(1000),), ()),
                ("right", (_taper(1),), ()),
            ),
        ),
        Ornament(
            "emblem-ring",
            "Ring",
            (("ring", (_circle(500), _circle(440, clockwise=True)), ((True, _circle(470, clockwise=True)),)),),
        ),
        Ornament("emblem-disc", "Disc", (("disc", (_circle(500),), ()),)),
        Ornament("emblem-lozenge", "Lozenge", (("lozenge", (_lozenge(620),), ()),)),
    )
}
