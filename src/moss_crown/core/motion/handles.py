"""What of a deformer can be taken hold of in the picture: its centre, and values that are pulled along a line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.deform import (
    BendStep,
    BlastStep,
    CurlStep,
    DeformStep,
    RippleStep,
    TwistStep,
    WaveStep,
    WrapStep,
)
from moss_crown.core.document.motion import Pivot
from moss_crown.core.motion.acts import as_soft
from moss_crown.core.motion.moving import Company, cast_of, pivots_of, row_of
from moss_crown.core.motion.soft import along_of, axes_of
from moss_crown.core.type.lettering import drawn_path
from moss_crown.core.values.sampling import sample, sample_choice

Floats = NDArray[np.float64]
_DEEP = 0.7
"""From this share of its way on a side goes in depth."""
_OVER = 0.75
"""Cap heights from the middle of what bends to a lever over it."""
_WHOLE = 1e-3
"""Metres: what deformers are about is at least so long."""


@dataclass(frozen=True)
class Lever:
    """A value by the name of its member: at 0 its grip stands at `base`, and one more takes it by `way` (3 each).
    `whole` is what stands in its place where it is 0."""

    member: str
    base: Floats
    way: Floats
    whole: float = 0.0


@dataclass(frozen=True)
class Laid:
    """The path that a wrap lies along: close points of it (n, 2) in its own metres, and which way (3 each) a metre to
    the right of its drawing goes, and one up."""

    curve: Floats
    right: Floats
    up: Floats


@dataclass(frozen=True)
class Handles:
    """Those of a deformer. In the world (`letter` -1), or in the own space at rest of a letter, by its number in its
    block. `own` is the centre in the numbers of a pivot's own place, each of them `unit` metres long, along `axes`
    (3, 3), rows. Where it wraps onto a drawn path, that."""

    letter: int
    centre: Floats
    own: Floats
    unit: float
    axes: Floats
    levers: tuple[Lever, ...]
    path: Laid | None = None


def handles(company: Company, step: DeformStep, frame: float) -> Handles | None:
    """Of a deformer at a frame, by the first letter of a block that it bends; None where there is none."""
    setting, at = company.setting, np.array([frame])
    cast = cast_of(setting)
    if not cast.count:
        return None
    row = row_of(company)
    pivots, axes = pivots_of(step.centre, setting, at), axes_of(step, frame)
    low, high = along_of(step, axes[None, None, 0], pivots, as_soft(cast, row))[0, 0]
    levers = _levers(step, frame, float(low), float(high), axes, setting.size)
    path = _path(step, frame, float(high - low), axes)
    turn, place = row.rest[0, :3, :3], row.rest[0, :3, 3]
    if step.space == "world":
        centre = sample(step.centre.own, at)[0]
        return Handles(-1, centre, centre, 1.0, np.eye(3), _from(levers, centre, axes), path)
    own = Pivot(about=step.centre.about, place="own")
    size = setting.size
    shift = turn @ (pivots[0, 0] - pivots_of(own, setting, at)[0, 0])
    if step.space == "letter":
        return Handles(0, pivots[0, 0], turn.T @ shift / size, size, np.eye(3), _from(levers, pivots[0, 0], axes), path)
    block = turn @ pivots[0, 0] + place
    in_block = _from(levers, block, axes)
    in_letter = tuple(Lever(one.member, turn.T @ (one.base - place), turn.T @ one.way, one.whole) for one in in_block)
    path = path and Laid(path.curve, turn.T @ path.right, turn.T @ path.up)
    return Handles(0, pivots[0, 0], shift / size, size, turn.T, in_letter, path)


def _path(step: DeformStep, frame: float, long: float, axes: Floats) -> Laid | None:
    """Along axes (3, 3), rows, for a line so many metres long."""
    if not isinstance(step, WrapStep) or sample_choice(step.onto, frame) != "path":
        return None
    path = drawn_path(step.path, frame)
    return Laid(path.curve, axes[0] * path.scale(long), axes[1] * path.scale(long))


def _from(levers: list[Lever], centre: Floats, axes: Floats) -> tuple[Lever, ...]:
    """Levers along axes (3, 3), rows, about a centre as they stand in the space of both."""
    return tuple(Lever(one.member, centre + one.base @ axes, one.way @ axes, one.whole) for one in levers)


def _seen(axes: Floats) -> tuple[float, float, float]:
    """The way to the side as a lever shows it: one that goes in depth would be seen from its end, and stands upright
    (or level) in its place."""
    if abs(axes[1, 2]) < _DEEP:
        return 0.0, 1.0, 0.0
    return 0.0, 0.0, 1.0 if axes[2, 0] + axes[2, 1] >= 0 else -1.0


def _levers(step: DeformStep, frame: float, low: float, high: float, axes: Floats, size: float) -> list[Lever]:
    """Of a deformer, along its own axes from its centre; what it is about reaches from `low` to `high` along."""
    side, over = _seen(axes), _OVER * size * np.sign(axes[2, 0] + axes[2, 1] or 1.0)

    def lever(member: str, base: tuple[float, ...], way: tuple[float, float, float], whole: float = 0.0) -> Lever:
        return Lever(member, np.array(base), np.array(way), whole)

    whole = max(high - low, _WHOLE)
    match step:
        case BendStep() | TwistStep():
            long = float(sample(step.length, np.array([frame]))[0]) or whole
            turn = 180.0 if isinstance(step, BendStep) else -360.0
            # A bend's ends go to the side: the lever stands where the middle goes.
            return [
                lever("length", (0, 0, 0), (0.5, 0, 0), whole),
                lever("angle", (0, 0, 0), (0, -0.5 * long / turn, 0)),
            ]
        case CurlStep():
            # Over the letters: a roll may begin where the centre is.
            return [lever("rolled", (high, 0, over), (-whole, 0, 0)), lever("radius", (high, 0, over), (1, 0, 0))]
        case WaveStep():
            return [lever("width", (0, 0, 0), (1, 0, 0)), lever("height", (0, 0, 0), side)]
        case WrapStep():
            wrapped = lever("wrapped", (0, 0, 0), (max(high, whole / 2), 0, 0))
            own = sample_choice(step.onto, frame) not in ("stage", "path")
            return [lever("radius", (0, 0, 0), side), wrapped] if own else [wrapped]
        case RippleStep():
            return [lever("size", (0, 0, 0), (1, 0, 0)), lever("height", (0, 0, 0), side)]
        case BlastStep():
            return [lever("outward", (0, 0, 0), (0, 1, 0)), lever("core", (0, 0, 0), (1, 0, 0))]
    raise TypeError(f"{step.id} bends nothing")
