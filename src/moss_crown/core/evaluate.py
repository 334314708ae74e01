"""The pipeline on one page: a shot and a frame become letters, poses, a scene and a picture.

document -> type -> form -> motion -> look -> stage -> render. Steps act in the order of the recipe on every block
above them. A frame asked for alone gives the same bits as one in sequence: nothing here remembers anything but the
cache, which is addressed by what a result depends on.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from statistics import median
from typing import Literal, TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from moss_crown.core import limits
from moss_crown.core.cache import Cache, address
from moss_crown.core.document.shot import (
    BlockStep,
    CameraStep,
    DriveStep,
    EdgeProfile,
    EmblemStep,
    EnvironmentStep,
    FormStep,
    GroupStep,
    LightsStep,
    Shot,
    Step,
    Subject,
    Tubes,
)
from moss_crown.core.document.values import Keyed
from moss_crown.core.dressing import worn_by
from moss_crown.core.errors import TooMany
from moss_crown.core.form.mesh import Solid
from moss_crown.core.form.outline import FINER, TOLERANCE, Join, letter_outline, shaped
from moss_crown.core.form.profile import Edge
from moss_crown.core.form.section import section, stem_width
from moss_crown.core.form.solid import Form, solid
from moss_crown.core.form.tube import Line, Tube
from moss_crown.core.grouping import NO_GROUP, Led, Member, Pivots, Resting, in_world, members, resting
from moss_crown.core.lettering import setting_at
from moss_crown.core.look import pictures
from moss_crown.core.look.dress import unseen
from moss_crown.core.look.environment import Tilt, environment, tilted
from moss_crown.core.look.exposure import grade
from moss_crown.core.look.material import Surface
from moss_crown.core.motion.acts import NO_FACES, Faces
from moss_crown.core.motion.clearance import GIVE, contacts
from moss_crown.core.motion.poses import Poses, place_matrix, softened, speeds
from moss_crown.core.motion.values import Frames, changes, exposures, sample, sample_choice, sample_one
from moss_crown.core.moving import (
    MOTION,
    Company,
    Framing,
    Moved,
    changes_letters,
    exact_rest,
    letters_of,
    moved,
    rest_of,
    scrambled,
    shown_faces,
    starts_of,
    worn_axes,
)
from moss_crown.core.stage.backdrop import Backdrop
from moss_crown.core.stage.camera import camera_poses
from moss_crown.core.stage.lamps import EDGES, FACES, light_at, sources_at
from moss_crown.core.stage.scene import Camera, Light, Placed, Scene, Surround
from moss_crown.core.staging import floor_below, grounds_at, haze_at, horizon_at, wall_behind
from moss_crown.core.type import emblem
from moss_crown.core.type.families import Axes
from moss_crown.core.type.layout import EmblemSetting, Letter, Setting
from moss_crown.core.type.shape import Glyph, faces

STEP_BLUR = np.radians(8.0)
"""A letter that turns gets a pose in the shutter for at most every 8 degrees: matrices are interpolated straight."""
MOST_BLUR_POSES = 17
SOFT_POSES = 65
"""In so many places letters that are soft stand while the shutter is open."""
CHORD_PIXELS = 0.15
NOWHERE = -1
"""In place of a solid for a letter of which nothing is there, such as a tube that has not begun."""
SECTION_LETTERS = 24
"""A stem's usual width is taken from so many of a block's letters."""
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

    @property
    def step(self) -> int:
        return self.member.step

    @property
    def letters(self) -> tuple[Letter, ...]:
        return letters_of(self.setting)


@dataclass(frozen=True)
class Structure:
    """What decides the letters and their solids, but not where they are. Frames that share it form a span. `led` are
    the groups of each block, where there are any."""

    blocks: tuple[Block, ...]
    led: tuple[Led, ...] = field(default=(), compare=False)

    @property
    def letters(self) -> tuple[Letter, ...]:
        return tuple(letter for block in self.blocks for letter in block.letters)

    @property
    def grouped(self) -> bool:
        return any(block.member.under for block in self.blocks)

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
        return address(self.blocks)


Moment = TypeVar("Moment", int, float)


def structure_at(shot: Shot, frame: float) -> Structure:
    """Blocks that are on, with their settings and forms at a frame. Raises FamilyUnknown."""
    structure = _set_structure(shot, frame)
    if structure.grouped:
        pivots = _resting(shot, _set_structure(shot, shot.last), shot.last).pivots
        structure = Structure(structure.blocks, _resting(shot, structure, shot.last, pivots).led)
    if any(changes_letters(step) for step in shot.steps):
        blocks = tuple(_changed(shot, structure, k, frame) for k in range(len(structure.blocks)))
        structure = Structure(blocks, structure.led)
    return structure


def _set_structure(shot: Shot, frame: float) -> Structure:
    """Blocks and their copies, before motion changes their letters."""
    found = []
    for member in members(shot, frame):
        step = shot.steps[member.step]
        assert isinstance(step, BlockStep | EmblemStep)
        own = frame - member.late
        found.append(Block(member, set_at(step, own), _form_at(shot, member.step, own)))
    return Structure(tuple(found))


def _resting(shot: Shot, structure: Structure, frame: float, pivots: Pivots | None = None) -> Resting:
    """Where the letters of each block rest in the world when blocks and groups stand as at a frame."""
    poses, boxes, centres, begin = [], [], [], 0
    for block in structure.blocks:
        step = shot.steps[block.step]
        assert isinstance(step, BlockStep | EmblemStep)
        place = place_matrix(*(np.asarray(sample_one(v, frame)) for v in (step.move, step.turn, step.scale)))
        poses.append(place @ rest_of(block.setting))
        boxes.append(structure.boxes[begin : begin + len(block.letters)])
        centres.append(np.array([(*letter.centre, 0.0) for letter in block.letters]).reshape(-1, 3))
        begin += len(block.letters)
    return resting(shot, [b.member.under for b in structure.blocks], poses, boxes, centres, frame, pivots)


def _changed(shot: Shot, structure: Structure, number: int, frame: float) -> Block:
    """A block with the letters that motion puts in the place of its own: faces of a drum, scrambled ones, other
    places on their axes."""
    block = structure.blocks[number]
    if not isinstance(block.setting, Setting):
        return block
    own = company(shot, structure, number)
    seen = float(exposures(shot.exposed, np.array([frame]))[0]) - own.late
    faces = shown_faces(own, seen)
    letters = letters_of(block.setting)
    shown = faces.letters if faces.steps else scrambled(own, seen)
    other = tuple("" if text == letter.text else text for text, letter in zip(shown, letters, strict=False))
    setting = replace(block.setting, shown=other if any(other) else (), worn=worn_axes(own, seen))
    return replace(block, setting=setting, faces=faces)


def set_at(step: BlockStep | EmblemStep, frame: float) -> Setting | EmblemSetting:
    """How a block is set at a frame, before motion changes its glyphs."""
    if isinstance(step, BlockStep):
        return setting_at(step, frame)
    return EmblemSetting(sample_choice(step.emblem, frame), sample_one(step.size, frame))


def _form_at(shot: Shot, block: int, frame: float) -> Form:
    """The last form step below a block that is on decides."""
    form = CARD
    for step in shot.steps[block + 1 :]:
        if isinstance(step, FormStep) and sample_choice(step.on, frame):
            front = _edge_at(step.front, frame)
            form = Form(
                depth=sample_one(step.depth, frame),
                front=front,
                rear=front if sample_choice(step.rear_alike, frame) else _edge_at(step.rear, frame),
                join=sample_choice(step.corners, frame),
                grow=sample_choice(step.grow, frame),
                weight=sample_one(step.weight, frame),
                fill=sample_choice(step.counters, frame) == "filled",
                wall=sample_one(step.wall, frame),
                tube=_tube_at(step.tubes, frame),
            )
    return form


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


def _edge_at(edge: EdgeProfile, frame: float) -> Edge:
    kind = sample_choice(edge.profile, frame)
    return Edge(
        kind,
        sample_one(edge.width, frame),
        sample_one(edge.height, frame),
        round(sample_one(edge.segments, frame)),
        tuple(edge.curve) if kind == "drawn" else (),
    )


def form_of_letter(letter: Letter, form: Form) -> Form:
    """A block's form with what is the letter's own: its weight and its depth."""
    if letter.weight == 0 and letter.depth == 1:
        return form
    return replace(form, weight=form.weight + letter.weight, depth=form.depth * letter.depth)


def spans(shot: Shot, frames: Sequence[Moment]) -> list[tuple[Structure, list[Moment]]]:
    """Runs of frames that share a structure, in order."""
    lasting = not any(changes_letters(s) for s in shot.steps)
    if (
        lasting
        and not changes([s for s in shot.steps if isinstance(s, FormStep)])
        and not changes([[s.on, s.copies.count, s.copies.delay] for s in shot.steps if isinstance(s, GroupStep)])
        and not any(
            changes(getattr(s, name))
            for s in shot.steps
            if isinstance(s, BlockStep | EmblemStep)
            for name in type(s).model_fields
            if name not in MOVING
        )
    ):
        return [(structure_at(shot, frames[0]), list(frames))] if len(frames) else []
    found: list[tuple[Structure, list[Moment]]] = []
    for frame in frames:
        structure = structure_at(shot, frame)
        if found and found[-1][0] == structure:
            found[-1][1].append(frame)
        else:
            found.append((structure, [frame]))
    return found


Glyphs: TypeAlias = tuple[Glyph, ...]


def solid_address(
    glyphs: Glyphs,
    family: str,
    axes: Axes,
    unit: float,
    form: Form,
    edge: float | None = None,
    tolerance: float = TOLERANCE,
) -> str:
    fonts = faces(family, axes)
    keys = tuple(fonts[glyph.font].key for glyph in glyphs)
    return address("solid", [(g.index, g.dx, g.dy) for g in glyphs], keys, unit, form, tolerance, edge)


def letter_solid(
    glyphs: Glyphs,
    family: str,
    axes: Axes,
    unit: float,
    form: Form,
    cache: Cache,
    edge: float | None = None,
    tolerance: float = TOLERANCE,
) -> Solid:
    """A letter's solid, built once for each glyph, form, size and tolerance; of even density with an `edge`."""
    return cache.get(
        solid_address(glyphs, family, axes, unit, form, edge, tolerance),
        lambda: solid(
            letter_outline(glyphs, faces(family, axes), tolerance), form, unit, _strokes(glyphs, family), edge
        ),
        lambda s: s.vertices.nbytes + s.triangles.nbytes + s.facet.nbytes + s.normals.nbytes,
    )


def _strokes(glyphs: Glyphs, family: str) -> list[Line]:
    """The middle lines of an emblem's strokes; none for letters."""
    if not emblem.is_emblem(family):
        return []
    return [line for glyph in glyphs for line in emblem.find(family).lines[glyph.index]]


def solid_of(letter: Letter, form: Form, cache: Cache, edge: float | None = None) -> Solid:
    """The solid of a letter of a block with this form."""
    own = form_of_letter(letter, form)
    return letter_solid(letter.glyphs, letter.family, letter.axes, letter.unit, own, cache, edge)


@lru_cache(maxsize=4096)
def _stem(
    glyphs: Glyphs, family: str, axes: Axes, unit: float, weight: float, fill: bool, wall: float, join: Join
) -> float:
    rings = letter_outline(glyphs, faces(family, axes))
    return stem_width(shaped(rings, weight, fill, wall / unit, join)) * unit


def block_section(block: Block) -> tuple[NDArray[np.float64], float]:
    """The cross-section of a block's letters through a stem of their usual width, and that width in metres."""
    form = block.form
    stems = [
        _stem(m.glyphs, m.family, m.axes, m.unit, form.weight + m.weight, form.fill, form.wall, form.join)
        for m in block.letters[:SECTION_LETTERS]
    ]
    stem = median(stems) if stems else 0.0
    return section(form, stem), stem


def company(shot: Shot, structure: Structure, number: int) -> Company:
    """The `number`-th block of a structure among its recipe."""
    block = structure.blocks[number]
    step = shot.steps[block.step]
    assert isinstance(step, BlockStep | EmblemStep)
    first = sum(len(b.letters) for b in structure.blocks[:number])
    own = slice(first, first + len(block.letters))

    def framing(frames: Frames) -> Framing:
        return Framing(*_camera(shot, frames, shot.aspect))

    return Company(
        step,
        tuple(s for s in shot.steps[block.step + 1 :] if s.kind in MOTION),
        block.setting,
        lambda: structure.boxes[own],
        framing,
        changes(camera_step(shot)) or sample_one(camera_step(shot).drift, shot.first) != 0,
        float(shot.fps.fraction),
        float(shot.first),
        shot.seed,
        block.faces,
        block.member.late,
        structure.led[number] if structure.led else NO_GROUP,
    )


def moved_at(shot: Shot, structure: Structure, frames: Frames, restless: bool = True) -> list[Moved]:
    """Each block of a structure in motion at any frames, fractional ones too."""
    seen = exposures(shot.exposed, frames)
    return [moved(company(shot, structure, number), seen, restless) for number in range(len(structure.blocks))]


def poses_at(shot: Shot, structure: Structure, frames: Frames, restless: bool = True) -> Poses:
    """(f, l, 4, 4) letter to world, for all letters of a structure."""
    return together(moved_at(shot, structure, frames, restless), len(frames))


def together(blocks: Sequence[Moved], frames: int) -> Poses:
    """The poses of all blocks, one after the other."""
    return np.concatenate([b.poses for b in blocks], 1) if blocks else np.zeros((frames, 0, 4, 4))


def soft_at(blocks: Sequence[Moved], frames: int) -> NDArray[np.float64]:
    """(f, l): how soft the letters of all blocks are, metres."""
    parts = [np.zeros(b.poses.shape[:2]) if b.soft is None else b.soft for b in blocks]
    return np.concatenate(parts, 1) if parts else np.zeros((frames, 0))


def motion_on(shot: Shot, block: int) -> Iterator[Step]:
    """The steps that move the letters of a block."""
    return (step for step in shot.steps[block + 1 :] if step.kind in MOTION)


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
REST_MOVE = 5e-4
"""A letter is at rest when no corner of its box is farther than this share of the cap height from where it ends."""


def timing(shot: Shot, structure: Structure, frames: Frames) -> Timing:
    """Speeds by central differences over a frame, starts by the drives that are on at the last frame, rest.

    The frames follow one another.
    """
    between = np.append(frames - 0.5, frames[-1] + 0.5)
    fast = speeds(poses_at(shot, structure, between), structure.boxes, float(1 / shot.fps.fraction))
    total = len(structure.letters)
    starts: dict[str, NDArray[np.float64]] = {}
    at = np.array([float(shot.last)])
    begin = 0
    for number, block in enumerate(structure.blocks):
        own = slice(begin, begin + len(block.letters))
        begin = own.stop
        fast[:, :, own] /= block.setting.size
        for step in motion_on(shot, block.step):
            if isinstance(step, DriveStep) and sample_choice(step.on, shot.last) and block.letters:
                begun = starts_of(company(shot, structure, number), step, at)
                if begun is not None:
                    starts.setdefault(step.id, np.full(total, float(shot.first)))[own] = begun[0]
    return Timing(fast, rest_frames(shot, structure), starts)


def rest_frames(shot: Shot, structure: Structure) -> NDArray[np.float64]:
    """(l): the first frame from which each letter does not move any more by itself, shivers apart.

    Where cadences and swings decide alone it is exact. Otherwise letters are watched until long after the shot, and it
    is the first whole frame after they were last away from where they end.
    """
    exact = [exact_rest(company(shot, structure, k), float(shot.last)) for k in range(len(structure.blocks))]
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
        poses = moved(company(shot, structure, number), exposures(shot.exposed, watched), False).poses
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


def contacts_of(shot: Shot, structure: Structure, frames: Frames, poses: Poses | None = None) -> NDArray[np.uint8]:
    """(f, l): at which frames letters run into each other, the floor or the wall. `poses` may give those at the
    frames, where they are known."""
    found = poses_at(shot, structure, frames) if poses is None else poses
    if not structure.blocks:
        return np.zeros(found.shape[:2], np.uint8)
    still = _resting(shot, structure, shot.last).poses
    give = [np.full(len(block.letters), GIVE * block.setting.size) for block in structure.blocks]
    floor = floor_below(shot, shot.last)
    wall = wall_behind(shot, shot.last, solid=True)
    return contacts(found, structure.boxes, np.concatenate(still), np.concatenate(give), floor, wall)


def rest_frame(shot: Shot, letters: NDArray[np.float64] | None = None) -> float:
    """The frame at which all letters are at rest and every block has reached its last key; NEVER for none. `letters`
    may give what `rest_frames` says of the last frame's, where that is known."""
    structure = structure_at(shot, shot.last)
    rest = float((rest_frames(shot, structure) if letters is None else letters).max(initial=shot.first))
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


def block_corners(shot: Shot, frame: float) -> dict[str, NDArray[np.float64]]:
    """For each block that is on, by the id of its step: (n, 3) corners of its letters' boxes in the world, at rest.
    Copies are left out."""
    structure = structure_at(shot, frame)
    corners = zip(structure.blocks, _corners(shot, structure, frame), strict=True)
    return {shot.steps[block.step].id: own for block, own in corners if not block.member.copied}


def title_corners(shot: Shot, frame: float) -> NDArray[np.float64]:
    """(n, 3) corners of every letter's box in the world, at rest, as the blocks stand at a frame."""
    return np.concatenate([np.zeros((0, 3)), *_corners(shot, structure_at(shot, frame), frame)])


def _corners(shot: Shot, structure: Structure, frame: float) -> list[NDArray[np.float64]]:
    """For each block of a structure, (n, 3) corners of its letters' boxes where they rest in the world."""
    found, begin = [], 0
    for poses in _resting(shot, structure, frame).poses:
        boxes = structure.boxes[begin : begin + len(poses)]
        begin += len(poses)
        found.append(in_world(poses, boxes).reshape(-1, 3))
    return found


def camera_step(shot: Shot) -> CameraStep:
    """The shot's camera; one with the defaults where the recipe has none."""
    return next((step for step in shot.steps if isinstance(step, CameraStep)), CameraStep(id="camera"))


def environment_step(shot: Shot, frame: float) -> EnvironmentStep | None:
    """The environment that is on at a frame."""
    found = (step for step in shot.steps if isinstance(step, EnvironmentStep))
    return next((step for step in found if sample_choice(step.on, frame)), None)


def camera_path(
    shot: Shot, frames: Frames, aspect: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Poses (f, 4, 4), half tangents (f, 2) and shifts (f, 2) of the camera."""
    step = camera_step(shot)
    poses, half, shift = _camera(shot, frames, aspect)
    if step.follow:
        away = subject_places(shot, step.follow, frames) - subject_places(shot, step.follow, np.array([shot.last]))
        poses = poses.copy()
        poses[:, :3, 3] += sample(step.follow_share, frames)[:, None] * away
    return poses, half, shift


def _camera(
    shot: Shot, frames: Frames, aspect: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """The camera without what it follows. It fits the title as it rests at the last frame, so that it does not
    twitch."""
    corners = title_corners(shot, float(shot.last))
    return camera_poses(camera_step(shot), frames, corners, aspect, float(shot.fps.fraction), shot.seed)


def subject_places(shot: Shot, subject: Subject, frames: Frames) -> NDArray[np.float64]:
    """(f, 3): the middle of a subject's letters in the world; the origin while it is not there."""
    found = np.zeros((len(frames), 3))
    begin = 0
    for structure, own in spans(shot, [float(frame) for frame in frames]):
        rows = slice(begin, begin + len(own))
        begin = rows.stop
        first = 0
        for block in structure.blocks:
            letters = list(block.letters)
            chosen = letters if subject.letter is None else letters[subject.letter : subject.letter + 1]
            if shot.steps[block.step].id == subject.block and chosen and not block.member.copied:
                at = first + (subject.letter or 0)
                poses = poses_at(shot, structure, np.array(own))[:, at : at + len(chosen)]
                centres = np.array([(*letter.centre, 0.0) for letter in chosen])
                places = (poses[:, :, :3, :3] * centres[None, :, None]).sum(-1) + poses[:, :, :3, 3]
                found[rows] = places.mean(1)
            first += len(letters)
    return found


def grade_at(shot: Shot, frame: float) -> NDArray[np.float64]:
    """(3, 3) exposure and white balance of the camera at a frame."""
    step = camera_step(shot)
    return grade(sample_one(step.exposure, frame), sample_one(step.white, frame))


def camera_at(shot: Shot, frames: Frames, aspect: float) -> Camera:
    """The camera while a shutter is open: its poses at several moments, its lens in the middle of them."""
    step = camera_step(shot)
    poses, half, shift = camera_path(shot, frames, aspect)
    middle = len(frames) // 2
    moment = float(frames[middle])
    return Camera(
        poses,
        (float(half[middle, 0]), float(half[middle, 1])),
        (float(shift[middle, 0]), float(shift[middle, 1])),
        opening=sample_one(step.opening, moment) / 2,
        focus=_focus(shot, step, moment, poses[middle]),
        blades=round(sample_one(step.blades, moment)),
        grade=grade_at(shot, moment),
    )


def _focus(shot: Shot, step: CameraStep, frame: float, pose: NDArray[np.float64]) -> float:
    """The distance along the camera's axis at which it is sharp: on its subject, else as set, else on the title."""
    wanted = float(sample_one(step.focus, frame))
    if step.focus_on:
        middle = subject_places(shot, step.focus_on, np.array([frame]))[0]
    elif wanted > 0 or not len(corners := title_corners(shot, float(shot.last))):
        return max(wanted, 0.01)
    else:
        middle = (corners.min(0) + corners.max(0)) / 2
    return max(float((pose[:3, 3] - middle) @ pose[:3, 2]), 0.01)


def shutter_frames(shot: Shot, structure: Structure, frame: float) -> Frames:
    """The moments at which poses are taken while the shutter is open, evenly spread about the middle of that.

    As few as the fastest turn allows; one when nothing moves.
    """
    step = camera_step(shot)
    half = sample_one(step.shutter, frame) / 720
    middle = frame + sample_one(step.shutter_phase, frame) / 360
    if half == 0:
        return np.array([middle])
    ends = np.array([middle - half, middle, middle + half])
    poses = poses_at(shot, structure, ends)
    cameras = camera_at(shot, ends, 1.0).poses
    if np.array_equal(poses[0], poses[1]) and np.array_equal(poses[1], poses[2]) and np.ptp(cameras, axis=0).max() == 0:
        return np.array([middle])
    turned = max((_turned(a, b) for a, b in ((poses[0], poses[1]), (poses[1], poses[2]))), default=0.0)
    turned = max(turned, _turned(cameras[0:1], cameras[1:2]))
    count = 2 * int(np.clip(np.ceil(turned / STEP_BLUR), 1, MOST_BLUR_POSES // 2)) + 1
    return np.linspace(middle - half, middle + half, count)


def _turned(before: Poses, after: Poses) -> float:
    """The largest change of direction of any axis, in radians."""
    if not len(before):
        return 0.0
    a, b = before[..., :3, :3], after[..., :3, :3]
    length = np.linalg.norm(a, axis=-2) * np.linalg.norm(b, axis=-2)
    cosine = (a * b).sum(-2) / np.maximum(length, 1e-12)
    return float(np.arccos(np.clip(cosine, -1, 1)).max())


def fineness(letter: Letter, pose: NDArray[np.float64], camera: Camera, height: int) -> float:
    """The tolerance of a letter's curves at which no chord is off by more than CHORD_PIXELS in a frame so high."""
    middle = len(camera.poses) // 2
    centre = pose[:3, :3] @ (*letter.centre, 0.0) + pose[:3, 3]
    away = float((camera.poses[middle, :3, 3] - centre) @ camera.poses[middle, :3, 2])
    if away <= 0:
        return FINER[0]
    size = float(np.linalg.norm(pose[:3, :3], axis=0)[:2].max())
    pixels = letter.unit * size * height / (2 * camera.half[1] * away)  # of a thousandth of an em
    wanted = CHORD_PIXELS / max(pixels, 1e-12)
    return next((tolerance for tolerance in FINER if tolerance <= wanted), FINER[-1])


def scene_at(
    shot: Shot, frame: float, aspect: float, cache: Cache, blur: bool = True, height: int = 720, motion: bool = False
) -> Scene:
    """Everything the renderer needs for a frame `height` pixels high; with `motion` also where all is a frame later.

    Raises TooMany where its solids have more triangles than there may be.
    """
    structure = structure_at(shot, frame)
    moments = shutter_frames(shot, structure, frame) if blur else np.array([float(frame)])
    done = moved_at(shot, structure, moments)
    if soft := any(b.soft is not None for b in done):
        moments = np.linspace(moments[0], moments[-1], SOFT_POSES)
        done = moved_at(shot, structure, moments)
    poses = together(done, len(moments))
    camera = camera_at(shot, moments, aspect)
    if soft:
        poses = softened(poses, soft_at(done, len(moments))[len(moments) // 2], camera.poses)
    later = poses_at(shot, structure, moments[:1] + 1) if motion else None
    if motion:
        camera = replace(camera, later=camera_at(shot, moments[:1] + 1, aspect).poses[0])
    surfaces: list[Surface] = []
    solids: list[Solid] = []
    place_of: dict[str, int] = {}
    letters: list[Placed] = []
    owners: list[str] = []
    count = triangles = 0
    middle = len(moments) // 2
    for block, motion_of in zip(structure.blocks, done, strict=True):
        opacity = None if motion_of.opacity is None else motion_of.opacity[middle]
        tint = None if motion_of.tint is None else motion_of.tint[middle]
        dresses = worn_by(shot, block.step, block.setting, frame, tint, opacity)
        at_rest = rest_of(block.setting)
        begins: dict[int, int] = {}
        for number, (letter, dress) in enumerate(zip(block.letters, dresses, strict=True)):
            if id(dress) not in begins:
                begins[id(dress)] = len(surfaces)
                surfaces += dress.surfaces
            a, b, c, d, e = (begins[id(dress)] + k for k in dress.which)
            by_facet = (a, b, c, d, e)
            form = form_of_letter(letter, block.form)
            tolerance = fineness(letter, poses[middle, count], camera, height)
            recipe = (letter.glyphs, letter.family, letter.axes, letter.unit, form)
            where = solid_address(*recipe, tolerance=tolerance)
            if where not in place_of:
                built = letter_solid(*recipe, cache, tolerance=tolerance)
                place_of[where] = len(solids) if len(built.triangles) else NOWHERE
                solids += [built] * (place_of[where] != NOWHERE)
                triangles += len(built.triangles)
                if triangles > limits.TRIANGLES:
                    raise TooMany("/steps", "triangles", triangles, limits.TRIANGLES)
            if place_of[where] != NOWHERE and not (opacity is not None and unseen(opacity[number])):
                pose = np.ascontiguousarray(poses[:, count])
                prefix = f"{shot.steps[block.step].id}/" if len(structure.blocks) > 1 else ""
                prefix += "".join(f"copy {u.copy}/" for u in block.member.under if u.copy)
                letters.append(
                    Placed(
                        place_of[where],
                        pose,
                        by_facet,
                        at_rest[number],
                        letter.index,
                        None if later is None else later[0, count],
                        f"{prefix}{letter.index:03d} {letter.text}",
                        f"{prefix}line {letter.line + 1} word {letter.word + 1}",
                    )
                )
                owners.append(shot.steps[block.step].id)
            count += 1
    grounds = grounds_at(shot, frame, surfaces)
    step = environment_step(shot, frame)
    surround = (
        Surround(
            tilted(sample_choice(step.preset, frame), tilt_at(step, frame)),
            sample_one(step.strength, frame),
            sample_one(step.turn, frame),
            _behind(step, frame, aspect),
        )
        if step
        else Surround(environment("overcast"), 0.0, 0.0)
    )
    return Scene(
        tuple(solids),
        tuple(letters),
        grounds,
        tuple(surfaces),
        lights_at(shot, frame, owners, len(grounds)),
        surround,
        camera,
        light_names(shot, frame),
        haze_at(shot, frame),
        horizon_at(shot, frame),
    )


def light_names(shot: Shot, frame: float) -> tuple[str, ...]:
    """What the lamps that are on are called, once for each of their sources."""
    on = [step for step in shot.steps if isinstance(step, LightsStep) and sample_choice(step.on, frame)]
    return tuple(lamp.name for step in on for lamp in step.lights for _ in range(round(sample_one(lamp.stack, frame))))


def tilt_at(step: EnvironmentStep, frame: float) -> Tilt:
    forward, right = (round(float(v), 3) for v in sample_one(step.tilt, frame))
    return forward, right


def _behind(step: EnvironmentStep, frame: float, aspect: float) -> Literal["nothing", "environment"] | Backdrop:
    """What shows behind everything."""
    match sample_choice(step.behind, frame):
        case "nothing":
            return "nothing"
        case "environment":
            return "environment"
    picture = backdrop_picture(step, frame)
    shown = None if picture is None else pictures.texture(picture)
    return replace(backdrop_at(step, frame), picture=shown, aspect=aspect)


def backdrop_at(step: EnvironmentStep, frame: float) -> Backdrop:
    """What fills the frame behind everything, but for a picture."""
    low = sample_one(step.colour, frame)
    high = sample_one(step.colour_above, frame) if sample_choice(step.behind, frame) == "gradient" else low
    return Backdrop(low, high, sample_one(step.gradient_turn, frame))


def backdrop_picture(step: EnvironmentStep, frame: float) -> str | None:
    """The picture that fills the frame behind everything, if one does."""
    chosen: str | None = sample_choice(step.backdrop, frame)
    return chosen if sample_choice(step.behind, frame) == "picture" else None


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
                stage = sample_choice(lamp.on_stage, frame)
                touches = None
                if lamp.only or not stage or bits != FACES | EDGES:
                    letters = [bits if not lamp.only or owner in lamp.only else 0 for owner in owners]
                    touches = (*letters, *([255 if stage else 0] * grounds))
                found += [light_at(lamp, frame, touches)] if whole else sources_at(lamp, frame, touches)
    return tuple(found)
