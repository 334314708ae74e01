"""A text set flat, as the outline of an SVG path: what a chooser shows of a family."""

from __future__ import annotations

from dataclasses import dataclass

from moss_crown.core.type.fonts import Point
from moss_crown.core.type.layout import Letter
from moss_crown.core.type.shape import faces


@dataclass(frozen=True, slots=True)
class Sample:
    """`path`: SVG path data, y downward, in thousandths of a cap height; `box`: left, top, width, height of its ink."""

    path: str
    box: tuple[float, float, float, float]
    lacking: bool


class _Pen:
    """An outline sink that writes SVG path data (SVG 2, chapter 9)."""

    def __init__(self, scale: float, x: float, y: float) -> None:
        self.parts: list[str] = []
        self._scale, self._x, self._y = scale, x, y

    def _at(self, *points: Point) -> str:
        s = self._scale
        return " ".join(f"{self._x + s * x:.0f} {self._y - s * y:.0f}" for x, y in points)

    def move(self, to: Point) -> None:
        self.parts.append(f"M{self._at(to)}")

    def line(self, to: Point) -> None:
        self.parts.append(f"L{self._at(to)}")

    def quadratic(self, control: Point, to: Point) -> None:
        self.parts.append(f"Q{self._at(control, to)}")

    def cubic(self, first: Point, second: Point, to: Point) -> None:
        self.parts.append(f"C{self._at(first, second, to)}")

    def close(self) -> None:
        self.parts.append("Z")


def sample(letters: tuple[Letter, ...]) -> Sample:
    """Letters that stand straight, with a cap height of 1, as one path."""
    parts: list[str] = []
    for letter in letters:
        pen = _Pen(1000 * letter.unit, 1000 * letter.x, -1000 * letter.y)
        fonts = faces(letter.family, letter.axes)
        for glyph in letter.glyphs:
            fonts[glyph.font].draw(glyph.index, pen, glyph.dx, glyph.dy)
        parts += pen.parts
    low = min((m.x + m.left for m in letters), default=0.0)
    high = max((m.x + m.right for m in letters), default=1.0)
    bottom = min((m.y + m.bottom for m in letters), default=0.0)
    top = max((m.y + m.top for m in letters), default=1.0)
    box = (round(1000 * low, 1), round(-1000 * top, 1), round(1000 * (high - low), 1), round(1000 * (top - bottom), 1))
    return Sample("".join(parts), box, any(m.lacking for m in letters))
