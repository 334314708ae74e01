"""Letters like balloons, by hand: blown up, with wrinkles, trembling; and as they were."""

from __future__ import annotations

import numpy as np
from axe_playwright_python.sync_playwright import Axe
from screens import add_step, document, new_shot, put, saved, settled, step

from cluster import wait_for
from messages import opened
from moss_crown.core.document.door import read_shot
from moss_crown.core.evaluation.evaluation import Evaluation


def lit(seen):
    """Where a picture shows lit letters; without the floor, in which their mirror images get finer for long."""
    return seen[: round(0.76 * len(seen))].max(2) > 70


def other(one, two):
    """The share of a picture that is lit in another way."""
    return float((one != two).mean())


def solved(page):
    """Wait until all of a draft is there that is solved frame by frame."""
    for _ in range(2):
        page.wait_for_timeout(1200)  # what was asked for just now may not have come yet
        page.wait_for_function("() => !document.querySelector('[data-testid=solving]')", timeout=60_000)


def test_letters_are_blown_up_tremble_and_are_as_they_were(quiet, server):
    shot = new_shot(quiet, server, "SA")
    before = document(server, shot)["steps"]
    quiet.keyboard.press("End")
    whole = lit(settled(quiet))
    add_step(quiet, "Inflate")
    solved(quiet)
    quiet.get_by_role("tab", name="Skin").click()
    quiet.get_by_label("Mesh").select_option("coarse")
    wait_for(lambda: step(server, shot, "inflate")["fine"] == "coarse")
    saved(quiet)
    solved(quiet)
    full = lit(settled(quiet))
    assert (full & ~whole).sum() > 0.02 * whole.sum()  # they are plumper, all around
    assert other(full, whole) > 0.01
    found = Axe().run(quiet).response["violations"]
    assert [v["id"] for v in found if v["impact"] in ("serious", "critical")] == []
    # What the sheet says of rest is what the core does, and a proof shows what is drawn.
    head, _ = opened(server.client.get(f"/api/shots/{shot}/draft").content)
    of = Evaluation(read_shot(document(server, shot)))
    assert head["solved"] is None and head["rest"] == of.rest_frame()
    assert len(head["spans"][0]["swellings"][0]["letters"]) == 2
    quiet.get_by_role("tab", name="Gas").click()
    put(quiet, "spinbutton", "Held to its shape", 1)
    saved(quiet)
    solved(quiet)
    held = lit(settled(quiet))
    assert other(held, full) > 0.005 and other(held, whole) < other(full, whole)
    quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: step(server, shot, "inflate").get("hold", 0) == 0)
    solved(quiet)
    assert other(lit(settled(quiet)), full) < 0.2 * other(full, whole)
    add_step(quiet, "Shiver")
    solved(quiet)
    head, body = opened(server.client.get(f"/api/shots/{shot}/draft").content)
    poses = np.frombuffer(body, "<f4")[: 73 * 2 * 16].reshape(73, 2, 16)
    assert (np.abs(np.diff(poses[-4:], axis=0)).max((0, 2)) > 1e-4).all()  # each trembles, and stays full
    assert len(head["spans"][0]["swellings"]) == 1
    for _ in range(3):
        quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: document(server, shot)["steps"] == before)
    solved(quiet)
    assert other(lit(settled(quiet)), whole) < 0.2 * other(full, whole)


def test_a_motion_from_the_book_blows_up_ones_own_title(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    quiet.keyboard.press("End")
    whole = lit(settled(quiet))
    quiet.keyboard.press("m")
    dialog = quiet.get_by_role("dialog")
    dialog.get_by_role("tab", name="arrive").click()
    dialog.get_by_role("button", name="Puffer").first.click(timeout=60_000)
    dialog.get_by_role("button", name="Set Puffer").click()
    dialog.wait_for(state="detached")
    wait_for(lambda: any(one["kind"] == "inflate" for one in document(server, shot)["steps"]))
    solved(quiet)
    quiet.keyboard.press("End")
    full = lit(settled(quiet))
    assert other(full, whole) > 0.01
    assert step(server, shot, "form")["corners"] == "round"
