"""Edge profiles: how high the front stands at each inset from the outline."""

from __future__ import annotations

from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

ProfileKind: TypeAlias = Literal["square", "chamfer", "roundover"]


def profile(kind: ProfileKind, size: float, segments: int) -> NDArray[np.float64]:
    """(k, 2) pairs of inset and height, both rising from (0, 0) to (size, size), in the unit of `size`.

    A chamfer is one straight cut at 45 degrees; a roundover is a quarter circle, tangent to return and face.
    """
    if kind == "square" or size <= 0:
        return np.zeros((1, 2))
    if kind == "chamfer":
        return np.array([[0.0, 0.0], [size, size]])
    angle = np.linspace(0, np.pi / 2, segments + 1)
    return np.stack([size * (1 - np.cos(angle)), size * np.sin(angle)], 1)
