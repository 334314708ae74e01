"""Where the tubes of letters run, for what makes them grow: their start is chosen on them in the picture."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.motion import GrowStep
from moss_crown.core.draft.schema import ContoursDrawn, Two, two
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.setting import Structure, form_of_letter
from moss_crown.core.evaluation.solids import strokes_of
from moss_crown.core.form.outline import letter_outline, shaped
from moss_crown.core.form.solid import Form
from moss_crown.core.form.tube import middle_lines
from moss_crown.core.type.layout import WHOLE, Letter
from moss_crown.core.type.shape import faces
from moss_crown.core.values.sampling import sample_one

POINTS = 64
"""Of a contour, evenly along it."""


def contours(of: Evaluation, structure: Structure) -> dict[str, ContoursDrawn]:
    """For each step that grows tubes, by its id: the contours of the letters of the first block of tubes above it."""
    shot, last = of.shot, float(of.shot.last)
    found = {}
    for index, step in enumerate(shot.steps):
        if not isinstance(step, GrowStep):
            continue
        begin = 0
        for block in structure.blocks:
            if block.step < index and block.form.tube:
                start = block.form.tube.start + sample_one(step.start, last)
                lines = [_contour(letter, block.form) for letter in block.letters]
                found[step.id] = ContoursDrawn(begin, start, lines)
                break
            begin += len(block.letters)
    return found


def _contour(letter: Letter, form: Form) -> list[Two]:
    """The longest line along which the first tube of a letter runs, from where it begins unless it is told to
    elsewhere, in the letter's own space; empty where there is none."""
    own = form_of_letter(replace(letter, drawn=WHOLE), form)
    assert own.tube is not None
    tube = replace(own.tube.whole, rows=1)
    rings = letter_outline(letter.glyphs, faces(letter.family, letter.axes))
    rings = shaped(rings, own.weight, own.fill, own.wall / letter.unit, own.join)
    (lines,) = middle_lines(rings, strokes_of(letter.glyphs, letter.family), tube, letter.unit, own.join)
    whole = [np.vstack([line, line[:1]]) if closed else line for closed, line in lines]
    if not whole:
        return []
    places = _evenly(max(whole, key=_length)) * letter.unit
    return [two(place) for place in np.round(places, 4)]


def _length(line: NDArray[np.float64]) -> float:
    return float(np.hypot(*np.diff(line, axis=0).T).sum())


def _evenly(line: NDArray[np.float64]) -> NDArray[np.float64]:
    """(POINTS + 1, 2): places as far apart along a line (n, 2) as each other, both ends among them."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    at = np.linspace(0, along[-1], POINTS + 1)
    return np.stack([np.interp(at, along, line[:, k]) for k in (0, 1)], 1)
