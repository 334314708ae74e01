"""Keys, frame rates, formulas and motions through the API."""

import pytest


@pytest.fixture
def production(server):
    return server.client.get("/api/productions").json()[0]["id"]


@pytest.fixture
def shot(server, production):
    return server.client.post(f"/api/productions/{production}/shots", json={"title": "Trial", "text": "SALT"}).json()


def ask(server, path, body, status=200):
    answer = server.client.post(f"/api/shots/{path}", json=body)
    assert answer.status_code == status, answer.text
    return answer.json()


def keyed(server, shot):
    keys = [{"frame": 0, "value": 30}, {"frame": 20, "value": 50}]
    patch = [{"op": "replace", "path": "/steps/7/lens", "value": {"keys": keys}}]
    return ask(server, f"{shot}/edits", {"revision": 1, "label": "key", "patch": patch})


def frames(out):
    return [k["frame"] for k in out["document"]["steps"][7]["lens"]["keys"]]


def test_keys_are_moved_and_pasted_as_edits_that_can_be_undone(server, shot):
    keyed(server, shot)
    out = ask(server, f"{shot}/keys/move", {"revision": 2, "chosen": {"/steps/7/lens": [20]}, "by": 6})
    assert (frames(out), out["undo"]) == ([0, 26], "move keys")
    order = {"revision": 3, "keys": [{"frame": 3, "value": 70}], "paths": ["/steps/7/lens"], "frame": 40}
    assert frames(ask(server, f"{shot}/keys/paste", order)) == [0, 26, 40]
    ask(server, f"{shot}/undo", None)
    assert frames(ask(server, f"{shot}/undo", None)) == [0, 20]


def test_orders_about_keys_that_do_not_fit_name_the_field(server, shot):
    keyed(server, shot)
    wrong = ask(server, f"{shot}/keys/move", {"revision": 2, "chosen": {"/steps/7/lens": [7]}}, 422)
    assert (wrong["code"], wrong["field"]) == ("document.invalid", "/steps/7/lens")
    stale = ask(server, f"{shot}/keys/move", {"revision": 1, "chosen": {"/steps/7/lens": [0]}}, 409)
    assert stale["code"] == "shot.revision_stale"
    ask(server, f"{shot}/keys/move", {"revision": 2, "chosen": {}, "scale": 0}, 422)
    order = {"revision": 2, "keys": [{"frame": 0, "value": "red"}], "paths": ["/steps/7/lens"], "frame": 0}
    assert ask(server, f"{shot}/keys/paste", order, 422)["field"].startswith("/steps/7/lens/keys/0")
    assert server.client.get(f"/api/shots/{shot}").json()["revision"] == 2


def test_another_frame_rate_keeps_seconds(server, shot):
    keyed(server, shot)
    out = ask(server, f"{shot}/retime", {"revision": 2, "fps": {"numerator": 50, "denominator": 1}, "keep": "seconds"})
    assert frames(out) == [0, 40] and out["document"]["last"] == 145
    assert out["document"]["steps"][2]["reaches"][0]["duration"] == 44
    ask(server, f"{shot}/retime", {"revision": 3, "fps": {"numerator": 0, "denominator": 1}, "keep": "seconds"}, 422)


def test_a_formula_is_tried_without_changing_anything(server, shot):
    good = ask(server, f"{shot}/formula", {"path": "/steps/7/lens", "formula": "30 + 10 * t"})
    assert (good["problem"], good["lines"][0][0], good["lines"][0][25]) == ("", 30, 40)
    letters = ask(server, f"{shot}/formula", {"path": "/steps/2/offset/turn", "formula": "(i, 0, u)"})
    assert len(letters["lines"]) == 3 * 12
    wrong = ask(server, f"{shot}/formula", {"path": "/steps/7/lens", "formula": "30 + open"})
    assert (wrong["at"], wrong["lines"]) == (5, [])
    assert (
        "circle"
        in ask(server, f"{shot}/formula", {"path": "/steps/7/lens", "formula": 'value("camera/lens")'})["problem"]
    )
    ask(server, f"{shot}/formula", {"path": "/steps/99/lens", "formula": "1"}, 422)
    words = server.client.get(f"/api/shots/{shot}/formula").json()
    assert "camera/lens" in words["values"] and "noise" in words["functions"] and "t" in words["names"]
    assert server.client.get(f"/api/shots/{shot}").json()["revision"] == 1


def test_motions_are_listed_set_kept_and_removed(server, production, shot):
    listed = server.client.get(f"/api/shots/{shot}/motions").json()
    assert len(listed) >= 30 and all(len(m["frames"]) == len(m["which"]) > 10 for m in listed)
    out = ask(server, f"{shot}/motion", {"revision": 1, "motion": "rising-tide"})
    assert out["undo"] == "motion: Rising tide"
    kept = ask(server, f"{shot}/motions", {"name": "Harbour"}, 201)
    own = [m for m in server.client.get(f"/api/shots/{shot}/motions").json() if m["group"] == "own"]
    assert [m["name"] for m in own] == ["Harbour"]
    again = ask(server, f"{shot}/motion", {"revision": 2, "motion": kept, "keep": True})
    assert [s["kind"] for s in again["document"]["steps"][2:6]] == ["drive", "follow", "drive", "follow"]
    assert server.client.delete(f"/api/productions/{production}/motions/{kept}").status_code == 204
    assert server.client.delete(f"/api/productions/{production}/motions/{kept}").status_code == 404
    assert ask(server, f"{shot}/motion", {"revision": 3, "motion": "nowhere"}, 404)["code"] == "file.missing"
    ask(server, f"{shot}/motions", {"name": ""}, 422)
