"""`./crown start`: a fresh start, one beside it, one after a kill, and a clean end."""

import fcntl
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
from pathlib import Path

import httpx
import psutil
import psycopg
import pytest

from cluster import free_port, wait_for
from moss_crown.server.db.cluster import Cluster, ensure, running, stop


class Started:
    def __init__(self, home, port):
        self.port, self.client = port, httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=30)
        command = [sys.executable, "-m", "moss_crown.cli", "start", "--port", str(port)]
        environment = os.environ | {
            "MOSS_CROWN_HOME": str(home),
            "MOSS_CROWN_POSTERS": "false",
            "MOSS_CROWN_FARM": "false",
        }
        self.process = subprocess.Popen(
            command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        self.said = []
        for line in self.process.stdout:
            self.said.append(line)
            if "ready" in line and "http" in line:
                break

    def productions(self):
        return [p["name"] for p in self.client.get("/api/productions").json()]


@pytest.fixture
def home():
    folder = Path(tempfile.mkdtemp(prefix="moss-crown-home-"))
    folder.chmod(0o755)
    # The kernels are those of this test run: nothing to prepare.
    (folder / "kernels-ready").touch()
    os.utime(folder / "kernels-ready", (4e9, 4e9))
    yield folder
    facts = json.loads((folder / "database.json").read_text())
    if running(Cluster(Path(facts["folder"]), facts["port"], "")):
        pid = int((Path(facts["folder"]) / "postmaster.pid").read_text().split()[0])
        os.kill(pid, signal.SIGQUIT)
    shutil.rmtree(facts["folder"], ignore_errors=True)
    shutil.rmtree(folder, ignore_errors=True)


def cluster_of(home):
    facts = json.loads((home / "database.json").read_text())
    return Cluster(Path(facts["folder"]), facts["port"], facts["password"])


def test_kernels_are_prepared_once_and_waited_for(tmp_path):
    """Whoever needs them while another prepares them waits for that one, and then has nothing to do."""
    with (tmp_path / "kernels.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        environment = os.environ | {"MOSS_CROWN_HOME": str(tmp_path)}
        command = [sys.executable, "-m", "moss_crown.cli", "kernels"]
        waiting = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)
        with pytest.raises(subprocess.TimeoutExpired):
            waiting.wait(4)
        (tmp_path / "kernels-ready").touch()
        os.utime(tmp_path / "kernels-ready", (4e9, 4e9))
    said, _ = waiting.communicate(timeout=60)
    assert (waiting.returncode, said) == (0, "")


def test_starts_and_ends(home):
    port = free_port()
    first = Started(home, port)
    assert f"http://127.0.0.1:{port}/" in first.said[-1]
    assert first.client.get("/").status_code == 200
    assert first.productions() == ["Lowmere: Six Crossings"]
    first.client.post("/api/productions", json={"name": "Kept"})

    taken = Started(home, port)
    assert taken.process.wait(30) == 1
    assert "is taken" in taken.said[-1]
    assert first.productions()[-1] == "Kept", "a refused second start must not disturb the first"

    below = psutil.Process(first.process.pid).children(recursive=True)
    first.process.kill()
    first.process.wait()
    psutil.wait_procs(below, timeout=20)
    wait_for(lambda: socket.socket().connect_ex(("127.0.0.1", port)) != 0, 20)

    again = Started(home, port)
    assert again.productions() == ["Lowmere: Six Crossings", "Kept"]
    again.process.send_signal(signal.SIGINT)
    assert again.process.wait(40) == 0
    assert not running(cluster_of(home))


@pytest.mark.parametrize("stopped", [True, False])
def test_a_database_whose_facts_are_lost_is_opened_again(home, stopped):
    """As after a checkout is deleted and made anew in its old place."""
    first = ensure(home)
    with psycopg.connect(first.url(), autocommit=True) as connection:
        connection.execute("create table kept as select 7 as seven")
    if stopped:
        stop(first)
    (home / "database.json").unlink()
    second = ensure(home)
    assert (second.folder, second.password != first.password) == (first.folder, True)
    with psycopg.connect(second.url()) as connection:
        assert connection.execute("select seven from kept").fetchone() == (7,)
    with pytest.raises(psycopg.OperationalError):
        psycopg.connect(first.url().replace(f":{first.port}/", f":{second.port}/"))
    assert ensure(home) == second
