"""What a compute process needs beside a document: what was brought in, fetched when it is not there."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import psycopg

from moss_crown.core.assets import assets_of, begin_with, bring_in, is_at_hand, unknown
from moss_crown.core.document.door import read_shot
from moss_crown.core.document.shot import Shot
from moss_crown.server.db.assets import load_assets
from moss_crown.server.settings import Settings


def shot_of(document: dict[str, Any]) -> Shot:
    """Read a document and fetch what it needs."""
    return ready(read_shot(document))


def ready(shot: Shot) -> Shot:
    need(assets_of(shot))
    return shot


def need(ids: Iterable[str]) -> None:
    """Fetch the assets of these ids that this process does not have. Raises FamilyUnknown or PictureUnknown for one
    that is nowhere."""
    wanted = list(ids)
    begin_with(wanted)
    missing = [id for id in wanted if not is_at_hand(id)]
    if not missing:
        return
    with psycopg.connect(Settings().database, connect_timeout=5) as connection:
        for asset in load_assets(connection, missing):
            bring_in(asset)
    for id in missing:
        if not is_at_hand(id):
            raise unknown(id)
