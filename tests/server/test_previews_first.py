"""Edits wait for the previews that are under way, which their maker is waiting to see, but never for long."""

import asyncio
import time
from dataclasses import dataclass
from uuid import UUID, uuid4

from moss_crown.server.live import Listeners


@dataclass(eq=False)
class Window:
    shot: UUID


def waited(most, *turns):
    """Seconds an edit of a shot waits when windows begin or end to wait for previews: (seconds, window, waiting)."""
    shot = uuid4()
    windows = {name: Window(shot) for _, name, _ in turns}
    listeners = Listeners()

    async def go():
        loop = asyncio.get_running_loop()
        for after, name, waiting in turns:
            if after:
                loop.call_later(after, listeners.waits, windows[name], waiting)
            else:
                listeners.waits(windows[name], waiting)
        begun = time.perf_counter()
        await listeners.previews(shot, most)
        return time.perf_counter() - begun

    return asyncio.run(go())


def test_without_previews_it_does_not_wait():
    assert waited(5) < 0.5
    assert waited(5, (0, "a", True), (0, "a", False)) < 0.5


def test_it_waits_until_every_window_has_its_preview():
    found = waited(5, (0, "a", True), (0, "b", True), (0.1, "a", False), (0.4, "b", False))
    assert 0.35 < found < 2


def test_a_window_that_sends_two_previews_waits_for_the_last():
    assert 0.25 < waited(5, (0, "a", True), (0.1, "a", True), (0.3, "a", False)) < 2


def test_it_does_not_wait_longer_than_it_was_told():
    assert 0.15 < waited(0.2, (0, "a", True)) < 2
