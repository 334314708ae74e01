"""The camera of a shot: its path, what it follows and what it is sharp on, and the moments of an open shutter."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.camera import CameraStep, Subject
from moss_crown.core.document.shot import Shot
from moss_crown.core.look.exposure import grade
from moss_crown.core.motion.moving import Framing
from moss_crown.core.motion.poses import Poses
from moss_crown.core.stage.camera import camera_poses
from moss_crown.core.stage.scene import Camera
from moss_crown.core.values.sampling import Frames, sample, sample_one

if TYPE_CHECKING:
    from moss_crown.core.evaluation.evaluation import Evaluation
    from moss_crown.core.evaluation.setting import Structure

Floats: TypeAlias = NDArray[np.float64]
STEP_BLUR = np.radians(8.0)
"""A letter that turns gets a pose in the shutter for at most every 8 degrees: matrices are interpolated straight."""
MOST_BLUR_POSES = 17


def camera_step(shot: Shot) -> CameraStep:
    """The shot's camera; one with the defaults where the recipe has none."""
    return next((step for step in shot.steps if isinstance(step, CameraStep)), CameraStep(id="camera"))


def grade_at(shot: Shot, frame: float) -> Floats:
    """(3, 3) exposure and white balance of the camera at a frame."""
    step = camera_step(shot)
    return grade(sample_one(step.exposure, frame), sample_one(step.white, frame))


def framing(of: Evaluation, frames: Frames, aspect: float) -> Framing:
    """The camera without what it follows. It fits the letters as they are set and rest at the last frame, so that it
    does not twitch."""
    shot = of.shot
    corners = of.fitted
    return Framing(*camera_poses(camera_step(shot), frames, corners, aspect, float(shot.fps.fraction), shot.seed))


def following(of: Evaluation, frames: Frames, aspect: float) -> Framing:
    """The camera with what it follows."""
    step = camera_step(of.shot)
    still = of.framing(frames, aspect)
    if not step.follow:
        return still
    away = subject_places(of, step.follow, frames) - subject_places(of, step.follow, np.array([of.shot.last]))
    poses = still.poses.copy()
    poses[:, :3, 3] += sample(step.follow_share, frames)[:, None] * away
    return Framing(poses, still.half, still.shift)


def subject_places(of: Evaluation, subject: Subject, frames: Frames) -> Floats:
    """(f, 3): the middle of a subject's letters in the world; the origin while it is not there."""
    found = np.zeros((len(frames), 3))
    begin = 0
    for structure, own in of.spans([float(frame) for frame in frames]):
        rows = slice(begin, begin + len(own))
        begin = rows.stop
        first = 0
        for block in structure.blocks:
            letters = list(block.letters)
            chosen = letters if subject.letter is None else letters[subject.letter : subject.letter + 1]
            if of.shot.steps[block.step].id == subject.block and chosen and not block.member.copied:
                at = first + (subject.letter or 0)
                poses = of.poses(structure, np.array(own))[:, at : at + len(chosen)]
                centres = np.array([(*letter.centre, 0.0) for letter in chosen])
                places = (poses[:, :, :3, :3] * centres[None, :, None]).sum(-1) + poses[:, :, :3, 3]
                found[rows] = places.mean(1)
            first += len(letters)
    return found


def camera(of: Evaluation, frames: Frames, aspect: float) -> Camera:
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


def _focus(of: Evaluation, step: CameraStep, frame: float, pose: Floats) -> float:
    """The distance along the camera's axis at which it is sharp: on its subject, else as set, else on the title."""
    wanted = float(sample_one(step.focus, frame))
    if step.focus_on:
        middle = subject_places(of, step.focus_on, np.array([frame]))[0]
    elif wanted > 0 or not len(of.fitted):
        return max(wanted, 0.01)
    else:
        middle = (of.fitted.min(0) + of.fitted.max(0)) / 2
    return max(float((pose[:3, 3] - middle) @ pose[:3, 2]), 0.01)


def shutter_frames(of: Evaluation, structure: Structure, frame: float, aspect: float) -> Frames:
    """The moments at which poses are taken while the shutter is open, evenly spread about the middle of that.

    As few as the fastest turn allows; one when nothing moves.
    """
    step = camera_step(of.shot)
    half = sample_one(step.shutter, frame) / 720
    middle = frame + sample_one(step.shutter_phase, frame) / 360
    if half == 0:
        return np.array([middle])
    ends = np.array([middle - half, middle, middle + half])
    poses = of.poses(structure, ends)
    cameras = of.camera_path(ends, aspect).poses
    if np.array_equal(poses[0], poses[1]) and np.array_equal(poses[1], poses[2]) and np.ptp(cameras, axis=0).max() == 0:
        return of.middle_alone(structure, ends, aspect)
    turned = max((_turned(a, b) for a, b in ((poses[0], poses[1]), (poses[1], poses[2]))), default=0.0)
    turned = max(turned, _turned(cameras[0:1], cameras[1:2]))
    count = 2 * int(np.clip(np.ceil(turned / STEP_BLUR), 1, MOST_BLUR_POSES // 2)) + 1
    return np.linspace(middle - half, middle + half, count)


def _turned(before: Poses, after: Poses) -> float:
    """The largest change of direction of any axis, in radians."""
    if not len(before):
        return 0.0
    a, b = before[..., :3, :3], after[..., :3, :3]
    length = np.linalg.norm(a, axis=-2) * np.linalg.norm(b, axis=-2)
    cosine = (a * b).sum(-2) / np.maximum(length, 1e-12)
    return float(np.arccos(np.clip(cosine, -1, 1)).max())
