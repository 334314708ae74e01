"""What older versions of the document looked like: each function takes a raw document one version on."""

from __future__ import annotations

from typing import Any


def form_edges(document: dict[str, Any]) -> dict[str, Any]:
    """Version 1 had one edge for front and rear, as wide as high, in three members of the form step."""
    steps = document["steps"]
    return {
        **document,
        "version": 2,
        "steps": [_form_edge(s) if isinstance(s, dict) and s.get("kind") == "form" else s for s in steps]
        if isinstance(steps, list)
        else steps,
    }


def _form_edge(step: dict[str, Any]) -> dict[str, Any]:
    kept = {name: value for name, value in step.items() if name not in ("profile", "bevel", "segments")}
    edge: dict[str, Any] = {name: step[name] for name in ("profile", "segments") if name in step}
    if "bevel" in step:
        edge |= {"width": step["bevel"], "height": step["bevel"]}
    return {**kept, "front": edge} if edge else kept


def drive_reaches(document: dict[str, Any]) -> dict[str, Any]:
    """Version 2 had one cadence a drive, in the member `reach`."""
    steps = document["steps"]
    return {
        **document,
        "version": 3,
        "steps": [_drive(s) if isinstance(s, dict) and s.get("kind") == "drive" else s for s in steps]
        if isinstance(steps, list)
        else steps,
    }


def _drive(step: dict[str, Any]) -> dict[str, Any]:
    kept = {name: value for name, value in step.items() if name != "reach"}
    return {**kept, "reaches": [{"kind": "cadence", **step["reach"]}]} if isinstance(step.get("reach"), dict) else kept
