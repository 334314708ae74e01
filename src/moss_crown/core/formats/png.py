"""PNG: written with the display's tag, and with straight alpha where it is asked for."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image, PngImagePlugin


def write_png(pixels: NDArray[np.uint8], level: int = 4) -> bytes:
    """(h, w, 3) or (h, w, 4) sRGB bytes -> a PNG that says it is sRGB."""
    about = PngImagePlugin.PngInfo()
    about.add(b"sRGB", b"\x00", after_idat=False)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=level, pnginfo=about)
    return out.getvalue()


def read_png(data: bytes) -> NDArray[np.uint8]:
    return np.asarray(Image.open(io.BytesIO(data)))


def write_jpeg(pixels: NDArray[np.uint8], quality: int = 90) -> bytes:
    """(h, w, 3) sRGB bytes -> a JPEG, for proofs on their way to the screen."""
    out = io.BytesIO()
    Image.fromarray(pixels[..., :3]).save(out, "JPEG", quality=quality, subsampling=0)
    return out.getvalue()
