"""Formulas and links tied to their shot: what kind of value each stands for, and what it asks for.

A formula by itself is a text. Once its shot is read it knows the frame rate, the seed, the bounds of its field and the
values that it names; whoever samples it later needs nothing else.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Annotated, Any, Literal, Protocol, TypeAlias, get_args, get_origin

from pydantic import BaseModel
from pydantic_core import PydanticUndefined

from moss_crown.core import limits
from moss_crown.core.document.formula import FormulaInvalid, circle, parsed, path_parts
from moss_crown.core.document.kinds import FrameRate, StepBase
from moss_crown.core.document.values import Formula, Keyed, Link, members, moving
from moss_crown.core.errors import LinkInvalid, LinkLoop, LinkTooLong, TooMany

Kind: TypeAlias = Literal["number", "switch", "choice", "text"]


@dataclass(frozen=True)
class Spec:
    """What a field takes: numbers (so many, 0 for one alone) between bounds, a switch, a choice, or a text."""

    kind: Kind
    size: int = 0
    low: float = -1e6
    high: float = 1e6
    whole: bool = False
    options: tuple[str, ...] = ()
    default: Any = None

    def takes(self, other: Spec) -> bool:
        """Can a link bring that kind of value here?"""
        if self.kind == "number":
            return other.kind in ("number", "switch") and other.size in (0, self.size)
        if self.kind == "switch":
            return other.kind in ("number", "switch") and other.size == 0
        return self.kind == other.kind or (self.kind == "text" and other.kind == "choice")


@dataclass(frozen=True)
class Source:
    """Another value of the shot, and which of its parts is meant (-1: all)."""

    value: Any
    spec: Spec
    part: int = -1


@dataclass(frozen=True)
class Bound:
    """What ties a formula or a link to its shot. It follows from the document: it counts for nothing in comparing."""

    path: str
    spec: Spec
    fps: float
    first: int
    seed: int
    of_letters: bool
    sources: dict[str, Source] = field(default_factory=dict)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Bound)

    def __hash__(self) -> int:
        return 0


class _Shot(Protocol):
    """What values are tied to of a shot, which is read after this."""

    @property
    def fps(self) -> FrameRate: ...
    @property
    def first(self) -> int: ...
    @property
    def seed(self) -> int: ...
    @property
    def steps(self) -> Sequence[StepBase]: ...


def bind(shot: _Shot) -> None:
    """Tie every formula and link of a shot to it. Raises FormulaInvalid, LinkInvalid, LinkLoop,
    LinkTooLong or TooMany."""
    if not any(isinstance(value, Formula | Link) for _, value in moving(shot)):
        return
    found = list(_values(shot))
    by_path = {path: (spec, value) for path, _, spec, value in found}
    asks: dict[str, tuple[str, ...]] = {}
    for path, pointer, spec, value in found:
        if not isinstance(value, Formula | Link):
            continue
        of_letters = _by_letter(shot, path)
        asked = [value.link] if isinstance(value, Link) else list(_formula(value, pointer, of_letters).asks)
        sources: dict[str, Source] = {}
        for name in asked:
            target, part = _target(name, by_path)
            if not target:
                raise LinkInvalid(pointer, name, "there is no such value")
            source = Source(by_path[target][1], by_path[target][0], part)
            given = Spec("number") if part >= 0 else source.spec
            if isinstance(value, Link) and not spec.takes(given):
                raise LinkInvalid(pointer, name, f"it is {_words(given)}, and this takes {_words(spec)}")
            sources[name] = source
            asks[path] = tuple(dict.fromkeys((*asks.get(path, ()), target)))
        value.tie(Bound(path, spec, float(shot.fps.fraction), shot.first, shot.seed, of_letters, sources))
    if loop := circle(asks):
        raise LinkLoop(loop)
    _bound_chains(asks, {path: pointer for path, pointer, _, _ in found})


def _bound_chains(asks: dict[str, tuple[str, ...]], pointers: dict[str, str]) -> None:
    """How deep and how widely values may ask for each other: each is worked out once for every question.

    asks: no circles. Raises LinkTooLong with the chain, or TooMany."""
    deepest: dict[str, str] = {}  # the next value on the longest chain from each
    length: dict[str, int] = {}
    upstream: dict[str, set[str]] = {}
    for path in _inner_first(asks):
        following = asks.get(path, ())
        length[path] = 1 + max((length[name] for name in following), default=0)
        if following:
            deepest[path] = max(following, key=lambda name: length[name])
        upstream[path] = set(following).union(*(upstream[name] for name in following))
        if length[path] > limits.CHAIN:
            chain = [path]
            while chain[-1] in deepest:
                chain.append(deepest[chain[-1]])
            raise LinkTooLong(pointers[path], chain, limits.CHAIN)
        if len(upstream[path]) > limits.ASKED:
            raise TooMany(pointers[path], "values asked for", len(upstream[path]), limits.ASKED)


def _inner_first(asks: dict[str, tuple[str, ...]]) -> Iterator[str]:
    """Every value that asks or is asked for, each after all those that it asks for."""
    done: set[str] = set()
    for start in asks:
        waiting = [(start, False)]
        while waiting:
            path, ready = waiting.pop()
            if path in done:
                continue
            if ready:
                done.add(path)
                yield path
            else:
                waiting.append((path, True))
                waiting += [(name, False) for name in asks.get(path, ())]


def _formula(value: Formula, pointer: str, of_letters: bool) -> Any:
    try:
        expression = parsed(value.formula)
    except FormulaInvalid as wrong:
        raise FormulaInvalid(wrong.reason, wrong.at, pointer) from None
    if expression.of_letters and not of_letters:
        raise FormulaInvalid("i, n, u, x, y and z are known where letters move: in drives and shivers", 0, pointer)
    return expression


def _by_letter(shot: _Shot, path: str) -> bool:
    id = path.split("/", 1)[0]
    return next((step.facts.by_letter for step in shot.steps if step.id == id), False)


def _target(name: str, by_path: dict[str, tuple[Spec, Any]]) -> tuple[str, int]:
    """The path of a value, and the part of it that is meant; an empty path for none."""
    parts = path_parts(name)
    whole = "/".join(parts)
    if whole in by_path:
        return whole, -1
    above = "/".join(parts[:-1])
    if above in by_path and parts[-1].isdecimal() and int(parts[-1]) < by_path[above][0].size:
        return above, int(parts[-1])
    return "", -1


def _words(spec: Spec) -> str:
    if spec.kind == "number":
        return f"{spec.size} numbers" if spec.size else "a number"
    return {"switch": "a switch", "choice": "a choice", "text": "a text"}[spec.kind]


def value_paths(shot: _Shot) -> dict[str, Spec]:
    """Every value of a shot that a link or a formula can name, and its kind."""
    return {path: spec for path, _, spec, _ in _values(shot)}


def _values(shot: _Shot) -> Iterator[tuple[str, str, Spec, Any]]:
    """Path by step id, JSON pointer, kind and value of every Value of a shot."""
    for index, step in enumerate(shot.steps):
        yield from _of_model(step, step.id, f"/steps/{index}")


def _of_model(model: BaseModel, path: str, pointer: str) -> Iterator[tuple[str, str, Spec, Any]]:
    for name in type(model).model_fields:
        member = getattr(model, name)
        spec = spec_of(type(model), name)
        here, there = f"{path}/{name}", f"{pointer}/{name}"
        if spec and isinstance(member, dict):
            for key, value in member.items():
                yield f"{here}/{key}", f"{there}/{key}", spec, value
        elif spec and member is not None:
            yield here, there, spec, member
        elif not spec:
            yield from _nested(member, here, there)


def _nested(member: Any, path: str, pointer: str) -> Iterator[tuple[str, str, Spec, Any]]:
    if isinstance(member, Keyed):
        return
    if isinstance(member, BaseModel):
        yield from _of_model(member, path, pointer)
    elif isinstance(member, list):
        for name, part in members(member):
            yield from _nested(part, f"{path}/{name}", f"{pointer}/{name}")


@lru_cache(maxsize=2048)
def spec_of(model: type[BaseModel], name: str) -> Spec | None:
    """The kind of a model's field when that is a Value, or a dictionary of them."""
    info = model.model_fields[name]
    constant = _constant(info.annotation)
    if constant is None:
        return None
    default = info.default if info.default is not PydanticUndefined else None
    plain = not isinstance(default, BaseModel | dict)
    return _spec(constant, default if plain else None)


def _constant(annotation: Any) -> Any:
    """The constant kind of `Value[kind]`, or None when the annotation is no Value."""
    for part in (annotation, *get_args(annotation)):
        if part is type(None):
            continue
        args = get_args(part)
        if get_origin(part) is dict:
            return _constant(args[1])
        union = get_args(args[0]) if get_origin(part) is Annotated else args
        for choice in union:
            if get_origin(choice) is Annotated and any(getattr(m, "tag", "") == "constant" for m in get_args(choice)):
                return choice
    return None


def _spec(kind: Any, default: Any) -> Spec:
    low, high, whole, size = -1e6, 1e6, False, 0
    options: list[str] = []
    found: Kind | None = None

    def look(part: Any) -> None:
        nonlocal low, high, whole, size, found
        origin = get_origin(part)
        if origin is Annotated:
            for note in get_args(part)[1:]:
                for rule in getattr(note, "metadata", [note]):
                    low = max(low, _least(rule))
                    high = min(high, _most(rule))
            look(get_args(part)[0])
        elif origin is tuple:
            size = len(get_args(part))
            look(get_args(part)[0])
        elif origin is Literal:
            found = found or "choice"
            options.extend(str(o) for o in get_args(part))
        elif origin is not None:
            for choice in get_args(part):
                look(choice)
        elif part is bool:
            found = "switch"
        elif part in (int, float):
            found, whole = "number", part is int
        elif part is str:
            # Also for a choice that takes identities of one's own besides, such as an environment or a picture.
            found = "text"

    look(kind)
    return Spec(found or "text", size, low, high, whole, tuple(options), default)


def _least(rule: Any) -> float:
    above = getattr(rule, "gt", None)
    if above is not None:
        return float(above) + 1e-6
    least = getattr(rule, "ge", None)
    return -1e6 if least is None else float(least)


def _most(rule: Any) -> float:
    below = getattr(rule, "lt", None)
    if below is not None:
        return float(below) - 1e-6
    most = getattr(rule, "le", None)
    return 1e6 if most is None else float(most)
