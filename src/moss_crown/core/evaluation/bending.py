"""Letters that deformers bend: meshes as dense as that needs, and where their vertices are while a shutter is open."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.cache import Cache, address
from moss_crown.core.deform.chain import at_rest, bent, turned
from moss_crown.core.deform.density import fine_enough, with_edges
from moss_crown.core.deform.rows import CURVE, FELT, KIND, KINDS, ROW, RUN, ZONE
from moss_crown.core.evaluation.inflating import Inflated
from moss_crown.core.evaluation.seen import camera
from moss_crown.core.evaluation.setting import Structure
from moss_crown.core.evaluation.solids import pixel
from moss_crown.core.evaluation.whereabouts import Whereabouts
from moss_crown.core.form.mesh import Solid
from moss_crown.core.motion.moving import Moved
from moss_crown.core.stage.scene import Bent
from moss_crown.core.values.sampling import Frames

Floats = NDArray[np.float64]
STATES = 33
"""At so many frames of a shot it is looked at how letters are bent, for meshes that serve them all."""
CHORD_PIXELS = 0.2
"""No edge of a mesh lies farther than this from the curve that it stands for."""
WAY_PIXELS = 0.3
"""No vertex lies farther than this from its way while a shutter is open, over all of which it is smeared."""
COARSEST = 0.1
"""Metres, for letters that are far away or not seen."""
TIMES = (2, 3, 5, 9, 17)
"""So many even times of the shutter a letter can have vertices at."""
MOST_TRIANGLES = 150_000
"""Of a letter."""
ENOUGH = 9
"""States that a letter's mesh is made for, spread evenly over all that it goes through."""


@dataclass(frozen=True)
class SoftSolid:
    """A solid dense enough to be bent, and its corner normals without their repetitions: `at` (u) the vertex of each,
    `normals` (u, 3), and which of them each corner has (m, 3)."""

    solid: Solid
    at: NDArray[np.int64]
    normals: Floats
    corner: NDArray[np.int64]


@dataclass(frozen=True)
class Bending:
    """How the letters of a structure are bent: rows (l, k, ROW) at all TIMES[-1] moments of a shutter, or at one where
    they stay, (t, l, k, ROW); a frame later, where that is asked for; and at STATES frames of the shot (s, l, k, ROW).
    `soft` (l): whether a letter is ever bent. `loose`: where pieces of letters then are, at the same moments. `full`:
    the letters that gas fills then, by their numbers."""

    rows: Floats
    later: Floats | None
    states: Floats
    soft: NDArray[np.bool_]
    loose: Loose | None
    full: Mapping[int, Swollen]


@dataclass(frozen=True)
class Swollen:
    """A letter of a block that gas fills: its number there, at moments (t), and at one a frame later where that is
    asked for."""

    of: Inflated
    letter: int
    moments: Frames
    later: float | None = None

    def base(self, k: int | None = None) -> tuple[Floats, float]:
        """The vertices (n, 3) of its divided mesh at the k-th of its moments, or a frame later, before anything bends
        it, and how round it is, 0 to 1."""
        frame = self.later if k is None else float(self.moments[k])
        by, solid, _ = self.of.divided(self.letter)
        found = None if frame is None else self.of.at(frame, self.letter)
        if found is None:
            return solid.vertices, 0.0
        round = self.of.roundness(self.letter, found)
        return by.mixed(found, round), round

    def dense(self) -> SoftSolid:
        """Its divided solid at rest."""
        _, solid, key = self.of.divided(self.letter)
        return self.of.cache.get(
            address("cornered", key), lambda: with_corners(solid), lambda s: s.normals.nbytes + s.corner.nbytes
        )


def swollen_at(
    of: Whereabouts, structure: Structure, moments: Frames, later: float | None = None
) -> dict[int, Swollen]:
    """The letters of a structure that are not as they rest at any of some moments, by their numbers."""
    found, begin = {}, 0
    for number, block in enumerate(structure.blocks):
        full = of.inflated(structure, number)
        for k in range(len(block.letters)) if full is not None else ():
            if full is not None and any(full.at(float(frame), k) is not None for frame in moments):
                found[begin + k] = Swollen(full, k, moments, later)
        begin += len(block.letters)
    return found


def _alike(full: Mapping[int, Swollen]) -> bool:
    """Do letters that gas fills stay as they are?"""
    for one in full.values():
        first, *others = (one.of.at(float(frame), one.letter) for frame in one.moments)
        if any(other is None or first is None or not np.array_equal(first, other) for other in others):
            return False
    return True


@dataclass(frozen=True)
class Loose:
    """Where pieces of letters are at moments, beside where they are at home (t, p, 3, 4), and a frame later, where that
    is asked for; by which number the pieces of each letter begin (l + 1), and of which letters any is away (l)."""

    ways: Floats
    later: Floats | None
    first: NDArray[np.int64]
    broken: NDArray[np.bool_]

    def of(self, letter: int) -> tuple[Floats, Floats | None]:
        """The ways (t, p, 3, 4) of a letter's own pieces, and those a frame later."""
        own = slice(self.first[letter], self.first[letter + 1])
        return self.ways[:, own], None if self.later is None else self.later[own]


def loose_at(blocks: Sequence[Moved], frames: int) -> tuple[Floats, NDArray[np.int64], NDArray[np.bool_]]:
    """Where the pieces of the letters of all blocks are (f, p, 3, 4), by which number those of each letter begin
    (l + 1), and which letters are whole (f, l)."""
    ways, counts, whole = [np.zeros((frames, 0, 3, 4))], [np.zeros(1, np.int64)], [np.ones((frames, 0), np.bool_)]
    for block in blocks:
        letters = block.poses.shape[1]
        if block.apart is None:
            counts.append(np.zeros(letters, np.int64))
            whole.append(np.ones((frames, letters), np.bool_))
            continue
        ways.append(block.apart.ways)
        counts.append(np.bincount(block.apart.pieces.of, minlength=letters))
        whole.append(block.apart.whole)
    return np.concatenate(ways, 1), np.cumsum(np.concatenate(counts)), np.concatenate(whole, 1)


def away_of(blocks: Sequence[Moved], frames: int) -> Floats:
    """(f, l): the share of the pieces of each letter of all blocks that are away."""
    parts = [np.zeros(b.poses.shape[:2]) if b.apart is None else b.apart.away for b in blocks]
    return np.concatenate([np.zeros((frames, 0)), *parts], 1)


def bending(of: Whereabouts, structure: Structure, moments: Frames, motion: bool) -> Bending | None:
    """For moments from the opening of a shutter to its end; None where nothing is ever bent or in pieces. With `motion`
    also a frame after the opening."""
    if not of.bends and not structure.cut and not of.swells:
        return None
    begin, end = float(moments[0]), float(moments[-1])
    at = np.linspace(begin, end, 3 if end > begin else 1)
    full = swollen_at(of, structure, at, begin + 1 if motion else None)
    blocks = of.moved(structure, at)
    rows, (ways, first, whole) = bends_of(blocks, len(at)), loose_at(blocks, len(at))
    if (rows == rows[:1]).all() and (ways == ways[:1]).all() and _alike(full):
        rows, ways = rows[:1], ways[:1]
    else:
        at = np.linspace(begin, end, TIMES[-1])
        blocks = of.moved(structure, at)
        rows, (ways, _, whole) = bends_of(blocks, len(at)), loose_at(blocks, len(at))
    broken = np.asarray(~whole.all(0))
    full = {k: replace(one, moments=at[: len(rows)]) for k, one in full.items()}
    after = np.array([begin + 1])
    blocks = of.moved(structure, after) if motion else []
    later = bends_of(blocks, 1) if motion and of.bends else None
    loose = Loose(ways, loose_at(blocks, 1)[0][0] if motion else None, first, broken) if broken.any() else None
    if not of.bends:
        if loose is None and not full:
            return None
        return Bending(rows, later, rows, np.zeros(len(broken), np.bool_), loose, full)
    states = _states(of, structure, STATES)
    soft = np.array([not at_rest(np.concatenate([states[:, k], rows[:, k]])) for k in range(states.shape[1])], np.bool_)
    return Bending(rows, later, states, soft, loose, full)


def _states(of: Whereabouts, structure: Structure, count: int) -> Floats:
    """(s, l, k, ROW) the rows of all letters at so many frames of the shot, from the first to the last."""
    return rows_at(of, structure, np.unique(np.linspace(of.shot.first, of.shot.last, count)))


def rows_at(of: Whereabouts, structure: Structure, frames: Frames) -> Floats:
    """(f, l, k, ROW) the rows of all letters of a structure at frames."""
    return bends_of(of.moved(structure, frames), len(frames))


def bends_of(blocks: Sequence[Moved], frames: int) -> Floats:
    """(f, l, k, ROW) the rows of the letters of all blocks, as many for each as any has; none where nothing bends."""
    most = max((block.bends.shape[2] for block in blocks if block.bends is not None), default=0)
    found = [np.zeros((frames, 0, most, ROW))]
    for block in blocks:
        wide = np.zeros((frames, block.poses.shape[1], most, ROW))
        if block.bends is not None:
            wide[:, :, : block.bends.shape[2]] = block.bends
        found.append(wide)
    return np.concatenate(found, 1)


def kinds_of(rows: Floats) -> list[str]:
    """The kinds of deformers that are among rows."""
    there = set(np.unique(rows[..., KIND]).tolist())
    return [kind for kind, number in KINDS.items() if number in there] + [FELT] * (ZONE in there)


def soft_solid(solid: Solid, key: str, states: Floats, tolerance: float, cache: Cache) -> SoftSolid:
    """A letter's solid, known by a key, dense enough for all states (s, k, ROW): to a tolerance in metres, of which
    only the power of two counts, so that a camera that moves asks for few."""
    step = 2.0 ** math.floor(math.log2(max(tolerance, 1e-9)))
    own = np.unique(states, axis=0)
    own = own[[not at_rest(rows) for rows in own]]
    own = own[np.unique(np.linspace(0, max(len(own) - 1, 0), ENOUGH).round().astype(int))] if len(own) else own

    def dense() -> SoftSolid:
        edge = swept(solid.vertices[:: max(1, len(solid.vertices) // 64)], own, step)
        even = with_edges(solid, edge, MOST_TRIANGLES) if edge < math.inf else solid
        return with_corners(fine_enough(even, list(own), step, MOST_TRIANGLES))

    return cache.get(
        address("soft", key, own.tobytes(), step),
        dense,
        lambda s: s.solid.vertices.nbytes + s.solid.normals.nbytes + s.solid.triangles.nbytes + 3 * s.corner.nbytes,
    )


def swept(points: Floats, states: Floats, tolerance: float) -> float:
    """How long edges of a letter may be, in metres, wherever the border of a zone passes that its points feel, for
    points (n, 3) and states (s, k, ROW); endless where zones stay, whose borders are looked at where they lie.

    A displacement d under an ease over a run r has a second derivative of at most 6 d / r^2 (that of 3 s^2 - 2 s^3),
    and a chord is off by an eighth of that times its length squared. Shorter than a fifth of a run no edge needs to be.
    """
    feels = np.isin(states[..., KIND], (ZONE, CURVE))[..., None]
    moving = np.where(feels, states, 0.0)
    zones = moving[..., KIND] == ZONE
    if not zones.any() or (moving == moving[:1]).all():
        return math.inf
    whole = np.where(feels, 0.0, states)
    far = max(float(np.sqrt(np.square(bent(rows, points) - points).sum(1)).max()) for rows in whole)
    run = float(states[..., RUN][zones].min())
    return max(run / 5, run * math.sqrt(8 * tolerance / (6 * max(far, 1e-9))))


def with_corners(solid: Solid) -> SoftSolid:
    """A solid that is dense already."""
    vertex = solid.triangles.reshape(-1)
    normals = np.ascontiguousarray(solid.normals.reshape(-1, 3))
    keys = np.concatenate([vertex[:, None].astype(np.int64), normals.view(np.int32).astype(np.int64)], 1)
    _, first, corner = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    return SoftSolid(solid, vertex[first], normals[first].astype(np.float64), corner.reshape(-1, 3))


def flown(ways: Floats, of: NDArray[np.int32], places: Floats) -> Floats:
    """Places (n, 3) of the pieces (n) that they are of, by the ways (p, 3, 4) of these."""
    own = ways[of]
    found = own[:, :, 0] * places[:, :1] + own[:, :, 1] * places[:, 1:2] + own[:, :, 2] * places[:, 2:]
    return np.asarray(found + own[:, :, 3])


def flown_normals(ways: Floats, of: NDArray[np.int32], normals: Floats) -> Floats:
    """Unit normals (n, 3) of pieces (n), by the ways (p, 3, 4) of these."""
    a, b, c = ways[:, :, 0], ways[:, :, 1], ways[:, :, 2]
    own = np.stack([np.cross(b, c), np.cross(c, a), np.cross(a, b)], 2)[of]
    found = own[:, :, 0] * normals[:, :1] + own[:, :, 1] * normals[:, 1:2] + own[:, :, 2] * normals[:, 2:]
    return np.asarray(found / np.maximum(np.sqrt(np.square(found).sum(1, keepdims=True)), 1e-30))


def bent_solid(
    soft: SoftSolid,
    rows: Floats,
    later: Floats | None,
    tolerance: float,
    ways: Floats | None = None,
    ways_later: Floats | None = None,
    full: Swollen | None = None,
) -> Bent:
    """Where the vertices of a letter are, or of one that is `full`, by its rows (t, k, ROW), and then by the ways of
    its pieces (t, p, 3, 4), at even moments of a shutter: at as many of these as keep every vertex within a tolerance
    (metres) of its way. `later` are rows, and `ways_later` ways, a frame after the first moment."""
    last = len(rows) - 1
    known: dict[int, _Moment] = {}

    def at(k: int) -> _Moment:
        if k not in known:
            known[k] = _moment(soft, rows[k], None if ways is None else ways[k], full.base(k) if full else None)
        return known[k]

    chosen = [0]
    if last:
        early, half, late = (at(k).places for k in (0, last // 2, last))
        if not (np.array_equal(early, half) and np.array_equal(half, late)):
            short = float(np.sqrt(np.square(half - (early + late) / 2).sum(1).max(initial=0.0)))
            wanted = 1 + math.ceil(math.sqrt(short / tolerance))
            count = next((times for times in TIMES if times >= wanted), TIMES[-1])
            chosen = list(range(0, last + 1, max(1, last // (count - 1))))
    there = [at(k).places for k in chosen]
    normals = [_normals(soft, at(k)) for k in chosen]
    after = None
    if later is not None or ways_later is not None or (full is not None and full.later is not None):
        rows_later = np.zeros((0, ROW)) if later is None else later
        after = _moment(soft, rows_later, ways_later, full.base() if full else None).places.astype(np.float32)
    return Bent(np.array(there, np.float32), np.array(normals, np.float32)[:, soft.corner], after)


@dataclass(frozen=True)
class _Moment:
    """A letter at a moment: where its vertices are before (n, 3), and how round gas makes it, its rows (k, ROW), where
    they bend its vertices to (n, 3), the ways of its pieces if it is in pieces, and where these take them."""

    base: Floats
    round: float
    rows: Floats
    bent: Floats
    ways: Floats | None
    places: Floats


def _moment(soft: SoftSolid, rows: Floats, ways: Floats | None, full: tuple[Floats, float] | None = None) -> _Moment:
    base, round = full or (soft.solid.vertices, 0.0)
    there, of = bent(rows, base), soft.solid.piece
    return _Moment(base, round, rows, there, ways, there if ways is None or of is None else flown(ways, of, there))


def _normals(soft: SoftSolid, at: _Moment) -> Floats:
    """(u, 3) those of its corners."""
    of, there = soft.solid.piece, soft.normals
    if at.base is not soft.solid.vertices:
        there = swollen_normals(soft, at.base, at.round)
        if at_rest(at.rows):
            return there
    if at.ways is None or of is None or not at_rest(at.rows):
        there = turned(at.rows, at.base, at.bent, soft.at, there)
    return there if at.ways is None or of is None else flown_normals(at.ways, of[soft.at], there)


def swollen_normals(soft: SoftSolid, places: Floats, round: float) -> Floats:
    """(u, 3): normals of a letter whose vertices gas has moved to places (n, 3), by the areas of the triangles around
    each corner. The rounder it is, the less is left of its creases."""
    triangles, corner = soft.solid.triangles, soft.corner
    a, b, c = (places[triangles[:, k]] for k in range(3))
    cross = np.cross(b - a, c - a)

    def summed(of: NDArray[np.int64], count: int) -> Floats:
        every = of.reshape(-1)
        found = np.stack([np.bincount(every, np.repeat(cross[:, k], 3), count) for k in range(3)], 1)
        return np.asarray(found / np.maximum(np.sqrt((found * found).sum(1, keepdims=True)), 1e-30))

    creased = summed(corner, len(soft.at))
    smooth = summed(triangles, len(places))[soft.at]
    found = creased + round * (smooth - creased)
    return np.asarray(found / np.maximum(np.sqrt((found * found).sum(1, keepdims=True)), 1e-30))


MODEL_CHORD = 0.002
"""Of a cap height: how far the edges of a model's bent letters may lie from their curves."""


def as_bent(
    solid: Solid, rows: Floats, size: float, ways: Floats | None = None, full: Swollen | None = None
) -> tuple[Solid, Solid]:
    """A solid, or a letter that is `full`, as rows (k, ROW) bend it, and the ways (p, 3, 4) of its pieces take these,
    and the same solid at rest, as dense; `size` is the cap height."""
    if full is not None:
        dense = full.dense()
    else:
        dense = with_corners(solid if at_rest(rows) else fine_enough(solid, [rows], MODEL_CHORD * size, MOST_TRIANGLES))
    at = _moment(dense, rows, ways, full.base(0) if full else None)
    normals = _normals(dense, at).astype(np.float32)
    return replace(dense.solid, vertices=at.places, normals=normals[dense.corner]), dense.solid


DRAFT_STATES = 9
DRAFT_PIXELS = 0.5
"""No edge of a mesh of the draft lies farther than this from its curve, in a frame of so many rows:"""
DRAFT_ROWS = 720
_FINEST, _LONGEST = 0.02, 4.0
"""Edges of the draft's meshes, in cap heights."""
_STEP = 0.01
_WAYS = np.array([(1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 0), (1, -1, 0), (1, 0, 1), (0, 1, 1)]) / np.sqrt(
    [[1], [1], [1], [2], [2], [2], [2]]
)


def draft_edges(of: Whereabouts, structure: Structure) -> Floats:
    """(l): how long the edges of a letter's mesh may be in the draft, in metres; 0 where it is never bent.

    A chord of a curve is off by an eighth of its second derivative times its length squared. That of the deformers is
    found by differences in the letter's box, and lengths go by steps of the root of two: letters that are bent a little
    more keep their meshes.
    """
    found = np.zeros(len(structure.letters))
    if not of.bends:
        return found
    states, last = _states(of, structure, DRAFT_STATES), np.array([float(of.shot.last)])
    poses, eye = of.poses(structure, last)[0], camera(of, last, of.shot.aspect)
    sizes = [block.setting.size for block in structure.blocks for _ in block.letters]
    for k, (letter, size) in enumerate(zip(structure.letters, sizes, strict=True)):
        own = [rows for rows in states[:, k] if not at_rest(rows)]
        if not own:
            continue
        low, high = structure.boxes[k].min(0), structure.boxes[k].max(0)
        points = np.array(np.meshgrid(*np.linspace(low, high, 4).T, indexing="ij")).reshape(3, -1).T
        step = _STEP * size
        around = np.concatenate([points, *(points + way * step * sign for way in _WAYS for sign in (1, -1))])
        curved = 0.0
        for rows in own:
            at = bent(rows, around).reshape(1 + 2 * len(_WAYS), len(points), 3)
            second = (at[1::2] + at[2::2] - 2 * at[0]) / step**2
            curved = max(curved, float(np.sqrt(np.square(second).sum(-1)).max()))
        off = DRAFT_PIXELS * min(pixel(letter, poses[k], eye, DRAFT_ROWS), COARSEST)
        edge = min(math.sqrt(8 * off / max(curved, 1e-9)), swept(points, np.array(own), off))
        edge = float(np.clip(edge, _FINEST * size, _LONGEST * size))
        found[k] = 2.0 ** (math.floor(2 * math.log2(edge)) / 2)
    return found
