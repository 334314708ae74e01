"""Text to placed letters: lines, alignment, justification, bent baselines.

A letter is a shaping cluster that leaves ink: the unit of animation. Positions in metres, letters in reading order.
"""

from __future__ import annotations

import math
import unicodedata
from dataclasses import dataclass, replace
from functools import lru_cache
from statistics import median
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.type.emblem import find as find_emblem
from moss_crown.core.type.families import Axes
from moss_crown.core.type.path import STRAIGHT, Baseline, fitted, seat
from moss_crown.core.type.shape import PLAIN, Cluster, Glyph, Shaping, Style, cap_height, faces, shape_line

DESCENT_KEPT = 0.05
"""A round letter dips below the baseline by a few hundredths of its height: it still stands on the floor. What
goes deeper than this share of the cap height is a descender, and lifts the block."""

WIDEST_FILL = 20.0
"""Lines set to one width are enlarged by at most this factor."""

Align: TypeAlias = Literal["left", "centre", "right", "justify", "fill"]
Box: TypeAlias = tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class Drawn:
    """What is there of a letter's tubes: from `first` to `last` of each contour, shares of its length, which starts by
    `start` of that later than its form says; with `spread` as much to both sides of its start."""

    start: float = 0.0
    first: float = 0.0
    last: float = 1.0
    spread: bool = False


WHOLE = Drawn()


@dataclass(frozen=True, slots=True)
class Letter:
    """One letter at rest.

    `unit` takes thousandths of an em to metres; left, right, bottom, top: its ink about its origin; x, y, z: its
    origin; `turn` about z, then `swing` about y, in degrees. `first`: index of its first character in the text.
    """

    text: str
    glyphs: tuple[Glyph, ...]
    family: str
    axes: Axes
    unit: float
    left: float
    right: float
    bottom: float
    top: float
    line: int
    word: int
    first: int
    lacking: bool
    weight: float = 0.0
    depth: float = 1.0
    index: int = 0
    x: float = 0.0
    y: float = 0.0
    z: float = 0.0
    turn: float = 0.0
    swing: float = 0.0
    drawn: Drawn = WHOLE

    @property
    def centre(self) -> tuple[float, float]:
        """The middle of its ink, about its origin."""
        return (self.left + self.right) / 2, (self.bottom + self.top) / 2

    def pose(self) -> NDArray[np.float64]:
        """(4, 4) from the letter's own space to its block."""
        matrix = np.eye(4)
        matrix[:3, :3] = _rotation(self.turn, self.swing)
        matrix[:3, 3] = self.x, self.y, self.z
        return matrix


@dataclass(frozen=True, slots=True)
class Setting:
    """What decides the lines of a block. Metres, thousandths of an em, cap heights, as in the document.

    `styles`: one a character of the text; empty when all letters are set in `style`. `width`: what `fill` fills and
    `justify` reaches; 0 for the widest line. `shown`: for each letter another one that stands in its place, "" for
    itself. `moved_axes`: for each letter its places on the variable axes, where something has moved them. `drawn`: for
    each letter what is there of its tubes, where that is not all.
    """

    text: str
    style: Style
    size: float = 1.0
    tracking: float = 0.0
    leading: float = 1.0
    align: Align = "centre"
    width: float = 0.0
    shaping: Shaping = PLAIN
    baseline: Baseline = STRAIGHT
    styles: tuple[Style, ...] = ()
    shown: tuple[str, ...] = ()
    moved_axes: tuple[Axes, ...] = ()
    drawn: tuple[Drawn, ...] = ()


def plain(text: str) -> str:
    """The text as it is set: composed (NFC), so that a letter and its accent are one character where they can be."""
    return unicodedata.normalize("NFC", text)


@dataclass(slots=True)
class _Line:
    """Letters of a line from left to right, with the pen before and after each; metres, before alignment."""

    letters: list[Letter]
    start: list[float]
    end: list[float]
    styles: list[Style]
    gaps: list[tuple[float, bool]]  # where a space widens: the pen there, and whether it is a space between words
    length: float
    size: float

    def ink(self) -> tuple[float, float]:
        lows = [x + letter.left for x, letter in zip(self.start, self.letters, strict=True)]
        highs = [x + letter.right for x, letter in zip(self.start, self.letters, strict=True)]
        return min(lows, default=0.0), max(highs, default=0.0)


@dataclass(frozen=True, slots=True)
class EmblemSetting:
    """An emblem by its id, and its height in metres. Its parts are letters in their drawing order; `drawn` as in a
    setting."""

    emblem: str
    size: float = 1.0
    drawn: tuple[Drawn, ...] = ()


@lru_cache(maxsize=256)
def set_emblem(setting: EmblemSetting) -> tuple[Letter, ...]:
    """The parts of an emblem at their places: standing on y = 0, its middle at x = 0. Each part is a word."""
    if setting.drawn:
        return _in_part(set_emblem(replace(setting, drawn=())), setting.drawn)
    face = find_emblem(setting.emblem)
    unit = setting.size / face.cap_height
    found: list[Letter] = []
    for index, name in enumerate(face.names):
        box = face.extents(index)
        if box is None:
            continue
        left, bottom, right, top = (side * unit for side in box)
        glyphs = (Glyph(0, index, 0.0, 0.0),)
        number = len(found)
        found.append(
            Letter(
                name,
                glyphs,
                setting.emblem,
                (),
                unit,
                left,
                right,
                bottom,
                top,
                0,
                number,
                number,
                False,
                index=number,
            )
        )
    return tuple(found)


@lru_cache(maxsize=1024)
def set_block(setting: Setting) -> tuple[Letter, ...]:
    """Lay out a block: letters in reading order. Lines may be empty; spaces leave no letter.

    Ink, not advance, is aligned, so that a flush edge is flush to the eye. The block stands on y = 0 unless ink goes
    deeper than DESCENT_KEPT of the cap height; then it is lifted until the deepest touches.
    """
    if setting.drawn:
        return _in_part(set_block(replace(setting, drawn=())), setting.drawn)
    if setting.moved_axes:
        return set_block(replace(setting, moved_axes=(), styles=_restyled(setting)))
    if setting.shown:
        own = set_block(replace(setting, shown=()))
        return tuple(_instead(letter, text, setting) for letter, text in zip(own, setting.shown, strict=True))
    lines = _lines(setting)
    if setting.align == "fill":
        lines = _filled(lines, setting)
    width = setting.width or max((line.ink()[1] - line.ink()[0] for line in lines), default=0.0)
    baselines = _baselines(lines, setting)
    baseline = fitted(setting.baseline, max((line.length for line in lines), default=0.0))
    placed = []
    for line, above in zip(lines, baselines, strict=True):
        if setting.align == "justify":
            _justified(line, width)
        low, high = line.ink()
        shift = {"left": -width / 2 - low, "right": width / 2 - high}.get(setting.align, -(low + high) / 2)
        for letter, start, end, style in zip(line.letters, line.start, line.end, line.styles, strict=True):
            placed.append(
                _seated(letter, start + shift, end + shift, above, line.length, style, baseline, setting.size)
            )
    placed.sort(key=lambda letter: letter.first)
    return _stand([replace(letter, index=k) for k, letter in enumerate(placed)], setting.size)


def _in_part(letters: tuple[Letter, ...], drawn: tuple[Drawn, ...]) -> tuple[Letter, ...]:
    return tuple(replace(letter, drawn=part) for letter, part in zip(letters, drawn, strict=True))


def _restyled(setting: Setting) -> tuple[Style, ...]:
    """The styles of a block's characters with the axes that its letters wear."""
    text = plain(setting.text)
    styles = list(setting.styles or (setting.style,) * len(text))
    for letter, axes in zip(set_block(replace(setting, moved_axes=(), shown=())), setting.moved_axes, strict=True):
        for character in range(letter.first, min(letter.first + len(letter.text), len(styles))):
            styles[character] = replace(styles[character], axes=axes)
    return tuple(styles)


def _instead(letter: Letter, text: str, setting: Setting) -> Letter:
    """Another letter in the place of one: as large, on the same baseline, their inks' middles above each other."""
    if not text.strip() or text == letter.text:
        return letter
    style = setting.styles[letter.first] if setting.styles else setting.style
    clusters = shape_line(plain(text), (style,) * len(plain(text)), setting.shaping)
    box = _ink(clusters[0].glyphs, style.family, style.axes) if clusters else None
    if box is None:
        return letter
    left, bottom, right, top = (side * letter.unit for side in box)
    origin = np.array([letter.x, letter.y, letter.z])
    aside = _rotation(letter.turn, letter.swing) @ np.array([letter.centre[0] - (left + right) / 2, 0.0, 0.0])
    x, y, z = (float(c) for c in origin + aside)
    glyphs, lacking = clusters[0].glyphs, clusters[0].lacking
    return replace(
        letter,
        text=text,
        glyphs=glyphs,
        lacking=lacking,
        left=left,
        bottom=bottom,
        right=right,
        top=top,
        x=x,
        y=y,
        z=z,
    )


def _lines(setting: Setting) -> list[_Line]:
    text = plain(setting.text)
    styles = setting.styles or (setting.style,) * len(text)
    found = []
    first = word = 0
    for number, row in enumerate(text.split("\n")):
        own = styles[first : first + len(row)]
        line = _Line([], [], [], [], [], 0.0, median([s.size for s in own]) if own else 1.0)
        words = _words(row, word)
        word = max([word, *(w + 1 for w in words if w >= 0)])
        for cluster in shape_line(row, own, setting.shaping):
            _append(line, cluster, own[cluster.first], first, number, words[cluster.first], setting)
        found.append(line)
        first += len(row) + 1
    return found


def _words(row: str, first: int) -> list[int]:
    """The number of the word that each character belongs to; -1 for spaces."""
    numbers, word, fresh = [], first - 1, True
    for character in row:
        if character.isspace():
            fresh = True
            numbers.append(-1)
        else:
            word += fresh
            fresh = False
            numbers.append(word)
    return numbers


def _append(line: _Line, cluster: Cluster, style: Style, base: int, number: int, word: int, setting: Setting) -> None:
    unit = setting.size * style.size / cap_height(style.family, cluster.font, style.axes)
    opened = (0.0 if cluster.joined else setting.tracking) + style.tracking
    before = opened * unit if cluster.leftward else 0.0
    after = 0.0 if cluster.leftward else opened * unit
    start = line.length + before
    end = start + cluster.advance * unit
    line.length = end + after
    box = _ink(cluster.glyphs, style.family, style.axes)
    if box is None:
        line.gaps.append(((start + end) / 2, True))
        return
    if line.letters and not cluster.joined:
        line.gaps.append((start, False))
    left, bottom, right, top = (side * unit for side in box)
    line.letters.append(
        Letter(
            cluster.text,
            cluster.glyphs,
            style.family,
            style.axes,
            unit,
            left,
            right,
            bottom,
            top,
            number,
            word,
            base + cluster.first,
            cluster.lacking,
            style.weight,
            style.depth,
        )
    )
    line.start.append(start)
    line.end.append(end)
    line.styles.append(style)


def _ink(glyphs: tuple[Glyph, ...], family: str, axes: Axes) -> Box | None:
    fonts = faces(family, axes)
    boxes = []
    for glyph in glyphs:
        box = fonts[glyph.font].extents(glyph.index)
        if box:
            boxes.append((box[0] + glyph.dx, box[1] + glyph.dy, box[2] + glyph.dx, box[3] + glyph.dy))
    if not boxes:
        return None
    lefts, bottoms, rights, tops = zip(*boxes, strict=True)
    return min(lefts), min(bottoms), max(rights), max(tops)


def _filled(lines: list[_Line], setting: Setting) -> list[_Line]:
    """Every line enlarged or reduced until its ink is as wide as the width asked for, or as the widest line."""
    spans = [line.ink() for line in lines]
    width = setting.width or max((high - low for low, high in spans), default=0.0)
    found = []
    for line, (low, high) in zip(lines, spans, strict=True):
        factor = min(width / (high - low), WIDEST_FILL) if high > low else 1.0
        letters = [
            replace(
                m,
                unit=m.unit * factor,
                left=m.left * factor,
                right=m.right * factor,
                bottom=m.bottom * factor,
                top=m.top * factor,
            )
            for m in line.letters
        ]
        found.append(
            _Line(
                letters,
                [x * factor for x in line.start],
                [x * factor for x in line.end],
                line.styles,
                [],
                line.length * factor,
                line.size * factor,
            )
        )
    return found


def _justified(line: _Line, width: float) -> None:
    """Widen a line's spaces, or where it has none the gaps between its letters, until its ink is `width` wide."""
    low, high = line.ink()
    spaces = [at for at, space in line.gaps if space and low < at < high]
    gaps = spaces or [at for at, _ in line.gaps]
    if not gaps or width <= high - low:
        return
    each = (width - (high - low)) / len(gaps)
    for k, start in enumerate(line.start):
        moved = each * sum(at <= start + 1e-12 for at in gaps)
        line.start[k] += moved
        line.end[k] += moved
    line.length += each * len(gaps)


def _baselines(lines: list[_Line], setting: Setting) -> list[float]:
    """Heights of the baselines, the last at 0. A larger line keeps its gap to the one above: its caps grow upward."""
    heights = [0.0]
    for line in lines[:0:-1]:
        heights.append(heights[-1] + setting.size * (setting.leading + line.size - 1))
    return heights[::-1]


def _seated(
    letter: Letter, start: float, end: float, above: float, length: float, style: Style, baseline: Baseline, size: float
) -> Letter:
    """A letter on its baseline: by the middle of its advance, then its own shift and its turn about its centre."""
    middle = (start + end) / 2
    place = seat(baseline, middle, above, length, (end - start) / 2)
    turn = place.turn + style.turn
    seated = np.array([place.x, place.y, place.z])
    before, after = _rotation(place.turn, place.swing), _rotation(turn, place.swing)
    centre = np.array([*letter.centre, 0.0])
    shift = np.array(style.shift) * size
    origin = seated + before @ (np.array([start - middle, 0.0, 0.0]) + centre + shift) - after @ centre
    x, y, z = (float(c) for c in origin)
    return replace(letter, x=x, y=y, z=z, turn=turn, swing=place.swing)


def _rotation(turn: float, swing: float) -> NDArray[np.float64]:
    """(3, 3): about z by `turn`, then about y by `swing`, both in degrees."""
    a, b = math.radians(turn), math.radians(swing)
    ca, sa, cb, sb = math.cos(a), math.sin(a), math.cos(b), math.sin(b)
    return np.array([[cb * ca, -cb * sa, sb], [sa, ca, 0.0], [-sb * ca, sb * sa, cb]])


def _stand(letters: list[Letter], size: float) -> tuple[Letter, ...]:
    lowest = min((_lowest(letter) for letter in letters), default=0.0)
    lift = -lowest if lowest < -DESCENT_KEPT * size else 0.0
    return tuple(replace(letter, y=letter.y + lift) for letter in letters) if lift else tuple(letters)


def _lowest(letter: Letter) -> float:
    a = math.radians(letter.turn)
    return letter.y + min(
        math.sin(a) * x + math.cos(a) * y for x in (letter.left, letter.right) for y in (letter.bottom, letter.top)
    )


AnySetting: TypeAlias = Setting | EmblemSetting


def letters_of(setting: AnySetting) -> tuple[Letter, ...]:
    """The letters of a block, or the parts of an emblem."""
    return set_block(setting) if isinstance(setting, Setting) else set_emblem(setting)
