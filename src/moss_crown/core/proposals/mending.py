"""Light that is mended: letters lifted out of the dark, set apart from what is behind them, or calmed where they are
white, by changes of lights and of the environment that a light meter has tried.

Every change is one that a user could make: a lamp's power or size, a lamp more, the environment's strength or turn.
What lights bring to a picture is in proportion to their power: of powers and strengths only those are tried that
promise most by one picture for all of them, of sizes those of the lamps that bring most. So the search takes about as
long whatever number of lamps there is.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from moss_crown.core.document.door import Patch, patched, write_shot
from moss_crown.core.document.look import EnvironmentStep, LightsStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Formula, Link
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.finish.meter import EVEN, LEAST_LEGIBLE, MOST_WHITE, Reading
from moss_crown.core.metering import METER, Metered, Study, metered, studied
from moss_crown.core.proposals.kits import KITS, Mending
from moss_crown.core.proposals.lighting import measure, placed
from moss_crown.core.values.sampling import sample_choice, sample_one

WIDTH, SAMPLES = 200, 8
LIGHT = 0.10
"""A face's light of that of white that is wanted."""


@dataclass(frozen=True)
class Mended:
    """A patch, what it does in words, and what was read before and after."""

    patch: Patch
    about: str
    before: Metered
    after: Metered


@dataclass(frozen=True)
class Change:
    """A patch and what it does in words; by which `factors` lights are stronger by it, by their numbers in a study,
    nothing where it does something else."""

    about: str
    patch: Patch
    factors: Mapping[int, float] = field(default_factory=dict)


_TRIED = 2
"""So many powers and strengths are tried, and so many lamps are made larger."""


def mend(shot: Shot, frame: int, what: Mending, threads: int = 1) -> Mended:
    """The one change of light, of those tried, that mends most. Raises DocumentInvalid when no letter is seen, when
    there is nothing to mend, and when no change helps."""
    of, badness = Evaluation(shot), BADNESS[what]
    read = metered(of, frame, *METER, threads).readings
    if not read:
        raise DocumentInvalid("frame", "a frame with letters", "no letter is seen at this frame")
    # By the picture that the user's meter reads: what that finds well is well. Changes are tried on a coarser one.
    if badness(read) < 1e-3:
        raise DocumentInvalid("what", "letters that ask for it", FINE[what])
    study = studied(of, frame, WIDTH, SAMPLES, threads)
    before = study.metered
    best, found = badness(before.readings), None
    changes = _changes(shot, frame, what, study)
    powers = sorted((badness(study.under(one.factors)), k) for k, one in enumerate(changes) if one.factors)
    promising = [changes[k] for promised, k in powers[:_TRIED] if promised < best - 1e-3]
    # What is well is not bettered: of the changes by which nothing is left to mend the first is taken.
    for change in [*promising, *(one for one in changes if not one.factors)]:
        changed = Evaluation(patched(write_shot(shot), change.patch), of.cache)
        after = metered(changed, frame, WIDTH, SAMPLES, threads)
        there = badness(after.readings)
        if there < best - 1e-3:
            best, found = there, Mended(change.patch, change.about, before, after)
            if best < 1e-3:
                break
    if found is None:
        raise DocumentInvalid("what", "lights that help", "no change of one light or of the environment mends this")
    return found


FINE: dict[Mending, str] = {
    "lift": "all letters are light, and lit evenly",
    "separate": "every outline reads",
    "calm": "no letter is white",
}


def _dark(found: list[Reading]) -> float:
    low, high = min(one.level for one in found), max(one.level for one in found)
    return max(0.0, math.log2(LIGHT / max(low, 1e-4))) + max(0.0, math.log2(high / max(low, 1e-4) / EVEN))


def _unread(found: list[Reading]) -> float:
    lacks = [max(0.0, LEAST_LEGIBLE - one.legible) for one in found]
    return sum(lacks) / len(lacks) + 0.5 * max(lacks)


def _white(found: list[Reading]) -> float:
    return sum(max(0.0, one.clipped - MOST_WHITE) for one in found) / len(found)


BADNESS: dict[Mending, Callable[[list[Reading]], float]] = {
    "lift": lambda found: _dark(found) + 4 * _white(found) + 0.5 * _unread(found) if _dark(found) else 0.0,
    "separate": lambda found: _unread(found) + 2 * _white(found) + 0.1 * _dark(found) if _unread(found) else 0.0,
    "calm": lambda found: 4 * _white(found) + 0.3 * _unread(found) + 0.05 * _dark(found) if _white(found) else 0.0,
}
"""How far letters are from what is wanted; what else is wanted of them weighs a little."""


def _changes(shot: Shot, frame: int, what: Mending, study: Study) -> list[Change]:
    """What may help."""
    factors = {"lift": (1.6, 2.5), "separate": (0.45, 2.2), "calm": (0.45, 0.7)}[what]
    found: list[Change] = []
    sizes: list[tuple[float, Change]] = []
    first = 0
    for k, step in enumerate(shot.steps):
        if isinstance(step, LightsStep) and sample_choice(step.on, frame):
            for n, lamp in enumerate(step.lights):
                path, name = f"/steps/{k}/lights/{n}", lamp.name or f"light {n + 1}"
                sources = range(first, first + round(sample_one(lamp.stack, frame)))
                first = sources.stop
                if step.on is not True:
                    continue
                for factor in factors:
                    power = _times(f"{path}/power", lamp.power, factor)
                    found.append(Change(f"{name}: {factor:g} times its power", power, dict.fromkeys(sources, factor)))
                if what == "calm":
                    wider, higher = (_times(f"{path}/{side}", getattr(lamp, side), 2.2) for side in ("width", "height"))
                    larger = Change(f"{name}: more than twice as large", wider + higher if wider and higher else [])
                    sizes.append((sum(float(study.lights[number].sum()) for number in sources), larger))
        if isinstance(step, EnvironmentStep) and step.on is True:
            for factor in (*factors[:1], 1 / factors[0]) if what == "separate" else factors[:1]:
                about = f"environment: {factor:.2g} times as strong"
                strength = _times(f"/steps/{k}/strength", step.strength, factor)
                found.append(Change(about, strength, {len(study.lights) - 1: factor}))
            if isinstance(step.turn, int | float):
                for turn in (-100, -40, 40, 100):
                    wanted = round((step.turn + turn + 180) % 360 - 180, 1)
                    patch = [{"op": "replace", "path": f"/steps/{k}/turn", "value": wanted}]
                    found.append(Change(f"environment turned to {wanted:g} degrees", patch))
    kit = next((k for k, step in enumerate(shot.steps) if isinstance(step, LightsStep) and step.on is True), None)
    if kit is not None and what != "calm":
        found += _more_lamps(shot, frame, f"/steps/{kit}/lights", what)
    sizes.sort(key=lambda one: -one[0])
    return [change for change in [*found, *(change for _, change in sizes[:_TRIED])] if change.patch]


def _more_lamps(shot: Shot, frame: int, path: str, what: Mending) -> list[Change]:
    """A lamp more: a soft one from the front, or rims from behind on both sides."""
    try:
        centre, half = measure(shot, frame, "frame", "to light")
    except DocumentInvalid:
        return []
    if what == "lift":
        (front,) = KITS["soft_front"]
        soft = "a soft light more, from the front"
        groups = [(soft, [(front, 0.25)]), (f"{soft}, stronger", [(front, 0.6)])]
    else:
        rims = [(lamp, 1.0) for lamp in KITS["key_and_rim"] if "rim" in lamp.name]
        groups = [("a rim light more", rims[:1]), ("rim lights from both sides", rims)]
    found = []
    for about, lamps in groups:
        patch: Patch = []
        for lamp, share in lamps:
            light = placed(shot, frame, lamp, centre, half, share)
            patch.append({"op": "add", "path": f"{path}/-", "value": light.model_dump(mode="json")})
        found.append(Change(about, patch))
    return found


def _times(path: str, value: Any, factor: float) -> Patch:
    """A value, or all of its keys, times a factor; nothing for a formula or a link, and for what is 0."""
    if isinstance(value, Formula | Link):
        return []
    if isinstance(value, int | float):
        return [{"op": "replace", "path": path, "value": round(value * factor, 4)}] if value else []
    return [
        {"op": "replace", "path": f"{path}/keys/{k}/value", "value": round(key.value * factor, 4)}
        for k, key in enumerate(value.keys)
    ]
