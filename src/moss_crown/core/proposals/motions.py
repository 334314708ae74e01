"""Motions of the book, and kept ones, put into a shot."""

from __future__ import annotations

from collections.abc import Sequence
from functools import reduce
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.look import MaterialStep
from moss_crown.core.document.motion import GroupStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.form.mesh import Solid
from moss_crown.core.proposals.clearing import with_room
from moss_crown.core.proposals.motion_book import (
    BOOK,
    BROUGHT,
    OTHER_TEXTS,
    TEXTS_WANTED,
    MotionSet,
)
from moss_crown.core.proposals.motion_page import Hangs, Made, Where
from moss_crown.core.stage.staging import floor_below
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
        step.id,
        step.move if isinstance(step.move, tuple) else None,
        lambda: _hangs(shot, of, step.id),
    )


_HOOKS, _TRIED = (0.16, 0.84), 25
"""Where cords would best hold a line, as shares of its width, and how many places on a letter are tried for it."""


def _hangs(shot: Shot, of: Evaluation, id: str) -> Hangs:
    """By what a block hangs: the two letters of its upper line that stand best for it, each where it is highest, and
    there nearest to its middle."""
    structure = of.structure(shot.last)
    number = next((k for k, own in enumerate(structure.blocks) if shot.steps[own.step].id == id), -1)
    letters = structure.blocks[number].letters if number >= 0 else ()
    inked = [(k, letter) for k, letter in enumerate(letters) if letter.right > letter.left]
    if not inked:
        raise DocumentInvalid("motion", "a block with letters", "there is nothing to hang")
    corners = of.block_corners(shot.last)[id]
    form, low, high = structure.blocks[number].form, corners.min(0), corners.max(0)
    first = min(letter.line for _, letter in inked)
    poses = of.resting(structure, shot.last).poses[number]
    upper = [(poses[k], solid_of(letter, form, of.cache)) for k, letter in inked if letter.line == first]
    wanted = [low[0] + share * (high[0] - low[0]) for share in _HOOKS]
    if len(upper) == 1:
        hooks = [_top(*upper[0], x) for x in wanted]
    else:
        tops = [_top(pose, solid, None) for pose, solid in upper]
        hooks = [tops[int(np.abs(np.array(tops)[:, 0] - x).argmin())] for x in wanted]
    floor = floor_below(shot, shot.last)
    return Hangs(
        (hooks[0], hooks[1]),
        float(high[1]),
        float((low[2] + high[2]) / 2),
        float(high[0] - low[0]),
        float((low[0] + high[0]) / 2),
        float(low[1] - floor),
        float(high[2] - low[2]),
    )


def _top(pose: NDArray[np.float64], solid: Solid, near: float | None) -> tuple[float, float]:
    """Where a letter is highest, as (x, y) of the world, as near as may be to its middle, or to an x."""
    at = solid.vertices @ pose[:3, :3].T + pose[:3, 3]
    edges = np.sort(np.concatenate([solid.triangles[:, [0, 1]], solid.triangles[:, [1, 2]]]), 1)
    (xa, ya), (xb, yb) = at[edges[:, 0], :2].T, at[edges[:, 1], :2].T
    left, right = float(at[:, 0].min()), float(at[:, 0].max())
    tried = np.linspace(left, right, _TRIED + 2)[1:-1]
    share = (tried[:, None] - xa) / np.where(xb == xa, np.inf, xb - xa)
    heights = np.where((share >= 0) & (share <= 1) & (xa != xb), ya + share * (yb - ya), -np.inf).max(1)
    good = heights >= heights.max() - 0.03 * float(np.ptp(at[:, 1]))
    middle = (left + right) / 2 if near is None else near
    best = min(np.flatnonzero(good).tolist(), key=lambda k: abs(tried[k] - middle))
    return float(tried[best]), float(heights[best])


def _block(shot: Shot) -> BlockStep | EmblemStep:
    for step in shot.steps:
        if isinstance(step, BlockStep | EmblemStep):
            return step
    raise DocumentInvalid("/steps", "a block of lettering", "a motion needs letters to move")


def moved_by(shot: Shot, made: Made, keep: bool) -> Patch:
    """The patch that gives a shot a motion, in place of its motion steps, and of what a rig brought beside them, or,
    with `keep`, after them."""
    patch: Patch = []
    steps = [step.model_dump(mode="json") for step in shot.steps]
    block = shot.steps.index(_block(shot))
    for member, value in made.block:
        if member not in steps[block]:
            continue
        old = steps[block][member]
        path = f"/steps/{block}/{member}"
        patch.append({"op": "replace", "path": path, "value": _settled(value, old, shot.steps[block].id)})
    patch += _wanted(shot, made)
    place = max(k for k, s in enumerate(shot.steps) if s.kind in ("block", "emblem", "form")) + 1
    old_steps = [k for k, s in enumerate(shot.steps) if s.facts.moves or s.id.startswith(BROUGHT)]
    if keep and old_steps:
        place = max(place, old_steps[-1] + 1)
    taken = {s.id for s in shot.steps}
    named: dict[str, str] = {}
    for step in made.steps:
        free = next(i for i in (step.id, *(f"{step.id}-{n}" for n in range(2, 999))) if i not in taken)
        taken.add(free)
        named[step.id] = free
        value = step.model_dump(mode="json") | {"id": free}
        if isinstance(step, GroupStep):
            value["members"] = [named.get(member, member) for member in step.members]
        patch.append({"op": "add", "path": f"/steps/{place}", "value": value})
        place += 1
    if not keep:
        # Taken away last: until then others may still follow them.
        count = len(made.steps)
        first = place - count
        moved = [k if k < first else k + count for k in old_steps]
        patch += [{"op": "remove", "path": f"/steps/{k}"} for k in reversed(moved)]
    return patch


def _wanted(shot: Shot, made: Made) -> Patch:
    """What an entry needs of forms and of the materials of all letters, where there is none of it."""
    patch: Patch = []
    for k, step in enumerate(shot.steps):
        if isinstance(step, MaterialStep) and not step.some.everyone:
            continue
        for kind, path, value in made.wants:
            *above, member = path.split("/")
            there = reduce(getattr, above, step) if kind == step.kind else None
            if there is not None and getattr(there, member) == type(there).model_fields[member].default:
                patch.append({"op": "replace", "path": f"/steps/{k}/{path}", "value": value})
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
