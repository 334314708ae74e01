"""A throw-away PostgreSQL for the tests, and a real server process on it."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import httpx

from moss_crown.server.db.cluster import Cluster

ROOT = Path(__file__).resolve().parents[1]


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


class RunningServer:
    """`python -m moss_crown.server`, as `./crown start` runs it; can be killed and started again."""

    def __init__(self, cluster: Cluster, database: str, log: Path, **settings: str) -> None:
        self.port = free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        self._log = log
        self._environment = (
            os.environ
            | {"MOSS_CROWN_DATABASE": cluster.url(database)}
            | {f"MOSS_CROWN_{name.upper()}": value for name, value in settings.items()}
        )
        self.process: subprocess.Popen[bytes] | None = None
        self.client = httpx.Client(base_url=self.url, timeout=60)

    def start(self) -> None:
        with self._log.open("ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "moss_crown.server", str(self.port)],
                env=self._environment,
                stderr=log,
                stdout=log,
            )
        self.wait_ready()

    def wait_ready(self, seconds: float = 120) -> None:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            try:
                if self.client.get("/api/ready").status_code == 200:
                    return
            except httpx.HTTPError:
                pass
            time.sleep(0.1)
        raise AssertionError(f"not ready after {seconds} s: {self._log.read_text()[-3000:]}")

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> None:
        if self.process and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(20)
            except subprocess.TimeoutExpired:
                self.process.kill()
        self.client.close()


def wait_for(what, seconds: float = 120, pause: float = 0.1):
    """The first true answer of `what()`; fails after `seconds`."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        answer = what()
        if answer:
            return answer
        time.sleep(pause)
    raise AssertionError(f"still not so after {seconds} s")
