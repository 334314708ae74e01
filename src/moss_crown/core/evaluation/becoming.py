"""Blocks that become others: which piece of the one is which of the other, and where all are on their way."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.become import BecomeStep
from moss_crown.core.evaluation.setting import Structure
from moss_crown.core.motion.acts import switched
from moss_crown.core.motion.moving import Solved, designed, felt_apart
from moss_crown.core.motion.piecing import piece_places
from moss_crown.core.motion.poses import Poses
from moss_crown.core.values.noise import chances, hashed, seed_of
from moss_crown.core.values.sampling import Frames, exposures, needed, sample

if TYPE_CHECKING:
    from moss_crown.core.evaluation.whereabouts import Whereabouts

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class _Units:
    """Pieces, or letters, of a block: where the steps above have them in the world (f, n, 4, 4), their middles in the
    spaces of their letters (n, 3), and how large each is (n)."""

    poses: Poses
    middles: Floats
    sizes: Floats

    @property
    def places(self) -> Floats:
        """(f, n, 3): their middles in the world."""
        turned = (self.poses[..., :3, :3] @ self.middles[:, :, None])[..., 0]
        return np.asarray(turned + self.poses[..., :3, 3])


def parties(of: Whereabouts, structure: Structure, step: BecomeStep) -> tuple[int, int] | None:
    """Which block of a structure becomes which by a step; None where there are none above it."""
    steps = of.shot.steps
    above = [
        number
        for number, block in enumerate(structure.blocks)
        if block.step < steps.index(step) and not block.member.copied and block.letters
    ]

    def named(name: str, otherwise: int) -> int | None:
        if not name:
            return above[otherwise] if len(above) > otherwise else None
        return next((number for number in above if steps[structure.blocks[number].step].id == name), None)

    one, other = named(step.what, 0), named(step.into, 1)
    return None if one is None or other is None or one == other else (one, other)


def become(of: Whereabouts, structure: Structure, step: BecomeStep, number: int, frames: Frames) -> Solved | None:
    """Where the pieces, or letters, of the `number`-th block of a structure are at frames of the shot; None where it is
    none of those that a step turns into each other."""
    found = parties(of, structure, step)
    if found is None or number not in found or not len(frames) or step.on is False:
        return None
    what, into = found
    shot = of.shot
    seen = exposures(step.exposed, frames)
    one, other = _units(of, structure, what, step, frames), _units(of, structure, into, step, frames)
    pairs = of.once_for(structure, ("pairs", step.id), lambda: _pairs(of, structure, step, what, into))
    gone = felt_apart(of.company(structure, what), step, seen)
    first = number == what
    own, to = (one, other) if first else (other, one)
    partner = pairs[0] if first else pairs[1]
    share = np.clip(gone if first else gone[:, pairs[1]], 0, 1)  # each goes by the reach of what it comes from
    here, there = own.places, to.places[:, partner]
    way = share if first else 1 - share
    count = len(own.middles)
    # By chance of the pair, so that both parts of a way are one.
    seeds = seed_of(shot.seed, step.id, step.seed)
    begin = np.arange(count) if first else pairs[1]
    aside = chances(seed_of(seeds, "bow"), len(one.middles), 3)[begin]
    spun = chances(seed_of(seeds, "turn"), len(one.middles), 3)[begin]
    at = needed([step.bow, step.spread, step.turn, step.spin], seen)
    bow, spread = sample(step.bow, at)[:, None], sample(step.spread, at)[:, None, None]
    long = np.sqrt(np.square(there - here).sum(-1, keepdims=True))
    flat = (4 * share * (1 - share))[..., None]
    place = here + way[..., None] * (there - here) + flat * (bow * (1 + spread * aside) + 0.25 * spread * long * aside)
    turn, spin = np.radians(sample(step.turn, at))[:, None], sample(step.spin, at)[:, None, None]
    angle = turn * (1 - spin + spin * spun) * (way if first else -way)[..., None]
    ratio = to.sizes[partner] / np.maximum(own.sizes, 1e-9)
    size = np.clip(ratio, 1e-3, 1e3) ** way
    size = np.where((share < 0.5) if first else (share >= 0.5), size, 0.0)
    poses = np.zeros_like(own.poses)
    poses[..., 3, 3] = 1
    poses[..., :3, :3] = size[..., None, None] * (_turned(angle) @ own.poses[..., :3, :3])
    poses[..., :3, 3] = place - (poses[..., :3, :3] @ own.middles[:, :, None])[..., 0]
    return Solved(poses, (way > 0) & (switched(step.on, seen) > 0))


def _turned(angles: Floats) -> Floats:
    """(f, n, 3, 3): rotations Rz Ry Rx by angles (f, n, 3) in radians."""
    sx, sy, sz = np.moveaxis(np.sin(angles), -1, 0)
    cx, cy, cz = np.moveaxis(np.cos(angles), -1, 0)
    rows = [
        [cz * cy, cz * sy * sx - sz * cx, cz * sy * cx + sz * sx],
        [sz * cy, sz * sy * sx + cz * cx, sz * sy * cx - cz * sx],
        [-sy, cy * sx, cy * cx],
    ]
    return np.stack([np.stack(row, -1) for row in rows], -2)


def _units(of: Whereabouts, structure: Structure, number: int, step: BecomeStep, frames: Frames) -> _Units:
    company = of.company(structure, number)
    poses, apart = designed(company, step, frames)
    pieces = of.in_pieces(structure, number)
    if pieces is None:
        boxes = company.boxes()
        return _Units(poses, boxes.mean(1), np.linalg.norm(np.ptp(boxes, 1), axis=1))
    own = piece_places(pieces, poses, apart)
    return _Units(own, pieces.middles, np.linalg.norm(np.ptp(pieces.boxes, 1), axis=1))


def _pairs(of: Whereabouts, structure: Structure, step: BecomeStep, what: int, into: int) -> tuple[Ints, Ints]:
    """(n) which of the other block each of the one becomes, and (m) from which of the one each of the other comes: as
    they lie at the last frame."""
    last = np.array([float(of.shot.last)])
    one, other = (_units(of, structure, number, step, last) for number in (what, into))
    a, b = one.places[0], other.places[0]
    if step.matched == "place":
        return _nearest(_spread(a), _spread(b))
    seed = seed_of(of.shot.seed, step.id, step.seed)

    def ranked(units: _Units, at: Floats) -> Ints:
        by = {"order": at[:, 0] - 1e-3 * at[:, 1], "size": units.sizes}
        key = by[step.matched] if step.matched in by else hashed(seed, np.arange(len(at)))
        return np.argsort(key, kind="stable")

    first, second = ranked(one, a), ranked(other, b)
    return _ranked(first, second), _ranked(second, first)


def _ranked(own: Ints, to: Ints) -> Ints:
    """(n): of `to`, in its order, which each of `own`, in its order, goes with, spread evenly."""
    found = np.empty(len(own), np.int64)
    found[own] = to[np.minimum(np.arange(len(own)) * len(to) // max(len(own), 1), len(to) - 1)]
    return found


def _spread(places: Floats) -> Floats:
    """Places (n, 3) as shares of the box around them."""
    low, wide = places.min(0), np.ptp(places, 0)
    return np.asarray((places - low) / np.maximum(wide, 1e-6) * (wide > 1e-6))


def _nearest(a: Floats, b: Floats) -> tuple[Ints, Ints]:
    """Each of the fewer goes with one of its own, all together as near as may be (Kuhn: The Hungarian Method, 1955),
    and each of the others with that which is nearest."""
    from scipy.optimize import linear_sum_assignment  # loads for long

    far = np.square(a[:, None] - b[None]).sum(-1)
    rows, columns = linear_sum_assignment(far)
    forth, back = far.argmin(1), far.argmin(0)
    forth[rows], back[columns] = columns, rows
    return forth.astype(np.int64), back.astype(np.int64)
