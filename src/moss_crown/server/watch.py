"""What runs beside requests is watched: what ends is logged, counted, and begun again."""

from __future__ import annotations

import asyncio
from collections import Counter
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Any

import structlog

log = structlog.get_logger()
PAUSE, LONGEST_PAUSE = 0.5, 30.0


@dataclass
class Watch:
    """`failures`: how often each thing has failed, by its name."""

    failures: Counter[str] = field(default_factory=Counter)

    async def once(self, name: str, work: Callable[[], Awaitable[Any]]) -> None:
        """Do something whose failing must not end what comes after it."""
        try:
            await work()
        except Exception as failed:
            self.count(name, failed)

    async def keep(self, name: str, work: Callable[[], Awaitable[Any]]) -> None:
        """Run something that may end, and begin it again whenever it fails, after a pause that grows."""
        pause = PAUSE
        while True:
            begun = asyncio.get_running_loop().time()
            try:
                await work()
            except Exception as failed:
                self.count(name, failed)
            else:
                return
            if asyncio.get_running_loop().time() - begun > LONGEST_PAUSE:
                pause = PAUSE
            await asyncio.sleep(pause)
            pause = min(2 * pause, LONGEST_PAUSE)

    def count(self, name: str, failed: BaseException) -> None:
        self.failures[name] += 1
        log.error("failed beside requests", what=name, exc_info=failed)
