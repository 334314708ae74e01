"""Exposure and white balance against what they say they are."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.look.exposure import _TO_XYZ, NEUTRAL, grade, white_of


def test_neutral_changes_nothing_and_a_stop_doubles():
    assert grade(0, NEUTRAL) == pytest.approx(np.eye(3), abs=1e-6)
    assert grade(1, NEUTRAL) == pytest.approx(2 * np.eye(3), abs=1e-6)
    assert grade(-2, NEUTRAL) == pytest.approx(np.eye(3) / 4, abs=1e-6)


@given(st.floats(1500, 14_000))
def test_light_of_that_colour_turns_out_as_neutral_as_neutral_light(kelvin):
    light = np.linalg.solve(_TO_XYZ, white_of(kelvin))
    expected = np.linalg.solve(_TO_XYZ, white_of(NEUTRAL))
    found = grade(0, kelvin) @ light
    assert found / found.sum() == pytest.approx(expected / expected.sum(), abs=1e-6)


@pytest.mark.parametrize(
    ("kelvin", "xy"), [(2856, (0.4476, 0.4074)), (4000, (0.3805, 0.3768)), (10_000, (0.2807, 0.2884))]
)
def test_whites_lie_on_the_black_body_locus(kelvin, xy):
    """Chromaticities of black bodies (CIE illuminant A and the usual tables)."""
    x, y, z = white_of(kelvin)
    assert (x / (x + y + z), y / (x + y + z)) == pytest.approx(xy, abs=0.001)


def test_warm_light_is_balanced_by_cooling():
    red, _, blue = grade(0, 3200).sum(1)
    assert red < 1
    assert blue > 1.5
