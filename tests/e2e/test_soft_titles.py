"""Soft titles made by hand from an empty shot, as a designer makes them, and undone again."""

from __future__ import annotations

import re

import numpy as np
import pytest
from screens import add_step, document, drag, new_shot, put, saved, step

from cluster import wait_for
from moss_crown.core.assets import bring_in
from moss_crown.core.deform.rows import AMOUNT, KIND, ROW
from moss_crown.core.document.door import read_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.demo.cards import film_unit_emblem


def key(page, name, keys):
    """Key a value at frames, the first of which is 0 and the last the last frame or a few before it."""
    page.keyboard.press("Escape")
    page.keyboard.press("Home")
    page.get_by_role("button", name=f"{name}: key this value").click()
    saved(page)
    for frame, value in keys.items():
        page.get_by_role("spinbutton", name=name).blur()
        page.keyboard.press("End" if frame else "Home")
        for _ in range(72 - frame if frame else 0):
            page.keyboard.press("ArrowLeft")
        put(page, "spinbutton", name, value)


def undone(page, server, shot, before):
    """Undo until the recipe is as it was; at most so often."""
    undo = page.get_by_role("button", name="Undo", exact=True)
    for _ in range(20):
        if document(server, shot)["steps"] == before:
            return
        undo.click()
        page.wait_for_timeout(300)
    wait_for(lambda: document(server, shot)["steps"] == before)


def rows(server, shot, frame):
    """The rows by which the letters of each block are bent at a frame (l, k, ROW); none where no step bends it."""
    of = Evaluation(read_shot(document(server, shot)))
    blocks = of.moved(of.structure(frame), np.array([float(frame)]))
    return [np.zeros((0, 0, ROW)) if block.bends is None else block.bends[0] for block in blocks]


def bent(rows):
    return bool((rows[..., KIND] * rows[..., AMOUNT]).any())


def test_a_rainbow_over_an_emblem(quiet, server, tmp_path):
    """The line is bent by its grip; the emblem, which stands below the bend, is not."""
    shot = new_shot(quiet, server, "SIX CROSSINGS")
    before = document(server, shot)["steps"]
    add_step(quiet, "Bend")
    quiet.keyboard.press("End")
    put(quiet, "spinbutton", "Angle", 90)
    grip = quiet.get_by_role("button", name="Angle; drag it")
    grip.wait_for()
    box = grip.bounding_box()
    drag(quiet, box["x"] + 8, box["y"] + 8, 0, 12)
    saved(quiet)
    assert step(server, shot, "bend")["angle"] != 90
    emblem = film_unit_emblem()
    bring_in(emblem)
    drawing = tmp_path / "Lighthouse.svg"
    drawing.write_bytes(emblem.data)
    quiet.get_by_role("button", name="+ add a step").click()
    quiet.get_by_role("menuitem", name="Emblem").click()
    quiet.get_by_label("Bring in SVG files").set_input_files(str(drawing))
    listed = quiet.get_by_role("list", name="Emblems")
    listed.get_by_role("button", name=re.compile("^(Film unit|Lighthouse)$")).first.click()
    saved(quiet)
    order = [s["kind"] for s in document(server, shot)["steps"]]
    for _ in range(order.index("bend") - order.index("emblem")):
        quiet.get_by_role("button", name=re.compile(": later$")).click()
        saved(quiet)
    line, mark = rows(server, shot, 72)
    assert bent(line) and not bent(mark)
    undone(quiet, server, shot, before)


def test_a_second_line_curls_onto_the_frame(quiet, server):
    shot = new_shot(quiet, server, "a voyage by salt roads")
    before = document(server, shot)["steps"]
    add_step(quiet, "Curl")
    key(quiet, "Rolled", {0: 1, 72: 0})
    add_step(quiet, "Block of lettering")
    order = [s["kind"] for s in document(server, shot)["steps"]]
    assert order.count("block") == 2
    second = len(order) - 1 - order[::-1].index("block")
    for _ in range(order.index("curl") - second):
        quiet.get_by_role("button", name=re.compile(": later$")).click()
        saved(quiet)
    for frame, rolled in ((0, True), (36, True), (72, False)):
        small, large = rows(server, shot, frame)
        assert bent(small) == rolled and not bent(large)
    undone(quiet, server, shot, before)


def test_a_repeated_wave_from_the_right_end_outlives_a_block_that_stands_up_and_turns(quiet, server):
    shot = new_shot(quiet, server, "SLACK WATER")
    before = document(server, shot)["steps"]
    add_step(quiet, "Wave")
    quiet.get_by_role("combobox", name="Travel to the", exact=True).select_option("left")
    quiet.get_by_role("combobox", name="Crests", exact=True).select_option("many")
    quiet.get_by_role("tab", name="Where", exact=True).click()
    quiet.get_by_role("combobox", name="Centre", exact=True).select_option("right")
    saved(quiet)
    (lying,) = rows(server, shot, 40)
    assert bent(lying)
    quiet.locator("nav[aria-label=Recipe]").get_by_role("button", name=re.compile("^SLACK WATER")).click()
    quiet.get_by_role("tab", name="Place").click()
    put(quiet, "spinbutton", "Turn x", -80)
    put(quiet, "spinbutton", "Turn y", 35)
    (turned,) = rows(server, shot, 40)
    assert np.array_equal(lying, turned)  # in its own space the letters are bent as before
    undone(quiet, server, shot, before)


def test_a_line_around_a_globe_is_straight_at_a_frame(quiet, server):
    shot = new_shot(quiet, server, "HOLLIN FERRY")
    before = document(server, shot)["steps"]
    add_step(quiet, "Wrap")
    quiet.get_by_role("combobox", name="Onto", exact=True).select_option("globe")
    saved(quiet)
    key(quiet, "Wrapped", {0: 1, 70: 0})
    for frame, wrapped in ((0, True), (69, True), (70, False), (72, False)):
        assert bent(rows(server, shot, frame)[0]) == wrapped
    undone(quiet, server, shot, before)


def test_letters_blown_apart_come_whole_at_a_frame(quiet, server):
    shot = new_shot(quiet, server, "STORM")
    before = document(server, shot)["steps"]
    add_step(quiet, "Blast")
    quiet.get_by_role("tab", name="Everywhere").click()
    quiet.get_by_role("combobox", name="Reach", exact=True).select_option("cadence")
    wait_for(lambda: step(server, shot, "blast")["reaches"][0]["kind"] == "cadence")
    quiet.get_by_role("switch", name="Worked backward").click()
    saved(quiet)
    put(quiet, "spinbutton", "All is done at", 50)
    assert bent(rows(server, shot, 49)[0]) and not bent(rows(server, shot, 50)[0])
    undone(quiet, server, shot, before)


def test_a_sign_is_drawn_tube_by_tube_and_strikes(quiet, server):
    """A step by hand, whose starts are chosen in the picture; then a motion of the book, with its flicker."""
    shot = new_shot(quiet, server, "PILOT")
    before = document(server, shot)["steps"]
    quiet.keyboard.press("End")
    add_step(quiet, "Growing tubes")
    assert step(server, shot, "form")["tubes"]["on"] is True
    start = quiet.get_by_role("button", name="Start of O; drag it")
    start.wait_for()
    box = start.bounding_box()
    drag(quiet, box["x"] + 8, box["y"] + 8, 30, 60)
    saved(quiet)
    chosen = step(server, shot, "grow")["starts"]
    assert list(chosen) == ["3"] and 0.3 < chosen["3"] < 0.95
    start.focus()
    quiet.keyboard.press("ArrowUp")
    wait_for(lambda: step(server, shot, "grow")["starts"]["3"] == pytest.approx(chosen["3"] + 0.01))
    undone(quiet, server, shot, before)
    quiet.keyboard.press("m")
    dialog = quiet.get_by_role("dialog", name="Motions")
    dialog.get_by_role("tab", name="arrive").click()
    dialog.get_by_role("button", name="Night sign").first.click()
    dialog.get_by_role("button", name="Set Night sign").click()
    dialog.wait_for(state="detached")
    saved(quiet)
    of = Evaluation(read_shot(document(server, shot)))
    glow = np.array([of.moved(of.structure(f), np.array([f]))[0].wear.glows()[0] for f in (0.0, 12.0, 72.0)])
    assert (glow[0] == 0).all() and (glow[2] == 1).all() and 0 < (glow[1] > 0).sum() < 5
    assert len(of.spans(list(range(73)))) > 20
    undone(quiet, server, shot, before)
