"""PNG: written with the display's tag, and with straight alpha where it is asked for."""

from __future__ import annotations

import io
import struct
import zlib

import numpy as np
from numpy.typing import NDArray
from PIL import Image, PngImagePlugin

PHYSICAL = 100_000
HEAD = 33
"""Bytes of the signature and the first chunk, which say how large a picture is."""


def write_png(pixels: NDArray[np.uint8], level: int = 4, pixel_shape: float = 1.0) -> bytes:
    """(h, w, 3) or (h, w, 4) sRGB bytes -> a PNG that says it is sRGB, and how wide its pixels are where they are not
    square."""
    about = PngImagePlugin.PngInfo()
    about.add(b"sRGB", b"\x00", after_idat=False)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=level, pnginfo=about)
    found = out.getvalue()
    return found if pixel_shape == 1 else found[:HEAD] + _shape(pixel_shape) + found[HEAD:]


def _shape(of: float) -> bytes:
    """The chunk that says how many pixels a length has across and down, of no unit (PNG 1.2, 4.2.4.2)."""
    chunk = b"pHYs" + struct.pack(">IIB", PHYSICAL, round(PHYSICAL * of), 0)
    return struct.pack(">I", len(chunk) - 4) + chunk + struct.pack(">I", zlib.crc32(chunk))


def read_png(data: bytes) -> NDArray[np.uint8]:
    """(h, w, channels) bytes of a PNG."""
    return np.asarray(Image.open(io.BytesIO(data)))


def write_jpeg(pixels: NDArray[np.uint8], quality: int = 90) -> bytes:
    """(h, w, 3) sRGB bytes -> a JPEG, for proofs on their way to the screen."""
    out = io.BytesIO()
    Image.fromarray(pixels[..., :3]).save(out, "JPEG", quality=quality, subsampling=0)
    return out.getvalue()
