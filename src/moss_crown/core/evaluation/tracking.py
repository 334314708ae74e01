"""What bodies of a shot do: the letters, or pieces, of all blocks above a step as rigid bodies on its stage."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from moss_crown.core import limits
from moss_crown.core.cache import Cache
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.setting import Block, Structure, form_of_letter
from moss_crown.core.evaluation.solids import letter_solid
from moss_crown.core.form.outline import letter_outline, shaped
from moss_crown.core.form.solid import Form
from moss_crown.core.motion.moving import Solved, designed
from moss_crown.core.motion.piecing import InPieces, piece_places
from moss_crown.core.motion.poses import Poses
from moss_crown.core.motion.reach import Units, ranks
from moss_crown.core.physics.bodies import (
    FASTEST,
    QUARTERS,
    Bodies,
    Ground,
    Matter,
    Track,
    Wanted,
    chunks,
    overlapping,
    track,
)
from moss_crown.core.physics.parts import prisms
from moss_crown.core.physics.turns import between, matrix, parted, quaternion
from moss_crown.core.stage.scene import Globe, Sheet
from moss_crown.core.stage.scene import Ground as StageGround
from moss_crown.core.stage.staging import grounds_at
from moss_crown.core.type.layout import Letter
from moss_crown.core.type.shape import faces
from moss_crown.core.values.noise import chances, seed_of
from moss_crown.core.values.sampling import Frames, sample, sample_one, sample_parts

if TYPE_CHECKING:
    from moss_crown.core.evaluation.whereabouts import Whereabouts

Floats = NDArray[np.float64]
THICK = 1.0
"""Metres: grounds are so thick, so that nothing falls through them."""
LOOSER = 0.975
"""Pieces are so much smaller as bodies than they are, so that those beside each other do not press."""
AFTER = 60.0
"""Seconds after its beginning nothing is solved any more."""


@dataclass(frozen=True)
class Cloud:
    """All bodies of a step: those of each block (their numbers), what they are, and how the pose of each is made of a
    place and a turn: what is left of it (b, 3, 3), about a middle of its own space (b, 3)."""

    blocks: dict[int, tuple[int, int]]
    bodies: Bodies
    wanted: Wanted
    left: Floats
    middles: Floats
    begin: float


def solved(of: Whereabouts, structure: Structure, step: BodiesStep, number: int, frames: Frames) -> Solved | None:
    """Where a step has the letters, or pieces, of the `number`-th block of a structure at frames of the shot; None
    where they are none of its bodies."""
    if number not in _taking_part(of, structure, step) or not len(frames):
        return None
    at = frames
    if step.backward:
        start = _start(of.shot, step)
        at = np.where(frames < start, 2 * start - frames, start)
    begin = _begin(of, structure, step)
    count = chunks(min(max(0, math.ceil(float(at.max()) - begin)), round(AFTER * float(of.shot.fps.fraction))))
    cloud = of.once_for(structure, ("bodies", step.id, count), lambda: _cloud(of, structure, step, begin, count))
    found = track(cloud.bodies, cloud.wanted, count, of.cache)
    own = cloud.blocks[number]
    poses, free = _at(found, cloud, *own, at)
    if step.backward:
        free &= (frames < _start(of.shot, step))[:, None]
    return Solved(poses, free)


def _start(shot: Shot, step: BodiesStep) -> float:
    return sample_one(step.start, float(shot.last))


def _counts(of: Whereabouts, structure: Structure, step: BodiesStep) -> dict[int, int]:
    """How many bodies each block above a step would have."""
    place, found = of.shot.steps.index(step), {}
    for number, block in enumerate(structure.blocks):
        if block.step < place:
            pieces = of.in_pieces(structure, number) if step.of == "piece" else None
            found[number] = pieces.count if pieces is not None else len(block.letters)
    return found


def _taking_part(of: Whereabouts, structure: Structure, step: BodiesStep) -> list[int]:
    """Blocks whose letters are bodies of a step: those above it, as long as there are not more than there may be."""
    counts = _counts(of, structure, step)
    fits = np.cumsum(list(counts.values())) <= limits.BODIES
    return [number for number, fit in zip(counts, fits, strict=True) if fit]


def bodies_of(of: Whereabouts, structure: Structure, step: BodiesStep) -> tuple[int, int]:
    """How many letters, or pieces, are bodies of a step, and how many are above it."""
    counts = _counts(of, structure, step)
    return sum(counts[number] for number in _taking_part(of, structure, step)), sum(counts.values())


def _begin(of: Whereabouts, structure: Structure, step: BodiesStep) -> int:
    """The frame of the shot from which on bodies are solved."""
    if step.backward:
        return math.floor(_start(of.shot, step))
    first = float(_all_starts(of, structure, step).min(initial=math.inf))
    return math.floor(min(first, float(of.shot.first)) if step.wakes == "touch" else first)


def _all_starts(of: Whereabouts, structure: Structure, step: BodiesStep) -> Floats:
    numbers = _taking_part(of, structure, step)
    blocks = [_starts(of.shot, structure.blocks[k], step, of.in_pieces(structure, k)) for k in numbers]
    return np.concatenate([np.zeros(0), *blocks])


def _cloud(of: Whereabouts, structure: Structure, step: BodiesStep, begin: int, count: int) -> Cloud:
    shot, fps = of.shot, float(of.shot.fps.fraction)
    numbers, starts = _taking_part(of, structure, step), _all_starts(of, structure, step)
    first = _start(shot, step) if step.backward else float(starts.min(initial=math.inf))
    at = begin + np.arange(count * QUARTERS + 1) / QUARTERS
    looked = np.full_like(at, first) if step.backward else at
    poses, middles = [], []
    parts: list[tuple[Floats, ...]] = []
    blocks: dict[int, tuple[int, int]] = {}
    total = 0
    for k in numbers:
        units = _units(of, structure, k, step, looked)
        blocks[k] = total, total + units.poses.shape[1]
        total = blocks[k][1]
        poses.append(units.poses)
        middles.append(units.middles)
        parts += units.parts
    every, middle = np.concatenate(poses, 1), np.concatenate(middles)
    places, turns, left = parted(every)
    places = places + (every[..., :3, :3] @ middle[..., None])[..., 0]
    shapes = tuple(
        tuple(np.ascontiguousarray((corners - middle[k]) @ left[0, k].T) for corners in own)
        for k, own in enumerate(parts)
    )
    matter = Matter(sample_one(step.density, first), sample_one(step.bounce, first), sample_one(step.friction, first))
    bodies = Bodies(shapes, matter, _grounds(shot, first), fps)
    size = min(float(block.setting.size) for block in structure.blocks)
    if spare := overlapping(bodies, places[0], turns[0], 2e-3 * size):
        bodies = replace(bodies, spare=spare)
    follow = sample(step.follow, at)[:, None] * np.ones((1, total))
    hold = at[:, None] < starts - 1e-9
    if step.backward:
        hold = np.zeros_like(hold)
    elif step.wakes == "touch":  # the first is let go, the others wait
        hold = hold | (starts > starts.min(initial=math.inf) + 1e-9) | (np.arange(total) != int(np.argmin(starts)))
    wanted = Wanted(
        places,
        turns,
        hold,
        np.ascontiguousarray(follow),
        np.ascontiguousarray(sample(step.gravity, at)[:, None]),
        np.ascontiguousarray(sample(step.wind, at)[:, None]),
        _thrown(shot, step, first, places[0]),
        step.wakes == "touch",
    )
    return Cloud(blocks, bodies, wanted, left[0], middle, begin)


def _starts(shot: Shot, block: Block, step: BodiesStep, pieces: InPieces | None) -> Floats:
    """(b): the frame of the shot at which each of a block's bodies is let go."""
    at = np.array([float(shot.last)])
    letters = len(block.letters)
    places = np.array([(letter.x, letter.y, letter.z) for letter in block.letters]).reshape(-1, 3)
    begun = (
        sample_one(step.start, float(shot.last))
        + sample_one(step.delay, float(shot.last)) * (ranks(step, at, Units(places, lambda: places[None]))[0])
    )
    begun = np.broadcast_to(begun, (letters,)) + block.member.late
    if step.of == "piece" and pieces is not None:
        return np.asarray(begun[pieces.of])
    return np.asarray(begun)


@dataclass(frozen=True)
class _Units:
    poses: Poses
    middles: Floats
    parts: list[tuple[Floats, ...]]


def _units(of: Whereabouts, structure: Structure, number: int, step: BodiesStep, frames: Frames) -> _Units:
    """The bodies of a block: where the design has them (f, b, 4, 4), their middles and convex parts in the space of
    their letters."""
    block, company = structure.blocks[number], of.company(structure, number)
    poses, apart = designed(company, step, frames)
    pieces = of.in_pieces(structure, number) if step.of == "piece" else None
    if pieces is None:
        shapes = [_letter_parts(of.cache, letter, block.form) for letter in block.letters]
        middles = np.array([(*letter.centre, block.form.middle) for letter in block.letters]).reshape(-1, 3)
        return _Units(poses, middles, shapes)
    own = piece_places(pieces, poses, apart)
    return _Units(own, pieces.middles, _piece_parts(pieces))


def _letter_parts(cache: Cache, letter: Letter, form: Form) -> tuple[Floats, ...]:
    """Convex parts of a letter, in its own space; of one that is drawn by tubes its hull."""
    own = form_of_letter(letter, form)
    if own.tube is None:
        rings = shaped(
            letter_outline(letter.glyphs, faces(letter.family, letter.axes)),
            own.weight,
            own.fill,
            own.wall / letter.unit,
            own.join,
        )
        found = prisms(rings, letter.unit, own.middle - own.depth / 2, own.middle + own.depth / 2)
    else:
        solid = letter_solid(letter.glyphs, letter.family, letter.axes, letter.unit, own, cache)
        found = (solid.vertices,) if len(solid.vertices) > 3 else ()
    if found:
        return found
    corners = np.array([(x, y, z) for x in (-0.01, 0.01) for y in (-0.01, 0.01) for z in (-0.01, 0.01)])
    return ((np.array((*letter.centre, 0.0)) + corners),)


def _piece_parts(pieces: InPieces) -> list[tuple[Floats, ...]]:
    """The hull of each piece, a little smaller than it is."""
    return [
        (middle + (corners - middle) * LOOSER,) for middle, corners in zip(pieces.middles, pieces.hulls, strict=True)
    ]


def _grounds(shot: Shot, frame: float) -> tuple[Ground, ...]:
    """What bodies fall on: what of the stage is seen."""
    return tuple(made for ground in grounds_at(shot, frame, []) if not ground.catches for made in _ground(ground))


def _ground(ground: StageGround) -> list[Ground]:
    if isinstance(ground, Globe):
        return [Ground("ball", tuple(ground.centre.tolist()), (1.0, 0.0, 0.0, 0.0), (ground.radius, 0.0, 0.0))]
    if isinstance(ground, Sheet):
        return [_slab(ground.centre, ground.u, ground.v)]
    found: list[Ground] = []
    for (y1, z1), (y2, z2) in zip(ground.line[:-1], ground.line[1:], strict=True):
        middle = np.array([0.0, (y1 + y2) / 2, (z1 + z2) / 2])
        along = np.array([0.0, (y2 - y1) / 2, (z2 - z1) / 2])
        side = np.array([ground.half, 0.0, 0.0])
        normal = np.cross(along, side)
        towards = ground.normals[len(found)][0]
        if normal[1] * towards[0] + normal[2] * towards[1] < 0:
            side = -side
        found.append(_slab(middle, along, side))
    return found


def _slab(centre: Floats, u: Floats, v: Floats) -> Ground:
    """A box under a sheet that looks along u x v."""
    long, wide = (math.sqrt(float((w * w).sum())) for w in (u, v))
    x, y = u / max(long, 1e-12), v / max(wide, 1e-12)
    z = np.cross(x, y)
    turn = quaternion(np.stack([x, y, z], 1))
    middle = centre - z * THICK / 2
    return Ground("box", tuple(middle.tolist()), tuple(turn.tolist()), (max(long, 1e-3), max(wide, 1e-3), THICK / 2))


def _thrown(shot: Shot, step: BodiesStep, frame: float, places: Floats) -> Floats:
    """(b, 6): with which speeds bodies are let go."""
    count = len(places)

    def chance(what: str, parts: int) -> Floats:
        return chances(seed_of(shot.seed, step.id, step.seed, what), count, parts)

    share = sample_one(step.chance, frame)
    found = np.zeros((count, 6))
    thrown, spun = sample_parts(step.thrown, frame), np.radians(sample_parts(step.spun, frame))
    speed = math.sqrt(float((thrown * thrown).sum()))
    found[:, :3] = thrown * (1 + share * chance("speed", 1)) + 0.5 * share * speed * chance("way", 3)
    found[:, 3:] = spun * (1 - share + share * chance("spin", 3))
    blow = sample_one(step.blow, frame)
    if blow:
        way = places - sample_parts(step.blow_place, frame)
        away = np.sqrt((way * way).sum(1, keepdims=True))
        reach = sample_one(step.blow_reach, frame)
        strength = blow / (1 + (away / reach) * (away / reach)) * (1 + share * chance("blow", 1))
        found[:, :3] += way / np.maximum(away, 1e-9) * strength
        found[:, 3:] += 2.0 * share * strength * chance("tumble", 3)
    return np.clip(found, -FASTEST, FASTEST)


def _at(found: Track, cloud: Cloud, begin: int, end: int, frames: Frames) -> tuple[Poses, NDArray[np.bool_]]:
    """Poses (f, b, 4, 4) of some bodies at frames, between whole ones straight, and where they are free (f, b)."""
    since = np.clip(frames - cloud.begin, 0, len(found.places) - 1)
    before = np.floor(since).astype(np.int64)
    after = np.minimum(before + 1, len(found.places) - 1)
    own = slice(begin, end)
    poses = np.zeros((len(frames), end - begin, 4, 4))
    poses[..., 3, 3] = 1
    free = np.zeros(poses.shape[:2], np.bool_)
    left, middles = cloud.left[own], cloud.middles[own]
    for k, share in enumerate(since - before):
        first, last = before[k], after[k]
        place = found.places[first, own] + share * (found.places[last, own] - found.places[first, own])
        turn = matrix(between(found.turns[first, own], found.turns[last, own], float(share)))
        poses[k, :, :3, :3] = (turn[..., :, :, None] * left[..., None, :, :]).sum(-2)
        carried = (poses[k, :, :3, :3] * middles[:, None]).sum(-1)
        poses[k, :, :3, 3] = place - carried
        free[k] = (frames[k] >= cloud.begin) & ~(found.held[first, own] & (found.held[last, own] | (share == 0)))
    return poses, free
