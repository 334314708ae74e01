"""Every letter of every bundled family as a solid: is it closed and free of crossings, and how long does it take?

Every glyph is built with every profile; among those nine are every pair of a size and a weight. Which profile meets
which pair goes round from glyph to glyph, and so do the corners, so that every combination meets glyphs of all
families. It takes hours of one processor; `./crown bench solids:40` takes every fortieth glyph. What has been found is
kept beside the programs' other state, under what type and form are made of: a run that was stopped is carried on.
"""

from __future__ import annotations

import hashlib
import json
import os
import time
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from itertools import islice, product
from pathlib import Path

import manifold3d
import numpy as np
import uharfbuzz as hb

from bench.report import say
from moss_crown.core import form as form_package
from moss_crown.core import type as type_package
from moss_crown.core.form.mesh import Solid
from moss_crown.core.form.outline import Join, letter_outline
from moss_crown.core.form.profile import Edge, ProfileKind
from moss_crown.core.form.solid import Form, closed, solid
from moss_crown.core.type.families import FAMILIES
from moss_crown.core.type.fonts import open_font
from moss_crown.core.type.shape import Glyph, faces

KINDS: tuple[ProfileKind, ...] = ("square", "chamfer", "roundover", "cove", "ogee", "step", "bead", "rim", "drawn")
SIZES = (0.012, 0.04, 0.11)
WEIGHTS = (-6.0, 0.0, 14.0)
JOINS: tuple[Join, ...] = ("mitre", "sharp", "round")
PAIRS = list(product(SIZES, WEIGHTS))  # as many as kinds: a glyph meets each of both once
OTHERS = {"lalezar": "arabic", "rozha-one": "devanagari", "dela-gothic-one": "japanese"}
OF_OTHERS = 100
PART = 60  # glyphs of a piece of work: what a stop loses is at most two of these

Found = tuple[str, bool, float, str]
"""Profile and size, whether it is sound, milliseconds, and what it was."""


def sound(s: Solid) -> bool:
    """Closed, two-manifold, outward, and accepted by manifold3d, which refuses what is not."""
    if not len(s.triangles) or not closed(s.triangles) or s.volume <= 0:
        return False
    mesh = manifold3d.Mesh(s.vertices.astype(np.float32), s.triangles.astype(np.uint32))
    return bool(manifold3d.Manifold(mesh).status() == manifold3d.Error.NoError)


def glyphs_of(family: str) -> Iterator[tuple[int, int]]:
    """Face and index of every glyph that a letter of Latin, Greek or Cyrillic maps to; some of other scripts."""
    for index, source in enumerate(FAMILIES[family].sources):
        font = open_font(source, FAMILIES[family].at)
        part = str(source).rsplit("-", 1)[-1].removesuffix(".ttf")
        codes = sorted(code for code in font.coverage if 0x21 <= code < 0x530)
        if OTHERS.get(family) == part:
            codes = sorted(code for code in font.coverage if code >= 0x600)[: OF_OTHERS * 3 : 3]
        seen: set[int] = set()
        for code in codes:
            glyph = hb.Font.get_nominal_glyph(font.shaper, code)
            if glyph and glyph not in seen and font.extents(glyph):
                seen.add(glyph)
                yield index, glyph


def part_report(family: str, every: int, part: int) -> list[Found]:
    """What came of a part of a family's glyphs, with every profile."""
    found: list[Found] = []
    fonts = faces(family)
    for k, (face, glyph) in islice(enumerate(glyphs_of(family)), part * PART, (part + 1) * PART):
        if k % every:
            continue
        rings = letter_outline((Glyph(face, glyph, 0.0, 0.0),), fonts)
        if not rings:
            continue
        for turn, kind in enumerate(KINDS):
            size, weight = PAIRS[(turn + k) % len(PAIRS)]
            join = JOINS[(turn + k // len(PAIRS)) % len(JOINS)]
            form = Form(0.3, Edge(kind, size, size * 0.7, 4), Edge("chamfer", 0.02, 0.02), join, weight=weight)
            begun = time.perf_counter()
            built = solid(rings, form, 1.0 / fonts[0].cap_height)
            took = 1000 * (time.perf_counter() - begun)
            found.append((f"{kind} {size:g}", sound(built), took, f"{family} {face}/{glyph} {form}"))
    return found


def kept_in(every: int) -> Path:
    """The file of what has been found with the type and form of this source."""
    digest = hashlib.sha256()
    for package in (form_package, type_package):
        for source in sorted(Path(package.__path__[0]).glob("*.py")):
            digest.update(source.read_bytes())
    digest.update(repr((KINDS, PAIRS, JOINS, OF_OTHERS, PART, every)).encode())
    folder = Path(os.environ["MOSS_CROWN_HOME"]) / "bench"
    folder.mkdir(parents=True, exist_ok=True)
    return folder / f"solids-{digest.hexdigest()[:16]}.jsonl"


def reports(every: int) -> dict[str, list[Found]]:
    """What came of all glyphs, by family; parts that an earlier run has finished are read."""
    path = kept_in(every)
    done: dict[tuple[str, int], list[Found]] = {}
    if path.exists():
        for line in path.read_text().splitlines():
            if line.endswith("}"):  # else the run was stopped within the line
                kept = json.loads(line)
                done[kept["family"], kept["part"]] = [tuple(f) for f in kept["found"]]
    parts = [(family, k) for family in FAMILIES for k in range(-(-sum(1 for _ in glyphs_of(family)) // PART))]
    print(f"{len(done)} of {len(parts)} parts have been found before", flush=True)
    with ProcessPoolExecutor(2) as pool, path.open("a") as file:
        asked = {
            pool.submit(part_report, family, every, k): (family, k) for family, k in parts if (family, k) not in done
        }
        for answer in as_completed(asked):
            family, k = asked[answer]
            done[family, k] = answer.result()
            file.write("\n" + json.dumps({"family": family, "part": k, "found": done[family, k]}))
            file.flush()
            for way, good, _, what in done[family, k]:
                if not good:
                    print("  not sound:", way, what, flush=True)
    return {family: [f for k in range(len(parts)) for f in done.get((family, k), [])] for family in FAMILIES}


def main(every: int = 1) -> None:
    times: dict[str, list[float]] = defaultdict(list)
    bad: list[str] = []
    for family, report in reports(every).items():
        for way, _, took, _ in report:
            times[way].append(took)
        unsound = [what for _, good, _, what in report if not good]
        say(f"  {family}, {len(report)} solids", f"{len(unsound)} not sound", "0")
        bad += unsound
    for what in bad:
        print("  not sound:", what, flush=True)
    total = sum(map(len, times.values()))
    say(
        f"{total} solids of all glyphs, {len(FAMILIES)} families",
        f"{100 * (1 - len(bad) / total):.3f} % sound",
        "100 %",
    )
    for way in (f"{kind} {size:g}" for kind in KINDS for size in SIZES):
        if times[way]:
            p50, p90 = np.percentile(times[way], [50, 90])
            say(f"  {way}, {len(times[way])} solids", f"{p50:.0f} ms, 90th percentile {p90:.0f} ms", "-")
