"""How a figure is said: what it is, what it came to, what it is compared with."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable


def timed(work: Callable[[], object], runs: int = 5) -> list[float]:
    """Seconds of each run, sorted."""
    found = []
    for _ in range(runs):
        begun = time.perf_counter()
        work()
        found.append(time.perf_counter() - begun)
    return sorted(found)


def milliseconds(found: list[float]) -> str:
    return f"{1e3 * statistics.median(found):.1f} ms (of {len(found)}: {1e3 * found[0]:.1f} to {1e3 * found[-1]:.1f})"


def pace() -> float:
    """Milliseconds that this machine takes, right now, for a fixed piece of plain Python.

    On shared machines it changes by a factor of two within minutes: figures of two runs compare only beside it.
    """
    begun = time.perf_counter()
    total = 0
    for k in range(1_000_000):
        total += k
    return 1e3 * (time.perf_counter() - begun)


def say(what: str, figure: str, aim: str) -> None:
    print(f"{what:<58} {figure:<44} aim {aim}", flush=True)
