"""Cubic eases: one-dimensional Bezier curves in time that never fold back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeAlias

import numpy as np
from numpy.typing import ArrayLike, NDArray

from moss_crown.core.compiling import inner_with, outer_with
from moss_crown.core.document.values import Ease

GUESSES = 64
Level: TypeAlias = float | NDArray[np.float64]


def ease(curve: Ease, u: ArrayLike) -> NDArray[np.float64]:
    """The share of a change done at shares of time `u` (any shape); 0 before 0 and 1 after 1.

    The curve runs from (0, 0) to (1, 1) with handles (x1, y1), (x2, y2), x in 0..1, so x(s) rises and has one inverse.
    Found to 1e-12 by Newton steps kept inside a bisection bracket.
    """
    shares = np.asarray(u, np.float64)
    (x1, y1), (x2, y2) = curve.leave, curve.arrive
    flat = np.ascontiguousarray(shares, np.float64).ravel()
    eased = np.empty_like(flat)
    _ease(eased, np.empty(GUESSES + 1), flat, x1, y1, x2, y2)
    return eased.reshape(shares.shape)


def smooth(low: Level, high: Level, x: NDArray[np.float64]) -> NDArray[np.float64]:
    """0 below `low`, 1 above `high`, and a cubic between (smoothstep)."""
    t = np.clip((x - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def slope_at_ends(curve: Ease) -> tuple[float, float]:
    """Speed of the ease at its start and end, as change of value by change of time."""
    (x1, y1), (x2, y2) = curve.leave, curve.arrive
    start = y1 / x1 if x1 > 0 else (y2 / x2 if x2 > 0 and y1 == 0 else 0.0)
    end = (1 - y2) / (1 - x2) if x2 < 1 else ((1 - y1) / (1 - x1) if x1 < 1 and y2 == 1 else 0.0)
    return start, end


def pressed(press: float, u: NDArray[np.float64]) -> NDArray[np.float64]:
    """Shares of time pressed towards the start (press below 0) or the end: 0 and 1 stay, the middle moves.

    The bias function of Schlick, Fast Alternatives to Perlin's Bias and Gain Functions, Graphics Gems IV, 1994.
    """
    if press == 0:
        return u
    a = 0.5 - 0.45 * press
    moved: NDArray[np.float64] = u / ((1 / a - 2) * (1 - u) + 1)
    return moved


def monotone_slopes(at: NDArray[np.float64], values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Slopes at points (n) of values (n, ...): monotone between neighbours, so that nothing overshoots; 0 at the ends.

    Fritsch and Butland, A Method for Constructing Local Monotone Piecewise Cubic Interpolants, SIAM 1984.
    """
    steps = np.diff(at).reshape(-1, *([1] * (values.ndim - 1)))
    secants = np.diff(values, axis=0) / steps
    slopes = np.zeros_like(values)
    if len(at) > 2:
        before, after = secants[:-1], secants[1:]
        w1, w2 = 2 * steps[1:] + steps[:-1], steps[1:] + 2 * steps[:-1]
        with np.errstate(all="ignore"):
            mean = (w1 + w2) / (w1 / before + w2 / after)
        slopes[1:-1] = np.where(before * after > 0, mean, 0.0)
    return slopes


def through(points: Sequence[tuple[float, float]], u: NDArray[np.float64]) -> NDArray[np.float64]:
    """A smooth curve through points that rise in u, at u (any shape); beyond the ends it goes on straight."""
    at, values = np.array(points, np.float64).T
    slopes = monotone_slopes(at, values)
    slopes[0] = (values[1] - values[0]) / (at[1] - at[0])
    slopes[-1] = (values[-1] - values[-2]) / (at[-1] - at[-2])
    k = np.clip(np.searchsorted(at, u, side="right") - 1, 0, len(at) - 2)
    span = at[k + 1] - at[k]
    s = np.clip((u - at[k]) / span, 0, 1)
    inside = (
        values[k]
        + s * s * (3 - 2 * s) * (values[k + 1] - values[k])
        + s * (1 - s) ** 2 * slopes[k] * span
        + s * s * (s - 1) * slopes[k + 1] * span
    )
    found: NDArray[np.float64] = inside + np.minimum(u - at[0], 0) * slopes[0] + np.maximum(u - at[-1], 0) * slopes[-1]
    return found


@inner_with(fastmath={"contract"})
def _inverse(ax, bx, cx, u, s):
    """Where the curve is at u, from a guess s."""
    low, high = 0.0, 1.0
    for _ in range(80):
        error = ((ax * s + bx) * s + cx) * s - u
        if abs(error) < 1e-14 or high - low < 1e-15:
            break
        if error > 0:
            high = s
        else:
            low = s
        slope = (3 * ax * s + 2 * bx) * s + cx
        step = s - error / slope if slope > 1e-9 else -1.0
        s = step if low < step < high else 0.5 * (low + high)
    return s


@outer_with(fastmath={"contract"})
def _ease(result, near, shares, x1, y1, x2, y2):
    ax, bx, cx = 1 + 3 * x1 - 3 * x2, 3 * x2 - 6 * x1, 3 * x1
    ay, by, cy = 1 + 3 * y1 - 3 * y2, 3 * y2 - 6 * y1, 3 * y1
    # A guess that is near: from a table of the curve itself, so that it depends on nothing but the share.
    for k in range(GUESSES + 1):
        near[k] = _inverse(ax, bx, cx, k / GUESSES, k / GUESSES)
    for i in range(len(shares)):
        u = shares[i]
        if u <= 0:
            result[i] = 0.0
            continue
        if u >= 1:
            result[i] = 1.0
            continue
        place = u * GUESSES
        k = int(place)
        s = _inverse(ax, bx, cx, u, near[k] + (near[k + 1] - near[k]) * (place - k))
        result[i] = ((ay * s + by) * s + cy) * s
