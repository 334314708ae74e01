"""The door of the document: raw JSON in, a valid shot or one clear error out."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping, Sequence
from copy import copy
from typing import Any, TypeAlias

import jsonpatch
import jsonpointer
from pydantic import ValidationError

from moss_crown.core import limits
from moss_crown.core.document.history import drive_reaches, form_edges
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.motion import GroupStep
from moss_crown.core.document.plain import check_plain, check_size, size_of
from moss_crown.core.document.shot import VERSION, Shot
from moss_crown.core.document.values import Keyed, moving
from moss_crown.core.errors import DocumentInvalid, DocumentTooNew, NotAShot, TooMany

UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: form_edges, 2: drive_reaches}
"""Upgrade n takes a raw document of version n to version n + 1."""

BOUNDS = {
    "greater_than": "above {gt}",
    "greater_than_equal": "at least {ge}",
    "less_than": "below {lt}",
    "less_than_equal": "at most {le}",
    "finite_number": "a finite number",
    "string_too_long": "at most {max_length} characters",
    "string_too_short": "at least {min_length} character",
    "too_long": "at most {max_length}",
    "too_short": "at least {min_length}",
    "literal_error": "{expected}",
    "extra_forbidden": "a known member",
}
"""What each kind of complaint asks for, in words."""

TAGS = {"constant", "keys", "formula", "link"}
MEMBER = re.compile(r"([a-z_]+): ")


Patch: TypeAlias = list[dict[str, Any]]
"""A JSON Patch (RFC 6902)."""


def read_shot(raw: Any) -> Shot:
    """Validate a raw document, upgrading an old version first.

    Raises NotAShot, DocumentTooNew, DocumentInvalid, FormulaInvalid, LinkInvalid, LinkLoop, LinkTooLong or TooMany.
    """
    if not isinstance(raw, Mapping):
        raise NotAShot("its top level is not an object")
    check_plain(raw)
    return _read_plain(raw)


def _read_plain(raw: Mapping[str, Any]) -> Shot:
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or "steps" not in raw:
        raise NotAShot("it has no version and steps")
    if version > VERSION:
        raise DocumentTooNew(version, VERSION)
    if version < 1:
        raise DocumentInvalid("version", "at least 1", f"there is no version {version}")
    document = dict(raw)
    while version < VERSION:
        document = UPGRADES[version](document)
        version += 1
    try:
        shot = Shot.model_validate(document)
    except ValidationError as invalid:
        raise first_error(invalid, document) from None
    if size_of(raw) * GROWTH + len(shot.steps) * A_STEP > limits.DOCUMENT_BYTES:
        check_size(len(shot.model_dump_json().encode()))
    check(shot)
    return shot


GROWTH, A_STEP = 40, 8_000
"""A document gets at most so many times as large, and so many bytes for each step, when all that it leaves out is
filled in. It is measured so only where that could be too large: that takes as long as reading it."""


def read_shot_json(text: str | bytes) -> Shot:
    """The same from JSON text; Not-a-number and infinities, which JSON does not know, are refused."""
    if len(text) > limits.FILE_BYTES:
        raise TooMany("file", "bytes", len(text), limits.FILE_BYTES)
    try:
        raw = json.loads(text, parse_constant=_refuse_constant)
    except (ValueError, RecursionError):
        raise NotAShot("it is not readable as JSON") from None
    return read_shot(raw)


def _refuse_constant(name: str) -> float:
    raise ValueError(name)


def write_shot(shot: Shot) -> dict[str, Any]:
    """A shot as a document of the present version: plain values, as JSON has them."""
    return shot.model_dump(mode="json")


def patched(document: Mapping[str, Any], patch: Sequence[Mapping[str, Any]]) -> Shot:
    """What a JSON Patch (RFC 6902) makes of a valid document.

    Raises DocumentInvalid for a patch that does not fit, and whatever `read_shot` raises for its result.
    """
    check_patch(patch)
    try:
        after = changed(document, patch)
    except UNFIT:
        try:
            # It may speak of members that are younger than the document.
            after = changed(write_shot(read_shot(document)), patch)
        except UNFIT as wrong:
            path = next((str(op.get("path", "")) for op in patch if isinstance(op, Mapping)), "")
            bound = "a JSON Patch that fits this revision"
            raise DocumentInvalid(path, bound, f"the edit does not fit: {wrong}") from None
    return _read_plain(after)  # what was added to a valid document is checked to be plain


OPERATIONS: dict[str, frozenset[str]] = {
    "add": frozenset({"op", "path", "value"}),
    "remove": frozenset({"op", "path"}),
    "replace": frozenset({"op", "path", "value"}),
    "move": frozenset({"op", "path", "from"}),
    "copy": frozenset({"op", "path", "from"}),
    "test": frozenset({"op", "path", "value"}),
}
"""The members of each operation (RFC 6902, 4), all of them required."""
POINTER_LENGTH = 1_000


def check_patch(patch: Sequence[Mapping[str, Any]]) -> None:
    """Are these operations of a JSON Patch, with the members that they have and no others? Raises DocumentInvalid or
    TooMany; the field is the place in the patch."""
    if len(patch) > limits.PATCH_OPERATIONS:
        raise TooMany("patch", "operations", len(patch), limits.PATCH_OPERATIONS)
    for index, operation in enumerate(patch):
        place = f"/patch/{index}"
        if not isinstance(operation, Mapping):
            raise DocumentInvalid(place, "an operation of a JSON Patch", "the edit does not fit: it is no object")
        name = operation.get("op")
        known = OPERATIONS.get(name) if isinstance(name, str) else None
        if known is None:
            raise DocumentInvalid(f"{place}/op", ", ".join(OPERATIONS), "the edit does not fit: no such operation")
        if lacking := sorted(known - set(operation)):
            raise DocumentInvalid(f"{place}/{lacking[0]}", "a member", f"the edit does not fit: {name} lacks it")
        if further := [member for member in operation if member not in known]:
            shown = str(further[0])[:60]
            raise DocumentInvalid(f"{place}/{shown}", "a known member", f"{name} has no member of that name")
        for member in ("path", "from"):
            if member not in known:
                continue
            given = operation[member]
            if not isinstance(given, str) or len(given) > POINTER_LENGTH:
                raise DocumentInvalid(f"{place}/{member}", "a JSON pointer", "the edit does not fit: no JSON pointer")
        check_plain(operation, place)


UNFIT = (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, KeyError, TypeError, ValueError)


def changed(document: Any, patch: Sequence[Mapping[str, Any]]) -> Any:
    """What a JSON Patch makes of any JSON, which stays as it is; what the patch does not touch the two share. Raises
    what jsonpatch raises for one that does not fit, and TooMany as soon as the result would be too large."""
    size = size_of(document)
    for asked in patch:
        operation = dict(asked)
        # Before it is done: a few copies of a thing into itself would fill any memory.
        size += _added(document, operation)
        check_size(size)
        copied = operation.get("op") == "copy"
        if copied:
            value = jsonpointer.resolve_pointer(document, operation["from"])
            operation |= {"op": "add", "value": None}
        for pointer in (operation.get("path"), operation.get("from")):
            document = _copied(document, pointer)
        document = jsonpatch.apply_patch(document, [operation], in_place=True)
        if copied:
            document = _with(document, operation["path"], value)
    return document


def _with(document: Any, pointer: str, value: Any) -> Any:
    """A document with a value in the place of what was just added at a pointer. The value is shared, not copied:
    whatever is changed later is copied along its path first."""
    parts = jsonpointer.JsonPointer(pointer)
    if not parts.parts:
        return value
    above, name = parts.to_last(document)
    above[-1 if isinstance(above, list) and parts.parts[-1] == "-" else name] = value
    return document


def _added(document: Any, operation: Mapping[str, Any]) -> int:
    """How many bytes an operation may add to a document at most."""
    if operation.get("op") in ("add", "replace"):
        return size_of(operation.get("value"))
    if operation.get("op") == "copy":
        return size_of(jsonpointer.resolve_pointer(document, operation["from"]))
    return 0


def _copied(document: Any, pointer: Any) -> Any:
    """A document that shares everything with another but what lies along a JSON pointer."""
    document = copy(document)
    here = document
    for part in str(pointer or "").split("/")[1:]:
        name: Any = part.replace("~1", "/").replace("~0", "~")
        if isinstance(here, list):
            name = int(name) if name.isdecimal() and int(name) < len(here) else None
        elif not isinstance(here, dict) or name not in here:
            name = None
        if name is None:
            break
        here[name] = copy(here[name])
        here = here[name]
    return document


def apply_patch(shot: Shot, patch: Sequence[Mapping[str, Any]]) -> tuple[Shot, list[dict[str, Any]]]:
    """Apply a JSON Patch. Answers the new shot and the patch that undoes it. Raises as `patched` does."""
    before = write_shot(shot)
    new = patched(before, patch)
    inverse: list[dict[str, Any]] = jsonpatch.make_patch(write_shot(new), before).patch
    return new, inverse


def first_error(invalid: ValidationError, document: Any) -> DocumentInvalid:
    """The first complaint, its place as a JSON pointer and its bound in words."""
    error = invalid.errors(include_url=False)[0]
    field = pointer(error["loc"], document)
    context = error.get("ctx", {})
    bound = BOUNDS.get(error["type"], "{error}" if "error" in context else error["msg"])
    reason = error["msg"].removeprefix("Value error, ")
    if named := MEMBER.match(reason):  # a rule of a whole model says which member breaks it
        field, reason = f"{field}/{named[1]}", reason[named.end() :]
    return DocumentInvalid(field, bound.format(**context), reason)


def pointer(location: Sequence[str | int], document: Any) -> str:
    """Pydantic's location as a JSON pointer into the document: union tags name no member and are dropped."""
    parts: list[str] = []
    here = document
    for part in location:
        index = part if isinstance(part, int) else -1
        if isinstance(here, Mapping) and part in here:
            here = here[part]
        elif isinstance(here, list | tuple) and 0 <= index < len(here):
            here = here[index]
        elif isinstance(here, Mapping) and part not in TAGS and part != here.get("kind"):
            here = None
        elif here is not None:
            continue
        parts.append(str(part))
    return "".join(f"/{part}" for part in parts)


def check(shot: Shot) -> None:
    """How many keys and letters a shot may have. Raises TooMany or DocumentInvalid."""
    keys = 0
    for path, value in moving(shot):
        keys += len(value.keys) if isinstance(value, Keyed) else 0
        if keys > limits.KEYS_A_SHOT:
            raise TooMany(path, "keys in all", keys, limits.KEYS_A_SHOT)
    letters = 0
    many = copies_of(shot)
    for index, step in enumerate(shot.steps):
        if isinstance(step, BlockStep):
            for text in texts(step):
                count = sum(not character.isspace() for character in text)
                lines = text.count("\n") + 1
                if not text.strip():
                    raise DocumentInvalid(
                        f"/steps/{index}/text", "at least 1 letter", "a title needs at least one letter"
                    )
                if count > limits.LETTERS_A_BLOCK:
                    raise TooMany(f"/steps/{index}/text", "letters", count, limits.LETTERS_A_BLOCK)
                if lines > limits.LINES_A_BLOCK:
                    raise TooMany(f"/steps/{index}/text", "lines", lines, limits.LINES_A_BLOCK)
            own = max((sum(not c.isspace() for c in text) for text in texts(step)), default=0)
            letters += own * many[step.id]
    if letters > limits.LETTERS_A_SHOT:
        raise TooMany("/steps", "letters", letters, limits.LETTERS_A_SHOT)


def copies_of(shot: Shot) -> dict[str, int]:
    """How many there are at most of each block, by its id, with the copies that groups make."""
    many: dict[str, int] = {}
    inside: dict[str, set[str]] = {}
    for step in shot.steps:
        if isinstance(step, BlockStep | EmblemStep):
            many[step.id], inside[step.id] = 1, {step.id}
        elif isinstance(step, GroupStep):
            count = step.copies.count
            most = max(k.value for k in count.keys) if isinstance(count, Keyed) else count
            above = set().union(*inside.values())
            for block, names in inside.items():
                if step.holds(names, above):
                    many[block] *= 1 + (most if isinstance(most, int) else limits.COPIES)
                    names.add(step.id)
    return many


def texts(step: BlockStep) -> list[str]:
    """Every text a block shows in the course of a shot."""
    if isinstance(step.text, Keyed):
        return [key.value for key in step.text.keys]
    return [step.text] if isinstance(step.text, str) else []
