"""Baselines that bend: a point on a straight line of type to its place and turn on an arc, a drum or a path."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

PathKind: TypeAlias = Literal["straight", "arc", "drum", "path"]
Point: TypeAlias = tuple[float, float]
Floats: TypeAlias = NDArray[np.float64]

FILLED = 1.04
"""A path that fits is this much longer than its longest line."""
CURVE_STEPS = 24
"""Chords of a path between two of its points."""


@dataclass(frozen=True, slots=True)
class Path:
    """A drawn path. The middle of a line lies at the share `at` of its length; `points` are metres, `smooth` ones are
    joined by a curve; with `fit` the path is scaled until the longest line fills it; `below` sets the letters on the
    other side, the other way round."""

    points: tuple[Point, ...] = ()
    closed: bool = False
    smooth: bool = True
    fit: bool = False
    at: float = 0.5
    below: bool = False

    @property
    def there(self) -> bool:
        return len(self.points) > 1

    @property
    def curve(self) -> Floats:
        """(n, 2) metres: close points along it; none where it has too few of its own."""
        return track(self.points, self.closed, self.smooth)[0] if self.there else np.zeros((0, 2))

    @property
    def length(self) -> float:
        return float(track(self.points, self.closed, self.smooth)[1][-1]) if self.there else 0.0

    def scale(self, longest: float) -> float:
        """By how much it is scaled for a longest line of so many metres."""
        return FILLED * longest / self.length if self.fit and self.there and longest > 0 else 1.0


@dataclass(frozen=True, slots=True)
class Baseline:
    """How lines run. `radius` in metres; above 0 the text stands outside the circle, below 0 inside it.

    An arc bends in the plane of the type, a drum goes around an upright axis. The middle of a line stays in front
    (for an arc: on top, or at the bottom inside) and `start` degrees turn it onward: clockwise on an arc, to the right
    on a drum. `spread` gives every letter of a line an equal share of the whole turn, or of the path. `upright` letters
    do not lean.
    """

    kind: PathKind = "straight"
    radius: float = 1.0
    start: float = 0.0
    spread: bool = False
    upright: bool = False
    path: Path = Path()


STRAIGHT = Baseline()


@dataclass(frozen=True, slots=True)
class Seat:
    """A place on a baseline: metres; `turn` about z and `swing` about y in degrees."""

    x: float
    y: float
    z: float = 0.0
    turn: float = 0.0
    swing: float = 0.0


def seat(baseline: Baseline, along: float, above: float, line_length: float, reach: float = 0.0) -> Seat:
    """Where a point of a line goes: `along` metres from the line's middle, `above` the first baseline.

    Concentric lines keep their lengths: each bends at its own radius. `line_length` matters only when lines spread,
    `reach` only on a path: half the length over which its direction is taken.
    """
    if baseline.kind == "straight" or (baseline.kind == "path" and not baseline.path.there):
        return Seat(along, above)
    if baseline.kind == "path":
        return _on_path(baseline, along, above, line_length, reach)
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


def fitted(baseline: Baseline, longest: float) -> Baseline:
    """The baseline with a path that wants to fit scaled to the length of the longest line, in metres."""
    scale = baseline.path.scale(longest) if baseline.kind == "path" else 1.0
    if scale == 1:
        return baseline
    points = tuple((x * scale, y * scale) for x, y in baseline.path.points)
    return replace(baseline, path=replace(baseline.path, points=points))


def _on_path(baseline: Baseline, along: float, above: float, line_length: float, reach: float) -> Seat:
    path = baseline.path
    line, run = track(path.points, path.closed, path.smooth)
    total = float(run[-1])
    if baseline.spread and line_length > 0:
        along *= total / line_length
    way = -1.0 if path.below else 1.0
    at = path.at * total + way * along
    x, y = _at(line, run, at, path.closed)
    reach = max(reach, 1e-4 * total)
    before, after = (_at(line, run, at + side * reach, path.closed) for side in (-1, 1))
    dx, dy = way * (after[0] - before[0]), way * (after[1] - before[1])
    size = math.hypot(dx, dy) or 1.0
    dx, dy = dx / size, dy / size
    return Seat(x - dy * above, y + dx * above, 0.0, 0.0 if baseline.upright else math.degrees(math.atan2(dy, dx)))


def _at(line: Floats, run: Floats, at: float, closed: bool) -> Point:
    """The point of a line so far along it; an open one goes on straight beyond its ends."""
    total = float(run[-1])
    if closed:
        at %= total
    elif at < 0 or at > total:
        end, before = (line[0], line[1]) if at < 0 else (line[-1], line[-2])
        off = -at if at < 0 else at - total
        x, y = end + (end - before) / max(float(np.hypot(*(end - before))), 1e-12) * off
        return float(x), float(y)
    return float(np.interp(at, run, line[:, 0])), float(np.interp(at, run, line[:, 1]))


@lru_cache(maxsize=64)
def track(points: tuple[Point, ...], closed: bool, smooth: bool) -> tuple[Floats, Floats]:
    """A path as (n, 2) close points and the length up to each. The caller must not change them."""
    nodes = np.array(points, np.float64)
    apart = np.hypot(*(nodes - np.roll(nodes, 1, 0)).T) > 1e-9
    apart[0] |= not closed
    nodes = nodes[apart] if apart.sum() > 1 else nodes[:1] + [[0.0, 0.0], [1e-3, 0.0]]
    if smooth and len(nodes) > 2:
        line = _curve(nodes, closed)
    else:
        line = np.vstack([nodes, nodes[:1]]) if closed else nodes
    return line, np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])


def _curve(nodes: Floats, closed: bool) -> Floats:
    """A centripetal Catmull-Rom curve through points (Yuksel, Schaefer and Keyser, 2011): no loops, no cusps."""
    if closed:
        nodes = np.vstack([nodes[-1:], nodes, nodes[:2]])
    else:
        nodes = np.vstack([2 * nodes[0] - nodes[1], nodes, 2 * nodes[-1] - nodes[-2]])
    found = []
    for k in range(len(nodes) - 3):
        p = nodes[k : k + 4]
        knots = np.concatenate([[0.0], np.cumsum(np.sqrt(np.hypot(*np.diff(p, axis=0).T)))])
        t = np.linspace(knots[1], knots[2], CURVE_STEPS, endpoint=False)[:, None]

        def between(a: Floats, b: Floats, i: int, j: int, t: Floats = t, knots: Floats = knots) -> Floats:
            blended: Floats = ((knots[j] - t) * a + (t - knots[i]) * b) / (knots[j] - knots[i])
            return blended

        one, two, three = (between(p[i], p[i + 1], i, i + 1) for i in range(3))
        found.append(between(between(one, two, 0, 2), between(two, three, 1, 3), 1, 2))
    return np.vstack([*found, nodes[-2:-1]])
