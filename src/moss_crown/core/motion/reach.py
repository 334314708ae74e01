"""Reaches: how strongly each unit of a drive (a letter, a word, a line, the block) feels it at each frame."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.deform.chain import distances
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.motion import (
    Cadence,
    DrumStep,
    Everywhere,
    Noise,
    Passage,
    Picture,
    ReachingStep,
    Swing,
    Zone,
)
from moss_crown.core.motion.poses import turn_matrix
from moss_crown.core.values.curves import ease, pressed, through
from moss_crown.core.values.noise import hashed, phases, seed_of, smooth_noise
from moss_crown.core.values.sampling import Frames, changes, needed, sample, sample_choice

Floats = NDArray[np.float64]


def no_picture(id: str) -> Floats:
    """The shades of a picture that nobody has."""
    return np.zeros((1, 1, 2))


@dataclass(frozen=True)
class Units:
    """What feels a reach: where each is at rest, in the block (u, 3), and in the world (f or 1, u, 3), which only zones
    ask for; how bright pictures are (h, w, 2): grey as it is painted, 0 to 1, and alpha; and where each is in the world
    (f, u, 3) as it has been moved, None for nothing that moves. `within`: which word, line and block each is of (u)."""

    places: Floats
    world: Callable[[], Floats]
    shades: Callable[[str], Floats] = no_picture
    moved: Callable[[], Floats] | None = None
    within: Mapping[str, NDArray[np.int64]] = field(default_factory=dict)

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.places)


STRAIGHT = [(0.0, 0.0), (1.0, 1.0)]
"""A response that leaves reaches as they are."""


def reach_of(drive: ReachingStep, frames: Frames, units: Units, fps: float, seed: int, zones: bool = True) -> Floats:
    """(f, u): the reaches of a drive joined, shaped by its response, times its strength; without zones neither they nor
    the response, which is theirs then."""
    total: Floats | None = None
    for number, reach in enumerate(drive.reaches):
        if not zones and isinstance(reach, Zone):
            continue
        felt = _one(reach, frames, units, fps, seed_of(seed, drive.id, number))
        if total is None:
            total = 1 - felt if reach.mix == "cut" else felt
        elif reach.mix == "maximum":
            total = np.maximum(total, felt)
        elif reach.mix == "add":
            total = total + felt
        elif reach.mix == "multiply":
            total = total * felt
        else:
            total = total * (1 - felt)
    if total is None:
        total = np.ones((len(frames), units.count))
    if zones and drive.response != STRAIGHT:
        total = through(drive.response, total)
    if drive.beyond is False:
        total = np.clip(total, 0, 1)
    elif drive.beyond is not True:
        free = choices(drive.beyond, frames)
        total = np.where(np.array(free, bool)[:, None], total, np.clip(total, 0, 1))
    return total if drive.strength == 1 else total * sample(drive.strength, frames)[:, None]


def _one(reach: Any, frames: Frames, units: Units, fps: float, seed: int) -> Floats:
    match reach:
        case Cadence():
            return cadence_reach(reach, frames, units)
        case Zone():
            return zone_reach(reach, frames, units)
        case Noise():
            return _noise(reach, frames, units, fps, seed)
        case Picture():
            return picture_reach(reach, frames, units)
        case Swing():
            return swing_reach(reach, frames, units, fps)
        case Passage():
            return passage_reach(reach, frames, units)
        case Everywhere():
            return np.repeat(sample(reach.level, frames)[:, None], units.count, 1)
    raise TypeError(f"unknown reach: {reach!r}")


def choices(value: Any, frames: Frames) -> list[Any]:
    """A switch or choice at each frame."""
    if not changes(value):
        return [value] * len(frames)
    return [sample_choice(value, float(frame)) for frame in frames]


def ranks(reach: Swing | DrumStep | BodiesStep, frames: Frames, units: Units) -> Floats:
    """(f or 1, u): the place of each unit in the order, counted in letters from 0."""
    at = needed(reach.order, frames)
    if not len(at):
        return np.zeros((1, units.count))
    order = _Order(reach.shuffle, np.zeros(3), np.zeros(3))
    return np.array([order.of(name, units.places) for name in choices(reach.order, at)])


def cadence_ranks(cadence: Cadence, frames: Frames, units: Units) -> tuple[Floats, Floats]:
    """(f or 1, u) twice: the place of each unit in the order of its group, and that of its group, counted from 0."""
    at = needed([cadence.order, cadence.along, cadence.point, cadence.unit, cadence.group], frames)
    if not len(at):
        return np.zeros((1, units.count)), np.zeros((1, units.count))
    along, point = sample(cadence.along, at), sample(cadence.point, at)
    names, counted, grouped = (choices(value, at) for value in (cadence.order, cadence.unit, cadence.group))
    found = [
        _placed(names[k], _Order(cadence.shuffle, along[k], point[k]), counted[k], grouped[k], units)
        for k in range(len(at))
    ]
    return np.array([own for own, _ in found]), np.array([of for _, of in found])


def _placed(name: str, order: _Order, unit: str, group: str, units: Units) -> tuple[Floats, Floats]:
    """Places in the order of each group, and of the groups."""
    alone = np.arange(units.count)
    # A unit that is larger than its group begins with it: what starts together has one place.
    unit_of = units.within.get(unit, alone)
    group_of = units.within.get(group, np.zeros(units.count, np.int64))
    own = np.empty(units.count)
    for number in range(int(group_of.max(initial=-1)) + 1):
        here = np.flatnonzero(group_of == number)
        _, place = np.unique(unit_of[here], return_inverse=True)
        own[here] = order.of(name, _middles(units.places[here], place))[place]
    return own, order.of(name, _middles(units.places, group_of))[group_of]


def _middles(places: Floats, of: NDArray[np.int64]) -> Floats:
    """(g, 3): the middle of each of some groups of places (n, 3), by the number of the group that each is of (n)."""
    count = np.bincount(of)
    sums = np.stack([np.bincount(of, places[:, axis]) for axis in range(3)], 1)
    return np.asarray(sums / np.maximum(count, 1)[:, None])


@dataclass(frozen=True)
class _Order:
    """What an order goes by besides its name."""

    shuffle: int
    along: Floats
    point: Floats

    def of(self, name: str, places: Floats) -> Floats:
        """(n): the place of each in the order of a name."""
        n = len(places)
        k = np.arange(n, dtype=np.float64)
        away = np.abs(k - (n - 1) / 2)
        match name:
            case "reverse":
                return k[::-1].copy()
            case "centre_out":
                return away - away.min(initial=np.inf) if n else k
            case "edges_in":
                return np.asarray(away.max(initial=0.0) - away)
            case "shuffled":
                drawn = hashed(seed_of("shuffle", self.shuffle), np.arange(n))
                found = np.empty(n)
                found[np.argsort(drawn, kind="stable")] = k
                return found
            case "axis":
                return _spread(places @ self.along)
            case "near":
                return _spread(np.linalg.norm(places - self.point, axis=1))
            case "far":
                return _spread(-np.linalg.norm(places - self.point, axis=1))
        return k


def _spread(measure: Floats) -> Floats:
    """A measure as places in an order: the least is 0, the greatest the number of units less 1."""
    low, span = measure.min(initial=np.inf), np.ptp(measure) if len(measure) else 0.0
    return np.zeros(len(measure)) if span < 1e-9 else (measure - low) / span * (len(measure) - 1)


def cadence_starts(cadence: Cadence, frames: Frames, units: Units) -> Floats:
    """(f or 1, u): the frame at which each unit starts, as the cadence stands at each frame."""
    frames = needed(cadence, frames)
    start, delay = sample(cadence.start, frames), sample(cadence.delay, frames)
    order, of_group = cadence_ranks(cadence, frames, units)
    most = order.max(axis=1, keepdims=True, initial=0.0)
    bend = sample(cadence.bend, frames)
    if bend.any():
        share = order / np.maximum(most, 1e-9)
        bent = np.array([pressed(b, share[k if len(share) > 1 else 0]) for k, b in enumerate(bend)])
        order = bent.reshape(len(frames), units.count) * most
    later = of_group * sample(cadence.group_delay, frames)[:, None]
    whole = sample(cadence.whole, frames)
    if whole.any():
        taken = sample(cadence.duration, frames) + np.abs(later).max(1, initial=0.0)
        room = np.maximum(whole - taken, 0) / np.maximum(most[:, 0], 1e-9)
        delay = np.where(whole > 0, room, delay)
    starts: Floats = start[:, None] + order * delay[:, None] + later
    for number, by in cadence.pulled.items():
        if int(number) < units.count:
            starts[:, int(number)] += sample(by, frames)
    if cadence.backward is not False and units.count:
        worked = np.array(choices(cadence.backward, frames), bool)
        lasts = np.array([cadence_end(cadence, float(frame)) for frame in frames])
        ends = starts.max(1) + lasts - start
        starts = starts - np.where(worked, ends, 0.0)[:, None]
    return starts


def cadence_reach(cadence: Cadence, frames: Frames, units: Units) -> Floats:
    """(f, u): from 1 to 0 for what arrives, from 0 to 1 for what leaves, there and back for what passes."""
    duration = sample(cadence.duration, needed(cadence, frames))[:, None]
    since = frames[:, None] - cadence_starts(cadence, frames, units)
    ways = choices(cadence.way, frames) if changes(cadence.way) else [sample_choice(cadence.way, 0.0)]

    def arriving(time: Floats) -> Floats:
        done = ease(cadence.ease, time)
        return np.subtract(1, done, out=done)

    found: dict[str, Floats] = {}
    for way in set(ways):
        if way == "leave":
            found[way] = arriving(1 - since / duration)
        elif way == "pass":
            back = since - duration - sample(cadence.stay, needed(cadence, frames))[:, None]
            found[way] = np.minimum(arriving(1 - since / duration), arriving(back / duration))
        else:
            found[way] = arriving(np.divide(since, duration, out=since) if len(set(ways)) == 1 else since / duration)
    if len(found) == 1:
        return next(iter(found.values()))
    return np.array([found[way][k] for k, way in enumerate(ways)])


def cadence_end(cadence: Cadence, frame: float) -> float:
    """How long after its start a unit is through, in frames."""
    at = np.array([frame])
    duration = float(sample(cadence.duration, at)[0])
    passes = sample_choice(cadence.way, frame) == "pass"
    return 2 * duration + float(sample(cadence.stay, at)[0]) if passes else duration


def zone_reach(zone: Zone, frames: Frames, units: Units) -> Floats:
    """(f, u): by the distance of each unit in the world from the zone."""
    share = np.empty((len(frames), units.count))
    everywhere = _measured(zone, frames, units)
    shapes, places, turns, sizes = (
        choices(zone.shape, frames),
        sample(zone.place, frames),
        sample(zone.turn, frames),
        np.abs(sample(zone.size, frames)),
    )
    run = sample(zone.run, frames)
    stays = not changes([zone.shape, zone.place, zone.turn, zone.size, zone.run]) and len(everywhere) == 1
    for k in range(1 if stays and len(frames) else len(frames)):
        world = everywhere[k if len(everywhere) > 1 else 0]
        local = (world - places[k]) @ turn_matrix(turns[k])
        outside = distances(shapes[k], sizes[k], local)
        # Without a run the border is a step: what lies on it is inside.
        share[k] = outside / run[k] if run[k] > 0 else (outside > 1e-9).astype(float)
    if stays and len(frames):
        share[:] = share[0]
    inside, beyond = sample(zone.inside, frames)[:, None], sample(zone.outside, frames)[:, None]
    return inside + (beyond - inside) * ease(zone.ease, share)


def _measured(zone: Zone, frames: Frames, units: Units) -> Floats:
    """(f or 1, u, 3): where units are for a zone."""
    measures = np.array(choices(zone.measures, needed(zone.measures, frames)))
    if units.moved is None or not (measures == "moved").any():
        return units.world()
    if (measures == "moved").all():
        return units.moved()
    return np.where((measures == "moved")[:, None, None], units.moved(), units.world())


def picture_reach(reach: Picture, frames: Frames, units: Units) -> Floats:
    """(f, u): by how bright a picture is where each unit rests; 0 without one."""
    if reach.picture is None:
        return np.zeros((len(frames), units.count))
    at = needed([reach.picture, reach.width, reach.middle, reach.tiling], frames)
    ids, tilings = choices(reach.picture, at), choices(reach.tiling, at)
    widths, middles = sample(reach.width, at), sample(reach.middle, at)
    rows = []
    for k in range(len(at)):
        shades = units.shades(str(ids[k]))
        high, wide = shades.shape[:2]
        u = (units.places[:, 0] - middles[k, 0]) / widths[k] + 0.5
        v = 0.5 - (units.places[:, 1] - middles[k, 1]) / (widths[k] * high / wide)
        rows.append(shaded(shades, u, v, tilings[k]))
    found = np.array(rows).reshape(len(at), units.count, 2)
    dark, bright = sample(reach.dark, frames)[:, None], sample(reach.bright, frames)[:, None]
    return np.asarray((dark + (bright - dark) * found[..., 0]) * found[..., 1])


def shaded(shades: Floats, u: Floats, v: Floats, tiling: str) -> Floats:
    """(n, 2) grey and alpha of a picture between its nearest pixels, at shares (n) of its width and height."""
    inside = np.ones(len(u), bool)
    if tiling == "once":
        inside = (u >= 0) & (u <= 1) & (v >= 0) & (v <= 1)
    elif tiling == "mirror":
        u, v = (1 - np.abs(1 - np.mod(w, 2)) for w in (u, v))
    high, wide = shades.shape[:2]
    x, y = u * wide - 0.5, v * high - 0.5
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    across, down = (x - left)[:, None], (y - top)[:, None]

    def pixel(dx: int, dy: int) -> Floats:
        if tiling == "repeat":
            return np.asarray(shades[(top + dy) % high, (left + dx) % wide])
        return np.asarray(shades[np.clip(top + dy, 0, high - 1), np.clip(left + dx, 0, wide - 1)])

    upper = pixel(0, 0) * (1 - across) + pixel(1, 0) * across
    lower = pixel(0, 1) * (1 - across) + pixel(1, 1) * across
    return np.asarray((upper * (1 - down) + lower * down) * inside[:, None])


def passage_reach(reach: Passage, frames: Frames, units: Units) -> Floats:
    """(f, u): from 0 to 1 as the passage goes from 0 to 1, by the place of each unit in the order."""
    rank = _passing(reach, frames, units)
    each, passed = sample(reach.each, frames)[:, None], sample(reach.passed, frames)[:, None]
    return ease(reach.ease, np.clip((passed - rank * (1 - each)) / each, 0, 1))


def _passing(reach: Passage, frames: Frames, units: Units) -> Floats:
    """(f or 1, u): when in the order each unit goes, 0 to 1."""
    count = max(units.count - 1, 1)
    named = [reach.order, reach.along, reach.point, reach.rough]
    at = needed([*named, reach.picture, reach.width, reach.middle, reach.grain], frames)
    drawn = hashed(seed_of("passage", reach.shuffle), np.arange(units.count))
    along, point, rough = sample(reach.along, at), sample(reach.point, at), sample(reach.rough, at)
    found = np.zeros((max(len(at), 1), units.count))
    for k, name in enumerate(choices(reach.order, at)):
        if name == "picture":
            found[k] = 1 - picture_reach(_shown(reach), at[k : k + 1], units)[0]
        elif name == "noise":
            places = units.places / float(sample(reach.grain, at[k : k + 1])[0])
            found[k] = _spread(cloud(places, seed_of("patches", reach.shuffle))) / count
        else:
            found[k] = _Order(reach.shuffle, along[k], point[k]).of(name, units.places) / count
        most = found[k].max(initial=0.0)
        found[k] = found[k] / most if most > 0 else found[k]
        found[k] = found[k] + rough[k] * (drawn - found[k])
    return found


def _shown(reach: Passage) -> Picture:
    return Picture(picture=reach.picture, width=reach.width, middle=reach.middle)


def cloud(places: Floats, seed: int) -> Floats:
    """(n) values at places (n, 3), smooth over about 1: chance at the corners of a grid, blended by a quintic (Perlin,
    Improving Noise, SIGGRAPH 2002)."""
    cell = np.floor(places).astype(np.int64)
    at = places - cell
    share = at * at * at * (at * (at * 6 - 15) + 10)
    found = np.zeros(len(places))
    for corner in np.ndindex(2, 2, 2):
        where = cell + np.array(corner)
        key = (where[:, 0] * 73_856_093) ^ (where[:, 1] * 19_349_663) ^ (where[:, 2] * 83_492_791)
        weight = np.where(np.array(corner) > 0, share, 1 - share).prod(1)
        found += weight * hashed(seed, key)
    return found


def swing_starts(swing: Swing | DrumStep, frames: Frames, units: Units) -> Floats:
    """(f or 1, u): the frame at which a swing begins with each unit."""
    start, delay = sample(swing.start, frames), sample(swing.delay, frames)
    return np.asarray(start[:, None] + ranks(swing, frames, units) * delay[:, None])


def swing_reach(swing: Swing, frames: Frames, units: Units, fps: float) -> Floats:
    """(f, u): the free motion of a damped oscillator that is let go at 1, brought to 0 exactly when it should settle.

    A cos² of the last third of its time takes what is left away; what a damping near 1 leaves is nothing to see.
    """
    settle = sample(swing.settle, frames)[:, None]
    since = frames[:, None] - swing_starts(swing, frames, units)
    seconds = np.maximum(since, 0) / fps
    omega = 2 * np.pi * sample(swing.tempo, frames)[:, None]
    ratio = np.minimum(sample(swing.damping, frames)[:, None], 1 - 1e-9)
    ringing = omega * np.sqrt(1 - ratio**2)
    decay = np.exp(-ratio * omega * seconds)
    free = decay * (np.cos(ringing * seconds) + ratio * omega / ringing * np.sin(ringing * seconds))
    late = np.clip((since / settle - 2 / 3) * 3, 0, 1)
    found: Floats = np.where(since >= settle, 0.0, free * np.cos(late * np.pi / 2) ** 2)
    return np.where(since <= 0, 1.0, found)


def _noise(noise: Noise, frames: Frames, units: Units, fps: float, seed: int) -> Floats:
    tempo, grain = sample(noise.tempo, frames), sample(noise.grain, frames)
    low, high = sample(noise.low, frames)[:, None], sample(noise.high, frames)[:, None]
    seeds = np.array([seed_of(seed, noise.seed, k) for k in range(units.count)], np.uint64)
    moving = smooth_noise(seeds, (tempo * frames / fps)[:, None] + phases(seeds))
    if grain.any():
        # Neighbours read one and the same noise at places that lie as close as they do.
        alike = smooth_noise(
            seed_of(seed, noise.seed),
            units.places[None, :, 0] / np.maximum(grain, 1e-6)[:, None] + (tempo * frames / fps)[:, None],
        )
        moving = np.where(grain[:, None] > 0, alike, moving)
    return np.asarray(low + (high - low) * (0.5 + 0.5 * moving))
