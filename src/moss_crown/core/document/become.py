"""The step by which one block becomes another."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.kinds import Facts, Share, Turn3, Vec3
from moss_crown.core.document.motion import Passage, Reach, ReachingStep
from moss_crown.core.document.values import Value


class BecomeStep(ReachingStep):
    """A block or emblem above it, `what`, becomes another, `into`: without names the first two above it. At a reach of
    0 all is what it was, and nothing of the other is there; at 1 the other is there. Blocks that are cut do so piece by
    piece, others letter by letter.

    Each piece flies to the place of one that it is `matched` with: that which lies where it does in its own block, the
    same one in reading order, one that is as large among its own, or any by chance; where one block has more, several
    share one. On its way it gets as large as that, and half way it is that. It flies aside by `bow` half way, with so
    much chance (`spread`) in that, and turns by `turn`, with `spin` the share of chance.
    """

    facts: ClassVar[Facts] = Facts(
        title="Becomes",
        about="One block or emblem turns into another, piece by piece",
        work="motion",
        column="move",
        moves=True,
    )
    kind: Literal["become"] = "become"
    scope: Value[Literal["piece", "letter", "word", "line", "block"]] = "piece"
    reaches: list[Reach] = Field(default=[Passage(each=0.5)], max_length=limits.REACHES)
    beyond: Value[bool] = False
    what: Annotated[str, Field(max_length=40, pattern=r"^[a-z0-9_-]*$")] = ""
    into: Annotated[str, Field(max_length=40, pattern=r"^[a-z0-9_-]*$")] = ""
    matched: Literal["place", "order", "size", "chance"] = "place"
    bow: Value[Vec3] = (0.0, 0.25, 0.6)
    spread: Value[Share] = 0.5
    turn: Value[Turn3] = (120.0, 180.0, 0.0)
    spin: Value[Share] = 0.6
    seed: int = Field(default=1, ge=0, le=1_000_000)
