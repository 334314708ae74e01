"""Looks of a production, through plain SQL. Every function takes an open connection."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from psycopg import Connection
from psycopg.types.json import Jsonb

from moss_crown.core import limits
from moss_crown.core.errors import TooMany
from moss_crown.core.proposals.look_book import LOOKS, Look
from moss_crown.server.errors import FileMissing, ProductionMissing


def add_look(connection: Connection[Any], production: UUID, look: Look) -> UUID:
    """Keep a look. Raises TooMany, ProductionMissing."""
    if not connection.execute("select 1 from production where id = %s for share", [production]).fetchone():
        raise ProductionMissing(production)
    row = connection.execute(
        "insert into look (production_id, name, look) values (%s, %s, %s) returning id",
        [production, look.name, Jsonb(look.model_dump(mode="json"))],
    ).fetchone()
    count = connection.execute(
        "select count(*) from look where production_id = %s and removed_at is null", [production]
    ).fetchone()
    assert row is not None and count is not None
    if count[0] > limits.LOOKS_A_PRODUCTION:
        raise TooMany("looks", "looks", count[0], limits.LOOKS_A_PRODUCTION)
    return UUID(str(row[0]))


def list_looks(connection: Connection[Any], production: UUID) -> list[tuple[UUID, str]]:
    return connection.execute(
        "select id, name from look where production_id = %s and removed_at is null order by added_at desc", [production]
    ).fetchall()


def find_look(connection: Connection[Any], id: str) -> Look:
    """A look of ours by its name, or a kept one by its id, removed ones too. Raises FileMissing."""
    if id in LOOKS:
        return LOOKS[id]
    try:
        row = connection.execute("select look from look where id = %s", [UUID(id)]).fetchone()
    except ValueError:
        row = None
    if row is None:
        raise FileMissing(f"look {id}")
    return Look.model_validate(row[0])


def remove_look(connection: Connection[Any], production: UUID, id: UUID) -> None:
    done = connection.execute(
        "update look set removed_at = now() where id = %s and production_id = %s and removed_at is null",
        [id, production],
    )
    if done.rowcount == 0:
        raise FileMissing(f"look {id}")
