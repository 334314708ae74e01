"""What the front end is told once and for all."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from moss_crown.core.document.shot import KINDS, kind_of
from moss_crown.core.draft.schema import TABLES


def facts() -> dict[str, Any]:
    """What is true of every kind of step, in the usual order, and the columns of a draft's tables."""
    return {"steps": {kind_of(step): asdict(step.facts) for step in KINDS}, "tables": TABLES}
