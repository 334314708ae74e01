"""Letters that bend: a wave and a curl over 11 and 40 letters, beside the same letters rigid."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

import numpy as np

from bench.report import say
from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.shot import Shot
from moss_crown.core.draft.draft import draft
from moss_crown.core.evaluation.bending import bending, bent_solid, draft_edges, soft_solid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.render.renderer import RenderSettings, render
from moss_crown.core.render.world import build_world

TEXTS = {"eleven": "KESTREL TIDE", "forty": "THE SALT ROAD\nSIX CROSSINGS\nAT SLACK WATER\nHOME"}
WAVE = {"id": "wave", "kind": "wave", "crests": "endless", "height": 0.3, "width": 3.0}
ROLLED = {"keys": [{"frame": 0, "value": 0.9}, {"frame": 40, "value": 0.0}]}
CURL = {"id": "curl", "kind": "curl", "radius": 0.3, "gap": 0.35, "rolled": ROLLED}
FRAME = 18


def soft_shot(text: str, *steps: dict[str, object]) -> Shot:
    raw = write_shot(new_shot(text=text))
    kept = [step for step in raw["steps"] if step["kind"] != "drive"]
    return read_shot(raw | {"steps": [*kept[:2], *steps, *kept[2:]]})


def least(work: Callable[[], object], times: int = 5) -> float:
    """Processor seconds of a run, the least of several."""
    found = []
    for _ in range(times):
        begun = time.process_time()
        work()
        found.append(time.process_time() - begun)
    return min(found)


def main() -> None:
    for name, text in TEXTS.items():
        few = name == "eleven"
        moving, still, rigid = (
            soft_shot(text, *steps) for steps in ((WAVE, CURL), (WAVE | {"speed": 0.0}, CURL | {"rolled": 0.4}), ())
        )
        cache = Cache()
        of = Evaluation(moving, cache)
        structure = of.structure(FRAME)
        begun = time.process_time()
        scene = of.scene(FRAME, 16 / 9)
        say(
            f"{name}: density found by itself, once a shot",
            f"{time.process_time() - begun:.2f} s",
            "1 s" if few else "3 s",
        )
        say("  triangles", f"{sum(len(scene.solids[m.solid].triangles) for m in scene.letters)}", "-")
        moments = np.linspace(FRAME - 0.25, FRAME + 0.25, 3)
        bends = bending(of, structure, moments, False)
        assert bends is not None
        own = [
            soft_solid(scene.solids[m.solid], f"{name} {k}", bends.states[:, k], 0.002, cache)
            for k, m in enumerate(scene.letters)
        ]

        def bend(own=own, rows=bends.rows) -> None:  # type: ignore[no-untyped-def]
            for k, soft in enumerate(own):
                bent_solid(soft, np.ascontiguousarray(rows[::8, k]), None, 1e-9)

        say("  vertices and normals at three times", f"{1e3 * least(bend):.0f} ms", "20 ms" if few else "60 ms")

        def build(scene=scene) -> None:  # type: ignore[no-untyped-def]
            build_world(scene)[1].close()

        say("  world", f"{1e3 * least(build):.0f} ms", "60 ms" if few else "200 ms")
        settings = RenderSettings(1280, 720, 16)
        seconds = {
            kind: least(partial(render, Evaluation(shot, cache).scene(FRAME, 16 / 9), settings, None), 2)
            for kind, shot in (("rigid", rigid), ("moving", moving), ("still", still))
        }
        for kind, aim in (("moving", "1.3"), ("still", "1.1")):
            say(f"  a frame at 16 samples, {kind}, by the same rigid", f"{seconds[kind] / seconds['rigid']:.2f}", aim)
        say("  a draft, all of it", f"{1e3 * least(partial(draft, moving), 3):.0f} ms", "100 ms" if few else "200 ms")
        say("  the same rigid", f"{1e3 * least(partial(draft, rigid), 3):.0f} ms", "-")
        edges = draft_edges(of, structure)
        say("  edges of the draft's meshes, shortest", f"{edges[edges > 0].min():.3f} m", "-")
