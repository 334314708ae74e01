"""The pool of compute processes. The web process never computes: it asks a lane.

A lane is one process that works through its jobs in order. `draft` answers edits and must stay quick; `proof` renders,
and gives way to all that is quick.
A lane whose process dies, or whose job takes too long, gets a new process; the job fails with a clear error.
"""

from __future__ import annotations

import asyncio
import importlib
import multiprocessing
import os
import resource
import signal
import threading
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any, ParamSpec, TypeVar

import structlog

from moss_crown.server.errors import ComputeFailed, ComputeTooLong
from moss_crown.server.process import give_way

P = ParamSpec("P")
T = TypeVar("T")
log = structlog.get_logger()


def _begin(parent: int, most_bytes: int, gives_way: bool) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C goes to the server, which ends its lanes
    resource.setrlimit(resource.RLIMIT_AS, (most_bytes, most_bytes))
    if gives_way:
        give_way()
    _watch(parent)


def _load() -> None:
    importlib.import_module("moss_crown.server.jobs")


def _watch(parent: int) -> None:
    """End this process when the server is gone: a thread looks, since a lane outlives what spawned it."""

    def look() -> None:
        while os.getppid() == parent:
            time.sleep(1)
        os._exit(0)

    threading.Thread(target=look, daemon=True).start()


READER_SECONDS = 5.0
READER_BYTES = 512 * 1024**2
PICTURE_BYTES = 1024 * 1024**2
"""The reader takes files from outside apart: it gets little time and little room; for pictures, some more of that."""


class Lane:
    def __init__(self, name: str, most_seconds: float, most_bytes: int, gives_way: bool = False) -> None:
        self.name = name
        self.waiting = 0
        self._seconds, self._bytes, self._gives_way = most_seconds, most_bytes, gives_way
        self._executor = self._new()

    def _new(self) -> ProcessPoolExecutor:
        return ProcessPoolExecutor(
            1,
            mp_context=multiprocessing.get_context("spawn"),
            initializer=_begin,
            initargs=(os.getpid(), self._bytes, self._gives_way),
        )

    def begin(self) -> None:
        """Start the process and let it load what jobs need, without waiting for it."""
        self._executor.submit(_load)

    async def run(self, job: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
        """Run a job of `jobs`. Raises what it raises; ComputeFailed when its process died, ComputeTooLong."""
        self.waiting += 1
        executor = self._executor
        try:
            future = executor.submit(job, *args, **kwargs)
            return await asyncio.wait_for(asyncio.wrap_future(future), self._seconds)
        except BrokenProcessPool:
            self._replace(executor)
            raise ComputeFailed("its process ended") from None
        except TimeoutError:
            self._replace(executor)
            raise ComputeTooLong(self._seconds) from None
        except MemoryError:
            raise ComputeFailed("it wanted more memory than it may have") from None
        finally:
            self.waiting -= 1

    def _replace(self, broken: ProcessPoolExecutor) -> None:
        if self._executor is broken:
            log.warning("compute process replaced", lane=self.name)
            self._executor = self._new()
            _end(broken)

    def close(self) -> None:
        _end(self._executor)


def _end(executor: ProcessPoolExecutor) -> None:
    processes: list[Any] = list((executor._processes or {}).values())
    executor.shutdown(wait=False, cancel_futures=True)
    for process in processes:
        process.kill()


class Pool:
    def __init__(self, most_seconds: float, most_bytes: int) -> None:
        self.draft = Lane("draft", most_seconds, most_bytes)
        self.proof = Lane("proof", most_seconds, most_bytes, gives_way=True)
        self.reader = Lane("reader", READER_SECONDS, READER_BYTES)
        self.viewer = Lane("viewer", READER_SECONDS, PICTURE_BYTES)

    def close(self) -> None:
        self.draft.close()
        self.proof.close()
        self.reader.close()
        self.viewer.close()
