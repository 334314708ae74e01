"""What fills the frame behind everything: colours that run into each other, and pictures."""

import io

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from moss_crown.core.assets import check_assets
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, read_shot, write_shot
from moss_crown.core.draft.looks import look_at_frame
from moss_crown.core.errors import DocumentInvalid, PictureUnknown
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.look.pictures import bring_in, pack
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame
from moss_crown.core.stage.backdrop import Backdrop, corners, covering, painted, seen_in

DARK, LIGHT = (0.1, 0.2, 0.3), (0.5, 0.4, 0.9)
OWN = "picture-" + "5a" * 16


def shot_behind(**behind):
    """A title before nothing but what shows behind everything."""
    document = write_shot(new_shot(text="O"))
    changed = {"environment": behind, "stage": {"floor": False, "wall": False}}
    return read_shot(document | {"steps": [s | changed.get(s["kind"], {}) for s in document["steps"]]})


def test_a_gradient_runs_evenly_from_the_lower_border_to_the_upper():
    found = painted(Backdrop(DARK, LIGHT), 6, 100)
    assert (found == found[:, :1]).all()
    share = (99.5 - np.arange(100)) / 100
    assert found[:, 0] == pytest.approx(np.array(DARK) + share[:, None] * np.subtract(LIGHT, DARK), abs=1e-6)


@given(turn=st.floats(-360, 360))
@settings(max_examples=40)
def test_in_any_direction_it_reaches_both_colours_in_corners_and_never_leaves_them(turn):
    four = corners(Backdrop((0.0, 0.0, 0.0), (1.0, 1.0, 1.0), turn))[:, 0]
    assert (four.min(), four.max()) == (pytest.approx(0, abs=1e-9), pytest.approx(1, abs=1e-9))
    # Opposite corners lie as far from the middle of both.
    assert four[0] + four[3] == pytest.approx(1) and four[1] + four[2] == pytest.approx(1)


def test_a_turn_of_90_degrees_goes_to_the_right():
    assert corners(Backdrop(DARK, LIGHT, 90.0)) == pytest.approx(np.array([DARK, LIGHT, DARK, LIGHT]))


@pytest.mark.parametrize("picture", [None, "own"])
def test_a_region_is_a_part_of_the_whole(picture):
    own = np.random.default_rng(3).random((90, 160, 4)).astype(np.float32) if picture else None
    whole = Backdrop(DARK, LIGHT, 30.0, own, aspect=16 / 9)
    part = painted(seen_in(whole, (0.25, 0.5, 0.75, 1.0)), 80, 45)
    assert part == pytest.approx(painted(whole, 160, 90)[45:, 40:120], abs=0.02)


def test_a_picture_fills_the_frame_with_its_middle_and_keeps_its_shape():
    assert covering(200, 100, 2.0) == (1.0, 1.0)
    assert covering(100, 100, 2.0) == (1.0, 0.5)
    assert covering(400, 100, 2.0) == (0.5, 1.0)
    rows = np.ones((100, 100, 4), np.float32)
    rows[..., 0] = (np.arange(100) + 0.5)[:, None] / 100
    seen = painted(Backdrop(DARK, DARK, picture=rows, aspect=2.0), 64, 32)[..., 0]
    assert seen.mean(1) == pytest.approx(0.25 + (np.arange(32) + 0.5) / 64, abs=0.01)


def test_what_a_picture_lets_through_shows_the_colour():
    half = np.full((10, 10, 4), 0.5, np.float32)
    assert painted(Backdrop(DARK, DARK, picture=half), 10, 10)[3, 3] == pytest.approx(np.add(DARK, 0.5) / 2)


def test_a_frame_shows_it_where_nothing_is_before_it_and_so_does_the_draft():
    shot = shot_behind(behind="gradient", colour=DARK, colour_above=LIGHT)
    passes = render_frame(Evaluation(shot), 72, FrameOrder(32, 18, 4, denoise=False))
    empty = passes.alpha[..., 0] == 0
    assert empty.any()
    assert passes.beauty[empty] == pytest.approx(painted(Backdrop(DARK, LIGHT), 32, 18)[empty], abs=1e-5)
    drawn = look_at_frame(shot, 72).environment.behind
    assert np.array(drawn.corners) == pytest.approx(corners(Backdrop(DARK, LIGHT)))
    part = FrameOrder(64, 36, 4, denoise=False, region=(0.0, 0.0, 0.5, 0.5))
    above = render_frame(Evaluation(shot), 72, part)
    bare = above.alpha[..., 0] == 0
    assert above.beauty[bare] == pytest.approx(painted(Backdrop(DARK, LIGHT), 64, 36)[:18, :32][bare], abs=1e-5)


def test_a_picture_of_the_production_is_shown_and_one_that_is_not_there_refused():
    bring_in(OWN, pack(np.full((40, 40, 4), 255, np.uint8)))
    shot = shot_behind(behind="picture", backdrop=OWN)
    check_assets(shot, {OWN})
    with pytest.raises(PictureUnknown) as refused:
        check_assets(shot)
    assert "/backdrop" in str(refused.value.facts())
    white = Evaluation(shot).scene(72, 16 / 9).surround.behind
    assert painted(white, 16, 9) == pytest.approx(1.0)
    drawn = look_at_frame(shot, 72).environment.behind
    assert (drawn.picture, drawn.seen) == (OWN, pytest.approx((1.0, 9 / 16)))


def test_pixels_that_are_not_square_keep_the_frames_shape():
    square = new_shot(text="TIDE")
    wide = square.model_copy(update={"width": 640, "pixel_shape": 2.0})
    assert wide.aspect == square.aspect
    one, two = (
        render_frame(Evaluation(s), 72, FrameOrder(w, 90, 32, denoise=False, pixel_shape=s.pixel_shape))
        for s, w in ((square, 160), (wide, 80))
    )
    halves = one.beauty.reshape(90, 80, 2, 3).mean(2)
    assert two.beauty.mean() == pytest.approx(halves.mean(), rel=0.02)
    assert np.abs(two.alpha - one.alpha.reshape(90, 80, 2, 1).mean(2)).mean() < 0.01


def test_files_say_the_shape_of_their_pixels():
    from fractions import Fraction

    from moss_crown.core.formats.movie import read_facts, write_mp4
    from moss_crown.core.formats.png import write_png

    grey = np.full((32, 32, 3), 90, np.uint8)
    assert b"pHYs" not in write_png(grey)
    across, down = Image.open(io.BytesIO(write_png(grey, pixel_shape=1.4587))).info["aspect"]
    assert down / across == pytest.approx(1.4587, abs=1e-4)
    movie = write_mp4([grey, grey], Fraction(25), 16 / 11)
    assert read_facts(movie).pixel_shape == Fraction(16, 11)
    assert read_facts(write_mp4([grey, grey], Fraction(25))).pixel_shape == 1


@pytest.mark.parametrize("shape", [0, 0.05, 11, float("nan"), "wide"])
def test_a_pixel_has_a_shape_within_bounds(shape):
    with pytest.raises(DocumentInvalid) as refused:
        patched(write_shot(new_shot()), [{"op": "add", "path": "/pixel_shape", "value": shape}])
    assert "pixel_shape" in str(refused.value.facts())
