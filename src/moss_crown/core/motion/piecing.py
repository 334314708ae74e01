"""Pieces of letters in motion: what acts by piece, and where each piece is beside its letter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.deform.chain import bent_all
from moss_crown.core.document.motion import Pivot
from moss_crown.core.look.wear import Wear
from moss_crown.core.motion.acts import Cast
from moss_crown.core.motion.poses import Act, Channel, Poses, Put, led, moved_poses, rest_poses
from moss_crown.core.motion.reach import choices
from moss_crown.core.motion.soft import Deed, Soft, inverse
from moss_crown.core.values.sampling import Frames, Letters, sample_choice

Floats = NDArray[np.float64]
HOME = np.eye(4)[:3]
"""The way of a piece that is not away."""
NEAR = 1e-6
"""Metres: a letter all of whose pieces are as near to home as this is whole."""


@dataclass(frozen=True)
class InPieces:
    """The pieces of a block's letters: which letter each is of (p), by the place of that in reading order, the middle
    of each (p, 3), and the corners of its box (p, 2, 3), in that letter's own space."""

    of: NDArray[np.int64]
    middles: Floats
    boxes: Floats
    hulls: Sequence[Floats]

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.of)

    @cached_property
    def letters(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Letters that have any (n), and with which piece those of each begin (n): they follow one another."""
        there, begin = np.unique(self.of, return_index=True)
        return there, begin

    @cached_property
    def corners(self) -> Floats:
        """(p, 8, 3) of their boxes."""
        return np.stack([self.boxes[:, (i, j, k), (0, 1, 2)] for i in (0, 1) for j in (0, 1) for k in (0, 1)], 1)


@dataclass(frozen=True)
class Scattered:
    """Where pieces (p) are at frames, each in the own space of its letter: rows of the 3x4 matrices that lead there
    from where it is at home (f, p, 3, 4); and which letters (l) are whole (f, l)."""

    pieces: InPieces
    ways: Floats
    whole: NDArray[np.bool_]

    def alone(self, k: int) -> Scattered:
        """At one of its frames."""
        return Scattered(self.pieces, self.ways[k : k + 1], self.whole[k : k + 1])

    def poses(self, letters: Poses) -> Poses:
        """(f, p, 4, 4) of pieces whose letters are at poses (f, l, 4, 4)."""
        return led(letters[:, self.pieces.of], self.ways)

    @property
    def away(self) -> Floats:
        """(f, l): the share of each letter's pieces that are not at home."""
        there, begin = self.pieces.letters
        found = np.zeros(self.whole.shape)
        gone = np.add.reduceat((self.ways != HOME).any((2, 3)).astype(np.float64), begin, 1)
        found[:, there] = gone / np.diff(np.append(begin, self.pieces.count))
        return found

    def boxed(self, poses: Poses, boxes: Floats) -> Poses:
        """Poses (f, l, 4, 4) that put the boxes (l, 8, 3) of letters at rest around all of their pieces where these are
        not whole; the others as they are given."""
        found = poses.copy()
        if self.whole.all():
            return found
        middles, half = self.pieces.boxes.mean(1), np.ptp(self.pieces.boxes, 1) / 2
        there, starts = self.pieces.letters
        at = (self.ways[..., :3] @ middles[..., None])[..., 0] + self.ways[..., 3]
        wide = (np.abs(self.ways[..., :3]) @ half[..., None])[..., 0]
        low = np.minimum.reduceat(at - wide, starts, 1)
        high = np.maximum.reduceat(at + wide, starts, 1)
        begin, end = boxes[there].min(1), boxes[there].max(1)
        scale = (high - low) / np.maximum(end - begin, 1e-6)
        own = found[:, there]
        own[..., :3, 3] += (own[..., :3, :3] @ (low - scale * begin)[..., None])[..., 0]
        own[..., :3, :3] *= scale[..., None, :]
        found[:, there] = np.where(self.whole[:, there, None, None], found[:, there], own)
        return found


def piece_places(pieces: InPieces, letters: Poses, apart: Scattered | None) -> Poses:
    """(f, p, 4, 4) of pieces whose letters are at poses (f, l, 4, 4), at home in them or beside that."""
    return letters[:, pieces.of] if apart is None else apart.poses(letters)


def piece_cast(cast: Cast, pieces: InPieces, rest: Poses) -> Cast:
    """Pieces as motion sees them, of a block whose letters rest at poses (l, 4, 4)."""
    of = pieces.of
    centres = (rest[of, :3, :3] @ pieces.middles[..., None])[..., 0] + rest[of, :3, 3]
    units = {scope: (unit_of[of], places) for scope, (unit_of, places) in cast.units.items()}
    units["piece"] = np.arange(pieces.count), centres
    x, y, z = centres.T
    count = pieces.count
    known = Letters(np.arange(count, dtype=np.float64), np.arange(count) / max(count - 1, 1), x, y, z)
    return Cast(count, known, units, cast.spacing[of], pieces.middles[:, :2], cast.height)


def piece_pivots(pivot: Pivot, pieces: InPieces, letters: Floats, size: float, frames: Frames) -> Floats:
    """(f or 1, p, 3) in the own space of each piece's letter, from the same pivot of letters (f or 1, l, 3)."""
    abouts = choices(pivot.about, frames[:1] if isinstance(pivot.about, str) else frames)
    if "piece" not in abouts:
        return np.asarray(letters[:, pieces.of])
    own = _of_pieces(pivot, pieces, size, frames)
    if all(about == "piece" for about in abouts):
        return own
    chosen = np.array([about == "piece" for about in abouts])[:, None, None]
    return np.where(chosen, own, letters[:, pieces.of])


def _of_pieces(pivot: Pivot, pieces: InPieces, size: float, frames: Frames) -> Floats:
    """(1, p, 3): a place on each piece, as on a letter of its size."""
    found = pieces.middles.copy()
    low, high = pieces.boxes[:, 0], pieces.boxes[:, 1]
    place = sample_choice(pivot.place, float(frames[0])) if len(frames) else "centre"
    match place:
        case "baseline":
            found[:, 1] = low[:, 1]
        case "cap":
            found[:, 1] = high[:, 1]
        case "left":
            found[:, 0] = low[:, 0]
        case "right":
            found[:, 0] = high[:, 0]
        case "own" if isinstance(pivot.own, tuple):
            found += size * np.array(pivot.own)
    return found[None]


def piece_poses(done: Sequence[Deed], pieces: InPieces, rest: Poses, rows: Floats | None, frames: int) -> Poses:
    """(f, p, 4, 4) where steps leave pieces in the block, of letters that rest at poses (l, 4, 4) and are bent by rows
    (f, l, k, ROW) before that."""
    of, known = pieces.of, 0
    whole: list[Act] = []
    poses = rest_poses(rest[of], frames)
    for deed in done:
        if isinstance(deed, Soft):
            known += deed.rows
            continue
        if isinstance(deed, Put):
            poses, whole = deed.onto(moved_poses(poses, whole), None if deed.by_piece else of), []
            continue
        pivots = deed.pivots
        if known and rows is not None:
            own = rows[:, :, :known]
            pivots = bent_all(own[:, of] if deed.by_piece else own, pivots[:, :, None])[:, :, 0]
        whole.append(replace(deed, pivots=pivots) if deed.by_piece else _each(deed, of, pivots))
    return moved_poses(poses, whole)


def _each(act: Act, of: NDArray[np.int64], pivots: Floats) -> Act:
    """What is done to letters, for each of their pieces."""

    def spread(channel: Channel) -> Channel:
        reach, offset = channel.reach, channel.offset
        return Channel(reach[:, of] if reach.shape[1] > 1 else reach, offset[:, of] if offset.shape[1] > 1 else offset)

    return replace(act, move=spread(act.move), turn=spread(act.turn), scale=spread(act.scale), pivots=pivots[:, of])


def beside(poses: Poses, base: Poses) -> tuple[Floats, NDArray[np.bool_]]:
    """The ways (..., 3, 4) that lead from base poses (..., 4, 4) to others, and where there is one: what has no size
    leads nowhere."""
    back, size = inverse(base[..., :3, :3])
    sound = np.abs(size) >= 1e-12
    back[~sound] = 0
    ways = np.empty((*poses.shape[:-2], 3, 4))
    ways[..., :3] = back @ poses[..., :3, :3]
    ways[..., 3] = (back @ (poses[..., :3, 3] - base[..., :3, 3])[..., None])[..., 0]
    return ways, sound


def scattered(pieces: InPieces, poses: Poses, own: Poses) -> Scattered:
    """Where pieces at poses (f, p, 4, 4) in the block are beside their letters at poses (f, l, 4, 4)."""
    ways, sound = beside(poses, own[:, pieces.of])
    home = ~sound | (np.abs(ways - HOME).max((2, 3), initial=0) <= NEAR)
    ways[home] = HOME
    there, begin = pieces.letters
    whole = np.ones(own.shape[:2], np.bool_)
    whole[:, there] = np.logical_and.reduceat(home, begin, 1)
    return Scattered(pieces, ways, whole)


def on_the_whole(wear: Wear, pieces: InPieces, letters: int) -> Wear:
    """What pieces (f, p) wear, as their letters (f, l) do: the mean of it. Letters without pieces stay as they are."""
    there, starts = pieces.letters
    count = np.diff(np.append(starts, pieces.count))

    def mean(values: Floats | None, plain: float) -> Floats | None:
        if values is None:
            return None
        found = np.full((values.shape[0], letters, *values.shape[2:]), plain)
        own = np.add.reduceat(values, starts, 1)
        found[:, there] = own / count.reshape(1, -1, *([1] * (values.ndim - 2)))
        return found

    shape = (wear.shape[0], letters)
    return Wear(shape, mean(wear.tint, 0), mean(wear.opacity, 1), mean(wear.glow, 1), mean(wear.soft, 0))


def any_by_piece(done: Sequence[Deed]) -> bool:
    """Is anything done by piece?"""
    return any(isinstance(deed, Act | Put) and deed.by_piece for deed in done)
