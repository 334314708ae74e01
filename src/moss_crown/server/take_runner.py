"""Runs takes: a process of its own, driven by the take table. `python -m moss_crown.server.take_runner`

Whatever dies, the table says what is left to do: a finished frame is stored when it is finished, and after a restart
only the others are rendered. One runner at a time, by a lock in the database. When the database is away the runner
keeps what it has in hand, waits, and stores it when the database is back.
"""

from __future__ import annotations

import os
import signal
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Any
from uuid import UUID

import psycopg
import structlog
from distributed import Future

from moss_crown.core.assets import assets_of
from moss_crown.core.document.door import read_shot
from moss_crown.core.document.shot import Shot
from moss_crown.core.formats.movie import write_mp4
from moss_crown.core.formats.png import read_png
from moss_crown.core.type.families import FAMILIES
from moss_crown.farm.crew import GROWN_BYTES, Crew, CrewStill, Rendered
from moss_crown.farm.orders import working_order
from moss_crown.server.db import takes
from moss_crown.server.db.assets import load_assets
from moss_crown.server.db.pool import is_away
from moss_crown.server.db.takes import TakeRow
from moss_crown.server.errors import StorageFull, TakeHopeless, TakeStateWrong
from moss_crown.server.process import end_with_parent
from moss_crown.server.settings import Settings

LOCK = 7_262_002
IDLE_SECONDS = 0.25
TRIES = 12
"""So often a take is begun again without a further frame before it is given up, whatever ended the runner each time."""
FREE_SECONDS = 10.0
"""How long frames that were dropped may go on before their workers are replaced."""
STILL_SECONDS = 60.0
"""How long frames may wait without any worker being at one, before everything here is begun again."""
AHEAD = 1
"""Frames in flight for each worker beyond the one it is at."""

log = structlog.get_logger()


@dataclass
class Runner:
    database: str
    crew: Crew
    connection: psycopg.Connection[Any] | None = None
    unsaved: deque[tuple[UUID, Rendered]] = field(default_factory=deque)

    def run(self) -> None:
        while True:
            row = self._next()
            if row is None:
                time.sleep(IDLE_SECONDS)
            elif row.state == "stopping":
                self._state(row.id, "stopped", ("stopping",))
            else:
                self._render(row)

    def _next(self) -> TakeRow | None:
        return next(iter(self._database(takes.open_takes)), None)

    def _render(self, row: TakeRow) -> None:
        """Work at a take until it is done, stopped, or can not be done; then others come."""
        try:
            tries = self._database(lambda c: takes.begin_take(c, row.id))
        except TakeStateWrong:
            return  # stopped meanwhile
        try:
            if tries > TRIES:
                raise TakeHopeless(TRIES)
            self._frames(row)
        except (OSError, RuntimeError):
            raise  # the crew is out of reach: whoever keeps this process begins it again
        except Exception as beyond:
            log.error("take failed", take=str(row.id), error=repr(beyond))
            self.unsaved.clear()
            self._state(row.id, "failed", ("running", "stopping"), _said(beyond))

    def _frames(self, row: TakeRow) -> None:
        orders = row.take_orders
        document = self._database(lambda c: takes.load_document(c, row.id))
        done = set(self._database(lambda c: takes.finished_frames(c, row.id)))
        wanted = deque(working_order(orders.frames, done))
        log.info("take begun", take=str(row.id), wanted=len(wanted), done=len(done))
        running: dict[Future[Any], int] = {}
        shot = read_shot(document)
        named = [id for id in assets_of(shot) if id not in FAMILIES]
        assets = self.crew.share(self._database(lambda c: load_assets(c, named)) if named else [])
        stopped = False
        moved = time.monotonic()
        try:
            while wanted or running:
                while wanted and len(running) < self.crew.width * (1 + AHEAD):
                    frame = wanted.popleft()
                    running[self.crew.submit(document, frame, orders.frame_order(shot.pixel_shape), assets)] = frame
                for frame, result in self.crew.finished(running, 0.5):
                    if isinstance(result, Exception):
                        log.error("frame failed", take=str(row.id), frame=frame, error=repr(result))
                        self._state(row.id, "failed", ("running", "stopping"), f"frame {frame}: {result}")
                        return
                    moved = time.monotonic()
                    self.unsaved.append((row.id, result))
                    if result.held > GROWN_BYTES:
                        log.info("worker renewed", worker=result.worker, megabytes=result.held // 1024**2)
                        self.crew.renew(result.worker)
                self._save()
                if self.crew.at_work():
                    moved = time.monotonic()
                elif time.monotonic() - moved > STILL_SECONDS:
                    raise CrewStill(f"no worker was at a frame for {STILL_SECONDS:g} s")
                if self._database(lambda c: takes.load_state(c, row.id)) == "stopping":
                    stopped = True
                    self._state(row.id, "stopped", ("stopping",))
                    return
        finally:
            self.crew.drop(running)
            if stopped:
                self._free()
        self._finish(row, shot)

    def _free(self) -> None:
        """Wait until the crew has let go of what was dropped, and replace those who do not."""
        until = time.monotonic() + FREE_SECONDS
        while not self.crew.idle():
            if time.monotonic() > until:
                log.warning("crew replaced", why="it did not let go")
                self.crew.replace_all()
                return
            time.sleep(0.1)

    def _finish(self, row: TakeRow, shot: Shot) -> None:
        if not row.take_orders.alpha:

            def movie(connection: psycopg.Connection[Any]) -> None:
                pictures = (read_png(picture) for _, picture in takes.each_frame(connection, row.id))
                takes.store_file(connection, row.id, "mp4", write_mp4(pictures, shot.fps.fraction, shot.pixel_shape))

            self._database(movie)
        self._state(row.id, "done", ("running", "stopping"))
        log.info("take done", take=str(row.id))

    def _save(self) -> None:
        """Store what is finished, in order; nothing leaves the queue before the database has it."""
        while self.unsaved:
            id, r = self.unsaved[0]
            self._database(partial(_store, id, r))
            self.unsaved.popleft()

    def _state(self, id: UUID, state: str, among: tuple[str, ...], message: str = "") -> bool:
        """Move a take to a state; false when it is in none of those from which it may go there."""
        try:
            self._database(lambda c: takes.set_state(c, id, state, among=among, message=message))
        except TakeStateWrong:
            log.info("take changed meanwhile", take=str(id), wanted=state)
            return False
        return True

    def _database(self, work: Callable[[psycopg.Connection[Any]], Any]) -> Any:
        """One transaction, tried until the database answers: it may be away for any time. What it refuses, as it does
        when the disk is full, is raised."""
        pause = 0.1
        while True:
            try:
                connection = self._connected()
                with connection.transaction():
                    return work(connection)
            except psycopg.OperationalError as away:
                if not is_away(away):
                    raise
                log.warning("database away", error=str(away).split("\n")[0])
                self._disconnect()
                time.sleep(pause)
                pause = min(2.0, pause * 2)

    def _connected(self) -> psycopg.Connection[Any]:
        """The connection that holds the runner's lock; waits while another runner has it."""
        if self.connection is None or self.connection.closed:
            connection = psycopg.connect(self.database, autocommit=True, connect_timeout=4)
            while not connection.execute("select pg_try_advisory_lock(%s)", [LOCK]).fetchone()[0]:  # type: ignore[index]
                time.sleep(0.2)
            self.connection = connection
        return self.connection

    def _disconnect(self) -> None:
        if self.connection is not None:
            self.connection.close()
        self.connection = None


def _said(beyond: Exception) -> str:
    if isinstance(beyond, psycopg.errors.DiskFull):
        return str(StorageFull())
    if isinstance(beyond, psycopg.errors.ProgramLimitExceeded):
        return "the file is larger than the database can keep"
    return f"{beyond}".split("\n")[0][:500] or type(beyond).__name__


def _store(take: UUID, done: Rendered, c: psycopg.Connection[Any]) -> None:
    takes.store_frame(c, take, done.frame, done.picture, done.layers, done.seconds, done.worker)


def end_at_once(*_: object) -> None:
    """End this process and its workers. Nothing is lost: what is finished is in the table, the rest is rendered again.

    Closing a cluster in good order would wait for the frames in hand, long after the server is gone.
    """
    log.info("take runner ended")
    if os.getpgrp() == os.getpid():  # started as a session of its own: workers are in its group, nothing else is
        os.killpg(os.getpid(), signal.SIGKILL)
    os._exit(0)


def main() -> None:
    settings = Settings()
    signal.signal(signal.SIGTERM, end_at_once)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_with_parent(int(os.environ.get("MOSS_CROWN_PARENT", "0")) or None)
    with Crew(settings.dask, settings.credentials) as crew:
        Runner(settings.database, crew).run()


if __name__ == "__main__":
    main()
