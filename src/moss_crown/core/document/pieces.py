"""The step that cuts letters into pieces and lets them fly."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.kinds import Degrees, Facts, Finite, Share, Turn3, Vec2, Vec3
from moss_crown.core.document.motion import Passage, Pivot, Reach, ReachingStep
from moss_crown.core.document.path import DrawnPath
from moss_crown.core.document.values import Value


class PiecesStep(ReachingStep):
    """Letters above it are cut into pieces, which then move one by one: by what this step does at full strength, and by
    all drives and shivers that act by piece. While none of its pieces is away a letter is whole.

    A letter is `cut` into chunks of its solid, a shell of its surface so `thick` (cap heights), strips, bricks, rays
    from a `point` (cap heights from the middle of the baseline), or along a drawn `line`. There are about `number`
    pieces of a letter, or, counted `by` size, pieces about `size` cap heights large; `even` ones are alike. Strips and
    bricks are turned by `angle` degrees. Each letter is cut by itself, or the cuts go `through` the whole block. Of
    several such steps the last one says how letters are cut.

    Pieces go `outward` from a `centre`, so many metres, and by `move`; `spread` is the share of chance in where each
    goes, `bow` how far aside of its way it is half way. They turn by `turn` about their own middles, `spin` the share
    of chance in that, and get `scale` times as large, with `sizes` the share of chance. With `drift` (metres a second)
    they go on as long as they are away.
    """

    facts: ClassVar[Facts] = Facts(
        title="Pieces",
        about="Letters break into pieces that fly apart and come back by one value",
        work="motion",
        column="move",
        moves=True,
        by_letter=True,
    )
    kind: Literal["pieces"] = "pieces"
    cut: Value[Literal["chunks", "shell", "strips", "bricks", "rays", "line"]] = "chunks"
    by: Value[Literal["number", "size"]] = "number"
    number: Value[Annotated[int, Field(ge=1, le=limits.PIECES_A_LETTER)]] = 24
    size: Value[Annotated[float, Field(ge=0.02, le=20, allow_inf_nan=False)]] = 0.25
    even: Value[Share] = 1.0
    angle: Value[Degrees] = 0.0
    through: Value[bool] = False
    point: Value[Vec2] = (0.0, 0.5)
    thick: Value[Annotated[float, Field(ge=0.001, le=1, allow_inf_nan=False)]] = 0.04
    line: DrawnPath = DrawnPath(points=[(-0.6, 0.35), (-0.2, 0.6), (0.2, 0.4), (0.6, 0.65)])
    seed: int = Field(default=1, ge=0, le=1_000_000)
    scope: Value[Literal["piece", "letter", "word", "line", "block"]] = "piece"
    reaches: list[Reach] = Field(default=[Passage()], max_length=limits.REACHES)
    centre: Pivot = Pivot(place="baseline")
    outward: Value[Finite] = 1.0
    move: Value[Vec3] = (0.0, 0.35, 0.6)
    turn: Value[Turn3] = (160.0, 120.0, 0.0)
    scale: Value[Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]] = 1.0
    spread: Value[Share] = 0.35
    spin: Value[Share] = 1.0
    sizes: Value[Share] = 0.0
    bow: Value[Vec3] = (0.0, 0.0, 0.0)
    drift: Value[Vec3] = (0.0, 0.0, 0.0)

    @property
    def cuts(self) -> list[Value[object]]:
        """What decides which pieces there are."""
        by = [self.on, self.cut, self.by, self.number, self.size, self.even, self.angle, self.through]
        return [*by, self.point, self.thick, self.line.emblem, self.line.part, self.line.height]
