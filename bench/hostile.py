"""Damaged fonts and drawings through the real upload door: each is read or refused, and the server goes on."""

from __future__ import annotations

import io
import os
import random
import tempfile
import time
from collections import Counter

import httpx
from fontTools.ttLib import TTFont

from bench.report import say
from bench.running import forget, memory, started, stop
from moss_crown.core.type.families import FOLDER
from moss_crown.demo.cards import film_unit_emblem
from moss_crown.server.db.cluster import _free_port

FONTS = ("cinzel-latin", "fraunces-latin", "reem-kufi-arabic", "unifrakturcook-latin")


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


def main(count: int = 2000) -> None:
    with tempfile.TemporaryDirectory() as folder:
        os.chmod(folder, 0o755)
        port = _free_port()
        process, _ = started(folder, port)
        try:
            with httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=60) as client:
                for kind, sources in (("font", fonts()), ("emblem", [film_unit_emblem().data])):
                    production = client.post("/api/productions", json={"name": f"Damaged {kind}s"}).json()
                    _try(client, production, kind, sources, count)
            most = max(memory(process).values())
            say("  memory of the largest process afterwards", f"{most:.0f} MB", "under 1 GB")
        finally:
            stop(process)
            forget(folder)


def _try(client: httpx.Client, production: str, kind: str, sources: list[bytes], count: int) -> None:
    rng = random.Random(11)
    outcomes: Counter[int] = Counter()
    slowest = 0.0
    for k in range(count):
        body = damaged(sources[k % len(sources)], rng)
        begun = time.perf_counter()
        answer = client.post(
            f"/api/productions/{production}/assets", params={"kind": kind, "name": f"{k}"}, content=body
        )
        slowest = max(slowest, time.perf_counter() - begun)
        outcomes[answer.status_code] += 1
        if answer.status_code == 201:
            for asset in answer.json():
                client.delete(f"/api/productions/{production}/assets/{asset['id']}")
    read, refused = outcomes.pop(201, 0), outcomes.pop(422, 0)
    say(f"{count} damaged {kind}s", f"{read} read, {refused} refused, slowest {slowest:.1f} s", "each within 5 s")
    say("  answers of any other kind", f"{sum(outcomes.values())}", "0")
