"""What an entry of the motion book is: what it is made for, and what it makes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

from moss_crown.core.document.kinds import StepBase, Vec3
from moss_crown.core.document.values import Ease

Group: TypeAlias = Literal["arrive", "leave", "stay", "rig", "own"]
Wanted: TypeAlias = tuple[Literal["form", "material"], str, Any]
SOFT = Ease(leave=(0.16, 0.55), arrive=(0.3, 1.0))
EVEN = Ease(leave=(0.4, 0.0), arrive=(0.35, 1.0))
FALL = Ease(leave=(0.55, 0.0), arrive=(0.85, 0.6))


@dataclass(frozen=True)
class Hangs:
    """By what a block can hang, in metres of the world at rest.

    Two `hooks` on its upper edge as (x, y), the `top` of its letters, how `wide` and `deep` they are, the `middle` of
    the one and `z` of the other, and how far it stands `above` the floor."""

    hooks: tuple[tuple[float, float], tuple[float, float]]
    top: float
    z: float
    wide: float
    middle: float
    above: float
    deep: float


@dataclass(frozen=True)
class Where:
    """What an entry is made for: frames a second, first and last frame, cap height, letters, the distance of the
    camera, and the texts that a rig goes through, the block's own one last. Of the block that it moves: its id, its
    place where that is constant, and by what it can hang."""

    fps: float
    first: int
    last: int
    size: float
    count: int
    away: float
    texts: tuple[str, ...]
    block: str
    place: Vec3 | None
    hangs: Callable[[], Hangs]

    def frames(self, seconds: float) -> float:
        return round(seconds * self.fps, 1)

    def at(self, seconds: float) -> float:
        return round(self.first + seconds * self.fps, 1)

    def delay(self, seconds: float) -> float:
        """Between two letters; long titles hurry, so that all start within a second and a half."""
        return round(min(seconds, 1.5 / max(self.count - 1, 1)) * self.fps * 4) / 4

    def leaving(self, lasts: float, delay: float) -> float:
        """When to start so that the last letter is through at the end."""
        return round(self.last - self.frames(lasts) - self.delay(delay) * max(self.count - 1, 0), 1)


@dataclass(frozen=True)
class Made:
    """An entry made for a shot: its steps, what it sets of the block itself, and, of the form and the materials of all
    letters by the kind of their step and the path in it, what has to be there for it and is set where nothing is."""

    steps: tuple[StepBase, ...]
    block: tuple[tuple[str, Any], ...] = ()
    wants: tuple[Wanted, ...] = ()


@dataclass(frozen=True)
class Entry:
    id: str
    name: str
    group: Group
    about: str
    make: Callable[[Where], Made]


def entry(id: str, name: str, group: Group, about: str, make: Callable[[Where], Made]) -> Entry:
    """An entry of the book."""
    return Entry(id, name, group, about, make)


def one(*steps: StepBase) -> Made:
    """What sets nothing but steps."""
    return Made(steps)
