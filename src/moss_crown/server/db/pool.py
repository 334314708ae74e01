"""Connections to the database for the web process: plain synchronous SQL, run in threads."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import psycopg
from psycopg import Connection
from psycopg_pool import ConnectionPool, PoolTimeout
from starlette.concurrency import run_in_threadpool

T = TypeVar("T")


def is_away(error: psycopg.Error | PoolTimeout) -> bool:
    """Does the database not answer, rather than refuse? Refused is what it gives a reason for, but that of going away
    (class 57P of SQLSTATE) or of being spoken to too early or too often."""
    state = getattr(error, "sqlstate", None)
    return state is None or state[:2] == "08" or state[:3] == "57P" or state == "53300"


class Database:
    """A pool of connections. A call is one transaction: it commits when it returns and rolls back when it raises."""

    def __init__(self, address: str) -> None:
        self._pool = ConnectionPool(
            address,
            min_size=1,
            max_size=8,
            open=False,
            timeout=5,
            # It tries after 1, 2, 4 seconds and so on: given up soon and begun anew by whoever asks next, it is there
            # soon after the database is, however long that was away.
            reconnect_timeout=2.5,
            check=ConnectionPool.check_connection,
            kwargs={"connect_timeout": 4},
        )

    def open(self) -> None:
        self._pool.open(wait=False)

    def close(self) -> None:
        self._pool.close(timeout=1)

    def call(self, work: Callable[[Connection[Any]], T]) -> T:
        with self._pool.connection() as connection:
            return work(connection)

    async def run(self, work: Callable[[Connection[Any]], T]) -> T:
        return await run_in_threadpool(self.call, work)
