"""Reaches by pictures: as bright as they are where letters rest, wherever the picture is moved."""

import numpy as np
import pytest

from moss_crown.core.assets import check_assets
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.motion import DriveStep, Offset, Picture
from moss_crown.core.document.values import Key, Keyed
from moss_crown.core.errors import PictureUnknown
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.look import pictures
from moss_crown.core.motion.reach import Units, picture_reach, shaded

FRAMES = np.arange(0.0, 11.0)
ID = "picture-" + "5" * 32


def ramp(width=64, height=8) -> np.ndarray:
    """From black on the left to white on the right."""
    pixels = np.full((height, width, 4), 255, np.uint8)
    pixels[..., :3] = np.round(np.linspace(0, 255, width))[None, :, None]
    return pixels


def felt(reach: Picture, places, shades=None) -> np.ndarray:
    at = np.array(places, float)
    own = np.stack([ramp()[..., 0] / 255, np.ones((8, 64))], -1) if shades is None else shades
    return picture_reach(reach, FRAMES, Units(at, lambda: at[None], lambda _: own))


def test_it_is_as_strong_as_the_picture_is_bright():
    reach = Picture(picture=ID, width=4.0, middle=(0.0, 0.0))
    x = np.linspace(-1.9, 1.9, 9)
    found = felt(reach, [(k, 0.0, 0.0) for k in x])
    # The middles of the outer pixels are black and white: half a pixel further in from the border.
    expected = np.clip(((x / 4 + 0.5) * 64 - 0.5) / 63, 0, 1)
    assert found == pytest.approx(np.tile(expected, (len(FRAMES), 1)), abs=3e-3)


def test_dark_and_bright_are_strengths_of_black_and_white():
    reach = Picture(picture=ID, width=4.0, middle=(0.0, 0.0), dark=0.8, bright=0.2)
    assert felt(reach, [(-1.99, 0, 0), (1.99, 0, 0)])[0] == pytest.approx([0.8, 0.2], abs=0.01)


def test_beyond_it_and_where_nothing_is_painted_nothing_is_felt():
    reach = Picture(picture=ID, width=2.0, middle=(0.0, 0.0), dark=0.5)
    assert felt(reach, [(1.01, 0, 0), (0, 0.2, 0)])[0] == pytest.approx([0, 0])
    clear = np.stack([np.ones((4, 4)), np.full((4, 4), 0.25)], -1)
    assert felt(reach, [(0, 0, 0)], clear)[0] == pytest.approx([0.25])


def test_a_picture_that_is_moved_by_keys_passes_over_the_letters():
    middle = Keyed(keys=[Key(frame=0, value=(-3.0, 0.0)), Key(frame=10, value=(3.0, 0.0))])
    white = np.ones((2, 2, 2))
    found = felt(Picture(picture=ID, width=1.0, middle=middle), [(-1, 0, 0), (0, 0, 0), (1, 0, 0)], white)
    first = found.argmax(0)
    assert set(np.unique(found)) == {0.0, 1.0}
    assert first[0] < first[1] < first[2]


@pytest.mark.parametrize(("tiling", "at", "same"), [("repeat", 1.3, 0.3), ("mirror", 1.3, 0.7), ("mirror", -0.2, 0.2)])
def test_how_it_goes_on(tiling, at, same):
    shades = np.random.default_rng(4).uniform(size=(6, 9, 2))
    v = np.array([0.4])
    assert shaded(shades, np.array([at]), v, tiling) == pytest.approx(shaded(shades, np.array([same]), v, tiling))


def test_without_a_picture_a_drive_does_nothing():
    assert not felt(Picture(), [(0, 0, 0)]).any()


def driven(id: str):
    shot = new_shot(text="TIDE")
    lift = DriveStep(
        id="lift", offset=Offset(move=(0.0, 1.0, 0.0)), reaches=[Picture(picture=id, width=8.0, middle=(0.0, 0.5))]
    )
    return shot.model_copy(update={"steps": [s for s in shot.steps if s.kind != "drive"] + [lift]})


def test_letters_of_a_shot_rise_where_the_picture_is_bright():
    pictures.bring_in(ID, pictures.pack(ramp()))
    shot = driven(ID)
    structure = Evaluation(shot).structure(0)
    high = Evaluation(shot).poses(structure, np.array([5.0]))[0, :, 1, 3]
    still = np.array([letter.y for letter in structure.letters])
    middles = np.array([letter.x + letter.centre[0] for letter in structure.letters])
    assert high - still == pytest.approx(middles / 8 + 0.5, abs=0.02)
    # Brightness is meant as it was painted, whatever light that is.
    assert pictures.shades(ID)[0, :, 0] == pytest.approx(np.linspace(0, 1, 64), abs=3e-3)


def test_a_picture_that_is_nowhere_is_said():
    shot = driven("picture-" + "6" * 32)
    with pytest.raises(PictureUnknown) as wrong:
        check_assets(shot)
    assert wrong.value.field == f"/steps/{len(shot.steps) - 1}/reaches/0/picture"
