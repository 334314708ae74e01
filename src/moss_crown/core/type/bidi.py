"""The order in which the letters of a line stand: the bidirectional algorithm for plain text.

Unicode Standard Annex 9, without explicit embeddings and isolates: their marks are dropped before a text gets here.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence
from typing import Literal, TypeAlias, TypeVar

Direction: TypeAlias = Literal["auto", "left_to_right", "right_to_left"]
T = TypeVar("T")


def base_level(text: str, direction: Direction) -> int:
    """0 for a line that runs to the right, 1 for one that runs to the left (rules P2 and P3 for "auto")."""
    if direction != "auto":
        return int(direction == "right_to_left")
    for character in text:
        kind = unicodedata.bidirectional(character)
        if kind in ("L", "R", "AL"):
            return int(kind != "L")
    return 0


def levels(text: str, base: int) -> list[int]:
    """The embedding level of every character of a line: even runs to the right, odd to the left."""
    own = "R" if base else "L"
    kinds = [unicodedata.bidirectional(character) or "L" for character in text]
    _weak(kinds, own)
    _neutral(kinds, own)
    found = []
    for kind in kinds:
        if base % 2 == 0:
            found.append(base + {"R": 1, "AN": 2, "EN": 2}.get(kind, 0))
        else:
            found.append(base + {"L": 1, "AN": 1, "EN": 1}.get(kind, 0))
    # L1: spaces at the end of a line stand at its base level.
    for k in range(len(text) - 1, -1, -1):
        if not text[k].isspace():
            break
        found[k] = base
    return found


def _weak(kinds: list[str], own: str) -> None:
    """Rules W1 to W7: marks, numbers and what stands between numbers."""
    strong = before = own
    for k in range(len(kinds)):
        if kinds[k] in ("NSM", "BN"):
            kinds[k] = before  # W1
        if kinds[k] in ("L", "R", "AL"):
            strong = kinds[k]
        elif kinds[k] == "EN" and strong == "AL":
            kinds[k] = "AN"  # W2
        before = kinds[k]
    kinds[:] = ["R" if kind == "AL" else kind for kind in kinds]  # W3
    for k in range(1, len(kinds) - 1):
        if kinds[k - 1] == kinds[k + 1] and (
            (kinds[k] in ("ES", "CS") and kinds[k - 1] == "EN") or (kinds[k] == "CS" and kinds[k - 1] == "AN")
        ):
            kinds[k] = kinds[k - 1]  # W4
    for k, kind in enumerate(kinds):
        if kind == "ET":
            end = next((j for j in range(k, len(kinds)) if kinds[j] != "ET"), len(kinds))
            if (k and kinds[k - 1] == "EN") or (end < len(kinds) and kinds[end] == "EN"):
                kinds[k] = "EN"  # W5
    strong = own
    for k, kind in enumerate(kinds):
        if kind in ("ES", "ET", "CS"):
            kinds[k] = "ON"  # W6
        elif kind in ("L", "R"):
            strong = kind
        elif kind == "EN" and strong == "L":
            kinds[k] = "L"  # W7


def _neutral(kinds: list[str], own: str) -> None:
    """Rules N1 and N2: what has no direction takes that of its surroundings, or the line's."""
    k = 0
    while k < len(kinds):
        if kinds[k] in ("L", "R", "EN", "AN"):
            k += 1
            continue
        end = next((j for j in range(k, len(kinds)) if kinds[j] in ("L", "R", "EN", "AN")), len(kinds))
        sides = {
            "L" if kind == "L" else "R"
            for kind in (kinds[k - 1] if k else own, kinds[end] if end < len(kinds) else own)
        }
        kinds[k:end] = [sides.pop() if len(sides) == 1 else own] * (end - k)
        k = end


def visual_order(runs: Sequence[tuple[int, T]]) -> list[T]:
    """Runs (level, item) in logical order -> items from left to right (rule L2)."""
    order = list(runs)
    for level in range(max((level for level, _ in order), default=0), 0, -1):
        k = 0
        while k < len(order):
            if order[k][0] < level:
                k += 1
                continue
            end = next((j for j in range(k, len(order)) if order[j][0] < level), len(order))
            order[k:end] = order[k:end][::-1]
            k = end
    return [item for _, item in order]
