"""How long the renderer's kernels take to be ready: compiled into an empty folder, and loaded from it."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time

from bench.report import say

LOADED = """
import time
import moss_crown.core.render.ready as ready
begun = time.perf_counter()
ready.ready_paths()
ready.ready_others()
print(time.perf_counter() - begun)
"""


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        around = {k: v for k, v in os.environ.items() if k != "MOSS_CROWN_KERNELS"}
        around |= {"NUMBA_CACHE_DIR": f"{folder}/kernels", "MOSS_CROWN_HOME": folder}
        command = [sys.executable, "-m", "moss_crown.cli", "kernels"]
        begun = time.perf_counter()
        subprocess.run(command, env=around, check=True, stdout=subprocess.DEVNULL)
        say("all kernels compiled, by ./crown kernels", f"{time.perf_counter() - begun:.1f} s", "15 s")
        loaded = subprocess.run([sys.executable, "-c", LOADED], env=around, check=True, capture_output=True, text=True)
        say("the renderer's loaded, in a process that has its modules", f"{float(loaded.stdout):.2f} s", "1 s")
