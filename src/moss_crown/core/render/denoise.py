"""The one door to Open Image Denoise."""

from __future__ import annotations

from typing import Literal, TypeAlias

import numpy as np
import pyoidn
from numpy.typing import NDArray

from moss_crown.core.errors import TitleError

Quality: TypeAlias = Literal["fast", "balanced", "high"]


BEYOND = 8
"""Pixels."""


class DenoiseError(TitleError):
    code = "render.denoise"


def denoise(
    beauty: NDArray[np.float32],
    albedo: NDArray[np.float32],
    normal: NDArray[np.float32],
    quality: Quality,
    sharp: bool = False,
) -> NDArray[np.float32]:
    """(h, w, 3) scene-linear beauty with its albedo (0..1) and normals (-1..1) -> the same without noise.

    `sharp`: albedo and normals have as good as no noise themselves, so that all that is fine in them may be kept. Only
    the high quality heeds it: the fast filter takes more from them than there is.

    It goes on beyond its borders as in a mirror: what the filter takes for black there would speckle them.
    """
    beyond = [(min(BEYOND, side - 1),) * 2 for side in beauty.shape[:2]]
    wider = [np.pad(part, (*beyond, (0, 0)), mode="reflect") for part in (beauty, albedo, normal)]
    try:
        clean: NDArray[np.float32] = pyoidn.denoise(
            *wider, hdr=True, clean_aux=sharp and quality == "high", quality=quality
        )
    except RuntimeError as failed:
        raise DenoiseError(str(failed)) from None
    (top, _), (left, _) = beyond
    return np.ascontiguousarray(clean[top : top + beauty.shape[0], left : left + beauty.shape[1]])
