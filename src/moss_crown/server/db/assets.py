"""Fonts and emblems of a production, through plain SQL. Every function takes an open connection."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg import Connection
from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from moss_crown.core import limits
from moss_crown.core.assets import Asset
from moss_crown.core.errors import TooMany
from moss_crown.server.errors import AssetMissing, ProductionMissing


@dataclass(frozen=True, slots=True)
class AssetRow:
    id: str
    kind: str
    name: str
    facts: dict[str, Any]
    added_at: datetime


def add_asset(connection: Connection[Any], production: UUID, asset: Asset) -> None:
    """Keep an asset; one that is there already, or was removed, is there again. Raises TooMany, ProductionMissing."""
    if not connection.execute("select 1 from production where id = %s for share", [production]).fetchone():
        raise ProductionMissing(production)
    connection.execute(
        """insert into asset (production_id, id, kind, name, facts, data) values (%s, %s, %s, %s, %s, %s)
           on conflict (production_id, id) do update set removed_at = null""",
        [production, asset.id, asset.kind, asset.name, Jsonb(asset.facts), asset.data],
    )
    count = connection.execute(
        "select count(*) from asset where production_id = %s and removed_at is null", [production]
    ).fetchone()
    assert count is not None
    if count[0] > limits.ASSETS_A_PRODUCTION:
        raise TooMany("assets", "fonts and emblems", count[0], limits.ASSETS_A_PRODUCTION)


def list_assets(connection: Connection[Any], production: UUID, kind: str) -> list[AssetRow]:
    with connection.cursor(row_factory=class_row(AssetRow)) as cursor:
        return cursor.execute(
            """select id, kind, name, facts, added_at from asset
               where production_id = %s and kind = %s and removed_at is null order by added_at, name""",
            [production, kind],
        ).fetchall()


def own_ids(connection: Connection[Any], production: UUID) -> set[str]:
    """Ids of all that was ever brought into a production: what was removed still draws the shots that use it."""
    return {row[0] for row in connection.execute("select id from asset where production_id = %s", [production])}


def remove_asset(connection: Connection[Any], production: UUID, id: str) -> None:
    """Take an asset out of the choosers. Its bytes stay: shots, undo and takes may need them."""
    done = connection.execute(
        "update asset set removed_at = now() where production_id = %s and id = %s and removed_at is null",
        [production, id],
    )
    if done.rowcount == 0:
        raise AssetMissing(id)


def load_assets(connection: Connection[Any], ids: Iterable[str]) -> list[Asset]:
    rows = connection.execute(
        "select distinct on (id) id, kind, name, facts, data from asset where id = any(%s)", [list(ids)]
    ).fetchall()
    return [Asset(*row) for row in rows]
