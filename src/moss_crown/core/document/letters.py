"""Steps that bring letters: blocks of lettering and emblems, and how chosen letters differ from the rest."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self, TypeAlias

from pydantic import Field, field_validator, model_validator

from moss_crown.core import limits
from moss_crown.core.document.kinds import (
    Degrees,
    Facts,
    Identity,
    Scale3,
    Size,
    StepBase,
    Text,
    Turn3,
    Vec3,
)
from moss_crown.core.document.path import DrawnPath
from moss_crown.core.document.values import Model, Value

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
        """A stretch lies within the text that it was chosen in. Raises ValueError."""
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
        """Are all letters of all blocks meant?"""
        return self.by == "all" and not self.blocks


PART = "\N{BLACK SQUARE}"


class Baseline(DrawnPath):
    """How lines run: straight, on an arc in the plane of the type, around an upright drum, or along a drawn path.

    `radius` in metres, below 0 for the inside. `start` turns the text onward. `spread` gives each letter of a line an
    equal share of the whole turn, or of the path; `upright` letters do not lean.
    """

    kind: Value[Literal["straight", "arc", "drum", "path"]] = "straight"
    radius: Value[Annotated[float, Field(ge=-1_000, le=1_000, allow_inf_nan=False)]] = 6.0
    start: Value[Degrees] = 0.0
    spread: Value[bool] = False
    upright: Value[bool] = False


class BlockStep(StepBase):
    """Lines of lettering. The origin is the middle of the last line's baseline; text lies in XY and faces +Z.

    `size` is the cap height; `tracking` is in thousandths of an em; `leading` is the distance of baselines in
    cap heights. `axes` are places on the family's variable axes; `features` are OpenType features by tag, 0 for off.
    `width` is what "justify" and "fill" reach, 0 for the widest line. Patterns act in their order, then overrides.
    """

    facts: ClassVar[Facts] = Facts(
        title="Title",
        about="A line of lettering, or several",
        work="letter",
        column="title",
        added_as="Block of lettering",
        letters=True,
        held=True,
        looks=True,
        needed=True,
    )
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
        """A constant text has a letter that is seen. Raises ValueError."""
        if isinstance(text, str) and not text.strip():
            raise ValueError("a title needs at least one letter that is not a space")
        return text


class EmblemStep(StepBase):
    """A drawing of the production, whose parts act as letters. `size` is its height; it stands on its origin."""

    facts: ClassVar[Facts] = Facts(
        title="Emblem",
        about="A drawing, each part a letter",
        work="letter",
        column="title",
        letters=True,
        held=True,
        looks=True,
    )
    kind: Literal["emblem"] = "emblem"
    emblem: Value[Identity]
    size: Value[Size] = 1.0
    own_colours: Value[bool] = False
    move: Value[Vec3] = (0.0, 0.0, 0.0)
    turn: Value[Turn3] = (0.0, 0.0, 0.0)
    scale: Value[Scale3] = (1.0, 1.0, 1.0)
