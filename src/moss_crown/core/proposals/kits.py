"""Kits of lights for any title: what they are, in half widths of the title from its middle."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeAlias

from moss_crown.core.document.look import Light

Kit: TypeAlias = Literal[
    "key_and_fill",
    "key_and_rim",
    "soft_front",
    "footlights",
    "through_window",
    "low_sun",
    "top_light",
    "side_pair",
    "stacked",
    "glow_only",
]
Effect: TypeAlias = Literal["highlight", "shadow", "edge"]
Mending: TypeAlias = Literal["lift", "separate", "calm"]

WARM, COOL, WHITE, AMBER = (1.0, 0.90, 0.78), (0.70, 0.85, 1.0), (1.0, 0.97, 0.93), (1.0, 0.58, 0.27)


@dataclass(frozen=True)
class Lamp:
    """A light of a kit: its place from the title's centre and its size in half widths of the title, its power for a
    half width of a metre."""

    name: str
    place: tuple[float, float, float]
    size: tuple[float, float]
    power: float
    colour: tuple[float, float, float]
    aim: tuple[float, float, float] = (0.0, 0.0, 0.0)
    stack: int = 1

    def light(self) -> Light:
        """As a light of the document, for a title in the origin that is two metres wide."""
        return Light(
            name=self.name,
            place=self.place,
            aim=self.aim,
            width=self.size[0],
            height=self.size[1],
            colour=self.colour,
            power=self.power,
            stack=self.stack,
        )


KITS: dict[Kit, tuple[Lamp, ...]] = {
    "key_and_fill": (
        Lamp("key", (-1.1, 0.68, 0.97), (0.24, 0.24), 93.0, WARM),
        Lamp("fill", (1.55, 0.56, 1.2), (0.66, 0.66), 8.5, COOL),
    ),
    "key_and_rim": (
        Lamp("key", (-0.9, 0.75, 1.1), (0.34, 0.34), 66.0, WARM),
        Lamp("rim", (1.15, 1.05, 0.02), (0.3, 0.1), 24.0, COOL),
        Lamp("other rim", (-1.25, 0.9, -0.02), (0.24, 0.1), 14.0, COOL),
    ),
    "soft_front": (Lamp("front", (-0.2, 0.6, 1.5), (1.5, 0.9), 74.0, WHITE),),
    "footlights": tuple(
        Lamp(f"footlight {k + 1}", (0.4 * (k - 2), -9.0, 0.62), (0.07, 0.05), 12.0, AMBER, (0.4 * (k - 2), 0.0, 0.0))
        for k in range(5)
    ),
    "through_window": tuple(
        Lamp(
            f"pane {k + 1}", (-1.45 + 0.13 * k, 0.75, 0.9 + 0.08 * k), (0.045, 0.36), 34.0, WARM, (0.16 * (k - 1), 0, 0)
        )
        for k in range(3)
    ),
    "low_sun": (
        Lamp("sun", (2.0, 0.34, 1.7), (0.03, 0.03), 300.0, AMBER),
        Lamp("sky", (-0.8, 1.4, 1.2), (1.4, 1.0), 9.0, COOL),
    ),
    "top_light": (Lamp("top", (0.0, 1.2, 0.28), (0.9, 0.36), 62.0, WHITE),),
    "side_pair": (
        Lamp("left", (-1.35, 0.2, 0.3), (0.12, 0.8), 46.0, COOL),
        Lamp("right", (1.35, 0.2, 0.3), (0.12, 0.8), 46.0, WARM),
    ),
    "stacked": (
        Lamp("stack", (-1.7, 2.5, 3.6), (0.08, 0.08), 560.0, WHITE, stack=5),
        Lamp("front", (0.3, 0.4, 3.4), (2.6, 1.8), 60.0, WHITE),
    ),
    "glow_only": (),
}
