"""What a production takes up, by kind, and what of it may go by rules that it shows. Every function takes an open
connection."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, TypeAlias, get_args
from uuid import UUID

from psycopg import Connection

from moss_crown.server.db.shots import production_name

Kind: TypeAlias = Literal["takes", "proofs", "history", "shots", "assets"]
KINDS: tuple[Kind, ...] = get_args(Kind)

TAKES_KEPT, TAKE_HOURS = 3, 24
PROOFS_KEPT = 4
EDITS_KEPT = 200
DELETED_DAYS = 7

RULES: dict[Kind, str] = {
    "takes": f"Takes that stopped or failed over {TAKE_HOURS} hours ago, "
    f"and finished ones beyond the newest {TAKES_KEPT} of each shot",
    "proofs": f"Proofs beyond the newest {PROOFS_KEPT} of each shot",
    "history": f"Undo beyond the last {EDITS_KEPT} edits of each shot",
    "shots": f"Shots deleted over {DELETED_DAYS} days ago, with their takes, proofs and history",
    "assets": "Fonts, emblems and pictures that were removed and that no shot, undo, look or take names",
}


@dataclass(frozen=True, slots=True)
class Stored:
    """How many things of a kind there are and their bytes, and what of them may go."""

    kind: Kind
    rule: str
    count: int
    bytes: int
    spare: int
    spare_bytes: int


# For each kind every thing with its bytes, and whether it may go: (id, bytes, spare). %(production)s is the production.
_LISTED: dict[Kind, str] = {
    "takes": f"""
select t.id, coalesce((select sum(octet_length(picture) + coalesce(octet_length(layers), 0))
                       from take_frame f where f.take_id = t.id), 0)
           + coalesce((select sum(octet_length(data)) from take_file f where f.take_id = t.id), 0),
       (t.state in ('stopped', 'failed') and t.created_at < now() - interval '{TAKE_HOURS} hours')
       or (t.state = 'done' and {TAKES_KEPT} <= (
             select count(*) from take n where n.shot_id = t.shot_id and n.state = 'done' and n.number > t.number))
from take t join shot s on s.id = t.shot_id where s.production_id = %(production)s""",
    "proofs": f"""
select p.id, octet_length(p.picture)::bigint,
       {PROOFS_KEPT} < row_number() over (partition by p.shot_id order by p.made_at desc, p.id)
from proof p join shot s on s.id = p.shot_id where s.production_id = %(production)s""",
    "history": f"""
select h.shot_id, (pg_column_size(h.patch) + pg_column_size(h.inverse))::bigint,
       h.number <= s.cursor - {EDITS_KEPT}
from history h join shot s on s.id = h.shot_id where s.production_id = %(production)s""",
    "shots": f"""
select s.id, pg_column_size(s.document)::bigint,
       coalesce(s.deleted_at < now() - interval '{DELETED_DAYS} days', false)
       and not exists (select 1 from take t where t.shot_id = s.id and t.state in ('queued', 'running', 'stopping'))
from shot s where s.production_id = %(production)s""",
    "assets": """
select a.id, octet_length(a.data)::bigint, a.removed_at is not null and not exists (
         select 1 from shot s where s.production_id = a.production_id and position(a.id in s.document::text) > 0
       ) and not exists (
         select 1 from history h join shot s on s.id = h.shot_id where s.production_id = a.production_id
           and (position(a.id in h.patch::text) > 0 or position(a.id in h.inverse::text) > 0)
       ) and not exists (
         select 1 from take t join shot s on s.id = t.shot_id where s.production_id = a.production_id
           and position(a.id in t.document::text) > 0
       ) and not exists (
         select 1 from look l where l.production_id = a.production_id and position(a.id in l.look::text) > 0
       )
from asset a where a.production_id = %(production)s""",
}


def stored(connection: Connection[Any], production: UUID) -> list[Stored]:
    """Raises ProductionMissing."""
    production_name(connection, production)
    found = []
    for kind in KINDS:
        row = connection.execute(
            f"""select count(*), coalesce(sum(bytes), 0)::bigint, count(*) filter (where spare),
                  coalesce(sum(bytes) filter (where spare), 0)::bigint
                from ({_LISTED[kind]}) as listed (id, bytes, spare)""",
            {"production": production},
        ).fetchone()
        assert row is not None
        found.append(Stored(kind, RULES[kind], *row))
    return found


def make_room(connection: Connection[Any], production: UUID, kinds: list[Kind]) -> None:
    """Let go of what may go of these kinds. What is let go of cannot be brought back. Raises ProductionMissing."""
    production_name(connection, production)
    for kind in (kind for kind in KINDS if kind in kinds):
        ids = [
            row[0]
            for row in connection.execute(
                f"select distinct id from ({_LISTED[kind]}) as listed (id, bytes, spare) where spare",
                {"production": production},
            )
        ]
        match kind:
            case "takes":
                _drop_takes(connection, "id = any(%s)", ids)
            case "proofs":
                connection.execute("delete from proof where id = any(%s)", [ids])
            case "history":
                connection.execute(
                    """delete from history h using shot s
                       where h.shot_id = s.id and s.id = any(%s) and h.number <= s.cursor - %s""",
                    [ids, EDITS_KEPT],
                )
            case "shots":
                _drop_takes(connection, "shot_id = any(%s)", ids)
                for table in ("proof", "poster", "history"):
                    connection.execute(f"delete from {table} where shot_id = any(%s)", [ids])
                connection.execute("delete from shot where id = any(%s)", [ids])
            case "assets":
                connection.execute("delete from asset where production_id = %s and id = any(%s)", [production, ids])


def _drop_takes(connection: Connection[Any], which: str, ids: list[Any]) -> None:
    for table in ("take_frame", "take_file"):
        connection.execute(f"delete from {table} where take_id in (select id from take where {which})", [ids])
    connection.execute(f"delete from take where {which}", [ids])
