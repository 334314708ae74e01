"""The display transform, from OpenColorIO's built-in configuration: the same for proof, take, poster and draft."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from moss_crown.core.compiling import outer

CONFIGURATION = "ocio://default"
SCENE = "Linear Rec.709 (sRGB)"
DISPLAY = "sRGB - Display"
VIEW = "ACES 2.0 - SDR 100 nits (Rec.709)"

LUT_SIZE = 48
LUT_LOW, LUT_HIGH = -10.0, 7.0
"""Exponents of 2 that the draft's table spans, about 0.18."""
MIDDLE = 0.18


@lru_cache(maxsize=1)
def _processor() -> ocio.CPUProcessor:
    config = ocio.Config.CreateFromFile(CONFIGURATION)
    transform = ocio.DisplayViewTransform(src=SCENE, display=DISPLAY, view=VIEW)
    return config.getProcessor(transform).getDefaultCPUProcessor()


def to_display(linear: NDArray[np.float32]) -> NDArray[np.float32]:
    """(..., 3) scene-linear Rec.709 -> display-encoded sRGB, 0..1."""
    shown = np.array(linear, np.float32, order="C", copy=True)
    _processor().applyRGB(shown.reshape(-1, 3))
    return np.clip(shown, 0, 1)


def to_bytes(shown: NDArray[np.float32], frame: int) -> NDArray[np.uint8]:
    """(h, w, 3) display values -> 8 bits. Triangular dither of one step keeps smooth walls from banding."""
    result = np.empty(shown.shape, np.uint8)
    _dithered(result, np.ascontiguousarray(shown, np.float32), frame & 0xFFFFFFFF)
    return result


@outer
def _dithered(result, shown, frame):
    height, width, channels = shown.shape
    for y in range(height):
        for x in range(width):
            for c in range(channels):
                value = shown[y, x, c] * 255.0
                h = np.uint32(frame * 0x9E3779B9 + (y * 4096 + x) * 4 + c)
                h = np.uint32((h ^ (h >> np.uint32(16))) * np.uint32(0x21F0AAAD))
                h = np.uint32((h ^ (h >> np.uint32(15))) * np.uint32(0xD35A2D97))
                h = np.uint32(h ^ (h >> np.uint32(15)))
                noise = (np.float64(h & np.uint32(0xFFFF)) - np.float64(h >> np.uint32(16))) / 65536.0
                # Pure black and white stay pure.
                dithered = value if value <= 0.0 or value >= 255.0 else value + noise
                result[y, x, c] = np.uint8(min(255.0, max(0.0, dithered + 0.5)))


@lru_cache(maxsize=1)
def draft_table() -> NDArray[np.float32]:
    """(LUT_SIZE, LUT_SIZE, LUT_SIZE, 3) display values, blue slowest, red fastest.

    Axis value s in 0..1 stands for MIDDLE * 2 ** (LUT_LOW + s * (LUT_HIGH - LUT_LOW)).
    """
    axis = MIDDLE * 2.0 ** np.linspace(LUT_LOW, LUT_HIGH, LUT_SIZE)
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")
    return to_display(np.stack([red, green, blue], -1).astype(np.float32))
