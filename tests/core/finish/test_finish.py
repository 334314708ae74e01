"""The door from passes to a picture: a part of a frame is finished as the whole is, whatever a treatment looks at."""

from dataclasses import dataclass, replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.finish.finish import finish, reach_of
from moss_crown.core.finish.window import Window, window_of
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import ready, render_layers, render_picture
from moss_crown.core.render.renderer import Passes

WIDE, HIGH = 60, 34


@dataclass(frozen=True)
class Spread:
    """Each pixel becomes the mean of the square around it; what lies beyond what there is counts as black."""

    share: float

    def reach(self, height):
        return round(self.share * height)

    def __call__(self, light, passes, frame, window):
        far = self.reach(window.height)
        wider = np.pad(light, ((far, far), (far, far), (0, 0)))
        high, wide = light.shape[:2]
        parts = [
            wider[y : y + high, x : x + wide].astype(np.float64) for y in range(2 * far + 1) for x in range(2 * far + 1)
        ]
        return (sum(parts) / len(parts)).astype(np.float32)


class Counted:
    """Adds the number of the frame and how much of a letter there is."""

    def reach(self, height):
        return 0

    def __call__(self, light, passes, frame, window):
        return light + np.float32(frame) * passes.alpha


def passes_of(light, alpha):
    return Passes(light, alpha, light, light, alpha, sharp=False)


def seeded():
    rng = np.random.default_rng(5)
    return passes_of(rng.random((HIGH, WIDE, 3), np.float32), rng.random((HIGH, WIDE, 1), np.float32))


def part_of(passes, box):
    left, top, right, bottom = box
    cut = {
        name: getattr(passes, name)[top:bottom, left:right] for name in ("beauty", "alpha", "albedo", "normal", "depth")
    }
    return replace(passes, **cut)


regions = st.tuples(st.floats(0, 0.9), st.floats(0, 0.9), st.floats(0.01, 1), st.floats(0.01, 1)).map(
    lambda r: (r[0], r[1], min(1.0, r[0] + r[2]), min(1.0, r[1] + r[3]))
)


@given(regions, st.sampled_from([(), (Counted(),), (Spread(0.1),), (Spread(0.06), Counted(), Spread(0.09))]))
def test_a_part_is_finished_as_the_whole_is(region, treatments):
    whole = seeded()
    all_of_it = finish(whole, treatments, 7, window_of(WIDE, HIGH, None))
    window = replace(window_of(WIDE, HIGH, region), margin=reach_of(treatments, HIGH))
    found = finish(part_of(whole, window.rendered), treatments, 7, window)
    left, top, right, bottom = window.wanted
    assert found.light.shape == (bottom - top, right - left, 3)
    assert np.array_equal(found.light, all_of_it.light[top:bottom, left:right])
    assert np.array_equal(found.alpha, all_of_it.alpha[top:bottom, left:right])


@given(regions, st.integers(1, 400), st.integers(1, 400), st.integers(0, 500))
def test_a_window_lies_in_its_frame_and_has_a_pixel(region, width, height, margin):
    window = replace(window_of(width, height, region), margin=margin)
    for left, top, right, bottom in (window.wanted, window.rendered):
        assert 0 <= left < right <= width
        assert 0 <= top < bottom <= height
    assert all(a >= b for a, b in zip(window.wanted[:2], window.rendered[:2], strict=True))
    assert all(a <= b for a, b in zip(window.wanted[2:], window.rendered[2:], strict=True))
    for share, (at, side) in zip(region, zip(window.wanted, (width, height) * 2, strict=True), strict=True):
        assert abs(share * side - at) <= 1.5, "rounded, and a pixel farther where there was none"


def test_treatments_are_in_their_order():
    dark = passes_of(np.zeros((9, 9, 3), np.float32), np.pad(np.ones((1, 1, 1), np.float32), ((4, 4), (4, 4), (0, 0))))
    window = window_of(9, 9, None)
    spread = finish(dark, (Counted(), Spread(1 / 9)), 9, window).light
    sharp = finish(dark, (Spread(1 / 9), Counted()), 9, window).light
    assert spread[3:6, 3:6] == pytest.approx(1.0)
    assert (sharp[4, 4, 0], sharp[3, 3, 0]) == (9.0, 0.0)


class Treated(Evaluation):
    """An evaluation whose frames are treated."""

    def treatments(self, frame):
        return (Spread(0.05),)


def test_what_is_rendered_of_a_region_has_a_margin_for_its_treatments():
    shot, cache = new_shot(text="O"), Cache()
    order = FrameOrder(80, 45, 2, denoise=False, region=(0.25, 0.2, 0.75, 0.8))
    plain, treated = ready(Evaluation(shot, cache), 30, order), ready(Treated(shot, cache), 30, order)
    assert plain.window == Window(80, 45, (20, 9, 60, 36))
    assert (plain.settings.width, plain.settings.height) == (40, 27)
    assert (treated.settings.width, treated.settings.height) == (44, 31)
    picture = render_picture(Treated(shot, cache), 30, order)
    assert picture.pixels().shape == (27, 40, 3)


def test_layers_are_cut_to_what_is_wanted_and_not_treated():
    shot, cache = new_shot(text="O"), Cache()
    order = FrameOrder(80, 45, 2, denoise=False, region=(0.25, 0.2, 0.75, 0.8))
    picture, layers = render_layers(Treated(shot, cache), 30, order)
    assert picture.light.shape == (27, 40, 3)
    assert all(layer.shape[:2] == (27, 40) for layer in layers.pictures.values())
    assert all(matte.index.shape[:2] == (27, 40) for matte in layers.mattes.values())
    assert np.abs(layers.pictures["beauty"] - picture.light).max() > 0.01


def test_a_first_look_is_of_the_same_part():
    own = ready(Evaluation(new_shot(text="O"), Cache()), 30, FrameOrder(80, 45, 2, region=(0.25, 0.2, 0.75, 0.8)))
    small = own.smaller(2)
    assert small.window == Window(40, 22, (10, 4, 30, 18))
    assert (small.settings.width, small.settings.height) == small.window.size
    assert small.scene is own.scene
