"""Deformers of a recipe as rows of the table that bends letters: see `deform.chain`.

A deformer bends what stands above it: drives and blocks then carry the bent letter on. So each row leads from a
letter's own space by the pose that the steps above the deformer give it, or by its pose in the world, into the
deformer's axes.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.deform.chain import bent_all
from moss_crown.core.deform.rows import AMOUNT, APART, ARCS, BACK, BEGUN, INTO, KIND, KINDS, PLACES, ROW, TRACK, TRACKS
from moss_crown.core.document.deform import (
    BendStep,
    BlastStep,
    CurlStep,
    DeformStep,
    RippleStep,
    TwistStep,
    WaveStep,
    WrapStep,
)
from moss_crown.core.motion.course import Course, course, laid_along
from moss_crown.core.motion.poses import Act, Channel, Poses, Put, moved_poses, rest_poses, turn_matrix
from moss_crown.core.motion.reach import choices
from moss_crown.core.type.lettering import drawn_path
from moss_crown.core.values.noise import hashed, seed_of
from moss_crown.core.values.sampling import Frames, Letters, each, needed, sample

Floats = NDArray[np.float64]
Globe: TypeAlias = Callable[[Frames], Floats]
X, Y, Z = np.eye(3)


@dataclass(frozen=True)
class Soft:
    """What a deformer does to a block's letters: the numbers of its kinds (f or 1) among `KINDS`, the space of its axes
    (f or 1, l or 1, 3, 3; rows along, to the side, across), its origin, in each letter's own space (f or 1, l, 3), in
    the world a place there (f or 1, 1, 3); its amount, the first of the three numbers of a channel, and what else its
    kind has (f or 1, l or 1, 5); the rows before its own by which points feel its zones (f, l, k, ROW); the paths that
    it may lie along, one for each frame or for all, each scaled for a letter (f or 1, l or 1)."""

    kind: Floats
    space: Literal["letter", "block", "world"]
    axes: Floats
    origin: Floats
    amount: Channel
    values: Floats
    felt: Floats = field(default_factory=lambda: np.zeros((1, 1, 0, ROW)))
    paths: Sequence[Course | None] = ()
    scale: Floats = field(default_factory=lambda: np.ones((1, 1)))
    followed: bool = True

    @property
    def rows(self) -> int:
        """So many rows of the table are its."""
        return int(self.felt.shape[2]) + TRACKS * bool(self.paths) + 1


Deed: TypeAlias = Act | Soft | Put
"""What a step does to letters."""


def rigid(done: Sequence[Deed]) -> list[Act]:
    """What moves letters as they are, and each as a whole."""
    return [deed for deed in done if isinstance(deed, Act) and not deed.by_piece]


@dataclass(frozen=True)
class _Asked:
    """A deformer's step at frames: from where to where its letters lie along its axes (f or 1, l, 2) from its origin,
    how far it is from there to the globe of the stage (f or 1, l), and what formulas know of them."""

    frames: Frames
    letters: Letters
    fps: float
    seed: int
    along: Floats
    away: Floats

    def value(self, value: Any) -> Floats:
        return each(value, self.frames, self.letters)

    def length(self, value: Any) -> Floats:
        """(f or 1, l): a length, where it is 0 that of all letters along."""
        given = self.value(value)
        return np.where(given > 0, given, np.maximum(self.along[..., 1] - self.along[..., 0], 1e-3))


@dataclass(frozen=True)
class AtRest:
    """The letters of a block as deformers see them: at rest (l, 4, 4), corners of their boxes in their own space
    (l, 8, 3), by scope which unit each belongs to (l), and what formulas know of them."""

    rest: Floats
    boxes: Floats
    units: Mapping[str, NDArray[np.int64]]
    letters: Letters


def soft(
    step: DeformStep, reach: Floats, frames: Frames, origin: Floats, row: AtRest, fps: float, seed: int, globe: Globe
) -> Soft:
    """What a deformer does at frames where letters feel it by a reach (f, l), about an origin (f or 1, l, 3) in each
    letter's own space at rest. `globe` answers the middle of the stage's in the block at frames (f or 1, 3), which is
    no number where there is none."""
    turning = [getattr(step, name) for name in _DIRECTIONS if hasattr(step, name)]
    axes = np.array([axes_of(step, float(frame)) for frame in needed(turning, frames)]).reshape(-1, 1, 3, 3)
    onto = _onto(step, frames)
    away, space = np.ones((1, 1)), step.space
    if "stage" in onto:
        space = "block"
        met = (onto == "stage")[:, None, None]
        to = _in_block(origin, row) - globe(frames)[:, None]
        # The line lies around the globe from where it is nearest to its middle.
        origin = origin - np.where(met, to[..., :1] * row.rest[None, :, 0, :3], 0.0)
        to = to * (1 - X)
        away = np.linalg.norm(to, axis=2)
        axes = np.where(met[..., None], _facing(to), axes)
    asked = _Asked(frames, row.letters, fps, seed_of(seed, step.id), along_of(step, axes[..., 0, :], origin, row), away)
    kind, amount, *others = _numbers(step, asked)
    several = np.broadcast_shapes(*(np.shape(value) for value in others), (1, 1))
    values = np.zeros((*several, 5))
    for k, value in enumerate(others):
        values[..., k] = value
    offset = np.zeros((*amount.shape, 3))
    offset[..., 0] = amount
    if space == "world":
        origin = sample(step.centre.own, needed(step.centre.own, frames)).reshape(-1, 1, 3)
    paths, scale = _paths(step, asked) if "path" in onto else ((), np.ones((1, 1)))
    return Soft(kind, space, axes, origin, Channel(reach, offset), values, paths=paths, scale=scale)


def _onto(step: DeformStep, frames: Frames) -> NDArray[np.str_]:
    """(f or 1): what letters are wrapped onto; nothing by other steps."""
    return np.array(choices(step.onto, needed(step.onto, frames)) if isinstance(step, WrapStep) else [""])


def _in_block(origin: Floats, row: AtRest) -> Floats:
    """(f or 1, l, 3): places of letters, each in its own space (f or 1, l, 3), in the block."""
    turned = (row.rest[None, :, :3, :3] @ origin[..., None])[..., 0]
    return np.asarray(turned + row.rest[None, :, :3, 3])


def _facing(away: Floats) -> Floats:
    """(f, l, 3, 3): axes along the block's lines and along ways (f, l, 3) that are square to them, to the side."""
    with np.errstate(invalid="ignore", divide="ignore"):
        across = away / np.linalg.norm(away, axis=-1, keepdims=True)
    along = np.broadcast_to(X, across.shape)
    return np.stack([along, np.cross(across, along), across], -2)


def _paths(step: DeformStep, asked: _Asked) -> tuple[Sequence[Course | None], Floats]:
    """The paths that a wrap lies along, one for each frame or for all, and by how much they are scaled (f, l or 1)."""
    assert isinstance(step, WrapStep)
    drawn = step.path
    moved = [drawn.emblem, drawn.part, drawn.height, drawn.fit, drawn.at, drawn.below]
    paths = [drawn_path(drawn, float(frame)) for frame in needed(moved, asked.frames)]
    long = np.maximum(asked.along[..., 1] - asked.along[..., 0], 1e-3)
    frames = max(len(paths), len(long))
    scale = np.ones((frames, long.shape[1]))
    for f in range(frames):
        path, own = paths[f if len(paths) > 1 else 0], long[f if len(long) > 1 else 0]
        scale[f] = [path.scale(float(one)) for one in own]
    return [course(path) for path in paths], scale


_DIRECTIONS = ("turn", "about", "rolls", "over", "travels", "lifts", "onto")
_ARCH = {"depth": (X, -Y), "vertical": (X, -Z), "horizontal": (Y, -Z)}
_ROLLED = {"right": X, "left": -X, "top": Y, "bottom": -Y}
_TRAVELS = {"right": X, "left": -X, "up": Y, "down": -Y}
_WRUNG = {"line": X, "vertical": Y, "depth": Z}
_WRAPPED = {"drum": (X, -Z), "roller": (Y, -Z), "globe": (X, Y), "stage": (X, Y), "path": (X, Y)}


def axes_of(step: DeformStep, frame: float) -> Floats:
    """(3, 3): rows along, to the side, across."""

    def chosen(value: Any) -> str:
        return str(choices(value, np.array([frame]))[0])

    match step:
        case BendStep():
            along, side = _ARCH[chosen(step.about)]
        case CurlStep():
            along, side = _ROLLED[chosen(step.rolls)], Z if chosen(step.over) == "front" else -Z
        case TwistStep():
            along = _WRUNG[chosen(step.about)]
            side = Z if along is Y else Y
        case WaveStep():
            along = _TRAVELS[chosen(step.travels)]
            side = _lifted(chosen(step.lifts), along)
        case WrapStep():
            along, side = _WRAPPED[chosen(step.onto)]
        case RippleStep():
            along, side = X, _lifted(chosen(step.lifts), X)
        case _:
            along, side = X, Y
    turned = turn_matrix(sample(step.turn, np.array([frame]))[0])
    return np.stack([along, side, np.cross(along, side)]) @ turned.T


def _lifted(lifts: str, along: Floats) -> Floats:
    """The way of a lift: what is lifted along its own travel is pushed to where it goes."""
    level = along[1] == 0
    return {"up": Y if level else X, "front": Z, "along": along}[lifts]


def along_of(step: DeformStep, along: Floats, origin: Floats, row: AtRest) -> Floats:
    """(f or 1, l, 2): where what each letter is part of begins and ends along an axis (f or 1, l or 1, 3), from the
    origin."""
    about = str(choices(step.centre.about, np.zeros(1))[0])
    if step.space == "letter":
        corners, begin = row.boxes, origin
    else:
        at = row.rest[:, None, :3, :3] @ row.boxes[..., None]
        corners = at[..., 0] + row.rest[:, None, :3, 3]
        begin = _in_block(origin, row)
    lie = np.einsum("lci,fli->flc", corners, np.broadcast_to(along, (len(along), len(corners), 3)))
    low, high = lie.min(-1), lie.max(-1)
    unit_of = row.units[about]
    if step.space != "letter":
        for unit in np.unique(unit_of):
            own = unit_of == unit
            low[:, own], high[:, own] = low[:, own].min(1, keepdims=True), high[:, own].max(1, keepdims=True)
    begun = (begin * along).sum(-1)
    return np.stack([low - begun, high - begun], -1)


def _numbers(step: DeformStep, asked: _Asked) -> tuple[Any, ...]:
    """The numbers of its kinds (f or 1), its amount and what else it has (f or 1, l or 1 each)."""
    if not isinstance(step, WrapStep):
        kind, *numbers = _own_numbers(step, asked)
        return np.array([float(KINDS[kind])]), *numbers
    onto = _onto(step, asked.frames)
    frames = len(onto)
    kind = np.zeros(frames)
    amount, length = np.zeros((2, frames if frames > 1 else len(asked.frames), len(asked.letters.i)))
    for name in np.unique(onto):
        number, wrapped, long = _wrapped(step, str(name), asked)
        own = onto == name
        kind[own] = number
        here = own[:, None] if frames > 1 else True
        amount, length = np.where(here, wrapped, amount), np.where(here, long, length)
    return kind, amount, length


def _wrapped(step: WrapStep, onto: str, asked: _Asked) -> tuple[float, Floats, Floats]:
    """The number of the kind that lays letters onto something, its amount and what else it has (f or 1, l or 1)."""
    value, low, high = asked.value, asked.along[..., 0], asked.along[..., 1]
    wrapped, long = value(step.wrapped), np.ones((1, 1))
    match onto:
        case "globe":
            return KINDS["globe"], wrapped / value(step.radius), long
        case "stage":
            return KINDS["globe"], wrapped / np.maximum(asked.away, _NEAREST), long
        case "path":
            return KINDS["path"], wrapped, long
    long = np.maximum(np.maximum(np.abs(low), np.abs(high)), 1e-3) * 2
    return KINDS["bend"], wrapped * long / value(step.radius), long


_NEAREST = 0.05
"""Metres: nearer to the middle of the stage's globe no line lies around it."""


def _own_numbers(step: DeformStep, asked: _Asked) -> tuple[Any, ...]:
    """The kind of `deform.functions`, its amount and what else it has (f or 1, l or 1 each); not of a wrap."""
    value, low, high = asked.value, asked.along[..., 0], asked.along[..., 1]
    match step:
        case BendStep():
            return "bend", np.radians(value(step.angle)), asked.length(step.length)
        case CurlStep():
            return "curl", value(step.rolled) * (high - low), high, value(step.radius), value(step.gap)
        case TwistStep():
            return "twist", np.radians(value(step.angle)), asked.length(step.length)
        case WaveStep():
            since = (asked.frames[:, None] - value(step.start)) / asked.fps
            how = np.array([_CRESTS[name] for name in choices(step.crests, needed(step.crests, asked.frames))], float)
            travelled = value(step.speed) * since
            return "wave", value(step.height), value(step.width), travelled, value(step.narrow), how[:, None]
        case RippleStep():
            share, first, second = _moment(step, asked)
            return "ripple", value(step.height), value(step.size), share, first, second
        case BlastStep():
            own = np.floor(4096 * hashed(seed_of(asked.seed, step.seed), np.arange(len(asked.letters.i))))[None]
            return "blast", value(step.outward), value(step.core), value(step.rough), value(step.size), own
    raise TypeError(f"{step.id} bends nothing")


_CRESTS = {"one": 0.0, "many": 1.0, "endless": 2.0}


def _moment(step: RippleStep, asked: _Asked) -> tuple[Floats, Floats, Floats]:
    """(f or 1, 1) each: how far a ripple is from one pattern to the next, eased, and the seeds of both. In a loop there
    is a whole number of patterns, and the first comes after the last."""
    speed = asked.value(step.speed)
    moment = speed * asked.frames[:, None] / asked.fps
    begun = float(int(hashed(seed_of(asked.seed, step.seed), np.zeros(1, np.int64))[0] * 2048))
    count = np.full_like(speed, _PATTERNS)
    if step.loop:
        count = np.maximum(np.round(speed * step.loop / asked.fps), 1)
        moment = asked.frames[:, None] / step.loop * count
    pattern = np.floor(moment)
    share = moment - pattern
    eased = share * share * share * (share * (share * 6 - 15) + 10)
    return eased, begun + np.mod(pattern, count), begun + np.mod(pattern + 1, count)


_PATTERNS = 100_000
"""So many patterns follow one another before the first comes again: numbers that 32 bits still tell apart."""


def performed(
    done: Sequence[Deed], rest: Poses, boxes: Callable[[], Floats], frames: int
) -> tuple[Poses, Floats | None]:
    """What steps do, in their order, to the letters of a block at rest (l, 4, 4), with boxes (l, 8, 3) in their own
    space: their poses in the block (f, l, 4, 4), and the rows by which they are bent before (f, l, k, ROW), None where
    nothing bends. What bends in the world is left out: see `in_world`.

    What moves letters that are bent already moves them about their pivots as these are bent.
    """
    bends = [deed for deed in done if isinstance(deed, Soft)]
    done = [deed for deed in done if isinstance(deed, Soft) or not deed.by_piece]
    poses = rest_poses(rest, frames)
    if not bends and not any(isinstance(deed, Put) for deed in done):
        return moved_poses(poses, rigid(done)), None
    rows = np.zeros((frames, len(rest), sum(deed.rows for deed in bends), ROW))
    waiting: list[Act] = []
    known = 0
    for deed in done:
        if isinstance(deed, Put):
            poses, waiting = deed.onto(moved_poses(poses, waiting)), []
            continue
        if isinstance(deed, Act):
            pivots = bent_all(rows[:, :, :known], deed.pivots[:, :, None])[:, :, 0] if known else deed.pivots
            waiting.append(replace(deed, pivots=pivots))
            continue
        rows[:, :, known : known + deed.felt.shape[2]] = deed.felt
        known += deed.rows
        row = rows[:, :, known - 1]
        if deed.space == "block":
            poses, waiting = moved_poses(poses, waiting), []
            place = rest[None, :, :3, :3] @ deed.origin[..., None]
            _lead(row, deed.axes, poses, place[..., 0] + rest[None, :, :3, 3])
        elif deed.space == "letter":
            _lead(row, deed.axes, np.eye(4)[None, None], deed.origin)
        if deed.space != "world":
            _fill(rows[:, :, :known], deed, boxes)
    return moved_poses(poses, waiting), rows if bends else None


def in_world(done: Sequence[Deed], rows: Floats, poses: Poses, boxes: Callable[[], Floats]) -> None:
    """Write into rows (f, l, k, ROW) what bends in the world, where letters stand at poses (f, l, 4, 4)."""
    known = 0
    for deed in done:
        known += deed.rows if isinstance(deed, Soft) else 0
        if isinstance(deed, Soft) and deed.space == "world":
            _lead(rows[:, :, known - 1], deed.axes, poses, deed.origin)
            _fill(rows[:, :, :known], deed, boxes)


BOX_GRID = (4, 4, 2)


def _grid(boxes: Floats) -> Floats:
    """(l, n, 3): a grid of each of some boxes (l, 8, 3)."""
    low, high = boxes.min(1), boxes.max(1)
    grid = np.array(list(np.ndindex(*BOX_GRID))) / (np.array(BOX_GRID) - 1)
    return np.asarray(low[:, None] + grid * np.maximum(high - low, 1e-6)[:, None])


def boxed(poses: Poses, bends: Floats, boxes: Floats) -> Poses:
    """Poses (f, l, 4, 4) that put the boxes (l, 8, 3) of letters at rest about where the letters are that rows
    (f, l, k, ROW) bend and the given poses then carry.

    The bend of a letter is taken for the affine map that is nearest to it over a grid of its box, in the sense of least
    squares; in its directions the box then reaches as far as the bent grid does.
    """
    low, high = boxes.min(1), boxes.max(1)
    points = _grid(boxes)
    found = bent_all(bends, points[None])
    ones = np.ones((*points.shape[:2], 1))
    fit = np.linalg.pinv(np.concatenate([points, ones], 2))  # (l, 4, n)
    affine = np.zeros((*found.shape[:2], 4, 4))
    affine[..., :3, :] = np.swapaxes(fit @ found, 2, 3)
    affine[..., 3, 3] = 1
    back, size = inverse(affine[..., :3, :3])
    flat = np.abs(size) < 1e-9
    affine[flat], back[flat] = np.eye(4), np.eye(3)
    there = back @ np.swapaxes(found - affine[..., None, :3, 3], 2, 3)
    near, far = there.min(3), there.max(3)
    wide = np.maximum(high - low, 1e-6)
    grown = np.zeros_like(affine)
    scale = (far - near) / wide
    for k in range(3):
        grown[..., k, k] = scale[..., k]
    grown[..., :3, 3] = near - scale * low
    grown[..., 3, 3] = 1
    still = (bends[..., KIND] * bends[..., AMOUNT] == 0).all(-1)
    return np.where(still[..., None, None], poses, poses @ affine @ grown)


def inverse(matrices: Floats) -> tuple[Floats, Floats]:
    """Matrices (..., 3, 3) inverted by their cofactors, and their determinants (...). Those without an inverse answer
    what is no number."""
    a, b, c = (matrices[..., k, :] for k in range(3))
    found = np.empty_like(matrices)
    for column, (one, other) in enumerate(((b, c), (c, a), (a, b))):
        for k in range(3):
            i, j = (k + 1) % 3, (k + 2) % 3
            found[..., k, column] = one[..., i] * other[..., j] - one[..., j] * other[..., i]
    size = np.asarray((a * found[..., 0]).sum(-1))
    with np.errstate(divide="ignore", invalid="ignore"):
        found /= size[..., None, None]
    return found, size


def _fill(rows: Floats, deed: Soft, boxes: Callable[[], Floats]) -> None:
    """Write what a deformer does into the last of rows (f, l, k, ROW), and before it how its path runs."""
    row = rows[:, :, -1]
    row[..., AMOUNT] = deed.amount.reach * deed.amount.offset[..., 0]
    row[..., AMOUNT + 1 :] = deed.values
    row[..., KIND] = np.where(np.isfinite(row).all(-1), deed.kind[:, None], 0.0)
    np.nan_to_num(row, copy=False)
    if deed.paths:
        _lay(rows, deed, boxes())


def _lay(rows: Floats, deed: Soft, boxes: Floats) -> None:
    """Write the stretches of their path that letters lie on before the last of rows (f, l, k, ROW), which leads to
    it."""
    row, before = rows[:, :, -1], bent_all(rows[:, :, : -1 - TRACKS], _grid(boxes)[None])
    s = (before * row[:, :, None, INTO : INTO + 3]).sum(-1) + row[:, :, None, INTO + 3]
    low, high = s.min(-1), s.max(-1)
    margin = np.maximum(_MARGIN * (high - low), 1e-3)
    begun, apart = low - margin, (high - low + 2 * margin) / ARCS
    scale = np.broadcast_to(deed.scale, begun.shape)
    lies = (row[..., KIND] == KINDS["path"]) & (row[..., AMOUNT] != 0)
    for f, path in enumerate(deed.paths):
        own = np.zeros_like(lies)
        own[f if len(deed.paths) > 1 else slice(None)] = True
        own &= lies
        if path is None:
            row[own, KIND] = 0
            continue
        places = laid_along(path, row[own, AMOUNT], scale[own], begun[own], apart[own])
        tracks = np.zeros((len(places), TRACKS, ROW))
        tracks[..., : 3 * PLACES] = places.reshape(-1, TRACKS, 3 * PLACES)
        tracks[..., KIND] = TRACK
        rows[:, :, -1 - TRACKS : -1][own] = tracks
        row[own, BEGUN], row[own, APART] = begun[own], apart[own]


_MARGIN = 0.05
"""By this share of a letter the stretch of its path is longer than it, to both sides."""


def _lead(row: Floats, axes: Floats, poses: Poses, origin: Floats) -> None:
    """Write into rows (f, l, ROW) the way from letters' own space by poses (f or 1, l or 1, 4, 4) into axes (f or 1,
    l or 1, 3, 3) about an origin (f or 1, l or 1, 3), and back. A letter without any size has no way back: it is left
    alone."""
    linear = axes @ poses[..., :3, :3]
    shift = (axes @ (poses[..., :3, 3] - origin)[..., None])[..., 0]
    into = np.zeros((*np.broadcast_shapes(linear.shape[:2], shift.shape[:2]), 3, 4))
    into[..., :3], into[..., 3] = linear, shift
    back, size = inverse(linear)
    back[np.abs(size) < 1e-12] = np.nan
    row[..., INTO:BACK] = into.reshape(*into.shape[:2], 12)
    row[..., BACK:KIND] = back.reshape(*back.shape[:2], 9)
