"""Samples where they are needed: noise as it is measured, clean parts that stop, and the same bits each time."""

import numpy as np
import pytest
from test_light import NO_SKY, camera, scene

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.look.material import Surface
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame, render_layers
from moss_crown.core.render import film as channels
from moss_crown.core.render.renderer import AT_ONCE, DIM, EVERYWHERE, Render, RenderSettings, render
from moss_crown.core.stage.scene import Sheet

WIDE = (256, 72)


def titled(frame=60):
    """A title whose key gleams on the floor as well: much of its noise is there."""
    raw = write_shot(new_shot(text="TIDE"))
    for light in next(step["lights"] for step in raw["steps"] if step["kind"] == "lights"):
        light["mirrored_stage"] = True
    return Evaluation(read_shot(raw)).scene(frame, WIDE[0] / WIDE[1], height=WIDE[1])


def counts(picture: Render) -> np.ndarray:
    """(h, w) samples of each pixel."""
    s = picture.settings
    return picture._film[:, channels.COUNT].reshape(s.height, s.width)


def test_without_a_bound_every_pixel_gets_the_same():
    with Render(titled(), RenderSettings(*WIDE, 12)) as picture:
        picture.finish()
        assert (counts(picture) == 12).all()


def test_a_picture_can_be_ended_between_its_parts():
    """However many samples a pixel is to get; what had been taken until then is sound."""
    calls = []

    class Ended(Exception):
        pass

    def look():
        calls.append(1)
        if len(calls) > 12:
            raise Ended

    with Render(titled(), RenderSettings(*WIDE, 4096), between=look) as picture:
        with pytest.raises(Ended):
            picture.finish()
        assert len(calls) == 13
        assert picture.done == AT_ONCE, "nine bands had their first samples, and the next ones were begun"
        assert set(np.unique(counts(picture))) <= {AT_ONCE, 2 * AT_ONCE}
    with Render(titled(), RenderSettings(64, 18, AT_ONCE + 3), between=lambda: None) as picture:
        picture.finish()
        assert (counts(picture) == AT_ONCE + 3).all()


def test_noisy_parts_get_more_and_no_pixel_more_than_all():
    with Render(titled(), RenderSettings(*WIDE, 80, noise=0.16)) as picture:
        picture.finish()
        found = counts(picture)
    assert found.min() >= EVERYWHERE and found.max() <= 80
    assert len(np.unique(found)) > 1
    assert set(np.unique(found)) <= {16, 32, 48, 64, 80}


def test_a_part_that_stopped_was_clean_and_one_that_did_not_was_not():
    with Render(titled(), RenderSettings(*WIDE, 64, noise=0.16)) as picture:
        picture.finish()
        for tile in picture._tiles():
            top, _, left, _ = tile
            taken = counts(picture)[top, left]
            if taken < 64:
                assert picture._noise(tile) <= 0.16


def test_the_noise_that_is_measured_is_the_noise_that_is_there():
    """Over many seeds, the spread of a tile's pixels is what one render says of itself."""
    tile = (24, 32, 0, 128)
    found, said = [], []
    for seed in range(24):
        with Render(titled(), RenderSettings(*WIDE, 16, seed=seed)) as picture:
            picture.finish()
            light = picture._film[:, channels.LAST].reshape(72, 256)[24:32, :128] / 16
            found.append(light)
            said.append(picture._noise(tile))
    mean = np.mean(found, 0)
    spread = np.sqrt((np.var(found, 0, ddof=1) / (mean + DIM) ** 2).mean())  # the shot's exposure is neutral
    assert spread == pytest.approx(np.mean(said), rel=0.25)


@pytest.mark.parametrize("stops", [(1, 4, 16, 64, 256), (20, 21, 40, 80), (80,)])
def test_a_picture_that_is_looked_at_in_between_ends_with_the_same_bits(stops):
    settings = RenderSettings(*WIDE, 80, noise=0.16)
    with Render(titled(), settings) as picture:
        picture.finish()
        whole, done = picture.passes().beauty, picture.done
    with Render(titled(), settings) as picture:
        finished = [picture.reach(stop) for stop in stops]
        assert (picture.passes().beauty == whole).all()
        assert picture.done == done
    assert finished == [stop >= done for stop in stops]


def test_without_a_bound_a_picture_is_finished_with_its_last_sample():
    with Render(titled(), RenderSettings(*WIDE, 12)) as picture:
        assert [picture.reach(stop) for stop in (5, 11, 12, 40)] == [False, False, True, True]
        assert picture.done == 12


def test_an_even_glow_is_clean_at_once():
    sheet = Sheet(np.zeros(3), np.array([9.0, 0, 0]), np.array([0, 9.0, 0]), 0)
    glowing = Surface((0.0, 0.0, 0.0), 0.0, 1.0, 1.0, glow=(0.8, 0.4, 0.2))
    plain = scene([glowing], sky=NO_SKY, cam=camera(half=(0.2, 0.2)), letters=(), sheets=[sheet])
    with Render(plain, RenderSettings(32, 32, 512, noise=0.01)) as picture:
        picture.finish()
        assert (counts(picture) == EVERYWHERE).all()
        assert picture.passes().beauty.mean((0, 1)) == pytest.approx(glowing.glow, rel=1e-3)


def test_brightness_stays_where_it_is():
    few = render(titled(), RenderSettings(*WIDE, 96, noise=0.15), None).beauty
    every = render(titled(), RenderSettings(*WIDE, 96), None).beauty
    assert few.mean((0, 1)) == pytest.approx(every.mean((0, 1)), rel=0.01)


def test_alone_or_after_others_on_one_thread_or_two_it_has_the_same_bits():
    shot, order = new_shot(text="TIDE"), FrameOrder(*WIDE, 48, noise=0.18)
    first = render_frame(Evaluation(shot), 20, order).beauty
    cache = Cache()
    render_frame(Evaluation(shot, cache), 19, order)
    again = render_frame(Evaluation(shot, cache), 20, FrameOrder(*WIDE, 48, noise=0.18, threads=2)).beauty
    assert np.array_equal(first, again)


def test_layers_of_an_uneven_film_still_add_up():
    shown, found = render_layers(
        Evaluation(new_shot(text="TIDE")), 60, FrameOrder(*WIDE, 48, noise=0.18, denoise=False)
    )
    lights = sum(picture for name, picture in found.pictures.items() if name.startswith("light_"))
    assert lights == pytest.approx(shown.light, abs=1e-4)
    assert max(m.share.sum(-1).max() for m in found.mattes.values()) <= 1 + 1e-5
