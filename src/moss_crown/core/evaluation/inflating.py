"""Letters of a shot that gas fills: the foils of a block, what is asked of them, and where their vertices are."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.cache import Cache, address
from moss_crown.core.document.inflate import InflateStep
from moss_crown.core.evaluation.setting import Block, Structure, form_of_letter
from moss_crown.core.evaluation.solids import letter_solid, solid_address
from moss_crown.core.form.division import Division, divided, division
from moss_crown.core.form.mesh import Solid
from moss_crown.core.motion.moving import filled, filling, rest_of
from moss_crown.core.physics.balloons import CHUNK, STOPS, Asked, Balloons, Stretch, Track, track
from moss_crown.core.physics.foil import Foil, foils, seams_of
from moss_crown.core.stage.staging import floor_below, wall_behind
from moss_crown.core.type.layout import Letter
from moss_crown.core.values.curves import smooth
from moss_crown.core.values.sampling import Frames, sample

if TYPE_CHECKING:
    from moss_crown.core.evaluation.whereabouts import Whereabouts

Floats = NDArray[np.float64]
EDGES = {"coarse": 0.075, "usual": 0.045, "fine": 0.03}
"""Of the meshes of foils, in cap heights."""
SKETCH = 0.13
"""Of the meshes of a sketch, in cap heights."""
MOST_VERTICES = 60_000
"""Of the foils of a block: where letters would have more, their edges get longer."""
LEAD = 3.4
"""Seconds before a shot in which letters fill that are full at its beginning, and the time that takes at first:"""
LEAD_FILLS = 1.0
AFTER = 60.0
"""Seconds after its beginning nothing is solved any more; fewer where a track would take more memory than this:"""
TRACK_BYTES = 160 * 1024 * 1024
PARTY = 6.0
"""The pressure of a party balloon: in foil of which a square cap height weighs 1, and second and cap height as
units."""
FOIL, RUBBER = 3_000.0, 4.0
"""How stiff foil is, and rubber."""
LIMP, STIFFEST = 1e-6, 1e-2
TIGHTEST = 100.0
"""Radians a second, of letters that are held to their own shape as tightly as may be."""
HEAVY = 0.6
"""Cap heights a square second, of a weight of 1."""
OVERSHOOT = 0.06
"""Cap heights: so deep letters may stand in a floor that holds them, as round ones do."""
ROUND = 0.05
"""Cap heights that a vertex of a letter has gone where the whole letter is taken to be round."""


@dataclass(frozen=True)
class Foils:
    """The foils of a block's letters: those of which there is something, by their numbers; their solids, with edges so
    long (cap heights), and the addresses of these; and all of them together, in the space of the block at rest."""

    letters: NDArray[np.int64]
    solids: tuple[Solid, ...]
    edge: float
    names: tuple[str, ...]
    foil: Foil


@dataclass(frozen=True)
class Inflated:
    """A block whose letters gas fills: its foils, and the frame of the block's clock, which is `late`, at which that
    begins. `track` answers where they are at least until so many frames after that, of which there are at `most` so
    many. `size` is the cap height; `back` (k, 3, 4) leads from the block into the letters' own spaces. `ends`: the
    frame of the shot after which nothing is solved, though something is asked for; None where all is. `sketch_of` is
    what it stands for until that is known."""

    foils: Foils
    begin: float
    late: float
    track: Callable[[int], Track]
    most: int
    size: float
    back: Floats
    cache: Cache
    ends: float | None = None
    sketch_of: Inflated | None = None

    @cached_property
    def letters(self) -> list[int]:
        """The letters of the block of which there is a foil, in the order of these."""
        return [int(letter) for letter in self.foils.letters]

    def first(self, place: int) -> tuple[int, int]:
        """The first vertex of a foil among those of all, and the one after its last."""
        begin, end = self.foils.foil.first[place : place + 2, 0].tolist()
        return begin, end

    def place(self, letter: int) -> int | None:
        """Which foil a letter of the block is; None for one of which there is nothing."""
        return self.letters.index(letter) if letter in self.letters else None

    def _since(self, frames: float | Frames) -> Frames:
        """How long after the beginning frames of the shot are, between that and its end."""
        return np.asarray(np.clip(frames - self.late - self.begin, 0, self.most))

    def _at(self, frame: float, place: int) -> Floats:
        """(n, 3) vertices of a foil at a frame of the shot, in the block; between whole frames straight."""
        since = float(self._since(frame))
        before = math.floor(since)
        found = self.track(math.ceil(since))
        own = slice(*self.first(place))
        here = found.at(before)[own].astype(np.float64)
        if since == before:
            return here
        return np.asarray(here + (since - before) * (found.at(before + 1)[own] - here))

    def at(self, frame: float, letter: int) -> Floats | None:
        """(n, 3) the vertices of a letter at a frame of the shot, in its own space, metres; None while it is as it
        rests."""
        place = self.place(letter)
        if place is None:
            return None
        found = self._at(frame, place)
        if np.array_equal(found, self.foils.foil.home[slice(*self.first(place))].astype(np.float32)):
            return None
        return _placed(found * self.size, self.back[place])

    def boxed(self, poses: Floats, frames: Frames) -> Floats:
        """Poses (f, l, 4, 4) that put the boxes of letters at rest around them as they are at frames of the shot;
        between whole frames those go straight."""
        found = poses.copy()
        since = self._since(frames)
        if not len(since) or since.max() <= 0:
            return found
        track = self.track(math.ceil(float(since.max())))
        home = self._boxes(self.foils.foil.home.astype(np.float32)[None])
        every = np.concatenate([home, *(self._boxes_of(stretch) for stretch in track.chunks)])
        before = np.minimum(np.floor(since).astype(np.int64), len(every) - 1)
        after = np.minimum(before + 1, len(every) - 1)
        there = every[before] + (since - np.floor(since))[:, None, None, None] * (every[after] - every[before])
        by = (there[:, :, 1] - there[:, :, 0]) / np.maximum(home[:, :, 1] - home[:, :, 0], 1e-9)
        fitted = np.zeros((*by.shape[:2], 4, 4))
        fitted[..., 3, 3] = 1
        for axis in range(3):
            fitted[..., axis, axis] = by[..., axis]
        fitted[..., :3, 3] = there[:, :, 0] - by * home[:, :, 0]
        own = self.foils.letters
        found[:, own] = poses[:, own] @ fitted
        still = (there == home).all((2, 3))
        found[:, own] = np.where(still[..., None, None], poses[:, own], found[:, own])
        return found

    def address(self, stretch: Stretch) -> str:
        """Of a chunk of the track as letters have it in their own spaces: these may be others than it was solved
        for."""
        return address(stretch.key, self.size, self.back.tobytes())

    def _boxes_of(self, stretch: Stretch) -> Floats:
        key = address("boxes", self.address(stretch))
        return self.cache.get(key, lambda: self._boxes(stretch.places), lambda boxes: boxes.nbytes)

    def _boxes(self, places: NDArray[np.float32]) -> Floats:
        """(f, k, 2, 3): the lowest and the highest corners of letters in their own spaces, of places (f, n, 3)."""
        found = np.empty((len(places), len(self.back), 2, 3))
        for place, back in enumerate(self.back):
            there = _placed(places[:, slice(*self.first(place))].astype(np.float64) * self.size, back)
            found[:, place, 0], found[:, place, 1] = there.min(1), there.max(1)
        return found

    def known(self, last: float) -> Track:
        """Where all foils are until a frame of the shot, as far as that is solved."""
        return self.track(self._wanted(last))

    def _wanted(self, last: float) -> int:
        return math.ceil(float(self._since(last)))

    def until(self, last: float) -> float:
        """The frame of the shot until which all is known that is asked for until its last one."""
        if self.sketch_of is not None:
            return self.sketch_of.until(last)
        wanted = self._wanted(last)
        solved = self.track(wanted).solved
        return last if solved >= wanted else self.begin + self.late + solved

    def offsets(self, stretch: Stretch) -> tuple[Floats, Floats]:
        """Of a chunk of the track, how far vertices are from where they rest (f, n, 3), each in its letter's own space,
        metres; and how round letters are there (f, k)."""
        home = self.foils.foil.home
        way = (stretch.places - home.astype(np.float32)).astype(np.float64) * self.size
        round = np.zeros((len(way), len(self.back)))
        for place, back in enumerate(self.back):
            own = slice(*self.first(place))
            way[:, own] = (way[:, own, None, :] * back[:, :3]).sum(-1)
            round[:, place] = self._round(way[:, own])
        return way, round

    def rest(self, near: float) -> Floats:
        """(k): the shot's frame from which no vertex of a foil is farther than so many cap heights from where it ends,
        as far as that is solved."""
        found = self.known(math.inf)
        ends = found.at(found.solved)
        rest = np.full(len(self.back), self.begin + self.late)
        for frame in range(found.solved - 1, -1, -1):
            way = found.at(frame) - ends
            far = (way * way).sum(1)
            for place in range(len(rest)):
                own = slice(*self.first(place))
                if rest[place] == self.begin + self.late and float(far[own].max(initial=0.0)) > near * near:
                    rest[place] += frame + 1
            if (rest > self.begin + self.late).all():
                break
        return rest

    def solid(self, letter: int) -> Solid:
        """That of a letter at rest, as dense as its foil."""
        place = self.place(letter)
        assert place is not None
        return self.foils.solids[place]

    def divided(self, letter: int) -> tuple[Division, Solid, str]:
        """How the mesh of a letter is divided for pictures, its solid at rest so divided, and what that is known by."""
        place = self.place(letter)
        assert place is not None
        solid, key = self.foils.solids[place], address("divided", self.foils.names[place])

        def made() -> tuple[Division, Solid]:
            by = division(solid.triangles, len(solid.vertices))
            return by, divided(solid, by)

        return *self.cache.get(key, made, lambda one: 8 * one[1].triangles.nbytes), key

    def roundness(self, letter: int, places: Floats) -> float:
        """How round a letter is whose vertices are at places (n, 3): 0 as it rests, 1 as soon as it has swollen."""
        return float(self._round(places - self.solid(letter).vertices))

    def _round(self, way: Floats) -> Floats:
        """(...): how round letters are whose vertices have gone ways (..., n, 3)."""
        return smooth(0, ROUND * self.size, np.sqrt((way * way).sum(-1).max(-1, initial=0.0)))


def _placed(places: Floats, rows: Floats) -> Floats:
    """Places (..., 3) by rows (3, 4) of a matrix, one by one: with the same bits on every machine."""
    return np.asarray(
        places[..., :1] * rows[:, 0] + places[..., 1:2] * rows[:, 1] + places[..., 2:] * rows[:, 2] + rows[:, 3]
    )


def inflated(of: Whereabouts, structure: Structure, number: int) -> Inflated | None:
    """What gas makes of the letters of the `number`-th block of a structure; None where no step fills them."""
    block, company = structure.blocks[number], of.company(structure, number)
    step = filling(company)
    if step is None or block.cutting is not None or not block.letters:
        return None
    return of.once_for(structure, ("inflated", number), lambda: _as_known(of, structure, number, step))


def _as_known(of: Whereabouts, structure: Structure, number: int, step: InflateStep) -> Inflated | None:
    """Solved as finely as is asked for; while that is not known as far as the shot goes, and nobody waits for it, as a
    coarse sketch, which is there at once."""
    found = _inflated(of, structure, number, step, EDGES[step.fine])
    if found is None or of.goes_on is None or not found.known(of.shot.last).given_up:
        return found
    sketch = _inflated(of, structure, number, step, max(SKETCH, EDGES[step.fine]), sketched=True)
    return sketch and replace(sketch, sketch_of=found)


def _inflated(
    of: Whereabouts, structure: Structure, number: int, step: InflateStep, edge: float, sketched: bool = False
) -> Inflated | None:
    shot, block, company = of.shot, structure.blocks[number], of.company(structure, number)
    fps = float(shot.fps.fraction)
    foils = _meshed(of.cache, block, step, edge)
    if foils is None:
        return None
    first = shot.first - block.member.late
    asked_at = np.arange(first, shot.last + 2 - min(block.member.late, 0), dtype=np.float64)
    of_letters = filled(company, step, asked_at)
    strength, pressure = of_letters.strength[:, foils.letters], of_letters.pressure[:, foils.letters]
    some = np.flatnonzero(strength.any(1))
    if not len(some):
        return None
    lead = math.ceil(LEAD * fps) if strength[0].any() else 0
    begun = 0 if lead else max(0, int(some[0]) - 1)
    begin = float(asked_at[begun]) - lead
    at = np.concatenate([np.full(lead, asked_at[0]), asked_at[begun:]])
    ramp = smooth(0, max(1, math.ceil(LEAD_FILLS * fps)), np.arange(lead, dtype=np.float64))[:, None]
    strength = np.concatenate([ramp * strength[:1], strength[begun:]])
    pressure = PARTY * np.concatenate([np.repeat(pressure[:1], lead, 0), pressure[begun:]])
    stretch, stiff = sample(step.stretch, at), sample(step.stiff, at)
    weight = np.zeros((len(at), 3))
    weight[:, 1] = -HEAVY * sample(step.weight, at)
    hold = sample(step.hold, at)
    asked = Asked(
        strength,
        pressure,
        1 + sample(step.wrinkles, at),
        _between(FOIL, RUBBER, stretch),
        _between(LIMP, STIFFEST, stiff),
        TIGHTEST * hold * hold,
        weight,
    )
    highest = float((strength * pressure).max())
    balloons = Balloons(
        foils.foil,
        fps,
        _planes(of, structure, number, foils.foil) if step.grounds else np.zeros((0, 4)),
        2.0 ** math.ceil(math.log2(max(highest, 1e-3))),
        math.ceil(float(asked.grow.max()) * 20) / 20,
        step.touch,
    )
    news = ~asked.same()
    last_news = len(at) - 1 - np.argmax(news[::-1], 0)
    most = min(round(AFTER * fps), max(CHUNK, TRACK_BYTES // (12 * max(1, len(foils.foil.home)))))
    settled = int(last_news.max(initial=0)) + math.ceil(STOPS * fps) + 2
    asked = asked.longer(settled + CHUNK)
    longest: list[Track] = []

    def until(frames: int) -> Track:
        """At least so many frames, unless nobody waits for them."""
        frames = CHUNK * math.ceil(min(frames, settled, most) / CHUNK)
        known = longest[-1] if longest else None
        if known is None or (known.solved < frames and not known.given_up):
            known = track(balloons, asked, frames, of.cache, None if sketched else of.goes_on)
            longest[:] = [known]
        return known

    rest = rest_of(block.setting)[foils.letters]
    back = np.asarray(np.linalg.inv(rest)[:, :3], np.float64)
    return Inflated(
        foils,
        begin,
        block.member.late,
        until,
        min(most, settled),
        block.setting.size,
        back,
        of.cache,
        begin + block.member.late + most if settled > most else None,
    )


def _address(letter: Letter, block: Block, edge: float) -> str:
    form = form_of_letter(letter, block.form)
    size = edge * block.setting.size
    return solid_address(letter.glyphs, letter.family, letter.axes, letter.unit, form, size)


def _between(low: float, high: float, share: Floats) -> Floats:
    # Rounded: the last bit of a power is not the same on every machine, and a balloon shows it.
    return np.asarray(low * np.round((high / low) ** share, 9))


def _meshed(cache: Cache, block: Block, step: InflateStep, edge: float) -> Foils | None:
    """The letters of a block with edges so long, in cap heights, or longer."""
    size = float(block.setting.size)
    solids: dict[int, Solid] = {}
    for k, letter in enumerate(block.letters):
        form = form_of_letter(letter, block.form)
        made = letter_solid(letter.glyphs, letter.family, letter.axes, letter.unit, form, cache, edge * size)
        if len(made.triangles):
            solids[k] = made
    count = sum(len(solid.vertices) for solid in solids.values())
    if count > MOST_VERTICES:
        return _meshed(cache, block, step, edge * 1.1 * math.sqrt(count / MOST_VERTICES))
    if not solids:
        return None
    rest = rest_of(block.setting)[list(solids)]
    names = tuple(_address(block.letters[k], block, edge) for k in solids)

    def joined() -> Foil:
        parts = []
        for at, solid in zip(rest, solids.values(), strict=True):
            seam = seams_of(solid) if step.seam == "borders" else np.zeros(len(solid.vertices), np.bool_)
            parts.append((_placed(solid.vertices, at[:3]) / size, solid.triangles, seam))
        return foils(parts)

    key = address("foils", names, rest.tobytes(), size, step.seam)
    foil: Foil = cache.get(key, joined, lambda foil: 400 * len(foil.home))
    return Foils(np.array(list(solids)), tuple(solids.values()), edge, names, foil)


def _planes(of: Whereabouts, structure: Structure, number: int, foil: Foil) -> Floats:
    """(k, 4): floor and wall as a block at rest sees them at the last frame, in cap heights; those that letters at rest
    are in front of."""
    shot, block = of.shot, structure.blocks[number]
    rest = of.resting(structure, shot.last).poses[number]
    place = rest[0] @ np.linalg.inv(rest_of(block.setting)[0])
    found = []
    for normal, far in (
        (np.array([0.0, 1.0, 0.0]), floor_below(shot, shot.last)),
        (np.array([0.0, 0.0, 1.0]), wall_behind(shot, shot.last, solid=True)),
    ):
        if not math.isfinite(far) or abs(far) > 1e5:
            continue
        way = place[:3, :3].T @ normal * block.setting.size
        long = math.sqrt(float((way * way).sum()))
        if long < 1e-9:
            continue
        row = np.array([*(way / long), (far - float(normal @ place[:3, 3])) / long])
        home = foil.home
        lowest = float((home[:, 0] * row[0] + home[:, 1] * row[1] + home[:, 2] * row[2]).min(initial=math.inf))
        if lowest >= row[3] - OVERSHOOT:
            found.append(np.round([*row[:3], min(row[3], lowest)], 9))
    return np.array(found).reshape(-1, 4)
