"""While a take renders with all cores: health, an edit to its picture, the upload of a font."""

from __future__ import annotations

import json
import time

from websockets.sync.client import connect

from bench.hostile import new_shot
from bench.report import say
from bench.served import Times, served
from moss_crown.core.type.families import FOLDER


def main(rounds: int = 60) -> None:
    with served(posters="false") as here:
        shot = new_shot(here.client, "KESTREL TIDE")
        orders = {"first": 0, "last": 72, "width": 1280, "height": 720, "samples": 64}
        take = here.client.post(f"/api/shots/{shot}/takes", json=orders).json()["id"]
        while here.client.get(f"/api/takes/{take}").json()["state"] != "running":
            time.sleep(0.2)
        time.sleep(8)  # until the workers are at their first frames
        pictures, stored, fonts = Times(), Times(), Times()
        production = here.client.get("/api/productions").json()[0]["id"]
        raw = (FOLDER / "fraunces-latin.ttf").read_bytes()
        with here.health_beside() as health, connect(here.live(shot), max_size=2**27) as live:
            here.client.get(f"/api/shots/{shot}/draft")
            for k in range(rounds):
                revision = here.client.get(f"/api/shots/{shot}").json()["revision"]
                patch = [{"op": "replace", "path": "/steps/0/move", "value": [k / 100, 0, 0]}]
                with pictures.one():
                    live.send(json.dumps({"type": "preview", "revision": revision, "seq": k, "patch": patch}))
                    while not isinstance(live.recv(timeout=60), bytes):
                        pass
                with stored.one():
                    body = {"revision": revision, "label": "move", "patch": patch}
                    assert here.client.post(f"/api/shots/{shot}/edits", json=body).status_code == 200
                if k % 6 == 0:
                    with fonts.one():
                        params = {"kind": "font", "name": "Fraunces"}
                        path = f"/api/productions/{production}/assets"
                        assert here.client.post(path, params=params, content=raw).status_code == 201
        still = here.client.get(f"/api/takes/{take}").json()["state"]
        say("while a take renders with all cores", f"it is {still} at the end", "running")
        say("  health", health.said(), "under 100 ms")
        say("  a change to its picture", pictures.said(), "95th under 400 ms")
        say("  an edit, stored", stored.said(), "95th under 400 ms")
        say("  a font brought in", fonts.said(), "under 3 s")
        here.client.post(f"/api/takes/{take}/stop")
