"""A typed title becomes a movie: what a newcomer does, in a real browser."""

import io
import json
import re

import numpy as np
import psycopg
import pytest
from axe_playwright_python.sync_playwright import Axe
from screens import document, frame, letter_point, new_shot, picture, saved, settled, sheet_point, shown, step

from cluster import wait_for
from moss_crown.core.formats.movie import read_facts
from moss_crown.core.formats.png import read_png


def test_the_slate_shows_the_demo_with_posters_of_our_own(quiet, poster_server):
    quiet.goto(poster_server.url)
    cards = quiet.get_by_test_id("shot-card")
    cards.first.wait_for()
    assert cards.count() >= 2
    for name in ("Kestrel Tide, main title", "Salt Roads"):
        card = cards.filter(has_text=name)
        image = card.locator("img")
        image.wait_for(timeout=120_000)
        quiet.wait_for_function("i => i.complete && i.naturalWidth >= 400", arg=image.element_handle())
        assert picture(image).std() > 8


def test_typing_a_title_sets_it_in_the_picture_and_on_the_sheet(quiet, server):
    shot = new_shot(quiet, server, "SALT")
    canvas = quiet.get_by_test_id("draft")
    before = picture(canvas)
    assert before.std() > 8, "the first sight of a title is lit"
    quiet.get_by_test_id("title-text").fill("KESTREL\nTIDE")
    quiet.get_by_text("11 letters, 2 lines").wait_for()
    saved(quiet)
    assert step(server, shot, "block")["text"] == "KESTREL\nTIDE"
    wait_for(lambda: np.abs(picture(canvas) - before).mean() > 2, 30)


def test_a_family_is_chosen_in_its_own_shapes(quiet, server):
    shot = new_shot(quiet, server)
    quiet.get_by_role("button", name="Family: Archivo Black").click()
    rows = quiet.get_by_role("list", name="Families").get_by_role("listitem")
    wait_for(lambda: rows.locator("button[data-family] path").count() == rows.count() >= 24)
    shapes = rows.locator("button[data-family] path").evaluate_all("all => all.map(p => p.getAttribute('d'))")
    assert len(set(shapes)) == rows.count()
    quiet.get_by_label("Script", exact=True).select_option("Arabic")
    assert rows.count() == 3
    quiet.get_by_label("Script", exact=True).select_option("")
    quiet.get_by_label("Find a family by name").fill("cinz")
    quiet.locator("[data-family=cinzel]").click()  # not one that another test has brought in
    saved(quiet)
    assert step(server, shot, "block")["family"] == "cinzel"


def test_dragging_a_number_previews_and_its_release_is_one_edit(quiet, server):
    shot = new_shot(quiet, server)
    quiet.get_by_role("button", name="Depth and bevel").first.click()
    quiet.get_by_role("tab", name="Front profile").click()
    field = quiet.get_by_role("spinbutton", name="Edge height")
    box = field.bounding_box()
    x, y = box["x"] + 40, box["y"] + 10
    quiet.mouse.move(x, y)
    quiet.mouse.down()
    for k in range(1, 16):
        quiet.mouse.move(x + 2 * k, y)
    assert server.client.get(f"/api/shots/{shot}").json()["revision"] == 1, "a drag is only a draft"
    quiet.mouse.up()
    saved(quiet)
    out = server.client.get(f"/api/shots/{shot}").json()
    assert out["revision"] == 2
    assert step(server, shot, "form")["front"]["height"] == pytest.approx(0.175)


def test_a_bevel_beyond_its_limit_is_said(quiet, server):
    new_shot(quiet, server)
    quiet.get_by_role("button", name="Depth and bevel").first.click()
    quiet.get_by_role("tab", name="Front profile").click()
    field = quiet.get_by_role("spinbutton", name="Edge height")
    field.click()
    field.fill("2")
    field.press("Enter")
    quiet.get_by_text("edge limited to").wait_for()


def test_scrubbing_and_stepping(quiet, server):
    new_shot(quiet, server)
    x, y, per = sheet_point(quiet, 0.2, 30)
    quiet.mouse.move(x, y)
    quiet.mouse.down()
    assert frame(quiet) == 30
    quiet.mouse.move(x, y + 20 * per, steps=6)
    quiet.mouse.up()
    assert frame(quiet) == 50
    quiet.keyboard.press("ArrowRight")
    assert frame(quiet) == 51
    quiet.keyboard.press("Shift+ArrowLeft")
    assert frame(quiet) == 41
    quiet.keyboard.press("Home")
    assert frame(quiet) == 0
    quiet.keyboard.press("End")
    assert frame(quiet) == 72


def test_the_stagger_is_dragged_stretched_and_undone_after_a_reload(quiet, server):
    shot = new_shot(quiet, server, "KESTREL TIDE")
    sheet = quiet.get_by_test_id("sheet")
    saved(quiet)
    # The last letter's start stands at 4 + 10 * 2 = 24: pulling it to 44 makes the delay 4.
    x, y, per = letter_point(quiet, 10, 24)
    quiet.mouse.move(x, y)
    quiet.mouse.down()
    quiet.mouse.move(x, y + 20 * per, steps=8)
    quiet.mouse.up()
    saved(quiet)
    reach = step(server, shot, "drive")["reaches"][0]
    assert (reach["start"], reach["delay"]) == (4, pytest.approx(4, abs=0.11))
    quiet.wait_for_function("s => Number(s.dataset.lastStart) > 40", arg=sheet.element_handle())
    # The body of the first letter's way moves the whole diagonal.
    x, y, per = letter_point(quiet, 0, 14)
    quiet.mouse.move(x, y)
    quiet.mouse.down()
    quiet.mouse.move(x, y + 10 * per, steps=8)
    quiet.mouse.up()
    saved(quiet)
    assert step(server, shot, "drive")["reaches"][0]["start"] == 14
    quiet.reload()
    shown(quiet)
    assert frame(quiet) >= 0
    quiet.keyboard.press("Control+z")
    wait_for(lambda: step(server, shot, "drive")["reaches"][0]["start"] == 4)
    quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: step(server, shot, "drive")["reaches"][0]["delay"] == 2)
    quiet.keyboard.press("Control+Shift+z")
    wait_for(lambda: step(server, shot, "drive")["reaches"][0]["delay"] != 2)


def test_the_sheet_by_keyboard(quiet, server):
    shot = new_shot(quiet, server)
    quiet.get_by_test_id("sheet").focus()
    before = frame(quiet)
    quiet.keyboard.press("ArrowUp")
    assert frame(quiet) == before - 1
    quiet.keyboard.press("Alt+ArrowDown")
    saved(quiet)
    wait_for(lambda: step(server, shot, "drive")["reaches"][0]["start"] == 5)
    quiet.keyboard.press("Alt+Shift+ArrowDown")
    wait_for(lambda: step(server, shot, "drive")["reaches"][0]["delay"] == 2.25)


def test_a_value_is_keyed_eased_and_shows_its_curve(quiet, server):
    shot = new_shot(quiet, server)
    quiet.keyboard.press("Home")
    quiet.get_by_role("tab", name="Place").click()
    quiet.get_by_role("button", name="Move: key this value").click()
    saved(quiet)
    quiet.keyboard.press("End")
    field = quiet.get_by_role("spinbutton", name="Move y")
    field.click()
    field.fill("1.5")
    field.press("Enter")
    saved(quiet)
    field.blur()
    keys = step(server, shot, "block")["move"]["keys"]
    assert [(k["frame"], k["value"]) for k in keys] == [(0, [0, 0, 0]), (72, [0, 1.5, 0])]
    quiet.get_by_role("button", name="curve").click()
    quiet.keyboard.press("Home")
    quiet.get_by_label("ease after this key of Move", exact=True).select_option("straight")
    saved(quiet)
    for _ in range(18):
        quiet.keyboard.press("ArrowRight")
    quiet.get_by_label("ease after this key of Move", exact=True).wait_for(state="detached")
    wait_for(lambda: field.input_value() in ("0.37", "0.375", "0.38"))
    quiet.get_by_role("button", name="Move: set a key at this frame").click()
    saved(quiet)
    assert len(step(server, shot, "block")["move"]["keys"]) == 3


def test_playing_moves_the_playhead_in_real_time(quiet, server):
    new_shot(quiet, server)
    quiet.keyboard.press("Home")
    quiet.keyboard.press("Space")
    quiet.wait_for_function("Number(document.querySelector('[data-testid=frame]').textContent) > 10")
    quiet.wait_for_function("/of 25 fps/.test(document.querySelector('[data-testid=achieved]').textContent)")
    quiet.keyboard.press("Space")
    at = frame(quiet)
    quiet.wait_for_timeout(300)
    assert frame(quiet) == at


def test_walking_around_changes_the_picture_and_not_the_shot(quiet, server):
    shot = new_shot(quiet, server)
    canvas = quiet.get_by_test_id("draft")
    before = picture(canvas)
    quiet.keyboard.press("2")
    wait_for(lambda: np.abs(picture(canvas) - before).mean() > 3, 30)
    around = picture(canvas)
    box = canvas.bounding_box()
    quiet.mouse.move(box["x"] + 300, box["y"] + 200)
    quiet.mouse.down()
    quiet.mouse.move(box["x"] + 420, box["y"] + 180, steps=5)
    quiet.mouse.up()
    wait_for(lambda: np.abs(picture(canvas) - around).mean() > 1, 30)
    assert server.client.get(f"/api/shots/{shot}").json()["revision"] == 1


def test_a_proof_gets_finer_and_follows_an_edit(quiet, server):
    new_shot(quiet, server, "TIDE")
    quiet.keyboard.press("s")
    quiet.get_by_label("Width, pixels").fill("320")
    quiet.get_by_label("Height, pixels").fill("180")
    quiet.get_by_role("button", name="Set", exact=True).click()
    saved(quiet)
    draft = settled(quiet)
    quiet.keyboard.press("p")
    proof = quiet.get_by_test_id("proof")
    proof.wait_for(timeout=60_000)
    first = int(proof.get_attribute("data-samples"))
    assert first < 16
    quiet.locator('[data-testid=proof][data-samples="16"]').wait_for(timeout=120_000)
    quiet.get_by_text("finished, 16 samples").wait_for()
    finished = picture(proof)
    assert finished.std() > 8
    # What one sees while working is what comes out: much the same light in draft and proof.
    assert abs(finished.mean() - draft.mean()) < 0.25 * finished.mean()
    revision = int(proof.get_attribute("data-revision"))
    quiet.get_by_test_id("title-text").fill("SLACK")
    quiet.wait_for_function(
        "r => Number(document.querySelector('[data-testid=proof]')?.dataset.revision) > r", arg=revision, timeout=60_000
    )
    quiet.locator('[data-testid=proof][data-samples="16"]').wait_for(timeout=120_000)
    assert np.abs(picture(proof) - finished).mean() > 2
    quiet.keyboard.press("Escape")


def test_a_take_is_delivered_watched_and_downloaded(quiet, server):
    shot = new_shot(quiet, server, "KESTREL TIDE")
    quiet.keyboard.press("d")
    dialog = quiet.get_by_role("dialog")
    dialog.get_by_label("Last frame").fill("5")
    dialog.get_by_label("Width, pixels").fill("160")
    dialog.get_by_label("Height, pixels").fill("90")
    dialog.get_by_label("Samples a pixel").fill("4")
    dialog.get_by_role("button", name="Render the take").click()
    quiet.wait_for_url("**/takes/*")
    quiet.locator('[data-testid=take-state][data-state="done"]').wait_for(timeout=180_000)
    assert quiet.get_by_role("button", name="Frame").count() == 6
    movie = quiet.get_by_test_id("movie")
    movie.evaluate("v => { v.muted = true; return v.play(); }")
    quiet.wait_for_function("v => v.currentTime > 0.05 && v.videoWidth === 160", arg=movie.element_handle())
    with quiet.expect_download() as got:
        quiet.get_by_role("link", name="Movie, H.264").click()
    data = got.value.path().read_bytes()
    facts = read_facts(data)
    assert (facts.width, facts.height, facts.frames, facts.rate) == (160, 90, 6, 25)
    with quiet.expect_download() as got:
        quiet.get_by_role("link", name="Frames, PNG").click()
    import zipfile

    archive = zipfile.ZipFile(got.value.path())
    assert len(archive.namelist()) == 6
    assert read_png(archive.read(archive.namelist()[0])).shape == (90, 160, 3)
    assert io.BytesIO(data).read(12)[4:8] == b"ftyp"
    quiet.get_by_role("link", name="Back to the shot").click()
    shown(quiet)
    assert quiet.url.endswith(shot)


def test_a_take_that_cannot_be_says_why(quiet, server):
    new_shot(quiet, server)
    quiet.keyboard.press("d")
    dialog = quiet.get_by_role("dialog")
    dialog.get_by_label("First frame").fill("10")
    dialog.get_by_label("Last frame").fill("9")
    dialog.get_by_role("button", name="Render the take").click()
    dialog.get_by_role("alert").filter(has_text="has no frames").wait_for()


def test_an_order_of_days_says_so_before_and_one_beyond_the_bound_is_refused_with_it(quiet, server):
    new_shot(quiet, server)
    quiet.keyboard.press("d")
    dialog = quiet.get_by_role("dialog")
    told = dialog.get_by_test_id("estimate")
    told.filter(has_text=re.compile("(About|Perhaps) .*(second|minute|hour)")).wait_for()
    dialog.get_by_label("Samples a pixel").fill("4096")
    told.filter(has_text=re.compile("days: a smaller size")).wait_for()
    dialog.get_by_role("checkbox", name="in proportion").uncheck()
    dialog.get_by_label("Width, pixels").fill("4096")
    dialog.get_by_label("Height, pixels").fill("4096")
    told.filter(has_text=re.compile("at most 8.. samples a pixel")).wait_for()
    dialog.get_by_role("button", name="Render the take").click()
    dialog.get_by_role("alert").filter(has_text="at most 8").wait_for()
    assert dialog.get_by_label("Samples a pixel").input_value() == "4096", "what was typed stays"


def test_room_is_made_by_rules_that_are_shown(quiet, server, cluster):
    production = server.client.post("/api/productions", json={"name": "Lowmere, an old year"}).json()
    shot = server.client.post(f"/api/productions/{production}/shots", json={"text": "EBB"}).json()
    server.client.delete(f"/api/shots/{shot}")
    with psycopg.connect(cluster.url("e2e")) as connection:
        connection.execute("update shot set deleted_at = now() - interval '30 days' where id = %s", [shot])
    quiet.goto(f"{server.url}/productions/{production}")
    quiet.get_by_role("button", name="Storage").click()
    dialog = quiet.get_by_role("dialog")
    row = dialog.get_by_role("row", name=re.compile("^Shots"))
    row.filter(has_text="deleted over 7 days ago").wait_for()
    assert row.get_by_role("checkbox").is_checked()
    dialog.get_by_role("button", name=re.compile("^Make room:")).click()
    row.filter(has_text="nothing now").wait_for()
    assert dialog.get_by_role("button", name="Make room").is_disabled()
    with psycopg.connect(cluster.url("e2e")) as connection:
        assert connection.execute("select count(*) from shot where id = %s", [shot]).fetchone() == (0,)


def test_rename_duplicate_delete_and_undo_on_the_slate(quiet, server):
    shot = new_shot(quiet, server, "SIX CROSSINGS")
    quiet.goto(server.url)
    card = quiet.get_by_test_id("shot-card").filter(has_text="SIX CROSSINGS")
    card.get_by_role("button", name="SIX CROSSINGS", exact=True).dblclick()
    name = quiet.get_by_label("Name of the shot")
    name.fill("Ferry bell")
    name.press("Enter")
    quiet.get_by_test_id("shot-card").filter(has_text="Ferry bell").wait_for()
    wait_for(lambda: document(server, shot)["title"] == "Ferry bell")
    quiet.get_by_role("button", name="Duplicate Ferry bell", exact=True).click()
    quiet.get_by_text("Ferry bell copy").wait_for()
    quiet.get_by_role("button", name="Delete Ferry bell copy").click()
    quiet.get_by_test_id("shot-card").filter(has_text="Ferry bell copy").wait_for(state="detached")
    quiet.get_by_role("button", name="Undo").click()
    quiet.get_by_test_id("shot-card").filter(has_text="Ferry bell copy").wait_for()


def test_bringing_in_a_file(quiet, server, tmp_path):
    quiet.goto(server.url)
    quiet.get_by_test_id("shot-card").first.wait_for()
    bad = tmp_path / "recipe.json"
    bad.write_text('{"bread": "rye"}')
    quiet.get_by_test_id("shot-file").set_input_files(bad)
    quiet.get_by_role("alert").filter(has_text="not a Moss Crown shot").wait_for()
    good = tmp_path / "shot.json"
    raw = server.client.get("/api/productions").json()[0]["id"]
    shot = server.client.get(f"/api/productions/{raw}/shots").json()[0]["id"]
    good.write_text(json.dumps(document(server, shot)))
    quiet.get_by_test_id("shot-file").set_input_files(good)
    quiet.wait_for_url("**/shots/*")
    shown(quiet)


def test_an_empty_title_is_refused_and_the_old_one_stays(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    text = quiet.get_by_test_id("title-text")
    text.fill("   ")
    text.blur()
    quiet.get_by_role("alert").filter(has_text="at least one letter").wait_for()
    saved(quiet)
    assert step(server, shot, "block")["text"] == "TIDE"
    wait_for(lambda: text.input_value() == "TIDE")


def test_a_letter_the_family_lacks_is_named(quiet, server):
    new_shot(quiet, server, "КAK")
    quiet.get_by_text("not in this family").wait_for()


def test_two_windows_stay_in_step(quiet, server, context):
    shot = new_shot(quiet, server, "TIDE")
    other = context.new_page()
    other.goto(f"{server.url}/shots/{shot}")
    shown(other)
    quiet.get_by_test_id("title-text").fill("SLACK WATER")
    other.get_by_text("10 letters, 1 line").wait_for()
    other.get_by_role("spinbutton", name="Tracking").fill("90")
    other.get_by_role("spinbutton", name="Tracking").press("Enter")
    wait_for(lambda: quiet.get_by_role("spinbutton", name="Tracking").input_value() == "90")
    other.close()


def test_a_reload_in_the_middle_of_typing_loses_nothing_that_was_saved(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    quiet.get_by_test_id("title-text").fill("HARBOUR")
    saved_text = wait_for(lambda: step(server, shot, "block")["text"] == "HARBOUR")
    assert saved_text
    quiet.reload()
    shown(quiet)
    assert quiet.get_by_test_id("title-text").input_value() == "HARBOUR"


@pytest.mark.parametrize("theme", ["dark", "light"])
def test_axe_finds_nothing_serious_on_any_screen(quiet, server, theme):
    def look(where):
        found = Axe().run(quiet).response["violations"]
        serious = [
            (v["id"], [n["html"][:120] for n in v["nodes"]][:3])
            for v in found
            if v["impact"] in ("serious", "critical")
        ]
        assert serious == [], where

    quiet.add_init_script(f"localStorage.setItem('moss-crown.theme', '{theme}')")
    shot = new_shot(quiet, server, "KESTREL")
    look("shot")
    for name in ("Depth and bevel", "Arrive", "Harbour brass", "Sun and rim", "Camera"):
        quiet.get_by_role("button", name=name).first.click()
        look(name)
    for key, what in (("d", "deliver"), ("s", "settings"), ("?", "help"), ("F1", "a page"), ("Control+k", "palette")):
        quiet.keyboard.press(key)
        quiet.get_by_role("dialog").wait_for()
        quiet.wait_for_timeout(150)
        look(what)
        quiet.keyboard.press("Escape")
        quiet.get_by_role("dialog").wait_for(state="detached")
    quiet.keyboard.press("b")
    quiet.get_by_role("region", name="Light meter").get_by_role("button", name="lift").wait_for()
    look("light meter")
    take = server.client.post(
        f"/api/shots/{shot}/takes", json={"first": 0, "last": 1, "width": 64, "height": 36, "samples": 1}
    ).json()
    quiet.goto(f"{server.url}/takes/{take['id']}")
    quiet.locator('[data-testid=take-state][data-state="done"]').wait_for(timeout=120_000)
    look("take")
    quiet.goto(server.url)
    quiet.get_by_test_id("shot-card").first.wait_for()
    look("slate")
    quiet.get_by_role("button", name="Storage").click()
    quiet.get_by_role("dialog").get_by_text("Undo beyond").wait_for()
    quiet.wait_for_timeout(150)
    look("storage")


def test_the_page_is_made_of_what_its_policy_allows(browser, browser_context_args, server):
    """Slate, shot, proof, take: nothing that the content security policy forbids is asked for."""
    context = browser.new_context(**browser_context_args | {"bypass_csp": False})
    page = context.new_page()
    wrong = []
    page.on("console", lambda m: wrong.append(m.text) if m.type == "error" else None)
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.set_default_timeout(90_000)
    shot = new_shot(page, server, "SALT")
    page.keyboard.press("p")
    page.get_by_test_id("proof").wait_for()
    take = server.client.post(
        f"/api/shots/{shot}/takes", json={"first": 0, "last": 1, "width": 64, "height": 36, "samples": 1}
    ).json()
    page.goto(f"{server.url}/takes/{take['id']}")
    page.locator('[data-testid=take-state][data-state="done"]').wait_for(timeout=120_000)
    page.get_by_test_id("movie").wait_for()
    page.wait_for_timeout(500)
    context.close()
    assert wrong == []


def test_every_command_is_in_the_palette(quiet, server):
    new_shot(quiet, server)
    quiet.keyboard.press("Control+k")
    quiet.get_by_role("combobox").fill("front")
    quiet.keyboard.press("Enter")
    front = quiet.get_by_role("button", name="Front", exact=True)
    quiet.wait_for_function("b => b.getAttribute('aria-pressed') === 'true'", arg=front.element_handle())


def test_a_second_drive_is_added_dragged_removed_and_brought_back(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    quiet.get_by_role("button", name="+ add a step").click()
    quiet.get_by_role("menuitem", name="Drive").click()
    quiet.get_by_role("heading", name="Drive").wait_for()
    saved(quiet)
    kinds = [s["kind"] for s in document(server, shot)["steps"]]
    assert kinds[:5] == ["block", "form", "drive", "drive", "material"]
    quiet.get_by_test_id("sheet").focus()
    quiet.keyboard.press("Alt+ArrowDown")
    wait_for(lambda: document(server, shot)["steps"][3]["reaches"][0]["start"] == 5)
    assert document(server, shot)["steps"][2]["reaches"][0]["start"] == 4, "the chosen drive is the one that is dragged"
    saved(quiet)
    quiet.get_by_role("button", name="remove this step").click()
    wait_for(lambda: len(document(server, shot)["steps"]) == 8)
    saved(quiet)
    quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: len(document(server, shot)["steps"]) == 9)
