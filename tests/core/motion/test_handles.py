"""Levers of deformers stand where their values act."""

from __future__ import annotations

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, read_shot, write_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.motion.handles import handles

KINDS = ("bend", "curl", "twist", "wave", "wrap", "ripple", "blast")


def bent(kind, **more):
    raw = write_shot(new_shot(text="SEA"))
    steps = [step for step in raw["steps"] if step["kind"] != "drive"]
    return read_shot(raw | {"steps": [*steps[:2], {"id": "soft", "kind": kind, **more}, *steps[2:]]})


def handles_of(shot):
    of = Evaluation(shot)
    company = of.company(of.structure(shot.last), 0)
    return handles(company, shot.steps[2], float(shot.last))


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("space", ["letter", "block", "world"])
def test_each_lever_is_a_value_of_its_step(kind, space):
    shot = bent(kind, space=space)
    found = handles_of(shot)
    assert found.letter == (-1 if space == "world" else 0)
    assert found.levers
    for lever in found.levers:
        assert isinstance(getattr(shot.steps[2], lever.member), float)
        # It can be dragged: seen from the front it goes somewhere.
        assert np.linalg.norm(lever.way[:2]) > 1e-4


def test_the_length_of_a_bend_reaches_half_as_far_to_each_side():
    found = handles_of(bent("bend", length=2.0))
    (length,) = [lever for lever in found.levers if lever.member == "length"]
    assert length.base + 2.0 * length.way == pytest.approx(found.centre + [1.0, 0, 0], abs=1e-9)


def test_the_height_of_a_wave_is_where_its_crest_is():
    """A crest that stands at the centre lifts what is there to the lever's end."""
    shot = bent("wave", speed=0.0, crests="endless", height=0.4)
    found = handles_of(shot)
    (height,) = [lever for lever in found.levers if lever.member == "height"]
    assert height.base + 0.4 * height.way == pytest.approx(found.centre + [0, 0.4, 0], abs=1e-9)


@pytest.mark.parametrize("turn", [0.0, 40.0])
@pytest.mark.parametrize("about", ["letter", "block"])
def test_a_centre_set_where_it_stands_stays_there(about, turn):
    """Its own place, in cap heights, is the same place: taking hold of it moves nothing."""
    space = "letter" if about == "letter" else "block"
    shot = bent("wave", centre={"about": about, "place": "left"}, space=space)
    block = next(k for k, step in enumerate(shot.steps) if step.kind == "block")
    shot = patched(write_shot(shot), [{"op": "replace", "path": f"/steps/{block}/turn", "value": [0, 0, turn]}])
    found = handles_of(shot)
    own = [round(v, 6) for v in found.own.tolist()]
    moved = patched(
        write_shot(shot),
        [
            {"op": "replace", "path": "/steps/2/centre/place", "value": "own"},
            {"op": "replace", "path": "/steps/2/centre/own", "value": own},
        ],
    )
    after = handles_of(moved)
    assert after.centre == pytest.approx(found.centre, abs=1e-5)
    # And a cap height along its axes is one more of its numbers.
    farther = patched(
        write_shot(moved), [{"op": "replace", "path": "/steps/2/centre/own", "value": [own[0] + 1, *own[1:]]}]
    )
    beyond = handles_of(farther)
    assert beyond.centre - after.centre == pytest.approx(found.unit * found.axes[0], abs=1e-5)
