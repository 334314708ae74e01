"""The bundled open families: a catalogue, and the files that hold each family's glyphs."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

FOLDER = Path(__file__).parent / "families"


@dataclass(frozen=True, slots=True)
class Family:
    """One family in one weight. `files` are tried in order for each letter."""

    id: str
    name: str
    character: str
    files: tuple[str, ...]
    licence: str

    def paths(self) -> tuple[Path, ...]:
        return tuple(FOLDER / name for name in self.files)


def _family(id: str, name: str, character: str, extended: bool = True) -> Family:
    files = (f"{id}-latin.ttf",) + ((f"{id}-latin-ext.ttf",) if extended else ())
    return Family(id, name, character, files, f"{id}.LICENSE.txt")


FAMILIES: dict[str, Family] = {
    family.id: family
    for family in (
        _family("archivo-black", "Archivo Black", "grotesque"),
        _family("anton", "Anton", "condensed"),
        _family("unbounded", "Unbounded", "wide"),
        _family("league-spartan", "League Spartan", "geometric"),
        _family("cinzel", "Cinzel", "inscription"),
        _family("eb-garamond", "EB Garamond", "old-style"),
        _family("abril-fatface", "Abril Fatface", "didone"),
        _family("alfa-slab-one", "Alfa Slab One", "slab"),
        _family("pacifico", "Pacifico", "script"),
        _family("stardos-stencil", "Stardos Stencil", "stencil", extended=False),
        _family("fredoka", "Fredoka", "rounded"),
        _family("space-mono", "Space Mono", "mono"),
        _family("unifrakturcook", "UnifrakturCook", "blackletter", extended=False),
    )
}

FALLBACK = Family("dejavu-sans", "DejaVu Sans", "fallback", ("dejavu-sans.ttf",), "dejavu-sans.LICENSE.txt")
"""Draws the letters that a family lacks."""
