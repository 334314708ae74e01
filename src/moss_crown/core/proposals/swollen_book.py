"""Named motions of letters that swell like balloons."""

from __future__ import annotations

from moss_crown.core.document.inflate import InflateStep
from moss_crown.core.document.motion import Cadence, DriveStep, Everywhere, Offset, Pivot, ShiverStep
from moss_crown.core.document.values import Ease
from moss_crown.core.proposals.motion_page import EVEN, SOFT, Entry, Made, Wanted, Where, entry

FILLS = Ease(leave=(0.25, 0.1), arrive=(0.6, 1.0))


def _foil(w: Where) -> tuple[Wanted, ...]:
    """Of the form, where nothing else was chosen: slender letters are plumper balloons."""
    return (("form", "depth", round(0.16 * w.size, 4)), ("form", "corners", "round"))


def _puffer(w: Where) -> Made:
    """They come small, one after the other, and are blown up."""
    rises = DriveStep(
        id="comes",
        name="Comes up",
        reaches=[Cadence(start=w.at(0.1), delay=w.delay(0.12), duration=w.frames(0.9), ease=SOFT)],
        pivot=Pivot(place="baseline"),
        offset=Offset(move=(0.0, round(-0.3 * w.size, 3), 0.0), scale=(0.1, 0.1, 0.1)),
    )
    fills = Cadence(way="leave", start=w.at(0.45), delay=w.delay(0.12), duration=w.frames(0.8), ease=FILLS)
    return Made((rises, InflateStep(id="puffer", name="Puffer", reaches=[fills])), wants=_foil(w))


def _moored(w: Where) -> Made:
    """Full from the first frame on; each trembles by itself and tugs at where it is tied."""
    full = InflateStep(id="moored", name="Moored", reaches=[Everywhere()], hold=0.05)
    tugs = ShiverStep(
        id="tugs",
        name="Tugs",
        pivot=Pivot(place="baseline"),
        move=(0.0, round(0.012 * w.size, 4), 0.0),
        turn=(2.5, 3.0, 3.5),
        tempo=0.7,
        fade_in=0.0,
    )
    trembles = ShiverStep(id="trembles", name="Trembles", move=(0.0, 0.0, 0.0), turn=(0.4, 0.4, 0.5), tempo=5.0)
    return Made((full, tugs, trembles), wants=_foil(w))


def _let_out(w: Where) -> Made:
    """The gas goes out of one after the other, and off each darts."""
    delay = 0.14
    ends = w.leaving(1.3, delay)
    empties = Cadence(way="arrive", start=ends, delay=w.delay(delay), duration=w.frames(0.7), ease=EVEN)
    off = DriveStep(
        id="darts",
        name="Darts off",
        reaches=[
            Cadence(
                way="leave",
                start=round(ends + w.frames(0.25), 1),
                delay=w.delay(delay),
                duration=w.frames(1.05),
                ease=Ease(leave=(0.5, 0.0), arrive=(0.9, 0.7)),
            )
        ],
        offset=Offset(
            move=(0.0, round(2.6 * w.size, 3), round(1.2 * w.size, 3)), turn=(220.0, 140.0, 400.0), opacity=0.0
        ),
    )
    return Made((InflateStep(id="let-out", name="Let out", reaches=[empties]), off), wants=_foil(w))


def _slack_water(w: Where) -> Made:
    """Rubber letters that breathe with the tide, all together."""
    breath = {"formula": f"0.55 + 0.45 * sin(2.2 * (f - {w.first}) / {w.fps:g})"}
    full = InflateStep.model_validate(
        {
            "id": "breathes",
            "name": "Breathes",
            "reaches": [{"kind": "everywhere", "level": breath}],
            "stretch": 0.75,
            "wrinkles": 0.0,
            "stiff": 0.5,
            "seam": "none",
            "fine": "coarse",
        }
    )
    return Made((full,))


def swollen() -> list[Entry]:
    """The entries."""
    return [
        entry("puffer", "Puffer", "arrive", "letters come up small and are blown up like balloons", _puffer),
        entry("moored", "Moored balloons", "stay", "foil balloons that tremble and tug, each by itself", _moored),
        entry("breathing", "Breathing", "stay", "letters of rubber that swell and sink", _slack_water),
        entry("let-out", "Let out", "leave", "the gas goes out of balloons, and off they dart", _let_out),
    ]
