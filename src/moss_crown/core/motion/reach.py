"""Reaches: how strongly each letter feels a drive at each frame."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.shot import Cadence
from moss_crown.core.motion.curves import ease
from moss_crown.core.motion.values import Frames, sample, sample_choice


def cadence_starts(cadence: Cadence, frames: Frames, letters: int) -> NDArray[np.float64]:
    """(f, l): the frame at which each letter starts, as the cadence stands at each frame."""
    start, delay = sample(cadence.start, frames), sample(cadence.delay, frames)
    rank = cadence_ranks(cadence, float(frames[0]) if len(frames) else 0.0, letters)
    return np.asarray(start[:, None] + rank[None, :] * delay[:, None])


def cadence_ranks(cadence: Cadence, frame: float, letters: int) -> NDArray[np.float64]:
    order = np.arange(letters, dtype=np.float64)
    return order[::-1] if sample_choice(cadence.order, frame) == "reverse" else order


def cadence_reach(cadence: Cadence, frames: Frames, letters: int) -> NDArray[np.float64]:
    """(f, l) reach of an arrival: 1 until a letter starts, then down the ease to 0 in `duration` frames."""
    duration = sample(cadence.duration, frames)
    share = (frames[:, None] - cadence_starts(cadence, frames, letters)) / duration[:, None]
    return 1 - ease(cadence.ease, share)


def cadence_rest(cadence: Cadence, frame: float, letters: int) -> float:
    """The first frame at which every letter has arrived."""
    at = np.array([frame])
    return float(cadence_starts(cadence, at, letters).max(initial=-np.inf) + sample(cadence.duration, at)[0])
