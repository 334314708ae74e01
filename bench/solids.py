"""Every letter of every bundled family as a solid: is it closed and free of crossings, and how long does it take?

Every glyph is built with every profile; among those nine are every pair of a size and a weight. Which profile meets
which pair goes round from glyph to glyph, and so do the corners, so that every combination meets glyphs of all
families. It takes an hour or two; `./crown bench solids:40` takes every fortieth glyph.
"""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from itertools import product

import manifold3d
import numpy as np
import uharfbuzz as hb

from bench.report import say
from moss_crown.core.form.outline import Join, letter_outline
from moss_crown.core.form.profile import Edge, ProfileKind
from moss_crown.core.form.solid import Form, Solid, closed, solid
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


def family_report(family: str, every: int) -> list[tuple[str, bool, float, str]]:
    """For each glyph: profile and size, whether it is sound, milliseconds, and what it was."""
    found = []
    fonts = faces(family)
    for k, (face, glyph) in enumerate(glyphs_of(family)):
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


def main(every: int = 1) -> None:
    times: dict[str, list[float]] = defaultdict(list)
    bad: list[str] = []
    with ProcessPoolExecutor(2) as pool:
        reports = pool.map(family_report, FAMILIES, [every] * len(FAMILIES))
        for family, report in zip(FAMILIES, reports, strict=True):
            for way, _, took, _ in report:
                times[way].append(took)
            unsound = [what for _, good, _, what in report if not good]
            say(f"  {family}, {len(report)} solids", f"{len(unsound)} not sound", "0")
            for what in unsound:
                print("  not sound:", what, flush=True)
            bad += unsound
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
