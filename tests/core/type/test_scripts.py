"""Scripts: shaped as HarfBuzz shapes them, ordered as Unicode orders them, joined where they join."""

import pytest
import uharfbuzz as hb
from hypothesis import given
from hypothesis import strategies as st

from letters import setting
from moss_crown.core.type.bidi import base_level, levels, visual_order
from moss_crown.core.type.families import FAMILIES, FOLDER
from moss_crown.core.type.fonts import axes_of, open_font
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.shape import Shaping, Style, shape_line

WORDS = [
    ("eb-garamond", "latin", "Office fjord"),
    ("fraunces", "latin", "Waltz AVATAR"),
    ("commissioner", "cyrillic", "Соляные дороги"),
    ("eb-garamond", "greek", "Θάλασσα"),
    ("lalezar", "arabic", "بحر الملح"),
    ("reem-kufi", "arabic", "ست معابر"),
    ("frank-ruhl-libre", "hebrew", "שישה מעברים"),
    ("rozha-one", "devanagari", "ज्वार की रानी"),
    ("teko", "devanagari", "समुद्र क्षितिज"),
    ("dela-gothic-one", "japanese", "潮の道しるべ"),
    ("dela-gothic-one", "japanese", "ウミネコ"),
]


@pytest.mark.parametrize(("family", "part", "text"), WORDS)
def test_positions_in_every_script_are_harfbuzz_own(family, part, text):
    font = open_font(FOLDER / f"{family}-{part}.ttf", FAMILIES[family].at)
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    hb.shape(font.shaper, buffer)
    pen, expected = 0.0, []
    for info, position in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        if font.extents(info.codepoint):
            expected.append((info.codepoint, pen + position.x_offset * font.unit, position.y_offset * font.unit))
        pen += position.x_advance * font.unit
    letters = set_block(setting(text, family))
    assert not any(letter.lacking for letter in letters)
    found = [
        (g.index, letter.x / letter.unit + g.dx, g.dy)
        for letter in letters
        for g in letter.glyphs
        if font.extents(g.index)
    ]
    found.sort(key=lambda g: g[1])
    expected.sort(key=lambda g: g[1])
    shift = found[0][1] - expected[0][1]
    assert [g for g, _, _ in found] == [g for g, _, _ in expected]
    assert [x - shift for _, x, _ in found] == pytest.approx([x for _, x, _ in expected], abs=1e-6)
    assert [y for _, _, y in found] == pytest.approx([y for _, _, y in expected], abs=1e-6)


def test_letters_are_counted_in_reading_order_whichever_way_they_run():
    letters = set_block(setting("שלום", "frank-ruhl-libre"))
    assert "".join(letter.text for letter in letters) == "שלום"
    assert [letter.index for letter in letters] == [0, 1, 2, 3]
    assert [letter.x for letter in letters] == sorted((letter.x for letter in letters), reverse=True)


def test_a_joined_script_keeps_its_joins_under_tracking_and_across_a_change_of_style():
    word = "بحرية"
    tight = set_block(setting(word, "lalezar"))
    assert [m.x for m in set_block(setting(word, "lalezar", tracking=400.0))] == pytest.approx([m.x for m in tight])
    spaced, closed = (
        set_block(setting("بحر ملح", "lalezar", tracking=t))[-1].x - set_block(setting("بحر ملح", "lalezar"))[-1].x
        for t in (400.0, 0.0)
    )
    assert spaced != closed == 0
    base = Style("lalezar")
    styled = (base, Style("lalezar", size=1.5), *(base,) * 3)
    shapes = [tuple(g.index for g in m.glyphs) for m in tight]
    mixed = set_block(setting(word, "lalezar", styles=styled))
    assert [tuple(g.index for g in m.glyphs) for m in mixed] == shapes


def test_a_ligature_is_one_letter_and_can_be_switched_off():
    together = [m.text for m in set_block(setting("office", "eb-garamond"))]
    apart = set_block(setting("office", "eb-garamond", shaping=Shaping(features=(("liga", 0),))))
    assert len(together) < 6
    assert [m.text for m in apart] == list("office")


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("abc", [0, 0, 0]),
        ("אבג", [1, 1, 1]),
        ("ab אב", [0, 0, 0, 1, 1]),
        ("אב ab", [1, 1, 1, 2, 2]),
        ("אב 12", [1, 1, 1, 2, 2]),
        ("ab (אב) c", [0, 0, 0, 0, 1, 1, 0, 0, 0]),
        ("بح ١٢", [1, 1, 1, 2, 2]),
        ("1.5 אב", [2, 2, 2, 1, 1, 1]),
        ("אב  ", [1, 1, 1, 1]),
    ],
)
def test_levels(text, expected):
    assert levels(text, base_level(text, "auto")) == expected


def test_a_direction_can_be_set_against_the_text():
    assert base_level("abc", "right_to_left") == 1
    assert [c.text for c in shape_line("ab!", (Style("rubik"),) * 3, Shaping("right_to_left"))] == ["!", "a", "b"]


def test_runs_turn_around_by_their_levels():
    assert visual_order([(0, "a"), (1, "b"), (1, "c"), (2, "d"), (0, "e")]) == ["a", "d", "c", "b", "e"]


@given(st.text(st.characters(codec="utf-8"), max_size=24))
def test_any_text_at_all_is_set_and_nothing_is_lost(text):
    line = text.replace("\n", " ")
    clusters = shape_line(line, (Style("rubik"),) * len(line), Shaping())
    said = sorted(k for c in clusters for k in range(c.first, c.first + len(c.text)))
    assert said == sorted(set(said)), "a character is in two letters"
    assert all(line[c.first : c.first + len(c.text)] == c.text for c in clusters)


def test_axes_move_outlines_and_stay_within_their_ends():
    path = FAMILIES["archivo"].sources[0]
    assert {axis.tag for axis in axes_of(path)} >= {"wght", "wdth"}

    def stem(weight):
        box = set_block(setting("I", "archivo", (("wght", weight),)))[0]
        return box.right - box.left

    assert stem(100) < stem(500) < stem(900) == stem(5000)
    keys = {open_font(path, (("wght", w),)).key for w in (100.0, 500.0, 900.0, 5000.0)}
    assert len(keys) == 3


@pytest.mark.parametrize("family", FAMILIES)
def test_what_a_family_says_of_its_scripts_is_true(family):
    letters = {
        "Latin": "Aß",
        "Cyrillic": "Ж",
        "Greek": "Ω",
        "Arabic": "ب",
        "Hebrew": "ש",
        "Devanagari": "क",
        "Japanese": "道",
    }
    one = FAMILIES[family]
    for script, text in letters.items():
        lacking = any(m.lacking for m in set_block(setting(text, family)))
        assert lacking != (script in one.scripts) or script == "Latin"
