"""A hash of a picture and of the draft of every demo shot: whoever changes the house, but no picture, compares runs.

Pictures are 320x180, four samples a pixel, not denoised, a third of the way through the shot, where most things move.
"""

from __future__ import annotations

import hashlib
import time

import numpy as np

from bench.report import say
from moss_crown.core.assets import bring_in
from moss_crown.core.cache import Cache
from moss_crown.core.document.shot import Shot
from moss_crown.core.draft.draft import draft
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame
from moss_crown.demo.bent import bent_shots
from moss_crown.demo.cards import cards, film_unit_emblem
from moss_crown.demo.looks import looks
from moss_crown.demo.motions import motions
from moss_crown.demo.shots import demo_shots

ORDER = FrameOrder(320, 180, 4, denoise=False, threads=2)


def short(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()[:12]


def hashes(shot: Shot, cache: Cache) -> str:
    frame = shot.first + (shot.last - shot.first) // 3
    passes = render_frame(Evaluation(shot, cache), frame, ORDER)
    picture = b"".join(np.ascontiguousarray(part).tobytes() for part in (passes.beauty, passes.alpha))
    return f"picture {short(picture)}, draft {short(draft(shot))}"


def main() -> None:
    bring_in(film_unit_emblem())
    begun = time.perf_counter()
    cache = Cache()
    for shot in [*demo_shots(), *cards(), *looks(), *motions(), *bent_shots(film_unit_emblem().id)]:
        say(shot.title[:57], hashes(shot, cache), "as before")
    say("all of them", f"{time.perf_counter() - begun:.0f} s", "-")
