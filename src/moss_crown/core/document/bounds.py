"""The bounds and choices of a model's values, read off the model itself: what a form has to know before it asks."""

from __future__ import annotations

from collections.abc import Iterator
from types import UnionType
from typing import Annotated, Any, Literal, TypeAlias, Union, get_args, get_origin

from annotated_types import Ge, Gt, Le
from pydantic import BaseModel, Tag
from pydantic.fields import FieldInfo

from moss_crown.core.document.values import Formula, Keyed, Link

Bound: TypeAlias = dict[str, Any]
"""`least` and `most` of a number, or of each part of a vector, `above` where the least is out of bounds itself; `whole`
where it counts; `choices` among words."""


def bounds_of(model: type[BaseModel], path: str = "") -> dict[str, Bound]:
    """What bounds there are for the values of a model, by their JSON pointers.

    In the place of an index stands the kind of the element, where there are several kinds, else `*`. Members whose
    names are the user's, as the axes of a family, have none.
    """
    found: dict[str, Bound] = {}
    for name, field in model.model_fields.items():
        _read(field.annotation, list(field.metadata), f"{path}/{name}", found)
    return found


def _read(kind: Any, metadata: list[Any], path: str, found: dict[str, Bound]) -> None:
    kind, more = _bare(kind)
    metadata = [*more, *metadata]
    if get_origin(kind) in (Union, UnionType):
        constants = [member for member in get_args(kind) if not _is_other_way(member)]
        # Beside words to choose from there may be ids of the user's own things.
        said = [member for member in constants if _model(member) or get_origin(_bare(member)[0]) is Literal]
        if len(said) == 1 or len(constants) == 1:
            _read((said or constants)[0], metadata, path, found)
        return
    if model := _model(kind):
        found |= bounds_of(model, path)
    elif get_origin(kind) is list:
        (element,) = get_args(kind)
        for place, own in _elements(element):
            found |= bounds_of(own, f"{path}/{place}")
    elif get_origin(kind) is Literal:
        found[path] = {"choices": list(get_args(kind))}
    elif get_origin(kind) is tuple:
        parts = [_number(part, []) for part in get_args(kind) if part is not Ellipsis]
        if parts and parts[0] and all(part == parts[0] for part in parts):
            found[path] = parts[0]
    elif bound := _number(kind, metadata):
        found[path] = bound


def _bare(kind: Any) -> tuple[Any, list[Any]]:
    """A type without what is annotated to it, and that."""
    found: list[Any] = []
    while get_origin(kind) is Annotated:
        kind, *more = get_args(kind)
        found += more
    return kind, found


def _is_other_way(member: Any) -> bool:
    """Whether a member of a union is no constant, but keys, a formula, a link or nothing."""
    bare, metadata = _bare(member)
    if any(isinstance(m, Tag) and m.tag != "constant" for m in metadata):
        return True
    return bare is type(None) or (isinstance(bare, type) and issubclass(bare, Keyed | Formula | Link))


def _model(kind: Any) -> type[BaseModel] | None:
    bare, _ = _bare(kind)
    return bare if isinstance(bare, type) and issubclass(bare, BaseModel) else None


def _elements(element: Any) -> Iterator[tuple[str, type[BaseModel]]]:
    bare, _ = _bare(element)
    members = get_args(bare) if get_origin(bare) in (Union, UnionType) else (bare,)
    for member in members:
        if model := _model(member):
            yield (get_args(model.model_fields["kind"].annotation)[0] if len(members) > 1 else "*"), model


def _number(kind: Any, metadata: list[Any]) -> Bound:
    bare, more = _bare(kind)
    if bare not in (int, float):
        return {}
    found: Bound = {"whole": True} if bare is int else {}
    for one in _flat([*more, *metadata]):
        match one:
            case Ge(ge=least):
                found["least"] = least
            case Gt(gt=least):
                found |= {"least": least, "above": True}
            case Le(le=most):
                found["most"] = most
    return found


def _flat(metadata: list[Any]) -> Iterator[Any]:
    for one in metadata:
        if isinstance(one, FieldInfo):
            yield from one.metadata
        else:
            yield one
