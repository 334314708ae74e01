"""What a letter wears: surfaces, and the facets that each covers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import BEVEL, FACETS, REAR, REAR_BEVEL, Solid
from moss_crown.core.look.material import Surface

Floats: TypeAlias = NDArray[np.float64]
Which: TypeAlias = tuple[int, int, int, int, int]
"""Which of a letter's surfaces each facet has."""
FACE_AND_EDGE: Which = (0, 1, 1, 1, 0)


@dataclass(frozen=True)
class Dress:
    """The surfaces of a letter: that of its face, that of its edge, then those that other facets have of their own."""

    surfaces: tuple[Surface, ...]
    which: Which = FACE_AND_EDGE

    @property
    def parts(self) -> tuple[str, ...]:
        """A name for what each surface covers."""
        return part_names(self.which)

    def masks(self, solid: Solid) -> list[NDArray[np.bool_]]:
        """Which triangles (m) each surface covers."""
        return part_masks(solid, self.which)


def part_names(which: Which) -> tuple[str, ...]:
    """A name for what each of the surfaces covers that facets ask for."""
    own = [FACETS[facet].replace(" ", "_") for facet in (BEVEL, REAR_BEVEL, REAR) if which[facet] > 1]
    return ("face", "edge", *own)


def part_masks(solid: Solid, which: Which) -> list[NDArray[np.bool_]]:
    """Which triangles (m) each of those surfaces covers."""
    group = np.array(which)[solid.facet]
    return [group == k for k in range(max(which) + 1)]


@dataclass(frozen=True)
class Wear:
    """What motion makes of how letters look, at frames and for letters (f, l): colour and share of a tint (f, l, 4),
    opacity (f, l), and over how many metres each is soft (f, l); None for what stays as it is."""

    shape: tuple[int, int]
    tint: Floats | None = None
    opacity: Floats | None = None
    soft: Floats | None = None

    @property
    def plain(self) -> bool:
        """Do all letters look as they do without it?"""
        return self.tint is None and self.opacity is None and self.soft is None

    def tints(self) -> Floats:
        """(f, l, 4), of no share where there is no tint."""
        return np.zeros((*self.shape, 4)) if self.tint is None else self.tint

    def opacities(self) -> Floats:
        """(f, l), 1 where all is left."""
        return np.ones(self.shape) if self.opacity is None else self.opacity

    def softness(self) -> Floats:
        """(f, l) metres, 0 where nothing is soft."""
        return np.zeros(self.shape) if self.soft is None else self.soft

    def hidden(self) -> NDArray[np.bool_]:
        """(f, l): of which letters is nothing left?"""
        return np.asarray(np.round(self.opacities(), 6) <= 0)

    def alone(self, k: int) -> Wear:
        """At one of its frames."""
        one = (None if v is None else v[k : k + 1] for v in (self.tint, self.opacity, self.soft))
        return Wear((1, self.shape[1]), *one)


def tinted(surface: Surface, tint: Sequence[float], opacity: float) -> Surface:
    """A surface of a letter that is tinted (red, green, blue, share) and of which `opacity` is left."""
    red, green, blue, share = (float(v) for v in tint)

    def mixed(colour: tuple[float, float, float]) -> tuple[float, float, float]:
        r, g, b = colour
        return r + (red - r) * share, g + (green - g) * share, b + (blue - b) * share

    grain = replace(surface.grain, colour=mixed(surface.grain.colour)) if surface.grain else None
    return replace(surface, colour=mixed(surface.colour), grain=grain, opacity=surface.opacity * opacity)
