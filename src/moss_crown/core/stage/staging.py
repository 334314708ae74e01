"""The stage at a frame: what letters stand on and before, and the haze between."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.kinds import Colour
from moss_crown.core.document.look import Material, StageStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Value
from moss_crown.core.look.material import Surface, surface_at
from moss_crown.core.stage.ground import steps_line, sweep_line
from moss_crown.core.stage.scene import Globe, Ground, Haze, Sheet, Swept
from moss_crown.core.values.sampling import Frames, needed, sample_choice, sample_one, sample_triple

REACH = 60.0
"""Metres that a stage goes on to each side."""
NO_WALL = -1e4


def stages_on(shot: Shot, frame: float) -> Iterator[StageStep]:
    """Stage steps that are on at a frame."""
    return (step for step in shot.steps if isinstance(step, StageStep) and sample_choice(step.on, frame))


def grounds_at(shot: Shot, frame: float, surfaces: list[Surface]) -> tuple[Ground, ...]:
    """What the stage is made of; the materials of that are added to `surfaces`."""
    found: list[Ground] = []
    for step in stages_on(shot, frame):
        found += _grounds(step, frame, surfaces)
    return tuple(found)


def _grounds(step: StageStep, frame: float, surfaces: list[Surface]) -> Iterator[Ground]:
    catches = sample_choice(step.catch, frame)
    shape = sample_choice(step.shape, frame)
    distance, radius = sample_one(step.wall_distance, frame), sample_one(step.radius, frame)

    def added(surface: Surface) -> int:
        surfaces.append(surface)
        return len(surfaces) - 1

    def made_of(material: Material) -> int:
        return added(surface_at(material, frame))

    if shape == "globe":
        top = np.array(sample_triple(step.globe_place, frame))
        yield Globe(top - [0.0, radius, 0.0], radius, made_of(step.floor_material), catches, "globe")
    elif shape == "sweep":
        line = sweep_line(distance, radius, REACH)
        yield Swept(*line, REACH, made_of(step.wall_material), catches, "sweep")
    elif shape == "steps":
        count, rise, run = (sample_one(v, frame) for v in (step.steps, step.rise, step.run))
        line = steps_line(distance, round(count), rise, run, REACH)
        yield Swept(*line, REACH, made_of(step.floor_material), catches, "steps")
    else:
        floor = sample_choice(step.floor, frame)
        wall = shape == "corner" and sample_choice(step.wall, frame)
        if floor:
            yield Sheet(
                np.array([0.0, 0.0, REACH - distance]) if wall else np.zeros(3),
                np.array([REACH, 0.0, 0.0]),
                np.array([0.0, 0.0, -REACH]),
                made_of(step.floor_material),
                catches,
                "floor",
            )
        if shape == "card":
            width, height = sample_one(step.card_width, frame), sample_one(step.card_height, frame)
            yield Sheet(
                np.array([0.0, height / 2, -distance]),
                np.array([width / 2, 0.0, 0.0]),
                np.array([0.0, height / 2, 0.0]),
                added(_filled(surface_at(step.wall_material, frame), width, height)),
                catches,
                "card",
            )
        elif wall:
            # It stands on the floor; without one it goes on below.
            half = REACH / 2 if floor else REACH
            yield Sheet(
                np.array([0.0, REACH - half, -distance]),
                np.array([REACH, 0.0, 0.0]),
                np.array([0.0, half, 0.0]),
                made_of(step.wall_material),
                catches,
                "wall",
            )


def _filled(surface: Surface, width: float, height: float) -> Surface:
    """The surface of a card: its pictures fill the card's width once, about its middle."""
    if surface.images is None:
        return surface
    middle = (0.0, height / 2, 0.0)
    images = replace(surface.images, width=width, tiling="once", turn=0.0, shift=middle, by_letter=False)
    return replace(surface, images=images)


def globe_middles(shot: Shot, frames: Frames) -> NDArray[np.float64]:
    """(f or 1, 3): the middle of the stage's globe, no number where there is none."""
    steps = [step for step in shot.steps if isinstance(step, StageStep)]
    asked = needed([(step.on, step.shape, step.radius, step.globe_place) for step in steps], frames)
    found = np.full((len(asked), 3), np.nan)
    for k, frame in enumerate(asked):
        for step in stages_on(shot, float(frame)):
            if sample_choice(step.shape, frame) == "globe":
                found[k] = sample_triple(step.globe_place, frame)
                found[k, 1] -= sample_one(step.radius, frame)
                break
    return found


def wall_behind(shot: Shot, frame: float, solid: bool = False) -> float:
    """z of the nearest wall behind the title, or of the first step or card; NO_WALL where there is none. With `solid`
    one that only catches shadows is none."""
    for step in stages_on(shot, frame):
        if solid and sample_choice(step.catch, frame):
            continue
        shape = sample_choice(step.shape, frame)
        if shape != "globe" and (shape != "corner" or sample_choice(step.wall, frame)):
            return -float(sample_one(step.wall_distance, frame))
    return NO_WALL


def floor_below(shot: Shot, frame: float) -> float:
    """y of the floor that letters could go into; minus infinity where there is none, or one that only catches."""
    for step in stages_on(shot, frame):
        shape = sample_choice(step.shape, frame)
        flat = shape in ("sweep", "steps") or (shape != "globe" and sample_choice(step.floor, frame))
        if flat and not sample_choice(step.catch, frame):
            return 0.0
    return -np.inf


def haze_at(shot: Shot, frame: float) -> Haze | None:
    """The haze of the stage at a frame, None where there is none."""
    return next(filter(None, (_haze(s.haze, s.haze_colour, frame) for s in stages_on(shot, frame))), None)


def horizon_at(shot: Shot, frame: float) -> Haze | None:
    """What the stage goes over into around its middle."""
    return next(filter(None, (_haze(s.horizon, s.horizon_colour, frame) for s in stages_on(shot, frame))), None)


def _haze(distance: Value[float], colour: Value[Colour], frame: float) -> Haze | None:
    half = sample_one(distance, frame)
    if half <= 0:
        return None
    return Haze(float(np.sqrt(np.log(2)) / half), sample_triple(colour, frame))
