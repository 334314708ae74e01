"""Drawn paths as lines are bent along them: arcs from place to place, which straighten without a change of length.

A path is known by the angle of its tangent over its length: straight pieces, with an arc around each of their corners.
A share of the angle everywhere makes a path that is as long and bent by that share; so lines straighten.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.deform.rows import ARCS
from moss_crown.core.type.path import Path, track

Floats = NDArray[np.float64]
LOOPS = 4
"""So often a closed path is gone around: twice before the middle of the line and twice after it."""
_SHARP = 0.6
_ROUNDED = 1 / 400
"""A corner by more than so many radians is rounded only over this share of the path's length: others are of a curve
that was cut into chords."""
_AT_ONCE = 256


@dataclass(frozen=True)
class Course:
    """A path by its nodes: metres along it (n), from the middle of the line on, and the angle of its tangent there (n),
    linear between; and where the middle of the line lies (2)."""

    along: Floats
    angle: Floats
    middle: Floats


@lru_cache(maxsize=64)
def course(path: Path) -> Course | None:
    """A path as it is drawn, unfitted; None where it has too few points to lead anywhere. The caller must not change
    it."""
    if not path.there:
        return None
    line, run = track(path.points, path.closed, path.smooth)
    at = path.at
    if path.below:
        line, run, at = line[::-1], run[-1] - run[::-1], 1 - at
    if path.closed:
        line = np.vstack([line, *[line[1:]] * (LOOPS - 1)])
        at += LOOPS // 2
    way = np.diff(line, axis=0)
    far = np.hypot(*way.T)
    way, far = way[far > 0], far[far > 0]
    if not len(far):
        return None
    angle = np.unwrap(np.arctan2(way[:, 1], way[:, 0]))
    ends = np.cumsum(far)
    corners = ends[:-1]
    round = np.minimum(far[:-1], far[1:]) / 2
    sharp = np.abs(np.diff(angle)) > _SHARP
    round[sharp] = np.minimum(round[sharp], _ROUNDED * run[-1])
    along = np.stack([corners - round, corners + round], 1).ravel()
    turned = np.stack([angle[:-1], angle[1:]], 1).ravel()
    along = np.concatenate([[0.0], along, ends[-1:]])
    turned = np.concatenate([angle[:1], turned, angle[-1:]])
    here = at * run[-1]
    # Straightened, a line runs on level: of all angles of its middle's tangent the smallest.
    turned -= 2 * np.pi * np.round(np.interp(here, along, turned) / (2 * np.pi))
    place = np.array([np.interp(here, np.concatenate([[0.0], ends]), values) for values in _places(line).T])
    return Course(along - here, turned, place)


def _places(line: Floats) -> Floats:
    """The points of a line without repetitions."""
    return np.asarray(line[np.concatenate([[True], np.hypot(*np.diff(line, axis=0).T) > 0])])


def laid_along(course: Course, share: Floats, scale: Floats, begun: Floats, apart: Floats) -> Floats:
    """(m, ARCS + 1, 3): x, y and the angle of the tangent at places along a line, each row bent by a share (m) of a
    path that is scaled (m), from `begun` metres (m) of the line on and so far apart (m).

    From one place to the next it is one arc. All of it is a matter of its own row: the same bits among any others.
    """
    found = np.empty((len(share), ARCS + 1, 3))
    at = (begun[:, None] + apart[:, None] * np.arange(ARCS + 1)) / scale[:, None]
    angle = share[:, None] * np.interp(at, course.along, course.angle)
    found[..., 2] = angle
    shares, of = np.unique(share, return_inverse=True)
    for first in range(0, len(shares), _AT_ONCE):
        begin = _from_middle(course, shares[first : first + _AT_ONCE])
        own = np.flatnonzero((of >= first) & (of < first + _AT_ONCE))
        found[own, 0, :2] = _place(course, begin, share[own], of[own] - first, at[own, 0]) * scale[own, None]
    steps = _chord(angle[:, :-1], angle[:, 1:], apart[:, None])
    found[:, 1:, :2] = found[:, :1, :2] + np.cumsum(steps, 1)
    return found


def _from_middle(course: Course, shares: Floats) -> Floats:
    """(s, n, 2): the nodes of a path bent by each of some shares."""
    angle = shares[:, None] * course.angle
    places = np.zeros((*angle.shape, 2))
    places[:, 1:] = np.cumsum(_chord(angle[:, :-1], angle[:, 1:], np.diff(course.along)), 1)
    zero = np.zeros(len(shares))
    middle = _place(course, places, shares, np.arange(len(shares)), zero)
    return np.asarray(places + (shares[:, None] * course.middle - middle)[:, None])


def _place(course: Course, places: Floats, share: Floats, of: NDArray[np.int64], at: Floats) -> Floats:
    """(m, 2) where on bent paths, of the nodes places[of], each row is at so many metres (m); straight beyond."""
    along = course.along
    k = np.clip(np.searchsorted(along, at, "right") - 1, 0, len(along) - 2)
    on = np.clip(at, along[0], along[-1])
    begin = share * course.angle[k]
    end = share * np.interp(on, along, course.angle)
    beyond = np.stack([np.cos(end), np.sin(end)], 1) * (at - on)[:, None]
    return np.asarray(places[of, k] + _chord(begin, end, on - along[k]) + beyond)


def _chord(begin: Floats, end: Floats, length: Floats) -> Floats:
    """(..., 2) from the begin of arcs to their ends, by the angles of their tangents there and their lengths."""
    middle = (begin + end) / 2
    long = length * np.sinc((end - begin) / (2 * np.pi))
    return np.stack([np.asarray(long * np.cos(middle)), np.asarray(long * np.sin(middle))], -1)
