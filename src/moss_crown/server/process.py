"""How child processes behave: they end with their parent, give way to what someone waits for, and can be looked at."""

from __future__ import annotations

import ctypes
import gc
import os
import signal
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

_PR_SET_PDEATHSIG = 1


def end_with_parent(parent: int | None = None) -> None:
    """Ask the kernel to end this process when the thread that started it ends (prctl(2)); end now if it already has."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    if parent is not None and os.getppid() != parent:
        os.kill(os.getpid(), signal.SIGTERM)


@contextmanager
def loading() -> Iterator[None]:
    """Load modules within: what is loaded stays, and to look through it again and again takes a sixth of the time."""
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()


GIVES_WAY = 10


def give_way() -> None:
    """Leave the machine to the page, to edits and to the database wherever they want it (nice(2))."""
    os.nice(GIVES_WAY)


_TICKS = os.sysconf("SC_CLK_TCK")
_PAGE = os.sysconf("SC_PAGE_SIZE")


def _stat(pid: int) -> list[str]:
    """The fields of /proc/PID/stat after the name, from the state on (proc(5)); empty when there is no such process."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return []


def used_seconds(pid: int) -> float:
    """Processor time of a process, all its threads together."""
    stat = _stat(pid)
    return (int(stat[11]) + int(stat[12])) / _TICKS if stat else 0.0


def stood_still(pid: int) -> bool:
    """Does the process wait for something other than a processor?"""
    stat = _stat(pid)
    return bool(stat) and stat[0] != "R"


def resident_bytes(pid: int) -> int:
    """What a process holds in memory."""
    stat = _stat(pid)
    return int(stat[21]) * _PAGE if stat else 0
