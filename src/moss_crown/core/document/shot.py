"""The shot: one title, as a document. The single source of truth for API, command line, files and front end.

A shot is a recipe: steps in the order of computation. A step acts on every block above it.
Lengths in metres, angles in degrees, colours scene-linear Rec.709, frames as numbers that may be fractional.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, TypeAlias, get_args

from pydantic import Field, model_validator

from moss_crown.core import limits
from moss_crown.core.document.become import BecomeStep
from moss_crown.core.document.binding import bind
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.deform import (
    BendStep,
    BlastStep,
    CurlStep,
    DeformStep,
    RippleStep,
    TwistStep,
    WaveStep,
    WrapStep,
    point_zones,
)
from moss_crown.core.document.form import FormStep
from moss_crown.core.document.inflate import InflateStep
from moss_crown.core.document.kinds import FrameNumber, FrameRate, Name, StepBase
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.look import EnvironmentStep, LightsStep, MaterialStep, StageStep
from moss_crown.core.document.motion import DriveStep, DrumStep, FollowStep, GroupStep, GrowStep, ShiverStep, SwapStep
from moss_crown.core.document.pieces import PiecesStep
from moss_crown.core.document.values import Exposed, Model

VERSION = 3


Step: TypeAlias = Annotated[
    BlockStep
    | EmblemStep
    | FormStep
    | DriveStep
    | FollowStep
    | DrumStep
    | SwapStep
    | ShiverStep
    | GrowStep
    | BendStep
    | CurlStep
    | TwistStep
    | WaveStep
    | WrapStep
    | RippleStep
    | BlastStep
    | InflateStep
    | PiecesStep
    | BodiesStep
    | BecomeStep
    | GroupStep
    | MaterialStep
    | EnvironmentStep
    | LightsStep
    | StageStep
    | CameraStep,
    Field(discriminator="kind"),
]

KINDS: tuple[type[StepBase], ...] = get_args(get_args(Step)[0])
"""Every kind of step, in the order in which a recipe usually has them."""


def kind_of(step: type[StepBase]) -> str:
    """The word for a kind of step in documents."""
    return str(step.model_fields["kind"].default)


class Marker(Model):
    """A frame that is worth a name."""

    in_frames: ClassVar[tuple[str, ...]] = ("frame",)
    frame: FrameNumber
    name: Annotated[str, Field(max_length=40)] = ""


class Beats(Model):
    """Beats of the music: `tempo` of them a minute, 0 for none, one at the frame `first`, with which a bar of so many
    begins."""

    in_frames: ClassVar[tuple[str, ...]] = ("first",)
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
        """What holds between steps: frames in order, ids once, and formulas and links tied to what they name. Raises
        ValueError."""
        if self.last < self.first:
            raise ValueError(f"last: the last frame ({self.last}) must not lie before the first ({self.first})")
        if self.last - self.first + 1 > limits.FRAMES:
            raise ValueError(f"last: a shot has at most {limits.FRAMES} frames")
        ids = [step.id for step in self.steps]
        if len(set(ids)) != len(ids):
            raise ValueError("steps: two steps share an id")
        for kind in KINDS:
            if kind.facts.once and sum(isinstance(step, kind) for step in self.steps) > 1:
                raise ValueError(f"steps: a shot has at most one {kind_of(kind)} step")
        if sum(isinstance(step, DeformStep) for step in self.steps) > limits.DEFORMERS:
            raise ValueError(f"steps: a shot has at most {limits.DEFORMERS} deformers")
        if sum(point_zones(step) for step in self.steps if isinstance(step, DeformStep)) > limits.POINT_ZONES:
            raise ValueError(f"steps: a shot has at most {limits.POINT_ZONES} zones that points feel")
        bind(self)
        return self

    @property
    def frames(self) -> range:
        """Its whole frames, the last one included."""
        return range(self.first, self.last + 1)

    @property
    def aspect(self) -> float:
        """How many times as wide as high the frame is seen."""
        return self.width * self.pixel_shape / self.height
