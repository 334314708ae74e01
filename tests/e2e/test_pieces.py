"""Letters in pieces, by hand: gone by one value, and whole again."""

from __future__ import annotations

import re

import numpy as np
import pytest
from axe_playwright_python.sync_playwright import Axe
from screens import add_step, document, new_shot, put, saved, settled, step

from cluster import wait_for
from messages import opened
from moss_crown.core.assets import bring_in
from moss_crown.core.document.door import read_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.demo.cards import film_unit_emblem


def lit(seen):
    """Where a picture shows lit letters."""
    return seen.max(2) > 70


def gone(server, shot):
    return step(server, shot, "pieces")["reaches"][0]["passed"]


def test_a_word_bursts_and_returns_by_one_value(quiet, server):
    shot = new_shot(quiet, server, "SALT ROADS")
    before = document(server, shot)["steps"]
    quiet.keyboard.press("End")
    whole = lit(settled(quiet))
    add_step(quiet, "Pieces")
    assert [key["value"] for key in gone(server, shot)["keys"]] == [0, 1]
    burst = lit(settled(quiet))
    assert (burst != whole).mean() > 0.05 and burst.sum() > 0.2 * whole.sum()
    found = Axe().run(quiet).response["violations"]
    assert [v["id"] for v in found if v["impact"] in ("serious", "critical")] == []
    # A third key, at the end: it comes back by the same value.
    quiet.get_by_role("tab", name="Passage").click()
    put(quiet, "spinbutton", "Gone", 0)
    assert gone(server, shot)["keys"][-1]["frame"] == 72 and gone(server, shot)["keys"][-1]["value"] == 0
    back = lit(settled(quiet))
    assert (back != whole).mean() < 0.01  # in pieces, as no one sees
    head, _ = opened(server.client.get(f"/api/shots/{shot}/draft").content)
    assert head["spans"][0]["pieces"] > 150
    quiet.get_by_role("combobox", name="Order").select_option("noise")
    wait_for(lambda: step(server, shot, "pieces")["reaches"][0]["order"] == "noise")
    quiet.get_by_role("tab", name="Cut").click()
    quiet.get_by_role("combobox", name="Cut into").select_option("bricks")
    wait_for(lambda: step(server, shot, "pieces")["cut"] == "bricks")
    assert quiet.locator("nav[aria-label=Recipe]").get_by_text("bricks, about 24 a letter").count() == 1
    for _ in range(4):
        quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: document(server, shot)["steps"] == before)
    assert (lit(settled(quiet)) != whole).mean() < 0.015


def test_the_draft_has_pieces_where_they_are_rendered(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    add_step(quiet, "Pieces")
    of = Evaluation(read_shot(document(server, shot)))
    (moved,) = of.moved(of.structure(72), np.array([72.0]))
    head, tables = opened(server.client.get(f"/api/shots/{shot}/draft").content)
    span = head["spans"][0]
    start = 73 * 4 * 16
    count = span["pieces"]
    ways = tables[start : start + 73 * count * 12].reshape(73, count, 3, 4)
    assert ways[72] == pytest.approx(moved.apart.ways[0], abs=1e-4)
    assert (ways[0] == np.eye(4)[:3]).all()
    assert [first for first, _ in (letter["pieces"] for letter in span["letters"])] == [
        int((moved.apart.pieces.of < k).sum()) for k in range(4)
    ]


def test_a_drive_moves_pieces_when_it_is_told_to(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    add_step(quiet, "Pieces")
    add_step(quiet, "Drive")
    quiet.get_by_role("button", name=re.compile("^rise$")).click()
    quiet.get_by_role("tab", name="Response").click()
    quiet.get_by_role("combobox", name="Moved as one").select_option("piece")
    wait_for(lambda: "piece" in [s.get("scope") for s in document(server, shot)["steps"] if s["kind"] == "drive"])
    quiet.keyboard.press("Home")
    for _ in range(12):
        quiet.keyboard.press("ArrowRight")
    settled(quiet)
    head, _ = opened(server.client.get(f"/api/shots/{shot}/draft").content)
    assert head["spans"][0]["pieces"] > 60


def test_letters_fall_and_rest_by_hand(quiet, server):
    """From an empty shot: a block lifted, let go, thrown; the sheet says when all rest, and undo takes it back."""
    shot = new_shot(quiet, server, "SALT ROADS")
    before = document(server, shot)["steps"]
    add_step(quiet, "Bodies")
    put(quiet, "spinbutton", "Start", 30)
    quiet.get_by_role("tab", name="Pushes").click()
    put(quiet, "spinbutton", "Thrown z", 1.5)
    put(quiet, "spinbutton", "Spun x", 90)
    put(quiet, "spinbutton", "By chance", 0)  # chance follows from the step's id, which is another in every run
    own = step(server, shot, "bodies")
    assert (own["start"], own["thrown"][2], own["spun"][0]) == (30, 1.5, 90)
    found = Axe().run(quiet).response["violations"]
    assert [v["id"] for v in found if v["impact"] in ("serious", "critical")] == []
    settled(quiet)
    head, _ = opened(server.client.get(f"/api/shots/{shot}/draft").content)
    rest = head["spans"][0]["rest"]
    assert 30 < max(rest) < 200
    quiet.get_by_role("tab", name="Let go").click()
    quiet.get_by_role("switch", name="Backward: come whole").click()
    wait_for(lambda: step(server, shot, "bodies")["backward"] is True)
    assert quiet.get_by_role("spinbutton", name="Whole at").count() == 1
    for _ in range(6):
        quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: document(server, shot)["steps"] == before)


def test_initials_are_shattered_and_whole_at_a_frame(quiet, server):
    """A named motion, then its frame: the title is whole there, and in pieces before."""
    shot = new_shot(quiet, server, "L6C")
    quiet.keyboard.press("m")
    dialog = quiet.get_by_role("dialog", name="Motions")
    dialog.get_by_role("button", name="Mended").first.click(timeout=60_000)
    dialog.get_by_role("button", name="Set Mended").click()
    dialog.wait_for(state="detached")
    saved(quiet)
    own = step(server, shot, "bodies")
    assert own["backward"] and own["of"] == "piece"
    of = Evaluation(read_shot(document(server, shot)))
    (moved,) = of.moved(of.structure(0), np.array([5.0, own["start"], 70.0]))
    assert moved.apart.whole.tolist() == [[False] * 3, [True] * 3, [True] * 3]


def test_an_emblem_becomes_the_word(quiet, server, tmp_path):
    shot = new_shot(quiet, server, "TIDE")
    before = document(server, shot)["steps"]
    quiet.keyboard.press("End")
    drawing = film_unit_emblem()
    bring_in(drawing)
    (tmp_path / "Lighthouse.svg").write_bytes(drawing.data)
    quiet.get_by_role("button", name="+ add a step").click()
    quiet.get_by_role("menuitem", name="Emblem").click()
    quiet.get_by_label("Bring in SVG files").set_input_files(str(tmp_path / "Lighthouse.svg"))
    listed = quiet.get_by_role("list", name="Emblems")
    listed.get_by_role("button", name=re.compile("^(Film unit|Lighthouse)$")).first.click()
    saved(quiet)
    add_step(quiet, "Becomes")
    kinds = [one["kind"] for one in document(server, shot)["steps"]]
    assert kinds.count("pieces") == 1 and "become" in kinds  # what becomes something goes in pieces
    emblem = step(server, shot, "emblem")["id"]
    quiet.get_by_role("combobox", name="What", exact=True).select_option(emblem)
    wait_for(lambda: step(server, shot, "become")["what"] == emblem)
    quiet.get_by_role("combobox", name="Becomes", exact=True).select_option("block")
    wait_for(lambda: step(server, shot, "become")["into"] == "block")
    saved(quiet)
    after = lit(settled(quiet))
    quiet.keyboard.press("Home")
    first = lit(settled(quiet))
    assert (first != after).mean() > 0.03 and first.any() and after.any()
    of = Evaluation(read_shot(document(server, shot)))
    structure = of.structure(0)
    blocks = of.moved(structure, np.array([0.0, 50.0, 72.0]))
    assert sorted(block.apart.whole.all(1).tolist() for block in blocks) == [[False, False, True], [True, False, False]]
    found = Axe().run(quiet).response["violations"]
    assert [v["id"] for v in found if v["impact"] in ("serious", "critical")] == []
    for _ in range(4):
        quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: document(server, shot)["steps"] == before)
