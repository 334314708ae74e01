"""What older versions of the document looked like: each function takes a raw document one version on."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Step = dict[str, Any]


def _onward(document: dict[str, Any], version: int, kind: str, change: Callable[[Step], Step]) -> dict[str, Any]:
    """The document as `version`, its steps of a kind changed. What is no list of steps the model will complain of."""
    steps = document["steps"]
    if isinstance(steps, list):
        steps = [change(s) if isinstance(s, dict) and s.get("kind") == kind else s for s in steps]
    return {**document, "version": version, "steps": steps}


def form_edges(document: dict[str, Any]) -> dict[str, Any]:
    """Version 1 had one edge for front and rear, as wide as high, in three members of the form step."""
    return _onward(document, 2, "form", _form_edge)


def _form_edge(step: Step) -> Step:
    kept = {name: value for name, value in step.items() if name not in ("profile", "bevel", "segments")}
    edge: Step = {name: step[name] for name in ("profile", "segments") if name in step}
    if "bevel" in step:
        edge |= {"width": step["bevel"], "height": step["bevel"]}
    return {**kept, "front": edge} if edge else kept


def drive_reaches(document: dict[str, Any]) -> dict[str, Any]:
    """Version 2 had one cadence a drive, in the member `reach`."""
    return _onward(document, 3, "drive", _drive)


def _drive(step: Step) -> Step:
    kept = {name: value for name, value in step.items() if name != "reach"}
    return {**kept, "reaches": [{"kind": "cadence", **step["reach"]}]} if isinstance(step.get("reach"), dict) else kept
