"""What a letter wears: surfaces, and the facets that each covers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import BEVEL, FACETS, INSIDE, REAR, REAR_BEVEL, Solid
from moss_crown.core.look.material import Surface

Which: TypeAlias = tuple[int, int, int, int, int, int]
"""Which of a letter's surfaces each facet has."""
FACE_AND_EDGE: Which = (0, 1, 1, 1, 0, 1)
OWN = (BEVEL, REAR_BEVEL, REAR, INSIDE)
"""Facets that may have a surface of their own."""


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
    own = [FACETS[facet].replace(" ", "_") for facet in OWN if which[facet] > 1]
    return ("face", "edge", *own)


def part_masks(solid: Solid, which: Which) -> list[NDArray[np.bool_]]:
    """Which triangles (m) each of those surfaces covers."""
    group = np.array(which)[solid.facet]
    return [group == k for k in range(max(which) + 1)]
