"""What motion makes of how letters look, beside where they are: tint, opacity, glow, softness. What is special to one
of these stands here, in the offset of a drive, and where letters are drawn; what lies between passes a `Wear` on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.motion import Offset
from moss_crown.core.look.material import Surface
from moss_crown.core.values.sampling import Frames, Letters, each

Floats: TypeAlias = NDArray[np.float64]
Look: TypeAlias = tuple[float, float, float, float, float, float]
"""Of a letter: red, green, blue and share of its tint, what is left of its opacity, and how many times it glows."""
COLUMNS = ("red", "green", "blue", "share", "opacity", "glow", "softness")
"""Of `Wear.table`."""


@dataclass(frozen=True)
class Wear:
    """At frames and for letters (f, l): colour and share of a tint (f, l, 4), opacity (f, l), a factor on its glow
    (f, l), and over how many metres each is soft (f, l); None for what stays as it is."""

    shape: tuple[int, int]
    tint: Floats | None = None
    opacity: Floats | None = None
    glow: Floats | None = None
    soft: Floats | None = None

    @property
    def plain(self) -> bool:
        """Do all letters look as they do without it?"""
        return self.tint is None and self.opacity is None and self.glow is None and self.soft is None

    def tints(self) -> Floats:
        """(f, l, 4), of no share where there is no tint."""
        return np.zeros((*self.shape, 4)) if self.tint is None else self.tint

    def opacities(self) -> Floats:
        """(f, l), 1 where all is left."""
        return np.ones(self.shape) if self.opacity is None else self.opacity

    def glows(self) -> Floats:
        """(f, l), 1 where letters glow as their materials do."""
        return np.ones(self.shape) if self.glow is None else self.glow

    def softness(self) -> Floats:
        """(f, l) metres, 0 where nothing is soft."""
        return np.zeros(self.shape) if self.soft is None else self.soft

    def hidden(self) -> NDArray[np.bool_]:
        """(f, l): of which letters is nothing left?"""
        return np.asarray(np.round(self.opacities(), 6) <= 0)

    def alone(self, k: int) -> Wear:
        """At one of its frames."""
        one = (None if v is None else v[k : k + 1] for v in (self.tint, self.opacity, self.glow, self.soft))
        return Wear((1, self.shape[1]), *one)

    def table(self) -> Floats:
        """(f, l, COLUMNS)"""
        single = np.stack([self.opacities(), self.glows(), self.softness()], 2)
        return np.concatenate([self.tints(), single], 2)

    def looks(self) -> list[Look | None]:
        """What changes the surfaces of each letter at the first frame; None where nothing does."""
        rows = np.round(self.table()[0, :, :6], 6).tolist()
        return [
            (red, green, blue, share, left, glow) if share or left != 1 or glow != 1 else None
            for red, green, blue, share, left, glow in rows
        ]


def given(offset: Offset, reach: Floats, frames: Frames, letters: Letters) -> Wear | None:
    """What a drive that letters feel so strongly (f, l) makes of their look; softness in cap heights."""
    share, left, glow, radius = (
        each(value, frames, letters) for value in (offset.tint_share, offset.opacity, offset.glow, offset.softness)
    )
    tint = opacity = lit = soft = None
    if share.any():
        tint = np.zeros((*reach.shape, 4))
        tint[..., :3], tint[..., 3] = each(offset.tint, frames, letters), np.clip(reach * share, 0, 1)
    if (left != 1).any():
        opacity = np.asarray(np.clip(1 + (left - 1) * np.clip(reach, 0, 1), 0, 1))
    if (glow != 1).any():
        lit = np.asarray(np.clip(1 + (glow - 1) * np.clip(reach, 0, 1), 0, None))
    if radius.any():
        soft = np.asarray(np.clip(reach, 0, None) * radius)
    found = Wear((reach.shape[0], reach.shape[1]), tint, opacity, lit, soft)
    return None if found.plain else found


def worn(several: Sequence[Wear], shape: tuple[int, int], size: float) -> Wear:
    """Several over each other, the later ones on top: tints cover, opacities and glows multiply, softness adds up.
    Theirs is in cap heights of `size` metres."""
    tints = [one.tint for one in several if one.tint is not None]
    left = [one.opacity for one in several if one.opacity is not None]
    glow = [one.glow for one in several if one.glow is not None]
    soft = [one.soft for one in several if one.soft is not None]
    softness = size * sum(soft, np.zeros(shape))
    return Wear(
        shape,
        _covering(tints, shape) if tints else None,
        _product(left, shape),
        _product(glow, shape),
        softness if softness.any() else None,
    )


def _product(factors: Sequence[Floats], shape: tuple[int, int]) -> Floats | None:
    return np.prod([np.broadcast_to(one, shape) for one in factors], 0) if factors else None


def _covering(tints: Sequence[Floats], shape: tuple[int, int]) -> Floats:
    """What is seen of each tint follows from the shares above it."""
    mixed = np.zeros((*shape, 4))
    for tint in tints:
        share = np.broadcast_to(tint[..., 3], shape)
        mixed[..., :3] += (tint[..., :3] - mixed[..., :3]) * share[..., None]
        mixed[..., 3] += (1 - mixed[..., 3]) * share
    # Colours were mixed towards black where nothing lay below: by their whole share they are what they are.
    mixed[..., :3] /= np.maximum(mixed[..., 3:], 1e-9)
    return mixed


def surfaced(surface: Surface, look: Look) -> Surface:
    """A surface of a letter that looks like that."""
    red, green, blue, share, left, glow = look

    def mixed(colour: tuple[float, float, float]) -> tuple[float, float, float]:
        r, g, b = colour
        return r + (red - r) * share, g + (green - g) * share, b + (blue - b) * share

    grain = replace(surface.grain, colour=mixed(surface.grain.colour)) if surface.grain else None
    r, g, b = surface.glow
    lit = (r * glow, g * glow, b * glow)
    return replace(surface, colour=mixed(surface.colour), grain=grain, opacity=surface.opacity * left, glow=lit)
