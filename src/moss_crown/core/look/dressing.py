"""Who wears what: the materials of the letters of a block, by the material steps below it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from moss_crown.core.document.letters import PART, BlockStretch, EmblemStep, Some
from moss_crown.core.document.look import MaterialStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.look.dress import FACE_AND_EDGE, OWN, Dress
from moss_crown.core.look.material import linear, surface_at
from moss_crown.core.look.wear import Wear, surfaced
from moss_crown.core.type import emblem
from moss_crown.core.type.layout import AnySetting, Letter, Setting, letters_of
from moss_crown.core.type.lettering import matched, picked
from moss_crown.core.values.sampling import sample_choice

BARE = MaterialStep(id="material")
"""What letters wear that no material step is for."""


def text_of(setting: AnySetting) -> str:
    """The text of a block; of an emblem PART for each of its parts."""
    return setting.text if isinstance(setting, Setting) else PART * len(letters_of(setting))


def those(some: Some, block: str, setting: AnySetting) -> list[int]:
    """Which letters of a block, by their places in reading order, are among some. `block` is the id of its step."""
    letters = letters_of(setting)
    if some.blocks and block not in some.blocks:
        return []
    if some.by == "all":
        return list(range(len(letters)))
    text = text_of(setting)
    if some.by == "rule":
        characters = set(picked(some.rule, text))
    else:
        characters = {k for stretch in some.hand if stretch.block == block for k in matched(stretch, text)}
    return [k for k, letter in enumerate(letters) if letter.first in characters]


def material_steps(shot: Shot, block: int, frame: float) -> list[MaterialStep]:
    """The material steps below a block that are on, without those that a later one covers wholly."""
    found = [BARE]
    for step in shot.steps[block + 1 :]:
        if isinstance(step, MaterialStep) and sample_choice(step.on, frame):
            found = [step] if step.some.everyone else [*found, step]
    return found


def wearers(shot: Shot, block: int, setting: AnySetting, frame: float) -> tuple[list[MaterialStep], list[int]]:
    """The material steps that letters of a block wear, and which of them each letter (l) does."""
    steps = material_steps(shot, block, frame)
    wears = [0] * len(letters_of(setting))
    for number, step in enumerate(steps[1:], 1):
        for k in those(step.some, shot.steps[block].id, setting):
            wears[k] = number
    used = sorted(set(wears)) or [0]
    return [steps[k] for k in used], [used.index(k) for k in wears]


def dress(step: MaterialStep, frame: float) -> Dress:
    """The surfaces of a material step: face and edge, then those that other facets have of their own."""
    surfaces = [surface_at(step.face, frame), surface_at(step.edge, frame)]
    which = list(FACE_AND_EDGE)
    for facet, material in zip(OWN, (step.bevel, step.rear_bevel, step.rear, step.inside), strict=True):
        if material is not None:
            which[facet] = len(surfaces)
            surfaces.append(surface_at(material, frame))
    a, b, c, d, e, f = which
    return Dress(tuple(surfaces), (a, b, c, d, e, f))


def dresses_of(shot: Shot, block: int, setting: AnySetting, frame: float) -> tuple[list[Dress], list[int]]:
    """What letters of a block wear at a frame, and which of it each letter (l) does."""
    steps, wears = wearers(shot, block, setting, frame)
    return [dress(step, frame) for step in steps], wears


def has_own_colours(shot: Shot, block: int, frame: float) -> bool:
    """Is this an emblem whose parts bring colours that replace those of its materials?"""
    step = shot.steps[block]
    return isinstance(step, EmblemStep) and bool(sample_choice(step.own_colours, frame))


def own_colours(shot: Shot, block: int, letters: Sequence[Letter], frame: float) -> list[tuple[float, float, float]]:
    """Those colours, scene-linear, a letter; else empty."""
    if not has_own_colours(shot, block, frame):
        return []
    return [linear(emblem.find(letter.family).colours[letter.glyphs[0].index]) for letter in letters]


def dressed(
    shot: Shot,
    block: int,
    setting: AnySetting,
    frame: float,
    wear: Wear,
) -> list[Dress]:
    """What each letter (l) of a block wears at a frame, its own colour and what motion makes of it (1, l) included.
    Letters that look alike share one."""
    looks = wear.looks()
    dresses, wears = dresses_of(shot, block, setting, frame)
    own = own_colours(shot, block, letters_of(setting), frame)
    alike: dict[Any, Dress] = {}
    found = []
    for number, which in enumerate(wears):
        colour, look = own[number] if own else None, looks[number]
        key = (which, colour, look)
        if key not in alike:
            surfaces = dresses[which].surfaces
            if colour is not None:
                surfaces = tuple(replace(s, colour=colour) for s in surfaces)
            if look is not None:
                surfaces = tuple(surfaced(s, look) for s in surfaces)
            alike[key] = Dress(surfaces, dresses[which].which)
        found.append(alike[key])
    return found


def stretches(block: str, setting: AnySetting, chosen: Sequence[int]) -> list[BlockStretch]:
    """Letters of a block, by their places in reading order, as stretches of its text."""
    letters, text = letters_of(setting), text_of(setting)
    ends = [*(letter.first for letter in letters[1:]), len(text)]
    found: list[BlockStretch] = []
    for k in sorted(set(chosen)):
        first = letters[k].first
        # Letters that were set from right to left, or joined, may not follow each other in the text.
        last = max(first, ends[k] - 1) if ends[k] > first else first
        while last > first and text[last].isspace():
            last -= 1
        if found and found[-1].last < first and not text[found[-1].last + 1 : first].strip("\n "):
            found[-1] = found[-1].model_copy(update={"last": last})
        else:
            found.append(BlockStretch(block=block, of=text, first=first, last=last))
    return found


def material_for(
    shot: Shot, blocks: Sequence[tuple[int, AnySetting]], chosen: Sequence[int], frame: float
) -> list[dict[str, Any]]:
    """The patch that gives letters a material step of their own; empty where there are none of them. It looks as the
    first of them does, so that little changes until it is edited.

    `blocks`: the place in the recipe and the setting of each block; `chosen`: letters, counted on through all blocks.
    """
    hand: list[BlockStretch] = []
    model: MaterialStep | None = None
    begun, words, below = 0, "", 0
    for index, setting in blocks:
        letters = letters_of(setting)
        own = [k - begun for k in sorted(set(chosen)) if begun <= k < begun + len(letters)]
        begun += len(letters)
        if not own:
            continue
        steps, wears = wearers(shot, index, setting, frame)
        model = model or steps[wears[own[0]]]
        hand += stretches(shot.steps[index].id, setting, own)
        words += " ".join(["", *("".join(letters[k].text for k in own).split())])
        below = max(below, index)
    if model is None:
        return []
    ids = {step.id for step in shot.steps}
    id = next(i for i in (f"material-{n}" for n in range(2, 1000)) if i not in ids)
    places = [k for k, step in enumerate(shot.steps) if isinstance(step, MaterialStep) and k > below]
    step = model.model_copy(
        update={"id": id, "name": f"{words.strip()[:60]}: material", "on": True, "some": Some(by="hand", hand=hand)}
    )
    place = max(places, default=below) + 1
    return [{"op": "add", "path": f"/steps/{place}", "value": step.model_dump(mode="json")}]
