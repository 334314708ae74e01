"""All poses of a 40-letter, 250-frame shot with four drives."""

from __future__ import annotations

import numpy as np

from bench.report import milliseconds, say, timed
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.motion import Cadence, DriveStep, Offset
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.evaluation import Evaluation


def main() -> None:
    shot = new_shot(text="LOWMERE " * 5 + "TIDES", last=249)
    drives = [
        DriveStep(
            id=f"d{k}",
            offset=Offset(move=(0.1 * k, 1, 0), turn=(30.0 * k, 0, 20), scale=(0.5, 0.5, 1)),
            reaches=[Cadence(start=20.0 * k, delay=2, duration=80)],
        )
        for k in range(4)
    ]
    steps = [s for s in shot.steps if s.kind != "drive"]
    shot = Shot.model_validate(
        {**shot.model_dump(), "steps": [s.model_dump() for s in [*steps[:2], *drives, *steps[2:]]]}
    )
    structure = Evaluation(shot).structure(0)
    frames = np.arange(250.0)
    Evaluation(shot).poses(structure, frames)
    one = np.array([100.0])
    whole = timed(lambda: Evaluation(shot).poses(structure, frames), 15)
    alone = timed(lambda: Evaluation(shot).poses(structure, one), 15)
    say(f"poses of {len(structure.letters)} letters, 250 frames, 4 drives", milliseconds(whole), "60 ms")
    say("the same, one frame alone", milliseconds(alone), "a small part of it")
