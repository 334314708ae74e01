"""What a hostile or a careless client sends: each is answered clearly, changes nothing, and holds nobody else up."""

import asyncio
import json
import socket
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import psycopg
import pytest
from websockets.sync.client import connect

from moss_crown.core import limits
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import write_shot
from moss_crown.core.type.families import FOLDER

HOSTILE_TEXTS = ["null \0 character", "half \ud83d of a pair"]


@pytest.fixture
def production(server):
    return server.client.get("/api/productions").json()[0]["id"]


@pytest.fixture
def shot(server, production):
    made = server.client.post(f"/api/productions/{production}/shots", json={"title": "Trial", "text": "SALT ROADS"})
    return made.json()


def edit(server, shot, revision, *operations, label="trial"):
    body = {"revision": revision, "label": label, "patch": list(operations)}
    # With escapes: httpx would refuse half a pair before the server hears of it.
    return server.client.post(
        f"/api/shots/{shot}/edits", content=json.dumps(body), headers={"content-type": "application/json"}
    )


def put(path, value):
    return {"op": "replace", "path": path, "value": value}


def refused(answer, status=422, code=None):
    assert answer.status_code == status, answer.text[:500]
    assert answer.headers["content-type"] == "application/problem+json"
    body = answer.json()
    assert code is None or body["code"] == code, body
    return body


def revision(server, shot):
    return server.client.get(f"/api/shots/{shot}").json()["revision"]


# Windows that do not read


def test_a_window_that_does_not_read_holds_nobody_up(server, shot):
    """It asks for many pictures and takes none; edits from elsewhere are answered as ever, and other windows hear."""
    url = f"{server.url.replace('http', 'ws')}/api/shots/{shot}/live"
    slow = connect(url, max_size=2**26, max_queue=1)
    slow.socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
    with connect(url, max_size=2**26) as quick:
        for seq in range(12):
            slow.send(json.dumps({"type": "preview", "revision": 1, "seq": seq, "patch": []}))
        slow.send(json.dumps({"type": "proof", "seq": 99, "frame": 3, "width": 640, "height": 360, "samples": 64}))
        for k in range(1, 12):
            assert edit(server, shot, k, put("/steps/0/size", 1 + k / 100)).status_code == 200
            assert json.loads(quick.recv(timeout=10)) == {"type": "changed", "revision": k + 1}
    slow.close_socket()


def test_an_outbox_that_fills_lets_its_window_go():
    from moss_crown.server.live import QUEUED, Outbox

    class Stuck:
        async def send_text(self, _):
            await asyncio.sleep(3600)

    async def go():
        box = Outbox(Stuck())
        sending = asyncio.ensure_future(box.send())
        for _ in range(QUEUED + 2):
            box.put("x")
            await asyncio.sleep(0)
        assert box.slow
        return await asyncio.wait_for(sending, 15)

    asyncio.run(go())


def test_messages_of_any_kind_are_answered_and_the_window_goes_on(server, shot):
    deep = "[" * 20_000 + "]" * 20_000
    with connect(f"{server.url.replace('http', 'ws')}/api/shots/{shot}/live", max_size=2**26) as window:
        for message in ("7", "[]", "null", '"text"', "{", deep, '{"type": "nothing"}', '{"type": ["proof"]}', "\x00"):
            window.send(message)
            assert json.loads(window.recv(timeout=20))["type"] == "refused", message[:40]
        value = deep[:2_000] + deep[-2_000:]
        window.send(
            f'{{"type": "preview", "revision": 1, "seq": 1, "patch": [{{"op":"add","path":"/x","value":{value}}}]}}'
        )
        assert json.loads(window.recv(timeout=20))["type"] == "refused"
        for patch in ([], "nothing", [7], [{"op": "explode", "path": "/title"}], [{"op": "copy", "path": "/title"}]):
            window.send(json.dumps({"type": "preview", "revision": 1, "seq": 2, "patch": patch}))
            answer = window.recv(timeout=30)
            assert isinstance(answer, bytes) == (patch == [])
        window.send(
            json.dumps({"type": "proof", "seq": 3, "frame": 1e300, "width": "wide", "height": 9, "samples": -1})
        )
        assert json.loads(window.recv(timeout=20))["type"] == "refused"
        window.send(json.dumps({"type": "preview", "revision": 1, "seq": 4, "patch": []}))
        assert isinstance(window.recv(timeout=30), bytes)


# Documents that grow


def test_values_that_ask_for_values_are_worked_out_once_and_chains_are_bounded(server, shot):
    asks = " + ".join(['value("{0}")'] * 20)
    steps = {step["id"]: k for k, step in enumerate(write_shot(new_shot())["steps"])}
    camera, block = f"/steps/{steps['camera']}", f"/steps/{steps['block']}"
    nested = (
        put(f"{camera}/lens", {"formula": asks.format("block/size") + " + 1"}),
        put(f"{block}/size", {"formula": asks.format("block/tracking") + " + 1"}),
        put(f"{block}/tracking", {"formula": "0.001 * t"}),
    )
    assert edit(server, shot, 1, *nested).status_code == 200
    assert server.client.get(f"/api/shots/{shot}/draft").status_code == 200
    markers = [
        {"kind": "block", "id": f"b{k}", "text": "A", "size": {"link": f"b{k - 1}/size"} if k else 1.0}
        for k in range(100)
    ]
    chain = edit(server, shot, 2, *({"op": "add", "path": "/steps/0", "value": m} for m in reversed(markers)))
    said = refused(chain, 422, "link.too_long")
    assert "b24/size -> b23/size" in said["detail"] and said["bound"] == f"at most {limits.CHAIN} values in a row"
    assert revision(server, shot) == 2


def test_a_patch_that_copies_into_itself_is_refused_at_once(server, shot):
    bomb = [{"op": "copy", "from": "/steps", "path": "/steps/-"} for _ in range(13)]
    with ThreadPoolExecutor(9) as pool:
        answers = list(pool.map(lambda _: edit(server, shot, 1, *bomb), range(9)))
    for answer in answers:
        refused(answer, 422)
    assert server.client.get(f"/api/shots/{shot}").status_code == 200, "connections to the database are free"


def test_a_document_is_bounded_at_every_door_by_the_same_numbers(server, production, shot, tmp_path):
    keys = {"keys": [{"frame": k, "value": 1 + k / 1e5} for k in range(limits.KEYS_A_VALUE)]}
    members = ("size", "tracking", "leading")
    for number, member in enumerate(members[:2], 1):
        assert edit(server, shot, number, put(f"/steps/0/{member}", keys)).status_code == 200
    said = refused(edit(server, shot, 3, put(f"/steps/0/{members[2]}", keys)), 422, "limit.too_many")
    assert said["bound"] == f"at most {limits.KEYS_A_SHOT}"

    exported = server.client.get(f"/api/shots/{shot}/export").content
    back = server.client.post(
        f"/api/productions/{production}/import", content=exported, headers={"content-type": "application/json"}
    )
    assert back.status_code == 201, "what was exported is taken back"

    too_many = json.loads(exported)
    too_many["steps"][0][members[2]] = keys
    assert refused(server.client.post(f"/api/productions/{production}/import", json=too_many), 422, "limit.too_many")
    file = tmp_path / "shot.json"
    file.write_text(json.dumps(too_many))
    command = [sys.executable, "-m", "moss_crown.cli", "export", str(file), "--out", str(tmp_path / "out"), "--format"]
    told = subprocess.run([*command, "json"], capture_output=True, text=True, check=False)
    assert told.returncode == 2 and f"at most {limits.KEYS_A_SHOT}" in told.stderr


def test_operations_hold_what_they_have_and_no_more(server, shot, cluster, database):
    for operation, field in (
        ({**put("/title", "x"), "remark": "kept?"}, "/patch/0/remark"),
        ({"op": "replace", "path": "/title"}, "/patch/0/value"),
        ({"op": "become", "path": "/title", "value": 1}, "/patch/0/op"),
        ({"op": "replace", "path": 7, "value": 1}, "/patch/0/path"),
        ({"op": "move", "path": "/title"}, "/patch/0/from"),
        (put("/title", "x" + HOSTILE_TEXTS[0]), "/patch/0/value"),
        (put("/title", HOSTILE_TEXTS[1]), "/patch/0/value"),
    ):
        assert refused(edit(server, shot, 1, operation))["field"] == field
    assert edit(server, shot, 1, put("/title", "Kept")).status_code == 200
    with psycopg.connect(cluster.url(database)) as connection:
        (patch,) = connection.execute("select patch from history where shot_id = %s", [shot]).fetchone()
    assert patch == [put("/title", "Kept")]


# Bad input of all kinds


@pytest.mark.parametrize("text", HOSTILE_TEXTS)
def test_texts_that_nothing_can_keep_are_refused_with_their_field(server, production, shot, text):
    raw = write_shot(new_shot())
    raw["title"] = text
    orders = [
        ("post", "/api/productions", {"name": text}, "/name"),
        ("patch", f"/api/productions/{production}", {"name": text}, "/name"),
        ("post", f"/api/productions/{production}/shots", {"title": text}, "/title"),
        ("post", f"/api/productions/{production}/shots", {"text": text}, "/text"),
        ("post", f"/api/productions/{production}/import", raw, "/title"),
        ("post", f"/api/shots/{shot}/edits", {"revision": 1, "label": text, "patch": []}, "/label"),
        ("post", f"/api/shots/{shot}/looks", {"frame": 0, "name": text}, "/name"),
        ("post", f"/api/shots/{shot}/formula", {"path": "/title", "formula": text}, "/formula"),
        ("post", f"/api/shots/{shot}/wear", {"revision": 1, "frame": 0, "look": text}, "/look"),
        ("post", f"/api/shots/{shot}/motion", {"revision": 1, "motion": text}, "/motion"),
    ]
    for method, path, body, field in orders:
        headers = {"content-type": "application/json"}
        answer = server.client.request(method, path, content=json.dumps(body), headers=headers)
        assert refused(answer)["field"] == field, path


def test_addresses_that_hold_no_text_are_refused(server, production, shot):
    for path, field in (
        (f"/api/productions/{production}/assets/a%00b", "path"),
        ("/api/looks/a%00b", "path"),
        ("/api/families/samples?text=a%00b", "text"),
        (f"/api/productions/{production}/assets?kind=font&name=a%00b", "name"),
    ):
        method = "delete" if "a%00b" in path and "assets/" in path else "get"
        assert refused(server.client.request(method, path))["field"] == field
    for path in (f"/api/takes/{shot}/frames/99999999999999999999", f"/api/shots/{shot}/proofs?x=%ED%A0%80"):
        assert server.client.get(path).status_code in (200, 404, 422)


@pytest.mark.parametrize(
    ("key", "field"),
    [
        ({}, "/keys/0/frame"),
        ({"frame": "x", "value": 1}, "/keys/0/frame"),
        ({"frame": 1e300, "value": 1}, "/keys/0/frame"),
        ({"frame": 1, "value": 1, "ease": "soft"}, "/keys/0/ease"),
        ({"frame": 1, "value": 1, "ease": {"leave": [2, 0]}}, "/keys/0/ease/leave/0"),
        ({"frame": 1, "value": 1, "press": None}, "/keys/0/press"),
        ({"frame": 1, "value": 1, "press": 40}, "/keys/0/press"),
    ],
)
def test_keys_that_are_none_are_refused(server, shot, key, field):
    order = {"revision": 1, "keys": [key], "paths": ["/steps/7/lens"], "frame": 0}
    assert refused(server.client.post(f"/api/shots/{shot}/keys/paste", json=order))["field"] == field


def test_deep_and_large_bodies_are_refused(server, production, shot):
    headers = {"content-type": "application/json"}
    deep = b'{"name": ' + b"[" * 50_000 + b"]" * 50_000 + b"}"
    refused(server.client.post("/api/productions", content=deep, headers=headers))
    path = f"/api/productions/{production}/import"
    refused(server.client.post(path, content=b"[" * 200_000, headers=headers), 422, "document.not_a_shot")

    def chunks():
        for _ in range(80):
            yield b" " * 1024 * 1024

    for path in (f"/api/shots/{shot}/edits", f"/api/productions/{production}/import"):
        refused(server.client.post(path, content=chunks(), headers=headers), 413, "request.too_large")


def test_ranges_are_read_as_they_are_written(server, shot, cluster, database):
    with psycopg.connect(cluster.url(database), autocommit=True) as connection:
        take = connection.execute(
            """insert into take (id, shot_id, number, revision, document, orders, state)
               select gen_random_uuid(), id, 1, 1, document, '{"first":0,"last":0}', 'done' from shot where id = %s
               returning id""",
            [shot],
        ).fetchone()[0]
        connection.execute("insert into take_file (take_id, kind, data) values (%s, 'mp4', %s)", [take, b"0123456789"])
    for asked, part in (
        ("bytes=2-4", b"234"),
        ("bytes=7-", b"789"),
        ("bytes=8-99", b"89"),
        ("bytes=\u00b2-", None),
        ("bytes=\u0662-\u0663", None),
        ("bytes=5-3", None),
        ("bytes=" + "9" * 5000 + "-", None),
        ("bytes=-", None),
        ("lines=1-2", None),
    ):
        answer = server.client.get(f"/api/takes/{take}/movie", headers={"range": asked.encode()})
        assert (answer.status_code, answer.content) == ((206, part) if part else (200, b"0123456789")), asked


# Other sites


def test_another_sites_page_changes_nothing(server, production, shot):
    changing = [
        ("post", f"/api/shots/{shot}/undo"),
        ("post", f"/api/shots/{shot}/duplicate"),
        ("post", f"/api/shots/{shot}/restore"),
        ("delete", f"/api/shots/{shot}"),
        ("post", f"/api/productions/{production}/assets?kind=font&name=x"),
        ("post", f"/api/takes/{shot}/stop"),
        ("post", f"/api/takes/{shot}/carry-on"),
    ]
    before = len(server.client.get(f"/api/productions/{production}/shots").json())
    for headers in (
        {"origin": "http://evil.example", "content-type": "text/plain"},
        {"origin": "null"},
        {"origin": server.url.replace("127.0.0.1", "localhost.evil.example")},
        {"sec-fetch-site": "cross-site"},
        {"sec-fetch-site": "same-site"},
    ):
        for method, path in changing:
            refused(server.client.request(method, path, headers=headers), 403, "request.foreign")
    assert len(server.client.get(f"/api/productions/{production}/shots").json()) == before
    own = {"origin": server.url, "sec-fetch-site": "same-origin"}
    assert server.client.post(f"/api/shots/{shot}/duplicate", headers=own).status_code == 201


def test_browsers_are_told_how_to_take_what_they_get(server, shot):
    for path in ("/", "/api/health", f"/api/shots/{shot}", "/api/shots/nothing"):
        headers = server.client.get(path).headers
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["x-frame-options"] == "DENY"
        assert "frame-ancestors 'none'" in headers["content-security-policy"]
        assert "unsafe-inline" not in headers["content-security-policy"].split("style-src")[0]
    described = server.client.get("/api/openapi.json").json()
    for path in described["paths"].values():
        for operation in path.values():
            assert list(operation["responses"]["default"]["content"]) == ["application/problem+json"]


# Files, and who waits for them


def test_honest_fonts_at_once_are_all_taken(server, production):
    """Twelve at once, with a drawing between them that takes all the time that it may."""
    raw = [path.read_bytes() for path in sorted(FOLDER.glob("*.ttf"))[:12]]
    endless = '<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0A' + "0" * 2_000_000 + '"/></svg>'

    def bring(kind, body, number):
        params = {"kind": kind, "name": f"f{number}"}
        return server.client.post(f"/api/productions/{production}/assets", params=params, content=body)

    with ThreadPoolExecutor(13) as pool:
        slow = pool.submit(bring, "emblem", endless.encode(), 99)
        answers = list(pool.map(lambda k: bring("font", raw[k], k), range(12)))
        assert [answer.status_code for answer in answers] == [201] * 12, [a.text[:200] for a in answers]
        refused(slow.result(), 422, "file.refused")
    plain = '<svg xmlns="http://www.w3.org/2000/svg"><rect width="5" height="5"/></svg>'
    assert bring("emblem", plain.encode(), 1).status_code == 201


def test_one_bad_family_never_hides_the_others(server, cluster, database):
    production = server.client.post("/api/productions", json={"name": "Lowmere, one bad family"}).json()
    raw = (FOLDER / "cinzel-latin.ttf").read_bytes()
    own = server.client.post(
        f"/api/productions/{production}/assets", params={"kind": "font", "name": "good"}, content=raw
    ).json()[0]["id"]
    with psycopg.connect(cluster.url(database), autocommit=True) as connection:
        connection.execute(
            """insert into asset (production_id, id, kind, name, facts, data)
               values (%s, 'own-broken', 'font', 'Broken', '{}', %s)""",
            [production, raw.replace(b"liga", b"\xff\xfe\xfd\xfc").replace(b"kern", b"\xff\xfe\xfd\xfc")],
        )
    listed = [family["id"] for family in server.client.get(f"/api/families?production={production}").json()]
    assert own in listed and len(listed) > 40
    samples = server.client.get(f"/api/families/samples?text=TIDE&production={production}").json()
    assert own in [sample["family"] for sample in samples]


def test_a_font_whose_tags_are_no_text_is_refused_at_the_door(server, production):
    raw = (FOLDER / "cinzel-latin.ttf").read_bytes()
    broken = raw.replace(b"liga", b"\xff\xfe\xfd\xfc").replace(b"kern", b"\xff\xfe\xfd\xfc")
    assert broken != raw
    answer = server.client.post(
        f"/api/productions/{production}/assets", params={"kind": "font", "name": "x"}, content=broken
    )
    refused(answer, 422, "file.refused")


# Work that takes long


def test_orders_that_would_take_too_long_are_refused_before_they_begin(server, shot):
    said = refused(server.client.get(f"/api/shots/{shot}/export?format=glb&edge=0.005&frame=40"))
    assert said["field"] == "edge" and said["bound"].startswith("at least 0.00")
    sheet = {"colour": [0.5, 0.5, 0.5], "roughness": 0.4, "ior": 1.5, "u": [9, 0, 0], "v": [0, 0, -9]}
    room = {
        "place": [0, 1, 0],
        "grounds": [{**sheet, "centre": [0, k / 10, 0]} for k in range(150)],
        "lamps": [],
        "preset": "overcast",
        "strength": 1,
        "turn": 0,
        "tilt": [0, 0],
    }
    assert refused(server.client.post("/api/rooms", json=room), 422, "limit.too_many")["field"] == "grounds"
    huge = {"first": 0, "last": 72, "width": 4096, "height": 4096, "samples": 4096}
    assert (
        refused(server.client.post(f"/api/shots/{shot}/takes", json=huge), 422, "take.too_large")["field"] == "samples"
    )


def test_edits_of_one_shot_do_not_wait_for_what_others_ask_for(server, production, shot):
    """Rooms, exports and motions of a large shot are under way; edits and health are answered as ever."""
    raw = write_shot(new_shot())
    block = raw["steps"][0]
    raw["steps"] = [dict(block, id=f"b{k}", text="SALT ROADS") for k in range(150)] + raw["steps"][1:]
    large = server.client.post(f"/api/productions/{production}/import", json=raw).json()

    def ask(path):
        server.client.get(path, timeout=200)

    paths = [
        f"/api/shots/{large}/export?format=glb&frame=40",
        f"/api/shots/{large}/motions",
        f"/api/shots/{large}/draft",
    ]
    others = [threading.Thread(target=ask, args=(path,)) for path in paths]
    for other in others:
        other.start()
    time.sleep(0.5)
    for k in range(1, 16):
        assert edit(server, shot, k, put("/steps/0/size", 1 + k / 100)).status_code == 200
        assert server.client.get("/api/health").status_code == 200
    waiting = [other for other in others if other.is_alive()]
    for other in others:
        other.join()
    assert waiting, "fifteen edits waited for all that the large shot was asked for"


# What runs beside


def test_what_runs_beside_requests_is_begun_again_and_counted(server):
    from moss_crown.server import watch

    async def go():
        runs = []

        async def fails_twice():
            runs.append(1)
            if len(runs) < 3:
                raise KeyError("a surprise")

        here = watch.Watch()
        await here.once("at first", fails_twice)
        await here.keep("posters", fails_twice)
        return len(runs), dict(here.failures)

    assert asyncio.run(go()) == (3, {"at first": 1, "posters": 1})
    ready = server.client.get("/api/ready").json()
    assert ready["failures"] == {} and set(ready["lanes"]) == {"edit", "draft", "works", "proof", "reader", "viewer"}


def test_a_question_that_fails_leaves_its_window_alive(cluster, database, server, shot):
    """The database refuses one question; the next is answered."""
    with (
        connect(f"{server.url.replace('http', 'ws')}/api/shots/{shot}/live", max_size=2**26) as window,
        psycopg.connect(cluster.url(database), autocommit=True) as connection,
    ):
        connection.execute("alter table shot rename to hidden")
        try:
            window.send(json.dumps({"type": "preview", "revision": 1, "seq": 1, "patch": []}))
            assert json.loads(window.recv(timeout=20))["type"] == "refused"
            window.send(json.dumps({"type": "proof", "seq": 2, "frame": 3, "width": 64, "height": 36, "samples": 1}))
            assert json.loads(window.recv(timeout=20))["seq"] == 2
        finally:
            connection.execute("alter table hidden rename to shot")
        window.send(json.dumps({"type": "preview", "revision": 1, "seq": 3, "patch": []}))
        assert isinstance(window.recv(timeout=30), bytes)


def test_a_full_disk_is_said_to_be_one(server, shot, cluster, database):
    with psycopg.connect(cluster.url(database), autocommit=True) as connection:
        connection.execute(
            """create function no_room() returns trigger language plpgsql as
               $$ begin raise exception 'No space left on device' using errcode = '53100'; end $$;
               create trigger no_room before insert on history for each row execute function no_room()"""
        )
        try:
            answer = edit(server, shot, 1, put("/title", "Nowhere to go"))
        finally:
            connection.execute("drop trigger no_room on history; drop function no_room()")
    assert "full" in refused(answer, 507, "storage.full")["detail"]
    assert revision(server, shot) == 1


def test_edits_of_two_clients_are_all_there(server, shot):
    """Each retries until it is first; undone one by one they go in exact order."""
    made = []

    def client(name):
        for k in range(20):
            while True:
                now = revision(server, shot)
                answer = edit(server, shot, now, put("/title", f"{name} {k}"))
                if answer.status_code == 200:
                    made.append((now + 1, f"{name} {k}"))
                    break
                assert answer.status_code == 409

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(client, "ab"))
    made.sort()
    assert [number for number, _ in made] == list(range(2, 42))
    for _, title in reversed(made):
        assert server.client.get(f"/api/shots/{shot}").json()["document"]["title"] == title
        server.client.post(f"/api/shots/{shot}/undo")
    assert server.client.get(f"/api/shots/{shot}").json()["document"]["title"] == "Trial"
