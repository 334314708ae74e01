"""Fonts, emblems and pictures brought into a production through the real door, and used by its shots."""

import numpy as np
import pytest

from moss_crown.core.type.families import FOLDER
from pictures_made import exr, hdr, hdr_in_runs, png

FONT = (FOLDER / "cinzel-latin.ttf").read_bytes()
EMBLEM = b'<svg><rect width="40" height="20"/><circle cx="60" cy="10" r="10" fill="#b8cb6f"/></svg>'


@pytest.fixture
def production(server):
    return server.client.post("/api/productions", json={"name": "Trial"}).json()


def bring(server, production, kind, raw, name="file"):
    return server.client.post(
        f"/api/productions/{production}/assets", params={"kind": kind, "name": name}, content=raw, timeout=60
    )


def shot_with(server, production, operations, text="SALT ROADS"):
    shot = server.client.post(f"/api/productions/{production}/shots", json={"title": "Trial", "text": text}).json()
    answer = server.client.post(
        f"/api/shots/{shot}/edits", json={"revision": 1, "label": "trial", "patch": operations}, timeout=60
    )
    return shot, answer


def test_a_font_of_ones_own_sets_a_title(server, production):
    answer = bring(server, production, "font", FONT, "cinzel.ttf")
    assert answer.status_code == 201
    (font,) = answer.json()
    families = server.client.get("/api/families", params={"production": production}, timeout=60).json()
    assert families[0]["id"] == font["id"]
    assert families[0]["axes"][0]["tag"] == "wght"
    samples = server.client.get(
        "/api/families/samples", params={"text": "TIDE", "production": production}, timeout=60
    ).json()
    assert samples[0]["family"] == font["id"]
    assert samples[0]["path"].startswith("M")
    change = [{"op": "replace", "path": "/steps/0/family", "value": font["id"]}]
    shot, edited = shot_with(server, production, change)
    assert edited.status_code == 200
    assert server.client.get(f"/api/shots/{shot}/draft", timeout=60).status_code == 200

    # Another production does not know it, and says so.
    other = server.client.post("/api/productions", json={"name": "Other"}).json()
    _, refused = shot_with(server, other, change)
    assert refused.status_code == 422
    assert refused.json()["field"] == "/steps/0/family"

    # Taken out of the choosers, it still draws the shot.
    assert server.client.delete(f"/api/productions/{production}/assets/{font['id']}").status_code == 204
    assert server.client.delete(f"/api/productions/{production}/assets/{font['id']}").status_code == 404
    listed = server.client.get(f"/api/productions/{production}/assets", params={"kind": "font"}).json()
    assert listed == []
    assert server.client.get(f"/api/shots/{shot}/draft", timeout=60).status_code == 200


def test_an_emblem_is_a_step_whose_parts_are_letters(server, production):
    (emblem,) = bring(server, production, "emblem", EMBLEM, "Film unit.svg").json()
    assert emblem["name"] == "Film unit"
    step = {"kind": "emblem", "id": "badge", "emblem": emblem["id"], "size": 2.0}
    shot, edited = shot_with(server, production, [{"op": "add", "path": "/steps/1", "value": step}])
    assert edited.status_code == 200
    body = server.client.get(f"/api/shots/{shot}/draft", timeout=60).content
    assert b'"rect"' in body
    assert b'"circle"' in body
    glb = server.client.get(f"/api/shots/{shot}/export", params={"format": "glb"}, timeout=60)
    assert glb.status_code == 200


def test_every_production_has_the_bundled_drawings_and_keeps_them(server, production):
    where = f"/api/productions/{production}/assets"
    listed = {a["name"]: a for a in server.client.get(where, params={"kind": "emblem"}).json() if a["bundled"]}
    assert {"Rail", "Cord", "Rule", "Ring"} <= set(listed)
    assert not [a for a in server.client.get(where, params={"kind": "font"}).json() if a["bundled"]]
    ring = listed["Ring"]
    step = {"kind": "emblem", "id": "ring", "emblem": ring["id"], "size": 2.0}
    shot, edited = shot_with(server, production, [{"op": "add", "path": "/steps/1", "value": step}])
    assert edited.status_code == 200
    assert server.client.get(f"/api/shots/{shot}/draft", timeout=60).status_code == 200
    assert server.client.delete(f"{where}/{ring['id']}").status_code == 404


@pytest.mark.parametrize(
    ("kind", "raw"),
    [
        ("font", b"GIF89a"),
        ("font", FONT[:3000]),
        ("font", b""),
        ("emblem", b"<svg><script/></svg>"),
        ("emblem", FONT),
        ("emblem", b"<svg>" + b"<g>" * 10_000 + b"</g>" * 10_000 + b"</svg>"),
    ],
)
def test_bad_files_are_refused_with_a_bound_and_nothing_is_kept(server, production, kind, raw):
    answer = bring(server, production, kind, raw)
    assert answer.status_code == 422
    assert answer.json()["code"] == "file.refused"
    assert answer.json()["bound"]
    kept = server.client.get(f"/api/productions/{production}/assets", params={"kind": kind}).json()
    assert not [asset for asset in kept if not asset["bundled"]]


def test_a_file_beyond_the_bound_of_a_request_is_refused(server, production):
    assert bring(server, production, "font", b"OTTO" + b"\0" * (65 * 1024 * 1024)).status_code == 413


def test_pictures_of_every_kind_are_brought_in_and_surround_a_title(server, production, tmp_path):
    light = np.random.default_rng(1).random((16, 32, 3)) * 9 + 0.1
    colours = np.random.default_rng(2).integers(0, 255, (16, 32, 3), np.uint8)
    found = []
    for raw in (png(colours), png(colours, "JPEG"), exr(tmp_path, light), hdr(light), hdr_in_runs(light)):
        answer = bring(server, production, "picture", raw, "harbour.hdr")
        assert answer.status_code == 201, answer.text
        found.append(answer.json()[0])
    assert {f["name"] for f in found} == {"harbour"}
    assert len({f["id"] for f in found}) == 4, "the same light in runs is the same picture"
    known = server.client.get(f"/api/productions/{production}/assets", params={"kind": "picture"}).json()
    assert [f["id"] for f in known] == list(dict.fromkeys(f["id"] for f in found))
    shot = server.client.post(f"/api/productions/{production}/shots", json={"title": "T", "text": "TIDE"}).json()
    steps = server.client.get(f"/api/shots/{shot}").json()["document"]["steps"]
    place = next(k for k, step in enumerate(steps) if step["kind"] == "environment")
    change = [{"op": "replace", "path": f"/steps/{place}/preset", "value": found[2]["id"]}]
    edited = {"revision": 1, "label": "trial", "patch": change}
    assert server.client.post(f"/api/shots/{shot}/edits", json=edited, timeout=60).status_code == 200
    assert server.client.get(f"/api/shots/{shot}/draft", timeout=60).status_code == 200
    rows = server.client.get(f"/api/environments/{found[2]['id']}", timeout=60)
    cube = np.frombuffer(rows.content, "<f2")[: 6 * 128 * 128 * 4].reshape(-1, 4)[:, :3].astype(float)
    step = (np.arange(128) + 0.5) / 64 - 1
    angle = np.tile((1 + step[:, None] ** 2 + step**2) ** -1.5, (6, 1, 1)).reshape(-1, 1)
    up = np.sin((np.arange(len(light)) + 0.5) / len(light) * np.pi)[:, None, None]
    assert (cube * angle).sum(0) / angle.sum() == pytest.approx((light * up).mean((0, 1)) / up.mean(), rel=0.01)

    # Another production has none of it.
    other = server.client.post("/api/productions", json={"name": "Other"}).json()
    _, refused = shot_with(server, other, change)
    assert refused.status_code == 422
    assert refused.json()["code"] == "look.picture_unknown"
    assert refused.json()["field"] == f"/steps/{place}/preset"


def test_a_large_picture_is_read_within_the_readers_room(server, production, tmp_path):
    colours = np.random.default_rng(3).integers(0, 255, (2000, 4000, 3), np.uint8)
    answer = bring(server, production, "picture", png(colours, "JPEG"), "large.jpg")
    assert answer.status_code == 201, answer.text
    assert "2048" in answer.json()[0]["remarks"][0]
    light = np.broadcast_to(np.linspace(0, 9, 4096, dtype=np.float32)[None, :, None], (2048, 4096, 3))
    assert bring(server, production, "picture", exr(tmp_path, light), "large.exr").status_code == 201
    refused = bring(server, production, "picture", b"\x76\x2f\x31\x01" + bytes(2000), "broken.exr")
    assert (refused.status_code, refused.json()["code"]) == (422, "file.refused")
