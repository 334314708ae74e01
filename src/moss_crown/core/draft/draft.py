"""The draft: everything the live picture and the sheet draw, computed here so that the browser computes no rule.

One message: a JSON head and float32 tables. Poses for the whole shot, so that playing needs no further question.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.cache import Cache
from moss_crown.core.document.deform import DeformStep
from moss_crown.core.document.kinds import StepBase
from moss_crown.core.document.motion import DriveStep, FollowStep, Pivot, ReachingStep, ShiverStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Keyed, moving
from moss_crown.core.draft.contours import contours
from moss_crown.core.draft.looks import look_at_frame
from moss_crown.core.draft.message import framed
from moss_crown.core.draft.notes import form_id, notes
from moss_crown.core.draft.recipes import recipe_of
from moss_crown.core.draft.schema import (
    DRAFT,
    LOOK,
    SEEN,
    BlockAtRest,
    DraftHead,
    HandlesDrawn,
    Lens,
    LetterAtRest,
    LeverDrawn,
    LookDrawn,
    PathLaid,
    SeenHead,
    SeenSpanHead,
    SpanHead,
    SwellingDrawn,
    Three,
    Two,
    grown,
    three,
    two,
)
from moss_crown.core.evaluation.bending import away_of, bends_of, draft_edges, kinds_of, loose_at
from moss_crown.core.evaluation.camera import camera_step, grade_at
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.inflating import Inflated
from moss_crown.core.evaluation.setting import Block, Structure
from moss_crown.core.evaluation.solids import block_section
from moss_crown.core.look.dressing import dresses_of, own_colours
from moss_crown.core.motion.beats import beats_of
from moss_crown.core.motion.clearance import OUT, out_of_frame
from moss_crown.core.motion.handles import Laid, handles
from moss_crown.core.motion.moving import Framing, Moved, overshoot, pivots_of, rest_of, together
from moss_crown.core.motion.poses import Poses
from moss_crown.core.physics.balloons import Stretch
from moss_crown.core.type.layout import Setting
from moss_crown.core.values.curves import through
from moss_crown.core.values.sampling import changes, sample, sample_choice

STAND = 0.5
"""Metres between the places around which the draft knows what stands."""
RESPONSE_POINTS = 33
SENT_BYTES = 24 * 1024 * 1024
"""Of chunks of swellings a draft has no more than one beyond so many bytes; those that it lacks come with the next."""


@dataclass(frozen=True)
class SeenSpan:
    """Frames with the same letters (f, as floats), and the poses of those (f, l, 4, 4)."""

    structure: Structure
    frames: NDArray[np.float64]
    poses: Poses


@dataclass(frozen=True)
class Seen:
    """What is seen of a shot: its spans, its camera at each frame, and how both are packed.

    What the sheet shows besides is worked out from it by `packed_whole`.
    """

    of: Evaluation
    spans: list[SeenSpan]
    camera: Framing
    head: SeenHead
    tables: list[NDArray[np.float32]]


def see(
    shot: Shot, cache: Cache | None = None, has: Collection[str] = (), goes_on: Callable[[], bool] | None = None
) -> Seen:
    """Work out what is seen of a shot, at all of its frames. `cache` outlives documents; whoever asks `has` some chunks
    of swellings already, and waits for more of them as long as it `goes_on`."""
    frames = list(shot.frames)
    of = Evaluation(shot, cache, goes_on)
    chunks: dict[str, NDArray[np.float32]] = {}
    sent: dict[str, tuple[int, int]] = {}
    solved = float(shot.last)
    camera = of.camera_path(np.array(frames, float), shot.aspect)
    parts: list[SeenSpan] = []
    heads: list[SeenSpanHead] = []
    tables: list[NDArray[np.float32]] = []
    for structure, numbers in of.spans(frames):
        at = np.array(numbers, float)
        blocks = of.moved(structure, at)
        part = SeenSpan(structure, at, together(blocks, len(at)))
        wear = _wear(blocks)
        bends = bends_of(blocks, len(at))
        ways, first, whole = loose_at(blocks, len(at))
        loose = ~whole.all()
        swellings, own, until = _swellings(of, structure, numbers[-1])
        solved = min(solved, until)
        for name, (stretch, full) in own.items():
            if name in has or name in chunks:
                continue
            if sum(chunk.nbytes for chunk in chunks.values()) > SENT_BYTES:
                solved = min(solved, shot.last - 1.0)  # whoever gets it asks again
            else:
                chunks[name] = _packed_chunk(*full.offsets(stretch))
                sent[name] = (stretch.places.shape[1], len(full.back))
        parts.append(part)
        heads.append(
            SeenSpanHead(
                numbers[0],
                numbers[-1],
                _letters(of, structure, numbers[0], first if loose else None),
                [_block(shot, block) for block in structure.blocks],
                wear is not None,
                _pivots(shot, structure),
                bends.shape[2],
                kinds_of(bends),
                _handles(of, structure),
                ways.shape[1] if loose else 0,
                swellings,
            )
        )
        tables.append(np.swapaxes(part.poses, 2, 3).astype(np.float32))
        tables += [] if wear is None else [wear]
        tables += [bends.astype(np.float32)] if bends.size else []
        tables += [ways.astype(np.float32)] if loose else []
    tables.append(np.swapaxes(camera.poses, 1, 2).astype(np.float32))
    tables += chunks.values()
    looks, look_of = _looks(shot, frames)
    head = SeenHead(
        shot.width,
        shot.height,
        shot.first,
        shot.last,
        (shot.fps.numerator, shot.fps.denominator),
        heads,
        looks,
        look_of,
        _middle(parts[-1].poses[-1]),
        _centres(parts[-1].structure, shot),
        _lenses(shot, frames, camera),
        sent,
        solved if solved < shot.last else None,
    )
    return Seen(of, parts, camera, head, tables)


def packed_picture(seen: Seen) -> bytes:
    """What the picture needs of a draft, and nothing that only the sheet shows: see `pack`."""
    return pack(SEEN.dump_json(seen.head), seen.tables)


def draft(shot: Shot, cache: Cache | None = None, goes_on: Callable[[], bool] | None = None) -> bytes:
    """The draft of a shot, for whoever needs nothing of it earlier: see `packed_whole`."""
    return packed_whole(see(shot, cache, goes_on=goes_on))


def packed_whole(seen: Seen) -> bytes:
    """The draft of a shot: what is seen of it and what the sheet shows besides; see `pack`."""
    of, shot = seen.of, seen.of.shot
    heads, tables = [], list(seen.tables)
    timings = [of.timing(part.structure, part.frames) for part in seen.spans]
    for part, times, head in zip(seen.spans, timings, seen.head.spans, strict=True):
        starts = {drive: begun.tolist() for drive, begun in times.starts.items()}
        heads.append(grown(SpanHead, head, starts=starts, rest=times.rest.tolist()))
        own = slice(head.first - shot.first, head.last - shot.first + 1)
        poses = of.boxed(part.structure, part.frames)
        out = out_of_frame(poses, part.structure.boxes, *(values[own] for values in seen.camera))
        met = of.contacts(part.structure, part.frames, poses)
        tables += [times.speeds.astype(np.float32), (met | np.uint8(OUT) * out).astype(np.float32)]
        if head.pieces:
            tables.append(away_of(of.moved(part.structure, part.frames), len(part.frames)).astype(np.float32))
    rest = of.rest_frame(timings[-1].rest)
    whole = grown(
        DraftHead,
        seen.head,
        spans=heads,
        rest=rest,
        keyed=keyed_values(shot),
        beats=beats_of(shot),
        responses=_responses(shot),
        overshoots=_overshoots(of),
        contours=contours(of, of.structure(shot.last)),
        notes=notes(of, rest),
    )
    return pack(DRAFT.dump_json(whole), tables)


def _middle(poses: NDArray[np.float64]) -> Three:
    """Where letters stand on the whole, half way between the places of a grid: floors and walls lie on those."""
    place = poses[:, :3, 3].mean(0) if len(poses) else np.zeros(3)
    return three((np.floor(place / STAND) + 0.5) * STAND)


def _swellings(
    of: Evaluation, structure: Structure, last: int
) -> tuple[list[SwellingDrawn], dict[str, tuple[Stretch, Inflated]], float]:
    """How the letters of a structure swell until a frame, the chunks of that by their addresses, and until which frame
    all of it is solved."""
    found: list[SwellingDrawn] = []
    chunks: dict[str, tuple[Stretch, Inflated]] = {}
    solved, begin = float(last), 0
    for number, block in enumerate(structure.blocks):
        full = of.inflated(structure, number)
        if full is not None:
            track = full.known(last)
            solved = min(solved, full.until(last))
            keys = [full.address(stretch) for stretch in track.chunks]
            chunks |= {key: (stretch, full) for key, stretch in zip(keys, track.chunks, strict=True)}
            ranges = [(begin + letter, *full.first(place)) for place, letter in enumerate(full.letters)]
            count = len(full.foils.foil.home)
            found.append(SwellingDrawn(ranges, count, full.begin + full.late, keys))
        begin += len(block.letters)
    return found, chunks, solved


def _packed_chunk(offsets: NDArray[np.float64], round: NDArray[np.float64]) -> NDArray[np.float32]:
    """How far offsets (f, n, 3) go at most, how round letters are (f, k), and the offsets in shares of the first as 16
    bits each, two in the place of a number."""
    most = max(float(np.abs(offsets).max(initial=0.0)), 1e-9)
    small = np.round(offsets / most * 32_767).astype("<i2").reshape(-1)
    words = np.concatenate([small, np.zeros(len(small) % 2, "<i2")]).view("<f4")
    return np.concatenate([np.array([most], "<f4"), round.astype("<f4").reshape(-1), words])


def _pivots(shot: Shot, structure: Structure) -> dict[str, list[Three | None]]:
    """For each step that turns letters about a pivot, by its id: that of each letter, in the letter's own space, as it
    is at the last frame; None for letters of blocks below the step."""
    at = np.array([float(shot.last)])
    found: dict[str, list[Three | None]] = {}
    for index, step in enumerate(shot.steps):
        pivot = _pivot_of(step)
        if pivot is None:
            continue
        rows: list[Three | None] = []
        for block in structure.blocks:
            if block.step > index:
                rows += [None] * len(block.letters)
            else:
                rows += [three(place) for place in np.round(pivots_of(pivot, block.setting, at)[0], 5)]
        found[step.id] = rows
    return found


def _handles(of: Evaluation, structure: Structure) -> dict[str, HandlesDrawn]:
    """For each step that bends letters, by its id: what can be taken hold of at the last frame, by the first block that
    it bends."""
    shot, found = of.shot, {}
    for index, step in enumerate(shot.steps):
        if not isinstance(step, DeformStep):
            continue
        begin = 0
        for number, block in enumerate(structure.blocks):
            own = None if block.step > index else handles(of.company(structure, number), step, float(shot.last))
            if own is not None:
                found[step.id] = HandlesDrawn(
                    own.letter if own.letter < 0 else begin + own.letter,
                    three(np.round(own.centre, 5)),
                    three(np.round(own.own, 5)),
                    own.unit,
                    np.round(own.axes, 6).ravel().tolist(),
                    [
                        LeverDrawn(one.member, three(np.round(one.base, 5)), three(np.round(one.way, 7)), one.whole)
                        for one in own.levers
                    ],
                    _laid(own.path) if own.path else None,
                )
                break
            begin += len(block.letters)
    return found


def _laid(path: Laid) -> PathLaid:
    curve = [two(place) for place in np.round(path.curve, 4)]
    return PathLaid(curve, three(np.round(path.right, 6)), three(np.round(path.up, 6)))


def _pivot_of(step: StepBase) -> Pivot | None:
    """About what of a letter a step turns, or bends it; None for what does not, or stands in the world."""
    match step:
        case DriveStep() | ShiverStep():
            return step.pivot
        case DeformStep() if step.space != "world":
            return step.centre
    return None


def _centres(structure: Structure, shot: Shot) -> dict[str, Three]:
    """The pivot of each group, by its id, in the world."""
    return {
        shot.steps[under.group].id: three(np.round(pivot, 5))
        for led in structure.led
        for under, pivot in zip(led.under, led.pivots, strict=True)
    }


def _responses(shot: Shot) -> dict[str, list[float]]:
    """For each drive, by its id: what its response makes of reaches from 0 to 1."""
    reach = np.linspace(0, 1, RESPONSE_POINTS)
    return {
        step.id: np.round(through(step.response, reach), 4).tolist()
        for step in shot.steps
        if isinstance(step, ReachingStep)
    }


def _overshoots(of: Evaluation) -> dict[str, float]:
    """For each follow-through, by its id: how far letters go past their end at most, as a share of their way."""
    shot = of.shot
    follows = [s for s in shot.steps if isinstance(s, FollowStep)]
    if not follows:
        return {}
    structure = of.structure(shot.last)
    frames = np.arange(shot.first, shot.last + 2 * float(shot.fps.fraction))
    found = dict.fromkeys((s.id for s in follows), 0.0)
    for number, block in enumerate(structure.blocks):
        own = of.company(structure, number)
        for step in follows:
            if step in shot.steps[block.step + 1 :]:
                found[step.id] = max(found[step.id], round(overshoot(own, step, frames), 4))
    return found


def _wear(blocks: list[Moved]) -> NDArray[np.float32] | None:
    """(f, l, COLUMNS) what each letter wears; None where all stay as they are."""
    if all(block.wear.plain for block in blocks):
        return None
    return np.concatenate([block.wear.table() for block in blocks], 1).astype(np.float32)


def keyed_values(shot: Shot) -> dict[str, list[object]]:
    """Every value with keys, a formula or a link, by its JSON pointer: what it is at each frame of the shot (of the
    first letter, where letters have their own)."""
    frames = np.array(shot.frames, float)
    found: dict[str, list[object]] = {}

    for path, value in moving(shot):
        if isinstance(value, Keyed):
            numeric = not isinstance(value.keys[0].value, str | bool)
        else:
            numeric = value.bound.spec.kind == "number"
        found[path] = (
            np.round(sample(value, frames), 6).tolist() if numeric else [sample_choice(value, f) for f in frames]
        )
    return found


def pack(head: bytes, tables: list[NDArray[np.float32]]) -> bytes:
    """The head (JSON) and the tables one by one, `framed`; their columns are those of `TABLES`.

    For each span: poses (f, l, 16), column by column; where it is "worn" what letters wear (f, l, COLUMNS); where
    letters are bent its rows (f, l, bends, ROW); where they are in pieces the ways of these (f, pieces, 12). Then the
    camera poses (f, 16), and chunks of swellings that are sent: see `_packed_chunk`. Then, unless it is of the picture
    alone, for each span: speeds (4, f, l), SPEEDS; contacts (f, l), bits of `clearance`; where letters are in pieces
    the share of them that is away (f, l).
    """
    return framed(head, b"".join(np.ascontiguousarray(t, "<f4").tobytes() for t in tables))


def _letters(of: Evaluation, structure: Structure, frame: int, pieces: NDArray[np.int64] | None) -> list[LetterAtRest]:
    """`pieces` (l + 1): by which number those of each letter begin, where letters are in pieces."""
    found: list[LetterAtRest] = []
    shot, edges = of.shot, draft_edges(of, structure)
    for number, block in enumerate(structure.blocks):
        full = of.inflated(structure, number)
        own = own_colours(shot, block.step, block.letters, frame)
        dresses, wears = dresses_of(shot, block.step, block.setting, frame)
        at_rest = np.round(rest_of(block.setting)[:, :3], 6).reshape(-1, 12).tolist()
        for place, letter in enumerate(block.letters):
            begin, end, cut = 0, 0, None
            if pieces is not None:
                (begin, end), cut = pieces[len(found) : len(found) + 2].tolist(), structure.cuts[len(found)]
            found.append(
                LetterAtRest(
                    letter.text,
                    number,
                    letter.line,
                    letter.word,
                    letter.first,
                    letter.lacking,
                    own[place] if own else None,
                    recipe_of(
                        letter,
                        block.form,
                        dresses[wears[place]].which,
                        float(edges[len(found)]),
                        cut,
                        full.foils.edge * block.setting.size if full and place in full.letters else 0.0,
                    ),
                    (letter.left, letter.bottom, letter.right, letter.top),
                    at_rest[place],
                    letter.index,
                    (begin, end - begin),
                )
            )
    return found


def _block(shot: Shot, block: Block) -> BlockAtRest:
    """A block with the form step that shapes it."""
    outline, stem = block_section(block)
    cut = [two(point) for point in np.round(outline, 6)]
    form = form_id(shot, block.step)
    return BlockAtRest(shot.steps[block.step].id, form, block.setting.size, stem, cut, _path(block))


def _path(block: Block) -> list[Two]:
    """The curve along which a block's lines run where they run along a path, before it is fitted to them."""
    if not isinstance(block.setting, Setting) or block.setting.baseline.kind != "path":
        return []
    return [two(point) for point in np.round(block.setting.baseline.path.curve, 4)]


def _lenses(shot: Shot, frames: list[int], camera: Framing) -> list[Lens]:
    """The camera's angle, shift and grade by frame; one entry when they stay."""
    step = camera_step(shot)
    if not changes([step.lens, step.sensor, step.shift, step.overscan, step.exposure, step.white]):
        frames = frames[:1]
    grades = [np.round(grade_at(shot, float(frame)), 6).reshape(-1).tolist() for frame in frames]
    return [Lens(two(camera.half[k]), two(camera.shift[k]), grade) for k, grade in enumerate(grades)]


def _looks(shot: Shot, frames: list[int]) -> tuple[list[LookDrawn], list[int]]:
    """Materials, lights, stage and environment by frame; frames that look alike share one entry."""
    if not changes([s for s in shot.steps if s.facts.looks]):
        return [look_at_frame(shot, frames[0])], [0] * len(frames)
    looks: list[LookDrawn] = []
    place: dict[bytes, int] = {}
    look_of = []
    for frame in frames:
        look = look_at_frame(shot, frame)
        key = LOOK.dump_json(look)
        if key not in place:
            place[key] = len(looks)
            looks.append(look)
        look_of.append(place[key])
    return looks, look_of
