"""Finished proofs of a shot, through plain SQL. Every function takes an open connection."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg import Connection
from psycopg.rows import class_row

from moss_crown.server.errors import FileMissing

KEPT = 12
"""Proofs that are kept of a shot; older ones make room."""


@dataclass(frozen=True, slots=True)
class ProofRow:
    id: UUID
    revision: int
    frame: int
    samples: int
    made_at: datetime


def keep_proof(
    connection: Connection[Any], shot: UUID, revision: int, frame: int, samples: int, picture: bytes
) -> None:
    connection.execute(
        "insert into proof (shot_id, revision, frame, samples, picture) values (%s, %s, %s, %s, %s)",
        [shot, revision, frame, samples, picture],
    )
    connection.execute(
        """delete from proof where shot_id = %s and id not in
             (select id from proof where shot_id = %s order by made_at desc, id limit %s)""",
        [shot, shot, KEPT],
    )


def list_proofs(connection: Connection[Any], shot: UUID) -> list[ProofRow]:
    """The newest first."""
    with connection.cursor(row_factory=class_row(ProofRow)) as cursor:
        return cursor.execute(
            "select id, revision, frame, samples, made_at from proof where shot_id = %s order by made_at desc, id",
            [shot],
        ).fetchall()


def load_picture(connection: Connection[Any], id: UUID) -> bytes:
    """Raises FileMissing."""
    row = connection.execute("select picture from proof where id = %s", [id]).fetchone()
    if row is None:
        raise FileMissing("proof")
    return bytes(row[0])
