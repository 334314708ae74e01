"""Renders the pictures of the material catalogue: `python -m moss_crown.demo.swatches [ID ...]`."""

from __future__ import annotations

import sys

from moss_crown.core.cache import Cache
from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.form import FormStep
from moss_crown.core.document.letters import BlockStep
from moss_crown.core.document.look import EnvironmentStep, LightsStep, MaterialStep
from moss_crown.core.document.shot import Shot, Step
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.formats.png import write_jpeg
from moss_crown.core.look.materials import MATERIALS, SWATCHES, Curated
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_picture

ORDER = FrameOrder(176, 132, 64, motion_blur=False, threads=2)


def swatch_shot(entry: Curated) -> Shot:
    """One round, bevelled letter, near, in a quiet light."""
    shot = new_shot(entry.name, "S")
    return shot.model_copy(update={"steps": [_dressed(step, entry) for step in shot.steps]})


def _dressed(step: Step, entry: Curated) -> Step:
    match step:
        case BlockStep():
            return step.model_copy(update={"family": "fredoka"})
        case FormStep():
            edge = step.front.model_copy(update={"width": 0.05, "height": 0.05, "segments": 8})
            return step.model_copy(update={"depth": 0.34, "front": edge})
        case MaterialStep():
            return step.model_copy(update={"face": entry.material, "edge": entry.material})
        case EnvironmentStep():
            return step.model_copy(update={"strength": 0.75})
        case LightsStep():
            dimmed = [light.model_copy(update={"power": float(str(light.power)) * 0.45}) for light in step.lights]
            return step.model_copy(update={"lights": dimmed})
        case CameraStep():
            return step.model_copy(update={"orbit": (24.0, 14.0), "fit": 0.88})
    return step


def main(ids: list[str]) -> None:
    cache = Cache()
    SWATCHES.mkdir(exist_ok=True)
    for id in ids or list(MATERIALS):
        shot = swatch_shot(MATERIALS[id])
        picture = render_picture(Evaluation(shot, cache), shot.last, ORDER)
        (SWATCHES / f"{id}.jpg").write_bytes(write_jpeg(picture.pixels()))
        print(id)


if __name__ == "__main__":
    main(sys.argv[1:])
