"""One line of text to clusters: fallback by letter, runs, shaping by HarfBuzz.

A run is what can be shaped in one go: one face, size, script and direction. Every run is shaped with its neighbours
as context, so that a joined script keeps its joins across a change of style.
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby

import uharfbuzz as hb
from fontTools.unicodedata import script as script_of

from moss_crown.core.type import fonts
from moss_crown.core.type.bidi import Direction, base_level, levels, visual_order
from moss_crown.core.type.emblem import find as emblem
from moss_crown.core.type.emblem import is_emblem
from moss_crown.core.type.families import FALLBACKS, Axes, find
from moss_crown.core.type.fonts import Face, Font, open_font

JOINERS = "\u200c\u200d"
"""Zero-width non-joiner and joiner: they shape their neighbours and leave no ink."""

JOINED = frozenset(("Arab", "Syrc", "Mand", "Mong", "Nkoo", "Phag", "Adlm", "Rohg", "Deva", "Beng", "Guru"))
"""Scripts whose letters touch their neighbours at rest, by joins or by a headline: tracking opens only their spaces."""


@dataclass(frozen=True, slots=True)
class Style:
    """How one letter is set and formed.

    `size`: a factor; `tracking`: space after it, in thousandths of an em, on top of the block's; `shift`: right, up and
    forward in cap heights of the block; `turn`: degrees about its own centre; `weight`: thousandths of an em by which
    its outline grows; `depth`: a factor.
    """

    family: str
    axes: Axes = ()
    size: float = 1.0
    tracking: float = 0.0
    shift: tuple[float, float, float] = (0.0, 0.0, 0.0)
    turn: float = 0.0
    weight: float = 0.0
    depth: float = 1.0


@dataclass(frozen=True, slots=True)
class Glyph:
    """A glyph of a letter, placed from the letter's origin in thousandths of an em."""

    font: int  # index into the faces of its family
    index: int
    dx: float
    dy: float


@dataclass(frozen=True, slots=True)
class Cluster:
    """What HarfBuzz keeps together: `first` is the index of its first character in the line; `advance` in thousandths
    of an em of its face; `joined`: it touches its neighbours; `lacking`: the family lacks it."""

    text: str
    first: int
    glyphs: tuple[Glyph, ...]
    font: int
    advance: float
    leftward: bool
    joined: bool
    lacking: bool


@dataclass(frozen=True, slots=True)
class Shaping:
    """What shaping depends on beside the text and its styles."""

    direction: Direction = "auto"
    language: str = ""
    features: tuple[tuple[str, int], ...] = ()


PLAIN = Shaping()


@lru_cache(maxsize=1024)
def faces(family: str, axes: Axes = ()) -> tuple[Face, ...]:
    """The faces that draw a family at a place on its axes, the fallbacks last; an emblem is one face.

    Raises FamilyUnknown.
    """
    if is_emblem(family):
        return (emblem(family),)
    return fonts_of(family, axes)


@lru_cache(maxsize=1024)
def fonts_of(family: str, axes: Axes = ()) -> tuple[Font, ...]:
    """The fonts that set a family, the fallbacks last. Raises FamilyUnknown."""
    own = find(family)
    at = tuple(sorted((dict(own.at) | dict(axes)).items()))
    return (
        *(open_font(source, at) for source in own.sources),
        *(open_font(source, spare.at) for spare in FALLBACKS for source in spare.sources),
    )


def forget() -> None:
    """Let go of every opened font and emblem: some of what they were read from is no longer kept."""
    faces.cache_clear()
    fonts_of.cache_clear()
    fonts.forget()


def own_faces(family: str) -> int:
    """How many of the faces of a family are its own."""
    return 1 if is_emblem(family) else len(find(family).sources)


def cap_height(family: str, font: int, axes: Axes) -> float:
    """The cap height by which a glyph of a face is sized: its family's, or a fallback's own."""
    found = faces(family, axes)
    return found[font if font >= own_faces(family) else 0].cap_height


@lru_cache(maxsize=4096)
def shape_line(line: str, styles: tuple[Style, ...], shaping: Shaping) -> tuple[Cluster, ...]:
    """The clusters of a line from left to right. `styles` has one entry a character."""
    base = base_level(line, shaping.direction)
    level = levels(line, base)
    marks = _marks(line, styles)
    runs: list[tuple[int, tuple[Cluster, ...]]] = []
    pieces = groupby(range(len(line)), key=lambda k: (marks[k], level[k]))
    for (mark, depth), indices in pieces:
        own = list(indices)
        if mark is not None:
            runs.append((depth, _shape_run(line, own[0], len(own), mark, depth % 2 == 1, shaping)))
    return tuple(cluster for run in visual_order(runs) for cluster in run)


_Mark = tuple[str, Axes, float, int, str]


def _marks(line: str, styles: tuple[Style, ...]) -> list[_Mark | None]:
    """For each character what must be alike within a run: family, axes, size, face, script. None: it is dropped."""
    marks: list[_Mark | None] = []
    script = _first_script(line)
    k = 0
    while k < len(line):
        end = k + 1
        while end < len(line) and (unicodedata.category(line[end])[0] == "M" or line[end] in JOINERS):
            end += 1
        if unicodedata.category(line[k]) in ("Cc", "Cs", "Cf") and line[k] not in JOINERS:
            marks += [None] * (end - k)
        else:
            style = styles[k]
            own = script_of(line[k])
            script = script if own in ("Zyyy", "Zinh") else own
            font = _face_for(line[k:end], style)
            marks += [(style.family, style.axes, style.size, font, script)] * (end - k)
        k = end
    return marks


def _first_script(line: str) -> str:
    return next((s for s in map(script_of, line) if s not in ("Zyyy", "Zinh", "Zzzz")), "Latn")


def _face_for(grapheme: str, style: Style) -> int:
    """The first face that covers a base letter with all its marks; the first fallback if none does."""
    wanted = [ord(c) for c in grapheme if c not in JOINERS]
    found = faces(style.family, style.axes)
    for index, font in enumerate(found):
        if all(code in font.coverage for code in wanted):
            return index
    return own_faces(style.family)


def _shape_run(
    line: str, first: int, length: int, mark: _Mark, leftward: bool, shaping: Shaping
) -> tuple[Cluster, ...]:
    family, axes, _, index, script = mark
    font = fonts_of(family, axes)[index]
    buffer = hb.Buffer()
    buffer.add_codepoints([ord(c) for c in line], first, length)
    buffer.direction = "rtl" if leftward else "ltr"
    buffer.script = script
    if shaping.language:
        buffer.language = shaping.language
    buffer.guess_segment_properties()
    hb.shape(font.shaper, buffer, dict(shaping.features))
    starts = sorted({info.cluster for info in buffer.glyph_infos})
    ends = dict(zip(starts, [*starts[1:], first + length], strict=True))
    lacking = index >= own_faces(family)
    shaped: list[Cluster] = []
    pairs = zip(buffer.glyph_infos, buffer.glyph_positions, strict=True)
    for start, group in groupby(pairs, key=lambda pair: pair[0].cluster):
        glyphs, pen = [], 0.0
        for info, position in group:
            glyphs.append(
                Glyph(index, info.codepoint, pen + position.x_offset * font.unit, position.y_offset * font.unit)
            )
            pen += position.x_advance * font.unit
        text = line[start : ends[start]]
        shaped.append(
            Cluster(
                text,
                start,
                tuple(glyphs),
                index,
                pen,
                leftward,
                script in JOINED and not text.isspace(),
                lacking and not text.isspace(),
            )
        )
    return tuple(shaped)
