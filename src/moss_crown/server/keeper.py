"""What runs beside the web server: the take runner, kept alive, and posters, made while the proof lane is idle."""

from __future__ import annotations

import asyncio
import os
import subprocess
import sys
from functools import partial
from typing import Any
from uuid import UUID

import psycopg
import structlog

from moss_crown.core.errors import TitleError
from moss_crown.server.db.pool import Database
from moss_crown.server.db.shots import ShotRow, next_without_poster, store_poster
from moss_crown.server.errors import ComputeBusy
from moss_crown.server.live import Listeners
from moss_crown.server.named import jobs
from moss_crown.server.pool import Pool
from moss_crown.server.process import GIVES_WAY
from moss_crown.server.settings import Settings

log = structlog.get_logger()
QUIET_SECONDS, OPEN_SECONDS = 3.0, 60.0
"""How long a shot is left alone before it gets a poster, and while a window has it open: someone plays it there, or
drags a value, and has more use of the machine."""


class Farm:
    """Starts the take runner, and starts it again when it ends."""

    def __init__(self, settings: Settings) -> None:
        self._settings = settings
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        environment = os.environ | {
            "MOSS_CROWN_DATABASE": self._settings.database,
            "MOSS_CROWN_DASK": self._settings.dask,
            "MOSS_CROWN_PARENT": str(os.getpid()),
        }
        # It gives way from its first moment on: what it loads takes seconds, in which the first window opens.
        command = ["nice", "-n", str(GIVES_WAY), sys.executable, "-m", "moss_crown.server.take_runner"]
        self.process = subprocess.Popen(command, env=environment, start_new_session=True)

    async def keep(self) -> None:
        while True:
            if self.process is None or self.process.poll() is not None:
                if self.process is not None:
                    log.warning("take runner restarted", code=self.process.returncode)
                self.start()
            await asyncio.sleep(1)

    def close(self) -> None:
        if self.process is None:
            return
        self.process.terminate()
        try:
            self.process.wait(8)
        except subprocess.TimeoutExpired:
            self.process.kill()


def _next(open_shots: list[UUID], c: psycopg.Connection[Any]) -> ShotRow | None:
    return next_without_poster(c, QUIET_SECONDS, open_shots, OPEN_SECONDS)


def _store(row: ShotRow, picture: bytes, strip: list[float], letters: int, c: psycopg.Connection[Any]) -> None:
    store_poster(c, row.id, row.revision, picture, strip, letters)


async def keep_posters(pool: Pool, database: Database, threads: int, listeners: Listeners) -> None:
    """One poster after the other, whenever no one waits for a proof."""
    failed: set[tuple[str, int]] = set()
    while True:
        await asyncio.sleep(0.5)
        if pool.proof.waiting:
            continue
        try:
            row = await database.run(partial(_next, listeners.open_shots()))
            if row is None or (str(row.id), row.revision) in failed:
                continue
            try:
                picture, strip, letters = await pool.proof.of("posters").run(jobs.poster_of, row.document, threads)
            except ComputeBusy:
                continue
            except TitleError as wrong:  # also what its process died of: the next shot is another matter
                failed.add((str(row.id), row.revision))
                log.warning("no poster", shot=str(row.id), error=str(wrong))
                continue
            await database.run(partial(_store, row, picture, strip, letters))
        except psycopg.Error as away:
            log.warning("database away", error=str(away).split("\n")[0])
            await asyncio.sleep(1)
