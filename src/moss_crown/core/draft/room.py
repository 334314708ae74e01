"""What the draft asks the surroundings of a place by: the stage, the lamps and the environment as they stand."""

from __future__ import annotations

from typing import Annotated, Literal, TypeAlias

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.look import EnvironmentSource
from moss_crown.core.document.values import Model

_Number = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
_Bright = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]
_Share = Annotated[float, Field(ge=0, le=1)]
_Three: TypeAlias = tuple[_Number, _Number, _Number]
_Sent: TypeAlias = tuple[_Bright, _Bright, _Bright]


class Ground(Model):
    """A flat sheet by its middle and half edges, a line (height, depth) drawn out `half` across to both sides, or a
    globe; with its material."""

    colour: _Sent
    metal: _Share = 0.0
    roughness: _Share = 1.0
    ior: Annotated[float, Field(ge=1, le=3)] = 1.0
    glow: _Sent = (0.0, 0.0, 0.0)
    centre: _Three = (0.0, 0.0, 0.0)
    u: _Three | None = None
    v: _Three | None = None
    radius: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = 0.0
    line: Annotated[tuple[tuple[_Number, _Number], ...], Field(max_length=256)] = ()
    half: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = 0.0


class Lamp(Model):
    """A lamp as the draft draws it: see `draft._lamp`."""

    kind: Literal["flat", "around", "sun"]
    centre: _Three
    normal: _Three
    radiance: _Sent
    area: _Bright
    spot: Annotated[float, Field(ge=0, le=4)] = 0.0
    soft: Annotated[float, Field(ge=0, le=1)] = 0.0
    limit: _Bright = 0.0
    u: _Three = (0.0, 0.0, 0.0)
    v: _Three = (0.0, 0.0, 0.0)


class Room(Model):
    """The stage, the lamps and the environment around a place."""

    place: _Three
    grounds: Annotated[list[Ground], Field(max_length=limits.STEPS)]
    lamps: Annotated[list[Lamp], Field(max_length=limits.STEPS * limits.LIGHTS)]
    preset: EnvironmentSource
    strength: _Bright
    turn: _Number
    tilt: tuple[_Number, _Number]
