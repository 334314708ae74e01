"""Bevelled letters from text to solids: new glyphs, and known ones; memory for many; the chooser."""

from __future__ import annotations

import resource
import string
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

from bench.report import milliseconds, say, timed
from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.type import layout, shape
from moss_crown.server import jobs

ELEVEN = "KESTREL TIDE"
FORTY = (string.ascii_uppercase + "abdefghkmqrstw")[:40]


def build(cache: Cache, text: str) -> int:
    structure = Evaluation(new_shot(text=text)).structure(0)
    block = structure.blocks[0]
    return sum(len(solid_of(letter, block.form, cache).triangles) for letter in block.letters)


def afresh(text: str) -> None:
    layout.set_block.cache_clear()
    shape.shape_line.cache_clear()
    build(Cache(), text)


def memory_of(text: str) -> float:
    """Megabytes by which building a text's solids raises the largest size of a process."""
    build(Cache(), "O")
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    build(Cache(), text)
    return (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024


def main() -> None:
    build(Cache(), ELEVEN)
    for name, text, aims in (
        ("eleven", ELEVEN, ("500 ms", "5 ms")),
        ("40 different", FORTY, ("1 s, stretch 0.5", "10 ms")),
    ):
        found = timed(lambda text=text: afresh(text))  # type: ignore[misc]
        say(f"{name} letters, text to solids, new glyphs", milliseconds(found), aims[0])
        known = Cache()
        build(known, text)
        found = timed(lambda known=known, text=text: build(known, text))  # type: ignore[misc]
        say(f"{name} letters, text to solids, known glyphs", milliseconds(found), aims[1])
    many = "".join(chr(0xC0 + k) if k % 2 else chr(0x41 + k % 58) for k in range(0, 400))
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        say("memory for 400 letters", f"{pool.submit(memory_of, many).result():.0f} MB more", "under 500 MB")
    count = len(jobs.families([]))
    turn = iter(range(1000))
    found = timed(lambda: jobs.samples(f"Tide {next(turn)}", None, []))
    say(f"chooser, new words in {count} families", milliseconds(found), "400 ms for 24")
