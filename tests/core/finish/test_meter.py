"""The light meter: closed forms on painted pictures, and what it says of a rendered title."""

from __future__ import annotations

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.finish.meter import contrast, luminance, readings
from moss_crown.core.look.exposure import linear_to_srgb
from moss_crown.core.metering import metered

H, W = 240, 320
NAMES = ("000 E", "001 F", "wall")
LEVEL = np.full((H, W), 8.0, np.float32)


def painted(letter=0.4, wall=0.02, rim=None, other=None):
    """A square letter before a wall, with a rim four pixels wide, and another letter beside it: shown, seen, face."""
    light = np.full((H, W), wall)
    seen = np.full((H, W), 2)
    seen[60:180, 60:140] = 0
    seen[60:180, 180:260] = 1
    light[seen == 0] = letter if rim is None else rim
    light[64:176, 64:136] = letter
    light[seen == 1] = letter if other is None else other
    face = np.zeros((H, W), bool)
    face[64:176, 64:136] = True
    face[64:176, 184:256] = True
    shown = np.repeat(linear_to_srgb(light)[..., None], 3, -1).astype(np.float32)
    return shown, seen, face


def read(**paint):
    shown, seen, face = painted(**paint)
    return readings(shown, NAMES, seen, face, seen < 2, LEVEL, {"000 E", "001 F"})


def test_contrast_is_that_of_wcag():
    assert contrast(np.array([1.0]), np.array([0.0]))[0] == pytest.approx(21)
    assert contrast(np.array([0.1]), np.array([0.3]))[0] == pytest.approx(0.35 / 0.15)


def test_luminance_of_white_and_of_half_light():
    assert luminance(np.ones((1, 1, 3), np.float32))[0, 0] == pytest.approx(1, abs=1e-6)
    half = np.full((1, 1, 3), linear_to_srgb(np.array(0.5)), np.float32)
    assert luminance(half)[0, 0] == pytest.approx(0.5, abs=1e-4)


def test_a_light_letter_before_a_dark_wall():
    one, _ = read(letter=0.4, wall=0.02)
    assert one.level == pytest.approx(0.4, abs=2e-3)
    assert one.contrast == pytest.approx(0.45 / 0.07, rel=0.02)
    assert one.legible == 1 and one.clipped == 0
    assert one.behind == "wall" and not one.darker


def test_a_letter_of_the_walls_own_light_does_not_read():
    one, _ = read(letter=0.2, wall=0.2)
    assert one.contrast == pytest.approx(1, abs=0.01) and one.legible == 0


def test_a_lit_rim_makes_a_dark_letter_read():
    dark, _ = read(letter=0.01, wall=0.012)
    rimmed, _ = read(letter=0.01, wall=0.012, rim=0.5)
    assert dark.legible == 0 and rimmed.legible == 1 and rimmed.darker


def test_white_is_counted_of_the_letter_alone():
    one, other = read(letter=1.0, other=0.3)
    assert one.clipped == pytest.approx(1) and other.clipped == 0


def test_each_letter_is_named_and_those_that_are_not_seen_are_left_out():
    shown, seen, face = painted()
    names = ("000 E", "001 F", "wall", "002 G")
    found = readings(shown, names, seen, face, seen < 2, LEVEL, {"000 E", "001 F", "002 G"})
    assert [one.name for one in found] == ["000 E", "001 F"]


@pytest.mark.parametrize("gap", [0, 1])
def test_a_letter_beside_it_does_not_lie_behind_it_but_one_farther_away_does(gap):
    light, seen = np.full((H, W), 0.02), np.full((H, W), 2)
    seen[60:180, 60:140] = 0
    seen[60:180, 140 + gap : 220] = 1
    light[seen < 2] = 0.4
    shown = np.repeat(linear_to_srgb(light)[..., None], 3, -1).astype(np.float32)
    letters = {"000 E", "001 F"}
    beside, _ = readings(shown, NAMES, seen, seen < 2, seen < 2, LEVEL, letters)
    assert beside.legible == 1 and beside.contrast == pytest.approx(0.45 / 0.07, rel=0.02) and beside.behind == "wall"
    farther = np.where(seen == 1, 9.0, LEVEL).astype(np.float32)
    before, _ = readings(shown, NAMES, seen, seen < 2, seen < 2, farther, letters)
    assert before.legible < 0.85, "a quarter of its outline is before a letter of its own light"


@pytest.mark.parametrize(("wide", "dark", "reads"), [(12, 0.02, 1.0), (60, 0.02, 0.85), (12, 0.4, 0.75)])
def test_a_side_as_light_as_its_front_reads_where_it_is_narrow_and_stands_apart_itself(wide, dark, reads):
    light, seen = np.full((H, W), 0.02), np.full((H, W), 2)
    seen[60:180, 80 - wide : 160] = 0  # the front from 80 on, its side to the left
    light[:, : 80 - wide] = dark
    light[seen == 0] = 0.4
    front = np.zeros((H, W), bool)
    front[60:180, 80:160] = True
    shown = np.repeat(linear_to_srgb(light)[..., None], 3, -1).astype(np.float32)
    (one,) = readings(shown, NAMES, seen, front, front, LEVEL, {"000 E"})
    assert one.legible == pytest.approx(reads, abs=0.08)


def test_a_dark_line_sets_a_letter_apart_from_its_reflection():
    without, _ = read(letter=0.4, wall=0.35)
    shown, seen, face = painted(letter=0.4, wall=0.35)
    shown[180:183, 60:140] = 0.0
    with_line, _ = readings(shown, NAMES, seen, face, seen < 2, LEVEL, {"000 E", "001 F"})
    assert without.legible == 0 and with_line.legible == pytest.approx(0.2, abs=0.03)


def test_what_fills_the_picture_has_no_outline():
    shown = np.full((40, 40, 3), 0.5, np.float32)
    everywhere = np.zeros((40, 40), int)
    depth = np.ones((40, 40), np.float32)
    (one,) = readings(shown, ("000 O",), everywhere, everywhere == 0, everywhere == 0, depth, {"000 O"})
    assert one.legible == 0 and one.behind == ""


def test_a_new_title_is_lit_evenly_and_stands_off():
    found = metered(Evaluation(new_shot(text="SALT")), 72, 240, 6, threads=2)
    assert [text for _, text, _ in found.letters] == list("SALT")
    assert [number for number, _, _ in found.letters] == [0, 1, 2, 3]
    levels = [one.level for one in found.readings]
    assert max(levels) / min(levels) < 2.5
    assert min(one.legible for one in found.readings) > 0.8


def test_a_light_from_one_side_is_named_where_it_lights():
    shot = new_shot(text="TIDE")
    steps = {step.id: k for k, step in enumerate(shot.steps)}
    dark = patched(
        write_shot(shot),
        [{"op": "replace", "path": f"/steps/{steps['environment']}/strength", "value": 0.0}],
    )
    found = metered(Evaluation(dark), 72, 160, 4)
    assert {light for _, _, light in found.letters} <= {"key", "rim"}
