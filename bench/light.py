"""Thirty untouched titles: is every letter lit evenly, does its outline read, is anything clipped, does the title sit
well in the frame? Prints the worst of each beside its bound, and puts a sheet of all thirty beside the state of the
application."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from bench.report import say
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.finish.meter import EVEN, LEAST_LEGIBLE, MOST_WHITE, Reading, luminance
from moss_crown.core.look.materials import MATERIALS
from moss_crown.core.metering import metered
from moss_crown.core.render.scopes import WHITE
from moss_crown.core.stage.staging import wall_behind

WIDTH, HEIGHT, SAMPLES = 640, 360, 8
HORIZON, LINE = (0.05, 0.95), 1.1
FILLS, HIGH = (0.62, 0.80), 0.55

TEXTS = (
    "SEA",
    "WEIR",
    "TIDE",
    "KESTREL",
    "LOWMERE",
    "SALT ROADS",
    "SLACK WATER",
    "KESTREL TIDE",
    "Six Crossings",
    "The Drowned Mile",
    "THE LONG CAUSEWAY",
    "Night at Hollin Ferry",
    "LOWMERE\nSIX CROSSINGS",
    "The\nTurning Weir",
    "Part Four\nTHE SALT ROAD\nHOME",
)
FAMILIES = (
    "archivo-black",
    "cinzel",
    "anton",
    "abril-fatface",
    "fraunces",
    "kaushan-script",
    "comfortaa",
    "unbounded",
)


@dataclass(frozen=True)
class Seen:
    """A title in its picture: its letters, and where it sits."""

    name: str
    readings: list[Reading]
    horizon: float | None
    width: float
    height: float
    pixels: NDArray[np.uint8]
    white: float

    @property
    def evenness(self) -> float:
        levels = [one.level for one in self.readings]
        return max(levels) / max(min(levels), 1e-6)

    @property
    def weakest(self) -> Reading:
        return min(self.readings, key=lambda one: one.legible)

    @property
    def sits(self) -> bool:
        wide = FILLS[0] - 0.005 <= self.width <= FILLS[1] + 0.005 and self.height <= HIGH + 0.005
        return wide or (abs(self.height - HIGH) < 0.03 and self.width <= FILLS[1] + 0.005)


def title(k: int, metals: list[str]) -> tuple[str, Shot]:
    """The k-th title: only its text, its family and its metal are chosen."""
    text, family, metal = (
        TEXTS[k % len(TEXTS)],
        FAMILIES[(k + k // len(TEXTS)) % len(FAMILIES)],
        metals[k % len(metals)],
    )
    shot = new_shot(text=text)
    steps = {step.id: n for n, step in enumerate(shot.steps)}
    patch = [{"op": "replace", "path": f"/steps/{steps['block']}/family", "value": family}]
    if k >= len(TEXTS) or k % 2:  # the others wear what a new shot wears
        face = MATERIALS[metal].material.model_dump(mode="json")
        patch += [
            {"op": "replace", "path": f"/steps/{steps['material']}/{side}", "value": face} for side in ("face", "edge")
        ]
    return f"{text.replace(chr(10), ' / ')}, {family}, {metal}", patched(write_shot(shot), patch)


def line(shown: NDArray[np.float32], own: NDArray[np.bool_], row: float) -> bool:
    """Is there a line at a row, beside the letters? Of a floor that goes over into what is behind it, none is seen."""
    above, below = round(row) - 5, round(row) + 5
    if not (above >= 0 and below < len(own)):
        return False
    beside = ~own.any(0)
    light = [float(shown[at][beside].mean()) for at in (above, below)] if beside.any() else [0.0, 0.0]
    return (max(light) + 0.05) / (min(light) + 0.05) > LINE


def seen(name: str, shot: Shot) -> Seen:
    of = Evaluation(shot)
    found = metered(of, shot.last, WIDTH, SAMPLES, threads=2)
    rows, columns = np.nonzero(found.own)
    top, bottom, left, right = rows.min(), rows.max() + 1, columns.min(), columns.max() + 1
    camera = of.camera(np.array([float(shot.last)]), shot.aspect)
    corner = np.linalg.inv(camera.poses[0]) @ np.array([0.0, 0.0, wall_behind(shot, shot.last), 1.0])
    across = -corner[1] / corner[2] / camera.half[1] + camera.shift[1]
    row = (1 - across) / 2 * HEIGHT
    return Seen(
        name,
        found.readings,
        float((bottom - row) / (bottom - top)) if line(luminance(found.pixels / 255), found.own, row) else None,
        (right - left) / WIDTH,
        (bottom - top) / HEIGHT,
        found.pixels,
        float((found.pixels.max(-1)[found.own] >= round(255 * WHITE)).mean()),
    )


def sheet(titles: list[Seen], path: Path) -> None:
    """All of them on one picture, five in a row."""
    small = [Image.fromarray(one.pixels).resize((WIDTH // 2, HEIGHT // 2), Image.Resampling.LANCZOS) for one in titles]
    rows = -(-len(small) // 5)
    whole = Image.new("RGB", (5 * WIDTH // 2, rows * HEIGHT // 2))
    for k, one in enumerate(small):
        whole.paste(one, (k % 5 * WIDTH // 2, k // 5 * HEIGHT // 2))
    whole.save(path)


def main(count: int = 30) -> None:
    metals = [id for id, one in MATERIALS.items() if one.group == "metal"]
    titles = []
    for k in range(count):
        titles.append(seen(*title(k, metals)))
        one = titles[-1]
        print(
            f"  {one.name:<58} even {one.evenness:5.2f}  legible {one.weakest.legible:4.0%} ({one.weakest.name}: "
            f"{one.weakest.contrast:.2f} against {one.weakest.behind})  white {one.white:5.1%}  "
            f"horizon {'none' if one.horizon is None else round(one.horizon, 2)}  {one.width:4.0%} x {one.height:4.0%}",
            flush=True,
        )
    worst = max(titles, key=lambda one: one.evenness)
    say("brightest letter's face by the darkest's, worst title", f"{worst.evenness:.2f} ({worst.name})", f"{EVEN}")
    least = min(titles, key=lambda one: one.weakest.legible)
    share = f"{least.weakest.legible:.0%} ({least.weakest.name} of {least.name})"
    say("outline that stands apart by 1.6, worst letter", share, f"{LEAST_LEGIBLE:.0%}")
    white = max(titles, key=lambda one: one.white)
    say("white of a title's letters, worst", f"{white.white:.2%} ({white.name})", f"{MOST_WHITE:.1%}")
    through = [one.name for one in titles if one.horizon is not None and HORIZON[0] < one.horizon < HORIZON[1]]
    say("titles with a horizon through their letters", f"{len(through)}", "0")
    askew = [one.name for one in titles if not one.sits]
    say("titles that do not fill their frame as wanted", f"{len(askew)}", "0")
    path = Path(os.environ.get("MOSS_CROWN_HOME", ".moss-crown")) / "light.png"
    path.parent.mkdir(parents=True, exist_ok=True)
    sheet(titles, path)
    print(f"  the titles: {path}")
