"""Keeping letters apart: where a follow-through would bring neighbours too close, both follow it less."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.motion.poses import Act, Channel, moved_poses, rest_poses

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]
HALVINGS = 24
"""A share is found to this many binary digits: far finer than a letter's movement shows."""
ROUNDS = 4
"""So many times pairs are looked at again after their neighbours have given way, before all letters do."""
SLACK = 1e-9


@dataclass(frozen=True)
class Row:
    """Letters of a block: at rest (l, 4, 4), corners of their boxes (l, 8, 3), and pairs of neighbours (p, 2)."""

    rest: Floats
    boxes: Floats
    pairs: Whole


def kept_apart(now: Sequence[Act], after: Sequence[Act], row: Row, gap: Floats) -> list[Act]:
    """What follows (`after`) of acts (`now`), with as much of it left for each letter and frame as keeps neighbours
    `gap` (f) apart, or as near as they come without it.

    How far two letters are apart is taken from their boxes along the block's axes: the widest gap along any of them.
    Each frame is worked out by itself.
    """
    share = np.ones((len(gap), len(row.rest)))
    if not len(row.pairs):
        return list(after)
    wanted = np.minimum(gap[:, None], _gaps(now, row, len(gap))) - SLACK
    # Pairs that follow one another share a letter, every other pair does not: those give way side by side. In the end
    # all letters of a frame do: with nothing left of the follow-through they are as far apart as wanted.
    half = np.arange(len(row.pairs)) % 2
    turns = [np.where(half == k, np.arange(len(half)), -1) for k in (0, 1)] * ROUNDS + [np.zeros(len(half), np.int64)]
    for group in turns:
        frames = np.flatnonzero((_gaps(_blended(now, after, share), row, len(gap)) < wanted).any(1))
        if not len(frames):
            break
        some = [_at(act, frames) for act in now], [_at(act, frames) for act in after]
        share[frames] *= _least(*some, row, wanted[frames], share[frames], group)
    return _blended(now, after, share)


def _least(now: Sequence[Act], after: Sequence[Act], row: Row, wanted: Floats, share: Floats, group: Whole) -> Floats:
    """(f, l) by how much shares must be lowered so that no pair of a group is too close, by bisection; group (p) tells
    the group of each pair, -1 for those that are not looked at."""
    frames = len(wanted)
    of_letter = np.full(len(row.rest), -1)
    for pair, number in zip(row.pairs, group, strict=True):
        if number >= 0:
            of_letter[pair] = number
    count = int(group.max()) + 1

    def lowered(by: Floats) -> Floats:
        return np.where(of_letter >= 0, by[:, of_letter], 1.0)

    def close(by: Floats) -> NDArray[np.bool_]:
        found = _gaps(_blended(now, after, share * lowered(by)), row, frames) < wanted
        return np.stack([found[:, group == k].any(1) for k in range(count)], 1)

    low, high = np.zeros((frames, count)), np.ones((frames, count))
    fine = ~close(high)
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        too_close = close(middle)
        low, high = np.where(too_close, low, middle), np.where(too_close, middle, high)
    return lowered(np.where(fine, 1.0, low))


def _gaps(acts: Sequence[Act], row: Row, frames: int) -> Floats:
    """(f, p): how far neighbours are apart; below 0 where their boxes meet."""
    poses = moved_poses(rest_poses(row.rest, frames), acts)
    corners = (poses[:, :, None, :3, :3] * row.boxes[None, :, :, None, :]).sum(-1) + poses[:, :, None, :3, 3]
    low, high = corners.min(2), corners.max(2)
    one, other = row.pairs.T
    found: Floats = np.maximum(low[:, other] - high[:, one], low[:, one] - high[:, other]).max(-1)
    return found


def _blended(now: Sequence[Act], after: Sequence[Act], share: Floats) -> list[Act]:
    return [
        replace(
            b,
            move=_mixed(a.move, b.move, share),
            turn=_mixed(a.turn, b.turn, share),
            scale=_mixed(a.scale, b.scale, share),
        )
        if b.followed
        else b
        for a, b in zip(now, after, strict=True)
    ]


def _mixed(now: Channel, after: Channel, share: Floats) -> Channel:
    if now is after:
        return now
    if now.offset is after.offset:
        return Channel(now.reach + (after.reach - now.reach) * share, now.offset)
    before, then = (c.reach[..., None] * c.offset for c in (now, after))
    return Channel(np.ones((len(share), 1)), before + (then - before) * share[..., None])


def _at(act: Act, frames: Whole) -> Act:
    """An act at some of its frames."""

    def rows(table: Floats) -> Floats:
        return table[frames] if len(table) > 1 else table

    def channel(c: Channel) -> Channel:
        return Channel(rows(c.reach), rows(c.offset))

    return Act(channel(act.move), channel(act.turn), channel(act.scale), rows(act.pivots), followed=act.followed)
