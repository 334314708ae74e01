"""Compiled kernels are kept by the state of their sources, whatever is loaded first."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

import moss_crown.core

SOURCES = Path(moss_crown.core.__file__).parents[2]
ASK = "import numba; print(numba.config.CACHE_DIR)"


def folder(code, **more):
    environment = {k: v for k, v in os.environ.items() if k not in ("NUMBA_CACHE_DIR", "MOSS_CROWN_KERNELS")}
    environment |= {"PYTHONPATH": str(SOURCES)} | more
    done = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True)
    return done.stdout.strip()


@pytest.mark.parametrize("more", [{}, {"NUMBA_CACHE_DIR": "/tmp/kept"}, {"MOSS_CROWN_KERNELS": "/tmp/kept"}])
def test_the_folder_does_not_depend_on_what_is_loaded_first(more):
    first = folder(f"import moss_crown.core; {ASK}", **more)
    last = folder(f"import numba; import moss_crown.core; {ASK}", **more)
    assert first == last
    assert len(Path(first).name) == 12
    if more:
        assert Path(first).parent == Path("/tmp/kept")


def test_a_child_finds_the_same_folder():
    ask = f"import moss_crown.core; {ASK}"
    child = f"import moss_crown.core, subprocess, sys; subprocess.run([sys.executable, '-c', '{ask}'], check=True)"
    assert folder(child, NUMBA_CACHE_DIR="/tmp/kept") == folder(ask, NUMBA_CACHE_DIR="/tmp/kept")
