"""Eases against a numeric inverse; values inside and outside their keys."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from moss_crown.core.document.values import Ease, Key, Keyed, straight
from moss_crown.core.values.curves import ease, slope_at_ends
from moss_crown.core.values.sampling import ONE, Letters, sample, sample_choice, sample_each

share = st.floats(0, 1)
height = st.floats(-2, 3)


@given(share, height, share, height, st.floats(1e-6, 1 - 1e-6))
def test_ease_agrees_with_a_numeric_inverse(x1, y1, x2, y2, u):
    def bezier(s, a, b):
        return 3 * (1 - s) ** 2 * s * a + 3 * (1 - s) * s**2 * b + s**3

    s = brentq(lambda s: bezier(s, x1, x2) - u, 0, 1, xtol=1e-15)
    slope = 3 * ((1 - s) ** 2 * x1 + 2 * (1 - s) * s * (x2 - x1) + s * s * (1 - x2))
    # Where the curve stands still in time the inverse itself is ill-conditioned.
    tolerance = 1e-9 if slope > 1e-3 else 1e-3
    assert ease(Ease(leave=(x1, y1), arrive=(x2, y2)), u) == pytest.approx(bezier(s, y1, y2), abs=tolerance)


@given(st.floats(-1, 2))
def test_straight_is_straight_and_held_outside(u):
    assert ease(straight(), u) == pytest.approx(min(max(u, 0), 1), abs=1e-12)


@given(share, share, share, share)
def test_an_ease_without_overshoot_never_turns_back(x1, y1, x2, y2):
    done = ease(Ease(leave=(x1, min(y1, y2)), arrive=(x2, max(y1, y2))), np.linspace(0, 1, 50))
    assert (np.diff(done) >= -1e-9).all()


def test_slopes_at_the_ends_are_those_of_the_curve():
    curve = Ease(leave=(0.2, 0.5), arrive=(0.7, 0.9))
    start, end = slope_at_ends(curve)
    h = 1e-6
    assert start == pytest.approx(float(ease(curve, h)) / h, rel=1e-3)
    assert end == pytest.approx((1 - float(ease(curve, 1 - h))) / h, rel=1e-3)


def keyed(before="hold", after="hold"):
    return Keyed[float](
        keys=[Key(frame=10, value=0.0, ease=straight()), Key(frame=20, value=5.0)], before=before, after=after
    )


@pytest.mark.parametrize(
    ("rule", "frame", "value"),
    [
        ("hold", 0, 0),
        ("hold", 30, 5),
        ("hold", 15, 2.5),
        ("repeat", 22, 1),
        ("repeat", 8, 4),
        ("there_and_back", 22, 4),
        ("there_and_back", 8, 1),
        ("carry_on", 24, 7),
        ("carry_on", 6, -2),
    ],
)
def test_outside_its_keys_a_value_does_as_told(rule, frame, value):
    assert sample(keyed(rule, rule), np.array([float(frame)]))[0] == pytest.approx(value)


def test_a_hold_key_stays_until_the_next():
    value = Keyed[float](keys=[Key(frame=0, value=1.0, hold=True), Key(frame=10, value=2.0)])
    assert sample(value, np.array([0.0, 9.99, 10.0])).tolist() == [1, 1, 2]


def test_vectors_share_one_ease_and_choices_change_on_their_key():
    value = Keyed(keys=[Key(frame=0, value=(0.0, 0.0, 0.0), ease=straight()), Key(frame=10, value=(1.0, 2.0, -4.0))])
    assert sample(value, np.array([5.0]))[0].tolist() == [0.5, 1, -2]
    words = Keyed(keys=[Key(frame=0, value="SALT"), Key(frame=12, value="ROADS")])
    assert [sample_choice(words, f) for f in (-5, 0, 11.9, 12, 99)] == ["SALT", "SALT", "SALT", "ROADS", "ROADS"]


def test_one_frame_alone_has_the_bits_of_many():
    value = Keyed[float](keys=[Key(frame=f, value=float(np.sin(f))) for f in range(0, 40, 7)])
    frames = np.linspace(-5, 50, 300)
    together = sample(value, frames)
    assert all(sample(value, frames[k : k + 1])[0] == together[k] for k in range(len(frames)))


LETTERS = Letters(np.arange(5.0), np.linspace(0, 1, 5), np.zeros(5), np.zeros(5), np.zeros(5))


@given(st.floats(0.25, 9), st.permutations(range(30)))
def test_keys_spread_over_letters_are_each_letters_own_keys_later(spread, order):
    keys = [Key[float](frame=2, value=0.0), Key[float](frame=9, value=4.0), Key[float](frame=15, value=-1.0)]
    value = Keyed[float](keys=keys, after="repeat", spread=spread)
    frames = np.arange(30.0)
    found = sample_each(value, frames, LETTERS)
    assert found.shape == (30, 5)
    for letter in range(5):
        assert (found[:, letter] == sample(value, frames - spread * letter)).all()
    backward = sample_each(value.model_copy(update={"spread": -spread}), frames, LETTERS)
    assert (backward == found[:, ::-1]).all()
    for frame in order[:5]:
        assert (sample_each(value, np.array([float(frame)]), LETTERS)[0] == found[frame]).all()
    assert (sample(value, frames) == found[:, 0]).all()


def test_vectors_are_spread_too_and_one_letter_is_as_it_was():
    keys = [Key[tuple[float, ...]](frame=0, value=(0.0, 0, 0)), Key[tuple[float, ...]](frame=10, value=(1.0, 2, 3))]
    value = Keyed[tuple[float, ...]](keys=keys, spread=10)
    found = sample_each(value, np.array([0.0, 10.0, 20.0]), LETTERS)
    assert found[:, 0].tolist() == [[0, 0, 0], [1, 2, 3], [1, 2, 3]]
    assert found[:, 1].tolist() == [[0, 0, 0], [0, 0, 0], [1, 2, 3]]
    assert sample_each(value, np.array([10.0]), ONE).tolist() == [[[1, 2, 3]]]
