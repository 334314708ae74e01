"""Pivots: the points about which letters turn and grow, of a letter, its word, its line or its block."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.type.layout import Letter

About: TypeAlias = Literal["letter", "word", "line", "block"]
Place: TypeAlias = Literal["centre", "baseline", "cap", "left", "right", "own"]


def pivots(
    letters: Sequence[Letter], about: About, place: Place, own: tuple[float, float, float], size: float
) -> NDArray[np.float64]:
    """(l, 3) a pivot for each letter, in the letter's own space.

    Of a letter: the middle of its ink across and up, its baseline, its cap height, or an edge of its ink half-way up.
    Of a word, line or block: the same of the box around the ink of its letters at rest, whose baseline is that of its
    lowest letter. `own` in cap heights from the middle of the baseline; `size` is the cap height.
    """
    if not letters:
        return np.zeros((0, 3))
    if about == "letter":
        boxes = np.array([(m.left, m.right, m.bottom, m.top) for m in letters])
        return _at(boxes, np.zeros(len(letters)), place, own, size)
    groups = np.array([{"word": m.word, "line": m.line, "block": 0}[about] for m in letters])
    rest = np.array([m.pose() for m in letters])
    corners = np.array([[(x, y, 0.0, 1.0) for x in (m.left, m.right) for y in (m.bottom, m.top)] for m in letters])
    world = np.einsum("lij,lcj->lci", rest, corners)[..., :3]
    found = np.zeros((len(letters), 3))
    for group in np.unique(groups):
        own_letters = np.flatnonzero(groups == group).tolist()
        low, high = world[own_letters].min((0, 1)), world[own_letters].max((0, 1))
        baseline = min(letters[k].y for k in own_letters)
        box = np.array([[low[0], high[0], low[1], high[1]]])
        point = _at(box, np.array([baseline]), place, own, size)[0]
        point[2] += (low[2] + high[2]) / 2
        for k in own_letters:
            found[k] = rest[k, :3, :3].T @ (point - rest[k, :3, 3])
    return found


def _at(
    boxes: NDArray[np.float64],
    baseline: NDArray[np.float64],
    place: Place,
    own: tuple[float, float, float],
    size: float,
) -> NDArray[np.float64]:
    """boxes (n, 4): left, right, bottom, top."""
    left, right, bottom, top = boxes.T
    across, up = (left + right) / 2, (bottom + top) / 2
    zero = np.zeros(len(boxes))
    match place:
        case "baseline":
            found = across, baseline, zero
        case "cap":
            found = across, baseline + size, zero
        case "left":
            found = left, up, zero
        case "right":
            found = right, up, zero
        case "own":
            found = across + own[0] * size, baseline + own[1] * size, zero + own[2] * size
        case _:
            found = across, up, zero
    return np.stack(found, 1)
