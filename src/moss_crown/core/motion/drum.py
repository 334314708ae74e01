"""Flip drums: which face of each letter's prism is in front at a frame, and how far the prism has turned."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.motion import DrumStep
from moss_crown.core.motion.reach import Units, swing_starts
from moss_crown.core.values.curves import ease
from moss_crown.core.values.noise import hashed, seed_of
from moss_crown.core.values.sampling import Frames, sample, sample_choice, sample_one

Floats = NDArray[np.float64]
BLANK = " "
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def columns(step: DrumStep, frame: float, own: tuple[str, ...], seed: int) -> tuple[tuple[str, ...], ...]:
    """The faces of each letter's drum, the first to be seen first and the letter itself last; BLANK for an empty one.

    `own` are the block's letters in reading order.
    """
    words = [line for line in sample_choice(step.words, frame).split("\n") if line.strip()]
    if words:
        rows = [[c for c in word if not c.isspace()] for word in words]
        return tuple((*(row[k] if k < len(row) else BLANK for row in rows), letter) for k, letter in enumerate(own))
    count = round(sample_one(step.before, frame))
    found = []
    for k, letter in enumerate(own):
        drawn = (hashed(seed_of(seed, step.id, step.shuffle, k), np.arange(count)) * len(LETTERS)).astype(int)
        # Two alike in a row would look like a face that did not change.
        row = [LETTERS[d] for d in drawn] + [letter]
        for j in range(count - 1, -1, -1):
            if row[j] == row[j + 1]:
                row[j] = LETTERS[(LETTERS.index(row[j]) + 7) % len(LETTERS)]
        found.append(tuple(row))
    return tuple(found)


def turned(step: DrumStep, frames: Frames, units: Units, steps: int) -> Floats:
    """(f, l): how many faces each drum has turned on, 0 to `steps`."""
    since = frames[:, None] - swing_starts(step, frames, units)
    return np.asarray(steps * ease(step.ease, since / sample(step.duration, frames)[:, None]))


def in_front(turned: Floats) -> NDArray[np.int64]:
    """The face that is in front: it changes where an edge of the prism is."""
    return np.floor(turned + 0.5).astype(np.int64)


def radius(sides: int, height: float) -> float:
    """From the middle of a prism to a face so high, when the faces just meet at their edges."""
    return height / 2 / math.tan(math.pi / sides)
