"""The real interface in headless Chromium on a real server."""

import pytest

from cluster import RunningServer
from moss_crown.demo.load import load_demo
from moss_crown.server.db.cluster import ensure_database
from moss_crown.server.db.migrate import migrate

CHROMIUM = "/usr/bin/chromium"
# A browser without a graphics card: it draws WebGL in software, and the page around it as it chooses itself.
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--enable-unsafe-swiftshader",
]


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return {"executable_path": CHROMIUM, "args": FLAGS}


@pytest.fixture(scope="session")
def browser_context_args():
    # A quarter of the pixels each way: the draft is drawn in software here, and every test waits for it. What tests
    # wait for is evaluated in the page, which its own policy forbids; one test goes through the screens under it.
    look = {"viewport": {"width": 1280, "height": 800}, "device_scale_factor": 0.25}
    return look | {"accept_downloads": True, "bypass_csp": True}


def run_server(cluster, name, folder, **settings):
    ensure_database(cluster, name)
    migrate(cluster.url(name))
    load_demo(cluster.url(name))
    running = RunningServer(cluster, name, folder / "server.log", **settings)
    running.start()
    yield running
    running.stop()


@pytest.fixture(scope="session")
def server(cluster, tmp_path_factory):
    """For all tests but one without posters, which would take the processor from everything else."""
    yield from run_server(cluster, "e2e", tmp_path_factory.mktemp("log"), posters="false")


@pytest.fixture
def poster_server(cluster, tmp_path_factory):
    yield from run_server(cluster, "e2e_posters", tmp_path_factory.mktemp("log"), farm="false")


@pytest.fixture
def quiet(page):
    """A page on which no error may appear in the console."""
    wrong: list[str] = []
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.on(
        "console",
        lambda m: wrong.append(m.text) if m.type == "error" and "Failed to load resource" not in m.text else None,
    )
    page.set_default_timeout(90_000)
    yield page
    assert wrong == []


@pytest.fixture
def blank(quiet, server):
    """An empty page of the server's, to try things in."""
    quiet.goto(f"{server.url}/api/health")
    return quiet
