"""Files read back as what they claim to be."""

from fractions import Fraction

import numpy as np
import pytest

from moss_crown.core.formats.movie import read_facts, write_mp4
from moss_crown.core.formats.png import read_png, write_png


@pytest.mark.parametrize("rate", [Fraction(25), Fraction(24000, 1001), Fraction(120)])
@pytest.mark.parametrize("count", [1, 7])
def test_a_movie_has_size_rate_and_every_frame(rate, count):
    frames = [np.full((36, 64, 3), 20 * k, np.uint8) for k in range(count)]
    facts = read_facts(write_mp4(frames, rate))
    assert (facts.width, facts.height, facts.frames, facts.codec) == (64, 36, count, "h264")
    assert facts.rate == rate


def test_an_odd_size_loses_its_last_row_and_column():
    facts = read_facts(write_mp4([np.zeros((37, 65, 3), np.uint8)] * 2, Fraction(25)))
    assert (facts.width, facts.height) == (64, 36)


def test_colours_survive_the_movie():
    import io

    import av

    pixels = np.zeros((64, 64, 3), np.uint8)
    pixels[:] = (200, 90, 40)
    data = write_mp4([pixels] * 3, Fraction(25))
    with av.open(io.BytesIO(data), "r") as movie:
        frame = next(movie.decode(video=0))
        assert frame.colorspace == 1  # Rec.709, as tagged
        shown = frame.reformat(format="rgb24", src_colorspace="ITU709", dst_color_range="JPEG").to_ndarray()
    assert np.abs(shown[32, 32].astype(int) - [200, 90, 40]).max() <= 4


@pytest.mark.parametrize("channels", [3, 4])
def test_png_is_lossless_and_says_srgb(channels):
    pixels = np.random.default_rng(1).integers(0, 256, (9, 11, channels), np.uint8)
    data = write_png(pixels)
    assert (read_png(data) == pixels).all()
    assert b"sRGB" in data[:60]
