"""The motion book: named motions and rigs of our own, as sets of ordinary steps that fit any title.

An entry is made for a shot: seconds become its frames, cap heights its metres. What it sets can be opened and changed
like any step.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Literal, TypeAlias

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.deform import (
    AnyDeform,
    BendStep,
    BlastStep,
    CurlStep,
    LetterPivot,
    RippleStep,
    TwistStep,
    WaveStep,
    WrapStep,
)
from moss_crown.core.document.inflate import InflateStep
from moss_crown.core.document.kinds import Name, StepBase
from moss_crown.core.document.letters import EmblemStep
from moss_crown.core.document.motion import (
    Cadence,
    DriveStep,
    DrumStep,
    Everywhere,
    FollowStep,
    GroupStep,
    GrowStep,
    Noise,
    Offset,
    Pivot,
    Reach,
    ShiverStep,
    SwapStep,
    Swing,
    Zone,
)
from moss_crown.core.document.pieces import PiecesStep
from moss_crown.core.document.values import Ease, Formula, Model, straight
from moss_crown.core.proposals.broken_book import broken
from moss_crown.core.proposals.motion_page import EVEN, FALL, SOFT, Entry, Made, Wanted, Where, entry, one
from moss_crown.core.proposals.swollen_book import swollen
from moss_crown.core.type.ornaments import CORD, CORD_SHAPE, RAIL, RAIL_SHAPE

MotionStep: TypeAlias = (
    DriveStep
    | FollowStep
    | DrumStep
    | SwapStep
    | ShiverStep
    | GrowStep
    | AnyDeform
    | InflateStep
    | PiecesStep
    | BodiesStep
)
Patch: TypeAlias = list[dict[str, Any]]


class MotionSet(Model):
    """Motion steps that were kept under a name, as they stood in their shot."""

    version: Literal[1] = 1
    name: Name = "Motion"
    steps: list[MotionStep] = Field(min_length=1, max_length=limits.STEPS)


def _drive(
    id: str,
    name: str,
    reaches: Sequence[Reach],
    pivot: Pivot | None = None,
    scope: Literal["letter", "word", "line", "block"] = "letter",
    **offset: Any,
) -> DriveStep:
    return DriveStep(
        id=id,
        name=name,
        reaches=list(reaches),
        offset=Offset(**offset),
        pivot=pivot or Pivot(),
        scope=scope,
    )


def _arrive(w: Where, delay: float = 0.08, lasts: float = 0.9, start: float = 0.15, **more: Any) -> Cadence:
    fields: dict[str, Any] = {"ease": SOFT, **more}
    return Cadence(start=w.at(start), delay=w.delay(delay), duration=w.frames(lasts), **fields)


def _leave(w: Where, delay: float = 0.06, lasts: float = 0.8, **more: Any) -> Cadence:
    fields: dict[str, Any] = {"ease": SOFT, **more}
    start = w.leaving(lasts, delay)
    return Cadence(way="leave", start=start, delay=w.delay(delay), duration=w.frames(lasts), **fields)


def _spring(tempo: float, damping: float) -> FollowStep:
    return FollowStep(id="spring", tempo=tempo, damping=damping)


def _whole(w: Where, lasts: float, start: float = 0.15, **more: Any) -> Cadence:
    """All of a block at once."""
    fields: dict[str, Any] = {"ease": EVEN, **more}
    return Cadence(start=w.at(start), delay=0.0, duration=w.frames(lasts), **fields)


GLOWING: tuple[Wanted, ...] = (("material", "face/glow", 5.0), ("material", "edge/glow", 5.0))
"""What flickers has to glow."""
_NOW_AND_THEN = "rand(floor(f / 2) + 37 * i)"


def _flicker(w: Where, name: str, formula: str) -> DriveStep:
    """A drive of the glow by a formula, which is the user's to change."""
    return _drive("flicker", name, [Everywhere()], glow=Formula(formula=formula))


def _struck(w: Where, start: float, delay: float, lasts: float) -> str:
    """Dark until a letter's turn, then by fits and starts until it burns evenly."""
    begun = f"(f - {w.at(start):g} - {w.delay(delay):g} * i)"
    fits = f"(0.1 + 0.9 * ({_NOW_AND_THEN} < 0.5))"
    return f"({begun} >= 0) * mix({fits}, 1, smooth(0, {w.frames(lasts):g}, {begun}))"


def _dying(w: Where, delay: float, lasts: float, dark: float) -> str:
    """Even until a letter's turn, then by fits and starts until it goes out; all are dark for a while at the end."""
    since = f"(f - {w.leaving(lasts + dark, delay):g} - {w.delay(delay):g} * i)"
    fits = f"0.8 * ({_NOW_AND_THEN} < 0.5)"
    return f"mix(1, {fits}, smooth(0, {w.frames(lasts):g}, {since})) * ({since} < {w.frames(lasts):g})"


def _night_sign(w: Where) -> Made:
    tubes: tuple[Wanted, ...] = (
        ("form", "tubes/on", True),
        ("form", "tubes/width", round(0.045 * w.size, 4)),
        ("form", "tubes/height", round(0.045 * w.size, 4)),
    )
    grow = GrowStep(id="grow", name="Night sign", reaches=[_arrive(w, 0.12, 1.1, ease=EVEN)])
    return Made((grow, _flicker(w, "Strikes", _struck(w, 0.15, 0.12, 1.4))), wants=(*tubes, *GLOWING))


def _swung(w: Where, name: str, place: Any, about: Any = "letter", **more: Any) -> DriveStep:
    swing = Swing(
        start=w.at(0.15),
        delay=w.delay(more.pop("delay", 0.07)),
        tempo=more.pop("tempo", 1.1),
        damping=more.pop("damping", 0.12),
        settle=w.frames(more.pop("settle", 2.2)),
    )
    return _drive("swing", name, [swing], Pivot(about=about, place=place), **more)


def _wave(name: str, move: str, turn: str) -> Made:
    return one(_drive("wave", name, [Everywhere()], move=Formula(formula=move), turn=Formula(formula=turn)))


def _scatter(w: Where) -> Made:
    far = 3.0 * w.size
    move = f"({far:g} * (rand(i) - 0.5), {far:g} * (rand(i + 50) - 0.2), {far:g} * rand(i + 100))"
    turn = "(360 * (rand(i + 7) - 0.5), 360 * (rand(i + 17) - 0.5), 180 * (rand(i + 27) - 0.5))"
    reach = _arrive(w, 0.05, 1.3, order="shuffled", ease=EVEN)
    drive = _drive("scatter", "Driftwood", [reach], move=Formula(formula=move), turn=Formula(formula=turn))
    return one(drive)


def _sweep(w: Where) -> Made:
    wide = max(w.count, 3) * 0.75 * w.size
    keys = [
        {
            "frame": w.at(0.2),
            "value": [-wide, 0.5 * w.size, 0],
            "ease": {"leave": [1 / 3, 1 / 3], "arrive": [2 / 3, 2 / 3]},
        },
        {"frame": w.at(2.2), "value": [wide, 0.5 * w.size, 0]},
    ]
    zone = Zone.model_validate({"place": {"keys": keys}, "size": [0.15 * w.size] * 3, "run": 1.3 * w.size})
    lift = (0.0, 0.35 * w.size, 0.25 * w.size)
    return one(_drive("sweep", "Bow wave", [zone], move=lift, turn=(-18.0, 0.0, 0.0)))


def _turn_and_swap(w: Where) -> Made:
    return one(
        SwapStep(
            id="swap",
            name="Turn and swap",
            texts="\n".join(text.replace("\n", " | ") for text in w.texts[:-1]),
            start=w.at(0.4),
            turn=w.frames(0.9),
            hold=w.frames(0.7),
        )
    )


def _band(w: Where) -> Made:
    """Lines around a drum, each once more as often as it takes to close without a seam; the drum turns steadily."""
    words = " · ".join(" ".join(text.split()) for text in w.texts)
    times = max(2, math.ceil(14 / max(len(words), 1)))
    row = "   ".join([words] * times) + "   "
    cut = len(row) // 4
    text = "\n".join([row.rstrip(), (row[cut:] + row[:cut]).strip()])
    radius = round(0.64 * len(row) * w.size / (2 * math.pi), 3)
    keys = [
        {"frame": w.first, "value": [0, 0, 0], "ease": straight().model_dump()},
        {"frame": w.first + round(8 * w.fps), "value": [0, -360, 0]},
    ]
    baseline = {"kind": "drum", "radius": radius, "spread": True}
    turn = {"keys": keys, "before": "repeat_onward", "after": "repeat_onward"}
    # A block turns about its own origin, which is in front of the drum: its place makes up for that.
    angle = 'radians(value("{block}/turn/1"))'
    place = f"({radius:g} * sin({angle}), 0, {radius:g} * (cos({angle}) - 1))"
    return Made(
        (),
        (("text", text), ("baseline", baseline), ("turn", turn), ("move", {"formula": place}), ("leading", 1.6)),
    )


def _orbit(w: Where) -> Made:
    """A line goes around a globe; at the end its circle opens to a straight line."""
    a, b = w.at(1.6), w.at(2.8)
    radius = round(0.3 * w.count * w.size, 3)
    start = f"300 * (1 - smooth({w.first}, {b:g}, f))"
    # A radius of a kilometre, the most there is, is as good as straight.
    opening = f"min(1000, {radius:g} / max(0.002, 1 - smooth({a:g}, {b:g}, f)))"
    baseline = {"kind": "drum", "radius": {"formula": opening}, "start": {"formula": start}}
    return Made((), (("baseline", baseline),))


BROUGHT = "rig-"
"""So begin the ids of steps that a rig brings along beside the motion: they go when another motion takes its place."""
_THICK, _CLEAR = 0.07, 0.12
"""Of a rail, and of what is left below a sign, in cap heights."""
_SWING, _LEAST, _TEMPO = 38.0, 1.2, 0.85
"""Degrees at first and at last, and swings a second."""


def _hanging_sign(w: Where) -> Made:
    """The block and two cords swing as one about a rail; each swing is a key, smaller than the one before."""
    hangs = w.hangs()
    lift = max(0.0, _CLEAR * w.size - hangs.above) if w.place else 0.0
    rail = round(hangs.top + lift + 0.75 * w.size, 4)
    thick = round(_THICK * w.size, 4)
    deep = round(thick / max(hangs.deep, 1e-3), 4)
    middle = round(hangs.middle, 4)
    cords: list[StepBase] = []
    for number, (x, y) in enumerate(hangs.hooks, 1):
        long = rail - y - lift
        cords.append(
            EmblemStep(
                id=f"{BROUGHT}cord-{number}",
                name=f"Cord {number}",
                emblem=CORD,
                size=round(long, 4),
                move=(round(x, 4), round(y + lift, 4), round(hangs.z, 4)),
                scale=(max(0.05, round(0.55 * thick / (CORD_SHAPE * long), 4)), 1.0, deep),
            )
        )
    long = hangs.wide + 0.8 * w.size
    bar = EmblemStep(
        id=f"{BROUGHT}rail",
        name="Rail",
        emblem=RAIL,
        size=thick,
        move=(middle, rail, round(hangs.z, 4)),
        scale=(round(long / (RAIL_SHAPE * thick), 4), 1.0, deep),
    )
    # As many swings as the shot has time for, up to eight halves, each smaller by the same share.
    half = 0.5 / _TEMPO
    last = int(min(8, max(3, (0.85 * (w.last - w.first) / w.fps - 0.15) // half)))
    peak = (_LEAST / _SWING) ** (1 / (last - 1))
    keys = [
        {
            "frame": w.at(0.15 + half * k),
            "value": [round(_SWING * (-peak) ** k, 2) if k < last else 0.0, 0.0, 0.0],
            "ease": {"leave": [0.36, 0.0], "arrive": [0.64, 1.0]},
        }
        for k in range(last + 1)
    ]
    sign = GroupStep.model_validate(
        {
            "id": f"{BROUGHT}sign",
            "name": "Hanging sign",
            "members": [w.block, *(cord.id for cord in cords)],
            "pivot": "own",
            "own": (middle, rail, round(hangs.z, 4)),
            "turn": {"keys": keys},
        }
    )
    raised = (("move", [w.place[0], round(w.place[1] + lift, 4), w.place[2]]),) if w.place and lift else ()
    return Made((*cords, bar, sign), raised)


def _entries() -> list[Entry]:
    return [
        entry(
            "rising-tide",
            "Rising tide",
            "arrive",
            "from below the frame, with a spring",
            lambda w: one(_drive("rise", "Rising tide", [_arrive(w, 0.07, 1.0)], outside="below"), _spring(1.7, 0.45)),
        ),
        entry(
            "gangway",
            "Gangway",
            "arrive",
            "each letter folds up from the floor",
            lambda w: one(
                _drive("fold", "Gangway", [_arrive(w)], Pivot(place="baseline"), turn=(-90.0, 0.0, 0.0)),
                _spring(2.2, 0.4),
            ),
        ),
        entry(
            "shutters",
            "Shutters",
            "arrive",
            "letters turn to the front from the centre out",
            lambda w: one(
                _drive("turn", "Shutters", [_arrive(w, 0.09, 0.9, order="centre_out")], turn=(0.0, 90.0, 0.0))
            ),
        ),
        entry(
            "sea-mist",
            "Sea mist",
            "arrive",
            "letters come out of nothing, one by chance after another",
            lambda w: one(
                _drive(
                    "mist",
                    "Sea mist",
                    [_arrive(w, 0.09, 1.6, order="shuffled", ease=EVEN)],
                    opacity=0.0,
                    move=(0.0, 0.0, -0.8 * w.size),
                )
            ),
        ),
        entry(
            "drop-anchor",
            "Drop anchor",
            "arrive",
            "letters fall into the frame and shake",
            lambda w: one(
                _drive("fall", "Drop anchor", [_arrive(w, 0.08, 0.55, ease=FALL)], outside="above"), _spring(2.6, 0.22)
            ),
        ),
        entry(
            "oar-stroke",
            "Oar stroke",
            "arrive",
            "letters swing in from the left about their foot",
            lambda w: one(
                _drive(
                    "stroke",
                    "Oar stroke",
                    [_arrive(w, 0.06, 0.8)],
                    Pivot(place="baseline"),
                    move=(-1.6 * w.size, 0.0, 0.0),
                    turn=(0.0, 0.0, 55.0),
                    opacity=0.0,
                ),
                _spring(1.8, 0.35),
            ),
        ),
        entry(
            "ferry",
            "Ferry",
            "arrive",
            "the whole title comes in from the side and drifts to its place",
            lambda w: one(
                _drive(
                    "ferry",
                    "Ferry",
                    [Cadence(start=w.at(0.1), duration=w.frames(1.8), ease=Ease(leave=(0.1, 0.5), arrive=(0.25, 1.0)))],
                    scope="block",
                    outside="left",
                )
            ),
        ),
        entry(
            "lighthouse",
            "Lighthouse",
            "arrive",
            "letters turn round and glow as they pass",
            lambda w: one(
                _drive(
                    "beam",
                    "Lighthouse",
                    [_arrive(w, 0.1, 1.1)],
                    turn=(0.0, -160.0, 0.0),
                    tint=(1.0, 0.62, 0.2),
                    tint_share=0.9,
                )
            ),
        ),
        entry("driftwood", "Driftwood", "arrive", "letters come from everywhere, turning", _scatter),
        entry(
            "unfold",
            "Unfold",
            "arrive",
            "letters open from their left edge",
            lambda w: one(
                _drive("open", "Unfold", [_arrive(w, 0.07, 0.8)], Pivot(place="left"), scale=(0.0, 1.0, 1.0)),
                _spring(2.4, 0.45),
            ),
        ),
        entry(
            "buoys",
            "Buoys",
            "arrive",
            "letters pop up larger than they are and settle",
            lambda w: one(
                _drive(
                    "pop",
                    "Buoys",
                    [_arrive(w, 0.06, 0.35, order="centre_out")],
                    Pivot(place="baseline"),
                    scale=(0.0, 0.0, 0.0),
                ),
                _spring(3.0, 0.3),
            ),
        ),
        entry(
            "tumble",
            "Tumble",
            "arrive",
            "letters fall head over heels",
            lambda w: one(
                _drive(
                    "tumble",
                    "Tumble",
                    [_arrive(w, 0.07, 1.2)],
                    turn=(540.0, 0.0, 0.0),
                    move=(0.0, 2.2 * w.size, 0.6 * w.size),
                    opacity=0.0,
                )
            ),
        ),
        entry(
            "low-water",
            "Low water",
            "arrive",
            "a wide word draws together",
            lambda w: one(
                _drive(
                    "draw",
                    "Low water",
                    [Cadence(start=w.at(0.1), duration=w.frames(2.2), ease=Ease(leave=(0.1, 0.6), arrive=(0.3, 1.0)))],
                    scope="block",
                    spacing=0.7,
                    opacity=0.0,
                )
            ),
        ),
        entry(
            "slates",
            "Slates",
            "arrive",
            "letters slide up in words, a word at a time",
            lambda w: one(
                _drive(
                    "slide",
                    "Slates",
                    [Cadence(start=w.at(0.15), delay=w.frames(0.35), duration=w.frames(0.9), ease=SOFT)],
                    scope="word",
                    move=(0.0, -1.4 * w.size, 0.0),
                    opacity=0.0,
                ),
                _spring(1.8, 0.5),
            ),
        ),
        entry(
            "gull",
            "Gull",
            "arrive",
            "letters glide in from above right on a curve",
            lambda w: one(
                _drive(
                    "near",
                    "Gull, across",
                    [_arrive(w, 0.08, 1.4, order="reverse")],
                    move=(3.0 * w.size, 0.0, 1.0 * w.size),
                    turn=(0.0, 0.0, -40.0),
                    opacity=0.0,
                ),
                _drive(
                    "down",
                    "Gull, down",
                    [_arrive(w, 0.08, 1.4, order="reverse", ease=FALL)],
                    move=(0.0, 1.6 * w.size, 0.0),
                ),
            ),
        ),
        entry(
            "night-sign",
            "Night sign",
            "arrive",
            "tubes are drawn letter after letter, and strike by fits and starts",
            _night_sign,
        ),
        entry(
            "struck",
            "Struck",
            "arrive",
            "letters are dark, then strike one after the other",
            lambda w: Made((_flicker(w, "Struck", _struck(w, 0.3, 0.1, 1.2)),), wants=GLOWING),
        ),
        entry(
            "unfurl",
            "Unfurl",
            "arrive",
            "the line lies rolled up at its left end, and unrolls onto its place",
            lambda w: one(
                CurlStep(
                    id="unfurl",
                    name="Unfurl",
                    scope="block",
                    rolled=1.0,
                    radius=round(0.35 * w.size, 3),
                    gap=round(0.45 * w.size, 3),
                    reaches=[_whole(w, 2.2)],
                )
            ),
        ),
        entry(
            "charts",
            "Charts",
            "arrive",
            "letters unroll from their foot, one after the other",
            lambda w: one(
                CurlStep(
                    id="charts",
                    name="Charts",
                    space="letter",
                    centre=LetterPivot(about="letter"),
                    rolls="top",
                    over="front",
                    rolled=1.0,
                    radius=round(0.12 * w.size, 3),
                    gap=round(0.32 * w.size, 3),
                    reaches=[_arrive(w, 0.07, 1.0, ease=EVEN)],
                )
            ),
        ),
        entry(
            "hawser",
            "Hawser",
            "arrive",
            "letters come wrung about themselves, and unwind",
            lambda w: one(
                TwistStep(
                    id="hawser",
                    name="Hawser",
                    space="letter",
                    centre=LetterPivot(about="letter"),
                    about="vertical",
                    angle=540.0,
                    reaches=[_arrive(w, 0.06, 1.2)],
                ),
                _drive("hawser-turn", "Half a turn", [_arrive(w, 0.06, 1.2)], turn=(0.0, 270.0, 0.0)),
            ),
        ),
        entry(
            "capstan",
            "Capstan",
            "arrive",
            "the line comes off a drum and straightens",
            lambda w: one(
                WrapStep(
                    id="capstan",
                    name="Capstan",
                    scope="block",
                    radius=round(1.2 * w.size, 3),
                    reaches=[_whole(w, 2.0)],
                )
            ),
        ),
        entry(
            "tideline",
            "Tideline",
            "arrive",
            "the line lies along a drawn path and straightens",
            lambda w: one(
                WrapStep(id="tideline", name="Tideline", onto="path", scope="block", reaches=[_whole(w, 2.0)])
            ),
        ),
        entry(
            "spindrift",
            "Spindrift",
            "arrive",
            "letters lie blown apart, and come whole one after the other",
            lambda w: one(
                BlastStep(
                    id="spindrift",
                    name="Spindrift",
                    outward=round(1.1 * w.size, 3),
                    core=round(0.35 * w.size, 3),
                    rough=2.2,
                    size=round(0.28 * w.size, 3),
                    reaches=[_arrive(w, 0.06, 1.3, ease=EVEN)],
                )
            ),
        ),
        entry(
            "ebb",
            "Ebb",
            "leave",
            "letters sink out of the frame",
            lambda w: one(_drive("ebb", "Ebb", [_leave(w)], outside="below")),
        ),
        entry(
            "folded-down",
            "Folded down",
            "leave",
            "letters fold back to the floor",
            lambda w: one(
                _drive("down", "Folded down", [_leave(w, 0.07, 0.7)], Pivot(place="baseline"), turn=(-90.0, 0.0, 0.0))
            ),
        ),
        entry(
            "blown-out",
            "Blown out to sea",
            "leave",
            "letters are carried off to the right, turning",
            lambda w: one(
                _drive(
                    "blown",
                    "Blown out to sea",
                    [_leave(w, 0.05, 1.0, order="reverse", ease=FALL)],
                    outside="right",
                    turn=(80.0, 140.0, -60.0),
                )
            ),
        ),
        entry(
            "burnt-out",
            "Burnt out",
            "leave",
            "the glow of letters stutters, and goes out",
            lambda w: Made((_flicker(w, "Burnt out", _dying(w, 0.05, 1.1, 0.3)),), wants=GLOWING),
        ),
        entry(
            "gone-dim",
            "Gone dim",
            "leave",
            "letters fade from the edges in",
            lambda w: one(
                _drive("dim", "Gone dim", [_leave(w, 0.09, 0.9, order="edges_in")], opacity=0.0, scale=(0.9, 0.9, 0.9))
            ),
        ),
        entry(
            "swell",
            "Swell",
            "stay",
            "a slow wave runs through the line",
            lambda w: _wave(
                "Swell",
                move=f"(0, {0.06 * w.size:g} * sin(tau * (t / 3 - u)), 0)",
                turn="(0, 0, 2.5 * cos(tau * (t / 3 - u)))",
            ),
        ),
        entry(
            "loose-wire",
            "Loose wire",
            "stay",
            "letters that glow flicker now and then, each by itself",
            lambda w: Made(
                (
                    _flicker(
                        w,
                        "Loose wire",
                        f"mix(1, 0.08 + 0.5 * {_NOW_AND_THEN}, smooth(0.25, 0.4, noise(2.2 * t + 9 * i)))",
                    ),
                ),
                wants=GLOWING,
            ),
        ),
        entry("bow-wave", "Bow wave", "stay", "a zone sweeps across and lifts what it meets", _sweep),
        entry(
            "shivering-rope",
            "Shivering rope",
            "stay",
            "each letter trembles by itself",
            lambda w: one(
                ShiverStep(
                    id="shiver",
                    name="Shivering rope",
                    move=(0.012 * w.size, 0.012 * w.size, 0.0),
                    turn=(0.0, 0.0, 1.8),
                    tempo=3.0,
                )
            ),
        ),
        entry(
            "lantern-light",
            "Lantern light",
            "stay",
            "letters warm up and cool down by chance",
            lambda w: one(
                _drive(
                    "light",
                    "Lantern light",
                    [Noise(tempo=0.9)],
                    tint=(1.0, 0.5, 0.12),
                    tint_share=0.55,
                    move=(0.0, 0.0, 0.12 * w.size),
                )
            ),
        ),
        entry(
            "groundswell",
            "Groundswell",
            "stay",
            "waves without end run under the line",
            lambda w: one(
                WaveStep(
                    id="groundswell",
                    name="Groundswell",
                    crests="endless",
                    height=round(0.3 * w.size, 3),
                    width=round(4.0 * w.size, 3),
                    speed=round(1.6 * w.size, 3),
                )
            ),
        ),
        entry(
            "tidal-bore",
            "Tidal bore",
            "stay",
            "one wave runs through the line from its right end",
            lambda w: one(
                WaveStep(
                    id="bore",
                    name="Tidal bore",
                    centre=LetterPivot(about="block", place="right"),
                    travels="left",
                    lifts="up",
                    crests="one",
                    height=round(0.6 * w.size, 3),
                    width=round(2.6 * w.size, 3),
                    speed=round(max(w.count, 3) * 0.45 * w.size, 3),
                    start=w.at(0.2),
                )
            ),
        ),
        entry(
            "pennant",
            "Pennant",
            "stay",
            "the line flutters like cloth",
            lambda w: one(
                RippleStep(
                    id="pennant",
                    name="Pennant",
                    height=round(0.22 * w.size, 3),
                    size=round(1.3 * w.size, 3),
                    speed=1.4,
                )
            ),
        ),
        entry(
            "at-anchor",
            "At anchor",
            "stay",
            "the block sways a little, as on water",
            lambda w: _wave(
                "At anchor",
                move=f"({0.05 * w.size:g} * sin(t), {0.03 * w.size:g} * sin(1.7 * t), 0)",
                turn="(0, 2.2 * sin(0.8 * t), 0.7 * sin(1.1 * t))",
            ),
        ),
        entry(
            "flip-drum",
            "Flip drum",
            "rig",
            "letters on the faces of a turning prism; the last face is the word",
            lambda w: one(
                DrumStep(
                    id="drum",
                    name="Flip drum",
                    words="\n".join(w.texts[:-1]),
                    start=w.at(0.3),
                    delay=w.delay(0.1),
                    duration=w.frames(1.6),
                )
            ),
        ),
        entry(
            "hinge",
            "Hinge",
            "rig",
            "letters swing from their cap line and hang still",
            lambda w: one(_swung(w, "Hinge", "cap", turn=(85.0, 0.0, 0.0))),
        ),
        entry(
            "shop-sign",
            "Shop sign",
            "rig",
            "the whole line hangs from its upper edge and settles",
            lambda w: one(
                _swung(
                    w,
                    "Shop sign",
                    "cap",
                    "line",
                    scope="line",
                    delay=0.0,
                    tempo=0.8,
                    damping=0.1,
                    settle=2.8,
                    turn=(60.0, 0.0, 6.0),
                )
            ),
        ),
        entry(
            "hanging-sign",
            "Hanging sign",
            "rig",
            "hangs from a rail by two cords, is let go and settles",
            _hanging_sign,
        ),
        entry(
            "span",
            "Span",
            "rig",
            "the line is bent into an arch, springs and stands",
            lambda w: one(
                BendStep(
                    id="span",
                    name="Span",
                    scope="block",
                    # As high an arch however long the line.
                    angle=round(min(120.0, 400.0 / max(w.count, 1)), 1),
                    centre=LetterPivot(about="block", place="baseline"),
                    reaches=[_whole(w, 0.9, way="leave", ease=SOFT)],
                ),
                _spring(1.3, 0.22),
            ),
        ),
        entry(
            "turn-and-swap",
            "Turn and swap",
            "rig",
            "the title turns, and has another text when it comes round",
            _turn_and_swap,
        ),
        entry(
            "fly-through",
            "Fly-through",
            "rig",
            "letters come from behind the camera, softer the nearer they are to it",
            lambda w: one(
                _drive(
                    "fly",
                    "Fly-through",
                    [_arrive(w, 0.09, 1.3, ease=Ease(leave=(0.1, 0.7), arrive=(0.25, 1.0)))],
                    move=(0.0, 0.25 * w.size, round(1.08 * w.away, 3)),
                    turn=(0.0, 0.0, 35.0),
                    softness=0.1,
                )
            ),
        ),
        entry("band", "Band", "rig", "the text runs around a turning drum, in two rows", _band),
        entry("orbit", "Orbit", "rig", "the line goes around a globe and straightens", _orbit),
    ]


BOOK: dict[str, Entry] = {entry.id: entry for entry in (*_entries(), *broken(), *swollen())}
OTHER_TEXTS = ("SLACK WATER", "SALT ROADS")
"""What a rig goes through where nothing else is given."""
TEXTS_WANTED = frozenset({"flip-drum", "turn-and-swap", "band"})
"""Entries that go through several texts."""
