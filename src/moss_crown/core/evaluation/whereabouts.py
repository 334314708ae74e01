"""Where the letters of a shot are, and its camera.

Steps act in the order of the recipe on every block above them. What was worked out once is remembered under what it
depends on, so whoever needs it next asks again. A frame asked for alone gives the same bits as one in sequence.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Sequence
from dataclasses import replace
from functools import cached_property
from typing import TypeVar, cast

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.cache import Cache
from moss_crown.core.document.become import BecomeStep
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.camera import Subject
from moss_crown.core.document.deform import DeformStep
from moss_crown.core.document.inflate import InflateStep
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.becoming import become
from moss_crown.core.evaluation.camera import camera_step, framing, moved_along
from moss_crown.core.evaluation.inflating import Inflated, inflated
from moss_crown.core.evaluation.setting import Block, Structure, as_set, lasts
from moss_crown.core.evaluation.solids import pieces_of
from moss_crown.core.evaluation.tracking import solved
from moss_crown.core.motion.groups import NO_GROUP, Pivots, Resting, in_world, resting
from moss_crown.core.motion.moving import (
    Company,
    Framing,
    Moved,
    Solved,
    drawn_parts,
    moved,
    moved_axes,
    rest_of,
    scrambled,
    shown_faces,
    together,
)
from moss_crown.core.motion.piecing import InPieces
from moss_crown.core.motion.poses import Poses, place_matrix
from moss_crown.core.stage.staging import globe_middles
from moss_crown.core.type.layout import Setting, letters_of
from moss_crown.core.values.sampling import Frames, changes, exposures, sample, sample_one, sample_parts

REMEMBERED = 64
"""So many answers are remembered: those that one frame asks for again, and those that all frames do."""
FEW = 65
"""Poses of so many frames at once are remembered; of more, whoever asked keeps them."""
T = TypeVar("T")
Moment = TypeVar("Moment", int, float)


class Whereabouts:
    """Where letters and camera of a shot are. Each may ask for the other: letters come from outside the frame, and the
    camera follows letters. What is solved frame by frame is solved as long as whoever asks `goes_on`
    waiting, or to its end; where it is not known by then there is a sketch of it."""

    def __init__(self, shot: Shot, cache: Cache | None = None, goes_on: Callable[[], bool] | None = None) -> None:
        self.shot = shot
        self.goes_on = goes_on
        self.cache = Cache() if cache is None else cache
        self._known: OrderedDict[Hashable, object] = OrderedDict()

    def _once(self, key: Hashable, work: Callable[[], T]) -> T:
        """What is remembered under a key, or worked out now. What was asked for longest ago is forgotten."""
        if key in self._known:
            self._known.move_to_end(key)
        else:
            self._known[key] = work()
            while len(self._known) > REMEMBERED:
                self._known.popitem(last=False)
        return cast(T, self._known[key])  # a key always stands for the same kind of answer

    def once_for(self, structure: Structure, key: Hashable, work: Callable[[], T]) -> T:
        """What is remembered of a structure under a key, or worked out now."""
        return self._once((_Same(structure), key), work)

    @cached_property
    def _lasts(self) -> bool:
        return lasts(self.shot)

    def structure(self, frame: float) -> Structure:
        """Blocks that are on, with their settings and forms at a frame. Raises FamilyUnknown."""
        at = self.shot.last if self._lasts else frame
        return self._once(("structure", float(at)), lambda: self._structure(at))

    def _structure(self, frame: float) -> Structure:
        structure = self._as_set(frame)
        if not any(step.changes_letters for step in self.shot.steps):
            return structure
        blocks = tuple(self._changed(structure, k, frame) for k in range(len(structure.blocks)))
        return Structure(blocks, structure.led)

    def _as_set(self, frame: float) -> Structure:
        """Before motion changes its letters, but with its groups: these turn about what they hold at the last frame."""
        return self._once(("as set", float(frame)), lambda: self._with_groups(frame))

    def _with_groups(self, frame: float) -> Structure:
        structure = as_set(self.shot, frame)
        if not structure.grouped:
            return structure
        return Structure(structure.blocks, self._resting(structure, self.shot.last, self._pivots).led)

    @cached_property
    def _pivots(self) -> Pivots:
        """Those of the groups: about what they hold at the last frame."""
        last = self.shot.last
        return self._resting(as_set(self.shot, last), last).pivots

    def _changed(self, structure: Structure, number: int, frame: float) -> Block:
        """A block with the letters that motion puts in the place of its own: faces of a drum, scrambled ones, other
        places on their axes, and what there is of their tubes."""
        block = structure.blocks[number]
        own = self.company(structure, number)
        seen = float(exposures(self.shot.exposed, np.array([frame]))[0]) - own.late
        if drawn := drawn_parts(own, seen):
            block = replace(block, setting=replace(block.setting, drawn=drawn))
        if not isinstance(block.setting, Setting):
            return block
        faces = shown_faces(own, seen)
        letters = letters_of(block.setting)
        shown = faces.letters if faces.steps else scrambled(own, seen)
        other = tuple("" if text == letter.text else text for text, letter in zip(shown, letters, strict=False))
        setting = replace(block.setting, shown=other if any(other) else (), moved_axes=moved_axes(own, seen))
        return replace(block, setting=setting, faces=replace(faces, texts=block.faces.texts))

    def spans(self, frames: Sequence[Moment]) -> list[tuple[Structure, list[Moment]]]:
        """Runs of frames that share a structure, in order."""
        if self._lasts:
            return [(self.structure(frames[0]), list(frames))] if len(frames) else []
        found: list[tuple[Structure, list[Moment]]] = []
        for frame in frames:
            structure = self.structure(frame)
            if found and found[-1][0] == structure:
                found[-1][1].append(frame)
            else:
                found.append((structure, [frame]))
        return found

    def resting(self, structure: Structure, frame: float) -> Resting:
        """Where the letters of each block rest in the world when blocks and groups stand as at a frame."""
        return self._once(("resting", _Same(structure), float(frame)), lambda: self._resting(structure, frame))

    def _resting(self, structure: Structure, frame: float, pivots: Pivots | None = None) -> Resting:
        poses, boxes, centres, begin = [], [], [], 0
        for block in structure.blocks:
            step = self.shot.steps[block.step]
            assert isinstance(step, BlockStep | EmblemStep)
            place = place_matrix(*(sample_parts(v, frame) for v in (step.move, step.turn, step.scale)))
            poses.append(place @ rest_of(block.setting))
            boxes.append(structure.boxes[begin : begin + len(block.letters)])
            centres.append(np.array([(*letter.centre, 0.0) for letter in block.letters]).reshape(-1, 3))
            begin += len(block.letters)
        under = [block.member.under for block in structure.blocks]
        return resting(self.shot, under, poses, boxes, centres, frame, pivots)

    def block_corners(self, frame: float) -> dict[str, NDArray[np.float64]]:
        """For each block that is on, by the id of its step: (n, 3) corners of its letters' boxes in the world, at rest.
        Copies are left out."""
        structure = self.structure(frame)
        corners = zip(structure.blocks, self._corners(structure, frame), strict=True)
        return {self.shot.steps[block.step].id: own for block, own in corners if not block.member.copied}

    def title_corners(self, frame: float) -> NDArray[np.float64]:
        """(n, 3) corners of every letter's box in the world, at rest, as the blocks stand at a frame."""
        return self._all_corners(self.structure(frame), frame)

    @cached_property
    def fitted(self) -> NDArray[np.float64]:
        """(n, 3) what the camera fits, and is sharp on: corners of the letters' boxes as they are set and rest at the
        last frame. Which letters motion puts in their place does not matter to it: motion may ask for the camera."""
        last = self.shot.last
        return self._all_corners(self._as_set(last), last)

    def _all_corners(self, structure: Structure, frame: float) -> NDArray[np.float64]:
        return np.concatenate([np.zeros((0, 3)), *self._corners(structure, frame)])

    def _corners(self, structure: Structure, frame: float) -> list[NDArray[np.float64]]:
        """For each block of a structure, (n, 3) corners of its letters' boxes where they rest in the world."""
        found, begin = [], 0
        for poses in self.resting(structure, frame).poses:
            boxes = structure.boxes[begin : begin + len(poses)]
            begin += len(poses)
            found.append(in_world(poses, boxes).reshape(-1, 3))
        return found

    def company(self, structure: Structure, number: int) -> Company:
        """The `number`-th block of a structure among its recipe."""
        return self._once(("company", _Same(structure), number), lambda: self._company(structure, number))

    def _company(self, structure: Structure, number: int) -> Company:
        shot = self.shot
        block = structure.blocks[number]
        step = shot.steps[block.step]
        assert isinstance(step, BlockStep | EmblemStep)
        first = sum(len(b.letters) for b in structure.blocks[:number])
        own = slice(first, first + len(block.letters))
        return Company(
            step,
            tuple(s for s in shot.steps[block.step + 1 :] if s.facts.moves),
            block.setting,
            lambda: structure.boxes[own],
            lambda frames: self.framing(frames, shot.aspect),
            changes(camera_step(shot)) or sample_one(camera_step(shot).drift, shot.first) != 0,
            float(shot.fps.fraction),
            float(shot.first),
            shot.seed,
            block.faces,
            block.member.late,
            structure.led[number] if structure.led else NO_GROUP,
            lambda frames: globe_middles(shot, frames),
            lambda: self.in_pieces(structure, number),
            lambda step, frames: self._solved(structure, step, number, frames),
        )

    @cached_property
    def swells(self) -> bool:
        """Does any step fill letters with gas?"""
        return any(isinstance(step, InflateStep) and step.on is not False for step in self.shot.steps)

    def inflated(self, structure: Structure, number: int) -> Inflated | None:
        """What gas makes of the letters of the `number`-th block of a structure; None where no step fills them."""
        return inflated(self, structure, number) if self.swells else None

    def _solved(
        self, structure: Structure, step: BodiesStep | BecomeStep, number: int, frames: Frames
    ) -> Solved | None:
        if isinstance(step, BecomeStep):
            return become(self, structure, step, number, frames)
        return solved(self, structure, step, number, frames)

    def in_pieces(self, structure: Structure, number: int) -> InPieces | None:
        """The pieces of the letters of the `number`-th block of a structure; None where nothing cuts them."""
        if structure.blocks[number].cutting is None:
            return None
        return self._once(("pieces", _Same(structure), number), lambda: self._in_pieces(structure, number))

    def _in_pieces(self, structure: Structure, number: int) -> InPieces:
        block = structure.blocks[number]
        cuts = structure.cuts[sum(len(b.letters) for b in structure.blocks[:number]) :]
        found = [
            pieces_of(letter, block.form, cut, self.cache)
            for letter, cut in zip(block.letters, cuts, strict=False)
            if cut is not None
        ]
        counts = [pieces.count for pieces in found]
        return InPieces(
            np.repeat(np.arange(len(found)), counts),
            np.concatenate([np.zeros((0, 3)), *(pieces.middles for pieces in found)]),
            np.concatenate([np.zeros((0, 2, 3)), *(pieces.boxes for pieces in found)]),
            [hull for pieces in found for hull in pieces.hulls],
        )

    def moved(self, structure: Structure, frames: Frames, restless: bool = True) -> list[Moved]:
        """Each block of a structure in motion at any frames (f), fractional ones too."""
        if len(frames) > FEW:
            return self._moved(structure, frames, restless)
        return self._once(_moved_key(structure, frames, restless), lambda: self._moved(structure, frames, restless))

    def middle_alone(self, structure: Structure, frames: Frames, aspect: float) -> Frames:
        """(1) the middle of a few frames at which letters and camera are known: they will be asked for there."""
        k = len(frames) // 2
        known, path = self.moved(structure, frames), self.camera_path(frames, aspect)
        one = frames[k : k + 1]
        self._once(_moved_key(structure, one, True), lambda: [block.alone(k) for block in known])
        self._once(_framing_key("path", one, aspect), lambda: Framing(*(values[k : k + 1] for values in path)))
        return one

    def _moved(self, structure: Structure, frames: Frames, restless: bool) -> list[Moved]:
        seen = exposures(self.shot.exposed, frames)
        return [moved(self.company(structure, k), seen, restless) for k in range(len(structure.blocks))]

    def poses(self, structure: Structure, frames: Frames, restless: bool = True) -> Poses:
        """(f, l, 4, 4) letter to world, for all letters of a structure."""
        return together(self.moved(structure, frames, restless), len(frames))

    @cached_property
    def bends(self) -> bool:
        """Does any step bend letters?"""
        return any(isinstance(step, DeformStep) for step in self.shot.steps)

    def boxed(self, structure: Structure, frames: Frames) -> Poses:
        """(f, l, 4, 4): poses that put the boxes of letters at rest where the letters are, bent, in pieces or not."""
        if not self.bends and not structure.cut and not self.swells:
            return self.poses(structure, frames)
        found, begin = [], 0
        for number, block in enumerate(self.moved(structure, frames)):
            own = slice(begin, begin + block.poses.shape[1])
            begin = own.stop
            poses = block.boxed(structure.boxes[own])
            if (full := self.inflated(structure, number)) is not None:
                poses = full.boxed(poses, frames)
            found.append(replace(block, poses=poses))
        return together(found, len(frames))

    def framing(self, frames: Frames, aspect: float) -> Framing:
        """The camera at frames (f), whatever it follows."""
        return self._once(
            _framing_key("framing", frames, aspect), lambda: framing(self.shot, frames, self.fitted, aspect)
        )

    def camera_path(self, frames: Frames, aspect: float) -> Framing:
        """The camera at frames (f), with what it follows."""
        return self._once(_framing_key("path", frames, aspect), lambda: self._following(frames, aspect))

    def _following(self, frames: Frames, aspect: float) -> Framing:
        step = camera_step(self.shot)
        still = self.framing(frames, aspect)
        if not step.follow:
            return still
        last = np.array([self.shot.last])
        away = self.subject_places(step.follow, frames) - self.subject_places(step.follow, last)
        return moved_along(still, sample(step.follow_share, frames)[:, None] * away)

    def subject_places(self, subject: Subject, frames: Frames) -> NDArray[np.float64]:
        """(f, 3): the middle of a subject's letters in the world; the origin while it is not there."""
        found = np.zeros((len(frames), 3))
        begin = 0
        for structure, own in self.spans([float(frame) for frame in frames]):
            rows = slice(begin, begin + len(own))
            begin = rows.stop
            first = 0
            for block in structure.blocks:
                letters = list(block.letters)
                chosen = letters if subject.letter is None else letters[subject.letter : subject.letter + 1]
                if self.shot.steps[block.step].id == subject.block and chosen and not block.member.copied:
                    at = first + (subject.letter or 0)
                    poses = self.poses(structure, np.array(own))[:, at : at + len(chosen)]
                    centres = np.array([(*letter.centre, 0.0) for letter in chosen])
                    places = (poses[:, :, :3, :3] * centres[None, :, None]).sum(-1) + poses[:, :, :3, 3]
                    found[rows] = places.mean(1)
                first += len(letters)
        return found


def _moved_key(structure: Structure, frames: Frames, restless: bool) -> Hashable:
    return "moved", _Same(structure), np.asarray(frames, float).tobytes(), restless


def _framing_key(what: str, frames: Frames, aspect: float) -> Hashable:
    return what, np.asarray(frames, float).tobytes(), aspect


class _Same:
    """A structure by what it is, not by what it says: to compare all of its letters would take longer than most of what
    is remembered of it. It is kept meanwhile."""

    def __init__(self, structure: Structure) -> None:
        self.structure = structure

    def __hash__(self) -> int:
        return id(self.structure)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.structure is self.structure
