"""Letters brought clear of the stage and of each other, as a patch: what the sheet shows as contacts has a way out.

All of it goes by the boxes around letters, as the contacts do that it mends.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.door import Patch, patched, write_shot
from moss_crown.core.document.look import StageStep
from moss_crown.core.document.motion import Cadence, DriveStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Formula, Keyed, Link
from moss_crown.core.errors import DocumentInvalid, TitleError
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.timing import contacts_of
from moss_crown.core.motion.clearance import GIVE, MEETS
from moss_crown.core.motion.groups import in_world
from moss_crown.core.proposals.arranging import moved_along
from moss_crown.core.stage.staging import floor_below, wall_behind

MARGIN = 0.01
"""Metres that are left between letters and the stage."""
MOST_LIFT = 1.5
"""Of a cap height. What comes from farther below comes from below on purpose."""
DELAYS, LANES = (1.25, 1.5, 2.0, 2.5, 3.0, 4.0), (0.75, 1.5)
ORDERS = ("reading", "reverse", "centre_out", "edges_in")


def lift_clear(shot: Shot, motion: bool) -> Patch:
    """Lift every block that goes into the floor, and set the wall back behind what goes into that: as letters rest at
    the last frame, or, with `motion`, at any frame of the shot.

    Raises DocumentInvalid when nothing goes into the stage, when what moves comes from more than MOST_LIFT cap
    heights below the floor, and where a place or the wall's distance is not a value that can be set.
    """
    lifts, back = _deep(shot, motion)
    if not lifts and not back:
        raise DocumentInvalid("stage", "letters in the floor or the wall", "nothing goes into the stage")
    patch: Patch = []
    for step, (by, size) in lifts.items():
        if motion and by > MOST_LIFT * size:
            low = f"letters come from {by:.2f} m below the floor, at most {MOST_LIFT * size:.2f} can be lifted"
            raise DocumentInvalid("stage", "letters that dip into the floor", f"{low}: switch the floor off for those")
        patch += moved_along(shot, step, 1, by + MARGIN)
    return patch + (_set_back(shot, back + MARGIN) if back else [])


def _deep(shot: Shot, motion: bool) -> tuple[dict[str, tuple[float, float]], float]:
    """How far each block goes into the floor, with its cap height, and how far any goes into the wall."""
    of = Evaluation(shot)
    floor, wall = floor_below(shot, shot.last), wall_behind(shot, shot.last, solid=True)
    frames = [float(f) for f in shot.frames] if motion else [float(shot.last)]
    lifts: dict[str, tuple[float, float]] = {}
    back = 0.0
    for structure, own in of.spans(frames):
        at = np.array(own)
        poses = of.boxed(structure, at) if motion else np.concatenate(of.resting(structure, shot.last).poses)[None]
        begin = 0
        for block in structure.blocks:
            part = slice(begin, begin + len(block.letters))
            begin = part.stop
            if not block.letters:
                continue
            low = _lowest(poses[:, part], structure.boxes[part])
            give = GIVE * block.setting.size
            id = shot.steps[block.step].id
            if floor - low[1] > give:
                lifts[id] = max(lifts.get(id, (0.0, 0.0)), (float(floor - low[1]), block.setting.size))
            if wall - low[2] > give:
                back = max(back, float(wall - low[2]))
    return lifts, back


def _lowest(poses: NDArray[np.float64], boxes: NDArray[np.float64]) -> NDArray[np.float64]:
    """(3): the least corner of letters (f, l, 4, 4) with boxes (l, 8, 3)."""
    low = [in_world(row, boxes).reshape(-1, 3).min(0) for row in poses]
    return np.asarray(np.min(low, 0))


def _set_back(shot: Shot, by: float) -> Patch:
    place, stage = next((k, s) for k, s in enumerate(shot.steps) if isinstance(s, StageStep))
    path = f"/steps/{place}/wall_distance"
    if isinstance(stage.wall_distance, Keyed | Formula | Link):
        raise DocumentInvalid(path, "a constant", "a wall whose distance changes cannot be set back")
    return [{"op": "replace", "path": path, "value": round(stage.wall_distance + by, 3)}]


def with_room(shot: Shot, patch: Patch) -> Patch:
    """A patch that gives a shot a motion, and what makes room for it: the block lifted, the wall set back. As it was
    where that is not to be had."""
    moved = patched(write_shot(shot), patch)
    try:
        more = lift_clear(moved, motion=True)
    except DocumentInvalid:
        return patch
    return patch + more


def keep_apart(shot: Shot) -> Patch:
    """Let letters that are on their way not pass through one another: each drive with a cadence gets a longer delay,
    another order or lanes in depth, whichever leaves the fewest contacts and changes least.

    Raises DocumentInvalid when no letters meet, or when none of that parts them.
    """
    found = _meetings(shot)
    if not found:
        raise DocumentInvalid("letters", "letters that meet", "no letters run into each other")
    best: tuple[int, int] = (found, 0)
    patch: Patch = []
    for cost, tried in enumerate(_partings(shot), 1):
        try:
            left = _meetings(patched(write_shot(shot), tried))
        except TitleError:
            continue
        if (left, cost) < best:
            best, patch = (left, cost), tried
        if not left:
            break
    if not patch:
        raise DocumentInvalid("letters", "a cadence", "neither a delay, an order nor lanes keep these letters apart")
    return patch


def _meetings(shot: Shot) -> int:
    """At how many frames letters meet others, letter by letter."""
    of = Evaluation(shot)
    frames = [float(f) for f in shot.frames]
    return sum(
        int(((contacts_of(of, structure, np.array(own)) & MEETS) > 0).sum()) for structure, own in of.spans(frames)
    )


def _partings(shot: Shot) -> list[Patch]:
    """What might keep letters apart, the smallest changes first."""
    cadences = [
        (f"/steps/{k}/reaches/{n}", reach)
        for k, step in enumerate(shot.steps)
        if isinstance(step, DriveStep) and step.on is True
        for n, reach in enumerate(step.reaches)
        if isinstance(reach, Cadence)
    ]
    moves = [
        (f"/steps/{k}/offset/move", step.offset.move)
        for k, step in enumerate(shot.steps)
        if isinstance(step, DriveStep) and step.on is True and any(isinstance(r, Cadence) for r in step.reaches)
    ]
    found: list[Patch] = []
    delays = [(path, reach.delay) for path, reach in cadences if isinstance(reach.delay, int | float) and reach.delay]
    for factor in DELAYS if delays else ():
        found.append([_put(f"{path}/delay", round(delay * factor * 4) / 4) for path, delay in delays])
    for order in ORDERS:
        found.append([_put(f"{path}/order", order) for path, _ in cadences])
    for apart in LANES:
        by = max((float(block.setting.size) for block in Evaluation(shot).structure(shot.last).blocks), default=1.0)
        lanes = [
            _put(path, {"formula": f"({x:g}, {y:g}, {z:g} + {apart * by:g} * (i % 3))"})
            for path, (x, y, z) in ((p, m) for p, m in moves if isinstance(m, tuple))
        ]
        found.append(lanes)
    return [patch for patch in found if patch]


def _put(path: str, value: object) -> dict[str, object]:
    return {"op": "replace", "path": path, "value": value}
