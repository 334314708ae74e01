"""Follow-through: what a damped oscillator, or a lag, makes of moving targets, exactly at any moment.

Between the points of a fixed grid each target is taken as a parabola through three of its values; for that the answer
of the oscillator is a closed form, so that no error of integration arises and any moment can be asked for. The grid is
so fine, and lies so on the frames, that a cadence's kinks fall on its points.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import inner, outer
from moss_crown.core.values.sampling import Frames

Floats = NDArray[np.float64]
FINENESS = 96.0
"""Intervals a second, at least."""
QUARTERS = 4
"""Each frame is cut in a multiple of this, so that starts at halves and quarters of a frame fall on the grid."""


def pieces(fps: float) -> int:
    """Intervals a frame."""
    return QUARTERS * max(1, math.ceil(FINENESS / fps / QUARTERS))


def grid(first: float, until: float, fps: float) -> Frames:
    """Frames at which targets are needed: the ends and middles of all intervals from `first` to past `until`."""
    a_frame = pieces(fps)
    intervals = max(1, math.ceil((until - first) * a_frame - 1e-9) + 1)
    return first + np.arange(2 * intervals + 1) / (2 * a_frame)


def followed(
    targets: Floats,
    frames: Frames,
    first: float,
    fps: float,
    springs: NDArray[np.bool_],
    frequency: Floats,
    second: Floats,
) -> Floats:
    """What follows targets, at frames.

    targets (2 g + 1, c) on `grid`; for each of the g intervals: springs whether it is one, frequency the undamped
    tempo in Hz or for a lag its time constant in seconds, second the damping ratio (of a spring). At first all is at
    rest on the target. Answers (f, c); before `first` the first target. No frame lies beyond the grid.
    """
    a_frame = pieces(fps)
    places = (frames - first) * a_frame
    answer = np.empty((len(frames), targets.shape[1]))
    order = np.argsort(places, kind="stable")
    _follow(
        targets[0].copy(),
        np.zeros(targets.shape[1]),
        np.ascontiguousarray(targets),
        places[order],
        order,
        1.0 / (a_frame * fps),
        springs.astype(np.bool_),
        np.ascontiguousarray(frequency),
        np.ascontiguousarray(second),
        answer,
    )
    return answer


def moving(targets: Floats) -> NDArray[np.bool_]:
    """(c): does a series ever leave where it begins?"""
    found = np.zeros(targets.shape[1], np.bool_)
    _find_moving(found, targets)
    return found


@outer
def _find_moving(found, targets):
    series = targets.shape[1]
    still = series
    for row in range(1, len(targets)):
        for c in range(series):
            if not found[c] and targets[row, c] != targets[0, c]:
                found[c] = True
                still -= 1
        if still == 0:
            break


@inner
def _step(spring, frequency, ratio, s):
    """What becomes of a displacement and a speed that are left to themselves for s seconds: a 2x2 matrix."""
    if not spring:
        e = math.exp(-s / frequency)
        return e, 0.0, 0.0, 0.0
    omega = 2 * math.pi * frequency
    if ratio < 1:
        wd = omega * math.sqrt(1 - ratio * ratio)
        e = math.exp(-ratio * omega * s)
        c, n = e * math.cos(wd * s), e * math.sin(wd * s) / wd
    elif ratio > 1:
        wd = omega * math.sqrt(ratio * ratio - 1)
        # As sums of exponentials that fall: cosh and sinh alone would overflow.
        slow, fast = math.exp((wd - ratio * omega) * s), math.exp(-(wd + ratio * omega) * s)
        c, n = 0.5 * (slow + fast), 0.5 * (slow - fast) / wd
    else:
        e = math.exp(-omega * s)
        c, n = e, e * s
    return c + ratio * omega * n, n, -omega * omega * n, c - ratio * omega * n


@inner
def _forced(step, spring, frequency, ratio, h, s):
    """What a target that runs from 0 along a parabola, through d1 after h / 2 and d2 after h, does in s seconds to what
    is at rest at 0: (p1, p2, q1, q2), a displacement of p1 d1 + p2 d2 and a speed of q1 d1 + q2 d2. `step`: what
    becomes in that time of what is left to itself."""
    e11, e12, e21, e22 = step
    p1 = p2 = q1 = q2 = 0.0
    for k in range(2):
        d1, d2 = 1.0 - k, 1.0 * k
        a, b = (4 * d1 - d2) / h, 2 * (d2 - 2 * d1) / (h * h)
        # The parabola c0 + c1 s + b s² that follows the target a s + b s² without any swinging.
        if spring:
            omega = 2 * math.pi * frequency
            c1 = a - 4 * ratio * b / omega
            c0 = -2 * ratio * c1 / omega - 2 * b / (omega * omega)
        else:
            c1 = a - 2 * b * frequency
            c0 = -c1 * frequency
        p1, p2 = p2, c0 + (c1 + b * s) * s - e11 * c0 - e12 * c1
        q1, q2 = q2, c1 + 2 * b * s - e21 * c0 - e22 * c1
    return p1, p2, q1, q2


@inner
def _moved(x, v, u0, um, u1, step, forced, answer):
    e11, e12, p1, p2 = step[0], step[1], forced[0], forced[1]
    for c in range(len(x)):
        answer[c] = u0[c] + e11 * (x[c] - u0[c]) + e12 * v[c] + p1 * (um[c] - u0[c]) + p2 * (u1[c] - u0[c])


@inner
def _gone_on(x, v, u0, um, u1, step, forced):
    (e11, e12, e21, e22), (p1, p2, q1, q2) = step, forced
    for c in range(len(x)):
        y, w, d1, d2 = x[c] - u0[c], v[c], um[c] - u0[c], u1[c] - u0[c]
        x[c] = u0[c] + e11 * y + e12 * w + p1 * d1 + p2 * d2
        v[c] = e21 * y + e22 * w + q1 * d1 + q2 * d2


@inner
def _stand(x, answer, row):
    for c in range(len(x)):  # one by one: whole rows at once take numba two seconds more to compile
        answer[row, c] = x[c]


@outer
def _follow(x, v, targets, places, order, h, springs, frequency, second, answer):
    """All of it is linear in the targets and in what is left of the motion: what a step makes of them is worked out
    once, and is the same for every series. x, v: where all stands at first, and how fast it goes."""
    intervals = (targets.shape[0] - 1) // 2
    asked = 0
    while asked < len(places) and places[asked] < 0:
        _stand(x, answer, order[asked])
        asked += 1
    step, forced = (1.0, 0.0, 0.0, 1.0), (0.0, 0.0, 0.0, 0.0)
    for k in range(intervals):
        if asked >= len(places):
            break
        spring, tempo, ratio = springs[k], frequency[k], second[k]
        if k == 0 or spring != springs[k - 1] or tempo != frequency[k - 1] or ratio != second[k - 1]:
            step = _step(spring, tempo, ratio, h)
            forced = _forced(step, spring, tempo, ratio, h, h)
        u0, um, u1 = targets[2 * k], targets[2 * k + 1], targets[2 * k + 2]
        while asked < len(places) and places[asked] < k + 1:
            s = (places[asked] - k) * h
            row = order[asked]
            asked += 1
            if s == 0:  # the same bits as where the grid ends here
                _stand(x, answer, row)
                continue
            part = _step(spring, tempo, ratio, s)
            _moved(x, v, u0, um, u1, part, _forced(part, spring, tempo, ratio, h, s), answer[row])
        _gone_on(x, v, u0, um, u1, step, forced)
    while asked < len(places):
        _stand(x, answer, order[asked])
        asked += 1
