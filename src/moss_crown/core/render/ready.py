"""Compiling the renderer's kernels before the first picture, in two parts for two processes."""

from __future__ import annotations

import numpy as np

from moss_crown.core.form.mesh import Solid
from moss_crown.core.look.material import Surface
from moss_crown.core.render.display import to_bytes
from moss_crown.core.render.environment_map import COLUMNS, ROWS
from moss_crown.core.render.layers import merged_shares
from moss_crown.core.render.photons import FEWEST, SAMPLES_A_PHOTON
from moss_crown.core.render.renderer import Render, RenderSettings
from moss_crown.core.render.texturing import textures
from moss_crown.core.stage.scene import Camera, Placed, Scene, Sheet, Surround


def _plainest() -> Scene:
    """A triangle over a floor, under an even sky."""
    flat = np.tile(np.array([0.0, 0.0, 1.0], np.float32), (1, 3, 1))
    triangle = Solid(
        np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0]]), np.array([[0, 1, 2]]), np.zeros(1, np.uint8), flat, False
    )
    floor = Sheet(np.zeros(3), np.array([4.0, 0, 0]), np.array([0.0, 0, -4]), 0)
    sky = Surround(np.ones((ROWS, COLUMNS, 3), np.float32), 1.0, 0.0)
    camera = Camera(np.eye(4)[None], (0.5, 0.5), (0.0, 0.0))
    dull = Surface((0.5, 0.5, 0.5), 0.0, 0.5, 1.5)
    return Scene((triangle,), (Placed(0, np.eye(4)[None], (0,) * 6),), (floor,), (dull,), (), sky, camera)


def ready_paths() -> None:
    """What traces paths: half of all."""
    with Render(_plainest(), RenderSettings(1, 1, 1), aided=False) as picture:
        picture.add(1)


def ready_others() -> None:
    """What goes ahead of paths, what draws textures, what comes after."""
    textures()
    to_bytes(np.zeros((1, 1, 3), np.float32), 0)
    merged_shares(np.zeros((1, 1), np.int64), np.ones((1, 1), np.float32))
    with Render(_plainest(), RenderSettings(1, 1, FEWEST * SAMPLES_A_PHOTON)):
        pass
