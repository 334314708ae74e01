"""Formulas and links as their author sees them: where they are no number, what can be named, how one runs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TypeVar, cast

import numpy as np
from pydantic import BaseModel

from moss_crown.core.document.binding import Bound
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.document.formula import FormulaInvalid
from moss_crown.core.document.keys import value_at
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Formula, Keyed, Link, members, moving
from moss_crown.core.errors import LinkInvalid, LinkLoop
from moss_crown.core.values.sampling import ONE, Letters, raw_formula, sample, sample_choice, sample_each, stacked

MANY = Letters(np.arange(12.0), np.linspace(0, 1, 12), np.linspace(-3, 3, 12), np.full(12, 0.5), np.zeros(12))
"""A row of letters to try a formula of letters on."""
PLOTTED = 120
T = TypeVar("T")


def unsound(shot: Shot) -> Iterator[tuple[str, str]]:
    """For each formula that is not always a number within its bounds: the id of its step, and what to say of it."""
    frames = np.linspace(shot.first, shot.last, min(PLOTTED, len(shot.frames)))
    for step in shot.steps:
        letters = MANY if step.facts.by_letter else ONE
        for formula in (value for _, value in moving(step) if isinstance(value, Formula)):
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


def settled(node: T, frame: float) -> T:
    """A model of the document with a constant, as at a frame, in the place of each formula and link."""
    return cast(T, _settled(node, frame))  # what stands in is what the field takes


def _settled(node: object, frame: float) -> object:
    if isinstance(node, Formula | Link):
        if node.bound.spec.kind != "number":
            return sample_choice(node, frame)
        found = sample(node, np.array([float(frame)]))[0]
        return tuple(found.tolist()) if np.ndim(found) else float(found)
    if isinstance(node, list):
        return [_settled(part, frame) for part in node]
    if isinstance(node, dict):
        return {name: _settled(part, frame) for name, part in node.items()}
    if not isinstance(node, BaseModel) or isinstance(node, Keyed):
        return node
    return node.model_copy(update={str(name): _settled(member, frame) for name, member in members(node)})


@dataclass(frozen=True)
class Trial:
    """How a formula would run as a value: what is wrong with it and at which character, or the frames it was tried at
    and what it is there, a line for each letter or each part of a vector."""

    problem: str = ""
    at: int = 0
    frames: tuple[float, ...] = ()
    lines: tuple[tuple[float, ...], ...] = ()


def tried(shot: Shot, path: str, formula: str) -> Trial:
    """A formula tried as the value at a JSON pointer of a shot. Raises what a patch with it raises, but for its own
    errors."""
    try:
        new = patched(write_shot(shot), [{"op": "replace", "path": path, "value": {"formula": formula}}])
    except FormulaInvalid as wrong:
        return Trial(wrong.reason, wrong.at)
    except (LinkInvalid, LinkLoop) as wrong:
        return Trial(str(wrong), 0)
    value = value_at(new, path)
    bound: Bound = value.bound
    frames = np.linspace(shot.first, shot.last, min(PLOTTED, len(shot.frames)))
    if bound.spec.kind != "number":
        return Trial(frames=tuple(frames.tolist()))
    letters = MANY if bound.of_letters else ONE
    found = sample_each(value, frames, letters)
    lines = found.reshape(len(frames), -1) if found.ndim == 2 else found.transpose(0, 2, 1).reshape(len(frames), -1)
    return Trial(frames=tuple(frames.tolist()), lines=tuple(tuple(np.round(line, 5).tolist()) for line in lines.T))
