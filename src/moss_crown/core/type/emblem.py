"""Emblems: drawings whose parts act as letters. To the rest of the core an emblem is a face, its parts the glyphs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from moss_crown.core.cache import Shelf
from moss_crown.core.errors import FamilyUnknown
from moss_crown.core.type.drawing import HEIGHT, Line, Part
from moss_crown.core.type.fonts import OutlineSink
from moss_crown.core.type.ornaments import ORNAMENTS


@dataclass(frozen=True, eq=False)
class Emblem:
    """A face of parts. `key` is made from its content. Coordinates in thousandths of its height, y up."""

    key: str
    names: tuple[str, ...]
    colours: tuple[tuple[float, float, float], ...]
    rings: tuple[tuple[Line, ...], ...]
    lines: tuple[tuple[tuple[bool, Line], ...], ...]
    coverage: frozenset[int] = frozenset()
    unit: float = 1.0
    cap_height: float = HEIGHT

    def draw(self, glyph: int, sink: OutlineSink, dx: float = 0.0, dy: float = 0.0) -> None:
        """Send the rings of a part, shifted."""
        for ring in self.rings[glyph]:
            points = [(float(x) + dx, float(y) + dy) for x, y in ring]
            sink.move(points[0])
            for point in points[1:]:
                sink.line(point)
            sink.close()

    def extents(self, glyph: int) -> tuple[float, float, float, float] | None:
        """Left, bottom, right, top of a part."""
        if not self.rings[glyph]:
            return None
        every = np.vstack(self.rings[glyph])
        (left, bottom), (right, top) = every.min(0), every.max(0)
        return float(left), float(bottom), float(right), float(top)


def _of(id: str, parts: Sequence[Part]) -> Emblem:
    return Emblem(
        id,
        tuple(part.name for part in parts),
        tuple(part.colour for part in parts),
        tuple(tuple(part.rings) for part in parts),
        tuple(tuple(part.lines) for part in parts),
    )


def read(id: str, facts: dict[str, Any]) -> Emblem:
    """An emblem from what is kept of it."""
    return _of(
        id,
        [
            Part(
                part["name"],
                tuple(part["colour"]),
                [np.array(ring, np.float64) for ring in part["rings"]],
                [(bool(closed), np.array(line, np.float64)) for closed, line in part["lines"]],
            )
            for part in facts["parts"]
        ],
    )


BUNDLED = {id: _of(id, ornament.parts) for id, ornament in ORNAMENTS.items()}
OWN = Shelf(64 * 1024 * 1024)
"""Emblems brought into this process, by an id made from their content."""


def bring_in(emblem: Emblem) -> None:
    """Make an emblem known to this process."""
    lines = [line for part in emblem.lines for _, line in part]
    OWN.put(emblem.key, emblem, sum(a.nbytes + 200 for a in [*lines, *(r for part in emblem.rings for r in part)]))


def is_emblem(id: str) -> bool:
    """Is this the id of an emblem, known here or not?"""
    return id.startswith("emblem-")


def is_known(id: str) -> bool:
    """Is it bundled, or does this process have it?"""
    return id in BUNDLED or id in OWN


def find(id: str) -> Emblem:
    """Raises FamilyUnknown for an emblem that this process has not been given."""
    if id in BUNDLED:
        return BUNDLED[id]
    if id not in OWN:
        raise FamilyUnknown("emblem", id)
    found: Emblem = OWN.get(id)
    return found


def track_of(id: str, part: int, height: float) -> tuple[tuple[tuple[float, float], ...], bool]:
    """A part of an emblem as a path, and whether it closes: its first stroke, else its largest outline.

    `part` counts from 1 and goes round; `height` is that of the whole emblem in metres.
    """
    face = find(id)
    index = (part - 1) % len(face.names)
    strokes = face.lines[index]
    if strokes:
        closed, line = strokes[0]
    elif face.rings[index]:
        # Clockwise, so that letters above the path stand outside the shape.
        closed, line = True, max(face.rings[index], key=lambda ring: float(np.ptp(ring, 0).prod()))
        x, y = line.T
        if float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()) > 0:
            line = line[::-1]
    else:
        return (), False
    unit = height / face.cap_height
    return tuple((float(px) * unit, float(py) * unit) for px, py in line), closed
