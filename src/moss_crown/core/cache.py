"""Results addressed by what they depend on: one cache with a byte budget. Nothing is ever invalidated by hand."""

from __future__ import annotations

import hashlib
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable
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


class Patience:
    """How long somebody waits, counted from when it is first asked for: then, and while the time lasts, it is there."""

    def __init__(self, seconds: float) -> None:
        self.seconds = seconds
        self._end: float | None = None

    def __call__(self) -> bool:
        now = time.monotonic()
        if self._end is None:
            self._end = now + self.seconds
        return now < self._end


class Shelf:
    """What was brought into this process, by an id made from its content. Above a budget of bytes those go that were
    asked for longest ago; never one that the work in hand named, so that work may need more than the budget."""

    def __init__(self, budget: int) -> None:
        self.budget = budget
        self.used = 0
        self._held: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self._wanted: frozenset[str] = frozenset()

    def begin(self, wanted: Iterable[str]) -> bool:
        """Work begins that names these ids. Answers whether anything was let go."""
        self._wanted = frozenset(wanted)
        for id in self._wanted & self._held.keys():
            self._held.move_to_end(id)
        return self._make_room()

    def put(self, id: str, thing: Any, weight: int) -> bool:
        """Keep a thing of so many bytes; one that is there already stays. Answers whether anything was let go."""
        if id in self._held:
            self._held.move_to_end(id)
            return False
        self._held[id] = (thing, weight)
        self.used += weight
        return self._make_room(id)

    def get(self, id: str) -> Any:
        """Raises KeyError."""
        return self._held[id][0]

    def __contains__(self, id: object) -> bool:
        return id in self._held

    def _make_room(self, newest: str = "") -> bool:
        gone = []
        for id in self._held:
            if self.used <= self.budget:
                break
            if id not in self._wanted and id != newest:
                gone.append(id)
                self.used -= self._held[id][1]
        for id in gone:
            del self._held[id]
        return bool(gone)
