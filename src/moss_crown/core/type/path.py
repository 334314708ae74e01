"""Baselines that bend: a point on a straight line of type to its place and turn on an arc or around a drum."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, TypeAlias

PathKind: TypeAlias = Literal["straight", "arc", "drum"]


@dataclass(frozen=True, slots=True)
class Baseline:
    """How lines run. `radius` in metres; above 0 the text stands outside the circle, below 0 inside it.

    An arc bends in the plane of the type, a drum goes around an upright axis. The middle of a line stays in front
    (for an arc: on top, or at the bottom inside) and `start` degrees turn it onward: clockwise on an arc, to the right
    on a drum. `spread` gives every letter of a line an equal share of the whole turn. `upright` letters do not lean.
    """

    kind: PathKind = "straight"
    radius: float = 1.0
    start: float = 0.0
    spread: bool = False
    upright: bool = False


STRAIGHT = Baseline()


@dataclass(frozen=True, slots=True)
class Seat:
    """A place on a baseline: metres; `turn` about z and `swing` about y in degrees."""

    x: float
    y: float
    z: float = 0.0
    turn: float = 0.0
    swing: float = 0.0


def seat(baseline: Baseline, along: float, above: float, line_length: float) -> Seat:
    """Where a point of a line goes: `along` metres from the line's middle, `above` the first baseline.

    Concentric lines keep their lengths: each bends at its own radius. `line_length` matters only when lines spread.
    """
    if baseline.kind == "straight":
        return Seat(along, above)
    start = math.radians(baseline.start)
    if baseline.kind == "arc":
        radius = baseline.radius + above
        angle = start + _share(baseline, along, radius, line_length)
        return Seat(
            radius * math.sin(angle),
            radius * math.cos(angle) - baseline.radius,
            0.0,
            0.0 if baseline.upright else -math.degrees(angle),
        )
    radius = baseline.radius
    angle = start + _share(baseline, along, radius, line_length)
    return Seat(
        radius * math.sin(angle),
        above,
        radius * math.cos(angle) - radius,
        0.0,
        0.0 if baseline.upright else math.degrees(angle),
    )


def _share(baseline: Baseline, along: float, radius: float, line_length: float) -> float:
    if baseline.spread and line_length > 0:
        return math.copysign(2 * math.pi * along / line_length, along * radius)
    nearest = 1e-3  # a line that would shrink to a point turns on the spot instead
    return along / math.copysign(max(abs(radius), nearest), radius)
