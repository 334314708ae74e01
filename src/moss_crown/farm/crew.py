"""The crew: Dask workers that render frames. Two local processes by default, or a cluster by its address.

Whoever reaches a Dask scheduler or worker runs code as its user. So the local ones talk by TLS with a certificate that
is made at the start and known to nobody else, and a cluster elsewhere is talked to by TLS only.
"""

from __future__ import annotations

import ctypes
import os
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import dask
from distributed import Client, Future, LocalCluster, Security, get_worker, wait

from moss_crown.core.assets import Asset, begin_with, bring_in
from moss_crown.core.cache import Cache
from moss_crown.core.evaluation.newest import Newest
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_files
from moss_crown.farm.credentials import Credentials
from moss_crown.farm.orders import LOCAL_PROCESSES

WORKER_BYTES = 1024 * 1024 * 1024
GROWN_BYTES = 700 * 1024 * 1024
"""A worker that holds more after a frame is replaced."""
FETCH_SECONDS = 10.0
"""How long a finished frame may take from its worker to here."""
# Neither a dashboard nor any other page: nobody here looks at them, and they would tell whoever asks.
QUIET: dict[str, list[str]] = {"distributed.scheduler.http.routes": [], "distributed.worker.http.routes": []}


@dataclass(frozen=True, slots=True)
class Rendered:
    """A finished frame on its way to the database; `held`: bytes that its worker holds afterwards."""

    frame: int
    picture: bytes
    layers: bytes | None
    seconds: float
    worker: str
    held: int = 0


class NotWanted(Exception):
    """A frame that nobody wants any more."""


class CrewStill(RuntimeError):
    """Frames wait, and no worker is at one."""


@lru_cache(maxsize=1)
def _newest() -> Newest:
    """What a worker remembers: solids are built once a worker, whatever frames it gets."""
    return Newest(Cache(256 * 1024 * 1024))


def render_take_frame(document: dict[str, Any], frame: int, order: FrameOrder, assets: list[Asset]) -> Rendered:
    """Runs in a worker. `assets`: the fonts and emblems that the document names."""
    begun = time.perf_counter()
    begin_with(asset.id for asset in assets)
    for asset in assets:
        bring_in(asset)
    picture, layers = render_files(_newest().of(document), frame, order, _still_wanted())
    try:
        worker = str(get_worker().name)
    except ValueError:
        worker = "here"
    ctypes.CDLL(None).malloc_trim(0)
    seconds = time.perf_counter() - begun
    return Rendered(frame, picture, layers, seconds, f"{worker} ({os.getpid()})", _resident())


def _resident() -> int:
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE")


def _still_wanted() -> Callable[[], None]:
    """What a render asks between its parts: it raises NotWanted once the frame was dropped.

    A thread of a worker cannot be ended from outside; what its worker has been told of its task can be looked at."""
    try:
        worker = get_worker()
        key = worker.get_current_task()
    except ValueError:
        return lambda: None

    def look() -> None:
        task = worker.state.tasks.get(key)
        if task is None or task.state == "cancelled":
            raise NotWanted

    return look


def _security(given: Credentials) -> Security:
    files = {"tls_ca_file": given.authority}
    for role in ("client", "scheduler", "worker"):
        files |= {f"tls_{role}_cert": given.certificate, f"tls_{role}_key": given.key}
    return Security(require_encryption=True, **files)


class Crew:
    """A connection to Dask. Local processes run one frame each, with one thread: the frames are what is parallel.

    Raises CrewUnsafe for an address without what it takes to talk to it safely.
    """

    def __init__(
        self, address: str = "", credentials: Credentials | None = None, processes: int = LOCAL_PROCESSES
    ) -> None:
        self._cluster = None
        dask.config.set(QUIET)
        if address:
            given = credentials or Credentials()
            given.check(address)
            security = _security(given)
        else:
            security = Security.temporary()
            self._cluster = LocalCluster(
                n_workers=processes,
                threads_per_worker=1,
                processes=True,
                security=security,
                scheduler_kwargs={"dashboard": False, "dashboard_address": "127.0.0.1:0"},
                worker_dashboard_address=None,
                host="127.0.0.1",
                protocol="tls://",
                memory_limit=WORKER_BYTES * 2,
                silence_logs=40,
            )
        self._client = Client(self._cluster or address, timeout="20s", security=security)

    @property
    def width(self) -> int:
        """How many frames run at once."""
        return max(1, sum(self._client.nthreads().values()))

    def share(self, assets: list[Asset]) -> list[Future]:
        """Send what the frames of a take have in common to the workers once."""
        return list(self._client.scatter(assets, broadcast=True, hash=False)) if assets else []

    def submit(self, document: dict[str, Any], frame: int, order: FrameOrder, assets: Sequence[Future] = ()) -> Future:
        """Render a frame of a document; `assets` as `share` answered them."""
        return self._client.submit(render_take_frame, document, frame, order, list(assets), pure=False, retries=2)

    def finished(self, running: dict[Future, int], seconds: float) -> Iterator[tuple[int, Rendered | Exception]]:
        """Take finished frames out of `running`, waiting at most `seconds` for the first. A worker that dies gives its
        frame back to the scheduler; what comes out as an exception here could not be rendered at all."""
        try:
            done = wait(list(running), timeout=seconds, return_when="FIRST_COMPLETED").done
        except TimeoutError:
            return
        for future in done:
            try:
                result: Rendered | Exception = future.result(timeout=FETCH_SECONDS)
            except Exception as failed:
                if isinstance(failed, TimeoutError) and future.status != "error":
                    continue  # its worker died with it: it is rendered again
                result = failed
            yield running.pop(future), result

    def drop(self, running: dict[Future, int]) -> None:
        """Forget frames that are not wanted any more."""
        self._client.cancel(list(running), force=True)
        running.clear()

    def idle(self) -> bool:
        """Is nothing under way any more? Frames that were dropped end between two of their parts."""
        return not any(self._client.run(_at_work).values())

    def at_work(self) -> bool:
        """Is a worker at a frame, as far as the scheduler has heard from them?

        A local worker that dies while it starts is not started again by whoever keeps it, so frames may wait for ever.
        A cluster elsewhere is looked after by others, and may need long to grow: there the answer is always yes."""
        if self._cluster is None:
            return True
        workers = self._client.scheduler_info()["workers"].values()
        return any(worker["metrics"].get("task_counts", {}).get("executing", 0) for worker in workers)

    def replace_all(self) -> None:
        """End every worker with what it is at, and begin it again."""
        self._client.restart(wait_for_workers=False)

    def renew(self, worker: str) -> None:
        """Let a worker begin again, by the name that its frames came with."""
        self._client.restart_workers([_named(worker)], raise_for_error=False)

    def close(self) -> None:
        self._client.close()
        if self._cluster is not None:
            self._cluster.close()

    def __enter__(self) -> Crew:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


def _at_work() -> int:
    return len(get_worker().state.executing)


def _named(worker: str) -> Any:
    name = worker.partition(" (")[0]
    return int(name) if name.isdecimal() else name
