"""Groups: blocks and other groups under one pivot, moved, turned and scaled as one, and copied with a delay.

Groups act in the order of the recipe, each on what it holds as the groups above it leave that; so a group can hold
groups. A copy is the whole group again, its letters' motion and its own included, later by a delay and a step farther.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.motion import FollowStep, GroupStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.look.wear import Wear
from moss_crown.core.motion.acts import PLACING, Surroundings, trailed
from moss_crown.core.motion.poses import Poses, place_matrix
from moss_crown.core.values.sampling import Frames, needed, sample, sample_choice, sample_one, sample_parts

Floats = NDArray[np.float64]
Pivots: TypeAlias = dict[int, Floats]
"""(3) places in the world by the places of their groups in the recipe."""


@dataclass(frozen=True)
class Under:
    """That something is in a group: the group's place in the recipe, which of its copies this is (0: the group itself),
    and how many frames later than the shot that copy and those of the groups above it are."""

    group: int
    copy: int
    late: float


@dataclass(frozen=True)
class Member:
    """A block, or a copy of one: its place in the recipe, and the groups that it is in, from the first."""

    step: int
    under: tuple[Under, ...] = ()

    @property
    def late(self) -> float:
        """How many frames later than the shot its own clock is."""
        return self.under[0].late if self.under else 0.0

    @property
    def copied(self) -> bool:
        """Is it a copy that some group makes?"""
        return any(under.copy for under in self.under)


def members(shot: Shot, frame: float) -> list[Member]:
    """Blocks that are on at a frame, in the order of the recipe, then the copies that groups make of them."""
    found = [
        Member(index)
        for index, step in enumerate(shot.steps)
        if isinstance(step, BlockStep | EmblemStep) and sample_choice(step.on, frame)
    ]
    for index, step in enumerate(shot.steps):
        if not isinstance(step, GroupStep) or not sample_choice(step.on, frame):
            continue
        count = round(sample_one(step.copies.count, frame))
        delay = sample_one(step.copies.delay, frame)
        inside = [holds(shot, index, member) for member in found]
        copies = [
            _put(member, index, copy, copy * delay)
            for copy in range(1, count + 1)
            for member, own in zip(found, inside, strict=True)
            if own
        ]
        found = [_put(m, index, 0, 0.0) if own else m for m, own in zip(found, inside, strict=True)] + copies
    return found


def _put(member: Member, group: int, copy: int, late: float) -> Member:
    before = tuple(Under(u.group, u.copy, u.late + late) for u in member.under)
    return Member(member.step, (*before, Under(group, copy, late)))


def holds(shot: Shot, group: int, member: Member) -> bool:
    """Is a block, as the groups above leave it, in a group? In one that names none, all that stand above it are."""
    step = shot.steps[group]
    assert isinstance(step, GroupStep)
    above = {s.id for s in shot.steps[:group] if isinstance(s, BlockStep | EmblemStep | GroupStep)}
    names = {shot.steps[member.step].id, *(shot.steps[u.group].id for u in member.under)}
    return member.step < group and step.holds(names, above)


def pivot_of(step: GroupStep, corners: Floats, frame: float) -> Floats:
    """(3): the place about which a group turns, from the corners (n, 3) of what it holds at rest."""
    place = sample_choice(step.pivot, frame)
    if place == "own" or not len(corners):
        return np.asarray(sample_parts(step.own, frame), np.float64)
    low, high = corners.min(0), corners.max(0)
    middle = (low + high) / 2
    if place == "foot":
        middle[1] = low[1]
    return np.asarray(middle)


GROUPING = (*PLACING, *PLACING, "move")


def placing(step: GroupStep) -> list[Any]:
    """What decides where a group puts what it holds, each value of a channel of GROUPING: its own move, turn and scale,
    those of a step of its copies, and that step's radius."""
    copies = step.copies
    return [step.move, step.turn, step.scale, copies.move, copies.turn, copies.scale, copies.radius]


def _placing_at(step: GroupStep, clock: Frames) -> list[Floats]:
    """(f or 1, ...) values of `placing`."""
    at = needed(placing(step), clock)
    return [sample(value, at) for value in placing(step)]


def matrices(placed: Sequence[Floats], copy: int, pivot: Floats) -> Poses:
    """(f, 4, 4): what a group does to what it holds, from values of `placing` at frames.

    The group's own move, turn and scale about its pivot, and after them the copy's: so many steps of each.
    """
    there, back = np.eye(4), np.eye(4)
    there[:3, 3], back[:3, 3] = pivot, -pivot
    found = []
    for *own, move, turn, scale, _ in zip(*placed, strict=True):
        farther = place_matrix(copy * move, copy * turn, np.full(3, scale**copy))
        found.append(there @ farther @ place_matrix(*own) @ back)
    return np.array(found).reshape(-1, 4, 4)


def outward(placed: Sequence[Floats], copy: int, centres: Floats, pivot: Floats) -> Floats:
    """(f, l, 3): how far letters, whose centres (l, 3) at rest are known, are moved away from the pivot in the plane of
    the type, from values of `placing` at frames."""
    radius = placed[-1] * copy
    away = (centres - pivot) * [1.0, 1.0, 0.0]
    length = np.linalg.norm(away, axis=1, keepdims=True)
    direction = np.divide(away, length, out=np.zeros_like(away), where=length > 1e-9)
    return np.asarray(radius[:, None, None] * direction)


def wear_of(step: GroupStep, copy: int, clock: Frames) -> Wear:
    """What all letters (f, 1) of a copy wear: each copy goes `share` of the way to its tint that is left."""
    tint = np.zeros((len(clock), 1, 4))
    tint[..., :3] = sample(step.copies.tint, clock)[:, None]
    tint[..., 3] = (1 - (1 - sample(step.copies.share, clock)) ** copy)[:, None]
    return Wear((len(clock), 1), tint if tint[..., 3].any() else None)


@dataclass(frozen=True)
class Led:
    """The groups that a block is in, with their pivots and, for each, the centres (l, 3) of the block's letters at rest
    before it, and the follow-through steps below it."""

    steps: tuple[GroupStep, ...] = ()
    under: tuple[Under, ...] = ()
    pivots: tuple[Floats, ...] = ()
    centres: tuple[Floats, ...] = ()
    follows: tuple[tuple[FollowStep, ...], ...] = ()

    def clock(self, k: int, frames: Frames) -> Frames:
        """Frames of the block's own clock as those of its k-th group."""
        return frames + (self.under[0].late - self.under[k].late)

    def above(self, frames: Frames) -> Poses:
        """(f or 1, 4, 4): what all groups do, radii apart and whatever follows them, at frames of the block's own
        clock."""
        found = np.eye(4)[None]
        for k, step in enumerate(self.steps):
            placed = _placing_at(step, self.clock(k, frames))
            found = matrices(placed, self.under[k].copy, self.pivots[k]) @ found
        return found

    def lead(self, poses: Poses, frames: Frames, around: Surroundings) -> Poses:
        """Poses (f, l, 4, 4) in the world, as the groups and what follows them leave them."""
        for k, step in enumerate(self.steps):
            copy, clock, pivot = self.under[k].copy, self.clock(k, frames), self.pivots[k]
            if self.follows[k]:
                placed = trailed(placing(step), GROUPING, self.follows[k], clock, around)
            else:
                placed = _placing_at(step, clock)
            if copy and (by := outward(placed, copy, self.centres[k], pivot)).any():
                poses = poses.copy()
                poses[..., :3, 3] += by
            matrix = matrices(placed, copy, pivot)
            if not np.array_equal(matrix, np.broadcast_to(np.eye(4), matrix.shape)):
                poses = np.einsum("fij,fljk->flik", np.broadcast_to(matrix, (len(poses), 4, 4)), poses)
        return poses

    def wears(self, frames: Frames) -> list[Wear]:
        """What every copy wears, from the first group."""
        return [
            wear_of(step, self.under[k].copy, self.clock(k, frames))
            for k, step in enumerate(self.steps)
            if self.under[k].copy
        ]


NO_GROUP = Led()


@dataclass(frozen=True)
class Resting:
    """Blocks as they rest in the world, groups included: each one's letters (l, 4, 4), and the groups that lead it."""

    poses: tuple[Poses, ...]
    led: tuple[Led, ...]
    pivots: Pivots


def resting(
    shot: Shot,
    under: Sequence[tuple[Under, ...]],
    poses: Sequence[Poses],
    boxes: Sequence[Floats],
    centres: Sequence[Floats],
    frame: float,
    pivots: Pivots | None = None,
) -> Resting:
    """Work through the groups that blocks are `under`, from the first, all at one frame.

    Of each block: poses (l, 4, 4) at rest in the world without groups, boxes (l, 8, 3) and centres (l, 3) of its
    letters in their own space. Pivots that are known already are kept.
    """
    now = [p.copy() for p in poses]
    before: list[list[Floats]] = [[] for _ in under]
    found: Pivots = dict(pivots or {})
    clock = np.array([float(frame)])
    for index in sorted({u.group for own in under for u in own}):
        step = shot.steps[index]
        assert isinstance(step, GroupStep)
        inside = [(k, u.copy) for k, own in enumerate(under) for u in own if u.group == index]
        if index not in found:
            held = [in_world(now[k], boxes[k]).reshape(-1, 3) for k, copy in inside if copy == 0]
            found[index] = pivot_of(step, np.concatenate(held or [np.zeros((0, 3))]), frame)
        for k, copy in inside:
            middles = in_world(now[k], centres[k][:, None])[:, 0]
            before[k].append(middles)
            placed = _placing_at(step, clock)
            now[k][:, :3, 3] += outward(placed, copy, middles, found[index])[0]
            now[k] = matrices(placed, copy, found[index])[0] @ now[k]
    led = tuple(
        Led(
            tuple(_groups(shot, own)),
            own,
            tuple(found[u.group] for u in own),
            tuple(before[k]),
            tuple(tuple(s for s in shot.steps[u.group + 1 :] if isinstance(s, FollowStep)) for u in own),
        )
        for k, own in enumerate(under)
    )
    return Resting(tuple(now), led, found)


def _groups(shot: Shot, under: Sequence[Under]) -> Iterator[GroupStep]:
    for u in under:
        step = shot.steps[u.group]
        assert isinstance(step, GroupStep)
        yield step


def in_world(poses: Poses, points: Floats) -> Floats:
    """(l, n, 3) points of letters' own space where their poses (l, 4, 4) put them."""
    return np.asarray(points @ np.swapaxes(poses[:, :3, :3], 1, 2) + poses[:, None, :3, 3])
