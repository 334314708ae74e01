"""Formulas and links at frames: they agree with Python, keep to their bounds, and know their letters."""

import math
import pickle

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch
from moss_crown.core.document.formula import parsed
from moss_crown.core.document.values import Key, Keyed, straight
from moss_crown.core.values.formula import evaluate
from moss_crown.core.values.sampling import Letters, sample, sample_choice, sample_each, sample_one

LETTERS = Letters(*(np.arange(4.0) * k for k in range(1, 6)))


def computed(text, **names):
    return evaluate(parsed(text).tree, {"pi": np.pi, "tau": 2 * np.pi, **names}, lambda _: np.nan, 1)


numbers = st.floats(-50, 50).map(lambda v: round(v, 3))
leaves = st.sampled_from(["t", "f", "u"]) | numbers.map(lambda v: f"({v!r})")


def grown(inner):
    two = st.tuples(inner, st.sampled_from(["+", "-", "*", "/", "//", "%", "<", ">=", "==", "!="]), inner)
    return (
        two.map(lambda p: f"({p[0]} {p[1]} {p[2]})")
        | st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(lambda p: f"({p[0]} {p[1]} {p[2]})")
        | inner.map(lambda p: f"(-{p})")
        | inner.map(lambda p: f"(not {p})")
        | st.tuples(inner, inner, inner).map(lambda p: f"({p[0]} if {p[1]} else {p[2]})")
        | st.tuples(st.sampled_from(["abs", "floor", "ceil", "sin", "cos", "atan"]), inner).map(
            lambda p: f"{p[0]}({p[1]})"
        )
        | st.tuples(st.sampled_from(["min", "max"]), inner, inner).map(lambda p: f"{p[0]}({p[1]}, {p[2]})")
        | inner.map(lambda p: f"({p} ** 2)")
    )


@given(st.recursive(leaves, grown, max_leaves=12), st.floats(-5, 5), st.floats(0, 1))
def test_formulas_agree_with_python(text, t, u):
    names = {"t": t, "f": 25 * t, "u": u}
    own = {**names, "abs": abs, "min": min, "max": max, "floor": math.floor, "ceil": math.ceil}
    own |= {"sin": math.sin, "cos": math.cos, "atan": math.atan}
    try:
        expected = float(eval(text, {"__builtins__": {}}, own))  # the oracle: what Python says, of texts made here
    except (ZeroDivisionError, OverflowError):
        return
    if not math.isfinite(expected) or abs(expected) > 1e9:
        return
    found = float(computed(text, **{k: np.float64(v) for k, v in names.items()}))
    # Floors and comparisons of nearly equal numbers may fall to either side in the last bit.
    if found != pytest.approx(expected, rel=1e-9, abs=1e-9):
        assert (
            any(word in text for word in ("//", "%", "floor", "ceil", "<", ">=", "==", "!="))
            and abs(found - expected) > 1e-9
        )
        nearby = [
            float(computed(text, t=np.float64(t + d), f=np.float64(25 * (t + d)), u=np.float64(u)))
            for d in (-1e-9, 1e-9)
        ]
        assert expected == pytest.approx(nearby[0], abs=1e-6) or expected == pytest.approx(nearby[1], abs=1e-6)


def with_value(path, value, shot=None):
    return apply_patch(shot or new_shot(), [{"op": "replace", "path": path, "value": value}])[0]


def test_time_and_frames_of_the_shot():
    shot = with_value("/steps/0/leading", {"formula": "t + 1"}, with_value("/first", 10))
    assert sample(shot.steps[0].leading, np.array([10.0, 35.0])) == pytest.approx([1, 2])
    assert sample_one(with_value("/steps/0/leading", {"formula": "f / 10"}).steps[0].leading, 12.5) == 1.25


def test_letters_each_have_their_own():
    move = with_value("/steps/2/offset/move", {"formula": "(i, n, 10 * u)"}).steps[2].offset.move
    found = sample_each(move, np.array([0.0, 9.0]), LETTERS)
    assert found.shape == (2, 4, 3)
    assert found[0] == pytest.approx(np.array([(k, 4, 20 * k) for k in range(4)]))


def test_one_number_stands_for_a_whole_vector():
    turn = with_value("/steps/0/turn", {"formula": "f"}).steps[0].turn
    assert sample(turn, np.array([7.0])).tolist() == [[7, 7, 7]]


@pytest.mark.parametrize("text", ["1 / 0", "log(-1)", "0 / 0", "sqrt(-t - 1)", "'SALT'", "10 ** 20 * 10 ** 40 ** 9"])
def test_what_is_no_number_becomes_the_default(text):
    size = with_value("/steps/0/size", {"formula": text}).steps[0].size
    assert sample(size, np.array([3.0]))[0] in (1.0, 100.0)


def test_only_the_letter_that_has_no_number_is_put_right():
    turn = with_value("/steps/2/offset/turn", {"formula": "(90 / (i - 1), 0, 0)"}).steps[2].offset.turn
    assert sample_each(turn, np.array([0.0]), LETTERS)[0, :, 0] == pytest.approx([-90, 0, 90, 45])


def test_bounds_hold():
    share = with_value("/steps/7/fit", {"formula": "f - 1"}).steps[7].fit
    assert sample(share, np.array([0.0, 1.5, 9.0])).tolist() == [0, 0.5, 1]
    segments = with_value("/steps/1/front/segments", {"formula": "1 + t"}).steps[1].front.segments
    assert sample_one(segments, 22.0) == 2


def test_switches_choices_and_texts():
    shot = with_value("/steps/0/text", {"formula": "'SALT' if f < 10 else 'ROADS'"})
    assert [sample_choice(shot.steps[0].text, f) for f in (9, 10)] == ["SALT", "ROADS"]
    on = with_value("/steps/2/on", {"formula": "f > 4"}).steps[2].on
    assert [sample_choice(on, f) for f in (4, 5)] == [False, True]
    align = with_value("/steps/0/align", {"formula": "'left' if f else 'nowhere'"}).steps[0].align
    assert [sample_choice(align, f) for f in (0, 1)] == ["centre", "left"]


def test_links_follow_with_factor_and_offset():
    shot = with_value(
        "/steps/1/depth",
        {
            "keys": [
                {"frame": 0, "value": 1, "ease": {"leave": [0.5, 0.5], "arrive": [0.5, 0.5]}},
                {"frame": 10, "value": 2},
            ]
        },
    )
    shot = with_value("/steps/7/lens", {"link": "form/depth", "factor": 10, "offset": 5}, shot)
    assert sample(shot.steps[7].lens, np.array([0.0, 5.0, 10.0])) == pytest.approx([15, 20, 25])
    part = with_value("/steps/7/lens", {"link": "arrive/offset/turn/0", "factor": -1})
    assert sample_one(part.steps[7].lens, 0) == 90
    text = with_value("/steps/0/language", "nl", with_value("/steps/0/features", {}))
    assert sample_choice(text.steps[0].align, 0) == "centre"


def test_a_formula_asks_for_another_value():
    shot = with_value("/steps/7/lens", {"formula": 'value("form/depth") * 100 + value("arrive/offset/move/2")'})
    assert sample_one(shot.steps[7].lens, 0) == pytest.approx(28 + 1.2)


def test_chance_follows_from_the_seed_and_the_place():
    shot = with_value("/steps/0/leading", {"formula": "rand(f)"})
    frames = np.arange(200.0)
    drawn = sample(shot.steps[0].leading, frames)
    assert ((drawn >= 0) & (drawn < 1)).all() and len(np.unique(drawn)) == 200
    assert 0.4 < drawn.mean() < 0.6
    assert (sample(with_value("/steps/0/leading", {"formula": "rand(f)"}).steps[0].leading, frames) == drawn).all()
    other = with_value("/seed", 2, shot)
    assert (sample(other.steps[0].leading, frames) != drawn).any()
    smooth = sample(with_value("/steps/0/leading", {"formula": "noise(t)"}).steps[0].leading, np.linspace(0, 250, 5000))
    assert np.abs(np.diff(smooth)).max() < 0.02 and np.ptp(smooth) > 0.8


def test_a_frame_alone_has_the_bits_of_many_and_pickling_keeps_what_is_tied():
    move = with_value("/steps/2/offset/move", {"formula": "(sin(7 * t + i) ** 3, noise(t + i), exp(-t) * u)"})
    frames = np.linspace(-3, 90, 240)
    value = pickle.loads(pickle.dumps(move)).steps[2].offset.move
    together = sample_each(value, frames, LETTERS)
    assert all((sample_each(value, frames[k : k + 1], LETTERS)[0] == together[k]).all() for k in range(240))


def keyed(*values, **more):
    keys = [Key(frame=10.0 * k, value=v, ease=straight()) for k, v in enumerate(values)]
    return Keyed[float](keys=keys, **more)


def test_keys_go_onward_round_after_round():
    value = keyed(0.0, 3.0, before="repeat_onward", after="repeat_onward")
    assert sample(value, np.array([-5.0, 5.0, 15.0, 25.0, 30.0])) == pytest.approx([-1.5, 1.5, 4.5, 7.5, 9.0])


def test_on_twos_and_threes():
    value = keyed(0.0, 10.0, exposed=2)
    assert sample(value, np.arange(6.0)).tolist() == [0, 0, 2, 2, 4, 4]
    assert sample(value.model_copy(update={"exposed": 3}), np.array([5.99, 6.0])) == pytest.approx([3, 6])


def test_a_smooth_key_has_no_corner_and_nothing_overshoots():
    keys = [Key(frame=f, value=v, smooth=True) for f, v in ((0, 0.0), (10, 4.0), (14, 5.0), (30, 5.0), (40, 0.0))]
    value = Keyed[float](keys=keys)
    frames = np.linspace(0, 40, 4001)
    found = sample(value, frames)
    assert np.abs(np.diff(found, 2)).max() < 1e-3
    assert found.max() <= 5 + 1e-12 and found.min() >= 0
    assert sample(value, np.array([k.frame for k in keys])) == pytest.approx([k.value for k in keys])
    assert (np.diff(found[(frames >= 14) & (frames <= 30)]) == 0).all()


@pytest.mark.parametrize("press", [-0.8, -0.3, 0.0, 0.4, 1.0])
def test_a_press_moves_the_peak_of_speed(press):
    keys = [Key(frame=0, value=0.0, press=press), Key(frame=100, value=1.0)]
    frames = np.linspace(0, 100, 2001)
    found = sample(Keyed[float](keys=keys), frames)
    assert (found[0], found[-1]) == (0, 1) and (np.diff(found) >= -1e-12).all()
    plain = sample(Keyed[float](keys=[Key(frame=0, value=0.0), Key(frame=100, value=1.0)]), frames)
    shift = frames[np.argmax(np.diff(found))] - frames[np.argmax(np.diff(plain))]
    assert np.sign(round(shift)) == np.sign(press)
