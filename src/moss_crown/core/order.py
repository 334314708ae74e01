"""How frames and models are ordered."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeAlias

Region: TypeAlias = tuple[float, float, float, float]

ModelFormat: TypeAlias = Literal["glb", "usd", "obj", "stl"]
ENDINGS: dict[ModelFormat, str] = {"glb": "glb", "usd": "usdc", "obj": "obj.zip", "stl": "stl"}


@dataclass(frozen=True, slots=True)
class FrameOrder:
    """How a frame is wanted: with so many samples a pixel, or at most so many where a bound on noise is given. With
    `alpha` the camera sees letters only and the pixels are RGBA, straight."""

    width: int
    height: int
    samples: int = 16
    noise: float = 0.0
    motion_blur: bool = True
    alpha: bool = False
    denoise: bool = True
    threads: int = 1
    layers: bool = False
    region: Region | None = None
    """Left, top, right, bottom of a part of the frame, in shares of it; None for all."""
    pixel_shape: float = 1.0
    """The width of a pixel by its height."""
