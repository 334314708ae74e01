"""Motions of the book, and kept ones, put into a shot."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeAlias

import numpy as np

from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.proposals.clearing import with_room
from moss_crown.core.proposals.motion_book import BOOK, OTHER_TEXTS, TEXTS_WANTED, Made, MotionSet, Where
from moss_crown.core.values.sampling import sample_choice, sample_one

Patch: TypeAlias = list[dict[str, Any]]


def where(shot: Shot, texts: Sequence[str] = ()) -> Where:
    """What an entry is made for in this shot. Raises DocumentInvalid without a block."""
    step = _block(shot)
    of = Evaluation(shot)
    structure = of.structure(shot.last)
    camera = of.camera(np.array([float(shot.last)]), shot.aspect)
    own = sample_choice(step.text, shot.last) if isinstance(step, BlockStep) else ""
    wanted = tuple(t for t in texts if t.strip())
    return Where(
        float(shot.fps.fraction),
        shot.first,
        shot.last,
        float(sample_one(step.size, shot.last)),
        len(structure.letters),
        float(np.linalg.norm(camera.poses[0, :3, 3])),
        (*wanted, own) if wanted or own else ("",),
    )


def _block(shot: Shot) -> BlockStep | EmblemStep:
    for step in shot.steps:
        if isinstance(step, BlockStep | EmblemStep):
            return step
    raise DocumentInvalid("/steps", "a block of lettering", "a motion needs letters to move")


def moved_by(shot: Shot, made: Made, keep: bool) -> Patch:
    """The patch that gives a shot a motion, in place of its motion steps or, with `keep`, after them."""
    patch: Patch = []
    steps = [step.model_dump(mode="json") for step in shot.steps]
    block = shot.steps.index(_block(shot))
    for member, value in made.block:
        if member not in steps[block]:
            continue
        old = steps[block][member]
        path = f"/steps/{block}/{member}"
        patch.append({"op": "replace", "path": path, "value": _settled(value, old, shot.steps[block].id)})
    place = max(k for k, s in enumerate(shot.steps) if s.kind in ("block", "emblem", "form")) + 1
    old_steps = [k for k, s in enumerate(shot.steps) if s.facts.moves]
    if keep and old_steps:
        place = max(place, old_steps[-1] + 1)
    taken = {s.id for s in shot.steps}
    for step in made.steps:
        free = next(i for i in (step.id, *(f"{step.id}-{n}" for n in range(2, 999))) if i not in taken)
        taken.add(free)
        value = step.model_dump(mode="json") | {"id": free}
        patch.append({"op": "add", "path": f"/steps/{place}", "value": value})
        place += 1
    if not keep:
        # Taken away last: until then others may still follow them.
        count = len(made.steps)
        first = place - count
        moved = [k if k < first else k + count for k in old_steps]
        patch += [{"op": "remove", "path": f"/steps/{k}"} for k in reversed(moved)]
    return patch


def _settled(value: Any, old: Any, block: str) -> Any:
    """A value that an entry sets of a block: formulas get its name, and of a group of values the others stay."""
    if isinstance(value, dict) and "formula" in value:
        return {"formula": value["formula"].replace("{block}", block)}
    if isinstance(value, dict) and isinstance(old, dict) and "keys" not in value:
        return old | value
    return value


def set_motion(shot: Shot, id: str, texts: Sequence[str] = (), keep: bool = False) -> Patch:
    """The patch that gives a shot an entry of the book. Raises DocumentInvalid."""
    if id not in BOOK:
        raise DocumentInvalid("motion", ", ".join(BOOK), f"there is no motion {id}")
    if id in TEXTS_WANTED and not isinstance(_block(shot), BlockStep):
        raise DocumentInvalid("motion", "a block of lettering", "this rig goes through texts, which an emblem has not")
    wanted = texts or (OTHER_TEXTS if id in TEXTS_WANTED else ())
    made = moved_by(shot, BOOK[id].make(where(shot, wanted)), keep)
    return with_room(shot, made) if BOOK[id].group == "rig" else made


def motion_of(shot: Shot, name: str) -> MotionSet:
    """The motion steps of a shot, to be kept. Raises DocumentInvalid without any."""
    steps = [step for step in shot.steps if step.facts.moves]
    if not steps:
        raise DocumentInvalid("motion", "at least 1 motion step", "the shot has no motion to keep")
    return MotionSet(name=name, steps=steps)
