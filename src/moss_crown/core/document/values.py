"""Values: what any number, vector, colour, switch, choice or text of a shot can be.

In JSON a constant is the bare thing (`0.3`, `[0, 1, 0]`, `"left"`); the other kinds are objects told apart by
their one defining member: `{"keys": [...]}`, `{"formula": "..."}`, `{"link": "..."}`.
"""

from __future__ import annotations

import hashlib
import re
from itertools import pairwise
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Generic, Literal, TypeAlias, TypeVar, get_args, get_origin

from pydantic import BaseModel, ConfigDict, Discriminator, Field, PrivateAttr, Tag, field_validator

from moss_crown.core.limits import KEYS_A_VALUE

T_co = TypeVar("T_co", covariant=True)

FRAME_BOUND = 1_000_000.0
Frame = Annotated[float, Field(ge=-FRAME_BOUND, le=FRAME_BOUND, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Height = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]
Handle: TypeAlias = tuple[Share, Height]


class Model(BaseModel):
    """The document is frozen and closed: an unknown member is an error, not a surprise."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)
    in_frames: ClassVar[tuple[str, ...]] = ()
    """Its members that count frames: they change with the frame rate."""


class Ease(Model):
    """A cubic Bezier from (0, 0) to (1, 1): `leave` and `arrive` are its two handles.

    The first number of a handle is a share of the time, so that time never folds back; the second is a share of
    the change and may overshoot. (1/3, 1/3) and (2/3, 2/3) are straight.
    """

    leave: Handle = (0.4, 0.0)
    arrive: Handle = (0.35, 1.0)


def short_name(kind: Any) -> str:
    """A short, stable name for a bounded type, for the schemas that the front end's types come from."""
    base = get_args(kind)[0] if get_origin(kind) is Annotated else kind
    origin = get_origin(base) or base
    plain = origin.__name__ if isinstance(origin, type) else str(origin).rsplit(".", 1)[-1]
    word = re.sub(r"\W", "", plain).capitalize()
    return f"{word}{hashlib.sha256(repr(kind).encode()).hexdigest()[:4]}"


class Key(Model, Generic[T_co]):
    """A value at a frame. `ease` shapes the way to the next key; with `hold` the value stays until then.

    `press` brings the peak of speed on that way earlier (below 0) or later. A `smooth` key passes its frame at a speed
    that follows from its neighbours, without overshoot; it takes the place of the handles on both of its sides.
    """

    frame: Frame
    value: T_co
    ease: Ease = Ease()
    hold: bool = False
    press: Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)] = 0.0
    smooth: bool = False

    @classmethod
    def model_parametrized_name(cls, params: tuple[Any, ...]) -> str:
        return f"Key{short_name(params[0])}"


Outside: TypeAlias = Literal["hold", "repeat", "repeat_onward", "there_and_back", "carry_on"]
Exposed: TypeAlias = Annotated[int, Field(ge=1, le=24)]
"""For how many frames a picture stands: 1 is on ones, 2 on twos, 3 on threes."""


class Keyed(Model, Generic[T_co]):
    """Keys in order of their frames, no two at one frame; `before` and `after` say what happens outside them.

    `repeat_onward` begins each round where the one before ended. `exposed` holds each value for that many frames. Where
    letters have values of their own, each has its keys `spread` frames after the one before; below 0 from the last
    letter to the first.
    """

    keys: list[Key[T_co]] = Field(min_length=1, max_length=KEYS_A_VALUE)
    before: Outside = "hold"
    after: Outside = "hold"
    exposed: Exposed = 1
    spread: Annotated[float, Field(ge=-1_000, le=1_000, allow_inf_nan=False)] = 0.0

    @classmethod
    def model_parametrized_name(cls, params: tuple[Any, ...]) -> str:
        return f"Keyed{short_name(params[0])}"

    @field_validator("keys")
    @classmethod
    def in_order(cls, keys: list[Key[T_co]]) -> list[Key[T_co]]:
        """Keys come in the order of their frames, no two on one. Raises ValueError."""
        for earlier, later in pairwise(keys):
            if later.frame <= earlier.frame:
                raise ValueError(f"keys must rise in frame, but {later.frame:g} follows {earlier.frame:g}")
        return keys


class Tied(Model):
    """A value that says how it is worked out. Reading a shot ties it to that shot; see `binding`."""

    _bound: Any = PrivateAttr(default=None)

    def tie(self, bound: Any) -> None:
        self._bound = bound

    @property
    def bound(self) -> Any:
        """What ties it to its shot. Raises RuntimeError for one that was never read with a shot."""
        if self._bound is None:
            raise RuntimeError("a formula or link has no shot")
        return self._bound


class Formula(Tied):
    """An expression over letters and time: see `formula`."""

    formula: str = Field(max_length=2_000)


class Link(Tied):
    """Another value times a factor plus an offset, by its path: the id of a step, then members, `camera/lens`."""

    link: str = Field(max_length=400)
    factor: Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)] = 1
    offset: Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)] = 0


def members(node: Any) -> list[tuple[str | int, Any]]:
    """What a model, a list or a dictionary of the document holds, by name or index; empty for anything else."""
    if isinstance(node, BaseModel):
        return list(node.__dict__.items())  # where Pydantic keeps fields: every edit walks the whole document
    if isinstance(node, dict):
        return list(node.items())
    return list(enumerate(node)) if isinstance(node, list) else []


_LEAVES = frozenset({float, int, str, bool, tuple, type(None)})


def moving(node: Any, path: str = "") -> list[tuple[str, Any]]:
    """Everything below a node that may change in time, by its JSON pointer from there: keys, formulas and links."""
    found: list[tuple[str, Any]] = []
    _find_moving(node, path, found)
    return found


def _find_moving(node: Any, path: str, found: list[tuple[str, Any]]) -> None:
    if isinstance(node, Keyed | Formula | Link):
        found.append((path, node))
        return
    for name, part in members(node):
        if type(part) not in _LEAVES:
            _find_moving(part, f"{path}/{name}", found)


def kind_of_value(raw: Any) -> str:
    """The tag of a raw or validated value."""
    if isinstance(raw, Keyed):
        return "keys"
    if isinstance(raw, Formula):
        return "formula"
    if isinstance(raw, Link):
        return "link"
    if isinstance(raw, dict):
        for kind in ("keys", "formula", "link"):
            if kind in raw:
                return kind
    return "constant"


if TYPE_CHECKING:
    Value: TypeAlias = T_co | Keyed[T_co] | Formula | Link
else:

    class Value:
        """`Value[T]`. Built by hand, since typing does not substitute inside a Pydantic class such as `Keyed[T]`."""

        def __class_getitem__(cls, kind: Any) -> Any:
            return Annotated[
                Annotated[kind, Tag("constant")]
                | Annotated[Keyed[kind], Tag("keys")]
                | Annotated[Formula, Tag("formula")]
                | Annotated[Link, Tag("link")],
                Discriminator(kind_of_value),
            ]


def straight() -> Ease:
    """An ease of even speed."""
    third = 1 / 3
    return Ease(leave=(third, third), arrive=(1 - third, 1 - third))
