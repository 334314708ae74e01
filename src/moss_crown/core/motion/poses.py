"""Poses: 4x4 matrices that take a letter from its own space to the world, for all frames and letters at once.

Column vectors. A turn (x, y, z) in degrees turns about x first, then y, then z.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import outer, outer_with
from moss_crown.core.look.wear import Wear

Poses = NDArray[np.float64]


@dataclass(frozen=True)
class Channel:
    """An offset (f or 1, l or 1, 3) by its reach (f, l or 1): metres of a move, radians of a turn, or the part of a
    scale above 1."""

    reach: NDArray[np.float64]
    offset: NDArray[np.float64]


@dataclass(frozen=True)
class Act:
    """What a step does to a block's letters, about pivots (f or 1, l, 3) in each letter's own space; or `by_piece` to
    their pieces, each in the space of its letter.

    `wear`: what it makes of their look, softness in cap heights. What is not `followed` a follow-through leaves alone.
    """

    move: Channel
    turn: Channel
    scale: Channel
    pivots: NDArray[np.float64]
    wear: Wear | None = None
    followed: bool = True
    by_piece: bool = False


def led(poses: Poses, ways: NDArray[np.float64]) -> Poses:
    """Poses (..., 4, 4) of what is led by ways (..., 3, 4) in their own space."""
    whole = np.zeros((*ways.shape[:-2], 4, 4))
    whole[..., :3, :], whole[..., 3, 3] = ways, 1
    return np.asarray(poses @ whole)


@dataclass(frozen=True)
class Put:
    """Where something else than acts puts letters: poses in the block (f, l, 4, 4), where they are `free` (f, l); what
    is not stays where it is. Or `by_piece` their pieces."""

    poses: Poses
    free: NDArray[np.bool_]
    by_piece: bool = False
    followed: bool = False

    def onto(self, poses: Poses, of: NDArray[np.int64] | None = None) -> Poses:
        """Poses (f, l, 4, 4) as it leaves them; or of pieces, by the letter of each (p)."""
        own, free = (self.poses, self.free) if of is None else (self.poses[:, of], self.free[:, of])
        return np.where(free[..., None, None], own, poses)


def softened(poses: Poses, soft: NDArray[np.float64], cameras: Poses) -> Poses:
    """Letters at moments of an open shutter (f, l, 4, 4), each moved about in a disc of its radius `soft` (l), metres,
    that faces the camera (f, 4, 4): what is seen over the whole time is blurred.

    The places in the disc are spread evenly (Vogel, "A better way to construct the sunflower head", Mathematical
    Biosciences 44, 1979). The way from one to the next, a straight line, cuts across: they stand so much farther out
    that what is seen over the time has the spread of an even disc (a second moment of a quarter of the radius squared
    along each axis), softer towards its rim.
    """
    count = len(poses)
    at = np.arange(count)
    golden = np.pi * (3 - np.sqrt(5))
    distance = np.sqrt((at + 0.5) / count * 3 / (2 + np.cos(golden)))
    angle = at * golden
    across, up = distance * np.cos(angle), distance * np.sin(angle)
    aside = across[:, None] * cameras[:, :3, 0] + up[:, None] * cameras[:, :3, 1]
    found = poses.copy()
    found[..., :3, 3] += soft[None, :, None] * aside[:, None, :]
    return found


def rest_poses(rest: NDArray[np.float64], frames: int) -> Poses:
    """(l, 4, 4) letters at rest -> (f, l, 4, 4) the same at every frame."""
    return np.ascontiguousarray(np.broadcast_to(rest, (frames, *rest.shape)))


AT_ONCE = 64
"""Frames."""


def moved_poses(poses: Poses, acts: Sequence[Act]) -> Poses:
    """Apply what steps do to letters, one after the other. What does nothing to a letter leaves its pose bit for bit as
    it was.

    The move goes along the block's axes; turn and scale go about the pivot along the letter's own.
    """
    moved = poses.copy()
    laid_out = [
        (*_laid_out(act.move), *_laid_out(act.turn), *_laid_out(act.scale), np.ascontiguousarray(act.pivots))
        for act in acts
    ]
    # All acts on some frames before the next: what is moved stays near the processor.
    for first in range(0, len(moved), AT_ONCE):
        own = slice(first, first + AT_ONCE)
        for arrays in laid_out:
            _act(moved[own], *(a if len(a) == 1 else a[own] for a in arrays))
    return moved


def _laid_out(channel: Channel) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    return np.ascontiguousarray(channel.reach), np.ascontiguousarray(channel.offset)


def place_poses(
    poses: Poses, move: NDArray[np.float64], turn: NDArray[np.float64], scale: NDArray[np.float64]
) -> Poses:
    """Put a block, frame by frame, into the world: scale, then turn, then move about its origin. (f, 3) each."""
    if all((v == v[:1]).all() for v in (move, turn, scale)):
        world = (
            np.broadcast_to(place_matrix(move[0], turn[0], scale[0]), (len(move), 4, 4)) if len(move) else poses[:, 0]
        )
    else:
        world = np.array([place_matrix(*at) for at in zip(move, turn, scale, strict=True)])
    placed = np.empty_like(poses)
    _place(np.array(world, order="C"), poses, placed)
    return placed


@outer
def _place(world, poses, placed):
    for f in range(poses.shape[0]):
        for k in range(poses.shape[1]):
            for i in range(3):
                for j in range(4):
                    placed[f, k, i, j] = (
                        world[f, i, 0] * poses[f, k, 0, j]
                        + world[f, i, 1] * poses[f, k, 1, j]
                        + world[f, i, 2] * poses[f, k, 2, j]
                        + (world[f, i, 3] if j == 3 else 0.0)
                    )
            placed[f, k, 3, 0] = placed[f, k, 3, 1] = placed[f, k, 3, 2] = 0.0
            placed[f, k, 3, 3] = 1.0


def place_matrix(move: NDArray[np.float64], turn: NDArray[np.float64], scale: NDArray[np.float64]) -> Poses:
    """(4, 4): scale, then turn (degrees, see `turn_matrix`), then move."""
    matrix = np.eye(4)
    matrix[:3, :3] = turn_matrix(turn) * scale
    matrix[:3, 3] = move
    return matrix


def turn_matrix(turn: NDArray[np.float64]) -> NDArray[np.float64]:
    """(3) degrees -> (3, 3) rotation Rz Ry Rx."""
    matrix = np.empty((3, 3))
    _turn(matrix, *(float(a) for a in np.radians(turn)))
    return matrix


@outer
def _turn(r, ax, ay, az):
    sx, cx, sy, cy, sz, cz = math.sin(ax), math.cos(ax), math.sin(ay), math.cos(ay), math.sin(az), math.cos(az)
    r[0, 0], r[0, 1], r[0, 2] = cz * cy, cz * sy * sx - sz * cx, cz * sy * cx + sz * sx
    r[1, 0], r[1, 1], r[1, 2] = sz * cy, sz * sy * sx + cz * cx, sz * sy * cx - cz * sx
    r[2, 0], r[2, 1], r[2, 2] = -sy, cy * sx, cy * cx


@outer_with(fastmath={"contract"})
def _act(poses, move_reach, move, turn_reach, turn, scale_reach, scale, pivots):
    for f in range(poses.shape[0]):
        fp = f if len(pivots) > 1 else 0
        fm = f if len(move) > 1 else 0
        ft = f if len(turn) > 1 else 0
        fs = f if len(scale) > 1 else 0
        for k in range(poses.shape[1]):
            km = k if move.shape[1] > 1 else 0
            kt = k if turn.shape[1] > 1 else 0
            ks = k if scale.shape[1] > 1 else 0
            rm = move_reach[f, k if move_reach.shape[1] > 1 else 0]
            rt = turn_reach[f, k if turn_reach.shape[1] > 1 else 0]
            rs = scale_reach[f, k if scale_reach.shape[1] > 1 else 0]
            if rm == 0 and rt == 0 and rs == 0:
                continue
            ax, ay, az = turn[ft, kt, 0] * rt, turn[ft, kt, 1] * rt, turn[ft, kt, 2] * rt
            sx, cx = (math.sin(ax), math.cos(ax)) if ax != 0 else (0.0, 1.0)
            sy, cy = (math.sin(ay), math.cos(ay)) if ay != 0 else (0.0, 1.0)
            sz, cz = (math.sin(az), math.cos(az)) if az != 0 else (0.0, 1.0)
            hx, hy, hz = 1 + scale[fs, ks, 0] * rs, 1 + scale[fs, ks, 1] * rs, 1 + scale[fs, ks, 2] * rs
            m00, m01, m02 = cz * cy * hx, (cz * sy * sx - sz * cx) * hy, (cz * sy * cx + sz * sx) * hz
            m10, m11, m12 = sz * cy * hx, (sz * sy * sx + cz * cx) * hy, (sz * sy * cx - cz * sx) * hz
            m20, m21, m22 = -sy * hx, cy * sx * hy, cy * cx * hz
            px, py, pz = pivots[fp, k, 0], pivots[fp, k, 1], pivots[fp, k, 2]
            tx = px - (m00 * px + m01 * py + m02 * pz)
            ty = py - (m10 * px + m11 * py + m12 * pz)
            tz = pz - (m20 * px + m21 * py + m22 * pz)
            for i in range(3):
                a, b, c = poses[f, k, i, 0], poses[f, k, i, 1], poses[f, k, i, 2]
                poses[f, k, i, 0] = a * m00 + b * m10 + c * m20
                poses[f, k, i, 1] = a * m01 + b * m11 + c * m21
                poses[f, k, i, 2] = a * m02 + b * m12 + c * m22
                poses[f, k, i, 3] += a * tx + b * ty + c * tz + move[fm, km, i] * rm


SPEEDS = ("all", "place", "turn", "size")


def speeds(poses: Poses, corners: NDArray[np.float64], seconds: float) -> NDArray[np.float64]:
    """How fast letters move: the root mean square speed of the corners of their boxes, in metres a second.

    poses (f + 1, l, 4, 4): one after the other, `seconds` apart; corners (l, 8, 3) in letter space. Answers (4, f, l):
    by all of the motion, which is one measure for place, turn and size since all three move the corners, and by each
    of those alone, about the middle of the box. A letter that does one of them alone is as fast by it as by all.
    """
    change = poses[1:, :, :3] - poses[:-1, :, :3]
    points = np.concatenate([corners, np.ones((*corners.shape[:2], 1))], 2)
    middle = points.mean(1)
    apart = corners - corners.mean(1, keepdims=True)
    # The mean of |M p|² over corners p is the trace of M S Mᵀ with the mean S of p pᵀ.
    spread, about = (np.swapaxes(p, 1, 2) @ p / corners.shape[1] for p in (points, apart))
    place = np.linalg.norm(np.einsum("flij,lj->fli", change, middle), axis=-1)
    long = np.linalg.norm(poses[:, :, :3, :3], axis=-2)
    unit = poses[:, :, :3, :3] / np.maximum(long, 1e-12)[..., None, :]
    # What had no size has no direction either: it did not turn.
    some = (long[1:] > 1e-9) & (long[:-1] > 1e-9)
    turned = np.where(some[..., None, :], unit[1:] - unit[:-1], 0) * ((long[1:] + long[:-1]) / 2)[..., None, :]
    grown = (long[1:] - long[:-1])[..., None] * np.eye(3)
    parts = [_rms(change, spread), place, _rms(turned, about), _rms(grown, about)]
    return np.stack(parts) / seconds


def _rms(change: NDArray[np.float64], spread: NDArray[np.float64]) -> NDArray[np.float64]:
    found: NDArray[np.float64] = np.sqrt(np.maximum((change @ spread * change).sum((-1, -2)), 0))
    return found
