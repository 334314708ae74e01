"""Cubic eases: one-dimensional Bezier curves in time that never fold back."""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import ArrayLike, NDArray

from moss_crown.core.document.values import Ease


def ease(curve: Ease, u: ArrayLike) -> NDArray[np.float64]:
    """The share of a change done at shares of time `u` (any shape); 0 before 0 and 1 after 1.

    The curve runs from (0, 0) to (1, 1) with handles (x1, y1), (x2, y2), x in 0..1, so x(s) rises and has one inverse.
    Found to 1e-12 by Newton steps kept inside a bisection bracket.
    """
    shares = np.asarray(u, np.float64)
    (x1, y1), (x2, y2) = curve.leave, curve.arrive
    eased: NDArray[np.float64] = _ease(np.ascontiguousarray(shares).ravel(), x1, y1, x2, y2)
    return eased.reshape(shares.shape)


def slope_at_ends(curve: Ease) -> tuple[float, float]:
    """Speed of the ease at its start and end, as change of value by change of time."""
    (x1, y1), (x2, y2) = curve.leave, curve.arrive
    start = y1 / x1 if x1 > 0 else (y2 / x2 if x2 > 0 and y1 == 0 else 0.0)
    end = (1 - y2) / (1 - x2) if x2 < 1 else ((1 - y1) / (1 - x1) if x1 < 1 and y2 == 1 else 0.0)
    return start, end


@numba.njit(cache=True)
def _ease(shares, x1, y1, x2, y2):
    result = np.empty(len(shares))
    ax, bx, cx = 1 + 3 * x1 - 3 * x2, 3 * x2 - 6 * x1, 3 * x1
    ay, by, cy = 1 + 3 * y1 - 3 * y2, 3 * y2 - 6 * y1, 3 * y1
    for i in range(len(shares)):
        u = shares[i]
        if u <= 0:
            result[i] = 0.0
            continue
        if u >= 1:
            result[i] = 1.0
            continue
        low, high, s = 0.0, 1.0, u
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
        result[i] = ((ay * s + by) * s + cy) * s
    return result
