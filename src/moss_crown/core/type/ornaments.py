"""Drawings that ship with the application: rails, cords, rules, rings. Shops of signs and title cards use them all."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from moss_crown.core.type.drawing import HEIGHT, Line, Part

_SIDES = 180
_BLACK = (0.0, 0.0, 0.0)


@dataclass(frozen=True, eq=False)
class Ornament:
    """A drawing by its id, under the name that it is chosen by."""

    id: str
    name: str
    parts: tuple[Part, ...]


def _ring(*points: tuple[float, float]) -> Line:
    return np.array(points, np.float64)


def _box(width: float) -> Line:
    return _ring((-width / 2, 0), (width / 2, 0), (width / 2, HEIGHT), (-width / 2, HEIGHT))


def _circle(radius: float, clockwise: bool = False) -> Line:
    turn = np.linspace(0, 2 * math.pi, _SIDES, endpoint=False) * (-1 if clockwise else 1)
    return np.stack([radius * np.cos(turn), HEIGHT / 2 + radius * np.sin(turn)], 1)


def _lozenge(wide: float) -> Line:
    return _ring((-wide / 2, HEIGHT / 2), (0, 0), (wide / 2, HEIGHT / 2), (0, HEIGHT))


def _taper(side: float) -> Line:
    """Half of a rule: as thick as a third of the lozenge beside it, and nothing at its end."""
    near, far, half = 700.0 * side, 7000.0 * side, 130.0
    points = ((near, 500 - half), (far, 492.0), (far, 508.0), (near, 500 + half))
    return _ring(*(points if side > 0 else points[::-1]))


RAIL, CORD = "emblem-rail", "emblem-cord"
RAIL_SHAPE, CORD_SHAPE = 12.0, 0.05
"""How wide they are for their height."""


def _part(name: str, *rings: Line, lines: tuple[tuple[bool, Line], ...] = ()) -> Part:
    return Part(name, _BLACK, rings, lines)


ORNAMENTS: dict[str, Ornament] = {
    one.id: one
    for one in (
        Ornament(RAIL, "Rail", (_part("rail", _box(RAIL_SHAPE * HEIGHT)),)),
        Ornament(CORD, "Cord", (_part("cord", _box(CORD_SHAPE * HEIGHT)),)),
        Ornament(
            "emblem-rule",
            "Rule",
            (_part("left", _taper(-1)), _part("lozenge", _lozenge(1000)), _part("right", _taper(1))),
        ),
        Ornament(
            "emblem-ring",
            "Ring",
            (_part("ring", _circle(500), _circle(440, clockwise=True), lines=((True, _circle(470, clockwise=True)),)),),
        ),
        Ornament("emblem-disc", "Disc", (_part("disc", _circle(500)),)),
        Ornament("emblem-lozenge", "Lozenge", (_part("lozenge", _lozenge(620)),)),
    )
}
