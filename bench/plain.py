"""Pictures of kernels as numba itself compiles them, beside those of the product's own way.

Sums are regrouped as the optimizer sees fit (`arithmetic.FREE`), and it sees other pieces: bits differ by rounding, and
where a path then turns out otherwise a pixel by more. What it makes is kept in a folder of its own; at first it takes
minutes.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from bench.report import say

FRAMES = """
import sys
import numpy as np
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame
from moss_crown.demo.looks import lantern_row, still_water
from moss_crown.demo.shots import kestrel_tide

for name, shot in (("brass", kestrel_tide()), ("glass", still_water()), ("neon", lantern_row())):
    beauty = render_frame(Evaluation(shot), 24, FrameOrder(320, 180, 4, denoise=False, threads=2)).beauty
    np.save(f"{sys.argv[1]}/{name}.npy", beauty)
"""


def main() -> None:
    with tempfile.TemporaryDirectory() as home:
        for plain in ("", "1"):
            begun = time.perf_counter()
            folder = Path(home) / f"plain{plain}"
            folder.mkdir()
            around = os.environ | {"MOSS_CROWN_PLAIN_KERNELS": plain}
            subprocess.run([sys.executable, "-c", FRAMES, folder], env=around, check=True)
            say(
                f"three frames, {'plainly compiled' if plain else 'as it is'}",
                f"{time.perf_counter() - begun:.0f} s",
                "-",
            )
        for name in ("brass", "glass", "neon"):
            ours, plainly = (np.load(Path(home) / folder / f"{name}.npy") for folder in ("plain", "plain1"))
            off = np.abs(ours - plainly).max(-1)
            figure = f"mean {off.mean() / ours.mean():.1e} of the mean, above 1e-4: {(off > 1e-4).mean():.2%}"
            say(f"  {name}: differences", figure, "1e-3, 0.5 %")
