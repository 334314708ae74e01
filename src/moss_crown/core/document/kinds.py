"""What all steps are made of: kinds of values with their bounds, and what is true of every step of a kind."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, Any, ClassVar, Literal, Self, TypeAlias

from pydantic import Field, ValidationError, model_validator

from moss_crown.core import limits
from moss_crown.core.document.values import Model, Value

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
        """Between 1 and 240 frames a second. Raises ValueError."""
        if not 1 <= self.fraction <= 240:
            raise ValueError("a frame rate lies between 1 and 240 frames a second")
        return self

    @property
    def fraction(self) -> Fraction:
        """Frames a second, exact."""
        return Fraction(self.numerator, self.denominator)


@dataclass(frozen=True)
class Facts:
    """What is true of every step of a kind; the front end has it too (`facts.ts`)."""

    title: str
    about: str
    """A line for whoever might add one."""
    work: Literal["letter", "form", "motion", "look", "camera"]
    """To which work it belongs: the recipe can be narrowed to one."""
    column: Literal["title", "move", "look", "env", "lamp", "cam"]
    """Of the sheet, where its keys stand."""
    added_as: str = ""
    """Its title in the list of what can be added, where that differs."""
    letters: bool = False
    """Does it bring letters?"""
    moves: bool = False
    """Does it move the letters of blocks above it?"""
    rests: bool = True
    """Do letters come to rest under it? What never does is left out when rest is looked for."""
    by_letter: bool = False
    """Can its values differ from letter to letter?"""
    held: bool = False
    """Can a group hold it?"""
    once: bool = False
    """Is there at most one in a shot?"""
    looks: bool = False
    """Does it decide how a frame looks, where its letters stand apart?"""
    needed: bool = False
    """Can it not be switched off in the recipe?"""


class StepBase(Model):
    """A step may have two versions, to compare: the one that is computed says which of them it is, the other is put
    `aside`, with all that a step has but an id and a version."""

    facts: ClassVar[Facts]

    id: Identity
    name: Annotated[str, Field(max_length=80)] = ""
    on: Value[bool] = True
    version: Literal["A", "B"] = "A"
    aside: dict[str, Any] | None = None

    @property
    def changes_letters(self) -> bool:
        """Does it decide which glyphs there are, so that letters can be others at every frame?"""
        return False

    @model_validator(mode="after")
    def could_be_taken_out(self) -> Self:
        """What is put aside is a step of the same kind that could stand in this place. Raises ValueError."""
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
