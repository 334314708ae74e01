"""The rules of the job and its computation. No interface, no database, no network.

Compiled kernels are kept in a folder of their own for each state of their sources: numba looks only at the file that a
kernel stands in, and would go on with code into which constants of another file were compiled before that changed.
"""

from __future__ import annotations

import hashlib
import os
import sys
from pathlib import Path

WITH_KERNELS = ("deform", "form", "look", "motion", "physics", "render", "values")
"""The folders in which kernels stand, with whatever is compiled into them."""


def _keep_kernels_apart() -> None:
    here = Path(__file__).parent
    home = os.environ.get("MOSS_CROWN_KERNELS") or os.environ.get("NUMBA_CACHE_DIR")
    if not home and os.access(here, os.W_OK):
        home = str(here / "__pycache__")
    if not home:
        return
    digest = hashlib.sha256(os.environ.get("MOSS_CROWN_PLAIN_KERNELS", "").encode())
    kernels = [file for part in WITH_KERNELS for file in (here / part).glob("*.py")]
    for source in (here / "compiling.py", *sorted(kernels)):
        digest.update(source.read_bytes())
    os.environ["MOSS_CROWN_KERNELS"] = home
    os.environ["NUMBA_CACHE_DIR"] = str(Path(home) / digest.hexdigest()[:12])
    if "numba" in sys.modules:  # it was loaded first, and has read the variable already
        sys.modules["numba"].config.CACHE_DIR = os.environ["NUMBA_CACHE_DIR"]


_keep_kernels_apart()
