"""Compiling the kernels of motion, and of what the draft draws by, that a plain title does not call."""

from __future__ import annotations

import numpy as np

from moss_crown.core.deform.chain import bent, distances, turned
from moss_crown.core.deform.rows import ROW
from moss_crown.core.form.ordering import ordered
from moss_crown.core.motion.follow import followed, moving
from moss_crown.core.physics.balloons import ready_balloons
from moss_crown.core.values.noise import smooth_noise


def ready_motion() -> None:
    """Load or compile what motion and a draft need."""
    ordered(np.array([[0, 1, 2]]))
    one, still = np.ones(1), np.zeros((3, 1))
    smooth_noise(1, one)
    ready_balloons()
    moving(still)
    distances("slab", np.ones(3), np.zeros((1, 3)))
    rows = np.zeros((1, ROW))
    place = bent(rows, np.zeros((1, 3)))
    turned(rows, place, place, np.zeros(1, np.int64), np.array([[0.0, 0, 1]]))
    followed(still, one, 0.0, 25.0, np.ones(1, np.bool_), one, one)
