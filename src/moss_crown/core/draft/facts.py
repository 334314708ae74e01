"""What the front end is told once and for all."""

from __future__ import annotations

from dataclasses import asdict

from moss_crown.core.document.bounds import bounds_of
from moss_crown.core.document.shot import KINDS, kind_of
from moss_crown.core.document.words import words_of
from moss_crown.core.draft.schema import TABLES
from moss_crown.core.finish.meter import EVEN, LEAST_LEGIBLE, MOST_WHITE
from moss_crown.core.look.glsl import shared_source
from moss_crown.core.render.display import LUT_HIGH, LUT_LOW, LUT_SIZE, MIDDLE


def facts() -> dict[str, object]:
    """What is true of every kind of step, in the usual order, of its values, and what is said of both;
    the columns of a draft's tables; and
    what its shaders share with the renderer."""
    return {
        "steps": {kind_of(step): asdict(step.facts) for step in KINDS},
        "bounds": {kind_of(step): bounds_of(step) for step in KINDS},
        "words": {kind_of(step): words_of(step) for step in KINDS},
        "meter": {"legible": LEAST_LEGIBLE, "white": MOST_WHITE, "even": EVEN},
        "tables": TABLES,
        "shaders": shared_source(),
        "display": {"size": LUT_SIZE, "low": LUT_LOW, "high": LUT_HIGH, "middle": MIDDLE},
    }
