"""What the steps of a recipe do to the letters of a block: drives, shivers, and the follow-through of both.

Each step adds an act: offsets by reaches. A follow-through changes the acts above it, since what a damped oscillator
makes of a sum is the sum of what it makes of the parts; so turns of any number of rounds are followed as such.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.become import BecomeStep
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.deform import DeformStep
from moss_crown.core.document.inflate import InflateStep
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.motion import (
    DriveStep,
    DrumStep,
    FollowStep,
    GrowStep,
    Offset,
    Pivot,
    ReachingStep,
    ShiverStep,
    SwapStep,
    Zone,
)
from moss_crown.core.document.pieces import PiecesStep
from moss_crown.core.look.wear import Wear, given
from moss_crown.core.motion.apart import Row, kept_apart
from moss_crown.core.motion.drum import BLANK, radius, turned
from moss_crown.core.motion.felt import by_point, felt_rows
from moss_crown.core.motion.follow import followed, grid, moving
from moss_crown.core.motion.poses import Act, Channel, Poses, Put
from moss_crown.core.motion.reach import Units, choices, no_picture, reach_of
from moss_crown.core.motion.soft import AtRest, Deed, Soft, rigid, soft
from moss_crown.core.motion.swap import texts
from moss_crown.core.motion.swap import turned as swap_turned
from moss_crown.core.values.noise import chances, hashed, phases, seed_of, smooth_noise
from moss_crown.core.values.sampling import (
    Frames,
    Letters,
    changes,
    each,
    exposures,
    needed,
    sample,
    sample_choice,
    sample_choice_each,
)

Floats = NDArray[np.float64]
STILL = np.zeros((1, 1, 3))


@dataclass(frozen=True)
class Cast:
    """The letters of a block as motion sees them.

    `letters` is what formulas know of them; `units` by scope: which unit each letter belongs to (l), and the middle of
    each unit at rest in the block (u, 3). `spacing` (l, 3): where a spacing of 1 moves each letter. `middles` (l, 2):
    the middle of each letter across and of its cap height, in its own space; `height` is that cap height. `pieces` are
    those of the letters, seen in the same way, where they are in pieces.
    """

    count: int
    letters: Letters
    units: dict[str, tuple[NDArray[np.int64], Floats]]
    spacing: Floats
    middles: Floats
    height: float
    pieces: Cast | None = None


@dataclass(frozen=True)
class Faces:
    """What a flip drum shows of a structure: which face of each letter (l), what stands on it, and how many faces turn
    by in all; for each swap, the number of its text."""

    shown: tuple[int, ...]
    letters: tuple[str, ...]
    steps: int
    texts: tuple[int, ...] = ()


def unturned(ways: Floats) -> Floats:
    """Ways in letters' own space, of letters that stand as their block does."""
    return ways


def unsolved(step: BodiesStep | BecomeStep, frames: Frames) -> Put | None:
    """Of a block by itself."""
    return None


def nobody() -> Row:
    return Row(np.zeros((0, 4, 4)), np.zeros((0, 8, 3)), np.zeros((0, 2), np.int64))


def no_globe(frames: Frames) -> Floats:
    return np.full((1, 3), np.nan)


NO_FACES = Faces((), (), 0)


@dataclass(frozen=True)
class Surroundings:
    """What motion asks of the rest of the shot: (f or 1, l, 3) pivots of a step in letter space; where the block stands
    in the world at frames (f or 1, 4, 4), and places of it (n, 3) there (f or 1, n, 3); letters in the world as acts
    leave them (f, l, 4, 4), and their middles (f, l, 3); moves (f or 1, l, 3) that bring letters just outside a side;
    the shades of pictures, see `Units`; the letters as they stand in their lines; and the middle of the stage's globe
    in the block (f or 1, 3), no number where there is none. `by_piece`: the same for what acts on pieces.
    `turned`: ways (f or 1, l, 3) in letters' own space as the block has them. `solved`: where a solver puts letters,
    None where it has none of them."""

    pivots: Callable[[Pivot, Frames], Floats]
    placed: Callable[[Frames], Poses]
    world: Callable[[Floats, Frames], Floats]
    standing: Callable[[Sequence[Deed], Frames], Poses]
    moved: Callable[[Sequence[Deed], Frames], Floats]
    outside: Callable[[str, Pivot, Offset, Frames], Floats]
    fps: float
    first: float
    seed: int
    faces: Faces = NO_FACES
    shades: Callable[[str], Floats] = no_picture
    row: Callable[[], Row] = nobody
    globe: Callable[[Frames], Floats] = no_globe
    by_piece: Surroundings | None = None
    turned: Callable[[Floats], Floats] = unturned
    solved: Callable[[BodiesStep | BecomeStep, Frames], Put | None] = unsolved


@dataclass
class _Grid:
    """The grid that all follow-throughs of a recipe share, and what the steps above each of them do on it."""

    at: Frames
    done: dict[int, list[Deed]]


def acts(
    steps: Sequence[Any], cast: Cast, frames: Frames, around: Surroundings, fine: _Grid | None = None
) -> list[Deed]:
    """What the steps, in their order, do to the letters at frames, fractional ones too."""
    for place in range(len(steps) - 1, -1, -1):
        if isinstance(steps[place], FollowStep) and steps[place].on is not False and place and len(frames):
            fine = fine or _Grid(grid(around.first, max(float(frames.max()), around.first), around.fps), {})
            done = _following(steps[place], steps[:place], cast, frames, around, fine)
            break
    else:
        place, done = -1, []
    for number, step in enumerate(steps[place + 1 :], place + 1):
        if isinstance(step, PiecesStep) and cast.pieces is None:
            continue
        if not isinstance(step, FollowStep | GrowStep | InflateStep):
            done = [*done, _act(step, cast, frames, around, Above(steps[:number], cast, around, frames, done))]
    return done


@dataclass(frozen=True)
class Above:
    """What the steps above one do, at any frames; at some of them that is known. `pieces` is what surrounds the pieces
    of letters, for a step that acts on these."""

    steps: Sequence[Any]
    cast: Cast
    around: Surroundings
    frames: Frames | None = None
    known: Sequence[Deed] = ()
    pieces: Surroundings | None = None

    def _done(self, frames: Frames) -> Sequence[Deed]:
        known = self.frames is not None and np.array_equal(frames, self.frames)
        return self.known if known else acts(self.steps, self.cast, frames, self.around)

    def poses(self, frames: Frames) -> Poses:
        """(f, l, 4, 4): where they leave letters in the world."""
        return self.around.standing(self._done(frames), frames)

    def middles(self, frames: Frames) -> Floats:
        """(f, l, 3): where they leave the middles of letters in the world, or of pieces (f, p, 3)."""
        return (self.pieces or self.around).moved(self._done(frames), frames)

    def units(self, scope: str, frames: Frames) -> Floats:
        """(f, u, 3): the same of units, each in the middle of its letters."""
        cast = self.cast.pieces if self.pieces and self.cast.pieces else self.cast
        unit_of, places = cast.units[scope]
        middles = self.middles(frames)
        return np.stack([middles[:, unit_of == u].mean(1) for u in range(len(places))], 1)


def acts_by_piece(step: Any, frames: Frames) -> bool:
    """Does a step act on each piece by itself, at any of the frames?"""
    if isinstance(step, PiecesStep | BecomeStep):
        return True
    if isinstance(step, BodiesStep):
        return step.of == "piece"
    return isinstance(step, DriveStep | ShiverStep) and "piece" in choices(step.scope, frames)


def _act(step: Any, cast: Cast, frames: Frames, around: Surroundings, above: Above) -> Deed:
    if cast.pieces is not None and around.by_piece is not None and acts_by_piece(step, frames):
        found = _of_letters(step, cast.pieces, frames, around.by_piece, replace(above, pieces=around.by_piece))
        assert isinstance(found, Act | Put)
        return replace(found, by_piece=True)
    return _of_letters(step, cast, frames, around, above)


def _of_letters(step: Any, cast: Cast, frames: Frames, around: Surroundings, above: Above) -> Deed:
    if isinstance(step, PiecesStep):
        return _pieces(step, cast, frames, around, above)
    if isinstance(step, BodiesStep | BecomeStep):
        return _bodies(step, cast, frames, around)
    if isinstance(step, DeformStep):
        return _deform(step, cast, frames, around, above)
    if isinstance(step, DriveStep):
        return _drive(step, cast, frames, around, above)
    if isinstance(step, DrumStep):
        return _drum(step, cast, frames, around)
    if isinstance(step, SwapStep):
        return _swap(step, cast, frames, around, above)
    if isinstance(step, ShiverStep):
        return _shiver(step, cast, frames, around)
    raise TypeError(f"{step.kind} does not move letters")


def switched(value: Any, frames: Frames) -> Floats:
    """(f, 1): 1 while a switch is on, else 0."""
    if isinstance(value, bool):
        return np.full((len(frames), 1), float(value))
    return np.array(choices(value, frames), np.float64)[:, None]


def _drive(step: DriveStep, cast: Cast, seen: Frames, around: Surroundings, above: Above) -> Act:
    frames, reach = _reached(step, cast, seen, around, above)
    offset = step.offset
    move = each(offset.move, frames, cast.letters)
    spacing = each(offset.spacing, frames, cast.letters)
    if spacing.any():
        move = move + spacing[..., None] * cast.spacing
    if offset.outside != "none":
        at = needed([offset.outside, offset.sides], frames)
        sides = [sides_of(offset, float(frame), cast, seed_of(around.seed, step.id)) for frame in at]
        if any(side != "none" for row in sides for side in row):
            move = move + _outside(step, sides, frames, around)
    return Act(
        Channel(reach, move),
        Channel(reach, np.radians(each(offset.turn, frames, cast.letters))),
        Channel(reach, each(offset.scale, frames, cast.letters) - 1),
        around.pivots(step.pivot, frames),
        given(offset, reach, frames, cast.letters),
    )


def _bodies(step: BodiesStep | BecomeStep, cast: Cast, frames: Frames, around: Surroundings) -> Put:
    """Where the solver has letters, or pieces, once they are let go."""
    found = around.solved(step, frames) if step.on is not False else None
    if found is None:
        return Put(np.zeros((len(frames), cast.count, 4, 4)), np.zeros((len(frames), cast.count), np.bool_))
    return found if step.on is True else replace(found, free=found.free & (switched(step.on, frames) > 0))


def _pieces(step: PiecesStep, cast: Cast, seen: Frames, around: Surroundings, above: Above) -> Act:
    """Pieces that go out from a centre, each by its own chance."""
    frames, reach = _reached(step, cast, seen, around, above)

    def chance(what: str, parts: int = 1) -> Floats:
        """(p, parts), -1 to 1."""
        return chances(seed_of(around.seed, step.id, step.seed, what), cast.count, parts)

    def value(what: Any) -> Floats:
        """(f or 1, p or 1) or (f or 1, p or 1, 3)."""
        return each(what, frames, cast.letters)

    spread, sizes, spin = (value(v) for v in (step.spread, step.sizes, step.spin))
    middles = around.pivots(Pivot(about="piece"), frames)
    centre = around.pivots(step.centre, frames)
    out = around.turned(middles - centre)
    out = out / np.maximum(np.sqrt(np.square(out).sum(-1, keepdims=True)), 1e-9)
    way = out + 0.9 * spread[..., None] * chance("way", 3)
    way = way / np.maximum(np.sqrt(np.square(way).sum(-1, keepdims=True)), 1e-9)
    far = value(step.outward) * (1 + 0.6 * spread * chance("far")[:, 0])
    move = way * far[..., None] + value(step.move) * (1 + 0.6 * spread * chance("move")[:, 0])[..., None]
    bow = value(step.bow)
    if bow.any():
        move = move + 4 * (1 - reach)[..., None] * bow * (1 + 0.6 * spread * chance("bow")[:, 0])[..., None]
    drift = value(step.drift)
    if drift.any():
        since = ((frames - around.first) / around.fps)[:, None, None]
        move = move + drift * since * (1 + 0.6 * spread * chance("drift")[:, 0])[..., None]
    turn = np.radians(value(step.turn)) * (1 - spin[..., None] + spin[..., None] * chance("turn", 3))
    scale = np.maximum(value(step.scale) * (1 + sizes * chance("size")[:, 0]), 0) - 1
    return Act(
        Channel(reach, np.ascontiguousarray(move)),
        Channel(reach, np.ascontiguousarray(turn)),
        Channel(reach, np.ascontiguousarray(np.broadcast_to(scale[..., None], (*scale.shape, 3)))),
        middles,
    )


def _deform(step: DeformStep, cast: Cast, seen: Frames, around: Surroundings, above: Above) -> Soft:
    frames, reach = _reached(step, cast, seen, around, above)
    at_rest = as_soft(cast, around.row())
    origin = around.pivots(step.centre, frames)
    bent = soft(step, reach, frames, origin, at_rest, around.fps, around.seed, around.globe)
    if not by_point(step, frames).any():
        return bent
    rest = around.placed(frames)[:, None] @ at_rest.rest
    return replace(bent, felt=felt_rows(step, frames, rest, lambda: above.poses(frames), cast.height))


def as_soft(cast: Cast, row: Row) -> AtRest:
    """A block's letters as deformers see them."""
    units = {scope: unit_of for scope, (unit_of, _) in cast.units.items()}
    return AtRest(row.rest, row.boxes, units, cast.letters)


def _reached(step: ReachingStep, cast: Cast, seen: Frames, around: Surroundings, above: Above) -> tuple[Frames, Floats]:
    """The frames at which a step is seen, on twos and threes, and how strongly letters feel it there (f, l) while it is
    on."""
    frames = exposures(step.exposed, seen)
    reach = drive_reach(step, cast, frames, around, above)
    return frames, reach if step.on is True else reach * switched(step.on, frames)


def drive_reach(step: ReachingStep, cast: Cast, frames: Frames, around: Surroundings, above: Above) -> Floats:
    """(f, l): how strongly letters feel a drive below others, whatever its switch says."""
    scopes = choices(step.scope, frames) if changes(step.scope) else [step.scope]
    found: dict[str, Floats] = {}
    for scope in set(scopes):
        # Points feel zones by themselves: see `felt`.
        zones = scope != "point" or not any(isinstance(reach, Zone) for reach in step.reaches)
        of = "letter" if scope == "point" or scope not in cast.units else scope
        unit_of, places = cast.units[of]
        felt = reach_of(step, frames, units_of(cast, of, frames, around, above), around.fps, around.seed, zones)
        found[scope] = felt if len(places) == cast.count else felt[:, unit_of]
    if len(found) == 1:
        return next(iter(found.values()))
    return np.array([found[scope][k] for k, scope in enumerate(scopes)])


def units_of(cast: Cast, scope: str, frames: Frames, around: Surroundings, above: Above | None = None) -> Units:
    """Letters as a scope groups them, with the places that reaches measure."""
    unit_of, places = cast.units[scope]
    moved = partial(above.units, scope, frames) if above else None
    first = np.unique(unit_of, return_index=True)[1]
    within = {larger: cast.units[larger][0][first] for larger in ("word", "line", "block")}
    return Units(places, lambda: around.world(places, frames), around.shades, moved, within)


TURNS = ("left", "above", "right", "below")
NEAREST = "nearest"


def sides_of(offset: Offset, frame: float, cast: Cast, seed: int) -> list[str]:
    """On which side of the frame each letter stands outside it: one of TURNS, NEAREST, or none."""
    begun = sample_choice_each(offset.outside, frame, cast.letters)
    way = sample_choice(offset.sides, frame)
    if way == "alike":
        return list(begun)

    def side(number: int, first: str) -> str:
        if first == "none" or way == "nearest":
            return first if first == "none" else NEAREST
        on = {
            "turns": number,
            "round": 4 * number // max(cast.count, 1),
            "shuffled": int(4 * hashed(seed_of(seed, "sides"), np.array([number]))[0]),
        }[way]
        return TURNS[(TURNS.index(first) + on) % 4]

    return [side(number, str(first)) for number, first in enumerate(begun)]


def _outside(step: DriveStep, sides: list[list[str]], frames: Frames, around: Surroundings) -> Floats:
    """(f or 1, l, 3): moves that bring each letter outside on its side, by rows of sides for each frame, or for all."""
    named = {side for row in sides for side in row}
    wanted = set(TURNS) if NEAREST in named else named - {"none"}
    by_side = {side: around.outside(side, step.pivot, step.offset, frames) for side in wanted}
    several = max(len(sides), *(len(moves) for moves in by_side.values()))
    found = np.zeros((several, len(sides[0]), 3))
    for k in range(several):
        for number, side in enumerate(sides[k if len(sides) > 1 else 0]):
            if side == "none":
                continue
            ways = [
                moves[k if len(moves) > 1 else 0, number] for name, moves in by_side.items() if side in (name, NEAREST)
            ]
            found[k, number] = min(ways, key=lambda way: float(way @ way))
    return found


def _drum(step: DrumStep, cast: Cast, frames: Frames, around: Surroundings) -> Act:
    """Each letter turned with its face of the drum: about the middle of its cap height, a radius behind it."""
    count = around.faces.steps
    whole = np.array(around.faces.shown or (count,) * cast.count, np.float64)
    on = switched(step.on, frames)
    after = turned(step, frames, units_of(cast, "letter", frames, around), count)
    sides = np.round(sample(step.sides, frames))
    way = np.where(np.array(choices(step.rolls, frames)) == "up", 1.0, -1.0)
    angle = (whole - after) * (2 * np.pi / sides * way)[:, None]
    turn = np.zeros((len(frames), cast.count, 3))
    turn[..., 0] = angle
    pivot = np.zeros((len(frames), cast.count, 3))
    pivot[..., :2] = cast.middles
    height = cast.height
    pivot[..., 2] = np.array([-radius(int(n), height) for n in sides])[:, None]
    blank = np.array([face == BLANK for face in around.faces.letters] or [False] * cast.count)
    seen = np.where(blank[None, :] & (on > 0), 0.0, 1.0)
    return Act(
        Channel(on, STILL),
        Channel(on, turn),
        Channel(on, STILL),
        pivot,
        None if (seen == 1).all() else Wear((len(frames), cast.count), opacity=seen),
        followed=False,
    )


def _swap(step: SwapStep, cast: Cast, frames: Frames, around: Surroundings, above: Above) -> Act:
    """All letters turned about the middle of their block."""
    place = sum(isinstance(one, SwapStep) for one in above.steps)
    number = around.faces.texts[place] if around.faces.texts else len(texts(step, float(frames[0])))  # an emblem stays
    turn = np.broadcast_to(swap_turned(step, frames, number)[:, None], (len(frames), cast.count, 3))
    on = np.broadcast_to(switched(step.on, frames), (len(frames), cast.count))
    pivot = around.pivots(Pivot(about="block", place="centre"), frames)
    return Act(Channel(on, STILL), Channel(on, turn), Channel(on, STILL), pivot, followed=False)


def _shiver(step: ShiverStep, cast: Cast, frames: Frames, around: Surroundings) -> Act:
    tempo = (sample(step.tempo, frames) * frames / around.fps)[:, None]
    own = [seed_of(around.seed, step.id, step.seed, part, k) for k in range(cast.count) for part in range(6)]
    seeds = np.array(own, np.uint64)
    waves = smooth_noise(seeds, tempo + phases(seeds)).reshape(len(frames), cast.count, 6)
    reach = shiver_fade(step, frames)[:, None] * switched(step.on, frames)
    return Act(
        Channel(reach, waves[..., :3] * each(step.move, frames, cast.letters)),
        Channel(reach, waves[..., 3:] * np.radians(each(step.turn, frames, cast.letters))),
        Channel(reach, STILL),
        around.pivots(step.pivot, frames),
    )


def shiver_fade(step: ShiverStep, frames: Frames) -> Floats:
    """(f): 0 before its start and after its end, 1 between, with straight fades inside that time."""
    start, end = sample(step.start, frames), sample(step.end, frames)
    into, out = sample(step.fade_in, frames), sample(step.fade_out, frames)
    rising = np.where(into > 0, np.clip((frames - start) / np.maximum(into, 1e-9), 0, 1), frames >= start)
    falling = np.where(out > 0, np.clip((end - frames) / np.maximum(out, 1e-9), 0, 1), frames <= end)
    return np.asarray(rising * np.where(end < start, 1.0, falling))


def places(
    step: BlockStep | EmblemStep, steps: Sequence[Any], frames: Frames, around: Surroundings
) -> tuple[Floats, Floats, Floats]:
    """Move, turn (degrees) and scale (f, 3) of a block, as the follow-through steps among those below it leave them."""
    follows = [s for s in steps if isinstance(s, FollowStep)]
    move, turn, scale = trailed((step.move, step.turn, step.scale), PLACING, follows, frames, around)
    return move, turn, scale


PLACING = ("move", "turn", "scale")
"""The channels of what decides where something stands."""


def trailed(
    values: Sequence[Any], channels: Sequence[str], follows: Sequence[FollowStep], frames: Frames, around: Surroundings
) -> list[Floats]:
    """Values (f, ...) at frames as follow-through steps, one after the other, leave them; each is of a channel."""
    now = [sample(value, frames) for value in values]
    if not follows or not len(frames) or not changes(list(values)):
        return now
    last, at = follows[-1], grid(around.first, max(float(frames.max()), around.first), around.fps)
    now = trailed(values, channels, follows[:-1], frames, around)
    then = trailed(values, channels, follows[:-1], at, around)
    how = Following.of(last, frames, at, around)
    found = []
    for channel, a, b in zip(channels, now, then, strict=True):
        after = how.series(np.ascontiguousarray(b.reshape(len(at), -1))).reshape(a.shape)
        share = how.shares[channel] if a.ndim > 1 else how.shares[channel][:, 0]
        found.append(a + (after - a) * share)
    return found


def _following(
    step: FollowStep, above: Sequence[Any], cast: Cast, frames: Frames, around: Surroundings, fine: _Grid
) -> list[Deed]:
    """The acts of the steps above, followed on the step's channels."""
    if len(above) not in fine.done:
        fine.done[len(above)] = acts(above, cast, fine.at, around, fine)
    then = fine.done[len(above)]
    now = then if frames is fine.at else acts(above, cast, frames, around, fine)
    how = Following.of(step, frames, fine.at, around)
    found: list[Deed] = []
    for act, target in zip(now, then, strict=True):
        if not act.followed or isinstance(act, Put) or isinstance(target, Put):
            found.append(act)
            continue
        done: dict[int, Floats] = {}
        if isinstance(act, Soft) or isinstance(target, Soft):
            assert isinstance(act, Soft) and isinstance(target, Soft)  # of the same step
            found.append(replace(act, amount=how.channel("bend", act.amount, target.amount, done)))
            continue
        found.append(
            replace(
                act,
                move=how.channel("move", act.move, target.move, done),
                turn=how.channel("turn", act.turn, target.turn, done),
                scale=how.channel("scale", act.scale, target.scale, done),
            )
        )
    apart = switched(step.apart, frames)[:, 0] > 0
    if not apart.any():
        return found
    gap = np.where(apart, sample(step.gap, frames) * cast.height, -np.inf)
    apart_now = iter(kept_apart(rigid(now), rigid(found), around.row(), gap))
    return [next(apart_now) if isinstance(deed, Act) and not deed.by_piece else deed for deed in found]


@dataclass(frozen=True)
class Following:
    """A follow-through step at the frames asked for, and at the intervals of its grid."""

    frames: Frames
    first: float
    fps: float
    springs: NDArray[np.bool_]
    frequency: Floats
    damping: Floats
    shares: dict[str, Floats]

    @staticmethod
    def of(step: FollowStep, frames: Frames, at: Frames, around: Surroundings) -> Following:
        begun = at[:-1:2]
        springs = np.array(choices(step.way, begun)) == "spring"
        tempo, lag = sample(step.tempo, begun), sample(step.lag, begun)
        strength = sample(step.strength, frames)[:, None] * switched(step.on, frames)
        shares = {name: strength * switched(getattr(step, name), frames) for name in ("move", "turn", "scale", "bend")}
        return Following(
            frames,
            around.first,
            around.fps,
            springs,
            np.where(springs, tempo, lag),
            np.ascontiguousarray(sample(step.damping, begun)),
            shares,
        )

    def channel(self, name: str, now: Channel, target: Channel, done: dict[int, Floats]) -> Channel:
        """A channel followed. Where its offset stays, its reach alone is: `done` holds what follows reaches that
        several channels share, by their identity."""
        share = self.shares[name]
        if not share.any() or not target.offset.any():
            return now
        if len(target.offset) > 1:
            width = max(target.reach.shape[1], target.offset.shape[1])
            wanted = np.broadcast_to(target.reach[..., None] * target.offset, (len(target.offset), width, 3))
            straight = np.broadcast_to(now.reach[..., None] * now.offset, (len(self.frames), width, 3))
            after = self.series(wanted.reshape(len(wanted), -1)).reshape(straight.shape)
            return Channel(np.ones((len(self.frames), 1)), straight + (after - straight) * share[..., None])
        if id(target.reach) not in done:
            done[id(target.reach)] = self.series(target.reach)
        after = done[id(target.reach)]
        return replace(now, reach=after if (share == 1).all() else now.reach + (after - now.reach) * share)

    def series(self, targets: Floats) -> Floats:
        """(f, c) what follows targets (g, c) on the grid."""
        how = (self.frames, self.first, self.fps, self.springs, self.frequency, self.damping)
        goes = moving(targets)
        if goes.all():
            return followed(targets, *how)
        found = np.repeat(targets[:1], len(self.frames), 0)
        if goes.any():
            found[:, goes] = followed(targets[:, goes], *how)
        return found
