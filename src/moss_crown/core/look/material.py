"""Materials at a frame, as rows of numbers for the renderer and the draft."""

from __future__ import annotations

from dataclasses import dataclass

from moss_crown.core.document.shot import Material
from moss_crown.core.motion.values import sample_one


@dataclass(frozen=True, slots=True)
class Surface:
    """A material at one frame. Colour scene-linear Rec.709."""

    colour: tuple[float, float, float]
    metal: float
    roughness: float
    ior: float

    @property
    def dielectric_reflectance(self) -> float:
        """Fresnel reflectance at normal incidence of the clear layer."""
        return ((self.ior - 1) / (self.ior + 1)) ** 2


def surface_at(material: Material, frame: float) -> Surface:
    r, g, b = (float(c) for c in sample_one(material.colour, frame))
    return Surface(
        (r, g, b),
        sample_one(material.metal, frame),
        sample_one(material.roughness, frame),
        sample_one(material.ior, frame),
    )


def linear(colour: tuple[float, float, float]) -> tuple[float, float, float]:
    """An sRGB colour, 0 to 1, as scene-linear Rec.709 (IEC 61966-2-1)."""
    red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in colour)
    return red, green, blue
