"""Productions, shots and their history, through plain SQL. Every function takes an open connection."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from psycopg import Connection
from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from moss_crown.core.assets import check_named
from moss_crown.core.document.door import Patch
from moss_crown.server.db.assets import own_ids
from moss_crown.server.editing import Edited
from moss_crown.server.errors import NothingTo, ProductionMissing, RevisionStale, ShotMissing

TITLE_LENGTH = 200


@dataclass(frozen=True, slots=True)
class ProductionRow:
    id: UUID
    name: str
    defaults: dict[str, Any]
    shots: int


@dataclass(frozen=True, slots=True)
class ShotRow:
    """A stored shot. `undo`, `redo`: what the next undo or redo would do; empty when there is none."""

    id: UUID
    production_id: UUID
    production: str
    document: dict[str, Any]
    revision: int
    cursor: int
    updated_at: datetime
    undo: str
    redo: str


_SHOT = """
select s.id, s.production_id, (select name from production where id = s.production_id) as production,
       s.document, s.revision, s.cursor, s.updated_at,
       coalesce((select label from history where shot_id = s.id and number = s.cursor), '') as undo,
       coalesce((select label from history where shot_id = s.id and number = s.cursor + 1), '') as redo
from shot s
"""


def list_productions(connection: Connection[Any]) -> list[ProductionRow]:
    with connection.cursor(row_factory=class_row(ProductionRow)) as cursor:
        return cursor.execute(
            """select p.id, p.name, p.defaults,
                      (select count(*) from shot where production_id = p.id and deleted_at is null)::int as shots
               from production p order by p.created_at, p.id"""
        ).fetchall()


def add_production(connection: Connection[Any], name: str, defaults: dict[str, Any], id: UUID | None = None) -> UUID:
    id = id or uuid4()
    connection.execute("insert into production (id, name, defaults) values (%s, %s, %s)", [id, name, Jsonb(defaults)])
    return id


def rename_production(connection: Connection[Any], id: UUID, name: str) -> None:
    if connection.execute("update production set name = %s where id = %s", [name, id]).rowcount == 0:
        raise ProductionMissing(id)


@dataclass(frozen=True, slots=True)
class HeadRow:
    """A shot without its steps, which are most of it, but for the texts in them."""

    id: UUID
    head: dict[str, Any]
    texts: list[str]
    revision: int
    updated_at: datetime


_TEXTS = """strict $.steps[*].keyvalue() ? (@.key == "text" || @.key == "texts" || @.key == "words")
             .value.** ? (@.type() == "string")"""


_ON_THE_SLATE = "shot where production_id = %s and deleted_at is null order by coalesce(rank, position), position"


def list_shots(connection: Connection[Any], production: UUID) -> list[HeadRow]:
    production_name(connection, production)
    with connection.cursor(row_factory=class_row(HeadRow)) as cursor:
        return cursor.execute(
            """select id, document - 'steps' as head, revision, updated_at,
                      jsonb_path_query_array(document, %s::jsonpath) as texts
               from """
            + _ON_THE_SLATE,
            [_TEXTS, production],
        ).fetchall()


def order_shots(connection: Connection[Any], production: UUID, ids: list[UUID]) -> None:
    """Put shots of a production into an order; those that are not named come after them, as they stood. Raises
    ProductionMissing, and ShotMissing for one that is not there; then nothing has changed."""
    production_name(connection, production)
    there = [row[0] for row in connection.execute(f"select id from {_ON_THE_SLATE}", [production])]
    for id in ids:
        if id not in there:
            raise ShotMissing(id)
    order = [*dict.fromkeys(ids), *(id for id in there if id not in ids)]
    connection.execute(
        """update shot set rank = o.k from unnest(%s::uuid[]) with ordinality as o(id, k)
           where shot.id = o.id and shot.production_id = %s""",
        [order, production],
    )


def production_name(connection: Connection[Any], id: UUID) -> str:
    """Raises ProductionMissing."""
    row = connection.execute("select name from production where id = %s", [id]).fetchone()
    if row is None:
        raise ProductionMissing(id)
    return str(row[0])


def load_shot(connection: Connection[Any], id: UUID, lock: bool = False) -> ShotRow:
    """Raises ShotMissing. With `lock` no one else edits it until the transaction ends."""
    with connection.cursor(row_factory=class_row(ShotRow)) as cursor:
        query = _SHOT + "where s.id = %s and s.deleted_at is null" + (" for update of s" if lock else "")
        row = cursor.execute(query, [id]).fetchone()
    if row is None:
        raise ShotMissing(id)
    return row


def add_shot(
    connection: Connection[Any],
    production: UUID,
    document: dict[str, Any],
    named: Mapping[str, str],
    id: UUID | None = None,
) -> UUID:
    """Keep a valid document; `named` are the assets that it names, as `assets_of` answers them. Raises
    ProductionMissing, FamilyUnknown, PictureUnknown."""
    check_named(named, own_ids(connection, production))
    production_name(connection, production)
    id = id or uuid4()
    connection.execute(
        "insert into shot (id, production_id, document) values (%s, %s, %s)", [id, production, Jsonb(document)]
    )
    return id


def copy_shot(connection: Connection[Any], id: UUID) -> UUID:
    """Raises ShotMissing."""
    row = load_shot(connection, id)
    document = row.document | {"title": f"{row.document['title']} copy"[:TITLE_LENGTH]}
    return add_shot(connection, row.production_id, document, {})


def move_shot(connection: Connection[Any], id: UUID, production: UUID) -> None:
    """Put a shot into another production, with whatever fonts, emblems and pictures it, or an edit that may be undone,
    names. Raises ShotMissing, ProductionMissing; then nothing has changed."""
    row = connection.execute(
        "select production_id from shot where id = %s and deleted_at is null for update", [id]
    ).fetchone()
    if row is None:
        raise ShotMissing(id)
    if not connection.execute("select 1 from production where id = %s for share", [production]).fetchone():
        raise ProductionMissing(production)
    connection.execute(
        """insert into asset (production_id, id, kind, name, facts, data)
           select %(to)s, a.id, a.kind, a.name, a.facts, a.data from asset a
           where a.production_id = %(from)s and (
             exists (select 1 from shot s where s.id = %(shot)s and strpos(s.document::text, a.id) > 0)
             or exists (select 1 from history h where h.shot_id = %(shot)s
                        and (strpos(h.patch::text, a.id) > 0 or strpos(h.inverse::text, a.id) > 0)))
           on conflict (production_id, id) do update set removed_at = null""",
        {"to": production, "from": row[0], "shot": id},
    )
    connection.execute("update shot set production_id = %s, rank = null where id = %s", [production, id])


def set_deleted(connection: Connection[Any], id: UUID, deleted: bool) -> None:
    """Delete a shot, or bring it back. Its history and takes stay."""
    done = connection.execute(
        "update shot set deleted_at = case when %s then now() end where id = %s and (deleted_at is null) = %s",
        [deleted, id, deleted],
    )
    if done.rowcount == 0:
        raise ShotMissing(id)


def store_edit(connection: Connection[Any], id: UUID, revision: int, made: Edited, patch: Patch, label: str) -> ShotRow:
    """Keep an edit made against a revision; what could be redone is gone. Raises RevisionStale, FamilyUnknown or
    PictureUnknown; then nothing has changed."""
    row = _lock(connection, id, revision)
    check_named(made.assets, own_ids(connection, row.production_id))
    connection.execute("delete from history where shot_id = %s and number > %s", [id, row.cursor])
    connection.execute(
        "insert into history (shot_id, number, label, patch, inverse) values (%s, %s, %s, %s, %s)",
        [id, row.cursor + 1, label, Jsonb(patch), Jsonb(made.inverse)],
    )
    return _store(connection, id, made.document, row.cursor + 1)


def load_step(connection: Connection[Any], id: UUID, forward: bool) -> tuple[ShotRow, Patch]:
    """A shot and the patch that undoes its last edit, or does the next one again. Raises NothingTo at either end."""
    row = load_shot(connection, id)
    number = row.cursor + 1 if forward else row.cursor
    entry = connection.execute(
        "select patch, inverse from history where shot_id = %s and number = %s", [id, number]
    ).fetchone()
    if entry is None:
        raise NothingTo("redo" if forward else "undo")
    return row, entry[0] if forward else entry[1]


def store_step(connection: Connection[Any], row: ShotRow, document: dict[str, Any], forward: bool) -> ShotRow:
    """Keep what an undo or a redo made of a shot as it was loaded. Raises RevisionStale."""
    _lock(connection, row.id, row.revision)
    return _store(connection, row.id, document, row.cursor + (1 if forward else -1))


def _lock(connection: Connection[Any], id: UUID, revision: int) -> ShotRow:
    """A shot that no one else edits until the transaction ends."""
    row = load_shot(connection, id, lock=True)
    if row.revision != revision:
        raise RevisionStale(revision, row.revision)
    return row


def _store(connection: Connection[Any], id: UUID, document: dict[str, Any], cursor: int) -> ShotRow:
    connection.execute(
        """update shot set document = %s, revision = revision + 1, cursor = %s, updated_at = now() where id = %s""",
        [Jsonb(document), cursor, id],
    )
    return load_shot(connection, id)


@dataclass(frozen=True, slots=True)
class PosterRow:
    shot_id: UUID
    revision: int
    strip: list[float]
    letters: int


def list_posters(connection: Connection[Any], production: UUID) -> dict[UUID, PosterRow]:
    with connection.cursor(row_factory=class_row(PosterRow)) as cursor:
        rows = cursor.execute(
            """select p.shot_id, p.revision, p.strip, p.letters from poster p join shot s on s.id = p.shot_id
               where s.production_id = %s""",
            [production],
        ).fetchall()
    return {row.shot_id: row for row in rows}


def load_poster(connection: Connection[Any], shot: UUID) -> tuple[int, bytes] | None:
    return connection.execute("select revision, picture from poster where shot_id = %s", [shot]).fetchone()


def store_poster(
    connection: Connection[Any], shot: UUID, revision: int, picture: bytes, strip: list[float], letters: int
) -> None:
    connection.execute(
        """insert into poster (shot_id, revision, picture, strip, letters) values (%s, %s, %s, %s, %s)
           on conflict (shot_id) do update set revision = excluded.revision, picture = excluded.picture,
             strip = excluded.strip, letters = excluded.letters where poster.revision <= excluded.revision""",
        [shot, revision, picture, Jsonb(strip), letters],
    )


def next_without_poster(
    connection: Connection[Any], quiet_seconds: float, open_shots: list[UUID], open_seconds: float
) -> ShotRow | None:
    """A shot whose poster is missing, or old while the shot has been left alone for a moment; for `open_shots`, which
    someone is working at, that moment is `open_seconds`."""
    with connection.cursor(row_factory=class_row(ShotRow)) as cursor:
        return cursor.execute(
            _SHOT
            + """left join poster p on p.shot_id = s.id
               where s.deleted_at is null and (p.shot_id is null or
                     (p.revision < s.revision and s.updated_at < now() - make_interval(secs => %s)))
                     and (s.id <> all(%s) or s.updated_at < now() - make_interval(secs => %s))
               order by p.shot_id is not null, s.position limit 1""",
            [quiet_seconds, open_shots, open_seconds],
        ).fetchone()
