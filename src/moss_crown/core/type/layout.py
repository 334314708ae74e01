"""Text to placed letters: fallback by letter, shaping by HarfBuzz, tracking, lines, alignment.

A letter is a shaping cluster that leaves ink: the unit of animation. Positions in metres.
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby

import uharfbuzz as hb

from moss_crown.core.errors import FamilyUnknown
from moss_crown.core.type.families import FALLBACK, FAMILIES
from moss_crown.core.type.fonts import Font, open_font

DESCENT_KEPT = 0.05
"""A round letter dips below the baseline by a few hundredths of its height: it still stands on the floor. What
goes deeper than this share of the cap height is a descender, and lifts the block."""


@dataclass(frozen=True, slots=True)
class Glyph:
    """A glyph of a letter, placed from the letter's origin in thousandths of an em."""

    font: int  # index into the faces of its family
    index: int
    dx: float
    dy: float


@dataclass(frozen=True, slots=True)
class Letter:
    """One letter at rest. `unit` takes thousandths of an em to metres."""

    text: str
    glyphs: tuple[Glyph, ...]
    family: str
    x: float
    y: float
    unit: float
    left: float
    right: float
    bottom: float
    top: float
    line: int
    word: int
    index: int
    lacking: bool  # the family lacks it: drawn from the fallback family


@dataclass(frozen=True, slots=True)
class Setting:
    """What decides the lines of a block. Metres, thousandths of an em, cap heights, as in the document."""

    text: str
    family: str
    size: float
    tracking: float
    leading: float
    align: str


@dataclass(frozen=True, slots=True)
class _Cluster:
    text: str
    glyphs: tuple[Glyph, ...]
    advance: float
    lacking: bool


def faces(family: str) -> tuple[Font, ...]:
    """The fonts that set a family, the fallback last. Raises FamilyUnknown."""
    if family not in FAMILIES:
        raise FamilyUnknown("family", family)
    return tuple(open_font(path) for path in (*FAMILIES[family].paths(), *FALLBACK.paths()))


@lru_cache(maxsize=1024)
def set_block(setting: Setting) -> tuple[Letter, ...]:
    """Lay out a block: letters in reading order. Lines may be empty; spaces leave no letter.

    Ink, not advance, is aligned, so that a flush edge is flush to the eye. The block stands on y = 0 unless
    descenders go deeper than DESCENT_KEPT of the cap height; then it is lifted until the deepest touches.
    """
    fonts = faces(setting.family)
    unit = setting.size / fonts[0].cap_height
    letters: list[Letter] = []
    word = 0
    lines = unicodedata.normalize("NFC", setting.text).split("\n")
    for number, line in enumerate(lines):
        x = 0.0
        baseline = (len(lines) - 1 - number) * setting.leading * setting.size
        fresh = True
        for cluster in _shape_line(line, setting.family):
            box = _ink(cluster.glyphs, fonts)
            if box is None:
                fresh = True
            else:
                word += fresh and bool(letters)
                fresh = False
                left, bottom, right, top = (side * unit for side in box)
                letters.append(
                    Letter(
                        cluster.text,
                        cluster.glyphs,
                        setting.family,
                        x * unit,
                        baseline,
                        unit,
                        left,
                        right,
                        bottom,
                        top,
                        number,
                        word,
                        len(letters),
                        cluster.lacking,
                    )
                )
            x += cluster.advance + setting.tracking
    return _stand(_aligned(letters, setting.align), setting.size)


def _aligned(letters: list[Letter], align: str) -> list[Letter]:
    spans: dict[int, tuple[float, float]] = {}
    for letter in letters:
        low, high = spans.get(letter.line, (float("inf"), float("-inf")))
        spans[letter.line] = min(low, letter.x + letter.left), max(high, letter.x + letter.right)
    widest = max((high - low for low, high in spans.values()), default=0.0)
    shift = {
        line: {"left": -widest / 2 - low, "right": widest / 2 - high, "centre": -(low + high) / 2}[align]
        for line, (low, high) in spans.items()
    }
    return [_moved(letter, shift[letter.line], 0.0) for letter in letters]


def _stand(letters: list[Letter], size: float) -> tuple[Letter, ...]:
    lowest = min((letter.y + letter.bottom for letter in letters), default=0.0)
    lift = -lowest if lowest < -DESCENT_KEPT * size else 0.0
    return tuple(_moved(letter, 0.0, lift) for letter in letters)


def _moved(letter: Letter, dx: float, dy: float) -> Letter:
    return Letter(
        letter.text,
        letter.glyphs,
        letter.family,
        letter.x + dx,
        letter.y + dy,
        letter.unit,
        letter.left,
        letter.right,
        letter.bottom,
        letter.top,
        letter.line,
        letter.word,
        letter.index,
        letter.lacking,
    )


def _ink(glyphs: tuple[Glyph, ...], fonts: tuple[Font, ...]) -> tuple[float, float, float, float] | None:
    boxes = []
    for glyph in glyphs:
        box = fonts[glyph.font].extents(glyph.index)
        if box:
            boxes.append((box[0] + glyph.dx, box[1] + glyph.dy, box[2] + glyph.dx, box[3] + glyph.dy))
    if not boxes:
        return None
    lefts, bottoms, rights, tops = zip(*boxes, strict=True)
    return min(lefts), min(bottoms), max(rights), max(tops)


@lru_cache(maxsize=4096)
def _shape_line(line: str, family: str) -> tuple[_Cluster, ...]:
    fonts = faces(family)
    clusters: list[_Cluster] = []
    for font, run in groupby(_assigned(line, fonts), key=lambda pair: pair[1]):
        text = "".join(grapheme for grapheme, _ in run)
        clusters += _shape_run(text, font, fonts, lacking=font == len(fonts) - 1)
    return tuple(clusters)


def _assigned(line: str, fonts: tuple[Font, ...]) -> list[tuple[str, int]]:
    """Each base letter with its marks, and the first face that covers them all (the fallback if none does)."""
    graphemes: list[str] = []
    for character in line:
        if unicodedata.category(character) in ("Cc", "Cs", "Cf"):
            continue
        if graphemes and unicodedata.combining(character):
            graphemes[-1] += character
        else:
            graphemes.append(character)
    last = len(fonts) - 1
    return [
        (g, next((i for i, font in enumerate(fonts) if all(ord(c) in font.coverage for c in g)), last))
        for g in graphemes
    ]


def _shape_run(text: str, index: int, fonts: tuple[Font, ...], lacking: bool) -> list[_Cluster]:
    font = fonts[index]
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    hb.shape(font.shaper, buffer)
    starts = sorted({info.cluster for info in buffer.glyph_infos})
    ends = dict(zip(starts, [*starts[1:], len(text)], strict=True))
    shaped: list[_Cluster] = []
    pairs = zip(buffer.glyph_infos, buffer.glyph_positions, strict=True)
    for cluster, group in groupby(pairs, key=lambda pair: pair[0].cluster):
        glyphs, pen = [], 0.0
        for info, position in group:
            glyphs.append(
                Glyph(index, info.codepoint, pen + position.x_offset * font.unit, position.y_offset * font.unit)
            )
            pen += position.x_advance * font.unit
        letter = text[cluster : ends[cluster]]
        shaped.append(_Cluster(letter, tuple(glyphs), pen, lacking and not letter.isspace()))
    return shaped
