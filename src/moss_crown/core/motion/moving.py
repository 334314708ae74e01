"""The letters of a block in motion: what the motion steps of a recipe do to them, from rest pose to pose at a frame."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.deform.chain import bent_all
from moss_crown.core.document.become import BecomeStep
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.deform import DeformStep, RippleStep, WaveStep
from moss_crown.core.document.inflate import InflateStep
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.motion import (
    Cadence,
    DriveStep,
    DrumStep,
    Everywhere,
    FollowStep,
    GrowStep,
    Offset,
    Pivot,
    ReachingStep,
    SwapStep,
    Swing,
)
from moss_crown.core.look.pictures import shades
from moss_crown.core.look.wear import Wear, worn
from moss_crown.core.motion.acts import (
    NO_FACES,
    Above,
    Cast,
    Faces,
    Surroundings,
    acts,
    drive_reach,
    no_globe,
    places,
    switched,
    units_of,
)
from moss_crown.core.motion.apart import Row
from moss_crown.core.motion.drum import LETTERS, columns, in_front, turned
from moss_crown.core.motion.groups import NO_GROUP, Led
from moss_crown.core.motion.piecing import (
    InPieces,
    Scattered,
    any_by_piece,
    beside,
    on_the_whole,
    piece_cast,
    piece_pivots,
    piece_poses,
    scattered,
)
from moss_crown.core.motion.pivots import About, Place, pivots
from moss_crown.core.motion.poses import Act, Poses, Put, place_matrix, place_poses
from moss_crown.core.motion.reach import cadence_end, cadence_starts, swing_starts
from moss_crown.core.motion.soft import Deed, boxed, in_world, performed, rigid
from moss_crown.core.motion.swap import last_rest
from moss_crown.core.type.emblem import is_emblem
from moss_crown.core.type.families import Axes, find
from moss_crown.core.type.fonts import axes_of
from moss_crown.core.type.layout import WHOLE, AnySetting, Drawn, Setting, letters_of
from moss_crown.core.values.noise import hashed, seed_of
from moss_crown.core.values.sampling import (
    Frames,
    Letters,
    changes,
    each,
    exposures,
    needed,
    sample,
    sample_choice,
    sample_one,
    sample_triple,
)

Floats = NDArray[np.float64]
AXIS_STEPS = 16
"""Into so many steps the way of a variable axis is cut."""
MARGIN = 0.02
"""What comes from outside the frame stands this share of the frame's half width beyond its border."""


class Framing(NamedTuple):
    """The camera at frames: poses (f, 4, 4), half tangents (f, 2), shifts (f, 2)."""

    poses: Floats
    half: Floats
    shift: Floats


def no_pieces() -> InPieces | None:
    """Of letters that nothing cuts."""
    return None


@dataclass(frozen=True)
class Solved:
    """Where a solver has letters, or pieces, in the world (f, n, 4, 4), and where it has them at all (f, n)."""

    poses: Poses
    free: NDArray[np.bool_]


def nothing_solved(step: BodiesStep | BecomeStep, frames: Frames) -> Solved | None:
    """Of a block by itself."""
    return None


@dataclass(frozen=True)
class Company:
    """A block among its recipe: its step, the motion steps below it, how it is set, the shot's clock and seed, and the
    middle of the stage's globe in the world (f or 1, 3), no number where there is none.

    `framing` answers the camera at frames, whatever it follows; `boxes` the letters' (l, 8, 3) in their own space. A
    copy's own clock is `late` by so many frames; `led` are its groups; `pieces` those of its letters; `solved` says
    where a solver has them, at frames of the shot. All but `moved` and what the sheet is told of counts by that clock.
    """

    step: BlockStep | EmblemStep
    steps: tuple[Any, ...]
    setting: AnySetting
    boxes: Callable[[], Floats]
    framing: Callable[[Frames], Framing]
    framing_changes: bool
    fps: float
    first: float
    seed: int
    faces: Faces = NO_FACES
    late: float = 0.0
    led: Led = NO_GROUP
    globe: Callable[[Frames], Floats] = no_globe
    pieces: Callable[[], InPieces | None] = no_pieces
    solved: Callable[[BodiesStep | BecomeStep, Frames], Solved | None] = nothing_solved


@lru_cache(maxsize=64)
def rest_of(setting: AnySetting) -> NDArray[np.float64]:
    """(l, 4, 4) letters of a block at rest. The caller must not change it."""
    return np.array([letter.pose() for letter in letters_of(setting)]).reshape(-1, 4, 4)


def own_setting(setting: AnySetting) -> AnySetting:
    """A block with its own letters as they are set, whatever motion makes of their glyphs: what motion goes by."""
    if isinstance(setting, Setting) and (setting.shown or setting.moved_axes):
        setting = replace(setting, shown=(), moved_axes=())
    return replace(setting, drawn=()) if setting.drawn else setting


@lru_cache(maxsize=64)
def cast_of(setting: AnySetting) -> Cast:
    """A block's letters as motion sees them."""
    if own_setting(setting) != setting:
        own = cast_of(own_setting(setting))
        centres = np.array([letter.centre[0] for letter in letters_of(setting)])
        return replace(own, middles=np.stack([centres, own.middles[:, 1]], 1))
    letters = letters_of(setting)
    rest = rest_of(setting)
    count = len(letters)
    middles = np.array([(*m.centre, 0.0) for m in letters]).reshape(-1, 3)
    centres = np.einsum("lij,lj->li", rest[:, :3, :3], middles) + rest[:, :3, 3]
    by_scope = {
        "letter": np.arange(count),
        "word": _numbered([(m.line, m.word) for m in letters]),
        "line": _numbered([m.line for m in letters]),
        "block": np.zeros(count, np.int64),
    }
    units = {}
    for scope, unit_of in by_scope.items():
        middle = [centres[unit_of == u].mean(0) for u in range(int(unit_of.max(initial=-1)) + 1)]
        units[scope] = (unit_of, np.array(middle).reshape(-1, 3))
    in_line, of_line = _counted(by_scope["line"])
    along = (in_line - (of_line - 1) / 2) * setting.size
    share = in_line / np.maximum(of_line - 1, 1)
    x, y, z = centres.T
    known = Letters(np.arange(count, dtype=np.float64), share, x, y, z)
    cap = np.full(count, setting.size / 2)
    across = np.array([m.centre[0] for m in letters])
    return Cast(count, known, units, rest[:, :3, 0] * along[:, None], np.stack([across, cap], 1), setting.size)


def whole_cast(company: Company) -> Cast:
    """A block's letters as motion sees them, with their pieces where they are in pieces."""
    cast, pieces = cast_of(company.setting), company.pieces()
    if pieces is None:
        return cast
    return replace(cast, pieces=piece_cast(cast, pieces, rest_of(company.setting)))


def _numbered(keys: Sequence[Any]) -> NDArray[np.int64]:
    """The same number for the same key, in the order in which they come."""
    numbers = {key: k for k, key in enumerate(dict.fromkeys(keys))}
    return np.array([numbers[key] for key in keys], np.int64)


def _counted(groups: NDArray[np.int64]) -> tuple[Floats, Floats]:
    """The place of each within its group, and how many that group has."""
    place = np.array([(groups[:k] == g).sum() for k, g in enumerate(groups)], np.float64)
    return place, np.array([(groups == g).sum() for g in groups], np.float64)


@lru_cache(maxsize=64)
def _pivots_at(setting: AnySetting, about: About, place: Place, own: tuple[float, float, float]) -> Floats:
    return pivots(letters_of(setting), about, place, own, setting.size)


def pivots_of(pivot: Pivot, setting: AnySetting, frames: Frames) -> Floats:
    """(f, l, 3), or (1, l, 3) where it stays."""
    found = []
    for frame in frames if changes(pivot) else np.zeros(1):
        found.append(
            _pivots_at(
                setting,
                _of_letters(sample_choice(pivot.about, frame)),
                sample_choice(pivot.place, frame),
                sample_triple(pivot.own, frame),
            )
        )
    return np.array(found).reshape(len(found), -1, 3)


def _of_letters(about: About | Literal["piece"]) -> About:
    """About what letters as a whole turn: of a letter that is whole a piece is the letter."""
    return "letter" if about == "piece" else about


def _placing(company: Company) -> list[Any]:
    """What decides where a block stands."""
    return [company.step.move, company.step.turn, company.step.scale, *company.led.steps]


def _placed(company: Company, at: Frames) -> Poses:
    """(f, 4, 4): a block's own place and its groups', whatever follows it."""
    step, above = company.step, company.led.above(at)
    move, turn, scale = (sample(v, at) for v in (step.move, step.turn, step.scale))
    own = np.array([place_matrix(*placed) for placed in zip(move, turn, scale, strict=True)]).reshape(-1, 4, 4)
    return np.asarray(above @ own)


def surroundings(company: Company) -> Surroundings:
    """What motion may ask of the block it acts on, and of what is around it."""

    def placed(frames: Frames) -> Poses:
        return _placed(company, needed(_placing(company), frames))

    def world(local: Floats, frames: Frames) -> Floats:
        """Where places of the block are in the world, by its own place and its groups', whatever follows it."""
        found = [local @ matrix[:3, :3].T + matrix[:3, 3] for matrix in placed(frames)]
        return np.array(found).reshape(len(found), -1, 3)

    def globe(frames: Frames) -> Floats:
        """The middle of the stage's globe, as the block sees it."""
        found = company.globe(frames + company.late)
        if np.isnan(found).all():
            return found
        back = np.linalg.pinv(placed(frames))
        return np.asarray((back[:, :3, :3] @ found[..., None])[..., 0] + back[:, :3, 3])

    def moved(done: Sequence[Deed], frames: Frames) -> Floats:
        poses, rows, _ = _standing(company, done, frames, around)
        middles = np.array([(*letter.centre, 0.0) for letter in letters_of(company.setting)]).reshape(1, -1, 1, 3)
        if rows is not None:
            middles = bent_all(rows, middles)
        return np.asarray((poses[..., :3, :3] @ middles[:, :, 0, :, None])[..., 0] + poses[..., :3, 3])

    around = Surroundings(
        lambda pivot, frames: pivots_of(pivot, company.setting, frames),
        placed,
        world,
        lambda done, frames: _standing(company, done, frames, around)[0],
        moved,
        lambda side, pivot, offset, frames: _outside(company, side, pivot, offset, frames),
        company.fps,
        company.first,
        company.seed,
        company.faces,
        shades,
        lambda: row_of(company),
        globe,
        solved=lambda step, frames: _solved(company, step, frames, around),
    )
    pieces = company.pieces()
    return around if pieces is None else replace(around, by_piece=_of_pieces(company, pieces, around))


def _solved(company: Company, step: BodiesStep | BecomeStep, frames: Frames, around: Surroundings) -> Put | None:
    """Where a solver has a block's letters, or pieces, as the block sees them."""
    found = company.solved(step, frames + company.late)
    if found is None:
        return None
    carried = _carried(company, np.broadcast_to(np.eye(4), (len(frames), 1, 4, 4)).copy(), frames, around)
    own = found.poses.copy()
    own[..., :3, :], sound = beside(found.poses, np.broadcast_to(carried, found.poses.shape))
    return Put(own, found.free & sound)


def designed(company: Company, step: BodiesStep | BecomeStep, frames: Frames) -> tuple[Poses, Scattered | None]:
    """(f, l, 4, 4) where what stands above a step has a block's letters in the world at frames of the shot, and where
    it has their pieces beside them."""
    frames = frames - company.late
    around, cast = surroundings(company), whole_cast(company)
    deeds = acts(company.steps[: company.steps.index(step)], cast, frames, around) if cast.count else []
    poses, _, apart = _standing(company, deeds, frames, around)
    return poses, apart


def _of_pieces(company: Company, pieces: InPieces, around: Surroundings) -> Surroundings:
    """What motion may ask of the pieces of a block's letters."""
    rest = rest_of(company.setting)

    def moved(done: Sequence[Deed], frames: Frames) -> Floats:
        poses, _, found = _standing(company, done, frames, around)
        own = poses[:, pieces.of]
        middles = pieces.middles[None] if found is None else _at(found.ways, pieces.middles)
        return _at(own[..., :3, :], middles)

    return replace(
        around,
        pivots=lambda pivot, frames: piece_pivots(
            pivot, pieces, around.pivots(pivot, frames), company.setting.size, frames
        ),
        moved=moved,
        outside=lambda side, pivot, offset, frames: around.outside(side, pivot, offset, frames)[:, pieces.of],
        turned=lambda ways: np.asarray((rest[pieces.of, :3, :3] @ ways[..., None])[..., 0]),
    )


def _at(matrices: Floats, places: Floats) -> Floats:
    """Places (..., 3) by rows of 3x4 matrices."""
    return np.asarray((matrices[..., :3] @ places[..., None])[..., 0] + matrices[..., 3])


def _standing(
    company: Company, done: Sequence[Deed], frames: Frames, around: Surroundings
) -> tuple[Poses, Floats | None, Scattered | None]:
    """(f, l, 4, 4): a block's letters in the world, moved by acts and put where its place and its groups, with what
    follows them, put it; the rows by which they are bent before (f, l, k, ROW), None where nothing bends; and where
    their pieces then are beside them, None where nothing is done by piece."""
    rest, pieces, apart = rest_of(company.setting), company.pieces(), None
    poses, rows = performed(done, rest, company.boxes, len(frames))
    if pieces is not None and pieces.count and any_by_piece(done):
        apart = scattered(pieces, piece_poses(done, pieces, rest, rows, len(frames)), poses)
    poses = _carried(company, poses, frames, around)
    if rows is not None:
        in_world(done, rows, poses, company.boxes)
    return poses, rows, apart


def _carried(company: Company, poses: Poses, frames: Frames, around: Surroundings) -> Poses:
    """Letters of a block (f, l, 4, 4) put where its place and its groups, with what follows them, put it."""
    return company.led.lead(place_poses(poses, *places(company.step, company.steps, frames, around)), frames, around)


def row_of(company: Company) -> Row:
    """A block's letters as they stand beside each other at rest."""
    line, _ = cast_of(company.setting).units["line"]
    first = np.flatnonzero(line[:-1] == line[1:])
    return Row(rest_of(company.setting), company.boxes(), np.stack([first, first + 1], 1))


def _outside(company: Company, side: str, pivot: Pivot, offset: Offset, frames: Frames) -> Floats:
    """(f or 1, l, 3) moves in the block that bring letters just beyond a side of the frame.

    A letter may turn about its pivot as it comes: a ball around that which holds its box must lie beyond the plane
    through the camera and that border of the frame.
    """
    stays = not company.framing_changes and not changes([*_placing(company), pivot, offset.scale])
    at = frames[:1] if stays else frames
    framing, boxes = company.framing(at + company.late), company.boxes()
    local = pivots_of(pivot, company.setting, at)
    rest = rest_of(company.setting)
    placed = _placed(company, at)
    grown = np.maximum(np.abs(each(offset.scale, at, cast_of(company.setting).letters)).max(-1), 1.0)
    found = np.empty((len(at), len(rest), 3))
    across, sign = {"right": (0, 1), "left": (0, -1), "above": (1, 1), "below": (1, -1)}[side]
    for k in range(len(at)):
        about = local[k if len(local) > 1 else 0]
        place = placed[k]
        world = np.einsum("ij,ljk->lik", place, rest)
        middle = np.einsum("lij,lj->li", world[:, :3, :3], about) + world[:, :3, 3]
        reach = np.linalg.norm(np.einsum("lij,lcj->lci", world[:, :3, :3], boxes - about[:, None]), axis=2)
        radius = reach.max(1) * grown[k if len(grown) > 1 else 0]
        pose = framing.poses[k]
        seen = (middle - pose[:3, 3]) @ pose[:3, :3]
        depth = -seen[:, 2]
        border = (1 + MARGIN - sign * framing.shift[k, across]) * framing.half[k, across]
        by = np.maximum(depth, 0) * border + radius * np.sqrt(1 + border**2) - sign * seen[:, across]
        inverse = np.linalg.inv(place[:3, :3]) if abs(np.linalg.det(place[:3, :3])) > 1e-12 else np.zeros((3, 3))
        found[k] = (sign * np.maximum(by, 0))[:, None] * (inverse @ pose[:3, across])
    return found


@dataclass(frozen=True)
class Moved:
    """What motion makes of a block: poses to world (f, l, 4, 4), how its letters look, the rows by which they are bent
    before (f, l, k, ROW), where they are, and where pieces of them then are."""

    poses: Poses
    wear: Wear
    bends: Floats | None = None
    apart: Scattered | None = None

    def boxed(self, boxes: Floats) -> Poses:
        """Poses that put the boxes (l, 8, 3) of letters at rest where they are, bent, in pieces or not."""
        found = self.poses if self.bends is None else boxed(self.poses, self.bends, boxes)
        if self.apart is None:
            return found
        return np.where(self.apart.whole[..., None, None], found, self.apart.boxed(self.poses, boxes))

    def alone(self, k: int) -> Moved:
        """At one of its frames."""
        bends = None if self.bends is None else self.bends[k : k + 1]
        apart = None if self.apart is None else self.apart.alone(k)
        return Moved(self.poses[k : k + 1], self.wear.alone(k), bends, apart)


def together(blocks: Sequence[Moved], frames: int) -> Poses:
    """The poses of all blocks, one after the other."""
    return np.concatenate([b.poses for b in blocks], 1) if blocks else np.zeros((frames, 0, 4, 4))


def soft_at(blocks: Sequence[Moved], frames: int) -> NDArray[np.float64]:
    """(f, l): how soft the letters of all blocks are, metres."""
    parts = [block.wear.softness() for block in blocks]
    return np.concatenate(parts, 1) if parts else np.zeros((frames, 0))


def moved(company: Company, frames: Frames, restless: bool = True) -> Moved:
    """A block's letters at frames of the shot; without what never rests when that is not wanted."""
    frames = frames - company.late
    steps = [s for s in company.steps if restless or s.facts.rests]
    around = surroundings(company)
    cast = whole_cast(company)
    deeds = acts(steps, cast, frames, around) if cast.count else []
    poses, bends, apart = _standing(company, deeds, frames, around)
    wears = [wear for deed in deeds if (wear := _worn_by(company, deed)) is not None] + company.led.wears(frames)
    wear = worn(wears, (len(frames), cast.count), company.setting.size)
    return Moved(poses, wear, bends, apart)


def _worn_by(company: Company, deed: Deed) -> Wear | None:
    """What a step makes of how letters look; where it acts by piece, what it makes of their pieces on the whole."""
    wear, pieces = (deed.wear if isinstance(deed, Act) else None), company.pieces()
    if wear is None or not isinstance(deed, Act) or not deed.by_piece or pieces is None or not pieces.count:
        return wear
    return on_the_whole(wear, pieces, len(letters_of(company.setting)))


def starts_of(company: Company, drive: ReachingStep, frames: Frames) -> Floats | None:
    """(f or 1, l): the shot's frame at which a drive begins with each letter; None for one without a cadence or a
    swing."""
    cast = cast_of(company.setting)
    scope = sample_choice(drive.scope, float(frames[0]))
    if scope == "piece" and company.pieces() is not None:
        return None
    scope = "letter" if scope in ("point", "piece") else scope
    unit_of, _ = cast.units[scope]
    units = units_of(cast, scope, frames, surroundings(company))
    for reach in drive.reaches:
        if isinstance(reach, Cadence):
            return cadence_starts(reach, frames, units)[:, unit_of] + company.late
        if isinstance(reach, Swing):
            return swing_starts(reach, frames, units)[:, unit_of] + company.late
    return None


def shown_faces(company: Company, frame: float) -> Faces:
    """What the first drum that is on shows of a block at a frame; NO_FACES without one."""
    at = np.array([float(frame)])
    own = own_setting(company.setting)
    letters = tuple(letter.text for letter in letters_of(own))
    for step in company.steps:
        if isinstance(step, DrumStep) and letters and sample_choice(step.on, frame):
            faces = columns(step, frame, letters, company.seed)
            count = max(len(column) for column in faces) - 1
            cast = cast_of(own)
            index = in_front(turned(step, at, units_of(cast, "letter", at, surroundings(company)), count))[0]
            shown = tuple(int(j) for j in index)
            return Faces(shown, tuple(column[j] for column, j in zip(faces, shown, strict=True)), count)
    return NO_FACES


def scrambled(company: Company, frame: float) -> tuple[str, ...]:
    """What stands in the places of letters that drives scramble, "" for the letter itself; empty for nothing."""
    letters = letters_of(own_setting(company.setting))
    found = [""] * len(letters)
    for step, reach in _reaches(company, frame, lambda offset: offset.scramble != 0):
        share = reach * float(sample_one(step.offset.scramble, frame))
        when = int(np.floor(frame / step.offset.scramble_hold))
        for k in range(len(letters)):
            seed = seed_of(company.seed, step.id, "scramble", k)
            chance, which = hashed(seed, np.array([2 * when, 2 * when + 1]))
            if chance < share[k]:
                found[k] = LETTERS[int(which * len(LETTERS))]
    return tuple(found) if any(found) else ()


def moved_axes(company: Company, frame: float) -> tuple[Axes, ...]:
    """Each letter's places on its variable axes, where drives move them; empty for nothing."""
    letters = letters_of(own_setting(company.setting))
    added: list[dict[str, float]] = [{} for _ in letters]
    for step, reach in _reaches(company, frame, lambda offset: bool(offset.axes)):
        # In steps, so that the letters of a shot share their solids.
        stepped = np.round(reach * AXIS_STEPS) / AXIS_STEPS
        for tag, value in step.offset.axes.items():
            by = float(sample_one(value, frame))
            for k, letter in enumerate(letters):
                start = added[k].get(tag, _axis_start(letter.family, letter.axes, tag))
                added[k][tag] = round(start + by * float(stepped[k]), 3)
    if not any(added):
        return ()
    return tuple(tuple(sorted((dict(letter.axes) | more).items())) for letter, more in zip(letters, added, strict=True))


GROWN_STEPS = 240
"""Tubes grow by such parts of their length, so that letters that are drawn alike share their solids."""


def drawn_parts(company: Company, frame: float) -> tuple[Drawn, ...]:
    """What is there of each letter's tubes where steps grow them; empty where that is all. Of several steps what all of
    them leave is there."""
    at = np.array([float(frame)])
    found: list[Drawn] = []
    for step in company.steps:
        if not isinstance(step, GrowStep) or not sample_choice(step.on, frame):
            continue
        seen = exposures(step.exposed, at)
        there = 1 - np.clip(felt(company, step, seen)[0], 0, 1)
        shares = (np.round(there * GROWN_STEPS) / GROWN_STEPS).tolist()
        grows, start = sample_choice(step.grows, float(seen[0])), sample_one(step.start, float(seen[0]))
        found = found or [WHOLE] * len(shares)
        for k, share in enumerate(shares):
            own = start + (sample_one(step.starts[str(k)], float(seen[0])) if str(k) in step.starts else 0.0)
            first = 1 - share if grows == "backward" else 0.0
            found[k] = Drawn(
                round(found[k].start + own, 5),
                max(found[k].first, first),
                min(found[k].last, first + share),
                found[k].spread or grows == "both",
            )
    return tuple(found) if any(part != WHOLE for part in found) else ()


def _reaches(
    company: Company, frame: float, wanted: Callable[[Offset], bool]
) -> Iterator[tuple[DriveStep, NDArray[np.float64]]]:
    """Drives that are on and wanted, with their reach for each letter (l) at a frame."""
    at = np.array([float(frame)])
    for step in company.steps:
        if isinstance(step, DriveStep) and wanted(step.offset) and sample_choice(step.on, frame):
            yield step, felt(company, step, exposures(step.exposed, at))[0]


def felt(company: Company, drive: ReachingStep, frames: Frames) -> Floats:
    """(f, l): how strongly the letters of a block feel a drive below it at frames, whatever its switch says."""
    around, cast = surroundings(company), cast_of(own_setting(company.setting))
    above = Above(company.steps[: company.steps.index(drive)], cast, around)
    return drive_reach(drive, cast, frames, around, above)


def filling(company: Company) -> InflateStep | None:
    """Which step fills a block's letters with gas: the first below it that is not off; None for none."""
    return next((s for s in company.steps if isinstance(s, InflateStep) and s.on is not False), None)


@dataclass(frozen=True)
class Filled:
    """How full letters of a block are at frames (f, l), 0 to 1, and with which pressure (f, l)."""

    strength: Floats
    pressure: Floats


def filled(company: Company, step: InflateStep, frames: Frames) -> Filled:
    """What a step that inflates asks of a block's letters, at frames of the block's own clock."""
    seen = exposures(step.exposed, frames)
    there = np.clip(felt(company, step, seen), 0, 1) * switched(step.on, seen)
    pressure = each(step.pressure, seen, cast_of(own_setting(company.setting)).letters)
    return Filled(np.ascontiguousarray(there), np.ascontiguousarray(np.broadcast_to(pressure, there.shape)))


def felt_apart(company: Company, step: ReachingStep, frames: Frames) -> Floats:
    """(f, p): how strongly pieces of a block's letters feel a step below it, or letters that are not cut (f, l)."""
    around, cast = surroundings(company), whole_cast(company)
    if cast.pieces is None or around.by_piece is None:
        return felt(company, step, frames)
    above = Above(company.steps[: company.steps.index(step)], cast, around, pieces=around.by_piece)
    return drive_reach(step, cast.pieces, frames, around.by_piece, above)


def _axis_start(family: str, axes: Axes, tag: str) -> float:
    """Where a letter stands on an axis that it does not name: where its family does, or the font's own default."""
    named = dict(axes)
    if tag in named:
        return named[tag]
    if is_emblem(family):
        return 0.0
    own = find(family)
    known = {axis.tag: axis.usual for axis in axes_of(own.sources[0])}
    return dict(own.at).get(tag, known.get(tag, 0.0))


def exact_rest(company: Company, frame: float) -> Floats | None:
    """(l): the shot's frame at which each letter is at rest, where that follows from cadences and swings alone, without
    what swells; else None."""
    rest = np.full(cast_of(company.setting).count, company.first)
    at = np.array([frame])
    for step in company.steps:
        if not step.facts.rests or not switched(step.on, at)[0, 0]:
            continue
        if isinstance(step, DrumStep):
            units = units_of(cast_of(company.setting), "letter", at, surroundings(company))
            turned_by = swing_starts(step, at, units)[0] + float(sample(step.duration, at)[0])
            rest = np.maximum(rest, turned_by + company.late)
            continue
        if isinstance(step, SwapStep):
            rest = np.maximum(rest, last_rest(step, frame) + company.late)
            continue
        if isinstance(step, InflateStep) or (isinstance(step, DeformStep) and _stays_bent(step)):
            continue
        goes = not isinstance(step, ReachingStep) or isinstance(step, BecomeStep)
        if goes or _goes_on(step) or len(step.reaches) != 1:
            return None
        (reach,) = step.reaches
        begun = starts_of(company, step, at)
        if begun is None or not isinstance(reach, Cadence | Swing):
            return None
        lasts = cadence_end(reach, frame) if isinstance(reach, Cadence) else float(sample(reach.settle, at)[0])
        rest = np.maximum(rest, begun[0] + lasts)
    return rest


def _goes_on(step: ReachingStep) -> bool:
    """Does what a step does change by itself, whatever its reaches do?"""
    if isinstance(step, DriveStep):
        return changes(step.offset)
    return isinstance(step, WaveStep | RippleStep) or changes([v for name, v in step if name != "reaches"])


def _stays_bent(step: DeformStep) -> bool:
    """Are letters bent alike at all frames, as long as nothing above moves them?"""
    return all(isinstance(reach, Everywhere) for reach in step.reaches) and not _goes_on(step) and not changes(step)


def overshoot(company: Company, step: FollowStep, frames: Frames) -> float:
    """How far past its end a follow-through carries letters at most, as a share of the way that they come."""
    above = [s for s in company.steps[: company.steps.index(step) + 1] if s.facts.rests]
    cast = cast_of(company.setting)
    most = 0.0
    for act in rigid(acts(above, cast, frames, surroundings(company))) if cast.count and len(frames) else []:
        for channel in (act.move, act.turn, act.scale):
            way = channel.reach[:1] - channel.reach[-1:]
            if channel.offset.any() and len(channel.offset) == 1 and (np.abs(way) > 0.01).any():
                done = (channel.reach - channel.reach[-1:]) / np.where(np.abs(way) > 0.01, way, np.inf)
                most = max(most, float(-done.min()))
    return most
