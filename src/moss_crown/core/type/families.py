"""Families: the catalogue of the bundled open ones, and those that users bring in."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TypeAlias

from moss_crown.core.cache import Shelf
from moss_crown.core.errors import FamilyUnknown

FOLDER = Path(__file__).parent / "families"
Axes: TypeAlias = tuple[tuple[str, float], ...]
"""Places on variable axes: tag and value, in order of tags."""

Source: TypeAlias = Path | str
"""Where a font's bytes are: a bundled file, or the id of a font that was brought in."""

SCRIPTS = {
    "latin": "Latin",
    "latin-ext": "",
    "vietnamese": "",
    "cyrillic": "Cyrillic",
    "cyrillic-ext": "",
    "greek": "Greek",
    "greek-ext": "",
    "arabic": "Arabic",
    "hebrew": "Hebrew",
    "devanagari": "Devanagari",
    "japanese": "Japanese",
}
"""The parts that a family's glyphs are split into, in the order in which they are tried, with the script that each
holds the body of."""


@dataclass(frozen=True, slots=True)
class Family:
    """One family. Its fonts are tried in order for each letter; `at` is where its variable axes stand at first."""

    id: str
    name: str
    character: str
    sources: tuple[Source, ...]
    scripts: tuple[str, ...]
    licence: str
    at: Axes = ()


def _family(id: str, name: str, character: str, **at: float) -> Family:
    parts = [part for part in SCRIPTS if (FOLDER / f"{id}-{part}.ttf").exists()]
    return Family(
        id,
        name,
        character,
        tuple(FOLDER / f"{id}-{part}.ttf" for part in parts),
        tuple(SCRIPTS[part] for part in parts if SCRIPTS[part]),
        f"{id}.LICENSE.txt",
        tuple(sorted(at.items())),
    )


FAMILIES: dict[str, Family] = {
    family.id: family
    for family in (
        _family("archivo-black", "Archivo Black", "grotesque"),
        _family("archivo", "Archivo", "grotesque", wght=800, wdth=100),
        _family("rubik", "Rubik", "grotesque", wght=800),
        _family("bricolage-grotesque", "Bricolage Grotesque", "grotesque", wght=800, wdth=100, opsz=96),
        _family("anton", "Anton", "condensed"),
        _family("oswald", "Oswald", "condensed", wght=600),
        _family("teko", "Teko", "condensed", wght=600),
        _family("unbounded", "Unbounded", "wide", wght=800),
        _family("anybody", "Anybody", "wide", wght=800, wdth=140),
        _family("syne", "Syne", "wide", wght=800),
        _family("league-spartan", "League Spartan", "geometric", wght=700),
        _family("commissioner", "Commissioner", "geometric", wght=700, slnt=0, FLAR=0, VOLM=0),
        _family("cinzel", "Cinzel", "inscription", wght=700),
        _family("eb-garamond", "EB Garamond", "old-style", wght=700),
        _family("fraunces", "Fraunces", "old-style", wght=700, opsz=144, SOFT=0, WONK=0),
        _family("abril-fatface", "Abril Fatface", "didone"),
        _family("bodoni-moda", "Bodoni Moda", "didone", wght=700, opsz=28),
        _family("playfair", "Playfair", "didone", wght=800, opsz=60, wdth=100),
        _family("rozha-one", "Rozha One", "didone"),
        _family("alfa-slab-one", "Alfa Slab One", "slab"),
        _family("pacifico", "Pacifico", "script"),
        _family("kaushan-script", "Kaushan Script", "script"),
        _family("caveat", "Caveat", "hand", wght=700),
        _family("permanent-marker", "Permanent Marker", "hand"),
        _family("stardos-stencil", "Stardos Stencil", "stencil"),
        _family("big-shoulders-stencil", "Big Shoulders Stencil", "stencil", wght=800, opsz=72),
        _family("bungee-inline", "Bungee Inline", "inline"),
        _family("monoton", "Monoton", "inline"),
        _family("limelight", "Limelight", "showcard"),
        _family("climate-crisis", "Climate Crisis", "showcard", YEAR=1979),
        _family("fredoka", "Fredoka", "rounded", wght=600, wdth=100),
        _family("comfortaa", "Comfortaa", "rounded", wght=700),
        _family("space-mono", "Space Mono", "mono"),
        _family("recursive", "Recursive", "mono", wght=800, MONO=1, CASL=0, CRSV=0.5, slnt=0),
        _family("special-elite", "Special Elite", "mono"),
        _family("unifrakturcook", "UnifrakturCook", "blackletter"),
        _family("reem-kufi", "Reem Kufi", "kufic", wght=700),
        _family("lalezar", "Lalezar", "naskh"),
        _family("frank-ruhl-libre", "Frank Ruhl Libre", "old-style", wght=800),
        _family("secular-one", "Secular One", "grotesque"),
        _family("dela-gothic-one", "Dela Gothic One", "grotesque"),
    )
}

FALLBACK = Family(
    "dejavu-sans", "DejaVu Sans", "fallback", (FOLDER / "dejavu-sans.ttf",), (), "dejavu-sans.LICENSE.txt"
)
FALLBACKS = (FALLBACK, FAMILIES["rozha-one"], FAMILIES["dela-gothic-one"])
"""Draw the letters that a family lacks, in this order: together they cover every script named above."""

OWN = Shelf(96 * 1024 * 1024)
"""Fonts brought into this process, by an id made from their content."""


def bring_in(id: str, name: str, raw: bytes, scripts: tuple[str, ...]) -> bool:
    """Make a checked font known as a family of its own. Answers whether others were let go for it."""
    return OWN.put(id, (Family(id, name, "own", (id,), scripts, ""), raw), len(raw))


def is_known(id: str) -> bool:
    """Is it bundled, or does this process have it?"""
    return id in FAMILIES or id in OWN


def find(id: str) -> Family:
    """The family of an id. Raises FamilyUnknown."""
    if id in FAMILIES:
        return FAMILIES[id]
    if id in OWN:
        family: Family = OWN.get(id)[0]
        return family
    raise FamilyUnknown("family", id)


def font_bytes(source: Source) -> bytes:
    """Raises FamilyUnknown for a font that this process has not, or no longer."""
    if isinstance(source, str):
        if source not in OWN:
            raise FamilyUnknown("family", source)
        raw: bytes = OWN.get(source)[1]
        return raw
    return source.read_bytes()
