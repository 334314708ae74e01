"""Looks: material, environment, lights and stage of a shot, kept apart from its title, to be worn by any other.

Lights and the wall stand in half widths of the title from its middle, so that a look fits any title; a light's power is
that for a half width of one metre.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeAlias

import numpy as np

from moss_crown.core.document.look import (
    EnvironmentStep,
    Light,
    LightsStep,
    MaterialStep,
    StageStep,
)
from moss_crown.core.document.shot import Shot, Step
from moss_crown.core.document.values import Keyed
from moss_crown.core.proposals.lighting import LOWEST, measure, rounded
from moss_crown.core.proposals.look_book import PARTS, Look, Part
from moss_crown.core.stage.staging import wall_behind
from moss_crown.core.values.sampling import sample_choice
from moss_crown.core.values.tied import settled

Patch: TypeAlias = list[dict[str, Any]]


def _mapped(value: Any, change: Callable[[Any], Any]) -> Any:
    """A value, or each key of one, changed."""
    if isinstance(value, Keyed):
        keys = [key.model_copy(update={"value": change(key.value)}) for key in value.keys]
        return value.model_copy(update={"keys": keys})
    return change(value)


def _moved(lamp: Light, place: Callable[[Any], Any], aim: Callable[[Any], Any], size: float) -> Light:
    """A lamp with its place and aim changed and its size and reach times `size`; its power goes with the square."""

    def times(factor: float, most: float = 1e6) -> Callable[[Any], Any]:
        return lambda v: min(float(v) * factor, most)

    return lamp.model_copy(
        update={
            "place": _mapped(lamp.place, place),
            "aim": _mapped(lamp.aim, aim),
            "width": _mapped(lamp.width, times(size, 100)),
            "height": _mapped(lamp.height, times(size, 100)),
            "limit": _mapped(lamp.limit, times(size, 1000)),
            "power": lamp.power if lamp.shape == "sun" else _mapped(lamp.power, times(size * size)),
            "only": [],
        }
    )


def look_of(shot: Shot, frame: float, name: str) -> Look:
    """The look of a shot, from its first step of each kind that is on. Raises DocumentInvalid without a title."""
    middle, half = measure(shot, frame, "look", "to wear a look")

    def apart_from(v: Any) -> Any:
        return rounded((np.array(v) - middle) / half)

    found: dict[str, Any] = {"name": name}
    for following in shot.steps:
        if not sample_choice(following.on, frame):
            continue
        # What a formula or a link asks for is not there in another shot.
        step = settled(following, frame)
        if isinstance(step, MaterialStep | EnvironmentStep) and not _for_some(step):
            found.setdefault(step.kind, step)
        elif isinstance(step, StageStep):
            apart = _mapped(step.wall_distance, lambda v: max(float(v) / half, 1e-3))
            found.setdefault("stage", step.model_copy(update={"wall_distance": apart}))
        elif isinstance(step, LightsStep):
            lamps = [_moved(lamp, apart_from, apart_from, 1 / half) for lamp in step.lights]
            found["lights"] = [*found.get("lights", []), *lamps]
    return Look.model_validate(Look.model_construct(**found).model_dump(mode="json"))


def _for_some(step: Step) -> bool:
    """Is this the material of some letters only? Those are of the title, not of its look."""
    return isinstance(step, MaterialStep) and not step.some.everyone


def wear(shot: Shot, frame: float, look: Look, parts: tuple[Part, ...] = PARTS) -> Patch:
    """The patch that dresses a shot in these parts of a look. Every material step for all letters gets its material;
    those for some keep theirs."""
    middle, half = measure(shot, frame, "look", "to wear a look")
    patch: Patch = []

    def put(kind: str, changes: dict[str, Any]) -> None:
        places = [k for k, step in enumerate(shot.steps) if step.kind == kind and not _for_some(step)]
        for place in places:
            step = shot.steps[place]
            value = step.model_dump(mode="json") | changes | {"id": step.id}
            patch.append({"op": "replace", "path": f"/steps/{place}", "value": value})
        if not places:
            free = next(
                i for i in (kind, *(f"{kind}-{n}" for n in range(2, 300))) if all(s.id != i for s in shot.steps)
            )
            patch.append({"op": "add", "path": "/steps/-", "value": {"kind": kind, **changes, "id": free}})

    if "material" in parts and look.material:
        put("material", look.material.model_dump(mode="json"))
    if "environment" in parts and look.environment:
        put("environment", look.environment.model_dump(mode="json"))
    behind = wall_behind(shot, frame)
    if "stage" in parts and look.stage:
        apart = _mapped(look.stage.wall_distance, lambda v: round(min(max(float(v) * half, 0.01), 1000.0), 4))
        put("stage", look.stage.model_copy(update={"wall_distance": apart}).model_dump(mode="json"))
        walled = sample_choice(look.stage.wall, frame)
        behind = -float(apart) if walled and not isinstance(apart, Keyed) else -1e4
    if "lights" in parts and look.lights is not None:

        def aim(v: Any) -> Any:
            return rounded(middle + half * np.array(v))

        def place(v: Any) -> Any:
            x, y, z = aim(v)
            return x, max(y, LOWEST), max(z, round(behind + LOWEST, 4))

        lamps = [_moved(lamp, place, aim, half) for lamp in look.lights]
        rest = [k for k, step in enumerate(shot.steps) if step.kind == "lights"]
        put("lights", {"lights": [lamp.model_dump(mode="json") for lamp in lamps], "on": True})
        # One lights step has them all: the others would light the title a second time.
        patch = [p for p in patch if p["path"] not in {f"/steps/{k}" for k in rest[1:]}]
        patch += [{"op": "replace", "path": f"/steps/{k}/on", "value": False} for k in rest[1:]]
    return patch
