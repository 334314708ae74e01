"""Eleven bevelled letters from text to solids: new glyphs, and known ones."""

from __future__ import annotations

from bench.report import milliseconds, say, timed
from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.evaluate import solid_of, structure_at
from moss_crown.core.type import layout, shape


def build(cache: Cache, text: str) -> int:
    structure = structure_at(new_shot(text=text), 0)
    block = structure.blocks[0]
    return sum(len(solid_of(letter, block.form, cache).triangles) for letter in block.letters)


def main() -> None:
    text = "KESTREL TIDE"
    build(Cache(), text)

    def new() -> None:
        layout.set_block.cache_clear()
        shape.shape_line.cache_clear()
        build(Cache(), text)

    say("eleven letters, text to solids, new glyphs", milliseconds(timed(new)), "500 ms")
    known = Cache()
    build(known, text)
    say(
        "eleven letters, text to solids, known glyphs", milliseconds(timed(lambda: build(known, text))), "under the new"
    )
