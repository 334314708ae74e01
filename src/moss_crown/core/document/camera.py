"""The camera."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.kinds import Degrees, Facts, Identity, Share, StepBase, Vec2, Vec3
from moss_crown.core.document.values import Model, Value


class Subject(Model):
    """A block, or one letter of it by its place in reading order (0 is the first)."""

    block: Identity
    letter: Annotated[int, Field(ge=0, le=limits.LETTERS_A_BLOCK)] | None = None


class CameraStep(StepBase):
    """The shot camera. With `fit` above 0 it stands where the title at rest takes that share of the frame's width
    (or 0.69 of that of its height), seen from `orbit` (degrees to the right, degrees up); with 0 it stands at `place`.
    `shift` moves the title in the frame, as shares of its width and height.

    `sensor` is the width of what the lens throws its picture on, in millimetres. `roll` leans the camera to its right,
    in degrees. `overscan` adds that share of the frame all around. `drift` is how much a hand that holds it sways (1:
    by a hundredth of the distance and half a degree), `drift_tempo` how often a second.

    The `shutter` is open for so many degrees of a frame's 360; the middle of that is `shutter_phase` degrees after the
    frame.

    `opening` is the width of the lens's opening in metres, 0 for a picture sharp throughout; with `blades` of 3 or more
    it is a polygon. What is `focus` metres away is sharp, 0 for the middle of the title. `exposure` is in stops; light
    of `white` kelvin turns out white.

    It moves with the subject that it should `follow`, as far as that is away from where it is at the end, by
    `follow_share` of it. With `focus_on` the lens stays sharp on that subject, wherever it goes.
    """

    facts: ClassVar[Facts] = Facts(
        title="Camera",
        about="Who looks, from where, and with what lens",
        work="camera",
        column="cam",
        once=True,
        needed=True,
    )
    kind: Literal["camera"] = "camera"
    lens: Value[Annotated[float, Field(ge=4, le=1_000, allow_inf_nan=False)]] = 42.0
    sensor: Value[Annotated[float, Field(ge=1, le=200, allow_inf_nan=False)]] = 36.0
    fit: Value[Share] = 0.8
    roll: Value[Degrees] = 0.0
    overscan: Value[Share] = 0.0
    drift: Value[Annotated[float, Field(ge=0, le=20, allow_inf_nan=False)]] = 0.0
    drift_tempo: Value[Annotated[float, Field(ge=0.01, le=20, allow_inf_nan=False)]] = 0.5
    orbit: Value[tuple[Degrees, Degrees]] = (0.0, 4.0)
    shift: Value[Vec2] = (0.0, -0.02)
    place: Value[Vec3] = (0.0, 1.2, 12.0)
    aim: Value[Vec3] = (0.0, 0.5, 0.0)
    shutter: Value[Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)]] = 180.0
    shutter_phase: Value[Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]] = 0.0
    opening: Value[Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]] = 0.0
    focus: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 0.0
    blades: Value[Annotated[int, Field(ge=0, le=12)]] = 0
    follow: Subject | None = None
    follow_share: Value[Share] = 1.0
    focus_on: Subject | None = None
    exposure: Value[Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]] = 0.0
    white: Value[Annotated[float, Field(ge=1_000, le=15_000, allow_inf_nan=False)]] = 6500.0
