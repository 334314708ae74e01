"""Letters before a wall of their own colour: how much of the contrast across their outlines is left after denoising few
samples, compared with many."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt, uniform_filter

from bench.report import say
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.document.look import Material
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.look.exposure import BRIGHTNESS
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_layers
from moss_crown.core.proposals.lighting import light_with

FEW, MANY = 16, 1024
REGION = (0.3, 0.3, 0.7, 0.62)
AROUND = 7
"""Pixels about an outline that are compared."""
Picture = NDArray[np.float64]


def scene(colour: tuple[float, float, float], depth: float, apart: float, kit: Any, strength: float) -> Shot:
    """Letters without an edge, so deep, so far before a wall of their colour."""
    shot = new_shot(text="TIDE")
    shot = patched(write_shot(shot), light_with(shot, shot.last, kit))
    own = Material(colour=colour, roughness=0.7).model_dump(mode="json")
    steps = {step.id: k for k, step in enumerate(shot.steps)}
    values = {
        "material/face": own,
        "material/edge": own,
        "form/depth": depth,
        "form/front/profile": "square",
        "stage/wall_material": own,
        "stage/wall_distance": apart,
        "stage/horizon": 0.0,
        "environment/strength": strength,
    }
    patch = []
    for path, value in values.items():
        id, _, rest = path.partition("/")
        patch.append({"op": "replace", "path": f"/steps/{steps[id]}/{rest}", "value": value})
    return patched(write_shot(shot), patch)


def rendered(shot: Shot, samples: int) -> tuple[Picture, NDArray[np.bool_], NDArray[np.bool_]]:
    """The denoised light of a part of the frame; what is wholly of letters, and what of none."""
    order = FrameOrder(640, 360, samples, motion_blur=False, threads=2, region=REGION)
    picture, layers = render_layers(Evaluation(shot), shot.last, order)
    mattes = layers.mattes["letter"]
    letters = [k for k, name in enumerate(mattes.names) if name[0].isdigit()]
    cover = (np.isin(mattes.index, letters) * mattes.share).sum(-1)
    return (picture.light @ BRIGHTNESS).astype(np.float64), cover > 0.95, cover < 0.05


def across(light: Picture, inside: NDArray[np.bool_], outside: NDArray[np.bool_]) -> Picture:
    """The contrast between both sides of outlines, of their light, at each pixel just inside."""
    inner = inside & (distance_transform_edt(inside) <= 2)
    outer = outside & (distance_transform_edt(outside) <= 2)

    def mean(where: NDArray[np.bool_]) -> Picture:
        much = uniform_filter(where.astype(np.float64), AROUND)
        return np.asarray(uniform_filter(np.where(where, light, 0.0), AROUND) / np.maximum(much, 1e-9))

    beside = inner & (uniform_filter(outer.astype(np.float64), AROUND) > 0.03)
    one, other = mean(inner)[beside], mean(outer)[beside]
    return np.asarray(np.abs(one - other) / (one + other))


def main() -> None:
    scenes = {
        "cream card on cream, key and fill": scene((0.62, 0.60, 0.55), 0.02, 0.1, "key_and_fill", 0.3),
        "cream card on cream, soft from the front": scene((0.62, 0.60, 0.55), 0.02, 0.1, "soft_front", 0.6),
        "red letters before red, soft from the front": scene((0.5, 0.09, 0.07), 0.3, 0.8, "soft_front", 0.4),
    }
    for name, shot in scenes.items():
        many, inside, outside = rendered(shot, MANY)
        few, _, _ = rendered(shot, FEW)
        wanted, found = across(many, inside, outside), across(few, inside, outside)
        low = float(np.median(wanted))
        figure = f"{found.mean() / wanted.mean():.1%} of a contrast of {low:.3f}"
        say(f"outlines left at {FEW} samples: {name}", figure, "95 % or more")
