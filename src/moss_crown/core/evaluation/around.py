"""What is around the letters at a frame: lamps, the environment, and what shows behind everything."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from moss_crown.core.document.look import EnvironmentStep, LightsStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.look import pictures
from moss_crown.core.look.environment import Tilt, environment, tilted
from moss_crown.core.stage.backdrop import Backdrop
from moss_crown.core.stage.lamps import EDGES, FACES, light_at, sources_at
from moss_crown.core.stage.scene import EVERYTHING, MIRRORED, Light, Surround
from moss_crown.core.values.sampling import sample_choice, sample_one, sample_parts, sample_triple


def environment_step(shot: Shot, frame: float) -> EnvironmentStep | None:
    """The environment that is on at a frame."""
    found = (step for step in shot.steps if isinstance(step, EnvironmentStep))
    return next((step for step in found if sample_choice(step.on, frame)), None)


def surround_at(shot: Shot, frame: float, aspect: float) -> Surround:
    """The environment at a frame, and what shows behind everything in a frame of this aspect."""
    step = environment_step(shot, frame)
    if step is None:
        return Surround(environment("overcast"), 0.0, 0.0)
    return Surround(
        tilted(sample_choice(step.preset, frame), tilt_at(step, frame)),
        sample_one(step.strength, frame),
        sample_one(step.turn, frame),
        _behind(step, frame, aspect),
    )


def tilt_at(step: EnvironmentStep, frame: float) -> Tilt:
    """Degrees by which the environment leans towards the camera and to the right, to a thousandth."""
    forward, right = (round(v, 3) for v in sample_parts(step.tilt, frame).tolist())
    return forward, right


def _behind(step: EnvironmentStep, frame: float, aspect: float) -> Literal["nothing", "environment"] | Backdrop:
    """What shows behind everything."""
    if named := named_behind(step, frame):
        return named
    picture = backdrop_picture(step, frame)
    shown = None if picture is None else pictures.texture(picture)
    return replace(backdrop_at(step, frame), picture=shown, aspect=aspect)


def named_behind(step: EnvironmentStep, frame: float) -> Literal["nothing", "environment"] | None:
    """What shows behind everything where that is nothing or the environment; None where a backdrop fills the frame."""
    match sample_choice(step.behind, frame):
        case "nothing":
            return "nothing"
        case "environment":
            return "environment"
    return None


def backdrop_at(step: EnvironmentStep, frame: float) -> Backdrop:
    """What fills the frame behind everything, but for a picture."""
    low = sample_triple(step.colour, frame)
    high = sample_triple(step.colour_above, frame) if sample_choice(step.behind, frame) == "gradient" else low
    return Backdrop(low, high, sample_one(step.gradient_turn, frame))


def backdrop_picture(step: EnvironmentStep, frame: float) -> str | None:
    """The picture that fills the frame behind everything, if one does."""
    chosen: str | None = sample_choice(step.backdrop, frame)
    return chosen if sample_choice(step.behind, frame) == "picture" else None


def light_names(shot: Shot, frame: float) -> tuple[str, ...]:
    """What the lamps that are on are called, once for each of their sources."""
    on = [step for step in shot.steps if isinstance(step, LightsStep) and sample_choice(step.on, frame)]
    return tuple(lamp.name for step in on for lamp in step.lights for _ in range(round(sample_one(lamp.stack, frame))))


def lights_at(
    shot: Shot, frame: float, owners: Sequence[str] = (), grounds: int = 0, whole: bool = False
) -> tuple[Light, ...]:
    """The lamps that are on: all the sources that they are made of, or each as a `whole`. `owners` names the block of
    each letter (or whatever is lit together) that they may touch, before so many `grounds`."""
    found: list[Light] = []
    for step in shot.steps:
        if isinstance(step, LightsStep) and sample_choice(step.on, frame):
            for lamp in step.lights:
                bits = FACES * sample_choice(lamp.on_faces, frame) | EDGES * sample_choice(lamp.on_edges, frame)
                bits |= MIRRORED * sample_choice(lamp.mirrored_letters, frame)
                ground = EVERYTHING if sample_choice(lamp.mirrored_stage, frame) else EVERYTHING ^ MIRRORED
                ground *= sample_choice(lamp.on_stage, frame)
                touches = None
                if lamp.only or ground != EVERYTHING or bits != FACES | EDGES | MIRRORED:
                    letters = [bits if not lamp.only or owner in lamp.only else 0 for owner in owners]
                    touches = (*letters, *([ground] * grounds))
                found += [light_at(lamp, frame, touches)] if whole else sources_at(lamp, frame, touches)
    return tuple(found)
