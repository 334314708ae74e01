"""Light that is mended: what is proposed makes the picture better by what was asked for, and says what it does."""

from __future__ import annotations

import contextlib

import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.metering import metered, studied
from moss_crown.core.proposals import mending
from moss_crown.core.proposals.lighting import light_with
from moss_crown.core.proposals.mending import mend


def gloomy(**more):
    """Two letters under a low sun from one side, with next to no surroundings."""
    shot = new_shot(text="SE")
    shot = patched(write_shot(shot), light_with(shot, 72, "low_sun"))
    steps = {step.id: k for k, step in enumerate(shot.steps)}
    values = {"environment/strength": 0.05} | more
    patch = []
    for path, value in values.items():
        id, _, rest = path.partition("/")
        patch.append({"op": "replace", "path": f"/steps/{steps[id]}/{rest}", "value": value})
    return patched(write_shot(shot), patch)


def test_dark_letters_are_lifted():
    shot = gloomy()
    found = mend(shot, 72, "lift", threads=2)
    darkest = [min(one.level for one in seen.readings) for seen in (found.before, found.after)]
    assert darkest[1] > 1.3 * darkest[0]
    assert found.about
    patched(write_shot(shot), found.patch)


def test_outlines_are_set_apart():
    found = mend(gloomy(), 72, "separate", threads=2)
    reads = [sum(one.legible for one in seen.readings) for seen in (found.before, found.after)]
    assert reads[1] > reads[0]


def test_white_is_calmed():
    found = mend(gloomy(**{"lights/lights/0/power": 60_000.0}), 72, "calm", threads=2)
    white = [sum(one.clipped for one in seen.readings) for seen in (found.before, found.after)]
    assert white[1] < 0.8 * white[0]


def test_what_is_well_is_left():
    with pytest.raises(DocumentInvalid, match="no letter is white"):
        mend(new_shot(text="SE"), 72, "calm", threads=2)


def test_a_frame_without_letters_is_said():
    hidden = patched(write_shot(new_shot()), [{"op": "replace", "path": "/steps/0/on", "value": False}])
    with pytest.raises(DocumentInvalid, match="no letter is seen"):
        mend(hidden, 72, "lift")


def test_what_lights_would_bring_is_known_without_another_picture():
    """By the picture of each light's share: as a frame rendered with that power shows it."""
    shot = gloomy(**{"environment/strength": 0.6})
    study = studied(Evaluation(shot), 72, 200, 32, 2)
    steps = {step.id: k for k, step in enumerate(shot.steps)}
    changes = {f"/steps/{steps['environment']}/strength": (0.6, [len(study.lights) - 1])}
    first = 0
    for n, lamp in enumerate(shot.steps[steps["lights"]].lights):
        sources = range(first, first + round(lamp.stack))
        first = sources.stop
        changes[f"/steps/{steps['lights']}/lights/{n}/power"] = (lamp.power, sources)
    for path, (value, own) in changes.items():
        for factor in (0.4, 2.5):
            patch = [{"op": "replace", "path": path, "value": value * factor}]
            expected = metered(Evaluation(patched(write_shot(shot), patch)), 72, 200, 32, 2).readings
            found = study.under(dict.fromkeys(own, factor))
            assert [one.level for one in found] == pytest.approx([one.level for one in expected], rel=0.1)


def test_a_search_takes_no_longer_with_more_lamps(monkeypatch):
    shot = gloomy()
    steps = {step.id: k for k, step in enumerate(shot.steps)}
    lamp = write_shot(shot)["steps"][steps["lights"]]["lights"][0]
    many = [
        {"op": "add", "path": f"/steps/{steps['lights']}/lights/-", "value": lamp | {"name": f"sun {k}"}}
        for k in range(9)
    ]
    pictures = []
    real = mending.metered
    monkeypatch.setattr(mending, "metered", lambda *asked: pictures.append(1) or real(*asked))
    for own in (shot, patched(write_shot(shot), many)):
        pictures.clear()
        with contextlib.suppress(DocumentInvalid):
            mend(own, 72, "separate", threads=2)
        assert len(pictures) <= 10
