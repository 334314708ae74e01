"""Zones that every point of a letter feels by itself, as rows before the row of a deformer: see `deform.rows`."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.deform.rows import (
    BACK,
    CLAMP,
    CURVE,
    INTO,
    KIND,
    KNOTS,
    MIX,
    MIXES,
    MOVED,
    OF_ALL,
    ROW,
    RUN,
    SHAPE,
    SHAPES,
    SIZE,
    ZONE,
)
from moss_crown.core.document.deform import DeformStep
from moss_crown.core.document.motion import Zone
from moss_crown.core.motion.poses import Poses, turn_matrix
from moss_crown.core.motion.reach import STRAIGHT, choices
from moss_crown.core.values.curves import ease, through
from moss_crown.core.values.sampling import Frames, sample

Floats = NDArray[np.float64]
LEAST_RUN = 0.1
"""In cap heights: a zone without a run would tear letters."""
_PLACES = np.linspace(0, 1, KNOTS)


def by_point(step: DeformStep, frames: Frames) -> NDArray[np.bool_]:
    """(f): whether points feel the zones of a deformer, each by itself."""
    if not any(isinstance(reach, Zone) for reach in step.reaches):
        return np.zeros(len(frames), np.bool_)
    return np.array([scope == "point" for scope in choices(step.scope, frames)], np.bool_)


def felt_rows(step: DeformStep, frames: Frames, rest: Poses, moved: Callable[[], Poses], height: float) -> Floats:
    """(f, l, k, ROW) the rows by which points of letters feel a deformer's zones; rows of nothing where letters feel
    them as a whole. Letters stand in the world at `rest` (f or 1, l, 4, 4), or where what stands above the deformer has
    `moved` them (f, l, 4, 4); `height` is their cap height."""
    zones = [reach for reach in step.reaches if isinstance(reach, Zone)]
    shaped = step.response != STRAIGHT
    found = np.zeros((len(frames), rest.shape[1], 2 * len(zones) + shaped, ROW))
    for number, zone in enumerate(zones):
        place, curve = found[:, :, 2 * number], found[:, :, 2 * number + 1]
        _lie(place, zone, frames, rest, moved, height)
        inside, beyond = sample(zone.inside, frames)[:, None], sample(zone.outside, frames)[:, None]
        strength = inside + (beyond - inside) * ease(zone.ease, _PLACES)
        strength = 1 - strength if zone.mix == "cut" else strength
        mix = "set" if number == 0 else "multiply" if zone.mix == "cut" else zone.mix
        _say(curve, strength, mix)
    if shaped:
        _say(found[:, :, -1], through(step.response, _PLACES)[None], "set")
        found[:, :, -1, OF_ALL] = 1
    found[:, :, -1, CLAMP] = (~np.array(choices(step.beyond, frames), np.bool_))[:, None]
    found[~by_point(step, frames)] = 0
    return found


def _lie(row: Floats, zone: Zone, frames: Frames, rest: Poses, moved: Callable[[], Poses], height: float) -> None:
    """Write where a zone lies as letters see it, and how large it is, into rows (f, l, ROW)."""
    measures = np.array(choices(zone.measures, frames)) == "moved"
    poses = np.broadcast_to(rest, (len(frames), *rest.shape[1:]))
    if measures.any():
        poses = np.where(measures[:, None, None, None], moved(), poses)
    back = np.array([turn_matrix(turn).T for turn in sample(zone.turn, frames)])[:, None]
    into = np.concatenate([poses[..., :3, :3], poses[..., :3, 3:] - sample(zone.place, frames)[:, None, :, None]], -1)
    row[..., INTO:BACK] = (back @ into).reshape(*row.shape[:2], BACK - INTO)
    row[..., SIZE : SIZE + 3] = np.abs(sample(zone.size, frames))[:, None]
    row[..., RUN] = np.maximum(sample(zone.run, frames), LEAST_RUN * height)[:, None]
    row[..., SHAPE] = np.array([SHAPES[shape] for shape in choices(zone.shape, frames)])[:, None]
    row[..., MOVED] = measures[:, None]
    row[..., KIND] = ZONE


def _say(row: Floats, values: Floats, mix: str) -> None:
    """Write a curve of values (f or 1, KNOTS) into rows (f, l, ROW). The knots beyond its ends go on as it bends."""
    row[..., 1 : KNOTS + 1] = values[:, None]
    v = values.T
    row[..., 0] = (3 * (v[0] - v[1]) + v[2])[:, None]
    row[..., KNOTS + 1] = (3 * (v[-1] - v[-2]) + v[-3])[:, None]
    row[..., MIX] = MIXES[mix]
    row[..., KIND] = CURVE
