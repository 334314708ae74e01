"""Scopes against pictures whose light is known, and regions against the frame that they are a part of."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import cropped, hot_lights, render_frame
from moss_crown.core.render.display import MIDDLE
from moss_crown.core.render.scopes import BANDS, COLUMNS, LEVELS, culprits, exposure_map, scopes
from moss_crown.core.stage.camera import look_at
from moss_crown.core.stage.scene import Camera


def test_a_ramp_is_even_in_the_histogram_and_a_diagonal_in_the_waveform():
    ramp = np.repeat(((np.arange(960) + 0.5) / 960).astype(np.float32)[None, :, None], 3, 2).repeat(4, 0)
    found = scopes(ramp)
    assert found.histogram == pytest.approx(np.full((4, LEVELS), 1 / LEVELS), abs=2e-3)
    middle = (found.waveform * np.arange(LEVELS)[:, None]).sum(0)
    assert middle == pytest.approx(np.linspace(0, LEVELS - 1, COLUMNS), abs=0.8)
    assert found.white == pytest.approx(0.015, abs=2e-3)
    assert found.black == pytest.approx(0.012, abs=2e-3)


@given(st.integers(1, 40), st.integers(1, 200), st.integers(0, 2**32 - 1))
def test_shares_add_up_whatever_the_size(height, width, seed):
    shown = np.random.default_rng(seed).random((height, width, 3)).astype(np.float32)
    found = scopes(shown)
    assert found.histogram.sum(1) == pytest.approx(np.ones(4))
    filled = np.unique(np.arange(width) * COLUMNS // width)
    assert found.waveform.sum(0)[filled] == pytest.approx(np.ones(len(filled)))


def test_exposure_is_shown_in_stops_from_middle_grey():
    ends = [end for _, end, _ in BANDS[:-1]]
    inside = [ends[0] - 1, *((a + b) / 2 for a, b in itertools.pairwise(ends)), ends[-1] + 1]
    light = (MIDDLE * 2.0 ** np.array(inside)).astype(np.float32)
    colours = exposure_map(np.repeat(light[None, :, None], 3, 2))[0]
    assert [tuple(int(c) for c in row) for row in colours] == [colour for *_, colour in BANDS]


def test_the_light_behind_white_is_named_and_dark_pictures_have_none():
    shown = np.full((4, 4, 3), 0.3, np.float32)
    lights = {"key": np.full((4, 4, 3), 2.0, np.float32), "fill": np.full((4, 4, 3), 6.0, np.float32)}
    assert culprits(shown, lights) == []
    shown[1, 2] = 1.0
    lights["key"][1, 2] = 18.0
    assert culprits(shown, lights) == [("key", pytest.approx(0.75)), ("fill", pytest.approx(0.25))]


def test_a_lamp_that_is_far_too_bright_is_found_in_a_shot():
    shot = new_shot(text="OB")
    lights = next(k for k, step in enumerate(shot.steps) if step.kind == "lights")
    loud = patched(write_shot(shot), [{"op": "replace", "path": f"/steps/{lights}/lights/0/stops", "value": 7}])
    name, share = hot_lights(Evaluation(loud), 60)[0]
    assert (name, share > 0.9) == (shot.steps[lights].lights[0].name, True)


regions = st.tuples(st.floats(0, 0.6), st.floats(0, 0.6), st.floats(0.1, 0.4), st.floats(0.1, 0.4))


@given(regions, st.tuples(st.floats(-0.5, 0.5), st.floats(-0.5, 0.5)))
def test_a_region_is_seen_as_the_whole_frame_sees_it(region, shift):
    """A direction at share (x, y) of the frame lies at the same place of the region."""
    left, top, across, down = region
    camera = Camera(look_at(np.array([0.0, 0, 5]), np.zeros(3))[None], (0.4, 0.3), shift)
    part = cropped(camera, (left, top, left + across, top + down))
    for u, v in ((0.0, 0.0), (1.0, 0.25), (0.4, 1.0)):
        x, y = left + u * across, top + v * down
        whole = ((2 * x - 1 - shift[0]) * 0.4, (1 - 2 * y - shift[1]) * 0.3)
        seen = ((2 * u - 1 - part.shift[0]) * part.half[0], (1 - 2 * v - part.shift[1]) * part.half[1])
        assert seen == pytest.approx(whole, abs=1e-9)


def test_a_region_shows_what_the_frame_shows_there():
    shot, cache = new_shot(text="OB"), Cache()
    whole = render_frame(Evaluation(shot, cache), 72, FrameOrder(160, 90, 32, denoise=False))
    part = render_frame(
        Evaluation(shot, cache), 72, FrameOrder(160, 90, 32, denoise=False, region=(0.25, 0.2, 0.75, 0.8))
    )
    inside = whole.beauty[18:72, 40:120]
    assert part.beauty.shape == inside.shape
    # Without the few brightest of a lamp's mirror image, which decide a mean by chance.
    assert np.minimum(part.beauty, 1).mean() == pytest.approx(np.minimum(inside, 1).mean(), rel=0.02)
    assert np.abs(part.alpha - whole.alpha[18:72, 40:120]).mean() < 0.02
