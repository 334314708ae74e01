"""A take of 24 frames survives the death of a worker, of the server and of the database: all frames, none wrong."""

import io
import time
import zipfile

import numpy as np
import psutil
import psycopg
import pytest

from cluster import RunningServer, wait_for
from moss_crown.core.cache import Cache
from moss_crown.core.document.door import read_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.formats.movie import read_facts
from moss_crown.core.formats.png import read_png
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_picture
from moss_crown.server.db import cluster as clusters

SIZE = {"width": 96, "height": 54, "samples": 3}


@pytest.fixture(scope="module")
def server(cluster, database, tmp_path_factory):
    running = RunningServer(cluster, database, tmp_path_factory.mktemp("log") / "server.log", posters="false")
    running.start()
    yield running
    running.stop()


@pytest.fixture
def shot(server):
    production = server.client.post("/api/productions", json={"name": "Lowmere"}).json()
    return server.client.post(f"/api/productions/{production}/shots", json={"text": "TIDE"}).json()


@pytest.fixture(scope="module")
def expected():
    cache, known = Cache(), {}

    def pixels(document, frame, alpha=False):
        key = (str(document), frame, alpha)
        if key not in known:
            order = FrameOrder(SIZE["width"], SIZE["height"], SIZE["samples"], alpha=alpha)
            known[key] = render_picture(Evaluation(read_shot(document), cache), frame, order).pixels(alpha)
        return known[key]

    return pixels


def order(server, shot, first=0, last=23, **more):
    answer = server.client.post(f"/api/shots/{shot}/takes", json={"first": first, "last": last, **SIZE, **more})
    assert answer.status_code == 201, answer.text
    return answer.json()["id"]


def state(server, take):
    try:
        answer = server.client.get(f"/api/takes/{take}")
    except Exception:
        return None
    return answer.json() if answer.status_code == 200 else None


def some_done(server, take, least=3):
    return wait_for(lambda: (s := state(server, take)) and s["done"] >= least and s, 120)


def done(server, take):
    def finished():
        s = state(server, take)
        assert not s or s["state"] != "failed", s["message"]
        return s and s["state"] == "done" and s

    return wait_for(finished, 240)


def assert_all_right(server, shot, take, expected, count=24):
    document = server.client.get(f"/api/shots/{shot}").json()["document"]
    assert state(server, take)["done"] == count
    for frame in range(count):
        picture = server.client.get(f"/api/takes/{take}/frames/{frame}").content
        assert (read_png(picture) == expected(document, frame)).all(), f"frame {frame} is wrong"
    movie = server.client.get(f"/api/takes/{take}/movie")
    facts = read_facts(movie.content)
    assert (facts.width, facts.height, facts.frames, facts.rate) == (96, 54, count, 25)


def runner_and_workers(server):
    below = psutil.Process(server.process.pid).children(recursive=True)
    runner = [p for p in below if "take_runner" in " ".join(p.cmdline())]
    return runner[0], [p for p in runner[0].children(recursive=True) if "spawn_main" in " ".join(p.cmdline())]


def test_a_worker_is_killed(server, shot, expected):
    take = order(server, shot)
    some_done(server, take)
    _, workers = runner_and_workers(server)
    assert workers
    for worker in workers[-2:]:
        worker.kill()
    done(server, take)
    assert_all_right(server, shot, take, expected)


def test_the_runner_is_killed(server, shot, expected):
    take = order(server, shot)
    some_done(server, take)
    runner, _ = runner_and_workers(server)
    runner.kill()
    done(server, take)
    assert_all_right(server, shot, take, expected)


def test_the_server_is_killed(server, shot, expected):
    edit = {"revision": 1, "label": "t", "patch": [{"op": "replace", "path": "/steps/2/reaches/0/delay", "value": 1.0}]}
    assert server.client.post(f"/api/shots/{shot}/edits", json=edit).status_code == 200
    take = order(server, shot)
    some_done(server, take)
    before = set(f["frame"] for f in state(server, take)["frames"])
    below = psutil.Process(server.process.pid).children(recursive=True)
    server.kill()
    psutil.wait_procs(below, timeout=40)
    assert not [p for p in below if p.is_running() and p.status() != psutil.STATUS_ZOMBIE], (
        "something outlived the server"
    )
    server.start()
    after = state(server, take)
    assert before <= {f["frame"] for f in after["frames"]}, "a finished frame was lost"
    assert server.client.get(f"/api/shots/{shot}").json()["revision"] == 2, "an acknowledged edit was lost"
    done(server, take)
    assert_all_right(server, shot, take, expected)


def test_the_database_is_stopped(server, cluster, shot, expected):
    take = order(server, shot)
    some_done(server, take)
    clusters.stop(cluster, "immediate")
    answer = server.client.get(f"/api/shots/{shot}")
    assert answer.status_code == 503
    assert answer.json()["code"] == "database.away"
    assert server.client.get("/api/health").status_code == 200
    assert server.client.get("/api/ready").status_code == 503
    clusters.start(cluster)
    done(server, take)
    assert_all_right(server, shot, take, expected)


def test_stop_and_carry_on(server, shot, expected):
    take = order(server, shot)
    some_done(server, take, 2)
    assert server.client.post(f"/api/takes/{take}/stop").status_code == 200
    stopped = wait_for(lambda: (s := state(server, take)) and s["state"] == "stopped" and s, 60)
    assert 0 < stopped["done"] < 24
    assert server.client.post(f"/api/takes/{take}/stop").json()["code"] == "take.state"
    assert server.client.post(f"/api/takes/{take}/carry-on").json()["state"] == "queued"
    done(server, take)
    assert_all_right(server, shot, take, expected)


def test_a_stopped_take_frees_the_crew(server, shot, expected):
    """Frames of hours are let go of between two parts of them; what waits for its turn stops at once."""
    large = order(server, shot, width=2048, height=1152, samples=1024)
    waiting = order(server, shot, width=2048, height=1152, samples=1024)
    wait_for(lambda: state(server, large)["state"] == "running", 60)
    time.sleep(3)  # until the frames in hand are being traced
    assert server.client.post(f"/api/takes/{waiting}/stop").json()["state"] == "stopped"
    server.client.post(f"/api/takes/{large}/stop")
    small = order(server, shot, 0, 1)
    wait_for(lambda: state(server, large)["state"] == "stopped", 30)
    wait_for(lambda: state(server, small)["state"] == "done", 60)
    assert_all_right(server, shot, small, expected, 2)
    assert state(server, large)["done"] == 0


def test_a_take_that_can_not_be_done_fails_and_others_go_on(server, shot, cluster, database):
    """The crew gives its frames; the database cannot keep them, whatever is tried."""
    with psycopg.connect(cluster.url(database), autocommit=True) as connection:
        connection.execute(
            """create function no_room() returns trigger language plpgsql as
               $$ begin raise exception 'No space left on device' using errcode = '53100'; end $$;
               create trigger no_room before insert on take_frame for each row execute function no_room()"""
        )
        try:
            stuck = order(server, shot, 0, 3)
            wait_for(lambda: state(server, stuck)["state"] == "failed", 60)
        finally:
            connection.execute("drop trigger no_room on take_frame; drop function no_room()")
    assert "disk is full" in state(server, stuck)["message"]
    after = order(server, shot, 0, 1)
    done(server, after)
    assert server.client.post(f"/api/takes/{stuck}/carry-on").json()["state"] == "queued"
    done(server, stuck)


def test_a_take_that_ends_its_runner_every_time_is_given_up(server, shot, cluster, database):
    first = order(server, shot, 0, 3, width=1024, height=576, samples=256)
    with psycopg.connect(cluster.url(database), autocommit=True) as connection:
        connection.execute("update take set tries = 99 where id = %s", [first])
        runner, _ = runner_and_workers(server)
        runner.kill()
        wait_for(lambda: (s := state(server, first)) and s["state"] == "failed", 60)
    assert "without a further frame" in state(server, first)["message"]
    second = order(server, shot, 0, 1)
    done(server, second)


def test_frames_with_alpha_come_as_a_zip_and_no_movie(server, shot, expected):
    take = order(server, shot, 40, 43, alpha=True)
    out = done(server, take)
    assert out["files"] == {}
    archive = zipfile.ZipFile(io.BytesIO(server.client.get(f"/api/takes/{take}/frames.zip").content))
    assert archive.testzip() is None
    document = server.client.get(f"/api/shots/{shot}").json()["document"]
    assert [n[-9:-4] for n in archive.namelist()] == ["00040", "00041", "00042", "00043"]
    for frame, name in zip(range(40, 44), archive.namelist(), strict=True):
        pixels = read_png(archive.read(name))
        assert pixels.shape == (54, 96, 4)
        assert (pixels == expected(document, frame, alpha=True)).all()
    assert server.client.get(f"/api/takes/{take}/movie").status_code == 404


def test_a_player_may_ask_for_parts_of_the_movie(server, shot):
    take = order(server, shot, 0, 1)
    done(server, take)
    whole = server.client.get(f"/api/takes/{take}/movie").content
    part = server.client.get(f"/api/takes/{take}/movie", headers={"range": "bytes=10-19"})
    assert (part.status_code, part.content) == (206, whole[10:20])
    assert part.headers["content-range"] == f"bytes 10-19/{len(whole)}"
    assert np.frombuffer(whole[4:8], "S4")[0] == b"ftyp"
