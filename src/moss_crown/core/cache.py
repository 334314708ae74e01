"""Results addressed by what they depend on: one cache with a byte budget. Nothing is ever invalidated by hand."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar, cast

T = TypeVar("T")


def address(*parts: object) -> str:
    """A hash of plain values (numbers, texts, tuples, frozen dataclasses) by their exact representation."""
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]


class Cache:
    """Least recently used results go first when their bytes exceed the budget. Safe for threads."""

    def __init__(self, budget: int = 512 * 1024 * 1024) -> None:
        self.budget = budget
        self.used = 0
        self._held: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], T], size: Callable[[T], int]) -> T:
        """The result under `key`, made when it is not held. `size` says how many bytes it takes."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return cast(T, self._held[key][0])
        made = make()
        with self._lock:
            if key not in self._held:
                weight = size(made)
                self._held[key] = (made, weight)
                self.used += weight
                while self.used > self.budget and len(self._held) > 1:
                    _, (_, gone) = self._held.popitem(last=False)
                    self.used -= gone
        return made

    def __contains__(self, key: Hashable) -> bool:
        return key in self._held
