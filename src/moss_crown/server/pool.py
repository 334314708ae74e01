"""The pool of compute processes. The web process never computes: it asks a lane.

A lane is a queue before one process or more. `edit` keeps documents and must never wait long; `draft` answers
previews; `works` does what takes long; `proof` renders, and gives way to all that is quick; `reader` and `viewer` take
files from outside apart.

Each owner (a shot, say) has one job under way at a time, and owners come in turns, so that nobody waits for all that
another one asked for. A job may take so much processor time of its own: what it waits for does not count. A process
that a job ends, or that is ended for its job, takes no other job with it; what it was at when something else ended it
is done again. One that has grown large is replaced between
jobs, by one that is ready.
"""

from __future__ import annotations

import asyncio
import ctypes
import importlib
import multiprocessing
import os
import pickle
import resource
import signal
import threading
import time
import traceback
from collections import OrderedDict, deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from typing import Any, ParamSpec, TypeVar

import structlog

from moss_crown.core.errors import TitleError
from moss_crown.server.errors import ComputeBusy, ComputeFailed, ComputeTooLong
from moss_crown.server.process import give_way, loading, resident_bytes, stood_still, used_seconds

P = ParamSpec("P")
T = TypeVar("T")
log = structlog.get_logger()

MEGABYTE = 1024**2
LOOK_SECONDS = 0.05
"""How often the time and state of a running job are looked at."""
IDLE_SECONDS = 60.0
"""A job that neither computes nor ends is given up after so long: it waits for something that does not come."""
MOST_WAITING = 200
TRIES = 2


@dataclass(frozen=True)
class Room:
    """What a process of a lane may have: processor seconds a job, address space, and how large it may be between jobs
    before another takes its place. `module` is loaded at its start, and `warm` of it is run."""

    seconds: float
    most_bytes: int
    grown_bytes: int = 700 * MEGABYTE
    gives_way: bool = False
    module: str = "moss_crown.server.jobs"
    warm: str = ""
    idle_seconds: float = IDLE_SECONDS


def _serve(connection: Connection, parent: int, room: Room) -> None:
    """A process of a lane: what to do comes in by the connection, what it came to goes out."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C goes to the server, which ends its lanes
    resource.setrlimit(resource.RLIMIT_AS, (room.most_bytes, room.most_bytes))
    if room.gives_way:
        give_way()
    _watch(parent)
    with loading():
        module = importlib.import_module(room.module)
        if room.warm:
            getattr(module, room.warm)()
    connection.send_bytes(b"ready")
    trim = ctypes.CDLL(None).malloc_trim
    while True:
        try:
            asked = connection.recv_bytes()
        except EOFError:
            return
        connection.send_bytes(_answer(asked))
        del asked
        trim(0)  # what a job had is given back at once


def _answer(asked: bytes) -> bytes:
    """("done", result), ("refused", a TitleError), ("full", "") or ("failed", a traceback), pickled."""
    try:
        job, args, kwargs = pickle.loads(asked)
        return pickle.dumps(("done", job(*args, **kwargs)), 5)
    except TitleError as refused:
        return pickle.dumps(("refused", refused))
    except MemoryError:
        return pickle.dumps(("full", ""))
    except Exception as failed:
        return pickle.dumps(("failed", "".join(traceback.format_exception(failed))[-4000:]))


def _watch(parent: int) -> None:
    """End this process when the server is gone: a thread looks, since a lane outlives what spawned it."""

    def look() -> None:
        while os.getppid() == parent:
            time.sleep(1)
        os._exit(0)

    threading.Thread(target=look, daemon=True).start()


class _Worker:
    """A process of a lane, and the thread of this process that talks to it."""

    def __init__(self, room: Room) -> None:
        self._room = room
        self._thread = ThreadPoolExecutor(1)
        self._process: Any = None
        self._connection: Connection | None = None
        self._ended = False
        self.owner: object = None
        self.busy = False
        self.ready = False
        self.started = self._thread.submit(self._start)

    def _start(self) -> None:
        ours, theirs = multiprocessing.Pipe()
        context = multiprocessing.get_context("spawn")
        self._process = context.Process(target=_serve, args=(theirs, os.getpid(), self._room), daemon=True)
        self._process.start()
        theirs.close()  # else its end would never be heard
        self._connection = ours
        if self._ended:
            self._process.kill()
        with suppress(EOFError, OSError):
            self.ready = ours.recv_bytes() == b"ready"

    @property
    def alive(self) -> bool:
        return bool(self._process.is_alive())

    @property
    def pid(self) -> int:
        return int(self._process.pid)

    async def ask(self, asked: bytes) -> tuple[str, Any]:
        """Raises EOFError when the process ends meanwhile."""
        return await asyncio.wrap_future(self._thread.submit(self._ask, asked))

    def _ask(self, asked: bytes) -> tuple[str, Any]:
        assert self._connection is not None
        try:
            self._connection.send_bytes(asked)
            found: tuple[str, Any] = pickle.loads(self._connection.recv_bytes())
        except OSError:
            raise EOFError from None
        return found

    def end(self) -> None:
        self._ended = True
        if self._process is not None and self._process.pid is not None:  # else it ends when it begins
            self._process.kill()
        self._thread.submit(self._reap)
        self._thread.shutdown(wait=False)

    def _reap(self) -> None:
        if self._process is not None:
            self._process.join(5)
        if self._connection is not None:
            self._connection.close()


@dataclass(eq=False)
class _Job:
    owner: object
    asked: bytes
    answer: asyncio.Future[Any] = field(repr=False)
    tries: int = 0


class Lane:
    def __init__(self, name: str, room: Room, processes: int = 1) -> None:
        self.name, self.room = name, room
        self.waiting = 0
        """Jobs that are not answered yet."""
        self.replaced = 0
        self._workers: list[_Worker] = []
        self._processes = processes
        self._queues: OrderedDict[object, deque[_Job]] = OrderedDict()
        self._tasks: set[asyncio.Task[None]] = set()
        self._closed = False

    def begin(self, most: int | None = None) -> None:
        """Start the processes that are not there, or the first so many, without waiting for them."""
        while len(self._workers) < min(most or self._processes, self._processes) and not self._closed:
            self._workers.append(_Worker(self.room))

    async def run(self, job: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
        """Run a job in turn with all others that nobody in particular asked for. Raises what it raises; ComputeFailed
        when its process died, ComputeTooLong, ComputeBusy."""
        return await self.of(None).run(job, *args, **kwargs)

    def of(self, owner: object) -> Turn:
        """Run jobs of this owner: one at a time, in turn with those of others."""
        return Turn(self, owner)

    async def queue(self, owner: object, job: Callable[..., T], args: tuple[Any, ...], kwargs: dict[str, Any]) -> T:
        if self.waiting >= MOST_WAITING:
            raise ComputeBusy(self.name, self.waiting)
        try:
            asked = pickle.dumps((job, args, kwargs), 5)
        except RecursionError:
            raise ComputeFailed("what it is asked for is nested too deep") from None
        if all(worker.busy for worker in self._workers):
            self.begin(len(self._workers) + 1)
        mine = _Job(owner if owner is not None else object(), asked, asyncio.get_running_loop().create_future())
        self._queues.setdefault(mine.owner, deque()).append(mine)
        self.waiting += 1
        try:
            self._dispatch()
            found: T = await mine.answer
            return found
        finally:
            self.waiting -= 1
            if (queue := self._queues.get(mine.owner)) and mine in queue:  # whoever asked is gone
                queue.remove(mine)
                if not queue:
                    del self._queues[mine.owner]

    def _dispatch(self) -> None:
        """Give every process that is free a job, of the owner whose last turn is longest ago."""
        busy = {worker.owner for worker in self._workers if worker.busy}
        for owner in list(self._queues):
            idle = [worker for worker in self._workers if not worker.busy]
            if not idle:
                return
            if owner in busy:
                continue
            # The process that this owner had last still knows what it worked out.
            ready = sorted(idle, key=lambda worker: not worker.ready)
            worker = next((w for w in ready if w.owner == owner), ready[0])
            queue = self._queues.pop(owner)
            job = queue.popleft()
            if queue:
                self._queues[owner] = queue  # at the end: others come first
            busy.add(owner)
            worker.busy, worker.owner = True, owner
            task = asyncio.ensure_future(self._do(worker, job))
            self._tasks.add(task)
            task.add_done_callback(self._tasks.discard)

    async def _do(self, worker: _Worker, job: _Job) -> None:
        try:
            found = await self._done(worker, job)
        except EOFError:
            # Its process may have died of something else, or while it was idle: a job that it dies of does so again.
            if job.tries < TRIES and not self._closed:
                self._queues.setdefault(job.owner, deque()).appendleft(job)
            elif not job.answer.done():
                job.answer.set_exception(ComputeFailed("its process ended"))
        except Exception as failed:
            if not job.answer.done():
                job.answer.set_exception(failed)
        else:
            if not job.answer.done():
                job.answer.set_result(found)
        finally:
            worker.busy = False
            if not self._closed:
                self._dispatch()

    async def _done(self, worker: _Worker, job: _Job) -> Any:
        await asyncio.wrap_future(worker.started)
        if worker.ready and not worker.alive:
            self._replace(worker, "it ended while it was idle")
            raise EOFError
        job.tries += 1
        if not worker.ready:
            self._replace(worker, "it did not begin")
            raise EOFError
        before = seen = used_seconds(worker.pid)
        asking = asyncio.ensure_future(worker.ask(job.asked))
        idle = 0.0
        while not (await asyncio.wait({asking}, timeout=LOOK_SECONDS))[0]:
            used = used_seconds(worker.pid)
            idle = idle + LOOK_SECONDS if used == seen and stood_still(worker.pid) else 0.0
            seen = used
            if used - before > self.room.seconds or idle > self.room.idle_seconds:
                self._replace(worker, "its job took too long")
                with suppress(EOFError):
                    await asking
                raise ComputeTooLong(self.room.seconds)
        try:
            kind, found = asking.result()
        except EOFError:
            self._replace(worker, "it ended")
            raise
        if kind == "full":
            self._replace(worker, "it is full")
            raise ComputeFailed("it wanted more memory than it may have")
        if kind == "failed":
            log.error("job failed", lane=self.name, traceback=found)
            raise ComputeFailed("something failed that should not have")
        if resident_bytes(worker.pid) > self.room.grown_bytes:
            self._renew(worker)
        if kind == "refused":
            raise found
        return found

    def _replace(self, worker: _Worker, why: str) -> None:
        """End a process now; another begins at once."""
        if worker in self._workers and not self._closed:
            self.replaced += 1
            log.warning("compute process replaced", lane=self.name, why=why)
            self._workers[self._workers.index(worker)] = _Worker(self.room)
            worker.end()

    def _renew(self, worker: _Worker) -> None:
        """Let another process take this one's place as soon as it is ready and this one is between jobs."""
        if any(getattr(task, "renews", None) is worker for task in self._tasks):
            return

        async def wait() -> None:
            other = _Worker(self.room)
            await asyncio.wrap_future(other.started)
            while worker.busy:
                await asyncio.sleep(LOOK_SECONDS)
            if worker in self._workers and other.ready and not self._closed:
                self.replaced += 1
                log.info("compute process renewed", lane=self.name, megabytes=resident_bytes(worker.pid) // MEGABYTE)
                self._workers[self._workers.index(worker)] = other
                worker.end()
                self._dispatch()
            else:
                other.end()

        task = asyncio.ensure_future(wait())
        task.renews = worker  # type: ignore[attr-defined]
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    def close(self) -> None:
        self._closed = True
        for worker in self._workers:
            worker.end()


@dataclass(frozen=True)
class Turn:
    """An owner's way into a lane."""

    lane: Lane
    owner: object

    async def run(self, job: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
        return await self.lane.queue(self.owner, job, args, kwargs)


READER_SECONDS, VIEWER_SECONDS = 5.0, 20.0
READER_BYTES = 512 * MEGABYTE
PICTURE_BYTES = 1024 * MEGABYTE
"""The reader takes files from outside apart: it gets little time and little room; for pictures, some more of
both: the largest takes a slow machine five seconds."""
EDIT_SECONDS = 10.0
WORKS_SECONDS = 60.0


class Pool:
    """All lanes. `job_seconds`, `job_bytes`: what a draft or a proof may take."""

    def __init__(self, job_seconds: float, job_bytes: int) -> None:
        reading, editing = "moss_crown.server.reading", "moss_crown.server.editing"
        self.edit = Lane("edit", Room(EDIT_SECONDS, 2048 * MEGABYTE, 300 * MEGABYTE, module=editing), 2)
        self.draft = Lane("draft", Room(job_seconds, job_bytes, warm="warm_draft"), 2)
        self.works = Lane("works", Room(WORKS_SECONDS, job_bytes // 2, gives_way=True))
        # Two threads of it count twice.
        self.proof = Lane("proof", Room(2 * job_seconds, job_bytes, gives_way=True))
        self.reader = Lane("reader", Room(READER_SECONDS, READER_BYTES, 300 * MEGABYTE, module=reading), 2)
        self.viewer = Lane("viewer", Room(VIEWER_SECONDS, PICTURE_BYTES, 300 * MEGABYTE, module=reading))

    @property
    def lanes(self) -> tuple[Lane, ...]:
        return (self.edit, self.draft, self.works, self.proof, self.reader, self.viewer)

    def close(self) -> None:
        for lane in self.lanes:
            lane.close()
