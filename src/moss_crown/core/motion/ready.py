"""Compiling the kernels of motion that a plain title does not call."""

from __future__ import annotations

import numpy as np

from moss_crown.core.motion.follow import followed, moving
from moss_crown.core.values.noise import smooth_noise


def ready_motion() -> None:
    """Load or compile what motion needs."""
    one, still = np.ones(1), np.zeros((3, 1))
    smooth_noise(1, one)
    moving(still)
    followed(still, one, 0.0, 25.0, np.ones(1, np.bool_), one, one)
