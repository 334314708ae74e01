"""The web server asks for its jobs by their names, and does not load what they compute with."""

from __future__ import annotations

import subprocess
import sys

from moss_crown.server import jobs as real
from moss_crown.server.named import jobs


def test_the_server_loads_nothing_that_computes() -> None:
    script = (
        "import sys, moss_crown.server.app\n"
        "heavy = {'numba', 'scipy', 'pyoidn', 'moss_crown.server.jobs'}\n"
        "print(sorted(heavy & set(sys.modules)))"
    )
    told = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert told.stdout.strip() == "[]"


def test_a_job_by_its_name_is_the_job() -> None:
    assert jobs.pattern_source("plain") == real.pattern_source("plain")
