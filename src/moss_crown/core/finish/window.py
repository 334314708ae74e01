"""A part of a frame in whole pixels, and what is rendered for it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

Box: TypeAlias = tuple[int, int, int, int]
"""Left, top, and beyond them right, bottom; in pixels."""


@dataclass(frozen=True, slots=True)
class Window:
    """`wanted` of a frame `width` by `height` pixels. What is rendered for it goes `margin` pixels further on all
    sides, but not beyond the frame: so what is finished sees the same in a part of the frame as in the whole."""

    width: int
    height: int
    wanted: Box
    margin: int = 0

    @property
    def rendered(self) -> Box:
        """What is rendered: `wanted` with its margin."""
        left, top, right, bottom = self.wanted
        far = self.margin
        return max(0, left - far), max(0, top - far), min(self.width, right + far), min(self.height, bottom + far)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of what is rendered."""
        left, top, right, bottom = self.rendered
        return right - left, bottom - top

    @property
    def shares(self) -> tuple[float, float, float, float]:
        """What is rendered, in shares of the frame."""
        left, top, right, bottom = self.rendered
        return left / self.width, top / self.height, right / self.width, bottom / self.height

    @property
    def own(self) -> Box:
        """What is wanted, in the pixels of what is rendered."""
        left, top, right, bottom = self.wanted
        across, down, _, _ = self.rendered
        return left - across, top - down, right - across, bottom - down


def window_of(width: int, height: int, region: tuple[float, float, float, float] | None) -> Window:
    """The window of a region, given by left, top, right and bottom in shares of the frame and rounded to its pixels, of
    which it has one at least; None for the whole frame."""
    if region is None:
        return Window(width, height, (0, 0, width, height))
    left, top, right, bottom = (round(share * side) for share, side in zip(region, (width, height) * 2, strict=True))
    left, top = min(max(left, 0), width - 1), min(max(top, 0), height - 1)
    return Window(width, height, (left, top, min(max(right, left + 1), width), min(max(bottom, top + 1), height)))
