"""Materials at a frame, as numbers for the renderer, the draft and the exports."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal, TypeAlias, get_args

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.look.exposure import srgb_to_linear
from moss_crown.core.look.patterns import NAMES
from moss_crown.core.values.sampling import sample_choice, sample_one, sample_triple

if TYPE_CHECKING:
    from moss_crown.core.document.look import Material, Texture

Triple = tuple[float, float, float]
Tiling: TypeAlias = Literal["repeat", "mirror", "once"]
TILINGS: tuple[Tiling, ...] = get_args(Tiling)


@dataclass(frozen=True, slots=True)
class Grain:
    """A texture at one frame: the number of its pattern, and the second layer that it mixes in. See `Texture`."""

    pattern: int
    scale: float = 0.6
    amount: float = 0.5
    contrast: float = 0.5
    tone: float = 0.3
    relief: float = 0.0
    wear: float = 0.0
    colour: Triple = (0.2, 0.2, 0.2)
    metal: float = 0.0
    roughness: float = 0.5
    by_letter: bool = False
    turn: float = 0.0
    shift: Triple = (0.0, 0.0, 0.0)


HIGHEST = 0.1
"""How high bumps of a picture are at most, as a share of its width."""


@dataclass(frozen=True, slots=True)
class Images:
    """Own pictures at one frame, by their ids, "" for none. See `Pictures`."""

    colour: str = ""
    roughness: str = ""
    bump: str = ""
    width: float = 1.0
    tiling: Tiling = "repeat"
    mix: float = 1.0
    tint: Triple = (1.0, 1.0, 1.0)
    rough: float = 1.0
    height: float = 0.3
    by_letter: bool = False
    turn: float = 0.0
    shift: Triple = (0.0, 0.0, 0.0)

    @property
    def ids(self) -> tuple[str, str, str]:
        """Of colour, roughness and bump."""
        return self.colour, self.roughness, self.bump

    @property
    def first(self) -> str:
        """The picture that decides how high all of them are."""
        return next(id for id in self.ids if id)

    @property
    def deepest(self) -> float:
        """How high bumps are at most, in metres."""
        return self.height * self.width * HIGHEST


@dataclass(frozen=True, slots=True)
class Surface:
    """A material at one frame. Colour and glow scene-linear Rec.709; no grain where it is even, no images where it has
    none."""

    colour: Triple
    metal: float
    roughness: float
    ior: float
    coat: float = 0.0
    coat_roughness: float = 0.08
    sheen: float = 0.0
    glow: Triple = (0.0, 0.0, 0.0)
    brushed: float = 0.0
    brush_turn: float = 0.0
    transmission: float = 0.0
    thin: bool = False
    tint_depth: float = 0.3
    opacity: float = 1.0
    grain: Grain | None = None
    images: Images | None = None

    @property
    def dielectric_reflectance(self) -> float:
        """Fresnel reflectance at normal incidence of the clear layer."""
        return float(((self.ior - 1) / (self.ior + 1)) ** 2)

    @property
    def grazing(self) -> float:
        """What a dielectric reflects at a grazing angle: see `_grazing` of the renderer's shading."""
        more = self.ior - 1
        return float(min(more * (6.588 - 0.318 * more) / (1 + 3.541 * more), 1.0))


def surface_at(material: Material, frame: float) -> Surface:
    """A material of the document as it is at a frame."""
    strength = sample_one(material.glow, frame)
    glow = sample_triple(material.glow_colour, frame)
    return Surface(
        colour=sample_triple(material.colour, frame),
        metal=sample_one(material.metal, frame),
        roughness=sample_one(material.roughness, frame),
        ior=sample_one(material.ior, frame),
        coat=sample_one(material.coat, frame),
        coat_roughness=sample_one(material.coat_roughness, frame),
        sheen=sample_one(material.sheen, frame),
        glow=(glow[0] * strength, glow[1] * strength, glow[2] * strength),
        brushed=sample_one(material.brushed, frame),
        brush_turn=sample_one(material.brush_turn, frame),
        transmission=sample_one(material.transmission, frame),
        thin=sample_choice(material.thin, frame),
        tint_depth=sample_one(material.tint_depth, frame),
        opacity=sample_one(material.opacity, frame),
        grain=_grain_at(material.texture, frame),
        images=_images_at(material, frame),
    )


def _images_at(material: Material, frame: float) -> Images | None:
    own = material.pictures
    colour, roughness, bump = (
        "" if v is None else str(sample_choice(v, frame)) for v in (own.colour, own.roughness, own.bump)
    )
    if not (colour or roughness or bump):
        return None
    return Images(
        colour=colour,
        roughness=roughness,
        bump=bump,
        width=sample_one(own.width, frame),
        tiling=sample_choice(own.tiling, frame),
        mix=sample_one(own.mix, frame),
        tint=sample_triple(own.tint, frame),
        rough=sample_one(own.rough, frame),
        height=sample_one(own.height, frame),
        by_letter=sample_choice(material.texture.place, frame) == "letter",
        turn=sample_one(own.turn, frame),
        shift=sample_triple(own.shift, frame),
    )


def _grain_at(texture: Texture, frame: float) -> Grain | None:
    pattern = NAMES.index(sample_choice(texture.pattern, frame))
    if pattern == 0:
        return None
    return Grain(
        pattern=pattern,
        scale=sample_one(texture.scale, frame),
        amount=sample_one(texture.amount, frame),
        contrast=sample_one(texture.contrast, frame),
        tone=sample_one(texture.tone, frame),
        relief=sample_one(texture.relief, frame),
        wear=sample_one(texture.wear, frame),
        colour=sample_triple(texture.colour, frame),
        metal=sample_one(texture.metal, frame),
        roughness=sample_one(texture.roughness, frame),
        by_letter=sample_choice(texture.place, frame) == "letter",
        turn=sample_one(texture.turn, frame),
        shift=sample_triple(texture.shift, frame),
    )


def texture_matrix(grain: Grain) -> NDArray[np.float64]:
    """(3, 4) from the title's space, in metres, to the texture's: shifted, turned about z, in units of its scale."""
    return _laid(grain.turn, grain.shift) / grain.scale


def image_matrix(images: Images) -> NDArray[np.float64]:
    """(3, 4) from the title's space to that of the pictures, both in metres: shifted, and turned about z."""
    return _laid(images.turn, images.shift)


def _laid(degrees: float, shift: Triple) -> NDArray[np.float64]:
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turn = np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
    return np.column_stack([turn, -turn @ np.array(shift)])


def linear(colour: Triple) -> Triple:
    """An sRGB colour, 0 to 1, as scene-linear Rec.709."""
    red, green, blue = (float(c) for c in srgb_to_linear(np.array(colour, float)))
    return red, green, blue
