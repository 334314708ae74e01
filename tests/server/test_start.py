"""`./crown start`: a fresh start, one beside it, one after a kill, and a clean end."""

import fcntl
import json
import os
import shutil
import signal
import socket
import stat
import subprocess
import sys
import tempfile
from pathlib import Path

import httpx
import psutil
import psycopg
import pytest

from cluster import free_port, wait_for
from moss_crown.demo.load import load_demo
from moss_crown.server import editing, logs
from moss_crown.server import user as users
from moss_crown.server.db import shots
from moss_crown.server.db.cluster import Cluster, ensure, running, stop
from moss_crown.server.db.migrate import migrate


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
    shutil.rmtree(users.folder_of(folder), ignore_errors=True)
    shutil.rmtree(folder, ignore_errors=True)


def cluster_of(home):
    facts = json.loads((home / "database.json").read_text())
    return Cluster(Path(facts["folder"]), facts["port"], facts["password"], facts["application"])


def test_a_log_that_grows_is_put_aside(tmp_path):
    path = tmp_path / "server.log"
    with logs.open_log(path) as writer:
        for round_number in range(5):
            writer.write(bytes([65 + round_number]) * 1000)
            writer.flush()
            assert logs.rotate(path, 900) and not logs.rotate(path, 900)
        writer.write(b"last")
        writer.flush()
    assert path.read_bytes() == b"last", "who writes goes on at the beginning"
    kept = sorted(tmp_path.glob("server.log.*"))
    assert [file.read_bytes()[:1] for file in kept] == [b"E", b"D", b"C"]
    assert all(stat.S_IMODE(file.stat().st_mode) == 0o600 for file in (path, *kept))


@pytest.mark.skipif(os.geteuid() != 0, reason="only root gives others access")
def test_a_user_is_let_through_to_what_it_reads_and_to_nothing_else():
    folder = Path(tempfile.mkdtemp())
    (folder / "inside" / "tree").mkdir(parents=True)
    (folder / "inside" / "tree" / "a.py").write_text("x")
    (folder / "inside" / "secret").write_text("x")
    (folder / "inside" / "secret").chmod(0o600)
    (folder / "inside").chmod(0o700)
    command = ("setpriv", "--reuid=nobody", "--regid=nogroup", "--clear-groups")
    try:
        users.let_through("nobody", command, [folder / "inside" / "tree"])
        reads = {
            name: subprocess.run(
                [*command, "cat", folder / "inside" / name], capture_output=True, check=False
            ).returncode
            == 0
            for name in ("tree/a.py", "secret")
        }
        assert reads == {"tree/a.py": True, "secret": False}
        assert subprocess.run([*command, "ls", folder / "inside"], capture_output=True, check=False).returncode != 0
        assert stat.S_IMODE((folder / "inside").stat().st_mode) & 0o007 == 0, "others are not let in"
    finally:
        shutil.rmtree(folder)


def test_the_application_is_no_superuser(home):
    made = ensure(home)
    with psycopg.connect(made.url()) as connection:
        assert connection.execute("select usesuper from pg_user where usename = current_user").fetchone() == (False,)
    for beyond in ("create database other", "create role other", "select pg_read_file('/etc/passwd')"):
        with (
            pytest.raises(psycopg.errors.InsufficientPrivilege),
            psycopg.connect(made.url(), autocommit=True) as alone,
        ):
            alone.execute(beyond)
    stop(made)


def test_a_database_of_a_superuser_is_handed_over(home):
    """As those were that an earlier version made."""
    made = ensure(home)
    with psycopg.connect(made.owner_url("moss_crown"), autocommit=True) as owner:
        owner.execute("create table old as select 7 as seven")
    facts = home / "database.json"
    facts.write_text(json.dumps({k: v for k, v in json.loads(facts.read_text()).items() if k != "application"}))
    stop(made)
    again = ensure(home)
    with psycopg.connect(again.url()) as connection:
        connection.execute("alter table old add column eight integer")
        assert connection.execute("select seven from old").fetchone() == (7,)


def test_what_is_backed_up_comes_back_whole(home, tmp_path):
    made = ensure(home)
    migrate(made.url())
    load_demo(made.url())
    crown = [sys.executable, "-m", "moss_crown.cli"]
    environment = os.environ | {"MOSS_CROWN_HOME": str(home)}

    def told(*arguments):
        return subprocess.run([*crown, *arguments], env=environment, capture_output=True, text=True, check=False)

    def kept():
        with psycopg.connect(made.url()) as connection:
            tables = ("production", "shot", "history", "asset")
            return [connection.execute(f"select * from {table} order by 1, 2").fetchall() for table in tables]

    with psycopg.connect(made.url()) as connection:
        (shot,) = connection.execute("select id from shot limit 1").fetchone()
        patch = [{"op": "replace", "path": "/title", "value": "Slack Water"}]
        made_of = editing.edited(shots.load_shot(connection, shot).document, patch)
        shots.store_edit(connection, shot, 1, made_of, patch, "title")
    before = kept()
    file = tmp_path / "all.backup"
    assert told("backup", str(file)).returncode == 0
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    with psycopg.connect(made.url()) as connection:
        connection.execute("delete from history")
        connection.execute("update shot set document = '{}', revision = 9")
    assert kept() != before
    (tmp_path / "none").write_bytes(b"no backup")
    assert told("restore", "--sure", str(tmp_path / "none")).returncode == 1
    with psycopg.connect(made.url()):
        busy = told("restore", "--sure", str(file))
        assert busy.returncode == 1 and "stop it" in busy.stderr
    assert told("restore", "--sure", str(file)).returncode == 0
    assert kept() == before
    stop(made)
    assert told("backup", "--no-takes", str(file)).returncode == 0, "a database that does not run is started for it"
    assert not running(made)


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
    ours = [p for p in below if "postgres" not in p.name()]
    if os.geteuid() == 0:
        assert len(ours) >= 3
        assert {p.username() for p in ours} == {"moss-crown"}, "the server and its children are root's"
    assert stat.S_IMODE(home.stat().st_mode) == 0o700
    assert stat.S_IMODE((home / "server.log").stat().st_mode) == 0o600
    assert stat.S_IMODE((home / "database.json").stat().st_mode) == 0o600
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
