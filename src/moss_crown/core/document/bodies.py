"""The step that makes rigid bodies of letters or of their pieces."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from moss_crown.core.document.kinds import Facts, FrameNumber, Share, StepBase, Turn3, Vec3
from moss_crown.core.document.motion import Delay
from moss_crown.core.document.values import Value


class BodiesStep(StepBase):
    """Letters of blocks above it, or their pieces, fall, meet and come to rest as rigid bodies, on floor, wall and what
    else the stage has. What the steps above it do is what they are designed to do: until the frame `start` they do just
    that, and with `delay` one is let go so many frames after the other in an `order`; or with `wakes` touch each when
    something that moves freely meets it. Then each keeps its speed, and with `follow` it is drawn to where the design
    has it: 0 not at all, 1 as hard as may be.

    Going `backward` they are where the design has them from `start` on, and before that come there as if what would
    follow were seen from its end: they fly in and come whole.

    `gravity` and `wind` pull, in metres a square second. Bodies are let go with the speeds `thrown` and `spun` (metres
    and degrees a second), `chance` the share of chance in both, and a `blow` of so many metres a second away from
    `blow_place`, half as strong `blow_reach` metres from there. `density` (kilogrammes a cubic metre), `bounce` and
    `friction` are those of all bodies; they are taken at the start.
    """

    in_frames: ClassVar[tuple[str, ...]] = ("start", "delay")
    facts: ClassVar[Facts] = Facts(
        title="Bodies",
        about="Letters or pieces fall, collide and come to rest",
        work="motion",
        column="move",
        moves=True,
    )
    kind: Literal["bodies"] = "bodies"
    of: Literal["letter", "piece"] = "letter"
    start: Value[FrameNumber] = 10.0
    order: Value[Literal["reading", "reverse", "centre_out", "edges_in", "shuffled"]] = "reading"
    shuffle: int = Field(default=1, ge=0, le=1_000_000)
    delay: Value[Delay] = 0.0
    wakes: Literal["time", "touch"] = "time"
    backward: bool = False
    follow: Value[Share] = 0.0
    gravity: Value[Vec3] = (0.0, -9.81, 0.0)
    wind: Value[Vec3] = (0.0, 0.0, 0.0)
    thrown: Value[Vec3] = (0.0, 0.0, 0.0)
    spun: Value[Turn3] = (0.0, 0.0, 0.0)
    chance: Value[Share] = 0.3
    blow: Value[Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]] = 0.0
    blow_place: Value[Vec3] = (0.0, 0.3, 0.6)
    blow_reach: Value[Annotated[float, Field(ge=0.01, le=100, allow_inf_nan=False)]] = 1.0
    density: Value[Annotated[float, Field(ge=1, le=20_000, allow_inf_nan=False)]] = 300.0
    bounce: Value[Share] = 0.25
    friction: Value[Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)]] = 0.6
    seed: int = Field(default=1, ge=0, le=1_000_000)
