"""How child processes behave: they end with their parent, and give way to what someone waits for."""

from __future__ import annotations

import ctypes
import os
import signal

_PR_SET_PDEATHSIG = 1


def end_with_parent(parent: int | None = None) -> None:
    """Ask the kernel to end this process when the thread that started it ends (prctl(2)); end now if it already has."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    if parent is not None and os.getppid() != parent:
        os.kill(os.getpid(), signal.SIGTERM)


GIVES_WAY = 10


def give_way() -> None:
    """Leave the machine to the page, to edits and to the database wherever they want it (nice(2))."""
    os.nice(GIVES_WAY)
