"""Steps that move letters: drives and what they reach, follow-throughs, drums, shivers, groups."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import Field, field_validator

from moss_crown.core import limits
from moss_crown.core.document.kinds import (
    Colour,
    Duration,
    Factor,
    Facts,
    Finite,
    FrameNumber,
    Identity,
    PictureId,
    Scale3,
    Share,
    Size,
    StepBase,
    Text,
    Turn3,
    Vec2,
    Vec3,
)
from moss_crown.core.document.letters import AxisPlace, AxisTag
from moss_crown.core.document.values import Ease, Exposed, Model, Value


class Offset(Model):
    """What a drive adds to a letter at full strength. Turn and scale go about its pivot.

    `spacing` spreads the letters of a line from its middle, in cap heights a letter. `tint` is mixed into a letter's
    colours by `tint_share`; `opacity` is what is left of it; `glow` is a factor on how bright it glows, so that tubes
    flicker or strike late; `softness` is the radius, in cap heights, over which it is
    blurred as the camera sees it. With `outside` the letter stands just outside the frame on that side, as the camera
    sees it; the move is added to that. `sides` says whether all of them do, or from that side on by turns (left, above,
    right, below), in quarters of the letters all round, each on the side that is nearest, or on any by chance.

    Of letters in pieces, whose pieces feel a drive each by itself, tint, opacity, glow and softness are those of the
    letter, by the mean of its pieces.

    `axes` are added to a letter's places on its family's variable axes, so that weight runs through a word. With
    `scramble` other letters stand in a letter's place, in that share of the time at full strength, changing every
    `scramble_hold` frames. Both go by the reach of the drive itself: no follow-through changes which letters there are.
    """

    move: Value[Vec3] = (0.0, 0.0, 0.0)
    turn: Value[Turn3] = (0.0, 0.0, 0.0)
    scale: Value[Scale3] = (1.0, 1.0, 1.0)
    spacing: Value[Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]] = 0.0
    tint: Value[Colour] = (1.0, 0.35, 0.1)
    tint_share: Value[Share] = 0.0
    opacity: Value[Share] = 1.0
    glow: Value[Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]] = 1.0
    softness: Value[Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)]] = 0.0
    outside: Value[Literal["none", "left", "right", "above", "below"]] = "none"
    sides: Value[Literal["alike", "turns", "round", "nearest", "shuffled"]] = "alike"
    axes: dict[AxisTag, Value[AxisPlace]] = Field(default_factory=dict, max_length=limits.AXES)
    scramble: Value[Share] = 0.0
    scramble_hold: int = Field(default=3, ge=1, le=100)


Mix: TypeAlias = Literal["maximum", "add", "multiply", "cut"]
"""How a reach joins those before it in the same drive. A cut takes away where it is strong."""
Tempo: TypeAlias = Annotated[float, Field(ge=0.01, le=50, allow_inf_nan=False)]
Delay: TypeAlias = Annotated[float, Field(ge=-1_000, le=1_000, allow_inf_nan=False)]
Turns: TypeAlias = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]
LetterNumber: TypeAlias = Annotated[str, Field(pattern=r"^\d{1,3}$")]


class ReachBase(Model):
    mix: Mix = "maximum"


class Cadence(ReachBase):
    """Letter after letter: the k-th in the order starts at `start + k * delay` and takes `duration` frames.

    It arrives (reach 1 until its start, then down the ease to 0), leaves (0, then up: the arrival reversed), or passes
    (up, there for `stay` frames, and down again). With `whole` above 0 the delay follows from that: all letters are
    done in so many frames. `along` is the direction of the order "axis", `point` the place of "near" and "far" (metres
    in the block). `bend` bunches the starts towards the first letters (below 0) or the last. `pulled` are frames that
    single letters, by number, start later than their place in the order says.

    All of one `unit` start together. Within each `group` the order begins afresh, and one group starts `group_delay`
    frames after the other. Worked `backward`, `start` is the frame at which the last is done.
    """

    in_frames: ClassVar[tuple[str, ...]] = ("start", "delay", "group_delay", "whole", "duration", "stay", "pulled")
    kind: Literal["cadence"] = "cadence"
    way: Value[Literal["arrive", "leave", "pass"]] = "arrive"
    order: Value[Literal["reading", "reverse", "centre_out", "edges_in", "shuffled", "axis", "near", "far"]] = "reading"
    along: Value[Vec3] = (1.0, 0.0, 0.0)
    point: Value[Vec3] = (0.0, 0.5, 0.0)
    shuffle: int = Field(default=1, ge=0, le=1_000_000)
    unit: Value[Literal["letter", "word", "line", "block"]] = "letter"
    group: Value[Literal["none", "word", "line"]] = "none"
    group_delay: Value[Delay] = 8.0
    start: Value[FrameNumber] = 4.0
    backward: Value[bool] = False
    delay: Value[Delay] = 2.0
    whole: Value[Annotated[float, Field(ge=0, le=limits.FRAMES, allow_inf_nan=False)]] = 0.0
    bend: Value[Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]] = 0.0
    pulled: dict[LetterNumber, Value[Delay]] = Field(default_factory=dict, max_length=limits.LETTERS_A_BLOCK)
    duration: Value[Duration] = 22.0
    stay: Value[Annotated[float, Field(ge=0, le=limits.FRAMES, allow_inf_nan=False)]] = 10.0
    ease: Ease = Ease(leave=(0.16, 0.55), arrive=(0.3, 1.0))


class Zone(ReachBase):
    """A place in the world: letters in it feel `inside`, those farther than `run` metres from it `outside`. It
    `measures` letters where they rest, or where all that stands above its drive has moved them.

    A slab is `size[0]` thick to both sides of its middle plane (across its x) and has no end otherwise; a box reaches
    `size` to each side, a ball `size[0]` around; a ring is a tube of `size[1]` around a circle of `size[0]` in its
    plane.
    """

    kind: Literal["zone"] = "zone"
    shape: Value[Literal["slab", "ball", "box", "ring"]] = "slab"
    measures: Value[Literal["rest", "moved"]] = "rest"
    place: Value[Vec3] = (0.0, 0.5, 0.0)
    turn: Value[Turn3] = (0.0, 0.0, 0.0)
    size: Value[Vec3] = (0.6, 0.6, 0.6)
    run: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 1.0
    inside: Value[Share] = 1.0
    outside: Value[Share] = 0.0
    ease: Ease = Ease()


class Noise(ReachBase):
    """Another strength for each letter, moving smoothly `tempo` times a second between `low` and `high`. `grain` above
    0 makes letters nearer than that many metres alike."""

    kind: Literal["noise"] = "noise"
    tempo: Value[Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)]] = 0.6
    low: Value[Share] = 0.0
    high: Value[Share] = 1.0
    grain: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 0.0
    seed: int = Field(default=1, ge=0, le=1_000_000)


class Swing(ReachBase):
    """A damped pendulum from full strength: `tempo` swings a second, each weaker by `damping` (a ratio; 1 does not
    swing). Letter k begins at `start + k * delay`, and hangs still `settle` frames later, exactly."""

    in_frames: ClassVar[tuple[str, ...]] = ("start", "delay", "settle")
    kind: Literal["swing"] = "swing"
    order: Value[Literal["reading", "reverse", "centre_out", "edges_in", "shuffled"]] = "reading"
    shuffle: int = Field(default=1, ge=0, le=1_000_000)
    start: Value[FrameNumber] = 4.0
    delay: Value[Delay] = 1.0
    tempo: Value[Tempo] = 1.2
    damping: Value[Annotated[float, Field(ge=0.01, le=1, allow_inf_nan=False)]] = 0.12
    settle: Value[Duration] = 60.0


class Everywhere(ReachBase):
    """The same strength for every letter."""

    kind: Literal["everywhere"] = "everywhere"
    level: Value[Share] = 1.0


class Picture(ReachBase):
    """As strong as a picture is bright where a letter rests: `dark` where it is black, `bright` where it is white, and
    nothing where it does not lie. It stands before the block, its middle at `middle` (metres from the middle of the
    block's foot), `width` metres wide. Moved by keys, it passes over the letters."""

    kind: Literal["picture"] = "picture"
    picture: Value[PictureId] | None = None
    width: Value[Size] = 6.0
    middle: Value[Vec2] = (0.0, 0.5)
    tiling: Value[Literal["repeat", "mirror", "once"]] = "once"
    dark: Value[Share] = 0.0
    bright: Value[Share] = 1.0


class Passage(ReachBase):
    """From 0 to 1 as one value, `passed`, goes from 0 to 1: keyed there and back, a title goes and returns by it alone.

    What comes first in the order has gone after the share `each` of the passage, the others later; `rough` mixes chance
    into the order. `along` is the direction of the order "axis", `point` the place of "near" and "far" (metres in the
    block); "picture" begins where a picture is bright, "noise" in patches of `grain` metres.
    """

    kind: Literal["passage"] = "passage"
    passed: Value[Share] = 0.0
    order: Value[
        Literal["reading", "reverse", "centre_out", "edges_in", "shuffled", "axis", "near", "far", "picture", "noise"]
    ] = "axis"
    along: Value[Vec3] = (1.0, 0.0, 0.0)
    point: Value[Vec3] = (0.0, 0.5, 0.0)
    picture: Value[PictureId] | None = None
    width: Value[Size] = 6.0
    middle: Value[Vec2] = (0.0, 0.5)
    grain: Value[Annotated[float, Field(ge=0.01, le=1_000, allow_inf_nan=False)]] = 0.5
    shuffle: int = Field(default=1, ge=0, le=1_000_000)
    each: Value[Annotated[float, Field(ge=0.01, le=1, allow_inf_nan=False)]] = 0.4
    rough: Value[Share] = 0.15
    ease: Ease = Ease(leave=(0.2, 0.0), arrive=(0.6, 1.0))


Reach: TypeAlias = Annotated[
    Cadence | Zone | Noise | Picture | Swing | Passage | Everywhere, Field(discriminator="kind")
]
ResponsePoint: TypeAlias = tuple[Share, Annotated[float, Field(ge=-2, le=3, allow_inf_nan=False)]]


class Pivot(Model):
    """About what a drive turns and scales: a place on each letter, or on its word, line or block; or on each piece of
    letters that are in pieces.

    `own` is a place in cap heights from the middle of the baseline.
    """

    about: Value[Literal["piece", "letter", "word", "line", "block"]] = "letter"
    place: Value[Literal["centre", "baseline", "cap", "left", "right", "own"]] = "centre"
    own: Value[Vec3] = (0.0, 0.0, 0.0)


class ReachingStep(StepBase):
    """What acts on letters as strongly as reaches say.

    `scope` is what feels the reach as one: each letter by itself, or a word, a line or the block by its middle, or, of
    what bends letters, every point, or each piece of letters that are in pieces. The reaches join in their order;
    `response` shapes what comes out, through points of (reach, strength) with smooth curves between them; without
    `beyond` it is kept within 0 and 1, and nothing overshoots. `strength` is a factor on all of it, `exposed` puts the
    step on twos or threes.
    """

    scope: Value[Literal["piece", "letter", "word", "line", "block", "point"]] = "letter"
    strength: Value[Factor] = 1.0
    reaches: list[Reach] = Field(default=[Cadence()], max_length=limits.REACHES)
    response: list[ResponsePoint] = Field(default=[(0.0, 0.0), (1.0, 1.0)], min_length=2, max_length=16)
    beyond: Value[bool] = True
    exposed: Exposed = 1

    @field_validator("response")
    @classmethod
    def rises(cls, response: list[ResponsePoint]) -> list[ResponsePoint]:
        """The points of a response go from a reach of 0 to one of 1, in order. Raises ValueError."""
        if any(b[0] <= a[0] for a, b in pairwise(response)) or response[0][0] != 0 or response[-1][0] != 1:
            raise ValueError("a response runs from a reach of 0 to a reach of 1, each point after the one before")
        return response


class DriveStep(ReachingStep):
    """Moves letters: the offset times the reach, about a pivot."""

    facts: ClassVar[Facts] = Facts(
        title="Drive",
        about="Moves letters, one after the other or as zones reach them",
        work="motion",
        column="move",
        moves=True,
        by_letter=True,
    )
    kind: Literal["drive"] = "drive"
    scope: Value[Literal["piece", "letter", "word", "line", "block"]] = "letter"
    pivot: Pivot = Pivot()
    offset: Offset = Offset(move=(0.0, 0.0, 1.2), turn=(-90.0, 0.0, 0.0))

    @property
    def changes_letters(self) -> bool:
        return bool(self.offset.axes) or self.offset.scramble != 0


class GrowStep(ReachingStep):
    """Letters that are drawn by tubes grow along their contours: at a reach of 1 nothing of a letter is there, at 0 all
    of it. So letters that arrive are drawn, and letters that leave are taken back.

    They grow `onward` from where each contour starts, `backward` from where it ends, or to both sides. A contour starts
    where the form says, and `start` later, a share of its length; `starts` are added to that for single letters, by
    number.
    """

    facts: ClassVar[Facts] = Facts(
        title="Growing tubes",
        about="Letters of tubes are drawn, one after the other",
        work="motion",
        column="move",
        moves=True,
    )
    kind: Literal["grow"] = "grow"
    scope: Value[Literal["letter", "word", "line", "block"]] = "letter"
    grows: Value[Literal["onward", "backward", "both"]] = "onward"
    start: Value[Turns] = 0.0
    starts: dict[LetterNumber, Value[Turns]] = Field(default_factory=dict, max_length=limits.LETTERS_A_BLOCK)
    reaches: list[Reach] = Field(default=[Cadence(delay=4.0, duration=30.0, ease=Ease())], max_length=limits.REACHES)

    @property
    def changes_letters(self) -> bool:
        return True


class FollowStep(StepBase):
    """Follow-through of what the steps above it do to the letters, on the channels that are switched on.

    A spring swings after them (`tempo` in Hz, `damping` as a ratio, 0 never rests) and settles; a lag comes after
    smoothly, `lag` seconds late. `strength` mixes between what the steps did (0) and what follows (1). Steps below it
    are not followed. With `apart`, letters of a line that it would bring closer than a `gap`, in cap heights, follow
    less.
    """

    facts: ClassVar[Facts] = Facts(
        title="Follow-through",
        about="Letters swing, lag and settle after what moves them",
        work="motion",
        column="move",
        moves=True,
    )
    kind: Literal["follow"] = "follow"
    way: Value[Literal["spring", "lag"]] = "spring"
    tempo: Value[Tempo] = 2.0
    damping: Value[Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)]] = 0.35
    lag: Value[Annotated[float, Field(ge=0.001, le=20, allow_inf_nan=False)]] = 0.12
    strength: Value[Annotated[float, Field(ge=0, le=2, allow_inf_nan=False)]] = 1.0
    move: Value[bool] = True
    turn: Value[bool] = True
    scale: Value[bool] = True
    bend: Value[bool] = True
    apart: Value[bool] = False
    gap: Value[Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)]] = 0.02


class DrumStep(StepBase):
    """A flip drum: the letters of each place stand on the faces of a prism of so many `sides` that turns about its
    exact centre until the last face shows the block's own letter.

    `words` are the faces before that, a line each, letter by letter in reading order; without words `before` letters
    are drawn for each place. Only the face nearest to the front is there: they change when an edge of the prism is in
    front. The prism turns upward, or downward, `rolls`; the k-th letter in the order starts at `start + k * delay` and
    takes `duration` frames for all of its faces.
    """

    in_frames: ClassVar[tuple[str, ...]] = ("start", "delay", "duration")
    facts: ClassVar[Facts] = Facts(
        title="Flip drum",
        about="Letters turn on drums until the right one stands in front",
        work="motion",
        column="move",
        moves=True,
    )
    kind: Literal["drum"] = "drum"
    sides: Value[Annotated[int, Field(ge=3, le=24)]] = 4
    words: Value[Text] = ""
    before: Value[Annotated[int, Field(ge=1, le=60)]] = 5
    rolls: Value[Literal["up", "down"]] = "up"
    order: Value[Literal["reading", "reverse", "centre_out", "edges_in", "shuffled"]] = "reading"
    shuffle: int = Field(default=1, ge=0, le=1_000_000)
    start: Value[FrameNumber] = 4.0
    delay: Value[Delay] = 2.0
    duration: Value[Duration] = 36.0
    ease: Ease = Ease(leave=(0.3, 0.0), arrive=(0.25, 1.0))

    @property
    def changes_letters(self) -> bool:
        return True


class SwapStep(StepBase):
    """Blocks above it go through several texts, turning from each to the next; the last is the block's own.

    `texts` are those before it, a line each, in which a bar (|) breaks a line. The first turn begins at `start`; each
    lasts `turn` frames, and a text then holds still for `hold`: as long for one as for the other. A block turns about
    its upright or level middle, to the side that it `turns`. It swaps `edge_on`, after a quarter of a turn, and comes
    back with the other text by another quarter, so that no text is ever seen from behind; or while its `back` is in
    front, half way through a whole turn.
    """

    in_frames: ClassVar[tuple[str, ...]] = ("start", "turn", "hold")
    facts: ClassVar[Facts] = Facts(
        title="Turn and swap",
        about="The title turns, and has another text when it comes round",
        work="motion",
        column="move",
        moves=True,
        rests=True,
    )
    kind: Literal["swap"] = "swap"
    texts: Value[Text] = "SLACK WATER"
    swaps: Value[Literal["edge_on", "back"]] = "edge_on"
    turns: Value[Literal["right", "left", "up", "down"]] = "right"
    start: Value[FrameNumber] = 10.0
    turn: Value[Duration] = 22.0
    hold: Value[Delay] = 18.0
    ease: Ease = Ease(leave=(0.3, 0.0), arrive=(0.25, 1.0))

    @property
    def changes_letters(self) -> bool:
        return True


class ShiverStep(StepBase):
    """Small smooth unrest of each letter, or each piece of one, by itself, about its pivot: at most `move` metres,
    `turn` degrees, `tempo` times a second. It fades in over `fade_in` frames from `start`, and out over `fade_out`
    frames until `end`; an end before the start lasts for ever."""

    in_frames: ClassVar[tuple[str, ...]] = ("start", "end", "fade_in", "fade_out")
    facts: ClassVar[Facts] = Facts(
        title="Shiver",
        about="Letters never quite hold still",
        work="motion",
        column="move",
        moves=True,
        rests=False,
        by_letter=True,
    )
    kind: Literal["shiver"] = "shiver"
    scope: Value[Literal["piece", "letter"]] = "letter"
    pivot: Pivot = Pivot()
    move: Value[Vec3] = (0.01, 0.01, 0.0)
    turn: Value[Turn3] = (0.0, 0.0, 1.5)
    tempo: Value[Tempo] = 3.0
    start: Value[FrameNumber] = 0.0
    end: Value[FrameNumber] = -1.0
    fade_in: Value[Annotated[float, Field(ge=0, le=limits.FRAMES, allow_inf_nan=False)]] = 0.0
    fade_out: Value[Annotated[float, Field(ge=0, le=limits.FRAMES, allow_inf_nan=False)]] = 12.0
    seed: int = Field(default=1, ge=0, le=1_000_000)


class Copies(Model):
    """So many more of a group, each `delay` frames later than the one before, and a step farther: moved, turned and
    scaled about the group's pivot, its letters `radius` metres further out from that in the plane of the type, and
    `share` of the way that is left nearer to `tint`."""

    in_frames: ClassVar[tuple[str, ...]] = ("delay",)
    count: Value[Annotated[int, Field(ge=0, le=limits.COPIES)]] = 0
    delay: Value[Delay] = 4.0
    move: Value[Vec3] = (0.0, 1.3, 0.0)
    turn: Value[Turn3] = (0.0, 0.0, 0.0)
    scale: Value[Annotated[float, Field(gt=0, le=20, allow_inf_nan=False)]] = 1.0
    radius: Value[Finite] = 0.0
    tint: Value[Colour] = (0.1, 0.12, 0.11)
    share: Value[Share] = 0.0


class GroupStep(StepBase):
    """Blocks, and groups, above it under one pivot: moved, turned and scaled about it as one, after all that moves
    their letters. Without `members` it holds every block above it.

    The pivot is the exact `centre` of what it holds at rest, the middle of its `foot`, or a place of its `own`.
    """

    facts: ClassVar[Facts] = Facts(
        title="Group",
        about="Blocks under one pivot, moved as one and copied",
        work="motion",
        column="move",
        held=True,
    )
    kind: Literal["group"] = "group"
    members: list[Identity] = Field(default_factory=list, max_length=limits.STEPS)
    pivot: Value[Literal["centre", "foot", "own"]] = "centre"
    own: Value[Vec3] = (0.0, 0.0, 0.0)
    move: Value[Vec3] = (0.0, 0.0, 0.0)
    turn: Value[Turn3] = (0.0, 0.0, 0.0)
    scale: Value[Scale3] = (1.0, 1.0, 1.0)
    copies: Copies = Copies()

    def holds(self, names: set[str], above: set[str]) -> bool:
        """Is a block in the group that goes by these names, its own id and those of its groups? `above` are the ids of
        all that stands above the group: a group that names none of them holds everything."""
        named = above.intersection(self.members)
        return not named or not named.isdisjoint(names)
