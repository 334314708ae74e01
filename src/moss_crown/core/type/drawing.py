"""Drawings in parts, before they are a face: those that are brought in, and those that ship with the application."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Line: TypeAlias = NDArray[np.float64]
HEIGHT = 1000.0
"""A drawing is as high as this."""


@dataclass(frozen=True, eq=False)
class Part:
    """One drawn thing: its name, colour (sRGB 0..1), filled rings, and the middle lines of its strokes.

    Rings are clean in no sense yet; `lines` are (closed, points). y up, the whole drawing `HEIGHT` high, standing on 0,
    its middle at 0.
    """

    name: str
    colour: tuple[float, float, float]
    rings: Sequence[Line]
    lines: Sequence[tuple[bool, Line]] = ()


def path_of(parts: Sequence[Part]) -> str:
    """SVG path data of all rings, y downward, in thousandths of the height: a small picture of a drawing."""
    rings = [np.round(ring * (1, -1)).astype(int).tolist() for part in parts for ring in part.rings]
    return "".join("M" + "L".join(f"{x} {y}" for x, y in ring) + "Z" for ring in rings)


def box_of(parts: Sequence[Part]) -> list[float]:
    """Left, top, width and height of that picture."""
    every = np.vstack([ring for part in parts for ring in part.rings])
    (left, bottom), (right, top) = every.min(0), every.max(0)
    return [round(float(v), 1) for v in (left, -top, right - left, top - bottom)]
