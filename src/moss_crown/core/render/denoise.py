"""The one door to Open Image Denoise."""

from __future__ import annotations

from typing import Literal, TypeAlias

import numpy as np
import pyoidn
from numpy.typing import NDArray

from moss_crown.core.errors import TitleError

Quality: TypeAlias = Literal["fast", "balanced", "high"]


class DenoiseError(TitleError):
    code = "render.denoise"


def denoise(
    beauty: NDArray[np.float32], albedo: NDArray[np.float32], normal: NDArray[np.float32], quality: Quality
) -> NDArray[np.float32]:
    """(h, w, 3) scene-linear beauty with its albedo (0..1) and normals (-1..1) -> the same without noise."""
    try:
        clean: NDArray[np.float32] = pyoidn.denoise(beauty, albedo, normal, hdr=True, quality=quality)
    except RuntimeError as failed:
        raise DenoiseError(str(failed)) from None
    return clean
