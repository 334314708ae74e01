"""The camera of a shot along its path, but for what it follows."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.look.exposure import grade
from moss_crown.core.motion.moving import Framing
from moss_crown.core.stage.camera import camera_poses
from moss_crown.core.values.sampling import Frames, sample_one

Floats: TypeAlias = NDArray[np.float64]


def camera_step(shot: Shot) -> CameraStep:
    """The shot's camera; one with the defaults where the recipe has none."""
    return next((step for step in shot.steps if isinstance(step, CameraStep)), CameraStep(id="camera"))


def grade_at(shot: Shot, frame: float) -> Floats:
    """(3, 3) exposure and white balance of the camera at a frame."""
    step = camera_step(shot)
    return grade(sample_one(step.exposure, frame), sample_one(step.white, frame))


def framing(shot: Shot, frames: Frames, corners: Floats, aspect: float) -> Framing:
    """The camera without what it follows. It fits `corners` (n, 3): the letters as they are set and rest at the last
    frame, so that it does not twitch."""
    return Framing(*camera_poses(camera_step(shot), frames, corners, aspect, float(shot.fps.fraction), shot.seed))


def moved_along(still: Framing, by: Floats) -> Framing:
    """A camera moved at each frame by (f, 3) metres."""
    poses = still.poses.copy()
    poses[:, :3, 3] += by
    return Framing(poses, still.half, still.shift)
