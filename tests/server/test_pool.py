"""Compute processes: errors come out whole, a dead or endless job costs only itself, and nobody waits out of turn."""

import asyncio
import os
import threading
import time

import pytest

from moss_crown.core.errors import DocumentInvalid
from moss_crown.server.errors import ComputeBusy, ComputeFailed, ComputeTooLong
from moss_crown.server.pool import MOST_WAITING, Lane, Room
from moss_crown.server.process import GIVES_WAY

GIGABYTES = 6 * 1024**3
PLAIN = "moss_crown.server.errors"  # loads fast: these jobs need nothing of the product


def refuse():
    raise DocumentInvalid("/steps/0/size", "above 0", "too small")


def stumble():
    raise KeyError("a fault of ours")


def die():
    os._exit(9)


def hoard():
    return len(bytearray(64 * 1024**3))


_kept = []


def keep(megabytes):
    _kept.append(bytearray(os.urandom(1024) * 1024 * megabytes))
    return os.getpid()


def count_kept():
    return len(_kept)


def burn(seconds):
    end = time.process_time() + seconds
    while time.process_time() < end:
        pass
    return os.getpid()


def rest(seconds):
    time.sleep(seconds)
    return os.getpid()


def in_threads(seconds):
    """Time of all threads counts, wherever it is spent."""
    others = [threading.Thread(target=sum, args=(range(10**9),)) for _ in range(2)]
    for other in others:
        other.daemon = True
        other.start()
    time.sleep(seconds)


@pytest.fixture
def lane():
    made = Lane("trial", Room(8, GIGABYTES, module=PLAIN))
    yield made
    made.close()


@pytest.fixture
def two():
    made = Lane("two", Room(8, GIGABYTES, module=PLAIN), 2)
    made.begin()
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


def test_a_fault_of_ours_is_said_without_its_insides(lane):
    with pytest.raises(ComputeFailed) as failed:
        run(lane, (stumble,))
    assert "fault of ours" not in str(failed.value)
    assert run(lane, (max, 1, 2)) == [2]


def test_a_process_that_dies_is_replaced(lane):
    with pytest.raises(ComputeFailed):
        run(lane, (die,))
    assert run(lane, (max, 1, 2)) == [2]
    assert lane.waiting == 0


def test_only_the_job_that_ends_a_process_fails(lane):
    """Those that wait behind it run in the next process."""

    async def at_once():
        jobs = [lane.run(die)] + [lane.run(max, k, 0) for k in range(12)]
        return await asyncio.gather(*jobs, return_exceptions=True)

    first, *others = asyncio.run(at_once())
    assert isinstance(first, ComputeFailed)
    assert others == list(range(12))


def test_what_renders_gives_way():
    own = os.nice(0)
    quick, slow = (Lane("x", Room(8, GIGABYTES, gives_way=way, module=PLAIN)) for way in (False, True))
    try:
        assert run(quick, (os.nice, 0)) == [own]
        assert run(slow, (os.nice, 0)) == [min(own + GIVES_WAY, 19)]
    finally:
        quick.close()
        slow.close()


@pytest.mark.parametrize(("job", "seconds"), [(burn, 600), (in_threads, 600)])
def test_a_job_without_end_is_ended(job, seconds):
    lane = Lane("short", Room(0.5, GIGABYTES, module=PLAIN))
    try:
        with pytest.raises(ComputeTooLong):
            run(lane, (job, seconds))
        assert run(lane, (max, 1, 2)) == [2]
    finally:
        lane.close()


def test_waiting_is_no_computing_but_it_ends_too():
    """A job may wait for longer than it may compute; one that waits for ever is given up."""
    lane = Lane("short", Room(0.5, GIGABYTES, module=PLAIN, idle_seconds=3))
    try:
        assert run(lane, (rest, 1.5))
        with pytest.raises(ComputeTooLong):
            run(lane, (rest, 600))
    finally:
        lane.close()


def test_time_in_the_queue_and_of_the_start_does_not_count():
    """Sixteen jobs of a third of what one may take, asked for at once of a process that is not there yet."""
    lane = Lane("short", Room(0.6, GIGABYTES, module="moss_crown.server.reading"))

    async def at_once():
        return await asyncio.gather(*(lane.run(burn, 0.2) for _ in range(16)))

    try:
        assert len(set(asyncio.run(at_once()))) == 1, "a process was replaced"
    finally:
        lane.close()


def test_a_job_that_wants_too_much_memory_fails_alone_and_leaves_nothing_behind(lane):
    before = run(lane, (os.getpid,))
    with pytest.raises(ComputeFailed):
        run(lane, (hoard,))
    assert run(lane, (max, 3, 4)) == [4]
    assert run(lane, (os.getpid,)) != before


def test_a_process_that_has_grown_is_replaced_between_jobs():
    lane = Lane("grown", Room(8, GIGABYTES, 200 * 1024**2, module=PLAIN))

    async def until_another():
        first = await lane.run(os.getpid)
        assert await lane.run(keep, 10) == first
        assert await lane.run(keep, 300) == first
        for _ in range(200):
            if (now := await lane.run(os.getpid)) != first:
                return now
            await asyncio.sleep(0.05)

    try:
        assert asyncio.run(until_another())
    finally:
        lane.close()


def test_owners_come_in_turns(two):
    """One owner asks for thirty things, another for one: that one is the next to be answered, not the thirty-first."""
    done = []

    async def one(owner, number):
        await two.of(owner).run(burn, 0.05)
        done.append((owner, number))

    async def all_at_once():
        await asyncio.gather(*(two.of(owner).run(burn, 0.1) for owner in "ab"))  # both processes are there
        await asyncio.gather(*(one("many", k) for k in range(30)), one("few", 0))

    asyncio.run(all_at_once())
    assert done.index(("few", 0)) <= 2
    assert [number for owner, number in done if owner == "many"] == list(range(30)), "one owner's jobs keep their order"


def test_an_owner_takes_one_process_and_keeps_it(two):
    async def go():
        await asyncio.gather(two.of("a").run(burn, 0.3), two.of("b").run(burn, 0.3))
        first = await two.of("a").run(os.getpid)
        return first, await asyncio.gather(*(two.of("a").run(os.getpid) for _ in range(5)))

    first, later = asyncio.run(go())
    assert set(later) == {first}


def test_who_is_gone_is_not_worked_for(lane):
    async def go():
        await lane.run(max, 1, 2)
        ahead = asyncio.ensure_future(lane.run(burn, 0.3))
        gone = asyncio.ensure_future(lane.run(keep, 1))
        await asyncio.sleep(0.05)
        gone.cancel()
        await ahead
        return await lane.run(count_kept)

    assert asyncio.run(go()) == 0


def test_more_than_can_be_worked_off_is_refused(lane):
    async def go():
        waiting = [asyncio.ensure_future(lane.run(rest, 0.001)) for _ in range(MOST_WAITING)]
        await asyncio.sleep(0)
        with pytest.raises(ComputeBusy):
            await lane.run(max, 1, 2)
        await asyncio.gather(*waiting)
        return await lane.run(max, 1, 2)

    assert asyncio.run(go()) == 2


def test_what_is_nested_too_deep_to_be_sent_is_refused(lane):
    deep = []
    for _ in range(100_000):
        deep = [deep]
    with pytest.raises(ComputeFailed):
        run(lane, (len, deep))
    assert run(lane, (max, 3, 4)) == [4]
    while deep:  # taken apart by hand: Python's own way down is recursive
        deep = deep.pop()
