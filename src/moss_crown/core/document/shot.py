"""The shot: one title, as a document. The single source of truth for API, command line, files and front end.

A shot is a recipe: steps in the order of computation. A step acts on every block above it.
Lengths in metres, angles in degrees, colours scene-linear Rec.709, frames as numbers that may be fractional.
"""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from typing import Annotated, Any, Literal, Self, TypeAlias

from pydantic import Field, ValidationError, field_validator, model_validator

from moss_crown.core import limits
from moss_crown.core.document.binding import bind
from moss_crown.core.document.values import Ease, Exposed, Model, Value

VERSION = 3

Finite: TypeAlias = Annotated[float, Field(ge=-1e5, le=1e5, allow_inf_nan=False)]
Size: TypeAlias = Annotated[float, Field(gt=0, le=100, allow_inf_nan=False)]
Fading: TypeAlias = Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)]
"""Metres at which something is half gone; 0 for never."""
Share: TypeAlias = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Degrees: TypeAlias = Annotated[float, Field(ge=-36_000, le=36_000, allow_inf_nan=False)]
Vec2: TypeAlias = tuple[Finite, Finite]
Vec3: TypeAlias = tuple[Finite, Finite, Finite]
Turn3: TypeAlias = tuple[Degrees, Degrees, Degrees]
Factor: TypeAlias = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]
Scale3: TypeAlias = tuple[Factor, Factor, Factor]
Channel: TypeAlias = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Colour: TypeAlias = tuple[Channel, Channel, Channel]
Duration: TypeAlias = Annotated[float, Field(gt=0, le=limits.FRAMES, allow_inf_nan=False)]
FrameNumber: TypeAlias = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Text: TypeAlias = Annotated[str, Field(max_length=limits.TEXT_LENGTH)]
Identity: TypeAlias = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[a-z0-9_-]+$")]
Name: TypeAlias = Annotated[str, Field(min_length=1, max_length=200)]
Strength: TypeAlias = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]
PictureId: TypeAlias = Annotated[str, Field(pattern=r"^picture-[0-9a-f]{32}$")]
"""A picture that was brought in, by its content."""


class FrameRate(Model):
    """Frames a second as a fraction, so that 24000/1001 is exact."""

    numerator: int = Field(default=25, ge=1, le=1_000_000)
    denominator: int = Field(default=1, ge=1, le=100_000)

    @model_validator(mode="after")
    def in_range(self) -> FrameRate:
        if not 1 <= self.fraction <= 240:
            raise ValueError("a frame rate lies between 1 and 240 frames a second")
        return self

    @property
    def fraction(self) -> Fraction:
        return Fraction(self.numerator, self.denominator)


class StepBase(Model):
    """A step may have two versions, to compare: the one that is computed says which of them it is, the other is put
    `aside`, with all that a step has but an id and a version."""

    id: Identity
    name: Annotated[str, Field(max_length=80)] = ""
    on: Value[bool] = True
    version: Literal["A", "B"] = "A"
    aside: dict[str, Any] | None = None

    @model_validator(mode="after")
    def could_be_taken_out(self) -> Self:
        if self.aside is None:
            return self
        if self.aside.get("kind") != getattr(self, "kind", None):
            raise ValueError("aside: the other version of a step is of the same kind")
        if self.aside.get("aside") is not None:
            raise ValueError("aside: a version that is put aside has none aside itself")
        try:
            type(self).model_validate({**self.aside, "id": self.id})
        except ValidationError as wrong:
            first = wrong.errors()[0]
            place = "/".join(str(part) for part in first["loc"])
            raise ValueError(f"aside: {place}: {first['msg']}") from None
        return self


AxisTag: TypeAlias = Annotated[str, Field(pattern=r"^[A-Za-z0-9 ]{4}$")]
AxisPlace: TypeAlias = Annotated[float, Field(ge=-32_768, le=32_768, allow_inf_nan=False)]
FeatureTag: TypeAlias = Annotated[str, Field(pattern=r"^[a-z0-9]{4}$")]
Tracking: TypeAlias = Annotated[float, Field(ge=-500, le=5_000, allow_inf_nan=False)]
Enlargement: TypeAlias = Annotated[float, Field(ge=0.01, le=50, allow_inf_nan=False)]
Weight: TypeAlias = Annotated[float, Field(ge=-200, le=200, allow_inf_nan=False)]


class Lettering(Model):
    """How chosen letters differ from their block. What stays at its default changes nothing.

    `family` and `axes` replace the block's; `size` and `depth` are factors; `tracking` opens the space after each
    letter, in thousandths of an em, and so kerns a pair by hand; `shift` goes right, up and forward in cap heights of
    the block; `turn` about the letter's own centre; `weight` grows the outline, in thousandths of an em.
    """

    family: Value[Identity] | None = None
    axes: dict[AxisTag, Value[AxisPlace]] = Field(default_factory=dict, max_length=limits.AXES)
    size: Value[Enlargement] = 1.0
    tracking: Value[Tracking] = 0.0
    shift: Value[Vec3] = (0.0, 0.0, 0.0)
    turn: Value[Degrees] = 0.0
    weight: Value[Weight] = 0.0
    depth: Value[Enlargement] = 1.0


class Rule(Model):
    """The first, the last, both, or every n-th letter, word or line within each block, line or word.

    With "every", `every` counts on from the `start`-th (1 is the first).
    """

    unit: Literal["letter", "word", "line"] = "letter"
    pick: Literal["first", "last", "first_and_last", "every"] = "first"
    within: Literal["block", "line", "word"] = "block"
    every: int = Field(default=2, ge=1, le=limits.LETTERS_A_BLOCK)
    start: int = Field(default=2, ge=1, le=limits.LETTERS_A_BLOCK)


class Stretch(Model):
    """Letters by hand: characters `first` to `last`, both included, of the text `of`.

    `of` is the text that they were picked in. In another text those are meant that still have their match.
    """

    of: Text
    first: int = Field(ge=0, le=limits.TEXT_LENGTH)
    last: int = Field(ge=0, le=limits.TEXT_LENGTH)

    @model_validator(mode="after")
    def in_order(self) -> Self:
        if not self.first <= self.last < len(self.of):
            raise ValueError(
                f"last: {self.last} must lie between first ({self.first}) and the end of the text ({len(self.of) - 1})"
            )
        return self


class Pattern(Rule, Lettering):
    """Lettering by rule."""

    name: Annotated[str, Field(max_length=80)] = ""
    on: Value[bool] = True


class Override(Stretch, Lettering):
    """Lettering of some letters by hand."""


class BlockStretch(Stretch):
    """Letters of a block by hand. An emblem counts as a text of as many letters as it has parts, each PART."""

    block: Identity


class Some(Model):
    """Which letters a step is for: all of them, those of a rule, or some by hand. With `blocks`, of these only."""

    by: Literal["all", "rule", "hand"] = "all"
    blocks: list[Identity] = Field(default_factory=list, max_length=limits.STEPS)
    rule: Rule = Rule()
    hand: list[BlockStretch] = Field(default_factory=list, max_length=limits.LETTERS_A_BLOCK)

    @property
    def everyone(self) -> bool:
        return self.by == "all" and not self.blocks


PART = "\N{BLACK SQUARE}"


class Baseline(Model):
    """How lines run: straight, on an arc in the plane of the type, or around an upright drum.

    `radius` in metres, below 0 for the inside. `start` turns the text onward. `spread` gives each letter of a line an
    equal share of the whole turn; `upright` letters do not lean.

    A path is a curve through `points` (metres, in the plane of the type), or with an `emblem` the outline or stroke
    of its part number `part`, as high as `height`. With `fit` it is scaled until the longest line fills it. The
    middle of a line lies `at` this share of its length.
    """

    kind: Value[Literal["straight", "arc", "drum", "path"]] = "straight"
    radius: Value[Annotated[float, Field(ge=-1_000, le=1_000, allow_inf_nan=False)]] = 6.0
    start: Value[Degrees] = 0.0
    spread: Value[bool] = False
    upright: Value[bool] = False
    points: list[Vec2] = Field(
        default=[(-3.0, 0.0), (-1.2, 0.7), (1.2, -0.3), (3.0, 0.4)], min_length=2, max_length=limits.PATH_POINTS
    )
    closed: bool = False
    emblem: Value[Identity] | None = None
    part: Value[Annotated[int, Field(ge=1, le=10_000)]] = 1
    height: Value[Size] = 2.0
    fit: Value[bool] = True
    at: Value[Share] = 0.5
    below: Value[bool] = False


class BlockStep(StepBase):
    """Lines of lettering. The origin is the middle of the last line's baseline; text lies in XY and faces +Z.

    `size` is the cap height; `tracking` is in thousandths of an em; `leading` is the distance of baselines in
    cap heights. `axes` are places on the family's variable axes; `features` are OpenType features by tag, 0 for off.
    `width` is what "justify" and "fill" reach, 0 for the widest line. Patterns act in their order, then overrides.
    """

    kind: Literal["block"] = "block"
    text: Value[Text] = "KESTREL TIDE"
    family: Value[Identity] = "archivo-black"
    axes: dict[AxisTag, Value[AxisPlace]] = Field(default_factory=dict, max_length=limits.AXES)
    features: dict[FeatureTag, Annotated[int, Field(ge=0, le=100)]] = Field(
        default_factory=dict, max_length=limits.FEATURES
    )
    language: Annotated[str, Field(max_length=20, pattern=r"^[A-Za-z0-9-]*$")] = ""
    direction: Literal["auto", "left_to_right", "right_to_left"] = "auto"
    size: Value[Size] = 1.0
    tracking: Value[Tracking] = 20.0
    leading: Value[Annotated[float, Field(ge=-10, le=20, allow_inf_nan=False)]] = 1.45
    align: Value[Literal["left", "centre", "right", "justify", "fill"]] = "centre"
    width: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 0.0
    baseline: Baseline = Baseline()
    patterns: list[Pattern] = Field(default_factory=list, max_length=limits.PATTERNS)
    overrides: list[Override] = Field(default_factory=list, max_length=limits.OVERRIDES)
    move: Value[Vec3] = (0.0, 0.0, 0.0)
    turn: Value[Turn3] = (0.0, 0.0, 0.0)
    scale: Value[Scale3] = (1.0, 1.0, 1.0)

    @field_validator("text")
    @classmethod
    def has_letters(cls, text: object) -> object:
        if isinstance(text, str) and not text.strip():
            raise ValueError("a title needs at least one letter that is not a space")
        return text


class EmblemStep(StepBase):
    """A drawing of the production, whose parts act as letters. `size` is its height; it stands on its origin."""

    kind: Literal["emblem"] = "emblem"
    emblem: Value[Identity]
    size: Value[Size] = 1.0
    own_colours: Value[bool] = False
    move: Value[Vec3] = (0.0, 0.0, 0.0)
    turn: Value[Turn3] = (0.0, 0.0, 0.0)
    scale: Value[Scale3] = (1.0, 1.0, 1.0)


CurvePoint: TypeAlias = tuple[Channel, Channel]


class EdgeProfile(Model):
    """The cross-section between return and face: `width` along the face, `height` along the depth, in metres.

    `curve` holds the points of a drawn profile as shares of width and height, from the return to the face. It runs
    inward, or it always rises and may turn back outward: an undercut.
    """

    profile: Value[Literal["square", "chamfer", "roundover", "cove", "ogee", "step", "bead", "rim", "drawn"]] = (
        "roundover"
    )
    width: Value[Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]] = 0.03
    height: Value[Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]] = 0.03
    segments: Value[Annotated[int, Field(ge=1, le=24)]] = 5
    curve: list[CurvePoint] = Field(
        default=[(0.0, 0.0), (0.1, 0.55), (0.45, 0.6), (0.55, 0.9), (1.0, 1.0)], min_length=2, max_length=32
    )

    @field_validator("curve")
    @classmethod
    def inward_or_upward(cls, curve: list[CurvePoint]) -> list[CurvePoint]:
        if curve[0][0] != 0:
            raise ValueError("a drawn profile begins at 0 of its width")
        inward = all(later[0] >= earlier[0] for earlier, later in pairwise(curve))
        if inward and curve[-1][0] == 1:
            return curve
        for earlier, later in pairwise(curve):
            if later[1] < earlier[1]:
                raise ValueError(
                    "a drawn profile runs inward to 1 of its width, or it always rises and may turn back; "
                    f"but height {later[1]:g} follows {earlier[1]:g}"
                )
        ways = [(b[0] > a[0], b[1] > a[1]) for a, b in pairwise(curve) if b[0] != a[0]]
        if any(one[0] != two[0] and not one[1] and not two[1] for one, two in pairwise(ways)):
            raise ValueError("a drawn profile folds back on itself: it must rise where it turns")
        return curve


class Tubes(Model):
    """Letters drawn by tubes along their outline, or along the strokes of an emblem. Metres and shares of a length."""

    on: Value[bool] = False
    section: Value[Literal["round", "square", "flat"]] = "round"
    width: Value[Annotated[float, Field(gt=0, le=10, allow_inf_nan=False)]] = 0.05
    height: Value[Annotated[float, Field(gt=0, le=10, allow_inf_nan=False)]] = 0.05
    offset: Value[Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]] = 0.0
    rows: Value[Annotated[int, Field(ge=1, le=8)]] = 1
    gap: Value[Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]] = 0.09
    start: Value[Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]] = 0.0
    first: Value[Share] = 0.0
    last: Value[Share] = 1.0


class FormStep(StepBase):
    """What outlines above become: weight, counters and wall first, then depth with an edge front and rear.

    `grow` says to which side of the plane of the type the depth goes. `weight` is in thousandths of an em, `wall` in
    metres, 0 for letters that are not hollow. `corners` shapes inner corners of an edge.
    """

    kind: Literal["form"] = "form"
    depth: Value[Annotated[float, Field(gt=0, le=100, allow_inf_nan=False)]] = 0.28
    grow: Value[Literal["both", "forward", "backward"]] = "both"
    weight: Value[Weight] = 0.0
    counters: Value[Literal["open", "filled"]] = "open"
    wall: Value[Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]] = 0.0
    corners: Value[Literal["sharp", "mitre", "round"]] = "mitre"
    front: EdgeProfile = EdgeProfile()
    rear_alike: Value[bool] = True
    rear: EdgeProfile = EdgeProfile()
    tubes: Tubes = Tubes()


class Offset(Model):
    """What a drive adds to a letter at full strength. Turn and scale go about its pivot.

    `spacing` spreads the letters of a line from its middle, in cap heights a letter. `tint` is mixed into a letter's
    colours by `tint_share`; `opacity` is what is left of it; `softness` is the radius, in cap heights, over which it is
    blurred as the camera sees it. With `outside` the letter stands just outside the frame on that side, as the camera
    sees it; the move is added to that.

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
    softness: Value[Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)]] = 0.0
    outside: Value[Literal["none", "left", "right", "above", "below"]] = "none"
    axes: dict[AxisTag, Value[AxisPlace]] = Field(default_factory=dict, max_length=limits.AXES)
    scramble: Value[Share] = 0.0
    scramble_hold: int = Field(default=3, ge=1, le=100)


Mix: TypeAlias = Literal["maximum", "add", "multiply", "cut"]
"""How a reach joins those before it in the same drive. A cut takes away where it is strong."""
Tempo: TypeAlias = Annotated[float, Field(ge=0.01, le=50, allow_inf_nan=False)]
Delay: TypeAlias = Annotated[float, Field(ge=-1_000, le=1_000, allow_inf_nan=False)]
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
    """

    kind: Literal["cadence"] = "cadence"
    way: Value[Literal["arrive", "leave", "pass"]] = "arrive"
    order: Value[Literal["reading", "reverse", "centre_out", "edges_in", "shuffled", "axis", "near", "far"]] = "reading"
    along: Value[Vec3] = (1.0, 0.0, 0.0)
    point: Value[Vec3] = (0.0, 0.5, 0.0)
    shuffle: int = Field(default=1, ge=0, le=1_000_000)
    start: Value[FrameNumber] = 4.0
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


Reach: TypeAlias = Annotated[Cadence | Zone | Noise | Picture | Swing | Everywhere, Field(discriminator="kind")]
ResponsePoint: TypeAlias = tuple[Share, Annotated[float, Field(ge=-2, le=3, allow_inf_nan=False)]]


class Pivot(Model):
    """About what a drive turns and scales: a place on each letter, or on its word, line or block.

    `own` is a place in cap heights from the middle of the baseline.
    """

    about: Value[Literal["letter", "word", "line", "block"]] = "letter"
    place: Value[Literal["centre", "baseline", "cap", "left", "right", "own"]] = "centre"
    own: Value[Vec3] = (0.0, 0.0, 0.0)


class DriveStep(StepBase):
    """Moves letters: the offset times the reach, about a pivot.

    `scope` is what feels the reach as one: each letter by itself, or a word, a line or the block by its middle. The
    reaches join in their order; `response` shapes what comes out, through points of (reach, strength) with smooth
    curves between them; without `beyond` it is kept within 0 and 1, and nothing overshoots. `strength` is a factor on
    all of it, `exposed` puts the drive on twos or threes.
    """

    kind: Literal["drive"] = "drive"
    scope: Value[Literal["letter", "word", "line", "block"]] = "letter"
    pivot: Pivot = Pivot()
    offset: Offset = Offset(move=(0.0, 0.0, 1.2), turn=(-90.0, 0.0, 0.0))
    strength: Value[Factor] = 1.0
    reaches: list[Reach] = Field(default=[Cadence()], max_length=limits.REACHES)
    response: list[ResponsePoint] = Field(default=[(0.0, 0.0), (1.0, 1.0)], min_length=2, max_length=16)
    beyond: Value[bool] = True
    exposed: Exposed = 1

    @field_validator("response")
    @classmethod
    def rises(cls, response: list[ResponsePoint]) -> list[ResponsePoint]:
        if any(b[0] <= a[0] for a, b in pairwise(response)) or response[0][0] != 0 or response[-1][0] != 1:
            raise ValueError("a response runs from a reach of 0 to a reach of 1, each point after the one before")
        return response


class FollowStep(StepBase):
    """Follow-through of what the steps above it do to the letters, on the channels that are switched on.

    A spring swings after them (`tempo` in Hz, `damping` as a ratio, 0 never rests) and settles; a lag comes after
    smoothly, `lag` seconds late. `strength` mixes between what the steps did (0) and what follows (1). Steps below it
    are not followed. With `apart`, letters of a line that it would bring closer than a `gap`, in cap heights, follow
    less.
    """

    kind: Literal["follow"] = "follow"
    way: Value[Literal["spring", "lag"]] = "spring"
    tempo: Value[Tempo] = 2.0
    damping: Value[Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)]] = 0.35
    lag: Value[Annotated[float, Field(ge=0.001, le=20, allow_inf_nan=False)]] = 0.12
    strength: Value[Annotated[float, Field(ge=0, le=2, allow_inf_nan=False)]] = 1.0
    move: Value[bool] = True
    turn: Value[bool] = True
    scale: Value[bool] = True
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


class ShiverStep(StepBase):
    """Small smooth unrest of each letter by itself, about its pivot: at most `move` metres, `turn` degrees, `tempo`
    times a second. It fades in over `fade_in` frames from `start`, and out over `fade_out` frames until `end`; an end
    before the start lasts for ever."""

    kind: Literal["shiver"] = "shiver"
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


class Texture(Model):
    """A pattern that mixes a second layer into a material, changes its tone, and gives it relief.

    `scale` is a unit of the pattern in metres. `amount` is the share of the second layer, `contrast` how sharp its
    borders are, `tone` how strong the pattern's own light and dark, `relief` how deep. `wear` uncovers the second layer
    on bevels. A texture runs through the whole title, or begins afresh on each letter; `turn` goes about the face's
    normal, `shift` in metres.
    """

    pattern: Value[
        Literal[
            "plain",
            "brushed",
            "cast",
            "hammered",
            "blotches",
            "veins",
            "speckles",
            "chips",
            "strata",
            "rings",
            "concrete",
            "plaster",
            "knit",
            "weave",
            "felt",
            "dots",
            "stripes",
            "paper",
            "crackle",
            "frost",
            "dust",
            "clumps",
            "depths",
            "grid",
        ]
    ] = "plain"
    scale: Value[Annotated[float, Field(ge=0.001, le=100, allow_inf_nan=False)]] = 0.6
    amount: Value[Share] = 0.5
    contrast: Value[Share] = 0.5
    tone: Value[Share] = 0.3
    relief: Value[Share] = 0.0
    wear: Value[Share] = 0.0
    colour: Value[Colour] = (0.2, 0.2, 0.2)
    metal: Value[Share] = 0.0
    roughness: Value[Share] = 0.5
    place: Value[Literal["title", "letter"]] = "title"
    turn: Value[Degrees] = 0.0
    shift: Value[Vec3] = (0.0, 0.0, 0.0)


class Pictures(Model):
    """Own pictures on a material, over its texture: as its colour, its roughness (black is smooth), its bumps (white is
    high). They lie on the surface by the side that it looks to, their middle at `shift`, `width` metres wide, and begin
    afresh on each letter where the texture does.

    `mix` is the share of the picture's colour, times its own alpha; `tint` colours it; `rough` is the share of the
    roughness that the picture decides; `height` is how high bumps are, below 0 how deep, 1 for a tenth of `width`.
    """

    colour: Value[PictureId] | None = None
    roughness: Value[PictureId] | None = None
    bump: Value[PictureId] | None = None
    width: Value[Size] = 1.0
    tiling: Value[Literal["repeat", "mirror", "once"]] = "repeat"
    mix: Value[Share] = 1.0
    tint: Value[Colour] = (1.0, 1.0, 1.0)
    rough: Value[Share] = 1.0
    height: Value[Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]] = 0.3
    turn: Value[Degrees] = 0.0
    shift: Value[Vec3] = (0.0, 0.0, 0.0)


class Material(Model):
    """Metal by base colour, or a clear dielectric over a diffuse base; `metal` mixes between them.

    A clear `coat` lies over it, `sheen` is the bright edge of cloth. `glow` is light of its own, as strong as a white
    surface under that much light, in `glow_colour`. `brushed` draws the highlight out along a direction of the letter,
    `brush_turn` degrees from its baseline.

    `transmission` makes it glass of that share: solid, with its colour reached after `tint_depth` metres, or with
    `thin` like a sheet or a bubble. What `opacity` leaves is not there at all.
    """

    colour: Value[Colour] = (0.8, 0.8, 0.8)
    metal: Value[Share] = 0.0
    roughness: Value[Share] = 0.4
    ior: Value[Annotated[float, Field(ge=1, le=3, allow_inf_nan=False)]] = 1.5
    coat: Value[Share] = 0.0
    coat_roughness: Value[Share] = 0.08
    sheen: Value[Share] = 0.0
    glow: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 0.0
    glow_colour: Value[Colour] = (1.0, 0.9, 0.7)
    brushed: Value[Share] = 0.0
    brush_turn: Value[Degrees] = 0.0
    transmission: Value[Share] = 0.0
    thin: Value[bool] = False
    tint_depth: Value[Annotated[float, Field(ge=0.001, le=100, allow_inf_nan=False)]] = 0.3
    opacity: Value[Share] = 1.0
    texture: Texture = Texture()
    pictures: Pictures = Pictures()


class MaterialStep(StepBase):
    """`face` covers face and rear; `edge` covers bevel, return and rear bevel; each that has its own takes that. Of
    several, each letter wears the last that is on and `some` of whose letters it is."""

    kind: Literal["material"] = "material"
    some: Some = Some()
    face: Material = Material(colour=(0.90, 0.66, 0.30), metal=1.0, roughness=0.24)
    edge: Material = Material(colour=(0.62, 0.30, 0.11), metal=1.0, roughness=0.16)
    bevel: Material | None = None
    rear_bevel: Material | None = None
    rear: Material | None = None


EnvironmentPreset: TypeAlias = Literal[
    "two_windows",
    "overcast",
    "dusk_harbour",
    "paper_tent",
    "long_softbox",
    "lamp_row",
    "low_sun",
    "night_market",
    "cold_tube",
    "rim_pair",
    "top_light",
    "morning_mist",
    "lantern_room",
    "storm_break",
]
EnvironmentSource: TypeAlias = EnvironmentPreset | PictureId
"""One of ours, or a picture that was brought in."""


class EnvironmentStep(StepBase):
    """What metal reflects: one of our own, or a picture of all directions (equirectangular) that was brought in. `tilt`
    leans it towards the camera, then to the right; `turn` goes about the vertical after that. Behind everything the
    camera sees nothing, the environment itself, `colour`, a gradient from that on the lower border to `colour_above`
    (in a direction `gradient_turn` degrees to the right of upward), or `backdrop`, a picture that fills the frame over
    `colour`."""

    kind: Literal["environment"] = "environment"
    preset: Value[EnvironmentSource] = "two_windows"
    strength: Value[Strength] = 0.85
    turn: Value[Degrees] = 0.0
    tilt: Value[tuple[Degrees, Degrees]] = (0.0, 0.0)
    behind: Value[Literal["nothing", "environment", "colour", "gradient", "picture"]] = "nothing"
    colour: Value[Colour] = (0.16, 0.2, 0.19)
    colour_above: Value[Colour] = (0.03, 0.045, 0.055)
    gradient_turn: Value[Degrees] = 0.0
    backdrop: Value[PictureId | None] = None


class Light(Model):
    """A lamp that shines towards `aim`. `power` spreads over its area, so that its size only softens shadows.

    A rectangle and a disc shine to one side, a tube (along its width) and a ball to all. A sun lights everything from
    the direction of its place, as bright as a rectangle of its power eight metres away; `angle` is its width in the
    sky. `white` is its colour temperature in kelvin (6500: neutral), `stops` doubles or halves its light. `spot` is the
    whole angle of its cone, 0 for none, `soft` the share of it over which it fades. Beyond `limit` metres it does not
    reach, 0 for no limit. It lights what the switches say, and of blocks those in `only`, or all when that is empty.

    `on_letters_dark` and `on_stage_dark` say how dark its shadows are there: 1 as they fall, 0 none. A `stack` of more
    than 1 shares its light among so many sources in the same place, each `spread` times as wide as the one before: a
    shadow with as many edges, from tight to wide.
    """

    name: Annotated[str, Field(max_length=80)] = "light"
    shape: Value[Literal["rectangle", "disc", "tube", "ball", "sun"]] = "rectangle"
    place: Value[Vec3] = (-4.0, 5.0, 6.0)
    aim: Value[Vec3] = (0.0, 0.5, 0.0)
    width: Value[Size] = 2.0
    height: Value[Size] = 2.0
    angle: Value[Annotated[float, Field(ge=0.05, le=60, allow_inf_nan=False)]] = 0.6
    colour: Value[Colour] = (1.0, 1.0, 1.0)
    white: Value[Annotated[float, Field(ge=1_000, le=15_000, allow_inf_nan=False)]] = 6500.0
    power: Value[Strength] = 400.0
    stops: Value[Annotated[float, Field(ge=-20, le=20, allow_inf_nan=False)]] = 0.0
    spot: Value[Annotated[float, Field(ge=0, le=179, allow_inf_nan=False)]] = 0.0
    soft: Value[Share] = 0.3
    limit: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 0.0
    shadow: Value[bool] = True
    on_letters_dark: Value[Share] = 1.0
    on_stage_dark: Value[Share] = 1.0
    stack: Value[Annotated[int, Field(ge=1, le=6)]] = 1
    spread: Value[Annotated[float, Field(ge=1, le=8, allow_inf_nan=False)]] = 2.5
    on_faces: Value[bool] = True
    on_edges: Value[bool] = True
    on_stage: Value[bool] = True
    only: list[Identity] = Field(default_factory=list, max_length=limits.STEPS)


class LightsStep(StepBase):
    kind: Literal["lights"] = "lights"
    lights: list[Light] = Field(default_factory=list, max_length=limits.LIGHTS)


class StageStep(StepBase):
    """What letters stand on and before, with its floor at height 0.

    A `corner` is a floor and a back wall, each there or not; a floor without a wall goes on behind. A `sweep` is both
    in one piece, joined by a curve of `radius`, in the wall's material. `steps` rise behind the letters from where the
    wall would stand: so many, each `rise` high and `run` deep. A `globe` of `radius` has its top at the middle of the
    floor. A `card`, `card_width` by `card_height` metres, stands on the floor in the wall's place; a picture of the
    wall's material fills it.

    With `catch` the camera sees only the shadows on all that, and the alpha of a picture holds those. What is
    `haze` metres away has lost half of itself to haze of `haze_colour`; 0 for clear air. With a `horizon` above 0 the
    stage itself goes over into `horizon_colour`: half of the way that many metres around its middle.
    """

    kind: Literal["stage"] = "stage"
    shape: Value[Literal["corner", "sweep", "steps", "globe", "card"]] = "corner"
    radius: Value[Size] = 1.5
    steps: Value[Annotated[int, Field(ge=1, le=60)]] = 5
    rise: Value[Size] = 0.22
    run: Value[Size] = 0.4
    card_width: Value[Size] = 8.0
    card_height: Value[Size] = 4.5
    haze: Value[Fading] = 0.0
    haze_colour: Value[Colour] = (0.16, 0.2, 0.21)
    horizon: Value[Fading] = 0.0
    horizon_colour: Value[Colour] = (0.16, 0.2, 0.21)
    floor: Value[bool] = True
    wall: Value[bool] = True
    wall_distance: Value[Annotated[float, Field(gt=0, le=1_000, allow_inf_nan=False)]] = 1.25
    catch: Value[bool] = False
    floor_material: Material = Material(colour=(0.035, 0.04, 0.037), roughness=0.2)
    wall_material: Material = Material(colour=(0.05, 0.072, 0.066), roughness=0.6)


class Subject(Model):
    """A block, or one letter of it by its place in reading order (0 is the first)."""

    block: Identity
    letter: Annotated[int, Field(ge=0, le=limits.LETTERS_A_BLOCK)] | None = None


class CameraStep(StepBase):
    """The shot camera. With `fit` above 0 it stands where the title at rest takes that share of the frame's width
    (or as much of its height), seen from `orbit` (degrees to the right, degrees up); with 0 it stands at `place`.
    `shift` moves the title in the frame, as shares of its width and height.

    `sensor` is the width of what the lens throws its picture on, in millimetres. `roll` leans the camera to its right,
    in degrees. `overscan` adds that share of the frame all around. `drift` is how much a hand that holds it sways (1:
    by a hundredth of the distance and half a degree), `drift_tempo` how often a second.

    The `shutter` is open for so many degrees of a frame's 360; the middle of that is `shutter_phase` degrees after the
    frame.

    `opening` is the width of the lens's opening in metres, 0 for a picture sharp throughout; with `blades` of 3 or more
    it is a polygon. What is `focus` metres away is sharp, 0 for the middle of the title. `exposure` is in stops; light
    of `white` kelvin turns out white.

    It moves with the subject that it should `follow`, as far as that is away from where it is at the end, by
    `follow_share` of it. With `focus_on` the lens stays sharp on that subject, wherever it goes.
    """

    kind: Literal["camera"] = "camera"
    lens: Value[Annotated[float, Field(ge=4, le=1_000, allow_inf_nan=False)]] = 42.0
    sensor: Value[Annotated[float, Field(ge=1, le=200, allow_inf_nan=False)]] = 36.0
    fit: Value[Share] = 0.8
    roll: Value[Degrees] = 0.0
    overscan: Value[Share] = 0.0
    drift: Value[Annotated[float, Field(ge=0, le=20, allow_inf_nan=False)]] = 0.0
    drift_tempo: Value[Annotated[float, Field(ge=0.01, le=20, allow_inf_nan=False)]] = 0.5
    orbit: Value[tuple[Degrees, Degrees]] = (0.0, 4.0)
    shift: Value[Vec2] = (0.0, -0.02)
    place: Value[Vec3] = (0.0, 1.2, 12.0)
    aim: Value[Vec3] = (0.0, 0.5, 0.0)
    shutter: Value[Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)]] = 180.0
    shutter_phase: Value[Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]] = 0.0
    opening: Value[Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]] = 0.0
    focus: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 0.0
    blades: Value[Annotated[int, Field(ge=0, le=12)]] = 0
    follow: Subject | None = None
    follow_share: Value[Share] = 1.0
    focus_on: Subject | None = None
    exposure: Value[Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]] = 0.0
    white: Value[Annotated[float, Field(ge=1_000, le=15_000, allow_inf_nan=False)]] = 6500.0


Step: TypeAlias = Annotated[
    BlockStep
    | EmblemStep
    | FormStep
    | DriveStep
    | FollowStep
    | DrumStep
    | ShiverStep
    | GroupStep
    | MaterialStep
    | EnvironmentStep
    | LightsStep
    | StageStep
    | CameraStep,
    Field(discriminator="kind"),
]

ONE_OF_A_KIND = ("environment", "stage", "camera")


class Marker(Model):
    """A frame that is worth a name."""

    frame: FrameNumber
    name: Annotated[str, Field(max_length=40)] = ""


class Beats(Model):
    """Beats of the music: `tempo` of them a minute, 0 for none, one at the frame `first`, with which a bar of so many
    begins."""

    tempo: float = Field(default=0.0, ge=0, le=400, allow_inf_nan=False)
    first: FrameNumber = 0.0
    bar: int = Field(default=4, ge=1, le=16)


class Shot(Model):
    """A shot as it is kept. `pixel_shape` is the width of a pixel by its height. `bounded`: no sample of a render gets
    more than `render.renderer.BRIGHTEST` by way of a second surface, and what dull surfaces mirror in polished ones is
    blurred by how dull they are: it spares a render sparks, and dims what letters throw on floors a little."""

    version: Literal[3] = 3
    title: Name = "Untitled"
    seed: int = Field(default=1, ge=0, le=2**31 - 1)
    width: int = Field(default=1280, ge=16, le=limits.SIDE_PIXELS)
    height: int = Field(default=720, ge=16, le=limits.SIDE_PIXELS)
    pixel_shape: float = Field(default=1.0, ge=0.1, le=10, allow_inf_nan=False)
    fps: FrameRate = FrameRate()
    first: int = Field(default=0, ge=-1_000_000, le=1_000_000)
    last: int = Field(default=72, ge=-1_000_000, le=1_000_000)
    exposed: Exposed = 1
    bounded: bool = True
    markers: list[Marker] = Field(default_factory=list, max_length=limits.MARKERS)
    beats: Beats = Beats()
    steps: list[Step] = Field(default_factory=list, max_length=limits.STEPS)

    @model_validator(mode="after")
    def whole(self) -> Shot:
        if self.last < self.first:
            raise ValueError(f"last: the last frame ({self.last}) must not lie before the first ({self.first})")
        if self.last - self.first + 1 > limits.FRAMES:
            raise ValueError(f"last: a shot has at most {limits.FRAMES} frames")
        ids = [step.id for step in self.steps]
        if len(set(ids)) != len(ids):
            raise ValueError("steps: two steps share an id")
        for kind in ONE_OF_A_KIND:
            if sum(step.kind == kind for step in self.steps) > 1:
                raise ValueError(f"steps: a shot has at most one {kind} step")
        bind(self)
        return self

    @property
    def frames(self) -> range:
        return range(self.first, self.last + 1)

    @property
    def aspect(self) -> float:
        """How many times as wide as high the frame is seen."""
        return self.width * self.pixel_shape / self.height
