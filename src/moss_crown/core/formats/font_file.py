"""Fonts from outside: checked, unpacked and described. Runs in a process with limits: nothing here trusts its input.

TrueType and OpenType (glyf, CFF, CFF2), collections, WOFF and WOFF2. fontTools unpacks; HarfBuzz, which is made for
hostile fonts, draws every glyph once.
"""

from __future__ import annotations

import hashlib
import io
import struct
from dataclasses import dataclass

import uharfbuzz as hb
from fontTools.ttLib import TTCollection, TTFont, TTLibError

from moss_crown.core import limits
from moss_crown.core.errors import FileRefused
from moss_crown.core.type.fonts import axes_in, feature_tags_in

SIGNATURES = {
    b"\x00\x01\x00\x00": "TrueType",
    b"true": "TrueType",
    b"OTTO": "OpenType",
    b"ttcf": "collection",
    b"wOFF": "WOFF",
    b"wOF2": "WOFF2",
}
NEEDED = ("cmap", "head", "hhea", "hmtx", "maxp")
OUTLINES = ("glyf", "CFF ", "CFF2")
_PROBES = {
    "Latin": "Aa",
    "Cyrillic": "Жж",
    "Greek": "Ωω",
    "Arabic": "بم",
    "Hebrew": "אש",
    "Devanagari": "कर",
    "Japanese": "の道",
    "Thai": "กม",
    "Hangul": "가나",
    "Armenian": "Աա",
    "Georgian": "აბ",
}


@dataclass(frozen=True, slots=True)
class FontFile:
    """A checked face: an id made from its content, its full name, its scripts, remarks, and its bytes as plain sfnt."""

    id: str
    name: str
    scripts: tuple[str, ...]
    remarks: tuple[str, ...]
    raw: bytes


def read_font(raw: bytes) -> tuple[FontFile, ...]:
    """The faces of a font file. Raises FileRefused with the reason when it is none, broken, or beyond a bound."""
    if len(raw) > limits.FONT_BYTES:
        raise FileRefused("file", f"at most {limits.FONT_BYTES} bytes", f"the font has {len(raw)} bytes")
    if raw[:4] not in SIGNATURES:
        raise FileRefused("file", ", ".join(dict.fromkeys(SIGNATURES.values())), "this is not a font file")
    try:
        return tuple(_checked(face) for face in _unpacked(raw))
    except (FileRefused, MemoryError):
        raise
    except (TTLibError, struct.error, AssertionError, ImportError) as broken:
        raise FileRefused(
            "file", "a sound font", f"the font is broken: {str(broken)[:200] or type(broken).__name__}"
        ) from None
    except Exception as broken:  # a damaged table can make the libraries that read it fail in any way
        raise FileRefused("file", "a sound font", f"the font is broken: {type(broken).__name__}") from None


def _unpacked(raw: bytes) -> list[bytes]:
    kind = SIGNATURES[raw[:4]]
    if kind == "collection":
        fonts = list(TTCollection(io.BytesIO(raw), lazy=True).fonts)
        if len(fonts) > limits.FACES_A_FILE:
            raise FileRefused("file", f"at most {limits.FACES_A_FILE} faces", f"the collection has {len(fonts)} faces")
    elif kind in ("WOFF", "WOFF2"):
        declared = struct.unpack(">I", raw[16:20])[0]
        if declared > limits.FONT_BYTES:
            raise FileRefused("file", f"at most {limits.FONT_BYTES} bytes unpacked", f"it unpacks to {declared} bytes")
        fonts = [TTFont(io.BytesIO(raw), lazy=True)]
    else:
        return [raw]
    found = []
    for font in fonts:
        font.flavor = None
        out = io.BytesIO()
        font.save(out, reorderTables=None)
        found.append(out.getvalue())
    return found


def _whole(raw: bytes) -> None:
    """Every table that the directory lists must lie within the file (OpenType specification, table directory)."""
    count = struct.unpack(">H", raw[4:6])[0] if len(raw) >= 12 else 0
    for k in range(count):
        entry = raw[12 + 16 * k : 28 + 16 * k]
        if len(entry) < 16:
            raise FileRefused("file", "a whole font", "the font is cut off")
        tag, _, offset, length = struct.unpack(">4sIII", entry)
        if offset + length > len(raw):
            raise FileRefused("file", "a whole font", f"the font is cut off: its table {tag!r} ends beyond the file")


class _Counter:
    """An outline sink that only counts, and stops a glyph that is beyond the bound."""

    def __init__(self) -> None:
        self.points = 0

    def __call__(self, *_: object) -> None:
        self.points += 1


def _checked(raw: bytes) -> FontFile:
    _whole(raw)
    face = hb.Face(raw)
    tables = set(face.table_tags)
    missing = [tag for tag in NEEDED if tag not in tables]
    if missing:
        raise FileRefused("file", f"tables {', '.join(NEEDED)}", f"the font lacks its table {missing[0]}")
    remarks = []
    if face.has_color_paint or face.has_color_layers or face.has_color_png or "SVG " in tables:
        remarks.append("a colour font: its plain outlines are used")
    if not tables.intersection(OUTLINES):
        raise FileRefused("file", "outlines", "the font has pictures of letters, but no outlines")
    if not 16 <= face.upem <= 16_384:
        raise FileRefused("file", "16 to 16384 units an em", f"the font has {face.upem} units an em")
    unicodes = frozenset(face.unicodes)
    if not unicodes:
        raise FileRefused("file", "a letter", "the font maps no character to a glyph")
    shaper = hb.Font(face)
    counter = _Counter()
    pen = hb.DrawFuncs()
    for set_one in (pen.set_move_to_func, pen.set_line_to_func, pen.set_quadratic_to_func, pen.set_cubic_to_func):
        set_one(counter)
    inked = 0
    for code in sorted(unicodes):
        before = counter.points
        shaper.draw_glyph(shaper.get_nominal_glyph(code) or 0, pen, None)
        drawn = counter.points - before
        if drawn > limits.POINTS_A_GLYPH:
            raise FileRefused("file", f"at most {limits.POINTS_A_GLYPH} points a glyph", f"U+{code:04X} has {drawn}")
        inked += drawn > 0
    if not inked:
        raise FileRefused("file", "outlines", "no letter of the font leaves ink")
    # What choosers and the desk will ask of it: a font that cannot answer is refused here, not found out by them.
    axes_in(face)
    feature_tags_in(face)
    scripts = tuple(name for name, probe in _PROBES.items() if all(ord(c) in unicodes for c in probe))
    name = (face.get_name(4) or face.get_name(1) or "unnamed font").strip()[:80] or "unnamed font"
    id = f"own-{hashlib.sha256(raw).hexdigest()[:20]}"
    return FontFile(id, "".join(c for c in name if c.isprintable()), scripts, tuple(remarks), raw)
