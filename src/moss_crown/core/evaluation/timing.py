"""What the sheet shows of motion: speeds, starts, rest and contacts of letters."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.motion import GroupStep, ReachingStep
from moss_crown.core.document.values import Keyed
from moss_crown.core.evaluation.bending import loose_at
from moss_crown.core.evaluation.setting import Structure
from moss_crown.core.evaluation.whereabouts import Whereabouts
from moss_crown.core.motion.clearance import GIVE, Broken, contacts
from moss_crown.core.motion.moving import exact_rest, moved, starts_of, together
from moss_crown.core.motion.poses import Poses, speeds
from moss_crown.core.stage.staging import floor_below, wall_behind
from moss_crown.core.values.sampling import Frames, exposures, sample_choice


@dataclass(frozen=True)
class Timing:
    """What the sheet shows of a span: speeds (4, f, l), SPEEDS, in cap heights a second; the frame at which each letter
    is at rest (l), NEVER where it does not come to rest; and for each drive with a cadence, by the id of its step, the
    frame at which it starts with each letter (l)."""

    speeds: NDArray[np.float64]
    rest: NDArray[np.float64]
    starts: dict[str, NDArray[np.float64]]


NEVER = 1e6
"""In place of a frame of rest for what does not come to rest."""
REST_SECONDS = 20.0
"""So long after the shot is looked for rest."""
SWELLS_ON = 0.01
"""A letter that swells is at rest when no place of it is farther than so many cap heights from where it ends."""
REST_MOVE = 5e-4
"""A letter is at rest when no corner of its box is farther than this share of the cap height from where it ends."""


def timing(of: Whereabouts, structure: Structure, frames: Frames) -> Timing:
    """Speeds by central differences over a frame, starts by the drives that are on at the last frame, rest.

    The frames follow one another.
    """
    shot = of.shot
    between = np.append(frames - 0.5, frames[-1] + 0.5)
    fast = speeds(of.boxed(structure, between), structure.boxes, float(1 / shot.fps.fraction))
    total = len(structure.letters)
    starts: dict[str, NDArray[np.float64]] = {}
    at = np.array([float(shot.last)])
    begin = 0
    for number, block in enumerate(structure.blocks):
        own = slice(begin, begin + len(block.letters))
        begin = own.stop
        fast[:, :, own] /= block.setting.size
        for step in shot.steps[block.step + 1 :]:
            if isinstance(step, ReachingStep) and sample_choice(step.on, shot.last) and block.letters:
                begun = starts_of(of.company(structure, number), step, at)
                if begun is not None:
                    starts.setdefault(step.id, np.full(total, float(shot.first)))[own] = begun[0]
    return Timing(fast, rest_frames(of, structure), starts)


def rest_frames(of: Whereabouts, structure: Structure) -> NDArray[np.float64]:
    """(l): the first frame from which each letter does not move any more by itself, nor swell, shivers apart."""
    found, begin = _moved_rest(of, structure), 0
    for number, block in enumerate(structure.blocks):
        full = of.inflated(structure, number)
        if full is not None:
            own = begin + full.foils.letters
            found[own] = np.maximum(found[own], full.rest(SWELLS_ON))
        begin += len(block.letters)
    return found


def _moved_rest(of: Whereabouts, structure: Structure) -> NDArray[np.float64]:
    """(l): the first frame from which each letter does not move any more by itself, shivers apart.

    Where cadences and swings decide alone it is exact. Otherwise letters are watched until long after the shot, and it
    is the first whole frame after they were last away from where they end.
    """
    shot = of.shot
    exact = [exact_rest(of.company(structure, k), float(shot.last)) for k in range(len(structure.blocks))]
    if not any(rest is None for rest in exact):
        return np.concatenate([rest for rest in exact if rest is not None] or [np.zeros(0)])
    watched = np.arange(shot.first, shot.last + 1 + round(REST_SECONDS * float(shot.fps.fraction)), dtype=float)
    boxes = structure.boxes
    found = []
    begin = 0
    for number, block in enumerate(structure.blocks):
        own = slice(begin, begin + len(block.letters))
        begin = own.stop
        known = exact[number]
        if known is not None:
            found.append(known)
            continue
        poses = moved(of.company(structure, number), exposures(shot.exposed, watched), False).boxed(boxes[own])
        away = poses[:, :, :3] - poses[-1:, :, :3]
        corners = np.concatenate([boxes[own], np.ones((*boxes[own].shape[:2], 1))], 2)
        near = REST_MOVE * block.setting.size
        # Where all numbers of a pose are nearly those of the last one, no corner can be far. Most frames are so.
        widest = np.sqrt(3) * np.abs(corners).sum(2).max(initial=1)
        some = np.flatnonzero(np.abs(away.reshape(len(away), -1)).max(1, initial=0) * widest > near)
        off = np.zeros(poses.shape[:2], bool)
        off[some] = np.square(away[some] @ np.swapaxes(corners, 1, 2)).sum(2).max(2, initial=0) > near * near
        last = len(watched) - np.argmax(off[::-1], 0)
        rest = np.where(off.any(0), watched[0] + last, float(shot.first))
        # What still moves in the last second will not stop.
        late = off[-round(float(shot.fps.fraction)) :].any(0)
        found.append(np.where(late, NEVER, rest))
    return np.concatenate(found)


def contacts_of(of: Whereabouts, structure: Structure, frames: Frames, poses: Poses | None = None) -> NDArray[np.uint8]:
    """(f, l): at which frames letters run into each other, the floor or the wall. `poses` may give those of
    `Whereabouts.boxed` at the frames, where they are known."""
    shot = of.shot
    found = of.boxed(structure, frames) if poses is None else poses
    if not structure.blocks:
        return np.zeros(found.shape[:2], np.uint8)
    still = of.resting(structure, shot.last).poses
    give = [np.full(len(block.letters), GIVE * block.setting.size) for block in structure.blocks]
    floor = floor_below(shot, shot.last)
    wall = wall_behind(shot, shot.last, solid=True)
    broken = _broken(of, structure, frames)
    return contacts(found, structure.boxes, np.concatenate(still), np.concatenate(give), floor, wall, broken)


def _broken(of: Whereabouts, structure: Structure, frames: Frames) -> Broken | None:
    """The pieces of letters; None where nothing is away at any frame."""
    if not structure.cut:
        return None
    blocks = of.moved(structure, frames)
    ways, first, whole = loose_at(blocks, len(frames))
    if whole.all():
        return None
    corners = np.concatenate([block.apart.pieces.corners for block in blocks if block.apart is not None])
    pieces = np.repeat(np.arange(len(first) - 1), np.diff(first))
    return Broken(pieces, corners, ways, together(blocks, len(frames)), whole)


def rest_frame(of: Whereabouts, letters: NDArray[np.float64] | None = None) -> float:
    """The frame at which all letters are at rest and every block has reached its last key; NEVER for none. `letters`
    may give what `rest_frames` says of the last frame's, where that is known."""
    shot = of.shot
    structure = of.structure(shot.last)
    rest = float((rest_frames(of, structure) if letters is None else letters).max(initial=shot.first))
    for block in structure.blocks:
        step = shot.steps[block.step]
        assert isinstance(step, BlockStep | EmblemStep)
        led = [step, *(shot.steps[u.group] for u in block.member.under)]
        late = [block.member.late, *(u.late for u in block.member.under)]
        for here, after in zip(led, late, strict=True):
            assert isinstance(here, BlockStep | EmblemStep | GroupStep)
            keyed = (v for v in (here.move, here.turn, here.scale) if isinstance(v, Keyed))
            rest = max([rest, *(v.keys[-1].frame + after for v in keyed)])
    return rest
