"""Letters in pieces and letters as bodies: how long they take to cut, to solve, to know again and to draw."""

from __future__ import annotations

import time

import numpy as np

from bench.deform import TEXTS, least
from bench.report import say
from moss_crown.core.cache import Cache, Patience
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.shot import Shot
from moss_crown.core.draft.draft import packed_picture, packed_whole, see
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.render.world import build_world

GOES = {"keys": [{"frame": 10, "value": 0}, {"frame": 50, "value": 1}]}
PIECES = {"id": "pieces", "kind": "pieces", "number": 30, "reaches": [{"kind": "passage", "passed": GOES}]}
STAY = PIECES | {"reaches": [{"kind": "everywhere", "level": 0.0}]}
BODIES = {"id": "bodies", "kind": "bodies", "start": 4}
FRAME = 30


def shot_of(text: str, *steps: dict[str, object], high: float = 0.0) -> Shot:
    raw = write_shot(new_shot(text=text))
    kept = [step for step in raw["steps"] if step["kind"] != "drive"]
    kept[0] |= {"move": [0, high, 0]}
    return read_shot(raw | {"steps": [*kept[:2], *steps, *kept[2:]]})


def main() -> None:
    pieces()
    for name, text in TEXTS.items():
        bodies(name, text, "8 ms" if name == "eleven" else "45 ms")
    shattered()
    for fine, aim in (("usual", "30 ms"), ("fine", "80 ms")):
        balloons(fine, aim)


def balloons(fine: str, aim: str) -> None:
    """How long eleven letters take to fill, a frame; then what a draft and a picture of them take that is known."""
    fills = [{"kind": "cadence", "way": "leave", "start": 2, "delay": 0, "duration": 25}]
    step = {"id": "inflate", "kind": "inflate", "fine": fine, "reaches": fills}
    shot, cache = shot_of(TEXTS["eleven"], step), Cache()
    of = Evaluation(shot, cache)
    structure = of.structure(0)
    full = of.inflated(structure, 0)
    assert full is not None
    full.at(4.0, 0)
    begun = time.process_time()
    full.at(33.0, 0)
    took = (time.process_time() - begun) / 24
    count, edge = len(full.foils.foil.home), full.foils.edge
    say(f"eleven letters inflated, edges of {edge:g}, {count} vertices: a frame", f"{1e3 * took:.0f} ms", aim)
    first = see(shot, Cache(), (), Patience(0.0))
    assert first.head.solved is not None
    say("  the first picture of a draft", f"{1e3 * least(lambda: _asked(shot), 3):.0f} ms", "300 ms")
    known = see(shot, cache)
    names = list(known.head.sent)
    say("  of one that is known", f"{1e3 * least(lambda: packed_picture(see(shot, cache, names)), 3):.0f} ms", "-")
    drawn(of, cache, "-", "  a world of them")


def drawn(of: Evaluation, cache: Cache, aim: str, what: str) -> None:
    """How long the scene of a frame takes that is known, and the world of that."""
    scene = of.scene(FRAME, 16 / 9)

    def build() -> None:
        build_world(scene)[1].close()

    say("  the scene", f"{1e3 * least(lambda: Evaluation(of.shot, cache).scene(FRAME, 16 / 9), 3):.0f} ms", "-")
    say(what, f"{1e3 * least(build):.0f} ms", aim)


def _asked(shot: Shot) -> None:
    packed_picture(see(shot, Cache(), (), Patience(0.25)))


def pieces() -> None:
    shot = shot_of(TEXTS["eleven"], PIECES)
    Evaluation(shot, Cache()).in_pieces(Evaluation(shot).structure(0), 0)  # libraries are loaded
    cache = Cache()
    of = Evaluation(shot, cache)
    structure = of.structure(0)
    for block in structure.blocks:  # the letters themselves are there
        assert block.letters
    whole = Evaluation(shot_of(TEXTS["eleven"]), cache)
    whole.scene(0, 16 / 9)
    begun = time.process_time()
    found = of.in_pieces(structure, 0)
    assert found is not None
    say(f"eleven letters cut into {found.count} pieces", f"{time.process_time() - begun:.2f} s", "0.8 s")
    again = Evaluation(shot, cache)
    begun = time.process_time()
    again.in_pieces(again.structure(0), 0)
    say("  known", f"{1e3 * (time.process_time() - begun):.1f} ms", "10 ms")
    frames = np.array(shot.frames, float)
    say("  where all are in 73 frames", f"{1e3 * least(lambda: of._moved(structure, frames, True)):.0f} ms", "-")
    say("  the picture of a draft", f"{1e3 * least(lambda: packed_picture(see(shot, cache)), 3):.0f} ms", "300 ms")
    say("  all of a draft", f"{1e3 * least(lambda: packed_whole(see(shot, cache)), 3):.0f} ms", "-")
    drawn(of, cache, "96 ms as instances", "  a world of them, in motion")


def bodies(name: str, text: str, aim: str) -> None:
    shot = shot_of(text, BODIES, high=1.2)
    of = Evaluation(shot, Cache())
    structure = of.structure(0)
    of.moved(structure, np.array([4.0]))
    begun = time.process_time()
    of.moved(structure, np.array([36.0]))
    took = time.process_time() - begun
    say(f"{name} letters as bodies, a frame while they fall", f"{1e3 * took / 32:.1f} ms", aim)
    begun = time.process_time()
    of.moved(structure, np.array([35.5]))
    say("  a frame that is known", f"{1e3 * (time.process_time() - begun):.1f} ms", "-")


def shattered() -> None:
    burst = BODIES | {"of": "piece", "blow": 3.0, "blow_place": [0, 0.4, -0.8], "blow_reach": 4.0}
    shot = shot_of(TEXTS["eleven"], STAY, burst)
    of = Evaluation(shot, Cache())
    structure = of.structure(0)
    of.moved(structure, np.array([3.0]))
    begun = time.process_time()
    of.moved(structure, np.array([28.0]))
    took = time.process_time() - begun
    count = of.in_pieces(structure, 0)
    assert count is not None
    say(f"{count.count} pieces as bodies, a frame while they burst", f"{1e3 * took / 24:.0f} ms", "40 ms")
