"""A running application for a bench, and how long what it is asked for takes."""

from __future__ import annotations

import os
import statistics
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import httpx

from bench.running import forget, started, stop
from moss_crown.server.db.cluster import _free_port


@dataclass
class Served:
    home: str
    port: int
    process: subprocess.Popen[str]
    client: httpx.Client = field(init=False)

    def __post_init__(self) -> None:
        self.client = httpx.Client(base_url=self.url, timeout=120)

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def live(self, shot: str) -> str:
        return f"ws://127.0.0.1:{self.port}/api/shots/{shot}/live"

    @property
    def log(self) -> Path:
        return Path(self.home) / "server.log"


@contextmanager
def served(**settings: str) -> Iterator[Served]:
    """`./crown start` in a folder and on a port of its own, with the demo; ended and forgotten afterwards."""
    with tempfile.TemporaryDirectory() as folder:
        os.chmod(folder, 0o755)
        port = _free_port()
        process, _ = started(folder, port, **settings)
        try:
            yield Served(folder, port, process)
        finally:
            stop(process)
            forget(folder)


@dataclass
class Times:
    """Seconds that something took, each time."""

    taken: list[float] = field(default_factory=list)

    @contextmanager
    def one(self) -> Iterator[None]:
        begun = time.perf_counter()
        yield
        self.taken.append(time.perf_counter() - begun)

    def said(self) -> str:
        if not self.taken:
            return "never"
        ordered = sorted(self.taken)
        p95 = ordered[min(len(ordered) - 1, int(0.95 * len(ordered)))]
        return (
            f"{1e3 * statistics.median(ordered):.0f} ms, 95th {1e3 * p95:.0f}, most {1e3 * ordered[-1]:.0f} "
            f"(of {len(ordered)})"
        )
