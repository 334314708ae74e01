"""All poses of a long shot with follow-throughs, any frame of it alone, and the motion book on one title."""

from __future__ import annotations

import numpy as np

from bench.report import milliseconds, say, timed
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.motion import Cadence, DriveStep, FollowStep, Noise, Offset, ShiverStep, Zone
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.proposals.motion_book import BOOK
from moss_crown.core.proposals.thumbnails import tried_on


def long_shot() -> Shot:
    """60 letters, 500 frames, 12 steps, two of them follow-throughs."""
    drives = [
        DriveStep(
            id=f"d{k}",
            offset=Offset(move=(0.1 * k, 1, 0), turn=(30.0 * k, 0, 20), scale=(0.8, 0.8, 1)),
            reaches=[Cadence(start=20.0 * k, delay=2, duration=60)],
        )
        for k in range(7)
    ]
    zone = DriveStep(id="zone", reaches=[Zone(place=(2.0, 0.5, 0.0))])
    noise = DriveStep(id="noise", reaches=[Noise()], offset=Offset(turn=(0, 0, 8)))
    steps = [
        *drives[:4], FollowStep(id="f1", tempo=2.0, damping=0.3), *drives[4:], zone, noise,
        FollowStep(id="f2", way="lag"), ShiverStep(id="s"),
    ]  # fmt: skip
    assert len(steps) == 12
    raw = write_shot(new_shot(text="\n".join(["LOWMERE SIX CROSSINGS"] * 3) + " TIDE", last=499))
    raw["steps"] = [*raw["steps"][:2], *(s.model_dump(mode="json") for s in steps), *raw["steps"][3:]]
    return read_shot(raw)


def main() -> None:
    shot = long_shot()
    structure = Evaluation(shot).structure(0)
    frames = np.arange(500.0)
    Evaluation(shot).poses(structure, frames)
    whole = timed(lambda: Evaluation(shot).poses(structure, frames), 7)
    alone = timed(lambda: Evaluation(shot).poses(structure, np.array([300.0])), 7)
    say(
        f"poses of {len(structure.letters)} letters, 500 frames, 12 steps, two follow-throughs",
        milliseconds(whole),
        "80 ms",
    )
    say("the same, frame 300 alone", milliseconds(alone), "a part of it")
    title = new_shot()
    tried_on(title)
    say(
        f"the motion book, {len(BOOK)} entries on a title of 11 letters",
        milliseconds(timed(lambda: tried_on(title), 3)),
        "-",
    )
