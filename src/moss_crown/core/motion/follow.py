"""Follow-through: what a damped oscillator, or a lag, makes of moving targets, exactly at any moment.

Between the points of a fixed grid each target is taken as a parabola through three of its values; for that the answer
of the oscillator is a closed form, so that no error of integration arises and any moment can be asked for. The grid is
so fine, and lies so on the frames, that a cadence's kinks fall on its points.
"""

from __future__ import annotations

import math

import numba
import numpy as np
from numpy.typing import NDArray

from moss_crown.core.motion.values import Frames

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


@numba.njit(cache=True)
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


@numba.njit(cache=True)
def _steady(spring, frequency, ratio, u0, a, b):
    """The parabola c0 + c1 s + c2 s² that follows the target u0 + a s + b s² without any swinging."""
    if not spring:
        c1 = a - 2 * b * frequency
        return u0 - c1 * frequency, c1, b
    omega = 2 * math.pi * frequency
    c1 = a - 4 * ratio * b / omega
    return u0 - 2 * ratio * c1 / omega - 2 * b / (omega * omega), c1, b


@numba.njit(cache=True)
def _follow(targets, places, order, h, springs, frequency, second, answer):
    intervals, series = (targets.shape[0] - 1) // 2, targets.shape[1]
    x, v = targets[0].copy(), np.zeros(series)
    asked = 0
    while asked < len(places) and places[asked] < 0:
        answer[order[asked]] = x
        asked += 1
    e11, e12, e21, e22 = 1.0, 0.0, 0.0, 1.0
    for k in range(intervals):
        if asked >= len(places):
            break
        spring, tempo, ratio = springs[k], frequency[k], second[k]
        if k == 0 or spring != springs[k - 1] or tempo != frequency[k - 1] or ratio != second[k - 1]:
            e11, e12, e21, e22 = _step(spring, tempo, ratio, h)
        while asked < len(places) and places[asked] < k + 1:
            s = (places[asked] - k) * h
            f11, f12, _, _ = _step(spring, tempo, ratio, s)
            row = order[asked]
            asked += 1
            if s == 0:  # the same bits as where the grid ends here
                answer[row] = x
                continue
            for c in range(series):
                u0, um, u1 = targets[2 * k, c], targets[2 * k + 1, c], targets[2 * k + 2, c]
                a, b = (-3 * u0 + 4 * um - u1) / h, 2 * (u0 - 2 * um + u1) / (h * h)
                c0, c1, c2 = _steady(spring, tempo, ratio, u0, a, b)
                answer[row, c] = c0 + (c1 + c2 * s) * s + f11 * (x[c] - c0) + f12 * (v[c] - c1)
        for c in range(series):
            u0, um, u1 = targets[2 * k, c], targets[2 * k + 1, c], targets[2 * k + 2, c]
            a, b = (-3 * u0 + 4 * um - u1) / h, 2 * (u0 - 2 * um + u1) / (h * h)
            c0, c1, c2 = _steady(spring, tempo, ratio, u0, a, b)
            y, w = x[c] - c0, v[c] - c1
            x[c] = c0 + (c1 + c2 * h) * h + e11 * y + e12 * w
            v[c] = c1 + 2 * c2 * h + e21 * y + e22 * w
    while asked < len(places):
        answer[order[asked]] = x
        asked += 1
