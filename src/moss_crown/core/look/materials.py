"""Materials of our own: a catalogue to start from. Each is an ordinary material, and every value of it can be changed.

Colours are scene-linear Rec.709. Reflectances of metals are close to measured ones at normal incidence (as tabulated
in Akenine-Moeller, Haines and Hoffman, Real-Time Rendering, 4th edition, section 9.5).
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from moss_crown.core.document.look import Material

SWATCHES = Path(__file__).with_name("swatches")
"""Pictures of the catalogue, made by `python -m moss_crown.demo.swatches`."""

RGB = tuple[float, float, float]


@dataclass(frozen=True)
class Curated:
    """A material with its name, the group it is found in, and what its texture's main controls are called."""

    id: str
    name: str
    group: str
    material: Material
    controls: dict[str, str]


CONTROLS: dict[str, dict[str, str]] = {
    "plain": {},
    "brushed": {"scale": "Length of strokes", "tone": "Strokes", "relief": "Depth of strokes"},
    "cast": {"scale": "Coarseness", "relief": "Roughness of the casting"},
    "hammered": {"scale": "Size of dents", "relief": "Depth of dents"},
    "blotches": {"scale": "Size of patches", "amount": "Spread", "contrast": "Hard borders", "wear": "On edges"},
    "veins": {"scale": "Size", "amount": "Veins", "contrast": "Sharp veins"},
    "speckles": {"scale": "Grain size", "amount": "Light grains", "tone": "Variety"},
    "chips": {"scale": "Size of chips", "amount": "Chips", "tone": "Variety"},
    "strata": {"scale": "Thickness of layers", "amount": "Light layers", "relief": "Weathering"},
    "rings": {"scale": "Width of the tree", "tone": "Grain", "contrast": "Late wood", "relief": "Open grain"},
    "concrete": {"scale": "Size", "tone": "Stains", "relief": "Holes"},
    "plaster": {"scale": "Size of strokes", "relief": "Strokes"},
    "knit": {"scale": "Knit size", "tone": "Shade", "relief": "Thickness of the yarn"},
    "weave": {"scale": "Thread size", "tone": "Shade", "relief": "Thickness of threads"},
    "felt": {"scale": "Fibre size", "tone": "Variety", "relief": "Fibres"},
    "grid": {"scale": "Distance", "amount": "Width of lines", "contrast": "Sharp edges"},
    "dots": {"scale": "Distance", "amount": "Size of dots", "contrast": "Sharp edges"},
    "stripes": {"scale": "Width", "amount": "Share", "contrast": "Sharp edges"},
    "paper": {"scale": "Fibre size", "tone": "Fibres", "relief": "Tooth"},
    "crackle": {"scale": "Size of the net", "amount": "Cracks", "contrast": "Sharp cracks"},
    "frost": {"scale": "Size", "amount": "Frost", "relief": "Feathers"},
    "dust": {"scale": "Size", "amount": "Bloom", "relief": "Grain"},
    "clumps": {"scale": "Size of cushions", "tone": "Variety", "relief": "Depth"},
    "depths": {"scale": "Size", "amount": "Clouds"},
}
"""What the values of each pattern's texture mean to someone who builds with it."""


def _material(
    colour: RGB, metal: float, roughness: float, texture: dict[str, Any] | None = None, **more: Any
) -> Material:
    return Material.model_validate(
        {"colour": colour, "metal": metal, "roughness": roughness, "texture": texture or {}} | more
    )


def _grain(
    pattern: str, scale: float, colour: RGB, roughness: float, metal: float = 0.0, **more: Any
) -> dict[str, Any]:
    return {"pattern": pattern, "scale": scale, "colour": colour, "roughness": roughness, "metal": metal} | more


GOLD, BRASS, COPPER = (1.0, 0.77, 0.34), (0.91, 0.68, 0.34), (0.95, 0.64, 0.54)
SILVER, STEEL, IRON = (0.96, 0.95, 0.92), (0.66, 0.64, 0.62), (0.53, 0.51, 0.49)
BRONZE, NICKEL = (0.71, 0.45, 0.23), (0.66, 0.61, 0.53)

_ALL: list[tuple[str, str, str, Material]] = [
    ("harbour-brass", "Harbour brass", "metal", _material((0.90, 0.66, 0.30), 1.0, 0.24)),
    ("polished-gold", "Polished gold", "metal", _material(GOLD, 1.0, 0.08)),
    (
        "worn-gilding",
        "Worn gilding",
        "metal",
        _material(
            GOLD,
            1.0,
            0.2,
            _grain(
                "blotches",
                0.9,
                (0.24, 0.045, 0.025),
                0.55,
                amount=0.26,
                contrast=0.85,
                tone=0.12,
                relief=0.05,
                wear=0.85,
            ),
        ),
    ),
    ("mirror-chrome", "Mirror chrome", "metal", _material((0.80, 0.82, 0.84), 1.0, 0.03)),
    (
        "brushed-steel",
        "Brushed steel",
        "metal",
        _material(
            STEEL,
            1.0,
            0.3,
            _grain("brushed", 1.0, (0.46, 0.45, 0.44), 0.42, 1.0, amount=0.5, contrast=0.2, tone=0.35, relief=0.08),
            brushed=0.8,
        ),
    ),
    (
        "brushed-copper",
        "Brushed copper",
        "metal",
        _material(
            COPPER,
            1.0,
            0.26,
            _grain("brushed", 1.0, (0.72, 0.40, 0.30), 0.4, 1.0, amount=0.5, contrast=0.2, tone=0.35, relief=0.08),
            brushed=0.8,
        ),
    ),
    (
        "sand-cast-iron",
        "Sand-cast iron",
        "metal",
        _material(IRON, 1.0, 0.5, _grain("cast", 0.28, (0.30, 0.29, 0.28), 0.62, 1.0, tone=0.4, relief=0.5)),
    ),
    (
        "hammered-bronze",
        "Hammered bronze",
        "metal",
        _material(
            BRONZE, 1.0, 0.22, _grain("hammered", 0.42, (0.50, 0.28, 0.12), 0.3, 1.0, amount=0.4, tone=0.3, relief=0.32)
        ),
    ),
    (
        "green-copper",
        "Green copper",
        "metal",
        _material(
            (0.62, 0.33, 0.22),
            1.0,
            0.34,
            _grain("blotches", 0.8, (0.16, 0.42, 0.33), 0.8, amount=0.62, contrast=0.62, tone=0.45, relief=0.12),
        ),
    ),
    (
        "rusted-iron",
        "Rusted iron",
        "metal",
        _material(
            (0.34, 0.32, 0.31),
            1.0,
            0.42,
            _grain(
                "blotches", 0.6, (0.20, 0.058, 0.018), 0.9, amount=0.66, contrast=0.5, tone=0.7, relief=0.3, wear=0.6
            ),
        ),
    ),
    (
        "dull-nickel",
        "Dull nickel",
        "metal",
        _material(NICKEL, 1.0, 0.42, _grain("depths", 0.6, (0.5, 0.47, 0.42), 0.55, 1.0, amount=0.5, tone=0.2)),
    ),
    (
        "tarnished-silver",
        "Tarnished silver",
        "metal",
        _material(
            SILVER, 1.0, 0.16, _grain("depths", 0.5, (0.26, 0.22, 0.19), 0.4, 1.0, amount=0.42, contrast=0.25, tone=0.2)
        ),
    ),
    (
        "ferry-lacquer",
        "Ferry red lacquer",
        "paint",
        _material((0.42, 0.018, 0.02), 0.0, 0.45, coat=1.0, coat_roughness=0.05),
    ),
    (
        "night-lacquer",
        "Night blue lacquer",
        "paint",
        _material((0.008, 0.02, 0.055), 0.0, 0.4, coat=1.0, coat_roughness=0.04),
    ),
    (
        "flake-lacquer",
        "Flake lacquer",
        "paint",
        _material(
            (0.05, 0.22, 0.20),
            0.75,
            0.38,
            _grain("speckles", 0.05, (0.10, 0.40, 0.36), 0.3, 0.9, amount=0.4, tone=0.5),
            coat=1.0,
            coat_roughness=0.05,
        ),
    ),
    (
        "chipped-paint",
        "Chipped quay paint",
        "paint",
        _material(
            (0.62, 0.55, 0.36),
            0.0,
            0.42,
            _grain(
                "blotches", 0.75, (0.16, 0.075, 0.04), 0.8, amount=0.27, contrast=0.95, tone=0.15, relief=0.1, wear=0.95
            ),
        ),
    ),
    (
        "chalk-paint",
        "Chalk paint",
        "paint",
        _material(
            (0.62, 0.64, 0.58),
            0.0,
            0.95,
            _grain("plaster", 0.9, (0.5, 0.53, 0.48), 0.98, amount=0.5, tone=0.3, relief=0.12),
        ),
    ),
    ("white-enamel", "White enamel", "paint", _material((0.82, 0.81, 0.77), 0.0, 0.3, coat=1.0, coat_roughness=0.03)),
    ("glossy-plastic", "Glossy plastic", "plastic", _material((0.72, 0.11, 0.03), 0.0, 0.16)),
    (
        "satin-plastic",
        "Satin plastic",
        "plastic",
        _material((0.10, 0.12, 0.13), 0.0, 0.38, _grain("cast", 0.07, (0.12, 0.14, 0.15), 0.42, tone=0.1, relief=0.1)),
    ),
    (
        "rubber",
        "Rubber",
        "plastic",
        _material(
            (0.025, 0.026, 0.027),
            0.0,
            0.72,
            _grain("dust", 0.6, (0.06, 0.06, 0.06), 0.9, amount=0.3, tone=0.3, relief=0.08),
        ),
    ),
    (
        "oak",
        "Oak",
        "timber",
        _material(
            (0.46, 0.27, 0.12),
            0.0,
            0.5,
            _grain("rings", 1.0, (0.25, 0.12, 0.045), 0.45, amount=0.52, contrast=0.3, tone=0.45, relief=0.12),
        ),
    ),
    (
        "walnut",
        "Walnut",
        "timber",
        _material(
            (0.17, 0.078, 0.035),
            0.0,
            0.42,
            _grain("rings", 1.2, (0.06, 0.026, 0.013), 0.4, amount=0.55, contrast=0.2, tone=0.5, relief=0.06),
            coat=0.5,
            coat_roughness=0.2,
        ),
    ),
    (
        "pine",
        "Pine",
        "timber",
        _material(
            (0.68, 0.45, 0.20),
            0.0,
            0.52,
            _grain("rings", 1.6, (0.46, 0.21, 0.06), 0.48, amount=0.45, contrast=0.4, tone=0.25, relief=0.05),
        ),
    ),
    (
        "driftwood",
        "Driftwood",
        "timber",
        _material(
            (0.42, 0.39, 0.34),
            0.0,
            0.88,
            _grain("rings", 0.9, (0.22, 0.20, 0.17), 0.92, amount=0.55, contrast=0.35, tone=0.7, relief=0.5),
        ),
    ),
    (
        "white-marble",
        "White marble",
        "stone",
        _material(
            (0.78, 0.77, 0.74),
            0.0,
            0.16,
            _grain("veins", 1.1, (0.22, 0.23, 0.24), 0.2, amount=0.42, contrast=0.35, tone=0.16),
            coat=0.4,
            coat_roughness=0.06,
        ),
    ),
    (
        "dark-marble",
        "Dark marble",
        "stone",
        _material(
            (0.022, 0.026, 0.027),
            0.0,
            0.14,
            _grain("veins", 0.9, (0.62, 0.55, 0.42), 0.2, amount=0.4, contrast=0.5, tone=0.3),
            coat=0.5,
            coat_roughness=0.05,
        ),
    ),
    (
        "granite",
        "Granite",
        "stone",
        _material(
            (0.20, 0.20, 0.21),
            0.0,
            0.3,
            _grain("speckles", 0.7, (0.55, 0.50, 0.46), 0.24, amount=0.45, contrast=0.8, tone=0.75),
        ),
    ),
    (
        "slate",
        "Slate",
        "stone",
        _material(
            (0.075, 0.085, 0.092),
            0.0,
            0.62,
            _grain("strata", 0.6, (0.13, 0.14, 0.145), 0.5, amount=0.5, contrast=0.3, tone=0.4, relief=0.3),
        ),
    ),
    (
        "sandstone",
        "Sandstone",
        "stone",
        _material(
            (0.58, 0.40, 0.24),
            0.0,
            0.92,
            _grain("strata", 1.1, (0.46, 0.25, 0.13), 0.95, amount=0.5, contrast=0.35, tone=0.35, relief=0.22),
        ),
    ),
    (
        "terrazzo",
        "Terrazzo",
        "stone",
        _material(
            (0.70, 0.68, 0.62),
            0.0,
            0.26,
            _grain("chips", 0.7, (0.28, 0.20, 0.15), 0.2, amount=0.5, contrast=0.98, tone=0.85),
        ),
    ),
    (
        "concrete",
        "Poured concrete",
        "stone",
        _material(
            (0.40, 0.395, 0.38),
            0.0,
            0.9,
            _grain("concrete", 1.0, (0.30, 0.295, 0.285), 0.94, amount=0.5, contrast=0.2, tone=0.5, relief=0.35),
        ),
    ),
    (
        "plaster",
        "Plaster",
        "stone",
        _material(
            (0.74, 0.71, 0.66),
            0.0,
            0.95,
            _grain("plaster", 0.8, (0.68, 0.65, 0.6), 0.96, amount=0.5, tone=0.2, relief=0.3),
        ),
    ),
    (
        "moss-wool",
        "Moss green knit",
        "cloth",
        _material(
            (0.20, 0.26, 0.065),
            0.0,
            0.95,
            _grain("knit", 0.55, (0.17, 0.225, 0.055), 0.95, amount=0.5, contrast=0.9, tone=0.85, relief=0.6),
            sheen=0.5,
            ior=1.4,
        ),
    ),
    (
        "fisher-knit",
        "Fisher's knit",
        "cloth",
        _material(
            (0.66, 0.60, 0.48),
            0.0,
            0.95,
            _grain("knit", 0.9, (0.62, 0.56, 0.45), 0.95, amount=0.5, contrast=0.9, tone=0.8, relief=0.7),
            sheen=0.45,
            ior=1.4,
        ),
    ),
    (
        "linen",
        "Linen",
        "cloth",
        _material(
            (0.62, 0.53, 0.39),
            0.0,
            0.9,
            _grain("weave", 0.6, (0.54, 0.45, 0.32), 0.9, amount=0.5, contrast=0.9, tone=0.7, relief=0.35),
            sheen=0.3,
            ior=1.4,
        ),
    ),
    (
        "sailcloth",
        "Sailcloth",
        "cloth",
        _material(
            (0.55, 0.10, 0.045),
            0.0,
            0.85,
            _grain("weave", 0.45, (0.47, 0.075, 0.035), 0.85, amount=0.5, contrast=0.9, tone=0.6, relief=0.3),
            sheen=0.3,
            ior=1.4,
        ),
    ),
    (
        "felt",
        "Felt",
        "cloth",
        _material(
            (0.10, 0.20, 0.21),
            0.0,
            1.0,
            _grain("felt", 0.35, (0.075, 0.155, 0.165), 1.0, amount=0.5, contrast=0.2, tone=0.7, relief=0.3),
            sheen=0.7,
            ior=1.35,
        ),
    ),
    (
        "dotted-paper",
        "Dotted paper",
        "paper",
        _material(
            (0.80, 0.76, 0.66),
            0.0,
            0.9,
            _grain("dots", 0.7, (0.50, 0.075, 0.04), 0.9, amount=0.46, contrast=0.97, tone=0.4),
            ior=1.4,
        ),
    ),
    (
        "striped-paper",
        "Striped paper",
        "paper",
        _material(
            (0.80, 0.77, 0.68),
            0.0,
            0.9,
            _grain("stripes", 0.8, (0.05, 0.16, 0.18), 0.9, amount=0.5, contrast=0.98, tone=0.4),
            ior=1.4,
        ),
    ),
    (
        "laid-paper",
        "Laid paper",
        "paper",
        _material(
            (0.82, 0.80, 0.74),
            0.0,
            0.95,
            _grain("paper", 0.5, (0.78, 0.75, 0.67), 0.95, amount=0.5, tone=0.3, relief=0.14),
            ior=1.35,
        ),
    ),
    (
        "chart-paper",
        "Chart paper",
        "paper",
        _material(
            (0.80, 0.79, 0.72),
            0.0,
            0.85,
            _grain("grid", 0.1, (0.12, 0.30, 0.33), 0.8, amount=0.08, contrast=0.9, tone=0.0),
            ior=1.4,
        ),
    ),
    (
        "card",
        "Grey card",
        "paper",
        _material(
            (0.44, 0.39, 0.31),
            0.0,
            0.95,
            _grain("paper", 0.3, (0.38, 0.33, 0.26), 0.95, amount=0.5, contrast=0.3, tone=0.6, relief=0.16),
            ior=1.35,
        ),
    ),
    (
        "glazed-ceramic",
        "Glazed ceramic",
        "ceramic",
        _material(
            (0.20, 0.42, 0.40),
            0.0,
            0.5,
            _grain("crackle", 0.6, (0.06, 0.13, 0.12), 0.4, amount=0.5, contrast=0.5, tone=0.3),
            coat=1.0,
            coat_roughness=0.03,
        ),
    ),
    ("porcelain", "Porcelain", "ceramic", _material((0.80, 0.80, 0.78), 0.0, 0.35, coat=1.0, coat_roughness=0.02)),
    ("clear-glass", "Clear glass", "glass", _material((0.97, 0.985, 0.98), 0.0, 0.02, transmission=1.0)),
    (
        "bottle-glass",
        "Bottle glass",
        "glass",
        _material((0.16, 0.46, 0.22), 0.0, 0.03, transmission=1.0, tint_depth=0.5),
    ),
    (
        "lantern-glass",
        "Lantern glass",
        "glass",
        _material((0.95, 0.44, 0.08), 0.0, 0.03, transmission=1.0, tint_depth=0.3),
    ),
    (
        "sea-glass",
        "Sea glass",
        "glass",
        _material((0.42, 0.76, 0.72), 0.0, 0.5, transmission=0.85, tint_depth=0.4),
    ),
    ("bubble", "Bubble", "glass", _material((0.96, 0.97, 1.0), 0.0, 0.02, transmission=1.0, thin=True, ior=1.6)),
    (
        "frosted-ice",
        "Frosted ice",
        "ice and wax",
        _material(
            (0.62, 0.78, 0.84),
            0.0,
            0.12,
            _grain("frost", 0.7, (0.85, 0.90, 0.93), 0.6, amount=0.5, contrast=0.3, tone=0.3, relief=0.1),
            coat=0.5,
            coat_roughness=0.1,
            transmission=0.7,
            tint_depth=0.6,
            ior=1.31,
        ),
    ),
    (
        "beeswax",
        "Beeswax",
        "ice and wax",
        _material(
            (0.72, 0.48, 0.14),
            0.0,
            0.4,
            _grain("depths", 0.6, (0.60, 0.36, 0.09), 0.48, amount=0.5, contrast=0.1, tone=0.3, relief=0.05),
            sheen=0.25,
            ior=1.44,
        ),
    ),
    (
        "chalk",
        "Chalk",
        "ice and wax",
        _material(
            (0.80, 0.79, 0.76),
            0.0,
            1.0,
            _grain("dust", 0.7, (0.66, 0.65, 0.62), 1.0, amount=0.5, contrast=0.2, tone=0.4, relief=0.25),
            ior=1.3,
        ),
    ),
    (
        "moss",
        "Moss",
        "growth",
        _material(
            (0.085, 0.15, 0.018),
            0.0,
            1.0,
            _grain("clumps", 0.5, (0.17, 0.21, 0.03), 1.0, amount=0.45, contrast=0.2, tone=0.95, relief=0.85),
            sheen=0.45,
            ior=1.35,
        ),
    ),
    (
        "lamp-neon",
        "Lamp white neon",
        "light",
        _material((0.06, 0.05, 0.045), 0.0, 0.3, glow=1.5, glow_colour=(1.0, 0.80, 0.52)),
    ),
    (
        "signal-neon",
        "Signal red neon",
        "light",
        _material((0.05, 0.01, 0.01), 0.0, 0.3, glow=1.5, glow_colour=(1.0, 0.10, 0.04)),
    ),
    (
        "buoy-neon",
        "Buoy green neon",
        "light",
        _material((0.01, 0.05, 0.02), 0.0, 0.3, glow=1.2, glow_colour=(0.10, 1.0, 0.36)),
    ),
]


def _curated(id: str, name: str, group: str, material: Material) -> Curated:
    pattern = material.texture.pattern
    return Curated(id, name, group, material, CONTROLS[pattern] if isinstance(pattern, str) else {})


MATERIALS: dict[str, Curated] = {entry[0]: _curated(*entry) for entry in _ALL}
"""The catalogue by id."""
