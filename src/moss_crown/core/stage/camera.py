"""The shot camera at a frame."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.shot import CameraStep
from moss_crown.core.motion.values import sample_one

SENSOR_WIDTH = 36.0
"""Millimetres; the lens's angle of view follows from it and the lens."""
DRIFT_PLACE, DRIFT_TURN = 0.01, 0.5
"""How far a drift of 1 goes at most: a share of the distance, and degrees."""
_WAVES = ((0.55, 1.0), (0.3, 2.17), (0.15, 3.31))
"""Size and tempo of the waves that a drift is made of, which never come round together."""

HEIGHT_SHARE = 0.8
"""A fitted title takes at most this share of the frame's height."""


def half_tangents(lens: float, aspect: float, sensor: float = SENSOR_WIDTH) -> tuple[float, float]:
    """Tangents of half the angle of view, across and up, for a lens and a width of sensor in millimetres."""
    across = sensor / 2 / lens
    return across, across / aspect


def look_at(place: NDArray[np.float64], aim: NDArray[np.float64]) -> NDArray[np.float64]:
    """(4, 4) camera to world; the camera looks along -Z with Y up. Looking straight up or down, X stays level."""
    back = place - aim
    length = np.linalg.norm(back)
    back = back / length if length > 1e-9 else np.array([0.0, 0.0, 1.0])
    right = np.array([back[2], 0.0, -back[0]])  # Y cross back
    size = np.linalg.norm(right)
    right = right / size if size > 1e-6 else np.array([1.0, 0.0, 0.0])
    up = np.array(
        [
            back[1] * right[2] - back[2] * right[1],
            back[2] * right[0] - back[0] * right[2],
            back[0] * right[1] - back[1] * right[0],
        ]
    )
    matrix = np.eye(4)
    matrix[:3, 0], matrix[:3, 1], matrix[:3, 2], matrix[:3, 3] = right, up, back, place
    return matrix


def swayed(pose: NDArray[np.float64], away: float, drift: float, phase: float, seed: int) -> NDArray[np.float64]:
    """A pose as a hand holds it: moved and turned by smooth waves. `phase`: seconds times tempo; `away`: the distance
    of what it looks at, in metres."""
    starts = np.random.default_rng(seed).random((6, len(_WAVES)))
    waves = [
        sum(size * np.sin(2 * np.pi * (tempo * phase + s)) for (size, tempo), s in zip(_WAVES, row, strict=True))
        for row in starts
    ]
    move = np.array(waves[:3]) * DRIFT_PLACE * away * drift
    a, b, c = np.radians(np.array(waves[3:]) * DRIFT_TURN * drift)
    tilt = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    pan = np.array([[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]])
    found = pose.copy()
    found[:3, 3] += pose[:3, :3] @ move
    found[:3, :3] = pose[:3, :3] @ pan @ tilt @ _rolled(c)
    return found


def _rolled(radians: float) -> NDArray[np.float64]:
    """About the camera's own axis: to its right."""
    c, s = np.cos(radians), np.sin(radians)
    return np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])


def camera_pose(
    step: CameraStep,
    frame: float,
    corners: NDArray[np.float64],
    aspect: float,
    fps: float = 25.0,
    seed: int = 1,
) -> tuple[NDArray[np.float64], tuple[float, float], tuple[float, float]]:
    """Pose, half tangents and shift of the camera at a frame.

    corners (n, 3): the box of the title at rest in the world, what `fit` goes by. `fps` and `seed` are the drift's.
    """
    half = half_tangents(sample_one(step.lens, frame), aspect, sample_one(step.sensor, frame))
    shift_x, shift_y = sample_one(step.shift, frame)
    fit = sample_one(step.fit, frame)
    if fit > 0 and len(corners):
        pose = fitted_pose(corners, half, fit, *sample_one(step.orbit, frame))
    else:
        pose = look_at(sample_one(step.place, frame), sample_one(step.aim, frame))
    drift = sample_one(step.drift, frame)
    if drift > 0:
        target = (corners.min(0) + corners.max(0)) / 2 if len(corners) else np.asarray(sample_one(step.aim, frame))
        away = float(np.linalg.norm(pose[:3, 3] - target))
        pose = swayed(pose, away, drift, frame / fps * sample_one(step.drift_tempo, frame), seed)
    roll = sample_one(step.roll, frame)
    if roll:
        pose = pose.copy()
        pose[:3, :3] = pose[:3, :3] @ _rolled(np.radians(roll))
    wider = 1 + 2 * sample_one(step.overscan, frame)
    half = (half[0] * wider, half[1] * wider)
    shift_x, shift_y = shift_x / wider, shift_y / wider
    return pose, half, (2 * float(shift_x), 2 * float(shift_y))


def fitted_pose(
    corners: NDArray[np.float64], half: tuple[float, float], fit: float, right: float, up: float
) -> NDArray[np.float64]:
    """The nearest pose on the ray of `orbit` at which every corner lies within the wanted share of the frame."""
    yaw, pitch = np.radians(right), np.radians(np.clip(up, -89, 89))
    back = np.array([np.sin(yaw) * np.cos(pitch), np.sin(pitch), np.cos(yaw) * np.cos(pitch)])
    centre = (corners.min(0) + corners.max(0)) / 2
    pose = look_at(centre + back, centre)
    local = (corners - centre) @ pose[:3, :3]
    across = local[:, 2] + np.abs(local[:, 0]) / (half[0] * fit)
    high = local[:, 2] + np.abs(local[:, 1]) / (half[1] * HEIGHT_SHARE)
    distance = max(float(across.max()), float(high.max()), 0.05)
    return look_at(centre + back * distance, centre)
