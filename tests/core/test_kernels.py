"""Compiled kernels are kept by the state of their sources, whatever is loaded first."""

import gc
import os
import shutil
import subprocess
import sys
import tracemalloc
from pathlib import Path

import pytest

import moss_crown.core
from moss_crown.core.draft.draft import draft
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame
from moss_crown.demo.motions import buoy_line
from moss_crown.demo.shots import demo_shots

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


def test_a_change_wherever_kernels_stand_gives_them_another_folder(tmp_path):
    """Every file with a kernel stands where its sources are counted."""
    core = Path(moss_crown.core.__file__).parent
    marks = ("core.compiling import", "core.render.arithmetic import", "numba")
    with_kernels = [f for f in core.rglob("*.py") if any(mark in f.read_text() for mark in marks)]
    folders = {f.relative_to(core).parts[0] for f in with_kernels} - {"__init__.py", "compiling.py"}
    assert folders == set(moss_crown.core.WITH_KERNELS)
    copy = tmp_path / "moss_crown"
    (copy / "core").mkdir(parents=True)
    (copy / "__init__.py").touch()
    for name in ("__init__.py", "compiling.py", *moss_crown.core.WITH_KERNELS):
        (shutil.copytree if (core / name).is_dir() else shutil.copy)(core / name, copy / "core" / name)
    known = {folder(f"import moss_crown.core; {ASK}", PYTHONPATH=str(tmp_path))}
    for name in moss_crown.core.WITH_KERNELS:
        (copy / "core" / name / "__init__.py").write_text("# changed")
        known.add(folder(f"import moss_crown.core; {ASK}", PYTHONPATH=str(tmp_path)))
    assert len(known) == 1 + len(moss_crown.core.WITH_KERNELS)


def test_only_two_files_touch_what_numba_does_not_promise_to_keep():
    core = Path(moss_crown.core.__file__).parent
    touching = {str(f.relative_to(core)) for f in core.rglob("*.py") if "numba.core" in f.read_text()}
    assert touching == {"compiling.py", "render/views.py"}


NOTHING_LEFT = """
import importlib, pkgutil
import moss_crown.core
from moss_crown.core.compiling import OUTER
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_layers, render_picture
from moss_crown.demo.shots import demo_shots
from moss_crown.server.jobs import draft_of, warm

for module in pkgutil.walk_packages(moss_crown.core.__path__, "moss_crown.core."):
    importlib.import_module(module.name)
warm()
ready = [list(kernel.overloads) for kernel in OUTER]
print(*(kernel.__name__ for kernel, known in zip(OUTER, ready) if not known), "|")
for shot in demo_shots():
    draft_of(shot.model_dump(mode="json"))
    render_picture(Evaluation(shot), shot.first + 20, FrameOrder(80, 45, 16)).pixels()
    render_layers(Evaluation(shot), shot.first + 20, FrameOrder(32, 18, 1))
print(*(kernel.__name__ for kernel, known in zip(OUTER, ready) if list(kernel.overloads) != known))
"""


def test_nothing_is_left_to_compile_when_all_is_warm():
    left, late = folder(NOTHING_LEFT, MOSS_CROWN_KERNELS=os.environ["MOSS_CROWN_KERNELS"]).split("|")
    assert left.split() == []
    assert late.split() == []


@pytest.mark.parametrize("shot", [demo_shots()[0], buoy_line()], ids=lambda shot: shot.title)
def test_nothing_is_kept_of_what_was_rendered(shot):
    """A take renders hundreds of frames in one process."""

    def made():
        render_frame(Evaluation(shot), shot.first + 12, FrameOrder(64, 36, 2))
        draft(shot)
        gc.collect()

    made()
    tracemalloc.start()
    try:
        made()
        once, _ = tracemalloc.get_traced_memory()
        for _ in range(3):
            made()
        again, _ = tracemalloc.get_traced_memory()
    finally:
        tracemalloc.stop()
    assert again - once < 100_000
