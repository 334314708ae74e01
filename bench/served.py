"""A running application for a bench, and how long what it is asked for takes."""

from __future__ import annotations

import os
import statistics
import subprocess
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import httpx
import psutil

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

    def processes(self) -> Iterator[tuple[str, psutil.Process]]:
        """Every process of the application but the database's, by what it is."""
        for child in psutil.Process(self.process.pid).children(recursive=True):
            try:
                line, above = " ".join(child.cmdline()), " ".join(child.parent().cmdline())
            except (psutil.Error, AttributeError):
                continue
            if "moss_crown.server " in line:
                yield "web server", child
            elif "take_runner" in line:
                yield "take runner", child
            elif "spawn_main" in line:
                yield "render worker" if "take_runner" in above else "compute process", child

    @contextmanager
    def health_beside(self) -> Iterator[Times]:
        """How soon health is answered, again and again, while something else is done."""
        health, ended = Times(), threading.Event()

        def watch() -> None:
            with httpx.Client(base_url=self.url) as other:
                while not ended.is_set():
                    with health.one():
                        other.get("/api/health")
                    time.sleep(0.02)

        watching = threading.Thread(target=watch)
        watching.start()
        try:
            yield health
        finally:
            ended.set()
            watching.join()

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
