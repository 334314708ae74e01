"""Bounds that a form is told of are those that the door of documents has."""

import copy

import pytest
from pydantic import ValidationError

from moss_crown.core.document.bounds import bounds_of
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.motion import DriveStep
from moss_crown.core.document.shot import KINDS, kind_of

NEEDED = {"emblem": {"emblem": "emblem-1"}}
LISTS = {"lights": {"lights": [{"name": "key"}]}, "drive": {"reaches": [{"kind": "swing"}, {"kind": "zone"}]}}


def raw_of(kind):
    step = kind.model_validate({"id": "x", **NEEDED.get(kind_of(kind), {}), **LISTS.get(kind_of(kind), {})})
    return step.model_dump(mode="json")


def put(raw, path, value):
    """The step with a value at a path of its bounds; None where it has nothing there to put it in."""
    raw = copy.deepcopy(raw)
    node = raw
    *way, name = path.split("/")[1:]
    for token in way:
        if isinstance(node, list):
            node = next((one for one in node if token in ("*", one.get("kind"))), None)
        else:
            node = node.get(token)
        if node is None:
            return None
    old = node.get(name)
    node[name] = [value] * len(old) if isinstance(old, list) else value
    return raw


def cases():
    """Of what a new step has by default."""
    for kind in KINDS:
        for path, bound in bounds_of(kind).items():
            for side, by in (("least", -1), ("most", 1)):
                if side in bound and put(raw_of(kind), path, 0) is not None:
                    yield pytest.param(kind, path, bound, side, by, id=f"{kind_of(kind)}{path} {side}")


@pytest.mark.parametrize(("kind", "path", "bound", "side", "by"), list(cases()))
def test_what_is_within_is_taken_and_what_is_beyond_is_not(kind, path, bound, side, by):
    inside = put(raw_of(kind), path, bound[side] + (0.01 if bound.get("above") and by < 0 else 0))
    kind.model_validate(inside)
    with pytest.raises(ValidationError):
        kind.model_validate(put(raw_of(kind), path, bound[side] + by))
    if bound.get("above"):
        with pytest.raises(ValidationError):
            kind.model_validate(put(raw_of(kind), path, bound["least"]))


def test_every_choice_is_taken_and_no_other():
    tried = 0
    for kind in KINDS:
        for path, bound in bounds_of(kind).items():
            if "choices" not in bound or path.endswith("/kind"):
                continue
            for value in bound["choices"]:
                if (raw := put(raw_of(kind), path, value)) is None:
                    continue
                kind.model_validate(raw)
                tried += 1
            with pytest.raises(ValidationError):
                kind.model_validate(put(raw_of(kind), path, "no such word") or {})
    assert tried > 100


def test_elements_are_named_by_their_kinds_and_ids_of_own_things_leave_the_choices():
    bounds = bounds_of(DriveStep)
    assert bounds["/reaches/swing/damping"] == {"least": 0.01, "most": 1}
    assert bounds["/offset/move"] == {"least": -1e5, "most": 1e5}
    environment = next(type(s) for s in new_shot().steps if s.kind == "environment")
    assert "overcast" in bounds_of(environment)["/preset"]["choices"]
