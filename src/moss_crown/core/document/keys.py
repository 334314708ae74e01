"""Keys moved, scaled, reversed, copied, pasted and spread; a shot at another frame rate. Each as a JSON Patch.

Keys are told by the JSON pointer of their value and by their frame.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from typing import Any

import jsonpatch

from moss_crown.core.document.door import Patch
from moss_crown.core.document.kinds import FrameRate
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Ease, Formula, Keyed, Link, Model, members
from moss_crown.core.errors import DocumentInvalid

DECIMALS = 4


def value_at(shot: Shot, path: str) -> Any:
    """The value at a JSON pointer. Raises DocumentInvalid."""
    node: Any = shot
    for part in path.split("/")[1:]:
        found = {str(name): member for name, member in members(node)}
        if part not in found:
            raise DocumentInvalid(path, "a value of the shot", "there is no such value")
        node = found[part]
    return node


def move_keys(
    shot: Shot,
    chosen: Mapping[str, Sequence[float]],
    by: float = 0.0,
    scale: float = 1.0,
    about: float | None = None,
    reverse: bool = False,
    copy: bool = False,
) -> Patch:
    """Move the chosen keys (frames by pointer): reversed in their range, scaled about a frame, then shifted.

    They take the place of keys on which they land; with `copy` the old ones stay. Raises DocumentInvalid.
    """
    frames = [f for some in chosen.values() for f in some]
    if not frames:
        return []
    first, last = min(frames), max(frames)
    pivot = first if about is None else about

    def moved(frame: float) -> float:
        here = first + last - frame if reverse else frame
        return round(pivot + (here - pivot) * scale + by, DECIMALS)

    patch: Patch = []
    for path, some in chosen.items():
        value = value_at(shot, path)
        if not isinstance(value, Keyed):
            raise DocumentInvalid(path, "a value with keys", "it has no keys")
        keys = [key.model_dump(mode="json") for key in value.keys]
        taken = [k for k in keys if k["frame"] in some]
        if len(taken) != len(set(some)):
            raise DocumentInvalid(path, "frames of its keys", "there is no key at one of these frames")
        turned = _turned(taken) if reverse else taken
        new = [key | {"frame": moved(frame)} for key, frame in zip(turned, [k["frame"] for k in taken], strict=True)]
        left = keys if copy else [k for k in keys if k["frame"] not in some]
        patch.append(_put(path, value, _merged(path, left, new)))
    return patch


def _turned(keys: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Keys run backward: the ease between two of them belongs to the later one then, mirrored."""
    found = []
    for k, key in enumerate(keys):
        way = keys[k - 1] if k else key
        ease = way["ease"]
        (x1, y1), (x2, y2) = ease["leave"], ease["arrive"]
        mirrored = {"leave": [1 - x2, 1 - y2], "arrive": [1 - x1, 1 - y1]}
        found.append(key | {"ease": mirrored, "hold": way["hold"], "press": -way["press"]})
    return found


def paste_keys(
    shot: Shot, keys: Sequence[Mapping[str, Any]], paths: Sequence[str], frame: float, reverse: bool, delay: float
) -> Patch:
    """Put keys on values, the first one at `frame`, for each further value `delay` frames later. Raises
    DocumentInvalid."""
    if not keys:
        raise DocumentInvalid("keys", "at least 1", "there are no keys to paste")
    plain: dict[str, Any] = {"ease": Ease().model_dump(mode="json"), "hold": False, "press": 0.0}
    raw = [plain | dict(key) for key in keys]
    first, last = raw[0]["frame"], raw[-1]["frame"]
    if reverse:
        raw = [key | {"frame": first + last - key["frame"]} for key in reversed(_turned(raw))]
    patch: Patch = []
    for number, path in enumerate(paths):
        value = value_at(shot, path)
        at = frame + number * delay
        new = [key | {"frame": round(key["frame"] - first + at, DECIMALS)} for key in raw]
        old = [key.model_dump(mode="json") for key in value.keys] if isinstance(value, Keyed) else []
        patch.append(_put(path, value, _merged(path, old, new)))
    return patch


def _merged(path: str, old: list[dict[str, Any]], new: list[dict[str, Any]]) -> list[dict[str, Any]]:
    by_frame = {key["frame"]: key for key in old}
    fresh = {key["frame"]: key for key in new}
    if len(fresh) < len(new):
        raise DocumentInvalid(path, "one key a frame", "two keys would stand at one frame")
    return [key for _, key in sorted((by_frame | fresh).items())]


def _put(path: str, value: Any, keys: list[dict[str, Any]]) -> dict[str, Any]:
    around = value.model_dump(mode="json") if isinstance(value, Keyed) else {}
    return {"op": "replace", "path": path, "value": around | {"keys": keys}}


def retimed(shot: Shot, fps: FrameRate, keep: str) -> Patch:
    """A change of frame rate that keeps "frames", or "seconds": then every frame of the document moves along.

    Seconds of formulas stay by themselves; what a formula says by frames it says by frames.
    """
    patch: Patch = [{"op": "replace", "path": "/fps", "value": fps.model_dump(mode="json")}]
    factor = fps.fraction / shot.fps.fraction
    if keep == "frames" or factor == 1:
        return patch

    def scaled(frame: float) -> float:
        return round(float(Fraction(frame) * factor), DECIMALS)

    first = round(shot.first * factor)
    last = max(round((shot.last + 1) * factor) - 1, first)
    patch += [{"op": "replace", "path": "/first", "value": first}, {"op": "replace", "path": "/last", "value": last}]
    for index, marker in enumerate(shot.markers):
        _rescale(marker, f"/markers/{index}", scaled, patch)
    _rescale(shot.beats, "/beats", scaled, patch)
    for index, step in enumerate(shot.steps):
        _rescale(step, f"/steps/{index}", scaled, patch)
        if step.aside is not None:
            other = type(step).model_validate({**step.aside, "id": step.id})
            moved: Patch = []
            _rescale(other, "", scaled, moved)
            raw = other.model_dump(mode="json", exclude={"id", "version", "aside"})
            value = jsonpatch.apply_patch(raw, moved)
            patch.append({"op": "replace", "path": f"/steps/{index}/aside", "value": value})
    return patch


def _rescale(node: Any, path: str, scaled: Callable[[float], float], patch: Patch, counts: bool = False) -> None:
    """Every frame below a node; what it `counts` itself are frames too: links and formulas of those stay."""
    if isinstance(node, Keyed):
        value = node.model_dump(mode="json")
        for key in value["keys"]:
            key["frame"] = scaled(key["frame"])
            if counts:
                key["value"] = scaled(key["value"])
        patch.append({"op": "replace", "path": path, "value": value | {"spread": scaled(node.spread)}})
    elif counts and isinstance(node, Mapping):
        for name, member in node.items():
            _rescale(member, f"{path}/{name}", scaled, patch, True)
    elif counts:
        if not isinstance(node, Formula | Link):
            patch.append({"op": "replace", "path": path, "value": scaled(node)})
    else:
        counted = node.in_frames if isinstance(node, Model) else ()
        for name, member in members(node):
            _rescale(member, f"{path}/{name}", scaled, patch, name in counted)
