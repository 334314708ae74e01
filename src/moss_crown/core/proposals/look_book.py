"""The look book: what a look is, and those that ship."""

from __future__ import annotations

from typing import Literal, TypeAlias, get_args

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.kinds import Name
from moss_crown.core.document.look import (
    EnvironmentPreset,
    EnvironmentStep,
    Light,
    Material,
    MaterialStep,
    StageStep,
)
from moss_crown.core.document.values import Model
from moss_crown.core.look.materials import MATERIALS
from moss_crown.core.proposals.kits import KITS, Kit

Part: TypeAlias = Literal["material", "environment", "lights", "stage"]
PARTS: tuple[Part, ...] = get_args(Part)


class Look(Model):
    """What a title wears. Parts that it does not have stay as they are in the shot that takes it."""

    version: Literal[1] = 1
    name: Name = "Look"
    material: MaterialStep | None = None
    environment: EnvironmentStep | None = None
    lights: list[Light] | None = Field(default=None, max_length=limits.LIGHTS)
    stage: StageStep | None = None


def _shipped(
    name: str,
    face: str,
    edge: str,
    environment: tuple[EnvironmentPreset, float, float],
    kit: tuple[Kit, float],
    floor: Material | None,
    wall: Material | None,
    apart: float = 0.4,
) -> Look:
    preset, strength, turn = environment
    one, other = MATERIALS[face], MATERIALS[edge]
    plain = Material(colour=(0.05, 0.055, 0.055), roughness=0.5)
    return Look(
        name=name,
        material=MaterialStep(id="material", name=one.name, face=one.material, edge=other.material),
        environment=EnvironmentStep(id="environment", preset=preset, strength=strength, turn=turn),
        lights=[lamp.light().model_copy(update={"power": lamp.power * kit[1]}) for lamp in KITS[kit[0]]],
        stage=StageStep(
            id="stage",
            floor=floor is not None,
            wall=wall is not None,
            wall_distance=apart,
            floor_material=floor or plain,
            wall_material=wall or plain,
        ),
    )


def _dull(red: float, green: float, blue: float, roughness: float = 0.7) -> Material:
    return Material(colour=(red, green, blue), roughness=roughness)


_NIGHT, _INK, _PAPER = _dull(0.012, 0.013, 0.015, 0.16), _dull(0.02, 0.024, 0.03), _dull(0.62, 0.6, 0.55, 0.9)
_GREY, _SAND, _RUST = _dull(0.16, 0.16, 0.155), _dull(0.42, 0.33, 0.23, 0.85), _dull(0.30, 0.05, 0.035, 0.8)
_SLATE, _MOSS, _SEA = _dull(0.05, 0.06, 0.065, 0.3), _dull(0.10, 0.13, 0.06, 0.9), _dull(0.06, 0.13, 0.14, 0.5)

LOOKS: dict[str, Look] = {
    look.name.lower().replace(" ", "-"): look
    for look in (
        _shipped(
            "Harbour brass",
            "harbour-brass",
            "polished-gold",
            ("two_windows", 0.85, 0),
            ("key_and_fill", 1),
            _SLATE,
            _SLATE,
            0.38,
        ),
        _shipped(
            "Gold in the dark",
            "polished-gold",
            "polished-gold",
            ("long_softbox", 2.2, -18),
            ("soft_front", 0.7),
            _NIGHT,
            _INK,
        ),
        _shipped(
            "Chrome strip", "mirror-chrome", "mirror-chrome", ("rim_pair", 2.4, 0), ("side_pair", 0.6), _NIGHT, None
        ),
        _shipped(
            "Worn gilding",
            "worn-gilding",
            "worn-gilding",
            ("lantern_room", 0.9, 20),
            ("key_and_rim", 0.8),
            _NIGHT,
            _RUST,
        ),
        _shipped(
            "Brushed steel", "brushed-steel", "mirror-chrome", ("cold_tube", 1.0, 0), ("top_light", 0.7), _SLATE, _INK
        ),
        _shipped(
            "Foundry iron",
            "sand-cast-iron",
            "sand-cast-iron",
            ("storm_break", 0.9, 30),
            ("footlights", 0.9),
            _SLATE,
            _INK,
        ),
        _shipped("Ferry timber", "oak", "oak", ("low_sun", 0.35, 10), ("low_sun", 0.6), _SAND, _SAND, 0.2),
        _shipped(
            "Chipped paint",
            "chipped-paint",
            "oak",
            ("morning_mist", 0.7, 0),
            ("through_window", 1.2),
            _GREY,
            _SAND,
            0.22,
        ),
        _shipped(
            "Dark marble",
            "dark-marble",
            "polished-gold",
            ("two_windows", 1.0, -20),
            ("key_and_fill", 0.8),
            _SLATE,
            _GREY,
        ),
        _shipped(
            "Concrete morning", "concrete", "concrete", ("overcast", 0.5, 0), ("low_sun", 0.5), _GREY, _GREY, 0.25
        ),
        _shipped(
            "Winter wool",
            "fisher-knit",
            "fisher-knit",
            ("paper_tent", 0.5, 0),
            ("key_and_fill", 0.55),
            _RUST,
            _RUST,
            0.3,
        ),
        _shipped(
            "Card on card", "card", "laid-paper", ("paper_tent", 0.55, 0), ("soft_front", 0.7), None, _PAPER, 0.08
        ),
        _shipped(
            "Porcelain", "porcelain", "porcelain", ("paper_tent", 0.6, 0), ("key_and_fill", 0.7), _PAPER, _SEA, 0.45
        ),
        _shipped(
            "Glazed ceramic",
            "glazed-ceramic",
            "glazed-ceramic",
            ("lamp_row", 0.9, 0),
            ("key_and_rim", 0.7),
            _SLATE,
            _SEA,
        ),
        _shipped(
            "Bottle glass",
            "bottle-glass",
            "bottle-glass",
            ("long_softbox", 1.5, -18),
            ("key_and_rim", 2.0),
            _SLATE,
            _GREY,
            0.9,
        ),
        _shipped(
            "Lantern glass",
            "lantern-glass",
            "clear-glass",
            ("dusk_harbour", 1.4, 0),
            ("key_and_rim", 2.2),
            _SLATE,
            _SAND,
            0.8,
        ),
        _shipped(
            "Frosted ice", "frosted-ice", "frosted-ice", ("cold_tube", 1.2, 0), ("side_pair", 1.0), _SEA, _SEA, 0.6
        ),
        _shipped(
            "Red neon", "signal-neon", "signal-neon", ("night_market", 0.3, 0), ("top_light", 0.06), _NIGHT, _GREY, 0.2
        ),
        _shipped(
            "Lamp white", "lamp-neon", "lamp-neon", ("dusk_harbour", 0.35, 0), ("top_light", 0.05), _NIGHT, _SAND, 0.2
        ),
        _shipped("Moss and stone", "moss", "concrete", ("overcast", 0.7, 0), ("key_and_fill", 0.9), _MOSS, _GREY, 0.4),
    )
}
"""Looks of our own, by id."""
