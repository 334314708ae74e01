"""The step that gives letters their form."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import Field, field_validator

from moss_crown.core.document.kinds import Channel, Facts, Share, StepBase
from moss_crown.core.document.letters import Weight
from moss_crown.core.document.values import Model, Value

CurvePoint: TypeAlias = tuple[Channel, Channel]


class EdgeProfile(Model):
    """The cross-section between return and face: `width` along the face, `height` along the depth, in metres; or, with
    `of_stem`, as shares of the width of a stem, so that light letters keep a face and heavy ones a bevel.

    `curve` holds the points of a drawn profile as shares of width and height, from the return to the face. It runs
    inward, or it always rises and may turn back outward: an undercut.
    """

    profile: Value[Literal["square", "chamfer", "roundover", "cove", "ogee", "step", "bead", "rim", "drawn"]] = (
        "roundover"
    )
    width: Value[Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]] = 0.03
    height: Value[Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]] = 0.03
    of_stem: Value[bool] = False
    segments: Value[Annotated[int, Field(ge=1, le=24)]] = 5
    curve: list[CurvePoint] = Field(
        default=[(0.0, 0.0), (0.1, 0.55), (0.45, 0.6), (0.55, 0.9), (1.0, 1.0)], min_length=2, max_length=32
    )

    @field_validator("curve")
    @classmethod
    def inward_or_upward(cls, curve: list[CurvePoint]) -> list[CurvePoint]:
        """A drawn profile goes inward all the way, or upward all the way. Raises ValueError."""
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
    """Letters drawn by tubes along their outline, or along the strokes of an emblem. Metres and shares of a length.

    Of several `rows` the first is `offset` outward of the line, each further one by a `gap` more; those beside the
    first wear the material of the rear. A contour is there from the share `first` of its length to the share `last`,
    counted from `start`.
    """

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

    facts: ClassVar[Facts] = Facts(
        title="Depth and bevel",
        about="How deep letters are, and what their edges look like",
        work="form",
        column="title",
    )
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
