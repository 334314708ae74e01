"""How wide the stems of a family are, whatever is set in it."""

from __future__ import annotations

from functools import lru_cache
from statistics import median

from moss_crown.core.form.outline import Join, letter_outline, shaped
from moss_crown.core.form.section import stem_width
from moss_crown.core.type.families import Axes
from moss_crown.core.type.layout import EmblemSetting, Letter, Setting, letters_of
from moss_crown.core.type.shape import Glyph, Style, faces

WORD = "HEINno"
"""Letters with stems to measure; of a script without them its spare family's stand in."""
PARTS = 8
"""Of an emblem so many parts are measured."""


def stem_of(setting: Setting | EmblemSetting, weight: float = 0.0) -> float:
    """The width in metres of a stem of a block's own family, by the median of some letters; of an emblem that of its
    parts. `weight`, thousandths of an em on each side, adds to it."""
    if isinstance(setting, EmblemSetting):
        parts = letters_of(setting)[:PARTS]
        own = median(_width(part) for part in parts) if parts else 0.0
        return max(own + 2 * weight * (parts[0].unit if parts else 0.0), 0.0)
    width, unit = _family_stem(setting.style)
    return max((width + 2 * weight * unit) * setting.size, 0.0)


@lru_cache(maxsize=256)
def _family_stem(style: Style) -> tuple[float, float]:
    """The width of a stem in cap heights, and a thousandth of an em in those."""
    plain = Style(style.family, style.axes)
    letters = letters_of(Setting(text=WORD, style=plain, size=1.0))
    return median(_width(letter) for letter in letters), letters[0].unit


def _width(letter: Letter) -> float:
    return stem(letter.glyphs, letter.family, letter.axes, letter.unit)


@lru_cache(maxsize=4096)
def stem(
    glyphs: tuple[Glyph, ...],
    family: str,
    axes: Axes,
    unit: float,
    weight: float = 0.0,
    fill: bool = False,
    wall: float = 0.0,
    join: Join = "mitre",
) -> float:
    """The width in metres of a letter's stems, as a form makes them: see `shaped`; the wall in metres."""
    rings = letter_outline(glyphs, faces(family, axes))
    return stem_width(shaped(rings, weight, fill, wall / unit, join)) * unit
