"""A running server with the demo, for each module that wants one."""

import pytest

from cluster import RunningServer
from moss_crown.demo.load import load_demo


@pytest.fixture(scope="module")
def server(cluster, database, tmp_path_factory):
    load_demo(cluster.url(database))
    running = RunningServer(
        cluster, database, tmp_path_factory.mktemp("log") / "server.log", farm="false", posters="false"
    )
    running.start()
    yield running
    running.stop()
