"""Edge profiles: how high the front stands at each inset from the outline."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

ProfileKind: TypeAlias = Literal["square", "chamfer", "roundover", "cove", "ogee", "step", "bead", "rim", "drawn"]
Floats: TypeAlias = NDArray[np.float64]
Point: TypeAlias = tuple[float, float]

CURVE: tuple[Point, ...] = ((0.0, 0.0), (0.1, 0.55), (0.45, 0.6), (0.55, 0.9), (1.0, 1.0))
"""What a drawn profile starts as."""


@dataclass(frozen=True, slots=True)
class Edge:
    """A profile's kind and its size: `width` along the face, `height` along the depth, in metres.

    `segments`: chords of each curved part; the number of steps of a step. `curve`: the points of a drawn profile, as
    shares of width and height. Either their first numbers never fall, or their second ones: then it may turn back
    outward and so cut under itself.
    """

    kind: ProfileKind = "square"
    width: float = 0.0
    height: float = 0.0
    segments: int = 1
    curve: tuple[Point, ...] = ()

    @property
    def cuts(self) -> bool:
        """Does it leave anything but a square corner?"""
        return self.kind != "square" and self.width > 0 and self.height > 0

    def scaled(self, factor: float) -> Edge:
        """The same edge, larger or smaller by a factor."""
        return Edge(self.kind, self.width * factor, self.height * factor, self.segments, self.curve)


SQUARE = Edge()


def profile(edge: Edge) -> Floats:
    """(k, 2) pairs of inset and height, from the outline (inset 0) to where the face begins.

    The inset never falls, unless a drawn profile is undercut: then the height never does. Where the inset stays while
    the height changes there is a riser. Heights lie between 0 and `edge.height`.

    A chamfer is one straight cut; a roundover a quarter of an ellipse that bulges, tangent to return and face; a cove
    the same, hollow; an ogee a cove that runs into a roundover; a step has treads and risers; a bead is a half-round
    moulding that comes down to the face; a rim is an upright border around a face that lies deeper.
    """
    if not edge.cuts:
        return np.zeros((1, 2))
    sized: Floats = _shape(edge) * np.array([edge.width, edge.height])
    return sized


def _shape(edge: Edge) -> Floats:
    quarter = np.linspace(0, np.pi / 2, edge.segments + 1)
    bulge = np.stack([1 - np.cos(quarter), np.sin(quarter)], 1)
    hollow = np.stack([np.sin(quarter), 1 - np.cos(quarter)], 1)
    match edge.kind:
        case "chamfer":
            return np.array([[0.0, 0.0], [1.0, 1.0]])
        case "roundover":
            return bulge
        case "cove":
            return hollow
        case "ogee":
            return np.vstack([hollow / 2, bulge[1:] / 2 + 0.5])
        case "step":
            count = edge.segments
            corner = [((k + 1) / count, rise / count) for k in range(count) for rise in (k, k + 1)]
            return np.array([(0.0, 0.0), *corner])
        case "bead":
            half = np.linspace(0, np.pi, 2 * edge.segments + 1)
            rise = np.maximum(np.sin(half), 0)  # sin(pi) is a hair below 0
            return np.stack([(1 - np.cos(half)) / 2, rise], 1)
        case "rim":
            return np.array([[0.0, 1.0], [1.0, 1.0], [1.0, 0.0]])
        case "drawn":
            return np.array(edge.curve or CURVE, np.float64)
        case _:
            return np.zeros((1, 2))


@dataclass(frozen=True)
class Heights:
    """A profile over the levels of a plan.

    `before` and `after` (k): the height just outside and just inside each level; they differ at a riser. `group` (k):
    for band k (between level k and k + 1), how many risers lie outside it. `face`: the first band of the face.
    """

    before: Floats
    after: Floats
    group: NDArray[np.int64]
    face: int

    def lift(self, inset: Floats, group: NDArray[np.int64], levels: Floats) -> Floats:
        """Heights (n) of points with an inset and a group: linear between levels, level beyond the ends of a group."""
        result = np.empty(len(inset))
        for one in np.unique(group):
            bands = np.flatnonzero(self.group == one)
            first, last = bands[0], bands[-1]
            at = levels[first : last + 2]
            height = np.concatenate([self.after[first : last + 1], self.before[last + 1 : last + 2]])
            here = group == one
            result[here] = np.interp(inset[here], at, height[: len(at)])
        return result


NEAR = 0.05
"""Levels nearer than this, in thousandths of an em, are one level: no band is thinner."""
RISER = 1e-9


def merge_levels(*profiles: Floats) -> Floats:
    """The insets at which any of the profiles turns, rising from 0, none nearer to another than NEAR."""
    every = np.sort(np.concatenate([line[:, 0] for line in profiles]))
    levels = [0.0]
    for inset in every:
        if inset > levels[-1] + NEAR:
            levels.append(float(inset))
    return np.array(levels)


def over_levels(line: Floats, levels: Floats) -> Heights:
    """A profile's heights before and after every level of a plan."""
    away = np.abs(line[:, :1] - levels[None])
    snapped = line.copy()
    snapped[:, 0] = np.where(away.min(1) <= NEAR, levels[away.argmin(1)], line[:, 0])
    before, after = np.empty(len(levels)), np.empty(len(levels))
    for k, level in enumerate(levels):
        at = np.flatnonzero(snapped[:, 0] == level)
        if len(at):
            before[k], after[k] = snapped[at[0], 1], snapped[at[-1], 1]
        else:
            before[k] = after[k] = np.interp(level, snapped[:, 0], snapped[:, 1])
    before[0] = after[0]  # a riser on the outline is part of the return
    risers = np.abs(after - before) > RISER
    return Heights(before, after, np.cumsum(risers), int(np.searchsorted(levels, snapped[-1, 0])))


def sloped(line: Floats, run: float) -> Floats:
    """The same profile with every riser leaning inward by `run`: for outlines on which an upright one cannot stand."""
    leaning = line.copy()
    for k in range(1, len(line)):
        if leaning[k, 0] <= leaning[k - 1, 0]:
            leaning[k:, 0] = np.maximum(leaning[k:, 0], leaning[k - 1, 0] + run)
    return leaning


def undercut(line: Floats) -> bool:
    """Does a profile turn back outward?"""
    return bool((np.diff(line[:, 0]) < 0).any())


def leaning(line: Floats, run: float) -> Floats:
    """An undercut profile whose risers lean inward by `run`: no two points in a row have the same inset."""
    moved = line.copy()
    for k in range(1, len(moved)):
        if abs(moved[k, 0] - moved[k - 1, 0]) < run:
            moved[k, 0] = moved[k - 1, 0] + run
    return moved
