"""Movies through PyAV: H.264 in MP4, tagged Rec.709, every frame of the shot exactly once."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray

BT709 = 1
"""Code point of Rec.709 primaries and transfer in ITU-T H.273."""
MOST_OF_SHAPE = 1000
"""The largest denominator of a pixel's shape: H.264 has 16 bits for each of its sides."""


def write_mp4(frames: Iterable[NDArray[np.uint8]], rate: Fraction, pixel_shape: float = 1.0, crf: int = 15) -> bytes:
    """(h, w, 3) sRGB frames of one size, with pixels `pixel_shape` times as wide as high -> an MP4. An odd size loses
    its last column or row: H.264 halves colour."""
    # A real file: to put the index first, so that playing starts at once, the muxer reopens what it wrote.
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "movie.mp4"
        _encode(frames, rate, pixel_shape, crf, path)
        return path.read_bytes()


def _encode(frames: Iterable[NDArray[np.uint8]], rate: Fraction, pixel_shape: float, crf: int, path: Path) -> None:
    with av.open(str(path), "w", format="mp4", options={"movflags": "+faststart"}) as container:
        stream = container.add_stream("libx264", rate=rate)
        stream.pix_fmt = "yuv420p"
        stream.options = {"crf": str(crf), "preset": "medium"}
        stream.codec_context.color_range = ColorRange.MPEG
        stream.codec_context.colorspace = Colorspace.ITU709
        stream.codec_context.color_primaries = BT709
        stream.codec_context.color_trc = BT709
        stream.codec_context.time_base = 1 / rate
        stream.codec_context.sample_aspect_ratio = Fraction(pixel_shape).limit_denominator(MOST_OF_SHAPE)
        for number, pixels in enumerate(frames):
            height, width = pixels.shape[0] // 2 * 2, pixels.shape[1] // 2 * 2
            if number == 0:
                stream.width, stream.height = width, height
            picture = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels[:height, :width, :3]), format="rgb24")
            picture = picture.reformat(
                format="yuv420p",
                dst_colorspace=Colorspace.ITU709,
                src_color_range=ColorRange.JPEG,
                dst_color_range=ColorRange.MPEG,
            )
            picture.pts = number
            picture.time_base = 1 / rate
            container.mux(stream.encode(picture))
        container.mux(stream.encode())


@dataclass(frozen=True, slots=True)
class MovieFacts:
    width: int
    height: int
    rate: Fraction
    frames: int
    codec: str
    pixel_shape: Fraction


def read_facts(data: bytes) -> MovieFacts:
    """Size, rate and number of frames, by decoding every frame."""
    with av.open(io.BytesIO(data), "r") as container:
        stream = container.streams.video[0]
        count = len(list(container.decode(stream)))
        return MovieFacts(
            stream.width,
            stream.height,
            Fraction(stream.average_rate or 0),
            count,
            stream.codec_context.name,
            Fraction(stream.codec_context.sample_aspect_ratio or 1),
        )
