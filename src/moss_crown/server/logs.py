"""The server's log: readable by its owner alone, and never larger than a bound."""

from __future__ import annotations

import os
import shutil
from pathlib import Path
from typing import BinaryIO

LOG_BYTES = 8 * 1024 * 1024
OLDER = 3
"""So many older parts are kept, the newest as `.1`."""


def open_log(path: Path) -> BinaryIO:
    """A log that processes append to, whatever their number."""
    path.touch(0o600)
    path.chmod(0o600)
    return path.open("ab")


def rotate(path: Path, most: int = LOG_BYTES, older: int = OLDER) -> bool:
    """Put a log that has grown too large aside. Who writes to it goes on at its beginning: it is emptied, not moved,
    since others hold it open for appending."""
    if not path.exists() or path.stat().st_size <= most:
        return False
    for number in range(older, 1, -1):
        before = path.with_name(f"{path.name}.{number - 1}")
        if before.exists():
            before.replace(path.with_name(f"{path.name}.{number}"))
    aside = path.with_name(f"{path.name}.1")
    aside.touch(0o600)
    shutil.copyfile(path, aside)
    os.truncate(path, 0)
    return True
