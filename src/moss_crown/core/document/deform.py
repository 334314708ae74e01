"""Steps that bend letters: deformers, which go by reaches as drives do.

A deformer acts on every block above it, after what stands above it has moved the letters. Where its own axes stand:
`space` says whether they lie in each letter, in the block whatever becomes of that, or in the world; `centre` is their
origin, and `turn` turns them. In the world the origin is `centre.own`, in metres.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.kinds import Facts, FrameNumber, Share, Size, Turn3
from moss_crown.core.document.motion import Everywhere, Pivot, Reach, ReachingStep, Zone
from moss_crown.core.document.path import DrawnPath
from moss_crown.core.document.values import Value

Angle: TypeAlias = Annotated[float, Field(ge=-3600, le=3600, allow_inf_nan=False)]
Length: TypeAlias = Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]
"""Metres; 0: as long as what it is about."""
Height: TypeAlias = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]
Speed: TypeAlias = Annotated[float, Field(ge=-1_000, le=1_000, allow_inf_nan=False)]


def _facts(title: str, about: str) -> Facts:
    return Facts(title=title, about=about, work="motion", column="move", moves=True, by_letter=True)


class LetterPivot(Pivot):
    """A place on each letter, or on its word, line or block."""

    about: Value[Literal["letter", "word", "line", "block"]] = "letter"


class DeformStep(ReachingStep):
    """What all deformers have. Their reach scales their amount, so that lengths are kept at any strength.

    With the scope "point" every point of a letter feels zones by itself, so that a slab that sweeps through a word
    bends only what it has reached: how far a point goes is scaled by what the zones say, shaped by the response. Other
    reaches act on the letter as a whole.
    """

    space: Literal["letter", "block", "world"] = "block"
    scope: Value[Literal["letter", "word", "line", "block", "point"]] = "letter"
    centre: LetterPivot = LetterPivot(about="block")
    turn: Value[Turn3] = (0.0, 0.0, 0.0)
    reaches: list[Reach] = Field(default=[Everywhere()], max_length=limits.REACHES)


class BendStep(DeformStep):
    """A stretch of `length` metres about the centre bent by `angle` degrees in all, about the depth (a line becomes an
    arch), the vertical (its ends go back) or the horizontal (its head goes back); what lies beyond goes on straight.
    With a length of 0 the stretch is all of what it is about. The middle line keeps its length."""

    facts: ClassVar[Facts] = _facts("Bend", "Lines and letters bend into an arch, or away")
    kind: Literal["bend"] = "bend"
    about: Value[Literal["depth", "vertical", "horizontal"]] = "depth"
    angle: Value[Angle] = 60.0
    length: Value[Length] = 0.0


class CurlStep(DeformStep):
    """The share `rolled` of what it is about, rolled up from an end, to the front or the back, about a core of a
    `radius`, its turns a `gap` apart: with a gap larger than the letters are deep nothing cuts itself. Lengths stay."""

    facts: ClassVar[Facts] = _facts("Curl", "Lines, words or letters roll up from an end, and unroll")
    kind: Literal["curl"] = "curl"
    rolls: Value[Literal["right", "left", "top", "bottom"]] = "right"
    over: Value[Literal["front", "back"]] = "front"
    rolled: Value[Share] = 0.5
    radius: Value[Size] = 0.25
    gap: Value[Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]] = 0.35


class TwistStep(DeformStep):
    """Turned about an axis through the centre, by half of `angle` to each side over a stretch of `length` metres (0:
    all of what it is about), easing off towards its ends."""

    facts: ClassVar[Facts] = _facts("Twist", "Lines and letters wring about an axis")
    kind: Literal["twist"] = "twist"
    about: Value[Literal["line", "vertical", "depth"]] = "line"
    angle: Value[Angle] = 180.0
    length: Value[Length] = 0.0


class WaveStep(DeformStep):
    """Crests of a `height` that travel from the centre `speed` metres a second from `start` on: one, one after the
    other a `width` apart, or endless ones, which are there before it too. The larger `narrow`, the narrower a crest.
    They travel along the line or up, and lift up, to the front or along."""

    in_frames: ClassVar[tuple[str, ...]] = ("start",)
    facts: ClassVar[Facts] = _facts("Wave", "Crests run through the letters")
    kind: Literal["wave"] = "wave"
    centre: LetterPivot = LetterPivot(about="block", place="left")
    travels: Value[Literal["right", "left", "up", "down"]] = "right"
    lifts: Value[Literal["up", "front", "along"]] = "up"
    crests: Value[Literal["one", "many", "endless"]] = "many"
    width: Value[Size] = 2.0
    height: Value[Height] = 0.3
    narrow: Value[Annotated[float, Field(ge=0.5, le=20, allow_inf_nan=False)]] = 1.0
    speed: Value[Speed] = 3.0
    start: Value[FrameNumber] = 0.0


class WrapStep(DeformStep):
    """Laid around an upright drum, a level one or a globe of a `radius` behind the centre, around the globe of the
    stage as far from it as the centre is, or along a drawn `path` about the centre, by the share `wrapped`: at 0 it is
    straight. Distances along the line stay. The globe of the stage is met in the block, whatever the space."""

    facts: ClassVar[Facts] = _facts("Wrap", "Lines lie around a drum, a globe or a drawn path, and straighten")
    kind: Literal["wrap"] = "wrap"
    centre: LetterPivot = LetterPivot(about="block", place="baseline")
    onto: Value[Literal["drum", "roller", "globe", "stage", "path"]] = "drum"
    radius: Value[Annotated[float, Field(ge=0.05, le=10_000, allow_inf_nan=False)]] = 2.0
    wrapped: Value[Share] = 1.0
    path: DrawnPath = DrawnPath(points=[(-3.0, 0.0), (-1.2, 0.9), (1.2, 0.2), (3.0, 0.5)])


class RippleStep(DeformStep):
    """Lifted by smooth noise with features of a `size` and about a `height`, which changes `speed` times a second from
    one pattern to the next; with `loop` above 0 it is the same again after so many frames."""

    in_frames: ClassVar[tuple[str, ...]] = ("loop",)
    facts: ClassVar[Facts] = _facts("Ripple", "Letters heave as cloth or water does")
    kind: Literal["ripple"] = "ripple"
    lifts: Value[Literal["up", "front", "along"]] = "front"
    size: Value[Size] = 0.8
    height: Value[Height] = 0.15
    speed: Value[Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)]] = 1.0
    loop: Annotated[int, Field(ge=0, le=limits.FRAMES)] = 0
    seed: int = Field(default=1, ge=0, le=1_000_000)


class BlastStep(DeformStep):
    """Driven `outward` from the centre by so many metres, less within a `core` about it, and by a share `rough` of that
    unevenly, in features of a `size`; another way for each letter."""

    facts: ClassVar[Facts] = _facts("Blast", "Letters burst outward, and come together")
    kind: Literal["blast"] = "blast"
    space: Literal["letter", "block", "world"] = "letter"
    centre: LetterPivot = LetterPivot(about="letter")
    outward: Value[Height] = 0.6
    core: Value[Size] = 0.3
    rough: Value[Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]] = 1.0
    size: Value[Size] = 0.35
    seed: int = Field(default=1, ge=0, le=1_000_000)


def point_zones(step: DeformStep) -> int:
    """How many zones every point of a letter may feel by itself."""
    if step.scope in ("letter", "word", "line", "block"):
        return 0
    return sum(isinstance(reach, Zone) for reach in step.reaches)


AnyDeform: TypeAlias = BendStep | CurlStep | TwistStep | WaveStep | WrapStep | RippleStep | BlastStep
