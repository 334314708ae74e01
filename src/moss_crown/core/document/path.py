"""A path that lines are laid along: a curve through points, or a part of an emblem."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.kinds import Identity, Share, Size, Vec2
from moss_crown.core.document.values import Model, Value


class DrawnPath(Model):
    """A curve through `points` (metres, in the plane of the type), or with an `emblem` the outline or stroke of its
    part number `part`, as high as `height`. With `fit` it is scaled until the longest line fills it. The middle of a
    line lies `at` this share of its length; `below` it runs on the other side, the other way round.
    """

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
