"""Exposure of a finished picture: how its light spreads, where it runs out of range, and which light is behind that."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.look.exposure import BRIGHTNESS
from moss_crown.core.render.display import MIDDLE

F32 = NDArray[np.float32]
LEVELS, COLUMNS = 64, 96
WHITE, BLACK = 0.985, 0.012
"""Display values from which a pixel counts as white, and below which as black."""
_LUMA = BRIGHTNESS.astype(np.float32)

BANDS: tuple[tuple[str, float, tuple[int, int, int]], ...] = (
    ("no drawing left", -7.0, (38, 46, 110)),
    ("deep shade", -4.0, (62, 98, 150)),
    ("shade", -0.5, (96, 100, 96)),
    ("middle grey", 0.5, (122, 168, 96)),
    ("light", 2.5, (176, 176, 168)),
    ("nearly white", 4.5, (238, 196, 92)),
    ("white", np.inf, (222, 74, 40)),
)
"""Each band's name, the stops from middle grey at which it ends, and its colour."""


@dataclass(frozen=True)
class Scopes:
    """histogram (4, LEVELS): shares of pixels by display value for red, green, blue and brightness. waveform (LEVELS,
    COLUMNS): of each column of the picture, from left, the shares by brightness, dark first. white, black: shares of
    all pixels without drawing."""

    histogram: NDArray[np.float64]
    waveform: NDArray[np.float64]
    white: float
    black: float


def scopes(shown: F32) -> Scopes:
    """Of display values (h, w, 3), 0..1."""
    bright = shown @ _LUMA
    values = np.concatenate([np.moveaxis(shown, -1, 0), bright[None]])
    level = np.minimum((values * LEVELS).astype(int), LEVELS - 1)
    histogram = np.array([np.bincount(plane.ravel(), minlength=LEVELS) for plane in level]) / bright.size
    column = np.arange(shown.shape[1]) * COLUMNS // shown.shape[1]
    cell = level[3] * COLUMNS + column[None]
    waveform = np.bincount(cell.ravel(), minlength=LEVELS * COLUMNS).reshape(LEVELS, COLUMNS).astype(float)
    waveform /= np.maximum(waveform.sum(0), 1)
    return Scopes(histogram, waveform, float((shown.max(-1) >= WHITE).mean()), float((shown.max(-1) <= BLACK).mean()))


def exposure_map(linear: F32) -> NDArray[np.uint8]:
    """(h, w, 3): exposed light in the colours of BANDS."""
    stops = np.log2(np.maximum(linear @ _LUMA, np.float32(1e-9)) / np.float32(MIDDLE))
    band = np.searchsorted([end for _, end, _ in BANDS[:-1]], stops, side="right")
    return np.asarray(np.array([colour for *_, colour in BANDS], np.uint8)[band])


def culprits(shown: F32, by_light: dict[str, F32]) -> list[tuple[str, float]]:
    """Which lights are behind pixels that are white: names with their shares of the light there, the largest first.

    shown (h, w, 3): display values; by_light: the light (h, w, 3) that each brings. Empty where nothing is white.
    """
    hot = shown.max(-1) >= WHITE
    if not hot.any():
        return []
    brought = {name: float((light[hot] @ _LUMA).sum()) for name, light in by_light.items()}
    total = max(sum(brought.values()), 1e-12)
    return sorted(((name, light / total) for name, light in brought.items() if light > 0), key=lambda p: -p[1])
