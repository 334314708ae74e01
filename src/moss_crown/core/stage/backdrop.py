"""What fills the frame behind everything that a scene has: a colour, two that run into each other, or a picture."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from moss_crown.core.order import Region

Colour = tuple[float, float, float]
"""Left, top, right, bottom in shares of the frame."""
WHOLE: Region = (0.0, 0.0, 1.0, 1.0)


@dataclass(frozen=True)
class Backdrop:
    """Scene-linear: from `low` on the lower border to `high` on the upper one, or in a direction `turn` degrees to the
    right of that. A picture (h, w, 4) lies over it, in the middle, as large as it must be to fill a frame `aspect`
    times as wide as high. `region` is what is seen of the frame."""

    low: Colour
    high: Colour
    turn: float = 0.0
    picture: NDArray[np.float32] | None = None
    aspect: float = 1.0
    region: Region = WHOLE


def seen_in(backdrop: Backdrop, region: Region) -> Backdrop:
    """A backdrop as a region of the frame sees it: left, top, right, bottom in shares of the frame."""
    return replace(backdrop, region=region)


def covering(width: int, height: int, aspect: float) -> tuple[float, float]:
    """Which shares of a picture's width and height are seen where it fills a frame `aspect` times as wide as high."""
    own = width / height
    return min(1.0, aspect / own), min(1.0, own / aspect)


def run(backdrop: Backdrop, x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
    """Colours (..., 3) without the picture at shares of the frame's width from the left and of its height from below.

    They change evenly; corners that lie farthest in the direction have the whole of a colour.
    """
    angle = np.radians(backdrop.turn)
    across, up = np.sin(angle), np.cos(angle)
    share = 0.5 + ((x - 0.5) * across + (y - 0.5) * up) / (abs(across) + abs(up))
    low, high = np.array(backdrop.low), np.array(backdrop.high)
    return np.asarray(low + (high - low) * share[..., None])


def corners(backdrop: Backdrop) -> NDArray[np.float64]:
    """(4, 3) colours of the frame's corners: below left and right, above left and right. Between them they change
    evenly."""
    return run(backdrop, np.array([0.0, 1.0, 0.0, 1.0]), np.array([0.0, 0.0, 1.0, 1.0]))


def painted(backdrop: Backdrop, width: int, height: int) -> NDArray[np.float32]:
    """(height, width, 3): what is seen of it in a picture of so many pixels."""
    left, top, right, bottom = backdrop.region
    x = left + (right - left) * (np.arange(width) + 0.5) / width
    y = 1 - (top + (bottom - top) * (np.arange(height) + 0.5) / height)
    found = run(backdrop, *np.meshgrid(x, y))
    if backdrop.picture is not None:
        over = _fitted(backdrop, backdrop.picture, width, height)
        found += (over[..., :3] - found) * over[..., 3:]
    return found.astype(np.float32)


def _fitted(backdrop: Backdrop, picture: NDArray[np.float32], width: int, height: int) -> NDArray[np.float32]:
    high, wide = picture.shape[:2]
    across, down = covering(wide, high, backdrop.aspect)
    left, top, right, bottom = backdrop.region
    box = (
        wide * (0.5 + (left - 0.5) * across),
        high * (0.5 + (top - 0.5) * down),
        wide * (0.5 + (right - 0.5) * across),
        high * (0.5 + (bottom - 0.5) * down),
    )
    planes = [
        np.asarray(Image.fromarray(np.ascontiguousarray(plane)).resize((width, height), Image.Resampling.BILINEAR, box))
        for plane in np.moveaxis(picture, -1, 0)
    ]
    return np.stack(planes, -1)
