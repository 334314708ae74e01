"""Shared by all tests."""

import os
import shutil
import sys
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings

sys.path.insert(0, str(Path(__file__).parent))

# Kernels compile at their first call; machines are shared: time says nothing about right or wrong.
settings.register_profile("moss-crown", deadline=None)
settings.load_profile("moss-crown")


@pytest.fixture(scope="session")
def cluster():
    """A PostgreSQL of the test run's own."""
    from moss_crown.server.db import cluster as clusters

    home = Path(tempfile.mkdtemp(prefix="moss-crown-test-"))
    os.chmod(home, 0o755)
    made = clusters.ensure(home)
    yield made
    clusters.stop(made, "immediate")
    shutil.rmtree(made.folder, ignore_errors=True)
    shutil.rmtree(home, ignore_errors=True)


@pytest.fixture(scope="module")
def database(cluster, request):
    """A fresh, migrated database for a module: its name."""
    from moss_crown.server.db.cluster import ensure_database
    from moss_crown.server.db.migrate import migrate

    name = request.module.__name__.replace(".", "_")
    ensure_database(cluster, name)
    migrate(cluster.url(name))
    return name
