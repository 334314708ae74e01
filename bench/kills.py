"""A hundred kills at random moments of editing and rendering: the web server, compute processes, the take runner, its
workers, the database. What was acknowledged is there afterwards, and everything works again within ten seconds."""

from __future__ import annotations

import json
import random
import signal
import threading
import time
from pathlib import Path

import httpx
import psutil

from bench.hostile import new_shot
from bench.report import say
from bench.served import Served, Times, served

MOST = 60.0


def main(kills: int = 100) -> None:
    rng = random.Random(5)
    with served(posters="false") as here:
        shot = new_shot(here.client)
        ended = threading.Event()
        edits: dict[int, float] = {}
        frames: dict[str, set[int]] = {}
        working = [
            threading.Thread(target=_edit, args=(here, shot, ended, edits)),
            threading.Thread(target=_render, args=(here, shot, ended, frames)),
        ]
        for thread in working:
            thread.start()
        healthy, killed, late = {target: Times() for target in TARGETS}, dict.fromkeys(TARGETS, 0), 0
        try:
            for k in range(kills):
                time.sleep(rng.uniform(0.3, 2.5))
                target = list(TARGETS)[k % len(TARGETS)]
                if target in ("take runner", "render worker"):  # they are hit while they are at work
                    _until_a_frame(frames)
                killed[target] += _kill(here, target, rng)
                with healthy[target].one():
                    late += not _works(here, shot)
        finally:
            ended.set()
            for thread in working:
                thread.join()
        say(f"{kills} kills", ", ".join(f"{name} {n}" for name, n in killed.items()), "-")
        for target, times in healthy.items():
            say(f"  until everything works again: {target}", times.said(), "10 s")
        say("  that took longer than a minute", str(late), "0")
        say(f"  acknowledged edits, of {len(edits)}, that are lost", str(_lost_edits(here, shot, edits)), "0")
        lost = sum(len(done - _frames(here, take)) for take, done in frames.items())
        say(f"  finished frames, of {sum(map(len, frames.values()))}, that are lost", str(lost), "0")


def _until_a_frame(frames: dict[str, set[int]]) -> None:
    """Wait until a further frame is finished, but for no longer than a minute."""
    before, end = sum(map(len, frames.values())), time.monotonic() + MOST
    while sum(map(len, list(frames.values()))) == before and time.monotonic() < end:
        time.sleep(0.1)


TARGETS = ("compute process", "web server", "take runner", "render worker", "database")


def _kill(here: Served, target: str, rng: random.Random) -> int:
    if target == "database":
        folder = Path(json.loads((Path(here.home) / "database.json").read_text())["folder"])
        chosen = [psutil.Process(int((folder / "postmaster.pid").read_text().split()[0]))]
    else:
        chosen = [process for kind, process in here.processes() if kind == target]
    if not chosen:
        return 0
    try:
        rng.choice(chosen).send_signal(signal.SIGKILL)
    except psutil.Error:
        return 0
    return 1


def _works(here: Served, shot: str) -> bool:
    """Ready, with a draft and a database, as a window would find it."""
    end = time.monotonic() + MOST
    with httpx.Client(base_url=here.url, timeout=20) as client:
        while time.monotonic() < end:
            try:
                if (
                    client.get("/api/ready").status_code == 200
                    and client.get(f"/api/shots/{shot}/draft").status_code == 200
                    and client.get(f"/api/shots/{shot}").status_code == 200
                ):
                    return True
            except httpx.HTTPError:
                pass
            time.sleep(0.05)
    return False


def _edit(here: Served, shot: str, ended: threading.Event, acknowledged: dict[int, float]) -> None:
    """Edits without a pause; each that is answered is noted with its revision."""
    value = 1.0
    with httpx.Client(base_url=here.url, timeout=20) as client:
        while not ended.is_set():
            value = round(value + 0.001, 3)
            try:
                revision = client.get(f"/api/shots/{shot}").json()["revision"]
                patch = [{"op": "replace", "path": "/steps/0/size", "value": value}]
                body = {"revision": revision, "label": f"{value}", "patch": patch}
                answer = client.post(f"/api/shots/{shot}/edits", json=body)
                if answer.status_code == 200:
                    acknowledged[answer.json()["revision"]] = value
            except (httpx.HTTPError, KeyError, ValueError):
                time.sleep(0.05)


def _render(here: Served, shot: str, ended: threading.Event, frames: dict[str, set[int]]) -> None:
    """Takes one after the other; each frame that is seen as finished is noted."""
    orders = {"first": 0, "last": 30, "width": 160, "height": 90, "samples": 4}
    take = ""
    with httpx.Client(base_url=here.url, timeout=20) as client:
        while not ended.is_set():
            try:
                if not take:
                    take = client.post(f"/api/shots/{shot}/takes", json=orders).json()["id"]
                    frames[take] = set()
                told = client.get(f"/api/takes/{take}").json()
                frames[take] |= {frame["frame"] for frame in told["frames"]}
                if told["state"] in ("done", "failed"):
                    take = ""
            except (httpx.HTTPError, KeyError, ValueError):
                pass
            time.sleep(0.2)


def _lost_edits(here: Served, shot: str, acknowledged: dict[int, float]) -> int:
    """Undo goes through every edit that was made: the labels of the acknowledged ones must be among them."""
    labels = set()
    while True:
        answer = here.client.get(f"/api/shots/{shot}").json()
        if not answer["undo"]:
            break
        labels.add(answer["undo"])
        here.client.post(f"/api/shots/{shot}/undo")
    return sum(f"{value}" not in labels for value in acknowledged.values())


def _frames(here: Served, take: str) -> set[int]:
    return {frame["frame"] for frame in here.client.get(f"/api/takes/{take}").json()["frames"]}
