"""What a hostile client sends, at length: requests made up from the API's description, damaged files with honest ones
between them, a window that does not read, patches that copy into themselves, chains of values, and a day of work."""

from __future__ import annotations

import io
import json
import random
import re
import socket
import subprocess
import sys
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
from fontTools.ttLib import TTFont
from websockets.sync.client import connect

from bench import day
from bench.report import say
from bench.running import memory
from bench.served import Served, Times, served
from moss_crown.core.type.families import FOLDER
from moss_crown.demo.cards import film_unit_emblem

FONTS = ("cinzel-latin", "fraunces-latin", "reem-kufi-arabic", "unifrakturcook-latin")
HONEST = 25
"""After so many damaged files comes one that is sound."""
EXAMPLES, FUZZ_SECONDS = 100, 300
"""Requests that are made up for each operation, and for how long, at most."""


def damaged(raw: bytes, rng: random.Random) -> bytes:
    """Bytes changed, cut out, doubled or cut off."""
    body = bytearray(raw)
    match rng.randrange(5):
        case 0:
            for _ in range(rng.choice((1, 5, 50, 500))):
                body[rng.randrange(len(body))] = rng.randrange(256)
        case 1:
            del body[rng.randrange(len(body)) :]
        case 2:
            at = rng.randrange(len(body))
            del body[at : at + rng.randrange(1, 400)]
        case 3:
            at = rng.randrange(len(body))
            body[at:at] = body[at : at + rng.randrange(1, 400)]
        case _:
            for _ in range(rng.randrange(1, 8)):  # the directory, where offsets and lengths are
                body[rng.randrange(min(400, len(body)))] = rng.choice((0, 255, 128, 1))
    return bytes(body)


def fonts() -> list[bytes]:
    plain = [(FOLDER / f"{name}.ttf").read_bytes() for name in FONTS]
    packed = []
    for flavour in ("woff", "woff2"):
        font = TTFont(io.BytesIO(plain[0]))
        font.flavor = flavour
        out = io.BytesIO()
        font.save(out)
        packed.append(out.getvalue())
    return plain + packed


def pictures() -> list[bytes]:
    from PIL import Image

    found = []
    for form in ("PNG", "JPEG"):
        out = io.BytesIO()
        Image.effect_noise((96, 64), 60).convert("RGB").save(out, form)
        found.append(out.getvalue())
    return found


def main(count: int = 10_000) -> None:
    with served(farm="false", posters="false") as here:
        _fuzz(here)
        _files(here, count)
        _drawings(here)
        _slow_reader(here)
        _bombs(here)
        say("  server's own failures beside requests", str(here.client.get("/api/ready").json()["failures"]), "{}")
        say("  memory of the largest process afterwards", f"{max(memory(here.process).values()):.0f} MB", "under 1 GB")
        unforeseen = here.log.read_text().count('"unforeseen"') + here.log.read_text().count('"job failed"')
        say("  surprises in the log", str(unforeseen), "0")
    day.main()


def _fuzz(here: Served) -> None:
    """Requests made up from the API's description, sound and not: no 5xx, no other content type, none over 10 s. Once
    with whatever comes for ids, once with those of a shot, its production and a take."""
    begun = time.perf_counter()
    shot = new_shot(here.client)
    production = here.client.get("/api/productions").json()[0]["id"]
    orders = {"first": 0, "last": 3, "width": 64, "height": 36}
    take = here.client.post(f"/api/shots/{shot}/takes", json=orders).json()["id"]
    known = Path(here.home) / "known.toml"
    known.write_text(f'[parameters]\nshot = "{shot}"\nproduction = "{production}"\ntake = "{take}"\n')
    _made_up(here, "any ids")
    _made_up(here, "ids that are there", "--exclude-method", "DELETE", config=("--config-file", str(known)))
    say("  in all", f"{time.perf_counter() - begun:.0f} s", "-")


def _made_up(here: Served, what: str, *more: str, config: tuple[str, ...] = ()) -> None:
    checks = "not_a_server_error,content_type_conformance"
    command = [sys.executable, "-c", "from schemathesis.cli import schemathesis; schemathesis()", *config, "run"]
    command += [f"{here.url}/api/openapi.json", "--checks", checks, "--max-response-time", "10", "--workers", "2"]
    command += [
        "--request-timeout",
        "30",
        "--max-examples",
        str(EXAMPLES),
        "--max-time",
        str(FUZZ_SECONDS),
        "--seed",
        "11",
        "--no-color",
    ]
    command += ["--continue-on-failure", "--suppress-health-check", "all", "--phases", "examples,coverage,fuzzing"]
    command += more
    told = subprocess.run(command, capture_output=True, text=True, check=False, cwd=here.home)
    found = [line.strip() for line in told.stdout.splitlines()]
    cases = next((line for line in found if re.match(r"[0-9]+ generated", line)), f"no end: {told.stderr[-200:]}")
    say(f"requests made up from the API's description, {what}", cases, "none failed")
    if not re.fullmatch(r"([0-9]+) generated, \1 passed", cases):
        at = next((k for k, line in enumerate(found) if "FAILURES" in line), 0)
        print("\n".join(f"    {line}" for line in found[at : at + 80]))


def _files(here: Served, count: int) -> None:
    sources = {"font": fonts(), "emblem": [film_unit_emblem().data], "picture": pictures()}
    shares = {"font": 0.45, "emblem": 0.45, "picture": 0.1}
    refused: list[str] = []
    for kind, raw in sources.items():
        production = here.client.post("/api/productions", json={"name": f"Damaged {kind}s"}).json()
        _some(here, production, kind, raw, int(count * shares[kind]), refused)
    say("honest files between them that were refused", f"{len(refused)} {refused[:3]}", "0")


def _some(here: Served, production: str, kind: str, sources: list[bytes], count: int, refused: list[str]) -> None:
    rng = random.Random(11)
    bodies = [damaged(sources[k % len(sources)], rng) for k in range(count)]
    outcomes: Counter[int] = Counter()
    slowest = Times()

    def bring(k: int, body: bytes) -> httpx.Response:
        params = {"kind": kind, "name": f"{k}"}
        answer = here.client.post(f"/api/productions/{production}/assets", params=params, content=body)
        if answer.status_code == 201:
            for asset in answer.json():
                here.client.delete(f"/api/productions/{production}/assets/{asset['id']}")
        return answer

    def one(k: int) -> None:
        with slowest.one():
            outcomes[bring(k, bodies[k]).status_code] += 1
        if k % HONEST == 0:
            honest = bring(k, sources[k // HONEST % len(sources)])
            if honest.status_code != 201:
                refused.append(f"{kind} {honest.status_code} {honest.text[:120]}")

    with ThreadPoolExecutor(4) as pool:  # some wait for others: what they wait is not theirs
        list(pool.map(one, range(count)))
    read, said_no = outcomes.pop(201, 0), outcomes.pop(422, 0)
    say(f"{count} damaged {kind}s, four at a time", f"{read} read, {said_no} refused", "each answered")
    say("  each", slowest.said(), "each within 30 s")
    say("  answers of any other kind", f"{dict(outcomes)}", "none")


def _drawings(here: Served) -> None:
    """Drawings that are made to keep whoever looks for a pattern in them busy: 200 kB each."""
    production = here.client.post("/api/productions", json={"name": "Patterns"}).json()
    many = 200_000
    shapes = [
        *(f'<rect width="5" height="5" transform="{t}"/>' for t in ("a" * many, "a(" * (many // 2), "a" + " " * many)),
        *(f"<style>{t}</style>" for t in ("a" * many, "/*" * (many // 2), "{" * many, "url(" + " " * many)),
        *(f'<polygon points="{t}"/>' for t in ("1" * many, "+" * many, "1e" * (many // 2))),
        *(f'<path d="M0 0{t}"/>' for t in ("1" * many, "L" + " " * many, "A" + "0" * many)),
    ]
    times = Times()
    for shape in shapes:
        drawing = f'<svg xmlns="http://www.w3.org/2000/svg">{shape}<rect width="5" height="5"/></svg>'
        with times.one():
            params = {"kind": "emblem", "name": "x"}
            path = f"/api/productions/{production}/assets"
            assert here.client.post(path, params=params, content=drawing.encode()).status_code in (201, 422)
    say("drawings of 200 kB made to keep patterns busy", times.said(), "each under 5 s")


def new_shot(client: httpx.Client, text: str = "SALT ROADS") -> str:
    production = client.get("/api/productions").json()[0]["id"]
    return str(client.post(f"/api/productions/{production}/shots", json={"title": "Trial", "text": text}).json())


def resize(client: httpx.Client, shot: str, revision: int) -> httpx.Response:
    patch = [{"op": "replace", "path": "/steps/0/size", "value": 1 + revision % 97 / 100}]
    return client.post(f"/api/shots/{shot}/edits", json={"revision": revision, "label": "size", "patch": patch})


def _slow_reader(here: Served) -> None:
    shot = new_shot(here.client)
    slow = connect(here.live(shot), max_size=2**26, max_queue=1)
    slow.socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
    for seq in range(12):
        slow.send(json.dumps({"type": "preview", "revision": 1, "seq": seq, "patch": []}))
    slow.send(json.dumps({"type": "proof", "seq": 99, "frame": 3, "width": 640, "height": 360, "samples": 64}))
    edits = Times()
    for revision in range(1, 61):
        with edits.one():
            assert resize(here.client, shot, revision).status_code == 200
    slow.close_socket()
    say("edits beside a window that reads nothing", edits.said(), "under 400 ms")


def _bombs(here: Served) -> None:
    shot = new_shot(here.client)
    patch = [{"op": "copy", "from": "/steps", "path": "/steps/-"} for _ in range(13)]
    bomb, chained = Times(), Times()

    def throw(_: int) -> int:
        with bomb.one():
            body = {"revision": 1, "label": "x", "patch": patch}
            return here.client.post(f"/api/shots/{shot}/edits", json=body).status_code

    blocks = [
        {"kind": "block", "id": f"b{k}", "text": "A", "size": {"link": f"b{k - 1}/size"} if k else 1.0}
        for k in range(150)
    ]
    adding = [{"op": "add", "path": "/steps/0", "value": block} for block in reversed(blocks)]
    with here.health_beside() as health:
        with ThreadPoolExecutor(9) as pool:
            codes = Counter(pool.map(throw, range(18)))
        say("patches that copy into themselves, nine at once", f"{bomb.said()} {dict(codes)}", "422, under 10 s")
        with chained.one():
            answer = here.client.post(f"/api/shots/{shot}/edits", json={"revision": 1, "label": "x", "patch": adding})
        say("150 values in a row", f"{chained.said()} {answer.json()['code']}", "link.too_long, under 1 s")
    say("  health meanwhile", health.said(), "under 100 ms")
