"""The evaluation of a shot: one object that is asked for what there is at a frame, and remembers what was asked."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.evaluation import scene, seen, timing
from moss_crown.core.evaluation.setting import Structure
from moss_crown.core.evaluation.timing import Timing
from moss_crown.core.evaluation.whereabouts import Whereabouts
from moss_crown.core.finish.finish import Treatment
from moss_crown.core.motion.poses import Poses
from moss_crown.core.stage.scene import Camera, Scene
from moss_crown.core.values.sampling import Frames


class Evaluation(Whereabouts):
    """A shot, asked for what there is at its frames. `cache` holds solids, also those of other shots.

    What it answers must not be changed. It is for one thread.
    """

    def camera(self, frames: Frames, aspect: float) -> Camera:
        """The camera while a shutter is open: its poses at several moments, its lens in the middle of them."""
        return seen.camera(self, frames, aspect)

    def shutter_frames(self, frame: float, aspect: float = 1.0) -> Frames:
        """The moments at which poses are taken while the shutter is open at a frame."""
        return seen.shutter_frames(self, self.structure(frame), frame, aspect)

    def timing(self, structure: Structure, frames: Frames) -> Timing:
        """What the sheet shows of a span. The frames follow one another."""
        return timing.timing(self, structure, frames)

    def rest_frame(self, letters: NDArray[np.float64] | None = None) -> float:
        """The frame at which all letters are at rest and every block has reached its last key; NEVER for none.
        `letters` may give the rest of the last frame's letters, where that is known."""
        return timing.rest_frame(self, letters)

    def contacts(self, structure: Structure, frames: Frames, poses: Poses | None = None) -> NDArray[np.uint8]:
        """(f, l): at which frames letters run into each other, the floor or the wall. `poses` may give those of
        `boxed` at the frames, where they are known."""
        return timing.contacts_of(self, structure, frames, poses)

    def scene(self, frame: float, aspect: float, blur: bool = True, height: int = 720, motion: bool = False) -> Scene:
        """Everything the renderer needs for a frame `height` pixels high; with `motion` also where all is a frame
        later. Raises TooMany where its solids have more triangles than there may be."""
        return scene.scene(self, frame, aspect, blur, height, motion)

    def treatments(self, frame: float) -> tuple[Treatment, ...]:
        """What is done to the picture of a frame, in order: nothing, since no kind of step is of that stage yet."""
        return ()
