"""Motions of a production, through plain SQL. Every function takes an open connection."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from psycopg import Connection
from psycopg.types.json import Jsonb

from moss_crown.core import limits
from moss_crown.core.errors import TooMany
from moss_crown.core.proposals.motion_book import MotionSet
from moss_crown.server.errors import FileMissing, ProductionMissing


def add_motion(connection: Connection[Any], production: UUID, motion: MotionSet) -> UUID:
    """Keep a motion. Raises TooMany, ProductionMissing."""
    if not connection.execute("select 1 from production where id = %s for share", [production]).fetchone():
        raise ProductionMissing(production)
    row = connection.execute(
        "insert into motion (production_id, name, motion) values (%s, %s, %s) returning id",
        [production, motion.name, Jsonb(motion.model_dump(mode="json"))],
    ).fetchone()
    count = connection.execute(
        "select count(*) from motion where production_id = %s and removed_at is null", [production]
    ).fetchone()
    assert row is not None and count is not None
    if count[0] > limits.MOTIONS_A_PRODUCTION:
        raise TooMany("motions", "motions", count[0], limits.MOTIONS_A_PRODUCTION)
    return UUID(str(row[0]))


def list_motions(connection: Connection[Any], production: UUID) -> list[tuple[UUID, MotionSet]]:
    """What a production keeps, the newest first."""
    rows = connection.execute(
        "select id, motion from motion where production_id = %s and removed_at is null order by added_at desc",
        [production],
    ).fetchall()
    return [(row[0], MotionSet.model_validate(row[1])) for row in rows]


def find_motion(connection: Connection[Any], production: UUID, id: str) -> MotionSet:
    """A kept motion, removed ones too. Raises FileMissing."""
    try:
        row = connection.execute(
            "select motion from motion where id = %s and production_id = %s", [UUID(id), production]
        ).fetchone()
    except ValueError:
        row = None
    if row is None:
        raise FileMissing(f"motion {id}")
    return MotionSet.model_validate(row[0])


def remove_motion(connection: Connection[Any], production: UUID, id: UUID) -> None:
    done = connection.execute(
        "update motion set removed_at = now() where id = %s and production_id = %s and removed_at is null",
        [id, production],
    )
    if done.rowcount == 0:
        raise FileMissing(f"motion {id}")
