"""The camera while a shutter is open, and the moments at which that is looked at."""

from __future__ import annotations

import numpy as np

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.evaluation.camera import Floats, camera_step, grade_at
from moss_crown.core.evaluation.setting import Structure
from moss_crown.core.evaluation.whereabouts import Whereabouts
from moss_crown.core.motion.poses import Poses
from moss_crown.core.stage.scene import Camera
from moss_crown.core.values.sampling import Frames, sample_one

STEP_BLUR = np.radians(8.0)
"""A letter that turns gets a pose in the shutter for at most every 8 degrees: matrices are interpolated straight."""
MOST_BLUR_POSES = 17


def camera(of: Whereabouts, frames: Frames, aspect: float) -> Camera:
    """The camera while a shutter is open: its poses at several moments, its lens in the middle of them."""
    step = camera_step(of.shot)
    path = of.camera_path(frames, aspect)
    middle = len(frames) // 2
    moment = float(frames[middle])
    return Camera(
        path.poses,
        (float(path.half[middle, 0]), float(path.half[middle, 1])),
        (float(path.shift[middle, 0]), float(path.shift[middle, 1])),
        opening=sample_one(step.opening, moment) / 2,
        focus=_focus(of, step, moment, path.poses[middle]),
        blades=round(sample_one(step.blades, moment)),
        grade=grade_at(of.shot, moment),
    )


def _focus(of: Whereabouts, step: CameraStep, frame: float, pose: Floats) -> float:
    """The distance along the camera's axis at which it is sharp: on its subject, else as set, else on the title."""
    wanted = float(sample_one(step.focus, frame))
    if step.focus_on:
        middle = of.subject_places(step.focus_on, np.array([frame]))[0]
    elif wanted > 0 or not len(of.fitted):
        return max(wanted, 0.01)
    else:
        middle = (of.fitted.min(0) + of.fitted.max(0)) / 2
    return max(float((pose[:3, 3] - middle) @ pose[:3, 2]), 0.01)


def shutter(of: Whereabouts, frame: float) -> Frames:
    """When a shutter opens, is half way, and closes; that moment alone where it opens for none."""
    step = camera_step(of.shot)
    half = sample_one(step.shutter, frame) / 720
    middle = frame + sample_one(step.shutter_phase, frame) / 360
    return np.array([middle - half, middle, middle + half]) if half else np.array([middle])


def shutter_frames(of: Whereabouts, structure: Structure, frame: float, aspect: float) -> Frames:
    """The moments at which poses are taken while the shutter is open, evenly spread about the middle of that.

    As few as the fastest turn allows; one when nothing moves.
    """
    ends = shutter(of, frame)
    if len(ends) == 1:
        return ends
    poses = of.poses(structure, ends)
    cameras = of.camera_path(ends, aspect).poses
    if np.array_equal(poses[0], poses[1]) and np.array_equal(poses[1], poses[2]) and np.ptp(cameras, axis=0).max() == 0:
        return of.middle_alone(structure, ends, aspect)
    turned = max((_turned(a, b) for a, b in ((poses[0], poses[1]), (poses[1], poses[2]))), default=0.0)
    turned = max(turned, _turned(cameras[0:1], cameras[1:2]))
    count = 2 * int(np.clip(np.ceil(turned / STEP_BLUR), 1, MOST_BLUR_POSES // 2)) + 1
    return np.linspace(ends[0], ends[-1], count)


def _turned(before: Poses, after: Poses) -> float:
    """The largest change of direction of any axis, in radians."""
    if not len(before):
        return 0.0
    a, b = before[..., :3, :3], after[..., :3, :3]
    length = np.linalg.norm(a, axis=-2) * np.linalg.norm(b, axis=-2)
    cosine = (a * b).sum(-2) / np.maximum(length, 1e-12)
    return float(np.arccos(np.clip(cosine, -1, 1)).max())
