"""The letters of a shot at a frame as they are set: blocks, their forms, and what letters they share."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from moss_crown.core import limits
from moss_crown.core.cache import address
from moss_crown.core.document.form import EdgeProfile, FormStep, Tubes
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.motion import GroupStep
from moss_crown.core.document.pieces import PiecesStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.form.pieces import Cut, Way
from moss_crown.core.form.profile import Edge, ProfileKind
from moss_crown.core.form.solid import Form
from moss_crown.core.form.stems import stem_of
from moss_crown.core.form.tube import Tube
from moss_crown.core.motion.acts import NO_FACES, Faces
from moss_crown.core.motion.groups import Led, Member, members
from moss_crown.core.motion.swap import shown as swaps_shown
from moss_crown.core.motion.swap import text_of
from moss_crown.core.type.layout import WHOLE, Drawn, EmblemSetting, Letter, Setting, letters_of
from moss_crown.core.type.lettering import drawn_path, setting_at
from moss_crown.core.values.sampling import changes, exposures, sample_choice, sample_one, sample_parts

MOVING = ("move", "turn", "scale")
"""The members of a block that only move its letters; the others decide them."""
CARD = Form(depth=0.02)
"""The form of a block without a form step: a card."""


@dataclass(frozen=True)
class Block:
    """A block at rest, or a copy of one: its place in the recipe and its groups, how it is set, the form its letters
    get."""

    member: Member
    setting: Setting | EmblemSetting
    form: Form
    faces: Faces = NO_FACES
    cutting: Cutting | None = None

    @property
    def step(self) -> int:
        """Its place in the recipe."""
        return self.member.step

    @property
    def letters(self) -> tuple[Letter, ...]:
        """Its letters at rest, in the order in which they are read."""
        return letters_of(self.setting)


@dataclass(frozen=True)
class Cutting:
    """How the letters of a block are cut, each by itself or `through` all of them; places of the cut are counted from
    the middle of the baseline of a letter, or of the block."""

    cut: Cut
    through: bool


@dataclass(frozen=True)
class Structure:
    """What decides the letters and their solids, but not where they are. Frames that share it form a span. `led` are
    the groups of each block, where there are any."""

    blocks: tuple[Block, ...]
    led: tuple[Led, ...] = field(default=(), compare=False)

    @property
    def letters(self) -> tuple[Letter, ...]:
        """Those of all blocks, one block after the other."""
        return tuple(letter for block in self.blocks for letter in block.letters)

    @property
    def grouped(self) -> bool:
        """Is any block in a group?"""
        return any(block.member.under for block in self.blocks)

    @property
    def cut(self) -> bool:
        """Are the letters of any block cut into pieces?"""
        return any(block.cutting is not None for block in self.blocks)

    @cached_property
    def cuts(self) -> tuple[Cut | None, ...]:
        """How each letter is cut, in its own space; None for one that is not. The shot has no more pieces than it
        may."""
        letters = sum(len(block.letters) for block in self.blocks if block.cutting is not None)
        most = max(1, min(limits.PIECES_A_LETTER, limits.PIECES_A_SHOT // max(letters, 1)))
        return tuple(cut for block in self.blocks for cut in _cuts_of(block, most))

    @cached_property
    def boxes(self) -> NDArray[np.float64]:
        """(l, 8, 3) corners of each letter's box in its own space."""
        boxes = np.zeros((len(self.letters), 8, 3))
        k = 0
        for block in self.blocks:
            for letter in block.letters:
                form = form_of_letter(letter, block.form)
                depth = form.tube.depth if form.tube else form.depth
                more = max(form.weight * letter.unit, -min(letter.right - letter.left, letter.top - letter.bottom) / 2)
                boxes[k] = [
                    (x, y, z)
                    for x in (letter.left - more, letter.right + more)
                    for y in (letter.bottom - more, letter.top + more)
                    for z in (form.middle - depth / 2, form.middle + depth / 2)
                ]
                k += 1
        return boxes

    def address(self) -> str:
        """A hash of all that decides the letters and their solids."""
        return address(self.blocks)


def as_set(shot: Shot, frame: float) -> Structure:
    """Blocks that are on and their copies, before motion changes their letters, without their groups."""
    found = []
    exposed = float(exposures(shot.exposed, np.array([frame]))[0])
    for member in members(shot, frame):
        step = shot.steps[member.step]
        assert isinstance(step, BlockStep | EmblemStep)
        own = frame - member.late
        below, seen = shot.steps[member.step + 1 :], exposed - member.late
        if isinstance(step, BlockStep) and (numbers := swaps_shown(below, seen)):
            faces = replace(NO_FACES, texts=numbers)
            step = step.model_copy(update={"text": text_of(below, numbers, seen, sample_choice(step.text, own))})
        else:
            faces = NO_FACES
        setting = set_at(step, own)
        form = _form_at(shot, member.step, own, setting)
        found.append(Block(member, setting, form, faces, _cutting_at(shot, member.step, own, setting.size)))
    return Structure(tuple(found))


def lasts(shot: Shot) -> bool:
    """Are there the same letters in the same form at every frame?"""
    if any(step.changes_letters for step in shot.steps):
        return False
    decides = [s for s in shot.steps if isinstance(s, FormStep)]
    groups = [[s.on, s.copies.count, s.copies.delay] for s in shot.steps if isinstance(s, GroupStep)]
    return not (
        changes(decides)
        or changes(groups)
        or changes([s.cuts for s in shot.steps if isinstance(s, PiecesStep)])
        or any(
            changes(getattr(s, name))
            for s in shot.steps
            if isinstance(s, BlockStep | EmblemStep)
            for name in type(s).model_fields
            if name not in MOVING
        )
    )


def set_at(step: BlockStep | EmblemStep, frame: float) -> Setting | EmblemSetting:
    """How a block is set at a frame, before motion changes its glyphs."""
    if isinstance(step, BlockStep):
        return setting_at(step, frame)
    return EmblemSetting(sample_choice(step.emblem, frame), sample_one(step.size, frame))


def _form_at(shot: Shot, block: int, frame: float, setting: Setting | EmblemSetting) -> Form:
    """The last form step below a block that is on decides."""
    form = CARD
    for step in shot.steps[block + 1 :]:
        if isinstance(step, FormStep) and sample_choice(step.on, frame):
            weight = sample_one(step.weight, frame)
            front = _edge_at(step.front, frame, setting, weight)
            form = Form(
                depth=sample_one(step.depth, frame),
                front=front,
                rear=front if sample_choice(step.rear_alike, frame) else _edge_at(step.rear, frame, setting, weight),
                join=sample_choice(step.corners, frame),
                grow=sample_choice(step.grow, frame),
                weight=weight,
                fill=sample_choice(step.counters, frame) == "filled",
                wall=sample_one(step.wall, frame),
                tube=_tube_at(step.tubes, frame),
            )
    return form


def _cutting_at(shot: Shot, block: int, frame: float, size: float) -> Cutting | None:
    """The last pieces step below a block that is on decides."""
    steps = [s for s in shot.steps[block + 1 :] if isinstance(s, PiecesStep) and sample_choice(s.on, frame)]
    if not steps:
        return None
    step = steps[-1]
    way: Way = sample_choice(step.cut, frame)
    x, y = (float(v) for v in sample_parts(step.point, frame))
    drawn = drawn_path(step.line, frame) if way == "line" else None
    return Cutting(
        Cut(
            way,
            round(sample_one(step.number, frame)),
            size * sample_one(step.size, frame) if sample_choice(step.by, frame) == "size" else 0.0,
            sample_one(step.even, frame),
            math.radians(sample_one(step.angle, frame)),
            (x * size, y * size),
            tuple((float(u), float(v)) for u, v in drawn.curve) if drawn else (),
            drawn.closed if drawn else False,
            size * sample_one(step.thick, frame),
            step.seed,
        ),
        sample_choice(step.through, frame),
    )


def _cuts_of(block: Block, most: int) -> list[Cut | None]:
    """How each letter of a block is cut, in its own space, into at most about so many pieces."""
    if block.cutting is None or not block.letters:
        return [None] * len(block.letters)
    cut = replace(block.cutting.cut, most=most)
    if cut.way in ("chunks", "shell"):
        return [cut] * len(block.letters)
    if not block.cutting.through:
        middles = [(letter.left + letter.right) / 2 for letter in block.letters]
        return [_in_frame(cut, (1.0, 0.0, 0.0, 1.0, -middle, 0.0)) for middle in middles]
    boxes = [(m.x + m.left, m.y + m.bottom, m.x + m.right, m.y + m.top) for m in block.letters]
    left, bottom, right, top = zip(*boxes, strict=True)
    found: list[Cut | None] = []
    for letter in block.letters:
        (a, b, _, x), (c, d, _, y), *_ = letter.pose().tolist()
        if abs(a * d - b * c) < 1e-3:  # seen from the side
            found.append(replace(cut, way="chunks"))
        else:
            ends = (min(left), min(bottom)), (max(right), max(top))
            found.append(_in_frame(cut, (a, b, c, d, x, y), *ends))
    return found


def _in_frame(
    cut: Cut,
    of: tuple[float, float, float, float, float, float],
    low: tuple[float, float] = (0.0, 0.0),
    high: tuple[float, float] = (0.0, 0.0),
) -> Cut:
    """A cut that is told in another frame than the letter's, which `of` leads to, between two corners of that."""
    if cut.way != "line":
        return replace(cut, of=of, low=low, high=high)
    a, b, c, d, x, y = of
    size = a * d - b * c
    places = [((d * (u - x) - b * (v - y)) / size, (a * (v - y) - c * (u - x)) / size) for u, v in cut.line]
    return replace(cut, line=tuple(places))


def _tube_at(tubes: Tubes, frame: float) -> Tube | None:
    if not sample_choice(tubes.on, frame):
        return None
    return Tube(
        section=sample_choice(tubes.section, frame),
        width=sample_one(tubes.width, frame),
        height=sample_one(tubes.height, frame),
        offset=sample_one(tubes.offset, frame),
        rows=round(sample_one(tubes.rows, frame)),
        gap=sample_one(tubes.gap, frame),
        start=sample_one(tubes.start, frame),
        first=sample_one(tubes.first, frame),
        last=sample_one(tubes.last, frame),
    )


def _edge_at(edge: EdgeProfile, frame: float, setting: Setting | EmblemSetting, weight: float) -> Edge:
    kind: ProfileKind = sample_choice(edge.profile, frame)
    whole = stem_of(setting, weight) if sample_choice(edge.of_stem, frame) else 1.0
    return Edge(
        kind,
        whole * sample_one(edge.width, frame),
        whole * sample_one(edge.height, frame),
        round(sample_one(edge.segments, frame)),
        tuple(edge.curve) if kind == "drawn" else (),
    )


def form_of_letter(letter: Letter, form: Form) -> Form:
    """A block's form with what is the letter's own: its weight and its depth, and what there is of its tubes."""
    if letter.drawn != WHOLE and form.tube:
        form = replace(form, tube=_in_part(form.tube, letter.drawn))
    if letter.weight == 0 and letter.depth == 1:
        return form
    return replace(form, weight=form.weight + letter.weight, depth=form.depth * letter.depth)


def _in_part(tube: Tube, drawn: Drawn) -> Tube:
    """A tube of which only a part of what was there is."""
    long = tube.last - tube.first
    first, last = tube.first + long * drawn.first, tube.first + long * drawn.last
    return replace(tube, start=tube.start + drawn.start, first=first, last=last, spread=drawn.spread)
