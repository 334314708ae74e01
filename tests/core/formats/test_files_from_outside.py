"""Fonts and drawings from outside: what is sound is read as it is, what is not is refused with a reason."""

import io
import random

import numpy as np
import pytest
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.t2CharStringPen import T2CharStringPen
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTCollection, TTFont
from fontTools.ttLib.tables._g_l_y_f import GlyphComponent

from letters import setting
from moss_crown.core import limits
from moss_crown.core.assets import Asset, bring_in
from moss_crown.core.errors import FileRefused
from moss_crown.core.form.outline import area, clean
from moss_crown.core.formats.font_file import read_font
from moss_crown.core.formats.svg_file import read_svg
from moss_crown.core.type.families import FOLDER
from moss_crown.core.type.layout import EmblemSetting, set_block, set_emblem


def drawn(pen):
    pen.moveTo((100, 0))
    for point in ((500, 0), (500, 700), (100, 700)):
        pen.lineTo(point)
    pen.closePath()
    return pen


def made(cff=False, text="A", points=0):
    """A tiny font with one square letter."""
    builder = FontBuilder(1000, isTTF=not cff)
    builder.setupGlyphOrder([".notdef", "A"])
    builder.setupCharacterMap({ord(c): "A" for c in text})
    if cff:
        pens = {name: T2CharStringPen(600, None) for name in (".notdef", "A")}
        drawn(pens["A"])
        builder.setupCFF("Lowmere-Test", {}, {name: pen.getCharString() for name, pen in pens.items()}, {})
    else:
        pens = {name: TTGlyphPen(None) for name in (".notdef", "A")}
        drawn(pens["A"])
        for k in range(points):
            pens["A"].moveTo((k % 900, k % 700))
            pens["A"].lineTo((k % 900 + 5, k % 700))
            pens["A"].lineTo((k % 900, k % 700 + 5))
            pens["A"].closePath()
        builder.setupGlyf({name: pen.glyph() for name, pen in pens.items()})
    builder.setupHorizontalMetrics({".notdef": (600, 0), "A": (600, 100)})
    builder.setupHorizontalHeader(ascent=800, descent=-200)
    builder.setupNameTable({"familyName": "Lowmere Test", "styleName": "Regular", "fullName": "Lowmere Test Regular"})
    builder.setupOS2()
    builder.setupPost()
    return builder.font


def saved(font, flavour=None):
    font.flavor = flavour
    out = io.BytesIO()
    font.save(out)
    return out.getvalue()


@pytest.mark.parametrize("cff", [False, True])
@pytest.mark.parametrize("flavour", [None, "woff", "woff2"])
def test_every_kind_of_font_file_is_read(cff, flavour):
    (face,) = read_font(saved(made(cff), flavour))
    assert face.name == "Lowmere Test Regular"
    assert face.id.startswith("own-")
    bring_in(Asset(face.id, "font", face.name, {"scripts": list(face.scripts)}, face.raw))
    (letter,) = set_block(setting("A", face.id))
    assert not letter.lacking
    assert (letter.right - letter.left, letter.top) == pytest.approx((400 / 700, 1.0))


def test_a_collection_brings_all_its_faces_and_a_variable_font_its_axes():
    collection = TTCollection()
    collection.fonts = [made(), made(text="AB")]
    out = io.BytesIO()
    collection.save(out)
    assert len({face.id for face in read_font(out.getvalue())}) == 2
    (face,) = read_font((FOLDER / "archivo-latin.ttf").read_bytes())
    bring_in(Asset(face.id, "font", face.name, {}, face.raw))
    thin, heavy = (set_block(setting("I", face.id, (("wght", w),)))[0] for w in (100.0, 900.0))
    assert thin.right - thin.left < heavy.right - heavy.left
    assert "Latin" in face.scripts


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        (b"", "not a font"),
        (b"<svg/>" * 100, "not a font"),
        (b"\x00\x01\x00\x00" + b"\0" * 200, "lacks its table"),
        (b"wOF2" + b"\xff" * 400, "unpacks to"),
        (b"wOFF" + b"\0" * 400, "broken"),
        (b"ttcf" + b"\xff" * 40, "broken"),
        (b"OTTO" + b"\0" * (limits.FONT_BYTES + 1), "bytes"),
    ],
)
def test_what_is_no_font_is_refused(raw, said):
    with pytest.raises(FileRefused, match=said) as refused:
        read_font(raw)
    assert refused.value.bound


def test_fonts_without_letters_or_with_too_many_points_or_cycles_are_refused_or_read():
    with pytest.raises(FileRefused, match="maps no character"):
        read_font(saved(made(text="")))
    with pytest.raises(FileRefused, match="U\\+0041"):
        read_font(saved(made(points=limits.POINTS_A_GLYPH)))
    font = made()
    glyph = font["glyf"]["A"]
    glyph.numberOfContours = -1
    component = GlyphComponent()
    component.glyphName, component.x, component.y, component.flags = "A", 0, 0, 0x2
    glyph.components = [component]
    font.recalcBBoxes = False
    with pytest.raises(FileRefused, match="no letter of the font leaves ink"):
        read_font(saved(font))


def test_a_table_without_a_readable_name_is_refused():
    raw = bytearray((FOLDER / "cinzel-latin.ttf").read_bytes())
    raw[12:16] = b"a\xff\xffb"
    with pytest.raises(FileRefused):
        read_font(bytes(raw))


def test_a_truncated_or_damaged_font_never_does_worse_than_being_refused():
    raw = (FOLDER / "cinzel-latin.ttf").read_bytes()
    packed = saved(TTFont(io.BytesIO(raw)), "woff2")
    rng = random.Random(4)
    outcomes = {"read": 0, "refused": 0}
    for turn in range(120):
        source = bytearray(packed if turn % 3 == 0 else raw)
        for _ in range(rng.choice((1, 8, 60))):
            source[rng.randrange(len(source))] = rng.randrange(256)
        if turn % 4 == 0:
            del source[rng.randrange(200, len(source)) :]
        try:
            read_font(bytes(source))
            outcomes["read"] += 1
        except FileRefused:
            outcomes["refused"] += 1
    assert outcomes["refused"] > 20


def parts(body, head=""):
    return read_svg(f'<svg xmlns="http://www.w3.org/2000/svg" {head}>{body}</svg>'.encode()).parts


def covered(part):
    return sum(area(ring) for ring in part.rings)


def test_shapes_have_the_areas_they_must_have():
    frame = '<rect width="100" height="100"/>'
    cases = {
        '<circle cx="50" cy="50" r="30"/>': np.pi * 30**2,
        '<ellipse cx="50" cy="50" rx="40" ry="10"/>': np.pi * 400,
        '<rect x="10" y="10" width="60" height="20" rx="10"/>': 60 * 20 - (4 - np.pi) * 100,
        '<polygon points="0,0 40,0 40,30"/>': 600,
        '<path d="M10 10h30v30h-30z"/>': 900,
        '<path d="M0 0h40v40h-40z M10 10h20v20h-20z" fill-rule="evenodd"/>': 1600 - 400,
        '<path d="M0 0h40v40h-40z M10 10h20v20h-20z"/>': 1600,
        '<line x1="10" y1="50" x2="90" y2="50" stroke="red" stroke-width="4"/>': 320,
        '<circle cx="50" cy="50" r="30" fill="none" stroke="#123" stroke-width="2"/>': 2 * np.pi * 30 * 2,
        '<path d="M50 50 A 20 20 0 0 1 90 50 L 50 50"/>': np.pi * 200,
    }
    for shape, expected in cases.items():
        square, one = parts(frame + shape)
        assert covered(square) == pytest.approx(1e6), shape
        assert covered(one) == pytest.approx(expected * 100, rel=2e-3), shape


def test_transforms_groups_use_and_styles():
    body = """
      <style>.sea { fill: #336699 } #lamp { fill: rgb(255, 204, 0) }</style>
      <defs><rect id="brick" width="10" height="10"/></defs>
      <rect width="100" height="100" fill="none" stroke="black" stroke-width="0.001"/>
      <g transform="translate(20 30) rotate(90) scale(2)" class="sea"><use href="#brick" x="1"/></g>
      <rect id="lamp" x="80" y="80" width="5" height="5" style="fill-opacity:1"/>
    """
    _, brick, lamp = parts(body)
    assert brick.colour == pytest.approx((0.2, 0.4, 0.6))
    assert lamp.colour == pytest.approx((1, 0.8, 0))
    assert lamp.name == "lamp"
    box = np.vstack(brick.rings)
    # x 1..11 and y 0..10, doubled, turned a quarter (y down: x becomes y), moved.
    assert box.min(0) == pytest.approx(((0 - 50) * 10, (100 - 52) * 10), abs=0.2)
    assert box.max(0) == pytest.approx(((20 - 50) * 10, (100 - 32) * 10), abs=0.2)


@pytest.mark.parametrize(
    ("transform", "sheet"),
    [
        ("translate(10,4), scale(2 3)", ".a{fill:red}"),
        ("  translate( 10 4 )\n,scale(2,3) ", "/* .a { fill: blue } */ .b, .a { fill: red }"),
        ("matrix(2 0 0 3 10 4)", "@media all { .a { fill: red } }"),
        ("translate(10 4) scale(2 3) trailing", ".a { fill: red } .never { fill: blue"),
        ("translate(10 4) scale(2 3) open(1", ".a { fill: blue } .a { fill: red } /* no end"),
    ],
)
def test_transforms_and_style_sheets_are_read_however_they_are_written(transform, sheet):
    plain = read_svg(b'<svg><rect width="1" height="1"/><rect x="10" y="4" width="8" height="9" fill="red"/></svg>')
    styled = f'<svg><style>{sheet}</style><rect width="1" height="1"/>'
    styled += f'<rect class="a" width="4" height="3" transform="{transform}"/></svg>'
    for part, other in zip(read_svg(styled.encode()).parts, plain.parts, strict=True):
        assert part.colour == other.colour
        corners = [np.array(sorted(np.vstack(p.rings).round(3).tolist())) for p in (part, other)]
        assert corners[0] == pytest.approx(corners[1], abs=0.01)


def test_parts_of_an_emblem_are_letters_that_stand_on_the_floor():
    emblem = read_svg(b'<svg><rect width="4" height="2"/><circle id="moon" cx="8" cy="1" r="1"/></svg>')
    bring_in(Asset(emblem.id, "emblem", "two", emblem.facts(), b""))
    box, moon = set_emblem(EmblemSetting(emblem.id, 2.0))
    assert (box.text, moon.text) == ("rect", "moon")
    assert (box.left, box.right, box.bottom, box.top) == pytest.approx((-4.5, -0.5, 0, 2), abs=1e-3)
    assert moon.right == pytest.approx(4.5, abs=1e-3)
    assert clean(list(map(np.asarray, emblem.parts[1].rings)))


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        (b"<svg><script>1</script></svg>", "script"),
        (b'<svg><rect onclick="x()" width="9" height="9"/></svg>', "onclick"),
        (b'<svg><image href="#a"/></svg>', "image"),
        (b'<svg><use href="https://lowmere.example/x.svg#a"/></svg>', "outside"),
        (b'<svg><style>@import "x.css";</style><rect width="1" height="1"/></svg>', "outside"),
        (b'<svg><rect width="1" height="1" fill="url(http://x/#a)"/></svg>', "outside"),
        (b'<!DOCTYPE s [<!ENTITY a "aaa"><!ENTITY b "&a;&a;">]><svg>&b;</svg>', "entities"),
        (b'<!DOCTYPE s [<!ENTITY a SYSTEM "file:///etc/passwd">]><svg>&a;</svg>', "entities"),
        (b"<svg>" + b"<g>" * 10_000 + b"</g>" * 10_000 + b"</svg>", "deep"),
        (b"<svg>" + b"<g/>" * (limits.SVG_ELEMENTS + 1) + b"</svg>", "elements"),
        (b'<svg><g id="a"><use href="#a"/></g></svg>', "itself"),
        (b'<svg><path d="M0 0L1e30 1"/></svg>', "too far"),
        (b"<svg></svg>", "shows nothing"),
        (b"<svg><text>TIDE</text></svg>", "shows nothing"),
        (b"<html/>", "first element"),
        (b"not at all", "not readable"),
        (b"<svg>" + b" " * limits.SVG_BYTES + b"</svg>", "bytes"),
    ],
)
def test_hostile_and_broken_drawings_are_refused(raw, said):
    with pytest.raises(FileRefused, match=said):
        read_svg(raw)


def test_uses_that_multiply_are_bounded():
    levels = "".join(
        f'<g id="l{k}">' + f'<use href="#l{k - 1}"/>' * 10 + "</g>" if k else '<rect id="l0" width="1" height="1"/>'
        for k in range(8)
    )
    with pytest.raises(FileRefused):
        parts(f'<defs>{levels}</defs><use href="#l7"/>')


def test_what_cannot_be_drawn_is_left_out_and_said():
    emblem = read_svg(b'<svg><rect width="9" height="9" fill="url(#g)" filter="url(#f)"/><text>SALT</text></svg>')
    assert len(emblem.parts) == 1
    assert any("text" in r for r in emblem.remarks)
    assert any("gradients" in r for r in emblem.remarks)
    assert any("filter" in r for r in emblem.remarks)
