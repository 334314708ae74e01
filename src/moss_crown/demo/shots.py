"""The demo production: title shots of an invented series about a tidal island."""

from __future__ import annotations

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.shot import Shot

PRODUCTION = "Lowmere: Six Crossings"


def demo_shots() -> list[Shot]:
    return [new_shot("Kestrel Tide, main title", "KESTREL TIDE")]
