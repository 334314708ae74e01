"""Turn and swap: which text a block has at a frame, and how far it has turned."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.motion import SwapStep
from moss_crown.core.motion.reach import choices
from moss_crown.core.values.curves import ease
from moss_crown.core.values.sampling import Frames, sample, sample_choice

Floats = NDArray[np.float64]
_AXES = {"right": (0.0, 1.0, 0.0), "left": (0.0, -1.0, 0.0), "up": (-1.0, 0.0, 0.0), "down": (1.0, 0.0, 0.0)}
"""About what to turn, and which way round, so that the face looks to a side first."""


def texts(step: SwapStep, frame: float) -> tuple[str, ...]:
    """The texts before the block's own, in their order."""
    lines = sample_choice(step.texts, frame).split("\n")
    return tuple("\n".join(part.strip() for part in line.split("|")) for line in lines if line.strip())


def done(step: SwapStep, frames: Frames) -> Floats:
    """(f): how many of its turns are over, with what part of the one that goes on."""
    count = np.array([len(texts(step, float(frame))) for frame in frames])
    turn, hold = sample(step.turn, frames), sample(step.hold, frames)
    since = frames - sample(step.start, frames)
    number = np.clip(np.floor(since / (turn + hold)), 0, np.maximum(count - 1, 0))
    part = ease(step.ease, np.clip((since - number * (turn + hold)) / turn, 0, 1))
    return np.where(count > 0, number + np.clip(part, 0, 1), 0.0)


def shown(steps: Sequence[object], frame: float) -> tuple[int, ...]:
    """For each swap among the steps below a block, the number of the text that it is at."""
    swaps = [step for step in steps if isinstance(step, SwapStep)]
    at = np.array([frame])
    return tuple(int(np.floor(done(step, at)[0] + 0.5)) for step in swaps)


def text_of(steps: Sequence[object], numbers: Sequence[int], frame: float, own: str) -> str:
    """The text that the last swap that is on gives a block above the steps, whose own text is `own`; `numbers` are
    those of the texts that are `shown`."""
    swaps = [step for step in steps if isinstance(step, SwapStep)]
    for step, number in reversed(list(zip(swaps, numbers, strict=True))):
        if sample_choice(step.on, frame):
            return (*texts(step, frame), own)[number]
    return own


def turned(step: SwapStep, frames: Frames, number: int) -> Floats:
    """(f, 3): how a block that shows text `number` is turned, in radians about the axes; on from there, too, where the
    shutter is open while another would be shown."""
    whole = np.array([2 * np.pi if one == "back" else np.pi for one in choices(step.swaps, frames)])
    return np.asarray(
        ((done(step, frames) - number) * whole)[:, None] * np.array([_AXES[way] for way in choices(step.turns, frames)])
    )


def last_rest(step: SwapStep, frame: float) -> float:
    """The frame at which the block's own text has come round."""
    at, count = np.array([frame]), len(texts(step, frame))
    turn, hold = float(sample(step.turn, at)[0]), float(sample(step.hold, at)[0])
    return float(sample(step.start, at)[0]) + count * turn + max(count - 1, 0) * hold
