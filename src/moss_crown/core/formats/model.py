"""A title as plain geometry on its way to another program: what glTF, USD, OBJ and STL are written from."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import Solid
from moss_crown.core.look.dress import Dress


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

    `places`: texture coordinates of each solid, (m, 3, 2) metres, a pair a corner. `numbered`: vertices are wanted with
    their numbers in their solids.
    """

    title: str
    solids: list[Solid]
    dresses: list[Dress]
    nodes: list[Node]
    places: list[NDArray[np.float32]] | None = None
    numbered: bool = False


def placed(solid: Solid, pose: NDArray[np.float64]) -> NDArray[np.float64]:
    """A solid's vertices (n, 3) in the world."""
    moved: NDArray[np.float64] = solid.vertices @ pose[:3, :3].T + pose[:3, 3]
    return moved
