"""The shot camera at frames, all of them at once: axes, angles of view, fit, drift."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.values.sampling import Frames, sample

SENSOR_WIDTH = 36.0
"""Millimetres; the lens's angle of view follows from it and the lens."""
DRIFT_PLACE, DRIFT_TURN = 0.01, 0.5
"""How far a drift of 1 goes at most: a share of the distance, and degrees."""
_WAVES = ((0.55, 1.0), (0.3, 2.17), (0.15, 3.31))
"""Size and tempo of the waves that a drift is made of, which never come round together."""

HEIGHT_SHARE = 0.69
"""A fitted title takes at most this part of the share of the frame's width as one of its height: 0.55 for 0.8."""


def half_tangents(lens: ArrayLike, aspect: float, sensor: ArrayLike = SENSOR_WIDTH) -> NDArray[np.float64]:
    """(..., 2) tangents of half the angle of view, across and up, for lenses and widths of sensor in millimetres."""
    across = np.asarray(sensor, float) / 2 / np.asarray(lens, float)
    return np.stack([across, across / aspect], axis=-1)


def look_at(place: NDArray[np.float64], aim: NDArray[np.float64]) -> NDArray[np.float64]:
    """(..., 4, 4) camera to world for places and aims (..., 3); the camera looks along -Z with Y up. Looking straight
    up or down, X stays level."""
    back = place - aim
    length = np.linalg.norm(back, axis=-1, keepdims=True)
    back = np.where(length > 1e-9, back / np.maximum(length, 1e-9), [0.0, 0.0, 1.0])
    size = np.hypot(back[..., 0], back[..., 2])  # of Y cross back
    level = size > 1e-8
    # Next to that it is straight: a way that leans by less would not be square to the level X.
    back = np.where(level[..., None], back, np.sign(back) * [0.0, 1.0, 0.0])
    x, y, z = np.moveaxis(back, -1, 0)
    rx, rz = np.where(level, z / np.maximum(size, 1e-8), 1.0), np.where(level, -x / np.maximum(size, 1e-8), 0.0)
    matrix = np.zeros((*back.shape[:-1], 4, 4))
    matrix[..., 0, 0], matrix[..., 2, 0] = rx, rz
    matrix[..., 0, 1], matrix[..., 1, 1], matrix[..., 2, 1] = y * rz, z * rx - x * rz, -y * rx
    matrix[..., :3, 2], matrix[..., :3, 3] = back, place
    matrix[..., 3, 3] = 1
    return matrix


def swayed(
    poses: NDArray[np.float64], away: NDArray[np.float64], drift: NDArray[np.float64], phase: Frames, seed: int
) -> NDArray[np.float64]:
    """Poses (f, 4, 4) as a hand holds them: moved and turned by smooth waves. `phase` (f): seconds times tempo;
    `away` (f): the distance of what it looks at, in metres."""
    starts = np.random.default_rng(seed).random((6, len(_WAVES)))
    waves = np.zeros((6, len(phase)))
    for k, (size, tempo) in enumerate(_WAVES):
        waves += size * np.sin(2 * np.pi * (tempo * phase + starts[:, k, None]))
    move = (waves[:3] * (DRIFT_PLACE * away * drift)).T
    a, b, c = np.radians(waves[3:] * (DRIFT_TURN * drift))
    found = poses.copy()
    found[:, :3, 3] += (poses[:, :3, :3] * move[:, None, :]).sum(-1)
    found[:, :3, :3] = poses[:, :3, :3] @ _turned(b, 2, 0) @ _turned(a, 1, 2) @ rolled(c)
    return found


def _turned(radians: NDArray[np.float64], i: int, j: int) -> NDArray[np.float64]:
    """(f, 3, 3) turns that bring axis i towards axis j."""
    turns = np.zeros((len(radians), 3, 3))
    turns[:] = np.eye(3)
    turns[:, i, i] = turns[:, j, j] = np.cos(radians)
    turns[:, j, i] = np.sin(radians)
    turns[:, i, j] = -turns[:, j, i]
    return turns


def rolled(radians: NDArray[np.float64]) -> NDArray[np.float64]:
    """(f, 3, 3) turns about the camera's own axis: to its right."""
    return _turned(radians, 1, 0)


def camera_poses(
    step: CameraStep, frames: Frames, corners: NDArray[np.float64], aspect: float, fps: float = 25.0, seed: int = 1
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Poses (f, 4, 4), half tangents (f, 2) and shifts (f, 2) of the camera.

    corners (n, 3): the box of the title at rest in the world, what `fit` goes by. `fps` and `seed` are the drift's.
    """
    half = half_tangents(sample(step.lens, frames), aspect, sample(step.sensor, frames))
    fit = sample(step.fit, frames)
    aim = sample(step.aim, frames)
    poses = look_at(sample(step.place, frames), aim)
    if len(corners) and (fit > 0).any():
        fitted = fitted_poses(corners, half, np.where(fit > 0, fit, 1.0), sample(step.orbit, frames))
        poses = np.where((fit > 0)[:, None, None], fitted, poses)
    drift = sample(step.drift, frames)
    if (drift > 0).any():
        target = (corners.min(0) + corners.max(0)) / 2 if len(corners) else aim
        away = np.linalg.norm(poses[:, :3, 3] - target, axis=1)
        poses = swayed(poses, away, drift, frames / fps * sample(step.drift_tempo, frames), seed)
    roll = sample(step.roll, frames)
    if roll.any():
        poses = poses.copy()
        poses[:, :3, :3] = poses[:, :3, :3] @ rolled(np.radians(roll))
    wider = 1 + 2 * sample(step.overscan, frames)[:, None]
    return poses, half * wider, 2 * sample(step.shift, frames) / wider


def fitted_poses(
    corners: NDArray[np.float64], half: NDArray[np.float64], fit: NDArray[np.float64], orbit: NDArray[np.float64]
) -> NDArray[np.float64]:
    """(f, 4, 4): the nearest poses on the rays of `orbit` (f, 2; degrees to the right, up) at which every corner lies
    within the wanted shares (f) of the frame."""
    yaw, pitch = np.radians(orbit[:, 0]), np.radians(np.clip(orbit[:, 1], -89, 89))
    back = np.stack([np.sin(yaw) * np.cos(pitch), np.sin(pitch), np.cos(yaw) * np.cos(pitch)], axis=1)
    centre = (corners.min(0) + corners.max(0)) / 2
    local = (corners - centre) @ look_at(centre + back, centre)[:, :3, :3]
    across = local[..., 2] + np.abs(local[..., 0]) / (half[:, :1] * fit[:, None])
    high = local[..., 2] + np.abs(local[..., 1]) / (half[:, 1:] * HEIGHT_SHARE * fit[:, None])
    distance = np.maximum(np.maximum(across.max(1), high.max(1)), 0.05)
    return look_at(centre + back * distance[:, None], centre)
