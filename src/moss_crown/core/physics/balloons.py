"""Letters as balloons of foil: what they are asked for, and tracks of where their vertices are."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, fields
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.cache import Cache, address
from moss_crown.core.physics.foil import Foil, foils
from moss_crown.core.physics.swelling import (
    BEND,
    DRAG,
    GROW,
    HOLD,
    MARGIN,
    MOST,
    PRESSURE,
    ROW,
    STIFF,
    near_pairs,
    swell,
)
from moss_crown.core.values.curves import smooth

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

CHUNK = 8
"""Frames that are solved at once."""
VERSION = 1
"""Of the way that is solved here: a track of another is another."""
GIVE = 0.15
"""By so much longer than they are asked to be edges can get before gas fades."""
USUAL_DRAG = 10.0
CALMER = 0.38
"""A second: drag grows with the fourth power of the time since something was asked for."""
SLOWS, STOPS = 1.4, 2.2
"""Seconds after which a foil that nothing new is asked of goes slower, and does not move any more."""
HOMEWARD, NEARLY = 30.0, 0.2
"""How fast a foil without gas is drawn to where it rests (radians a second), and below which strength that begins."""
THICK = 0.9
"""Vertices keep so many edges apart: with less one slips through a triangle."""
STRAIN, TUBE = 0.01, 0.15
"""The share by which edges may be softer than they should be for want of substeps, in a letter of such a radius."""
FEWEST, MOST_SUBSTEPS = 4, 160
RUB = 0.3


@dataclass(frozen=True)
class Asked:
    """What is asked of foils at whole frames: strengths (f, l), 0 to 1; pressure (f, l); and (f) how many times as long
    as its seams foil gets, its stiffness and that of bending, how fast it is drawn home (radians a second), and weight
    (f, 3)."""

    strength: Floats
    pressure: Floats
    grow: Floats
    stiff: Floats
    bend: Floats
    hold: Floats
    weight: Floats

    def _each(self, change: Callable[[Floats], Floats]) -> Asked:
        return Asked(*(change(getattr(self, member.name)) for member in fields(self)))

    def part(self, begin: int, end: int) -> Asked:
        """From one frame to another, that excluded."""
        return self._each(lambda values: values[begin:end])

    def longer(self, frames: int) -> Asked:
        """Until so many frames after the first: what is asked for at the end goes on."""
        more = max(0, frames + 1 - len(self.strength))
        return self._each(lambda values: np.concatenate([values, np.repeat(values[-1:], more, 0)]))

    def address(self) -> str:
        """A hash of all of it."""
        return address(*(getattr(self, member.name).tobytes() for member in fields(self)))

    def same(self) -> NDArray[np.bool_]:
        """(f, l): whether at a frame the same is asked of each foil as at the one before; not at the first."""
        found = np.zeros(self.strength.shape, np.bool_)
        of_all = np.column_stack([self.grow, self.stiff, self.bend, self.hold, self.weight])
        alike = (of_all[1:] == of_all[:-1]).all(1)[:, None]
        both = (self.strength[1:] == self.strength[:-1]) & (self.pressure[1:] == self.pressure[:-1])
        # Of what has no gas nothing else matters.
        empty = (self.strength[1:] == 0) & (self.strength[:-1] == 0)
        found[1:] = (both & alike) | empty
        return found


@dataclass(frozen=True)
class Stretch:
    """A chunk of a track, by its address: places (f, n, 3) at whole frames, and at its end where vertices are, where
    they were a substep before, and for how many frames each foil was asked for nothing new (l)."""

    key: str
    places: NDArray[np.float32]
    now: Floats
    before: Floats
    since: Ints

    @property
    def nbytes(self) -> int:
        """What it takes in memory."""
        return self.places.nbytes + 2 * self.now.nbytes


@dataclass(frozen=True)
class Balloons:
    """Foils that are solved together, frames a second, planes (k, 4) that nothing goes behind (a normal and how far
    along it), and the highest pressure and growth that they are ever asked for, by which substeps are counted."""

    foil: Foil
    fps: float
    planes: Floats = field(default_factory=lambda: np.zeros((0, 4)))
    highest: float = 6.0
    longest: float = 1.0
    touch: bool = True

    @cached_property
    def key(self) -> str:
        """A hash of all that decides how they move, but what they are asked for."""
        settings = (self.fps, self.substeps, self.thick, self.touch, VERSION)
        return address("balloons", self.foil.key, self.planes.tobytes(), *settings)

    @cached_property
    def substeps(self) -> int:
        """In a frame, from settings alone: one pass makes an edge softer by about 2 h^2 / mass at most, which gas of
        this pressure in a tube of this radius would stretch by 2/3 pressure radius h^2 / edge^2."""
        need = math.sqrt(2 / 3 * max(self.highest, 0.0) * TUBE / STRAIN) / (self.foil.edge * self.fps)
        return min(MOST_SUBSTEPS, max(FEWEST, math.ceil(need)))

    @cached_property
    def thick(self) -> float:
        """How far vertices keep apart."""
        return THICK * self.foil.edge * self.longest

    @cached_property
    def owner(self) -> Ints:
        """(n): of which foil each vertex is."""
        return np.repeat(np.arange(self.foil.count), np.diff(self.foil.first[:, 0]))


@dataclass(frozen=True)
class Track:
    """Where the vertices of foils are at whole frames, by chunks; at frame 0 they are at home. `given_up`: more was
    asked for, but nobody waited for it."""

    home: NDArray[np.float32]
    chunks: tuple[Stretch, ...]
    given_up: bool = False

    @property
    def solved(self) -> int:
        """The last frame."""
        return CHUNK * len(self.chunks)

    def at(self, frame: int) -> NDArray[np.float32]:
        """(n, 3) at a whole frame, of which those before the first and after the last are like these."""
        frame = min(frame, self.solved)
        return self.home if frame <= 0 else self.chunks[(frame - 1) // CHUNK].places[(frame - 1) % CHUNK]


def track(
    balloons: Balloons, asked: Asked, frames: int, cache: Cache, goes_on: Callable[[], bool] | None = None
) -> Track:
    """At frames 0 to `frames`, by whole chunks; where that is not known yet and nobody `goes_on` with it, as far as it
    is known."""
    key, chunks = balloons.key, []
    last: Stretch | None = None
    given_up = False
    for begin in range(0, frames, CHUNK):
        own = asked.part(begin, begin + CHUNK + 1)
        key = address(key, own.address())
        before = last
        if ("swelling", key) not in cache and goes_on is not None and not goes_on():
            given_up = True
            break

        def solved(key: str = key, own: Asked = own, before: Stretch | None = before) -> Stretch:
            return _solved(key, balloons, own, before)

        last = cache.get(("swelling", key), solved, lambda stretch: stretch.nbytes)
        chunks.append(last)
    return Track(balloons.foil.home.astype(np.float32), tuple(chunks), given_up)


def _clock(seconds: Floats) -> Floats:
    """How fast the time of foils goes that were asked for nothing new for so long."""
    return smooth(STOPS, SLOWS, seconds)


def _rows(balloons: Balloons, asked: Asked, frame: int, since: Ints) -> Floats:
    """(l, ROW) what foils are told in a frame: the middle between what is asked for at its ends."""
    foil, fps = balloons.foil, balloons.fps

    def middle(values: Floats) -> Floats:
        return np.asarray((values[frame] + values[frame + 1]) / 2)

    strength = middle(asked.strength)
    rows = np.zeros((foil.count, ROW))
    grow = 1 + (float(middle(asked.grow)) - 1) * np.clip(strength, 0, 1)
    rows[:, PRESSURE] = middle(asked.pressure) * strength
    longest = max(1.0, float(middle(asked.grow))) + GIVE
    rows[:, MOST] = foil.most * longest * longest * longest
    rows[:, GROW] = grow
    rows[:, STIFF] = float(middle(asked.stiff))
    rows[:, BEND] = float(middle(asked.bend))
    empty = np.clip((NEARLY - strength) / NEARLY, 0, 1)
    rows[:, HOLD] = np.maximum(float(middle(asked.hold)), HOMEWARD * empty * empty)
    seconds = since / fps
    calm = 1 + CALMER * np.maximum(seconds, 0)
    rows[:, DRAG] = USUAL_DRAG * calm * calm * calm * calm
    return rows


def _solved(key: str, balloons: Balloons, asked: Asked, before: Stretch | None) -> Stretch:
    """The next chunk of a track; `asked` through its last frame."""
    foil, fps = balloons.foil, balloons.fps
    frames = len(asked.strength) - 1
    if before is None:
        x, past = foil.home.copy(), foil.home.copy()
        since = np.full(foil.count, math.ceil(STOPS * fps), np.int64)
    else:
        x, past, since = before.now.copy(), before.before.copy(), before.since.copy()
    same = asked.same()
    h = 1 / fps / balloons.substeps
    listed, w, push, far = x.copy(), 1 / foil.mass, np.zeros_like(x), np.zeros(foil.count)
    lists: _Lists | None = None
    places = np.empty((frames, *x.shape), np.float32)
    for frame in range(frames):
        since = np.where(same[frame + 1], since + 1, 0)
        rows = _rows(balloons, asked, frame, since)
        clock = _clock(since / fps)
        awake = clock > 0
        begun = x.copy()
        done = 0
        weight = (asked.weight[frame] + asked.weight[frame + 1]) / 2
        while awake.any() and done < balloons.substeps:
            if lists is None:
                lists = _listed(balloons, x)
                listed[:] = x
                far[:] = 0.0
            done = swell(
                x, past, listed, foil.home, w, push, foil.triangles, foil.edges, foil.length, foil.seam,
                foil.hinges, foil.weights, foil.area, foil.bent, foil.first, balloons.owner,
                lists.own, lists.own_near, lists.first, lists.between, lists.between_near,
                rows, far, awake, balloons.planes, weight, RUB, balloons.thick, h, done, balloons.substeps,
            )  # fmt: skip
            if done < balloons.substeps:
                lists = None
        for k in np.flatnonzero(clock < 1):
            own = slice(foil.first[k, 0], foil.first[k + 1, 0])
            ends = foil.home[own] if asked.strength[frame + 1, k] == 0 else begun[own]
            x[own] = ends + clock[k] * (x[own] - ends)
            past[own] = ends + clock[k] * (past[own] - ends)
            if clock[k] == 0:
                past[own] = x[own]
        places[frame] = x
    return Stretch(key, places, x, past, since)


@dataclass(frozen=True)
class _Lists:
    own: Ints
    own_near: Floats
    first: Ints
    between: Ints
    between_near: Floats


def _listed(balloons: Balloons, x: Floats) -> _Lists:
    """Which vertices may come near each other: those of a foil, foil by foil, and those of two. They keep a thickness
    apart, or most of what they are apart at rest."""
    foil, thick = balloons.foil, balloons.thick
    reach = MARGIN * thick

    def near(pairs: Ints) -> Floats:
        way = foil.home[pairs[:, 0]] - foil.home[pairs[:, 1]]
        return np.asarray(np.minimum(thick, 0.8 * np.sqrt((way * way).sum(1))))

    found, starts, boxes = [], [0], []
    for k in range(foil.count):
        own = slice(foil.first[k, 0], foil.first[k + 1, 0])
        pairs = near_pairs(x[own], balloons.owner[own], reach, True) + own.start
        found.append(pairs)
        starts.append(starts[-1] + len(pairs))
        boxes.append((x[own].min(0) - reach, x[own].max(0) + reach))
    some = []
    for k, (low, high) in enumerate(boxes):
        there = x[foil.first[k, 0] : foil.first[k + 1, 0]]
        meets = np.zeros(len(there), np.bool_)
        for j, (floor, top) in enumerate(boxes):
            if j != k and balloons.touch and (low < top).all() and (floor < high).all():
                meets |= ((there > floor) & (there < top)).all(1)
        some.append(np.flatnonzero(meets) + foil.first[k, 0])
    chosen = np.concatenate([np.zeros(0, np.int64), *some])
    between = near_pairs(x[chosen], balloons.owner[chosen], reach, False)
    between = chosen[between] if len(between) else between
    pairs = np.concatenate([np.zeros((0, 2), np.int64), *found])
    return _Lists(pairs, near(pairs), np.array(starts, np.int64), between, near(between))


def ready_balloons() -> None:
    """Load or compile what balloons need."""
    at = np.array([(0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)])
    triangles = np.array([(0, 2, 1), (0, 1, 3), (1, 2, 3), (2, 0, 3)], np.int64)
    one = np.ones((3, 1))
    level = np.ones(3)
    fills = np.array([[0.0], [1.0], [1.0]])
    asked = Asked(fills, one, level, level, level, level, np.zeros((3, 3)))
    _solved("", Balloons(foils([(at, triangles, np.zeros(4, np.bool_))]), 25.0), asked, None)
