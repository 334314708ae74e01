"""Fonts: opened once, asked for coverage, metrics and outlines in units of a thousandth of an em."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Protocol, TypeAlias

import uharfbuzz as hb

from moss_crown.core.type.families import Axes, Source, font_bytes

EM = 1000.0
Point: TypeAlias = tuple[float, float]


class Face(Protocol):
    """What letters are drawn from: a font, or an emblem whose parts are its glyphs."""

    @property
    def key(self) -> str: ...
    @property
    def coverage(self) -> frozenset[int]: ...
    @property
    def cap_height(self) -> float: ...
    def draw(self, glyph: int, sink: OutlineSink, dx: float = 0.0, dy: float = 0.0) -> None: ...
    def extents(self, glyph: int) -> tuple[float, float, float, float] | None: ...


class OutlineSink(Protocol):
    """Hears one glyph, contour by contour; thousandths of an em, y up."""

    def move(self, to: Point) -> None: ...
    def line(self, to: Point) -> None: ...
    def quadratic(self, control: Point, to: Point) -> None: ...
    def cubic(self, first: Point, second: Point, to: Point) -> None: ...
    def close(self) -> None: ...


@dataclass(frozen=True, eq=False)
class Font:
    """An opened font file at a place on its axes. `key` is a hash of both: what geometry is addressed by."""

    key: str
    shaper: hb.Font
    coverage: frozenset[int]
    unit: float
    cap_height: float

    def draw(self, glyph: int, sink: OutlineSink, dx: float = 0.0, dy: float = 0.0) -> None:
        """Send the outline of a glyph, shifted by (dx, dy) thousandths of an em."""
        unit = self.unit

        def at(x: float, y: float) -> Point:
            return x * unit + dx, y * unit + dy

        pen = hb.DrawFuncs()
        pen.set_move_to_func(lambda x, y, _: sink.move(at(x, y)))
        pen.set_line_to_func(lambda x, y, _: sink.line(at(x, y)))
        pen.set_quadratic_to_func(lambda cx, cy, x, y, _: sink.quadratic(at(cx, cy), at(x, y)))
        pen.set_cubic_to_func(lambda ax, ay, bx, by, x, y, _: sink.cubic(at(ax, ay), at(bx, by), at(x, y)))
        pen.set_close_path_func(lambda _: sink.close())
        self.shaper.draw_glyph(glyph, pen, None)

    def extents(self, glyph: int) -> tuple[float, float, float, float] | None:
        """Left, bottom, right, top of the ink; None for an empty glyph."""
        box = self.shaper.get_glyph_extents(glyph)
        if box is None or (box.width == 0 and box.height == 0):
            return None
        left, top = box.x_bearing * self.unit, box.y_bearing * self.unit
        return left, top + box.height * self.unit, left + box.width * self.unit, top


@dataclass(frozen=True, slots=True)
class Axis:
    """A variable axis: its tag, its name, and where it may stand."""

    tag: str
    name: str
    least: float
    usual: float
    most: float


@lru_cache(maxsize=256)
def _face(source: Source) -> tuple[str, hb.Face, frozenset[int]]:
    raw = font_bytes(source)
    face = hb.Face(raw)
    return hashlib.sha256(raw).hexdigest()[:20], face, frozenset(face.unicodes)


@lru_cache(maxsize=1024)
def open_font(source: Source, at: Axes = ()) -> Font:
    """Open a font (TrueType or OpenType) at places on its axes; values beyond an axis's ends are held there.

    Fonts never change, so the opened one is kept.
    """
    key, face, coverage = _face(source)
    known = {axis.tag: axis for axis in axes_of(source)}
    placed = {tag: min(max(value, known[tag].least), known[tag].most) for tag, value in at if tag in known}
    shaper = hb.Font(face)
    if placed:
        shaper.set_variations(placed)
        key += "".join(f",{tag}={value:g}" for tag, value in sorted(placed.items()))
    font = Font(key, shaper, coverage, EM / face.upem, 0.0)
    return replace(font, cap_height=_cap_height(font))


@lru_cache(maxsize=256)
def axes_of(source: Source) -> tuple[Axis, ...]:
    """The variable axes of a font file, hidden ones left out; empty for a static font."""
    _, face, _ = _face(source)
    return axes_in(face)


def axes_in(face: hb.Face) -> tuple[Axis, ...]:
    """The variable axes of a font, as its file names them."""
    return tuple(
        Axis(info.tag, face.get_name(info.name_id) or info.tag, info.min_value, info.default_value, info.max_value)
        for info in face.axis_infos
    )


def _cap_height(font: Font) -> float:
    """The height of a flat capital; 0.7 em where the font has none."""
    for letter in "HIEXZ":
        if ord(letter) in font.coverage:
            box = font.extents(font.shaper.get_nominal_glyph(ord(letter)))
            if box:
                return box[3]
    return 0.7 * EM


@lru_cache(maxsize=256)
def feature_tags(source: Source) -> frozenset[str]:
    """The tags of all OpenType layout features of a font file."""
    _, face, _ = _face(source)
    return feature_tags_in(face)


def feature_tags_in(face: hb.Face) -> frozenset[str]:
    """Raises UnicodeDecodeError for a damaged font, whose tags are no text."""
    found: set[str] = set()
    for table in ("GSUB", "GPOS"):
        for index, _ in enumerate(face.get_table_script_tags(table)):
            found.update(face.get_language_feature_tags(table, index))
            for language, _ in enumerate(face.get_script_language_tags(table, index)):
                found.update(face.get_language_feature_tags(table, index, language))
    return frozenset(found)


def forget() -> None:
    """Let go of every opened font: some of what they were read from is no longer kept."""
    for kept in (_face, open_font, axes_of, feature_tags):
        kept.cache_clear()
