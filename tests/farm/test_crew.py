"""A crew whose workers do not come back is seen, and begun again by whoever keeps the runner."""

import time

import psutil
import psycopg
import pytest
from distributed.core import Status

from cluster import wait_for
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import write_shot
from moss_crown.farm.crew import Crew, CrewStill
from moss_crown.farm.orders import TakeOrders
from moss_crown.server import take_runner
from moss_crown.server.db import shots, takes
from moss_crown.server.take_runner import Runner


def test_a_worker_that_is_not_started_again_is_seen():
    with Crew(processes=1) as crew:
        running = {crew._client.submit(time.sleep, 600): 1}
        wait_for(crew.at_work, 60)
        (nanny,) = crew._cluster.workers.values()
        nanny.status = Status.closing_gracefully  # as after a start that failed: it lets its worker go
        psutil.Process(nanny.pid).kill()
        wait_for(lambda: not crew.at_work(), 60)
        assert not list(crew.finished(running, 0.1)) and len(running) == 1, "the frame still waits"
        crew.drop(running)


class Still:
    """A crew that takes frames and never begins one."""

    width = 2

    def __init__(self):
        self.taken, self.dropped = [], []

    def share(self, assets):
        return []

    def submit(self, document, frame, order, assets):
        self.taken.append(frame)
        return object()

    def finished(self, running, seconds):
        time.sleep(0.01)
        return iter(())

    def at_work(self):
        return False

    def drop(self, running):
        self.dropped += running.values()
        running.clear()


def test_a_runner_ends_with_a_crew_that_stands_still(cluster, database, monkeypatch):
    monkeypatch.setattr(take_runner, "STILL_SECONDS", 0.2)
    url = cluster.url(database)
    with psycopg.connect(url) as connection:
        production = shots.add_production(connection, "Lowmere", {})
        shot = shots.add_shot(connection, production, write_shot(new_shot()), {})
        take = takes.add_take(connection, shot, TakeOrders(first=0, last=9))
    crew = Still()
    with pytest.raises(CrewStill, match="no worker was at a frame"):
        Runner(url, crew).run()
    assert crew.taken and sorted(crew.dropped) == sorted(crew.taken)
    with psycopg.connect(url) as connection:
        assert takes.load_state(connection, take) == "running", "whoever begins again goes on with it"
