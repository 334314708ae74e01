"""OpenType features by name: those a family has and a designer would switch. Names as in the OpenType specification."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from moss_crown.core.type.families import find
from moss_crown.core.type.fonts import feature_tags

NAMES = {
    "liga": "standard ligatures",
    "dlig": "discretionary ligatures",
    "hlig": "historical ligatures",
    "clig": "contextual ligatures",
    "calt": "contextual alternates",
    "swsh": "swashes",
    "cswh": "contextual swashes",
    "salt": "stylistic alternates",
    "titl": "titling capitals",
    "smcp": "small capitals",
    "c2sc": "small capitals from capitals",
    "pcap": "petite capitals",
    "unic": "unicase",
    "case": "case-sensitive forms",
    "cpsp": "capital spacing",
    "kern": "kerning",
    "onum": "old-style figures",
    "lnum": "lining figures",
    "pnum": "proportional figures",
    "tnum": "tabular figures",
    "frac": "fractions",
    "ordn": "ordinals",
    "sups": "superscript",
    "subs": "subscript",
    "zero": "slashed zero",
    "hist": "historical forms",
    "ornm": "ornaments",
    "ruby": "ruby forms",
    "palt": "proportional widths",
    **{f"ss{k:02d}": f"stylistic set {k}" for k in range(1, 21)},
}
ON_AT_FIRST = frozenset(("liga", "clig", "calt", "kern"))


@dataclass(frozen=True, slots=True)
class Feature:
    """A feature that a family has: its tag, its name, and whether it is on unless it is switched off."""

    tag: str
    name: str
    on: bool


@lru_cache(maxsize=256)
def features_of(family: str) -> tuple[Feature, ...]:
    """The features of a family that have a name here, in the order of the names."""
    tags = {tag for source in find(family).sources for tag in feature_tags(source)}
    return tuple(Feature(tag, name, tag in ON_AT_FIRST) for tag, name in NAMES.items() if tag in tags)
