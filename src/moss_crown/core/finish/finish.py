"""The one place where passes become a picture: for takes, proofs, posters, files and layers alike."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.finish.window import Box, Window
from moss_crown.core.render.display import to_bytes, to_display
from moss_crown.core.render.renderer import Passes

F32 = NDArray[np.float32]


class Treatment(Protocol):
    """Something done to a picture in scene-linear, exposed light; the same for the same frame, whatever came before.
    Lengths that it has are shares of the frame's height."""

    def reach(self, height: int) -> int:
        """How far beyond a pixel it looks, in pixels of a frame so many pixels high."""

    def __call__(self, light: F32, passes: Passes, frame: int, window: Window) -> F32:
        """(h, w, 3) light of what `window` has rendered, and the passes that it began with -> the same, treated."""


@dataclass(frozen=True)
class Picture:
    """A finished frame. light (h, w, 3): scene-linear, exposed, premultiplied; alpha (h, w, 1)."""

    light: F32
    alpha: F32
    frame: int

    def shown(self) -> F32:
        """(h, w, 3) as the display shows it, 0..1."""
        return to_display(self.light)

    def pixels(self, alpha: bool = False) -> NDArray[np.uint8]:
        """(h, w, 3) sRGB, or (h, w, 4) with straight alpha."""
        if not alpha:
            return to_bytes(self.shown(), self.frame)
        # Colour is shown before alpha is taken out, so that edges over black look like the picture without alpha.
        cover = np.maximum(self.alpha, np.float32(1e-4))
        straight = to_bytes(to_display(np.asarray(self.light / cover, np.float32)), self.frame)
        return np.concatenate([straight, np.round(self.alpha * 255).astype(np.uint8)], -1)


def reach_of(treatments: Sequence[Treatment], height: int) -> int:
    """How many pixels beyond a part of a frame have to be rendered for it: treatments follow each other."""
    return sum(treatment.reach(height) for treatment in treatments)


def finish(passes: Passes, treatments: Sequence[Treatment], frame: int, window: Window) -> Picture:
    """The picture that passes of what `window` has rendered make, with treatments in their order."""
    light = passes.beauty
    for treatment in treatments:
        light = treatment(light, passes, frame, window)
    return Picture(_part(light, window.own), _part(passes.alpha, window.own), frame)


def _part(picture: F32, box: Box) -> F32:
    left, top, right, bottom = box
    return np.ascontiguousarray(picture[top:bottom, left:right])
