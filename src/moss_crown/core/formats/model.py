"""A title as plain geometry on its way to another program: what glTF, USD, OBJ and STL are written from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.solid import BEVEL, FACETS, REAR, REAR_BEVEL, Solid
from moss_crown.core.look.material import Surface

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
    own = [FACETS[facet].replace(" ", "_") for facet in (BEVEL, REAR_BEVEL, REAR) if which[facet] > 1]
    return ("face", "edge", *own)


def part_masks(solid: Solid, which: Which) -> list[NDArray[np.bool_]]:
    group = np.array(which)[solid.facet]
    return [group == k for k in range(max(which) + 1)]


@dataclass(frozen=True)
class Node:
    """A letter: its name, mesh, pose (4, 4), and the point of its own space about which it turns."""

    name: str
    mesh: int
    pose: NDArray[np.float64]
    pivot: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class TitleModel:
    """Solids, the surfaces of each, and the letters that use them. Metres, Y up.

    `places`: texture coordinates of each solid, (m, 3, 2) metres, a pair a corner.
    """

    title: str
    solids: list[Solid]
    dresses: list[Dress]
    nodes: list[Node]
    places: list[NDArray[np.float32]] | None = None


def placed(solid: Solid, pose: NDArray[np.float64]) -> NDArray[np.float64]:
    """A solid's vertices (n, 3) in the world."""
    moved: NDArray[np.float64] = solid.vertices @ pose[:3, :3].T + pose[:3, 3]
    return moved
