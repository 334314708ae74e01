"""Compute processes: errors come out whole, a dead or endless job costs only itself."""

import asyncio
import os
import time

import pytest

from moss_crown.core.errors import DocumentInvalid
from moss_crown.server.errors import ComputeFailed, ComputeTooLong
from moss_crown.server.pool import Lane
from moss_crown.server.process import GIVES_WAY

GIGABYTES = 6 * 1024**3


def refuse():
    raise DocumentInvalid("/steps/0/size", "above 0", "too small")


def die():
    os._exit(9)


def hoard():
    return len(bytearray(64 * 1024**3))


@pytest.fixture
def lane():
    made = Lane("trial", 8, GIGABYTES)
    yield made
    made.close()


def run(lane, *jobs):
    async def each():
        return [await lane.run(job, *args) for job, *args in jobs]

    return asyncio.run(each())


def test_a_job_runs_elsewhere_and_its_error_keeps_its_facts(lane):
    assert run(lane, (os.getpid,)) != [os.getpid()]
    with pytest.raises(DocumentInvalid) as refused:
        run(lane, (refuse,))
    assert refused.value.facts()["field"] == "/steps/0/size"
    assert run(lane, (max, 2, 5)) == [5]


def test_a_process_that_dies_is_replaced(lane):
    with pytest.raises(ComputeFailed):
        run(lane, (die,))
    assert run(lane, (max, 1, 2)) == [2]
    assert lane.waiting == 0


def test_what_renders_gives_way():
    own = os.nice(0)
    quick, slow = Lane("quick", 8, GIGABYTES), Lane("slow", 8, GIGABYTES, gives_way=True)
    try:
        assert run(quick, (os.nice, 0)) == [own]
        assert run(slow, (os.nice, 0)) == [min(own + GIVES_WAY, 19)]
    finally:
        quick.close()
        slow.close()


def test_a_job_without_end_is_ended():
    lane = Lane("short", 1.5, GIGABYTES)
    try:
        begun = time.monotonic()
        with pytest.raises(ComputeTooLong):
            run(lane, (time.sleep, 600))
        assert time.monotonic() - begun < 60
    finally:
        lane.close()


def test_a_job_that_wants_too_much_memory_fails_alone(lane):
    with pytest.raises(ComputeFailed):
        run(lane, (hoard,))
    assert run(lane, (max, 3, 4)) == [4]
