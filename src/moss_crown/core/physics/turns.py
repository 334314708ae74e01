"""Turns as unit quaternions (w, x, y, z), by elementwise arithmetic alone: the same bits on every machine."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Floats: TypeAlias = NDArray[np.float64]


def parted(poses: Floats) -> tuple[Floats, Floats, Floats]:
    """Poses (..., 4, 4) as places (..., 3), turns (..., 4) and what is left of each, (..., 3, 3): a pose is its place
    after its turn after that. Axes are made square to each other one after the other (Gram and Schmidt)."""
    a, b = poses[..., :3, 0], poses[..., :3, 1]
    x = _unit(a, np.array((1.0, 0.0, 0.0)))
    # Where the second axis has nothing of its own, that which the first one points along least stands in for it.
    least = np.eye(3)[np.argmin(np.abs(x), -1)]
    y = _unit(_across(b, x), _across(least, x))
    y = _unit(_across(y, x), _across(least, x))
    z = np.cross(x, y)
    turn = np.stack([x, y, z], -1)
    left = (turn[..., :, :, None] * poses[..., :3, None, :3]).sum(-3)
    return poses[..., :3, 3].copy(), quaternion(turn), left


def _across(vector: Floats, along: Floats) -> Floats:
    """What of vectors (..., 3) is square to unit vectors."""
    return np.asarray(vector - (along * vector).sum(-1, keepdims=True) * along)


def _unit(vector: Floats, otherwise: Floats) -> Floats:
    """Unit vectors (..., 3) along some, or along others where those are nothing."""
    size = np.sqrt((vector * vector).sum(-1, keepdims=True))
    chosen = np.where(size > 1e-12, vector, otherwise)
    return np.asarray(chosen / np.sqrt((chosen * chosen).sum(-1, keepdims=True)))


def quaternion(turn: Floats) -> Floats:
    """(..., 4) of rotation matrices (..., 3, 3), w not below 0 (Shepperd, "Quaternion from rotation matrix", 1978)."""
    m = turn
    four = np.stack(
        [
            1 + m[..., 0, 0] + m[..., 1, 1] + m[..., 2, 2],
            1 + m[..., 0, 0] - m[..., 1, 1] - m[..., 2, 2],
            1 - m[..., 0, 0] + m[..., 1, 1] - m[..., 2, 2],
            1 - m[..., 0, 0] - m[..., 1, 1] + m[..., 2, 2],
        ],
        -1,
    )
    wx, wy, wz = m[..., 2, 1] - m[..., 1, 2], m[..., 0, 2] - m[..., 2, 0], m[..., 1, 0] - m[..., 0, 1]
    xy, xz, yz = m[..., 0, 1] + m[..., 1, 0], m[..., 0, 2] + m[..., 2, 0], m[..., 1, 2] + m[..., 2, 1]
    rows = [
        np.stack([four[..., 0], wx, wy, wz], -1),
        np.stack([wx, four[..., 1], xy, xz], -1),
        np.stack([wy, xy, four[..., 2], yz], -1),
        np.stack([wz, xz, yz, four[..., 3]], -1),
    ]
    best = np.argmax(four, -1)[..., None]
    found: Floats = np.choose(best, rows)
    found = found / np.sqrt((found * found).sum(-1, keepdims=True))
    return np.asarray(np.where(found[..., :1] < 0, -found, found))


def matrix(turn: Floats) -> Floats:
    """(..., 3, 3) rotation matrices of quaternions (..., 4)."""
    w, x, y, z = (turn[..., k] for k in range(4))
    rows = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
        [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
        [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
    ]
    return np.stack([np.stack(row, -1) for row in rows], -2)


def between(first: Floats, last: Floats, share: float) -> Floats:
    """Quaternions (..., 4) a share of the shorter way from some to others."""
    near = np.where((first * last).sum(-1, keepdims=True) < 0, -last, last)
    found = first + share * (near - first)
    return np.asarray(found / np.maximum(np.sqrt((found * found).sum(-1, keepdims=True)), 1e-300))


def apart(first: Floats, last: Floats) -> Floats:
    """(..., 3) by how much, in radians about an axis in the first's own space, quaternions (..., 4) are turned from one
    to the other."""
    w1, x1, y1, z1 = (first[..., k] for k in range(4))
    w2, x2, y2, z2 = (last[..., k] for k in range(4))
    w = w1 * w2 + x1 * x2 + y1 * y2 + z1 * z2
    v = np.stack(
        [
            w1 * x2 - x1 * w2 - y1 * z2 + z1 * y2,
            w1 * y2 + x1 * z2 - y1 * w2 - z1 * x2,
            w1 * z2 - x1 * y2 + y1 * x2 - z1 * w2,
        ],
        -1,
    )
    flip = np.where(w < 0, -1.0, 1.0)
    w, v = w * flip, v * flip[..., None]
    size = np.sqrt((v * v).sum(-1))
    angle = 2 * np.arctan2(size, w)
    return np.asarray(v * np.where(size > 1e-12, angle / np.maximum(size, 1e-300), 2.0)[..., None])
