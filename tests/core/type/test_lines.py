"""Lines: justified, filled, bent; patterns and overrides that follow their letters."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from letters import setting
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.letters import BlockStep, Override, Pattern
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.type import emblem
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.lettering import matched, picked, setting_at
from moss_crown.core.type.path import Baseline, Path, seat


def edges(letters, line):
    own = [m for m in letters if m.line == line]
    return min(m.x + m.left for m in own), max(m.x + m.right for m in own)


def test_justified_lines_reach_both_edges():
    letters = set_block(setting("SIX CROSSINGS HERE\nA TIDE\nLOW", align="justify"))
    wide = edges(letters, 0)
    for line in (1, 2):
        assert edges(letters, line) == pytest.approx(wide, abs=1e-9)
    # Where there are words, only the space between them opens.
    plain = set_block(setting("A TIDE"))
    tide = [m.x for m in letters if m.line == 1][1:]
    assert np.diff(tide) == pytest.approx(np.diff([m.x for m in plain][1:]), abs=1e-9)


def test_filled_lines_are_as_wide_as_asked_and_keep_their_gap():
    letters = set_block(setting("SALT\nROADS", align="fill", width=8.0, leading=1.2))
    for line in (0, 1):
        assert edges(letters, line) == pytest.approx((-4, 4), abs=1e-9)
    top = max(m.y + m.top for m in letters if m.line == 1 and m.text == "R")
    assert min(m.y for m in letters if m.line == 0) - top == pytest.approx(0.2, abs=0.01)


def test_leading_may_be_negative_and_a_larger_line_grows_upward():
    letters = set_block(setting("AB\nAB", leading=-1.0))
    assert letters[0].y < letters[2].y
    step = BlockStep(id="b", text="AB\nAB", leading=1.5, patterns=[Pattern(unit="line", pick="last", size=2.0)])
    letters = set_block(setting_at(step, 0))
    assert letters[0].y - letters[2].y == pytest.approx(1.5 + 1.0)


@given(st.floats(1.5, 40), st.floats(-180, 180))
def test_letters_on_an_arc_stand_on_it_and_keep_their_distances(radius, start):
    flat = set_block(setting("HHHH"))
    bent = set_block(setting("HHHH", baseline=Baseline("arc", radius, start)))
    # A letter touches the circle in the middle of its advance, which for H is its own middle.
    feet = [(m.pose() @ [*m.centre, 0, 1])[:2] for m in bent]
    height = flat[0].top / 2
    gaps = [float(np.hypot(*(b - a))) for a, b in pairwise(feet)]
    apart = np.diff([m.x for m in flat])
    assert gaps == pytest.approx(2 * (radius + height) * np.sin(apart / radius / 2), rel=1e-6)
    assert np.diff([m.turn for m in bent]) == pytest.approx(-np.degrees(apart / radius), rel=1e-6)


def test_inside_an_arc_text_smiles_and_upright_letters_do_not_lean():
    inside = set_block(setting("HHHHH", baseline=Baseline("arc", -5.0)))
    assert inside[0].y > inside[2].y < inside[4].y
    assert inside[0].turn < 0 < inside[4].turn
    outside = set_block(setting("HHHHH", baseline=Baseline("arc", 5.0)))
    assert outside[0].y < outside[2].y > outside[4].y
    upright = set_block(setting("HHHHH", baseline=Baseline("arc", 5.0, upright=True)))
    assert {m.turn for m in upright} == {0.0}


def test_letters_around_a_drum_face_outward_and_spread_evenly():
    letters = set_block(setting("HHHHHH\nHHHH", baseline=Baseline("drum", 3.0, spread=True)))
    for line, count in ((0, 6), (1, 4)):
        own = [m for m in letters if m.line == line]
        swings = [m.swing for m in own]
        assert np.diff(swings) == pytest.approx([360 / count] * (count - 1))
        for m in own:
            middle = m.pose() @ [m.centre[0], 0, 0, 1]
            facing = m.pose()[:3, :3] @ [0, 0, 1]
            out = np.array([middle[0], 0, middle[2] + 3.0])
            assert out @ facing == pytest.approx(3.0, rel=1e-3)
    inside = set_block(setting("HHH", baseline=Baseline("drum", -3.0)))
    assert inside[0].z > inside[1].z < inside[2].z


@given(st.floats(-3, 3), st.floats(0, 2))
def test_a_very_large_circle_is_a_straight_line(along, above):
    place = seat(Baseline("arc", 1e6), along, above, 1.0)
    assert (place.x, place.y, place.turn) == pytest.approx((along, above, 0), abs=1e-3)


def test_the_middle_of_a_circle_turns_on_the_spot():
    place = seat(Baseline("arc", 1.0), 0.5, -1.0, 1.0)
    assert all(math.isfinite(v) for v in (place.x, place.y, place.turn))


TEXT = "SIX CROSSINGS\nLOW TIDE"


@pytest.mark.parametrize(
    ("pattern", "expected"),
    [
        ({"pick": "first"}, "S"),
        ({"pick": "last"}, "E"),
        ({"pick": "first_and_last"}, "SE"),
        ({"pick": "first_and_last", "within": "line"}, "SSLE"),
        ({"pick": "first", "within": "word"}, "SCLT"),
        ({"pick": "every", "every": 3, "start": 1, "within": "word"}, "SCSNLTE"),
        ({"unit": "word", "pick": "last", "within": "line"}, "CROSSINGSTIDE"),
        ({"unit": "line", "pick": "every", "every": 2, "start": 2}, "LOW TIDE"),
        ({"pick": "every", "every": 400, "start": 399}, ""),
    ],
)
def test_a_pattern_picks(pattern, expected):
    assert "".join(TEXT[k] for k in picked(Pattern(**pattern), TEXT)) == expected


def test_one_letter_is_first_and_last_once():
    assert picked(Pattern(pick="first_and_last"), "A") == [0]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("KESTREL TIDE", "TIDE"),
        ("THE KESTREL TIDE", "TIDE"),
        ("KESTREL TIDES", "TIDE"),
        ("KESTREL TOE", "T"),
        ("SALT ROADS", ""),
    ],
)
def test_an_override_follows_its_letters_to_a_new_text(text, expected):
    override = Override(of="KESTREL TIDE", first=8, last=11, size=2.0)
    assert "".join(text[k] for k in matched(override, text)) == expected


def test_patterns_then_overrides_multiply_and_the_rest_stays():
    step = BlockStep(
        id="b",
        text="HIDE",
        patterns=[Pattern(pick="first", size=1.4, weight=10)],
        overrides=[Override(of="HIDE", first=0, last=1, size=0.5, family="eb-garamond", shift=(0, 0.25, 0), turn=30)],
    )
    t, i, d, _ = set_block(setting_at(step, 0))
    assert (t.top, i.top, d.top) == pytest.approx((0.7, 0.5, 1.0), abs=0.03)
    assert (t.weight, i.weight) == (10, 0)
    assert (t.family, d.family) == ("eb-garamond", "archivo-black")
    assert i.turn == 30
    centre = (i.pose() @ [*i.centre, 0, 1])[1]
    assert centre == pytest.approx(i.centre[1] + 0.25)


def test_an_override_beyond_its_text_is_refused():
    raw = write_shot(new_shot(text="TIDE"))
    raw["steps"][0]["overrides"] = [{"of": "TIDE", "first": 2, "last": 4}]
    with pytest.raises(DocumentInvalid) as refused:
        read_shot(raw)
    assert "/steps/0/overrides/0" in refused.value.field


def test_version_1_becomes_version_2():
    raw = write_shot(new_shot())
    raw["version"] = 1
    raw["steps"][0] = {"id": "block", "kind": "block", "text": "SALT"}
    raw["steps"][1] = {"id": "form", "kind": "form", "depth": 0.4, "profile": "chamfer", "bevel": 0.05, "segments": 2}
    form = read_shot(raw).steps[1]
    assert (form.depth, form.front.profile, form.front.width, form.front.height, form.front.segments) == (
        0.4,
        "chamfer",
        0.05,
        0.05,
        2,
    )
    assert form.rear_alike is True


def on_path(text, points, **more):
    baseline = Baseline("path", spread=more.pop("spread", False), path=Path(points, **more))
    return set_block(setting(text, baseline=baseline))


def test_a_straight_path_is_a_straight_line():
    flat = set_block(setting("TIDE"))
    for points in (((-5, 2), (5, 2)), ((-5, 2), (0, 2), (5, 2))):
        path = on_path("TIDE", points)
        assert [m.x for m in path] == pytest.approx([m.x for m in flat], abs=1e-9)
        assert [m.y for m in path] == pytest.approx([m.y + 2 for m in flat], abs=1e-9)
        assert [m.turn for m in path] == pytest.approx([0] * 4, abs=1e-9)


def test_a_path_through_points_of_a_circle_is_nearly_that_circle():
    angles = np.radians(np.arange(90, -270, -30))
    ring = tuple((4 * math.cos(a), 4 * math.sin(a)) for a in angles)
    on = Baseline("path", path=Path(ring, closed=True, at=0.0))
    for along in (0.0, 2.0, -3.0, 40.0):
        place = seat(on, along, 0.5, 1.0, 0.05)
        assert math.hypot(place.x, place.y) == pytest.approx(4.5, rel=6e-3)
        assert place.turn == pytest.approx(math.degrees(math.atan2(-place.x, place.y)), abs=2)
    under = seat(Baseline("path", path=Path(ring, closed=True, at=0.0, below=True)), 0.0, 0.5, 1.0, 0.05)
    assert (under.x, under.y) == pytest.approx((0, 3.5), abs=0.02)


def test_a_path_goes_on_straight_beyond_its_ends_and_spreads_over_its_length():
    points = ((0, 0), (1, 0), (1, 1))
    on = Baseline("path", path=Path(points, smooth=False))
    beyond = seat(on, 3.0, 0.0, 1.0, 0.01)
    assert (beyond.x, beyond.y, beyond.turn) == pytest.approx((1, 3, 90))
    wide = Baseline("path", spread=True, path=Path(points, smooth=False))
    assert (seat(wide, 2.0, 0.0, 8.0, 0.01).x, seat(wide, 2.0, 0.0, 8.0, 0.01).y) == pytest.approx((1, 0.5))


@given(st.lists(st.tuples(st.floats(-9, 9), st.floats(-9, 9)), min_size=2, max_size=8), st.booleans(), st.booleans())
def test_any_path_at_all_gives_every_letter_a_place(points, closed, spread):
    letters = on_path("TIDE", tuple(points), closed=closed, spread=spread)
    assert np.isfinite([[m.x, m.y, m.turn] for m in letters]).all()


def test_a_path_that_fits_is_as_long_as_the_longest_line():
    small = ((0, 0), (0.01, 0.004), (0.02, 0))
    letters = on_path("KESTREL\nTIDE", small, fit=True)
    flat = set_block(setting("KESTREL\nTIDE"))
    wide = max(m.x + m.right for m in flat) - min(m.x + m.left for m in flat)
    ends = [m for m in letters if m.line == 0][:: len("KESTREL") - 1]
    assert 0.9 * wide < ends[1].x - ends[0].x < 1.02 * wide
    assert on_path("TIDE", small)[0].x < -1, "without it the text goes on beyond the ends"


def test_an_emblem_lends_its_outline_or_its_stroke_as_a_path():
    square = np.array([[0.0, 0.0], [1000.0, 0.0], [1000.0, 1000.0], [0.0, 1000.0]])
    stroke = np.array([[0.0, 500.0], [1000.0, 500.0]])
    lines = (), ((False, stroke),)
    emblem.bring_in(emblem.Emblem("emblem-path", ("a", "b"), ((0, 0, 0),) * 2, ((square,), (square,)), lines))
    step = BlockStep(
        id="b", text="TIDE", baseline={"kind": "path", "emblem": "emblem-path", "height": 4, "at": 0, "fit": False}
    )
    points, closed = emblem.track_of("emblem-path", 1, 4.0)
    assert closed and points[0] in {(0, 0), (0, 4)}
    letters = set_block(setting_at(step, 0))
    # Clockwise around the outside: no letter's middle lies within the square.
    for letter in letters:
        x, y = (letter.pose() @ [*letter.centre, 0, 1])[:2]
        assert not (0.01 < x < 3.99 and 0.01 < y < 3.99)
    step = step.model_copy(update={"baseline": step.baseline.model_copy(update={"part": 2, "at": 0.5})})
    assert set_block(setting_at(step, 0))[0].y == pytest.approx(2)


def test_a_drawn_profile_runs_inward_or_rises():
    def curve(*points):
        raw = write_shot(new_shot(text="A"))
        raw["steps"][1]["front"] |= {"profile": "drawn", "curve": points}
        return read_shot(raw)

    curve((0, 0), (0.5, 0.8), (1, 0.4))
    curve((0, 0), (1, 0.5), (0.3, 1))
    for wrong in (
        ((0.1, 0), (1, 1)),
        ((0, 0), (1, 0.5), (0.3, 0.2)),
        ((0, 0), (0.5, 0.5), (1, 0.5), (0.2, 0.5), (0.4, 1)),
    ):
        with pytest.raises(DocumentInvalid) as caught:
            curve(*wrong)
        assert "/front/curve" in caught.value.field
