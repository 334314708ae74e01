"""Formulas and links as their author sees them: where they are no number, what can be named, how one runs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from moss_crown.core.document.binding import OWN_LETTERS, Bound
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Formula, members
from moss_crown.core.motion.values import ONE, Letters, raw_formula, stacked

MANY = Letters(np.arange(12.0), np.linspace(0, 1, 12), np.linspace(-3, 3, 12), np.full(12, 0.5), np.zeros(12))
"""A row of letters to try a formula of letters on."""
PLOTTED = 120


def unsound(shot: Shot) -> Iterator[tuple[str, str]]:
    """For each formula that is not always a number within its bounds: the id of its step, and what to say of it."""
    frames = np.linspace(shot.first, shot.last, min(PLOTTED, len(shot.frames)))
    for step in shot.steps:
        letters = MANY if step.kind in OWN_LETTERS else ONE
        for formula in formulas(step):
            bound: Bound = formula.bound
            if bound.spec.kind != "number":
                continue
            found = stacked(raw_formula(formula, frames, letters), bound.spec, len(frames), len(letters.i))
            wrong = ~np.isfinite(found)
            name = bound.path.split("/", 1)[1]
            if wrong.any():
                at = frames[int(np.flatnonzero(wrong.reshape(len(frames), -1).any(1))[0])]
                yield step.id, f"{name}: the formula is no number at frame {at:.4g}; its default stands in"
            elif (found < bound.spec.low).any() or (found > bound.spec.high).any():
                yield (
                    step.id,
                    f"{name}: the formula leaves {bound.spec.low:g} to {bound.spec.high:g} and is kept within",
                )


def formulas(node: Any) -> Iterator[Formula]:
    if isinstance(node, Formula):
        yield node
    else:
        for _, member in members(node):
            yield from formulas(member)
