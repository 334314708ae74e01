"""The step that fills letters with gas."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.kinds import Facts, Share
from moss_crown.core.document.motion import Cadence, Reach, ReachingStep
from moss_crown.core.document.values import Ease, Value


class InflateStep(ReachingStep):
    """Letters above it are balloons: at a reach of 0 they are empty and as they were, at 1 they are full. Steps above
    it and below move them as they are then.

    Gas of a `pressure` fills them (1 is that of a party balloon). The material is `stretch` like rubber, 0 for foil
    that does not get longer, bends the less the `stiff`er it is, and has so much more cloth than its seams, the share
    `wrinkles`, which makes those: with a `seam` along the borders of front and rear, or without any. Letters are held
    to their own shape as strongly as `hold` says, and weigh something with a `weight`.

    Letters of a block that `touch` push each other aside, and none goes into floor or wall where `grounds` are felt.
    A letter's mesh is `fine`, or coarse for work at speed.
    """

    facts: ClassVar[Facts] = Facts(
        title="Inflate",
        about="Letters swell like balloons of foil or rubber, with seams and wrinkles",
        work="motion",
        column="move",
        moves=True,
        by_letter=True,
    )
    kind: Literal["inflate"] = "inflate"
    scope: Value[Literal["letter", "word", "line", "block"]] = "letter"
    reaches: list[Reach] = Field(
        default=[Cadence(way="leave", start=6.0, delay=3.0, duration=26.0, ease=Ease(leave=(0.3, 0.0)))],
        max_length=limits.REACHES,
    )
    beyond: Value[bool] = False
    pressure: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 1.0
    stretch: Value[Share] = 0.0
    stiff: Value[Share] = 0.1
    wrinkles: Value[Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]] = 0.12
    seam: Literal["borders", "none"] = "borders"
    hold: Value[Share] = 0.0
    weight: Value[Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]] = 0.0
    touch: bool = True
    grounds: bool = True
    fine: Literal["coarse", "usual", "fine"] = "usual"
