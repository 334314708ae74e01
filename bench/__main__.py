"""./crown bench [names of benches]; solids:40 takes every fortieth glyph."""

from __future__ import annotations

import sys
from collections.abc import Callable

from bench import (
    bits,
    busy,
    day,
    deform,
    edges,
    frame,
    hostile,
    kernels,
    kills,
    letters,
    light,
    looks,
    motion,
    peer,
    physics,
    plain,
    poses,
    running,
    solids,
)
from bench.report import pace, say

ALL: dict[str, Callable[..., None]] = {
    "letters": letters.main,
    "poses": poses.main,
    "motion": motion.main,
    "frame": frame.main,
    "kernels": kernels.main,
    "running": running.main,
    "bits": bits.main,
    "plain": plain.main,
    "solids": solids.main,
    "hostile": hostile.main,
    "peer": peer.main,
    "light": light.main,
    "edges": edges.main,
    "looks": looks.main,
    "busy": busy.main,
    "kills": kills.main,
    "day": day.main,
    "deform": deform.main,
    "physics": physics.main,
}
LONG = ("bits", "plain", "solids", "hostile", "peer", "looks", "busy", "kills", "day")
"""These take many minutes and run only when they are named."""


def main() -> None:
    wanted = sys.argv[1:] or [name for name in ALL if name not in LONG]
    for asked in wanted:
        name, _, number = asked.partition(":")
        if name not in ALL:
            sys.exit(f"no bench {name!r}; there are {', '.join(ALL)}")
        print(f"== {name}")
        before = pace()
        ALL[name](*([int(number)] if number else []))
        say("the machine meanwhile: a fixed loop, before and after", f"{before:.0f} and {pace():.0f} ms", "-")


if __name__ == "__main__":
    main()
