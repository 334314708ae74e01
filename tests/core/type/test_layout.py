"""Layout: shaped as HarfBuzz shapes, aligned by ink, letters that a family lacks named and drawn all the same."""

import pytest
import uharfbuzz as hb

from letters import setting
from moss_crown.core.errors import FamilyUnknown
from moss_crown.core.type.families import FALLBACK, FAMILIES, FOLDER
from moss_crown.core.type.fonts import open_font
from moss_crown.core.type.layout import DESCENT_KEPT, set_block
from moss_crown.core.type.shape import own_faces


@pytest.mark.parametrize("family", FAMILIES)
def test_every_family_opens_with_its_licence_and_a_cap_height_of_one(family):
    h = set_block(setting("H", family))[0]
    assert h.top == pytest.approx(1, abs=1e-6)
    assert not h.lacking
    licence = (FOLDER / FAMILIES[family].licence).read_text()
    assert "Open Font License" in licence or "Apache License" in licence


@pytest.mark.parametrize("family", FAMILIES)
@pytest.mark.parametrize("text", ["KESTREL TIDE", "SALT ROADS", "AVATAR", "Wave fjord"])
def test_positions_are_harfbuzz_own_plus_tracking(family, text):
    font = open_font(FAMILIES[family].sources[0], FAMILIES[family].at)
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    hb.shape(font.shaper, buffer)
    pen, expected = 0.0, []
    tracking, seen = 35.0, -1
    clusters = 0
    for info, position in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        if info.cluster != seen:
            seen, clusters = info.cluster, clusters + 1
            if font.extents(info.codepoint):
                expected.append(pen + (clusters - 1) * tracking)
        pen += position.x_advance * font.unit
    letters = set_block(setting(text, family, tracking=tracking, align="left"))
    unit = letters[0].unit
    first = letters[0].x
    assert [(m.x - first) / unit for m in letters] == pytest.approx([e - expected[0] for e in expected], abs=1e-6)


def test_spaces_leave_no_letter_but_part_words():
    letters = set_block(setting("SLACK  WATER\n\nTIDE"))
    assert "".join(m.text for m in letters) == "SLACKWATERTIDE"
    assert [m.word for m in letters] == [0] * 5 + [1] * 5 + [2] * 4
    assert [m.index for m in letters] == list(range(14))


def test_lines_stand_one_leading_apart_and_the_last_on_the_floor():
    letters = set_block(setting("HH\nHH\nHH", leading=1.4, size=2.0))
    assert sorted({round(m.y, 9) for m in letters}) == pytest.approx([0, 2.8, 5.6])


@pytest.mark.parametrize("align", ["left", "centre", "right"])
def test_ink_is_flush(align):
    letters = set_block(setting("TIDE\nKESTREL", align=align))
    edges = [
        (min(m.x + m.left for m in letters if m.line == n), max(m.x + m.right for m in letters if m.line == n))
        for n in (0, 1)
    ]
    widest = edges[1][1] - edges[1][0]
    at = {"left": (0, -widest / 2), "right": (1, widest / 2)}
    for low, high in edges:
        if align == "centre":
            assert low + high == pytest.approx(0, abs=1e-9)
        else:
            side, place = at[align]
            assert (low, high)[side] == pytest.approx(place, abs=1e-9)


def test_descenders_lift_the_block_and_round_letters_do_not():
    assert min(m.y for m in set_block(setting("OUSE"))) == 0
    letters = set_block(setting("gypsy", "pacifico"))
    assert min(m.y + m.bottom for m in letters) == pytest.approx(0, abs=1e-9)
    assert max(m.y for m in letters) > DESCENT_KEPT


def test_a_letter_the_family_lacks_is_named_and_drawn_from_the_fallback():
    letters = set_block(setting("AЖB", "unifrakturcook"))
    assert [m.lacking for m in letters] == [False, True, False]
    assert letters[1].glyphs[0].font == own_faces("unifrakturcook")
    assert (FOLDER / FALLBACK.licence).exists()


def test_marks_stay_with_their_letter():
    assert [m.text for m in set_block(setting("e\u0301a\u0308"))] == ["é", "ä"]
    letters = set_block(setting("x\u0323y"))
    assert [m.text for m in letters] == ["x\u0323", "y"]


def test_control_characters_and_lone_surrogates_leave_nothing():
    assert [m.text for m in set_block(setting("A\u0007\u200b\ud800B"))] == ["A", "B"]


def test_an_unknown_family_is_an_error():
    with pytest.raises(FamilyUnknown):
        set_block(setting("A", "no-such-family"))
