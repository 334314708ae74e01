"""A day of work in four windows, replayed in ten minutes: drags, edits, undo, proofs, looks, motions, fonts, pictures,
a take. What it comes to is memory: no process may grow on."""

from __future__ import annotations

import io
import json
import random
import threading
import time
from collections import Counter
from contextlib import suppress

import httpx
import numpy as np
import psutil
from PIL import Image
from websockets.sync.client import connect

from bench.report import say
from bench.served import Served, Times, served
from moss_crown.core.proposals.look_book import LOOKS
from moss_crown.core.proposals.motion_book import BOOK
from moss_crown.core.type.families import FAMILIES, FOLDER

MINUTES = 10
WINDOWS = 4


def main(minutes: int = MINUTES) -> None:
    with served(posters="false") as here:
        ended, done, wrong = threading.Event(), Counter[str](), Counter[str]()
        most: dict[str, float] = {}
        edits = Times()
        windows = [
            threading.Thread(target=_window, args=(here, number, ended, done, wrong, edits))
            for number in range(WINDOWS)
        ]
        for window in windows:
            window.start()
        end = time.monotonic() + 60 * minutes
        while time.monotonic() < end:
            time.sleep(2)
            for name, megabytes in held(here).items():
                most[name] = max(most.get(name, 0), megabytes)
        ended.set()
        for window in windows:
            window.join()
        last = held(here)
        say(f"work of {minutes} minutes in {WINDOWS} windows", ", ".join(f"{n} {k}" for k, n in done.items()), "-")
        say("  refused or failed", str(dict(wrong)), "{}")
        say("  an edit meanwhile", edits.said(), "-")
        for name, megabytes in most.items():
            figure = f"{megabytes:.0f} MB, {last.get(name, 0):.0f} at the end"
            say(f"  most memory: {name}", figure, "under 1 GB")
        ready = here.client.get("/api/ready").json()
        say("  processes replaced", str({k: v["replaced"] for k, v in ready["lanes"].items()}), "-")


def held(here: Served) -> dict[str, float]:
    """Megabytes of the web server, the take runner, and the largest of its workers and of the compute processes."""
    found: dict[str, float] = {}
    for name, process in here.processes():
        with suppress(psutil.Error):
            found[name] = max(found.get(name, 0), process.memory_info().rss / 1e6)
    return found


def _window(
    here: Served, number: int, ended: threading.Event, done: Counter[str], wrong: Counter[str], edits: Times
) -> None:
    rng = random.Random(number)
    with httpx.Client(base_url=here.url, timeout=200) as client:
        production = client.get("/api/productions").json()[0]["id"]
        while not ended.is_set():
            cards = client.get(f"/api/productions/{production}/shots").json()
            copied = client.post(f"/api/shots/{rng.choice(cards[:25])['id']}/duplicate").json()
            try:
                _session(here, client, production, copied, rng, ended, done, wrong, edits)
            except (OSError, httpx.HTTPError, TimeoutError, KeyError) as failed:
                wrong[type(failed).__name__] += 1
            client.delete(f"/api/shots/{copied}")


def _session(
    here: Served,
    client: httpx.Client,
    production: str,
    shot: str,
    rng: random.Random,
    ended: threading.Event,
    done: Counter[str],
    wrong: Counter[str],
    edits: Times,
) -> None:
    """Half an hour at one shot."""

    def ask(what: str, method: str, path: str, **more: object) -> httpx.Response:
        answer = client.request(method, path, **more)  # type: ignore[arg-type]
        done[what] += 1
        if answer.status_code >= 400 and answer.status_code != 409:
            wrong[f"{what} {answer.status_code} {answer.text[:100]}"] += 1
        return answer

    def revision() -> int:
        return int(client.get(f"/api/shots/{shot}").json()["revision"])

    with connect(here.live(shot), max_size=2**27) as live:
        head = ask("drafts", "GET", f"/api/shots/{shot}/draft").content
        length = int.from_bytes(head[:4], "little")
        _letters(client, json.loads(head[4 : 4 + length]))
        for _ in range(rng.randrange(2, 5)):
            if ended.is_set():
                return
            now = revision()
            value = [round(rng.uniform(-1, 1), 3), 0, 0]
            for seq in range(12):  # a drag, and its release
                patch = [{"op": "replace", "path": "/steps/0/move", "value": [value[0] + seq / 50, 0, 0]}]
                live.send(json.dumps({"type": "preview", "revision": now, "seq": seq, "patch": patch}))
                _heard(live, lambda m, s=seq: isinstance(m, bytes) or f'"seq": {s}' in m)
                done["previews"] += 1
            with edits.one():
                patch = [{"op": "replace", "path": "/steps/0/move", "value": value}]
                body = {"revision": now, "label": "move", "patch": patch}
                ask("edits", "POST", f"/api/shots/{shot}/edits", json=body)
            match rng.randrange(8):
                case 0:
                    look = rng.choice(list(LOOKS))
                    order = {"revision": revision(), "frame": 30, "look": look}
                    ask("looks", "POST", f"/api/shots/{shot}/wear", json=order)
                case 1:
                    ask("motion books", "GET", f"/api/shots/{shot}/motions")
                    order = {"revision": revision(), "motion": rng.choice(list(BOOK))}
                    client.post(f"/api/shots/{shot}/motion", json=order)
                case 2:
                    ask("look pictures", "GET", f"/api/shots/{shot}/looks/{rng.choice(list(LOOKS))}?frame=40")
                case 3:
                    _proof(live, rng)
                    done["proofs"] += 1
                case 4:
                    raw = FOLDER / f"{rng.choice(list(FAMILIES))}-latin.ttf"
                    if raw.exists():
                        params = {"kind": "font", "name": raw.name}
                        path = f"/api/productions/{production}/assets"
                        found = ask("fonts", "POST", path, params=params, content=raw.read_bytes()).json()
                        patch = [{"op": "replace", "path": "/steps/0/family", "value": found[0]["id"]}]
                        body = {"revision": revision(), "label": "family", "patch": patch}
                        client.post(f"/api/shots/{shot}/edits", json=body)
                        ask("families", "GET", f"/api/families?production={production}")
                case 5:
                    picture = _picture(client, production, rng)
                    ask("pictures", "GET", f"/api/pictures/{picture}")
                case 6:
                    order = {"first": 20, "last": 22, "width": 320, "height": 180, "samples": 4}
                    ask("takes", "POST", f"/api/shots/{shot}/takes", json=order)
                case _:
                    ask("exports", "GET", f"/api/shots/{shot}/export?format=glb&frame=40")
            ask("drafts", "GET", f"/api/shots/{shot}/draft")
        ask("undo", "POST", f"/api/shots/{shot}/undo")


def _letters(client: httpx.Client, head: dict[str, object]) -> None:
    for recipe in sorted({r for r in _recipes(head)})[:6]:
        client.get("/api/solids", params={"recipe": recipe})


def _recipes(node: object) -> list[str]:
    if isinstance(node, str):
        return [node] if node.startswith('{"family"') else []
    if isinstance(node, dict):
        return [r for member in node.values() for r in _recipes(member)]
    return [r for member in node for r in _recipes(member)] if isinstance(node, list) else []


def _heard(live: object, wanted: object, seconds: float = 60) -> object:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        message = live.recv(timeout=seconds)  # type: ignore[attr-defined]
        if wanted(message):  # type: ignore[operator]
            return message
    raise TimeoutError


def _proof(live: object, rng: random.Random) -> None:
    order = {"type": "proof", "seq": 77, "frame": rng.randrange(60), "width": 480, "height": 270, "samples": 4}
    live.send(json.dumps(order))  # type: ignore[attr-defined]
    _heard(live, lambda m: "refused" in m if isinstance(m, str) else b'"type": "exposure"' in m[:2000], 120)


def _picture(client: httpx.Client, production: str, rng: random.Random) -> str:
    noise = np.random.default_rng(rng.randrange(10**9)).integers(0, 255, (700, 1000, 3), np.uint8)
    out = io.BytesIO()
    Image.fromarray(noise).save(out, "JPEG")
    params = {"kind": "picture", "name": "noise.jpg"}
    found = client.post(f"/api/productions/{production}/assets", params=params, content=out.getvalue()).json()
    return str(found[0]["id"])
