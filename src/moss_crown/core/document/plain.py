"""What any JSON from outside may be, whatever it says: texts that can be stored, no deeper and longer than a bound."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from moss_crown.core import limits
from moss_crown.core.errors import DocumentInvalid, TooMany


def check_plain(raw: Any, field: str = "") -> None:
    """Refuse what no document and no database can keep. Raises DocumentInvalid with the place as a JSON pointer.

    A null character and half of a surrogate pair are no text (RFC 8259, 8.2; PostgreSQL's `text` takes neither);
    beyond `limits.JSON_DEPTH` levels what reads on by recursion would end its process.
    """
    waiting: list[tuple[Any, str, int]] = [(raw, field, 0)]
    while waiting:
        node, place, depth = waiting.pop()
        if isinstance(node, str):
            if not storable(node):
                raise DocumentInvalid(_shown(place), "text without null characters and half characters", "no such text")
        elif isinstance(node, Mapping | list | tuple):
            if depth >= limits.JSON_DEPTH:
                bound = f"at most {limits.JSON_DEPTH} levels"
                raise DocumentInvalid(_shown(place), bound, "it is nested too deep")
            if isinstance(node, Mapping):
                for name, member in node.items():
                    if not isinstance(name, str) or not storable(name):
                        raise DocumentInvalid(_shown(place), "members with storable names", "no such name")
                    waiting.append((member, f"{place}/{name}", depth + 1))
            else:
                waiting += [(member, f"{place}/{index}", depth + 1) for index, member in enumerate(node)]


def storable(text: str) -> bool:
    """Is it text that UTF-8 and PostgreSQL can hold?"""
    if text.isascii():
        return "\0" not in text
    return "\0" not in text and not any("\ud800" <= character <= "\udfff" for character in text)


def _shown(place: str) -> str:
    """A place that can be said: names from outside may hold anything."""
    return place[:200].encode("utf-8", "replace").decode().replace("\0", "?")


def size_of(raw: Any) -> int:
    """Bytes of a JSON value, written compactly in UTF-8."""
    return len(json.dumps(raw, separators=(",", ":"), ensure_ascii=False).encode("utf-8", "surrogatepass"))


def check_size(count: int) -> None:
    """Raises TooMany for a document of so many bytes, as `size_of` counts them."""
    if count > limits.DOCUMENT_BYTES:
        raise TooMany("document", "bytes", count, limits.DOCUMENT_BYTES)
