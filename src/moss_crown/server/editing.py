"""What the edit processes do: documents checked and changed. They load little: they are small, and soon there."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from moss_crown.core.assets import assets_of
from moss_crown.core.document.binding import value_paths
from moss_crown.core.document.door import OPERATIONS, Patch, apply_patch, patched, read_shot, read_shot_json, write_shot


@dataclass(frozen=True, slots=True)
class Edited:
    """A document as an edit made it, the patch that undoes that (empty when nothing changed), and the assets that it
    names, each with the first place that does."""

    document: dict[str, Any]
    inverse: Patch
    assets: dict[str, str]


def edited(document: dict[str, Any], patch: Patch) -> Edited:
    new, inverse = apply_patch(read_shot(document), patch)
    return Edited(write_shot(new), inverse, assets_of(new))


def stepped(document: dict[str, Any], patch: Patch) -> dict[str, Any]:
    """A document after an entry of its history, forward or back."""
    known = [{name: op[name] for name in OPERATIONS[op["op"]] if name in op} for op in patch]
    return write_shot(patched(document, known))


def brought_in(raw: bytes) -> Edited:
    """A shot file."""
    shot = read_shot_json(raw)
    return Edited(write_shot(shot), [], assets_of(shot))


def renewed(document: dict[str, Any]) -> dict[str, Any]:
    """A document of the present version."""
    return write_shot(read_shot(document))


def as_file(document: dict[str, Any]) -> bytes:
    """A shot file: a document of the present version, for people to read."""
    return json.dumps(renewed(document), indent=1, ensure_ascii=False).encode()


def named_values(document: dict[str, Any]) -> list[str]:
    """Every value that a formula or a link of this document may name."""
    return list(value_paths(read_shot(document)))
