"""The crew: Dask workers that render frames. Two local processes by default, or a cluster by its address."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from distributed import Client, Future, LocalCluster, get_worker, wait

from moss_crown.core.cache import Cache
from moss_crown.core.document.door import read_shot
from moss_crown.core.evaluate import Asset, bring_in
from moss_crown.core.picture import FrameOrder, render_files

LOCAL_PROCESSES = 2
WORKER_BYTES = 1024 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Rendered:
    """A finished frame on its way to the database."""

    frame: int
    picture: bytes
    layers: bytes | None
    seconds: float
    worker: str


@lru_cache(maxsize=1)
def _cache() -> Cache:
    """A worker's cache: solids are built once a worker, whatever frames it gets."""
    return Cache(256 * 1024 * 1024)


def render_take_frame(document: dict[str, Any], frame: int, order: FrameOrder, assets: list[Asset]) -> Rendered:
    """Runs in a worker. `assets`: the fonts and emblems that the document names."""
    begun = time.perf_counter()
    for asset in assets:
        bring_in(asset)
    shot = read_shot(document)
    picture, layers = render_files(shot, frame, order, _cache())
    try:
        worker = str(get_worker().name)
    except ValueError:
        worker = "here"
    return Rendered(frame, picture, layers, time.perf_counter() - begun, f"{worker} ({os.getpid()})")


class Crew:
    """A connection to Dask. Local processes run one frame each, with one thread: the frames are what is parallel."""

    def __init__(self, address: str = "", processes: int = LOCAL_PROCESSES) -> None:
        self._cluster = None
        if not address:
            self._cluster = LocalCluster(
                n_workers=processes,
                threads_per_worker=1,
                processes=True,
                dashboard_address="127.0.0.1:0",
                host="127.0.0.1",
                memory_limit=WORKER_BYTES * 2,
                silence_logs=40,
            )
        self._client = Client(self._cluster or address, timeout="20s")

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
            frame = running.pop(future)
            try:
                yield frame, future.result()
            except Exception as failed:
                yield frame, failed

    def drop(self, running: dict[Future, int]) -> None:
        """Forget frames that are not wanted any more."""
        self._client.cancel(list(running), force=True)
        running.clear()

    def close(self) -> None:
        self._client.close()
        if self._cluster is not None:
            self._cluster.close()

    def __enter__(self) -> Crew:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()
