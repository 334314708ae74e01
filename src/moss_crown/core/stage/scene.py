"""The scene of one frame: everything the renderer needs, and nothing it has to ask for."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import Solid
from moss_crown.core.look.environment import Picture
from moss_crown.core.look.material import Surface
from moss_crown.core.stage.backdrop import Backdrop


def triangle_areas(triangles: NDArray[np.float64]) -> NDArray[np.float64]:
    """(n) areas of triangles (n, 3, 3)."""
    cross = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    found: NDArray[np.float64] = np.linalg.norm(cross, axis=1) / 2
    return found


MIRRORED = 0b1000_0000
"""The bit of what also mirrors a lamp that lights it."""
EVERYTHING = 0b1111_1111
"""The bits of what a lamp lights altogether and is mirrored in."""


@dataclass(frozen=True)
class Manner:
    """How a lamp lights. `cone`: cosines of a spot's inner and outer angle from its axis; `limit`: the distance in
    metres beyond which it does not reach, 0 for none; `dark`: how dark its shadows are on letters and on the stage;
    `touches`: for each letter, then each sheet, a bit a facet that it lights and MIRRORED,
    None for everything."""

    cone: tuple[float, float] | None = None
    limit: float = 0.0
    dark: tuple[float, float] = (1.0, 1.0)
    touches: tuple[int, ...] | None = None


PLAIN = Manner()


@dataclass(frozen=True)
class RectangleLight:
    """One-sided: shines along `normal`. `u`, `v` are half edges; radiance (3)."""

    centre: NDArray[np.float64]
    u: NDArray[np.float64]
    v: NDArray[np.float64]
    radiance: NDArray[np.float64]
    manner: Manner = PLAIN

    @property
    def normal(self) -> NDArray[np.float64]:
        """(3) the way that it shines."""
        n = np.cross(self.u, self.v)
        return np.asarray(n / np.linalg.norm(n))

    @property
    def area(self) -> float:
        """Square metres."""
        return float(4 * np.linalg.norm(np.cross(self.u, self.v)))


@dataclass(frozen=True)
class ShapeLight:
    """Triangles (n, 3, 3) that shine where their corners turn counter-clockwise; `axis` is that of its spot."""

    triangles: NDArray[np.float64]
    axis: NDArray[np.float64]
    radiance: NDArray[np.float64]
    manner: Manner = PLAIN


@dataclass(frozen=True)
class SunLight:
    """From infinitely far, travelling along `direction`; `radius` in radians; `irradiance` (3) on what faces it."""

    direction: NDArray[np.float64]
    radius: float
    irradiance: NDArray[np.float64]
    manner: Manner = PLAIN

    @property
    def radiance(self) -> NDArray[np.float64]:
        """(3) of its disc."""
        return np.asarray(self.irradiance / (np.pi * np.sin(self.radius) ** 2))


Light = RectangleLight | ShapeLight | SunLight


@dataclass(frozen=True)
class Sheet:
    """A flat rectangle of the stage (floor, wall): centre, half edges, material; or it only catches shadows."""

    centre: NDArray[np.float64]
    u: NDArray[np.float64]
    v: NDArray[np.float64]
    surface: int
    catches: bool = False
    name: str = "stage"


@dataclass(frozen=True)
class Swept:
    """A line (n, 2) of heights and depths (y, z) drawn out across, `half` to each side, with the normals (n - 1, 2, 2)
    of the ends of its pieces."""

    line: NDArray[np.float64]
    normals: NDArray[np.float64]
    half: float
    surface: int
    catches: bool = False
    name: str = "stage"


@dataclass(frozen=True)
class Globe:
    """A ball of the stage."""

    centre: NDArray[np.float64]
    radius: float
    surface: int
    catches: bool = False
    name: str = "stage"


Ground = Sheet | Swept | Globe


@dataclass(frozen=True)
class Haze:
    """What of a surface at a distance of d metres is left: exp(-(density d)^2); the rest is of `colour`, scene-linear.
    The haze between goes by depth before the camera; grounds fade to a horizon by how far they lie around the middle of
    the stage."""

    density: float
    colour: tuple[float, float, float]


@dataclass(frozen=True)
class Surround:
    """The environment picture with its strength and turn (degrees about the vertical), and what shows behind all:
    nothing (black), the environment itself, or a backdrop."""

    picture: Picture
    strength: float
    turn: float
    behind: Literal["nothing", "environment"] | Backdrop = "nothing"


@dataclass(frozen=True)
class Camera:
    """poses (t, 4, 4) camera to world, looking along -Z; `half` tangents of the half angles; `shift` in half frames.

    `opening`: the lens's radius in metres, 0 for a pinhole; `focus`: the distance along the axis at which it is sharp;
    `blades`: 0 for a round opening. `grade` (3, 3): exposure and white balance. `later` (4, 4): the pose one frame on.
    """

    poses: NDArray[np.float64]
    half: tuple[float, float]
    shift: tuple[float, float]
    opening: float = 0.0
    focus: float = 1.0
    blades: int = 0
    grade: NDArray[np.float64] = field(default_factory=lambda: np.eye(3))
    later: NDArray[np.float64] | None = None


@dataclass(frozen=True)
class Bent:
    """Where the vertices of a bent letter are, in its own space: places (t, n, 3) and corner normals (t, m, 3, 3) at
    even times over the shutter; `later` (n, 3) are the places one frame after its opening."""

    places: NDArray[np.float32]
    normals: NDArray[np.float32]
    later: NDArray[np.float32] | None = None


@dataclass(frozen=True)
class Placed:
    """A letter in the scene: which solid, its poses at even times over the shutter (t, 4, 4), surfaces by facet.

    `rest` (4, 4) takes it to the title at rest, where textures run through; `number` tells letters apart where they
    begin afresh. `later` (4, 4) is its pose one frame on. `name` and `word` tell it, and the word that it is part of,
    apart in mattes. A letter that is `bent` has its solid as it is at rest: its textures stay where they are there.
    """

    solid: int
    poses: NDArray[np.float64]
    surfaces: tuple[int, int, int, int, int, int]
    rest: NDArray[np.float64] = field(default_factory=lambda: np.eye(4))
    number: int = 0
    later: NDArray[np.float64] | None = None
    name: str = ""
    word: str = ""
    bent: Bent | None = None


@dataclass(frozen=True)
class Scene:
    solids: tuple[Solid, ...]
    letters: tuple[Placed, ...]
    grounds: tuple[Ground, ...]
    surfaces: tuple[Surface, ...]
    lights: tuple[Light, ...]
    surround: Surround
    camera: Camera
    light_names: tuple[str, ...] = ()
    haze: Haze | None = None
    horizon: Haze | None = None
