"""Takes, their frames and files, through plain SQL. Every function takes an open connection."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from typing import Any
from uuid import UUID, uuid4

from psycopg import Connection
from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from moss_crown.farm.orders import TakeOrders
from moss_crown.server.db.shots import load_shot
from moss_crown.server.errors import TakeMissing, TakeStateWrong


@dataclass(frozen=True, slots=True)
class TakeRow:
    """A take, and of its document all but the steps, which are most of it."""

    id: UUID
    shot_id: UUID
    number: int
    revision: int
    head: dict[str, Any]
    orders: dict[str, Any]
    state: str
    message: str
    created_at: datetime
    finished_at: datetime | None
    done: int

    @property
    def take_orders(self) -> TakeOrders:
        return TakeOrders.model_validate(self.orders)


_TAKE = """
select t.id, t.shot_id, t.number, t.revision, t.document - 'steps' as head, t.orders, 
       t.state, t.message, t.created_at, t.finished_at,
       (select count(*) from take_frame f where f.take_id = t.id)::int as done
from take t
"""


def add_take(connection: Connection[Any], shot: UUID, orders: TakeOrders) -> UUID:
    """Number and queue a take of the shot as it is now. Raises what `TakeOrders.check` raises."""
    row = load_shot(connection, shot, lock=True)
    orders.check(row.document["first"], row.document["last"])
    id = uuid4()
    connection.execute(
        """insert into take (id, shot_id, number, revision, document, orders, state)
           values (%s, %s, (select coalesce(max(number), 0) + 1 from take where shot_id = %s), %s, %s, %s, 'queued')""",
        [id, shot, shot, row.revision, Jsonb(row.document), Jsonb(orders.model_dump(mode="json"))],
    )
    return id


def load_take(connection: Connection[Any], id: UUID) -> TakeRow:
    with connection.cursor(row_factory=class_row(TakeRow)) as cursor:
        row = cursor.execute(_TAKE + "where t.id = %s", [id]).fetchone()
    if row is None:
        raise TakeMissing(id)
    return row


def load_document(connection: Connection[Any], id: UUID) -> dict[str, Any]:
    row = connection.execute("select document from take where id = %s", [id]).fetchone()
    if row is None:
        raise TakeMissing(id)
    document: dict[str, Any] = row[0]
    return document


def load_state(connection: Connection[Any], id: UUID) -> str:
    row = connection.execute("select state from take where id = %s", [id]).fetchone()
    if row is None:
        raise TakeMissing(id)
    return str(row[0])


def list_takes(connection: Connection[Any], shot: UUID) -> list[TakeRow]:
    with connection.cursor(row_factory=class_row(TakeRow)) as cursor:
        return cursor.execute(_TAKE + "where t.shot_id = %s order by t.number desc", [shot]).fetchall()


def open_takes(connection: Connection[Any]) -> list[TakeRow]:
    """Takes that want work, oldest first."""
    with connection.cursor(row_factory=class_row(TakeRow)) as cursor:
        query = _TAKE + "where t.state in ('queued', 'running', 'stopping') order by t.created_at, t.id"
        return cursor.execute(query).fetchall()


def set_state(connection: Connection[Any], id: UUID, state: str, *, among: tuple[str, ...], message: str = "") -> None:
    """Move a take to a state from one of `among`; raises TakeStateWrong from any other."""
    done = connection.execute(
        """update take set state = %s, message = %s, finished_at = case when %s in ('done', 'failed') then now() end,
             tries = case when %s = 'queued' then 0 else tries end
           where id = %s and state = any(%s)""",
        [state, message, state, state, id, list(among)],
    )
    if done.rowcount == 0:
        raise TakeStateWrong(load_state(connection, id), state)


def begin_take(connection: Connection[Any], id: UUID) -> int:
    """A take is worked at from now on. Answers how often it was begun since it last got a frame. Raises
    TakeStateWrong."""
    row = connection.execute(
        """update take set state = 'running', message = '', tries = tries + 1
           where id = %s and state in ('queued', 'running') returning tries""",
        [id],
    ).fetchone()
    if row is None:
        raise TakeStateWrong(load_state(connection, id), "running")
    return int(row[0])


def stop_take(connection: Connection[Any], id: UUID) -> None:
    """Stop a take: one that waits at once, one that is worked at as soon as its frames in hand are let go of. Raises
    TakeStateWrong when it is neither."""
    done = connection.execute(
        """update take set state = case state when 'queued' then 'stopped' else 'stopping' end
           where id = %s and state in ('queued', 'running')""",
        [id],
    )
    if done.rowcount == 0:
        raise TakeStateWrong(load_state(connection, id), "stopped")


def finished_frames(connection: Connection[Any], id: UUID) -> dict[int, float]:
    """Frame number to seconds."""
    return dict(
        connection.execute("select frame, seconds from take_frame where take_id = %s order by frame", [id]).fetchall()
    )


PACE_FRAMES = 24


def pace(connection: Connection[Any], shot: UUID) -> float | None:
    """Samples of pixels that one process has taken a second, over the last frames of a shot, or of all where it has
    none; None where there are none at all."""
    for own in (True, False):
        rows = connection.execute(
            """select f.seconds, (t.orders->>'width')::float8 * (t.orders->>'height')::float8
                                 * (t.orders->>'samples')::float8
               from take_frame f join take t on t.id = f.take_id where t.shot_id = %s or not %s
               order by f.finished_at desc limit %s""",
            [shot, own, PACE_FRAMES],
        ).fetchall()
        seconds = sum(row[0] for row in rows)
        if seconds > 0:
            return float(sum(row[1] for row in rows) / seconds)
    return None


def recent_gaps(connection: Connection[Any], id: UUID) -> list[float]:
    """Seconds between the last frames to be finished, whatever number of workers finished them."""
    rows = connection.execute(
        """select extract(epoch from finished_at)::float8 from take_frame where take_id = %s
           order by finished_at desc limit 17""",
        [id],
    ).fetchall()
    return [newer[0] - older[0] for newer, older in pairwise(rows)]


def store_frame(
    connection: Connection[Any],
    id: UUID,
    frame: int,
    picture: bytes,
    layers: bytes | None,
    seconds: float,
    worker: str,
) -> None:
    """A finished frame. Storing it twice is no harm: both have the same bits."""
    connection.execute(
        """insert into take_frame (take_id, frame, picture, layers, seconds, worker) values (%s, %s, %s, %s, %s, %s)
           on conflict do nothing""",
        [id, frame, picture, layers, seconds, worker],
    )
    connection.execute("update take set tries = 0 where id = %s and tries > 0", [id])


def load_frame(connection: Connection[Any], id: UUID, frame: int) -> bytes | None:
    row = connection.execute("select picture from take_frame where take_id = %s and frame = %s", [id, frame]).fetchone()
    return bytes(row[0]) if row else None


def load_layers(connection: Connection[Any], id: UUID, frame: int) -> bytes | None:
    row = connection.execute("select layers from take_frame where take_id = %s and frame = %s", [id, frame]).fetchone()
    return bytes(row[0]) if row and row[0] is not None else None


def each_frame(connection: Connection[Any], id: UUID) -> Iterator[tuple[int, bytes]]:
    """Frames in order, a few at a time: a take may be larger than memory."""
    with connection.cursor(name="frames") as cursor:
        cursor.itersize = 4
        cursor.execute("select frame, picture from take_frame where take_id = %s order by frame", [id])
        for frame, picture in cursor:
            yield frame, bytes(picture)


def store_file(connection: Connection[Any], id: UUID, kind: str, data: bytes) -> None:
    connection.execute(
        """insert into take_file (take_id, kind, data) values (%s, %s, %s)
           on conflict (take_id, kind) do update set data = excluded.data""",
        [id, kind, data],
    )


def load_file(connection: Connection[Any], id: UUID, kind: str) -> bytes | None:
    row = connection.execute("select data from take_file where take_id = %s and kind = %s", [id, kind]).fetchone()
    return bytes(row[0]) if row else None


def file_sizes(connection: Connection[Any], id: UUID) -> dict[str, int]:
    return dict(connection.execute("select kind, length(data) from take_file where take_id = %s", [id]).fetchall())


def newest_takes(connection: Connection[Any], production: UUID) -> dict[UUID, TakeRow]:
    """The last take of each shot of a production."""
    with connection.cursor(row_factory=class_row(TakeRow)) as cursor:
        rows = cursor.execute(
            _TAKE
            + """join shot s on s.id = t.shot_id where s.production_id = %s
               and t.number = (select max(number) from take where shot_id = t.shot_id)""",
            [production],
        ).fetchall()
    return {row.shot_id: row for row in rows}
