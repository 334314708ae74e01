"""What stopped or misled somebody new: each as a hand does it."""

import json
import re

from screens import document, edited, new_shot, open_step, saved, settled, shown, step

from cluster import wait_for


def field(page, label):
    return page.get_by_role("spinbutton", name=label, exact=True)


def test_any_part_of_a_value_takes_a_formula(quiet, server):
    shot = new_shot(quiet, server, "TI")
    quiet.get_by_role("tab", name="Place").click()
    part = field(quiet, "Move y")
    part.click()
    part.fill("=sin(t) / 4")
    part.press("Enter")
    wait_for(lambda: step(server, shot, "block")["move"] == {"formula": "(0, sin(t) / 4, 0)"})


def test_families_are_tried_on_the_words_of_a_formula(quiet, server):
    shot = new_shot(quiet, server, "TI")
    edited(
        server,
        shot,
        [{"op": "replace", "path": "/steps/0/text", "value": {"formula": "'SALT' if f < 200 else 'TIDE'"}}],
    )
    quiet.reload()
    shown(quiet)
    with quiet.expect_request(lambda r: "/api/families/samples" in r.url) as asked:
        quiet.get_by_role("button", name=re.compile("Archivo Black")).click()
    assert "text=SALT" in asked.value.url


def test_a_delivery_keeps_its_proportions_and_is_remembered(quiet, server):
    new_shot(quiet, server, "TI")
    quiet.keyboard.press("d")
    dialog = quiet.get_by_role("dialog")
    dialog.get_by_role("spinbutton", name="Width, pixels").fill("320")
    assert dialog.get_by_role("spinbutton", name="Height, pixels").input_value() == "180"
    dialog.get_by_role("checkbox", name="in proportion").uncheck()
    dialog.get_by_role("spinbutton", name="Height, pixels").fill("100")
    dialog.get_by_text("it is squeezed").wait_for()
    dialog.get_by_role("checkbox", name="in proportion").check()
    assert dialog.get_by_role("spinbutton", name="Height, pixels").input_value() == "180"
    dialog.get_by_role("spinbutton", name="Last frame").fill("0")
    dialog.get_by_role("spinbutton", name="Samples a pixel").fill("1")
    dialog.get_by_role("checkbox", name="letters only, with alpha").check()
    dialog.get_by_text("without a movie").wait_for()
    dialog.get_by_role("button", name="Render the take").click()
    quiet.wait_for_url("**/takes/*")
    quiet.go_back()
    shown(quiet)
    quiet.keyboard.press("d")
    assert dialog.get_by_role("spinbutton", name="Width, pixels").input_value() == "320"
    assert dialog.get_by_role("spinbutton", name="Samples a pixel").input_value() == "1"
    assert dialog.get_by_role("checkbox", name="letters only, with alpha").is_checked()


def test_what_a_motion_could_not_set_stays_in_its_dialog(quiet, server):
    new_shot(quiet, server, "TIDE")
    quiet.keyboard.press("m")
    dialog = quiet.get_by_role("dialog", name="Motions")
    dialog.get_by_role("tab", name="rigs").click()
    dialog.get_by_role("button", name="Flip drum").click()
    texts = dialog.get_by_role("textbox", name="Texts before your own, a line each")
    texts.fill("SALT\nROAD")
    problem = {"code": "compute.failed", "title": "", "detail": "the process that worked on it ended", "status": 500}
    tries = []

    def refuse(route):
        tries.append(route.request.url)
        route.fulfill(status=500, content_type="application/problem+json", body=json.dumps(problem))

    quiet.route("**/motion", refuse)
    dialog.get_by_role("button", name="Set Flip drum").click()
    dialog.get_by_role("alert").filter(has_text="the process that worked on it ended").wait_for()
    assert len(tries) == 2, "it is asked once more by itself"
    assert texts.input_value() == "SALT\nROAD"
    quiet.unroute("**/motion")
    dialog.get_by_role("button", name="Set Flip drum").press("Enter")
    dialog.wait_for(state="hidden")
    # The new step is chosen and, since that was done by keyboard, the desk entered.
    quiet.wait_for_function("document.activeElement.closest('section')?.getAttribute('aria-label') === 'Desk'")
    assert quiet.locator("nav[aria-label=Recipe] [aria-current=step]").inner_text().startswith("Flip drum")


def test_a_sign_hangs_from_a_rail_that_goes_with_it(quiet, server):
    shot = new_shot(quiet, server, "ANCHOR INN")
    for rig, kinds in (("Hanging sign", ["emblem", "emblem", "emblem", "group"]), ("Hinge", [])):
        quiet.keyboard.press("m")
        dialog = quiet.get_by_role("dialog", name="Motions")
        dialog.get_by_role("tab", name="rigs").click()
        dialog.get_by_role("button", name=rig).first.click()
        dialog.get_by_role("button", name=f"Set {rig}").click()
        dialog.wait_for(state="detached", timeout=60_000)
        saved(quiet)
        assert quiet.locator("nav[aria-label=Recipe] [aria-current=step]").inner_text().startswith(rig)
        brought = [s for s in document(server, shot)["steps"] if s["id"].startswith("rig-")]
        assert [s["kind"] for s in brought] == kinds
        assert quiet.get_by_text("run into").count() == 0
    quiet.keyboard.press("Control+z")
    quiet.locator("nav[aria-label=Recipe]").get_by_text("Rail").wait_for()


def test_tabs_take_arrows_and_parts_of_the_screen_f6(quiet, server):
    new_shot(quiet, server, "TI")
    quiet.get_by_role("tab", name="Text").focus()
    quiet.keyboard.press("ArrowRight")
    quiet.keyboard.press("ArrowRight")
    assert quiet.get_by_role("tab", name="Patterns").get_attribute("aria-selected") == "true"
    quiet.keyboard.press("End")
    assert quiet.get_by_role("tab", name="Place").get_attribute("aria-selected") == "true"
    where = "document.activeElement.closest('nav, section')?.getAttribute('aria-label')"
    quiet.keyboard.press("F6")
    assert quiet.evaluate(where) == "Sheet"
    quiet.keyboard.press("F6")
    assert quiet.evaluate(where) == "Recipe"
    quiet.keyboard.press("ArrowDown")
    quiet.get_by_role("tab", name="Front profile").wait_for()
    quiet.keyboard.press("Shift+F6")
    assert quiet.evaluate(where) == "Sheet"
    quiet.keyboard.press("Shift+F6")
    assert quiet.evaluate(where) == "Desk"


def test_everything_is_found_by_its_name(quiet, server):
    shot = new_shot(quiet, server, "TI")

    def find(words):
        quiet.keyboard.press("Control+k")
        quiet.get_by_role("combobox", name="Command").fill(words)
        quiet.keyboard.press("Enter")

    find("stack of shadows")
    quiet.wait_for_function("document.activeElement.getAttribute('aria-label') === 'Stack of shadows'")
    quiet.keyboard.press("Escape")
    before = step(server, shot, "material")["face"]
    find("material: oak")
    quiet.wait_for_timeout(300)
    saved(quiet)
    assert step(server, shot, "material")["name"] == "Oak"
    assert step(server, shot, "material")["face"] != before
    find("family teko")
    quiet.wait_for_timeout(300)
    saved(quiet)
    assert step(server, shot, "block")["family"] == "teko"
    find("light: footlights")
    quiet.wait_for_timeout(300)
    saved(quiet)
    assert len(step(server, shot, "lights")["lights"]) == 5
    find("add: follow")
    saved(quiet)
    assert step(server, shot, "follow")
    quiet.keyboard.press("Control+k")
    quiet.get_by_role("combobox", name="Command").fill("alpha")
    quiet.get_by_role("option", name=re.compile("^Deliver a take")).click()
    quiet.get_by_role("dialog", name="Deliver a take").wait_for()


def test_a_material_goes_where_it_was_asked_for(quiet, server):
    shot = new_shot(quiet, server, "TI")
    open_step(quiet, "Harbour brass")
    quiet.get_by_role("tab", name="Edge", exact=True).click()
    before = step(server, shot, "material")["face"]
    quiet.get_by_role("button", name=re.compile("^Material of the edge")).click()
    dialog = quiet.get_by_role("dialog", name="Material of the edge")
    dialog.get_by_role("textbox", name="Find a material").fill("oak")
    dialog.get_by_role("button", name="Oak", exact=True).click()
    saved(quiet)
    after = step(server, shot, "material")
    assert after["face"] == before
    assert after["edge"] != before


def test_a_shot_is_opened_by_its_name_and_renamed_by_f2(quiet, server):
    shot = new_shot(quiet, server, "OPEN ME")
    quiet.goto(server.url)
    name = quiet.get_by_role("button", name="OPEN ME", exact=True)
    name.focus()
    quiet.keyboard.press("F2")
    entered = quiet.get_by_role("textbox", name="Name of the shot")
    entered.fill("OPENED")
    entered.press("Enter")
    quiet.get_by_role("button", name="OPENED", exact=True).click()
    quiet.wait_for_url(f"**/shots/{shot}")
    assert document(server, shot)["title"] == "OPENED"


def test_a_chosen_key_moves_nothing_and_shows_its_frame_and_value(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    keys = {"keys": [{"frame": 10, "value": 0}, {"frame": 20.5, "value": 0.5}, {"frame": 40, "value": 1}]}
    lens = next(k for k, s in enumerate(document(server, shot)["steps"]) if s["kind"] == "camera")
    edited(server, shot, [{"op": "replace", "path": f"/steps/{lens}/fit", "value": keys}])
    quiet.reload()
    shown(quiet)
    settled(quiet)
    sheet = quiet.get_by_test_id("sheet")
    quiet.wait_for_function("JSON.parse(document.querySelector('[data-testid=sheet]').dataset.grips).length >= 3")
    before = sheet.bounding_box()
    rings = [g for g in json.loads(sheet.get_attribute("data-grips")) if g[0] == "rings"]
    quiet.mouse.click(before["x"] + rings[1][1], before["y"] + rings[1][2])
    quiet.get_by_text("1 key chosen").wait_for()
    assert sheet.bounding_box() == before
    assert field(quiet, "Frame of the key").input_value() == "20.5"
    assert field(quiet, "Value of the key").input_value() == "0.5"
    quiet.get_by_role("button", name="onto whole frames").click()
    saved(quiet)
    assert [k["frame"] for k in step(server, shot, "camera")["fit"]["keys"]] == [10, 21, 40]
    value = field(quiet, "Value of the key")
    value.click()
    value.fill("0.25")
    value.press("Enter")
    saved(quiet)
    assert step(server, shot, "camera")["fit"]["keys"][1]["value"] == 0.25
    frame = field(quiet, "Frame of the key")
    frame.click()
    frame.fill("25")
    frame.press("Enter")
    saved(quiet)
    assert [k["frame"] for k in step(server, shot, "camera")["fit"]["keys"]] == [10, 25, 40]


def test_letters_come_by_turns_from_all_sides(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    open_step(quiet, "Arrive")
    quiet.get_by_role("combobox", name="Just outside").select_option("left")
    quiet.get_by_role("combobox", name="Sides").select_option("turns")
    saved(quiet)
    assert step(server, shot, "drive")["offset"]["sides"] == "turns"
    quiet.get_by_role("tab", name="Cadence").click()
    quiet.get_by_role("switch", name="Worked backward").click()
    field(quiet, "All is done at").wait_for()
    saved(quiet)
    assert step(server, shot, "drive")["reaches"][0]["backward"] is True


CUT = """() => [...document.querySelectorAll('[data-label]')]
  .filter((e) => e.scrollWidth > e.clientWidth + 1 || e.getBoundingClientRect().height > 48)
  .map((e) => e.textContent)"""


def test_no_label_is_cut_in_any_tab_of_any_step(quiet, server):
    shot = new_shot(quiet, server, "TI")
    drawn = [{"op": "replace", "path": "/steps/1/front/profile", "value": "drawn"}]
    edited(server, shot, drawn)
    quiet.reload()
    shown(quiet)
    tabs = quiet.get_by_role("tablist", name="Groups of values").get_by_role("tab")
    for width, height in ((1100, 700), (1280, 800), (1600, 900)):
        quiet.set_viewport_size({"width": width, "height": height})
        for k in range(quiet.locator("nav[aria-label=Recipe] li").count()):
            quiet.locator("nav[aria-label=Recipe] li").nth(k).get_by_role("button").first.click()
            for tab in range(max(1, tabs.count())):
                if tabs.count():
                    tabs.nth(tab).click()
                assert quiet.evaluate(CUT) == [], (width, k, tab)


def test_a_new_drive_does_nothing_until_it_is_told_what(quiet, server):
    shot = new_shot(quiet, server, "TI")
    quiet.get_by_role("button", name="+ add a step").click()
    quiet.get_by_role("menuitem", name="Drive", exact=True).click()
    saved(quiet)
    drives = [s for s in document(server, shot)["steps"] if s["kind"] == "drive"]
    assert len(drives) == 2
    assert (drives[1]["offset"]["move"], drives[1]["offset"]["turn"]) == ([0, 0, 0], [0, 0, 0])
    quiet.get_by_role("group", name="Starts").get_by_role("button", name="swing in").click()
    saved(quiet)
    told = [s for s in document(server, shot)["steps"] if s["kind"] == "drive"][1]
    assert told["offset"]["turn"] == [0, 90, 0] and told["pivot"]["place"] == "left"
    assert quiet.get_by_role("group", name="Starts").count() == 0


def test_a_formula_that_is_wrong_stays_as_it_was_typed(quiet, server):
    shot = new_shot(quiet, server, "TI")
    open_step(quiet, "Camera")
    lens = field(quiet, "Lens")
    lens.click()
    lens.fill("=40 + sinn(t)")
    lens.press("Enter")
    formula = quiet.get_by_role("textbox", name="Lens: formula")
    quiet.get_by_text("did you mean sin(...)?").wait_for()
    assert formula.input_value() == "40 + sinn(t)"
    formula.press("Enter")
    quiet.get_by_role("button", name="guides").focus()
    quiet.get_by_role("alert").filter(has_text="at character 6").wait_for()
    assert formula.input_value() == "40 + sinn(t)", "nothing of it is lost"
    assert step(server, shot, "camera")["lens"] == 42
    formula.fill("40 + sin(t)")
    formula.press("Enter")
    wait_for(lambda: step(server, shot, "camera")["lens"] == {"formula": "40 + sin(t)"})


def test_a_shot_is_offered_the_name_of_its_new_text(quiet, server):
    shot = new_shot(quiet, server, "OLD WORDS")
    quiet.get_by_test_id("title-text").fill("NEW WORDS")
    quiet.get_by_test_id("title-text").blur()
    saved(quiet)
    quiet.get_by_role("button", name="Call it NEW WORDS").click()
    saved(quiet)
    assert document(server, shot)["title"] == "NEW WORDS"


def test_shots_are_found_sorted_and_several_are_duplicated_and_deleted(quiet, server):
    for text in ("BOLLARD ONE", "BOLLARD TWO"):
        new_shot(quiet, server, text)
    quiet.goto(server.url)
    quiet.get_by_role("searchbox", name="Find a shot").fill("bollard")
    quiet.get_by_text("2 shots").wait_for()
    quiet.get_by_role("combobox", name="Sorted by").select_option("name")
    names = quiet.get_by_test_id("shot-card")
    assert "BOLLARD ONE" in names.nth(0).inner_text()
    quiet.get_by_role("checkbox", name="Choose BOLLARD ONE").check()
    quiet.get_by_role("checkbox", name="Choose BOLLARD TWO").check()
    quiet.get_by_role("button", name="Duplicate", exact=True).click()
    quiet.get_by_text("4 shots").wait_for()
    quiet.get_by_role("checkbox", name="Choose BOLLARD ONE", exact=True).check()
    quiet.get_by_role("button", name="Delete", exact=True).click()
    quiet.get_by_text("3 shots", exact=True).wait_for()
    quiet.get_by_role("button", name="Undo").click()
    quiet.get_by_text("4 shots", exact=True).wait_for()


def test_a_shot_is_made_from_the_keyboard_with_lines_of_its_own(quiet, server):
    quiet.goto(server.url)
    quiet.get_by_role("button", name="New shot").wait_for()
    quiet.keyboard.press("n")
    title = quiet.get_by_role("textbox", name="Title")
    title.press_sequentially("LOW")
    title.press("Shift+Enter")
    title.press_sequentially("TIDE")
    title.press("Enter")
    quiet.get_by_test_id("title-text").wait_for(timeout=60_000)
    assert quiet.get_by_test_id("title-text").input_value() == "LOW\nTIDE"


def test_shots_are_found_by_their_letters_and_put_into_an_order_by_hand(quiet, server):
    production = server.client.post("/api/productions", json={"name": "Pilot House"}).json()
    for title, text in (("First", "GANNET"), ("Second", "HERON"), ("Third", "PLOVER")):
        format = {"width": 320, "height": 180, "first": 0, "last": 24}
        shot = {"title": title, "text": text, **format}
        assert server.client.post(f"/api/productions/{production}/shots", json=shot).status_code == 201
    quiet.goto(f"{server.url}/productions/{production}")
    quiet.get_by_role("searchbox", name="Find a shot").fill("heron")
    quiet.get_by_text("1 shot", exact=True).wait_for()
    quiet.get_by_role("button", name="Second", exact=True).wait_for()
    quiet.get_by_role("searchbox", name="Find a shot").fill("")
    titles = lambda: [c["title"] for c in server.client.get(f"/api/productions/{production}/shots").json()]  # noqa: E731
    quiet.get_by_role("button", name="Third", exact=True).press("Alt+ArrowLeft")
    wait_for(lambda: titles() == ["First", "Third", "Second"])
    cards = quiet.get_by_test_id("shot-card")
    cards.nth(2).drag_to(cards.nth(0), target_position={"x": 20, "y": 60})
    wait_for(lambda: titles() == ["Second", "First", "Third"])
    quiet.get_by_role("button", name="Second", exact=True).press("Alt+ArrowLeft")  # the first stays the first
    assert "Second" in cards.nth(0).inner_text()


def test_several_shots_are_ordered_as_takes_and_moved_to_another_production(quiet, server):
    other = server.client.post("/api/productions", json={"name": "Hollin Ferry"}).json()
    made = [new_shot(quiet, server, text) for text in ("CAPSTAN ONE", "CAPSTAN TWO")]
    quiet.goto(server.url)
    quiet.get_by_role("searchbox", name="Find a shot").fill("capstan")
    for text in ("CAPSTAN ONE", "CAPSTAN TWO"):
        quiet.get_by_role("checkbox", name=f"Choose {text}").check()
    quiet.get_by_role("button", name="Order takes").click()
    quiet.get_by_text("2 takes ordered").wait_for()
    for shot in made:
        (take,) = server.client.get(f"/api/shots/{shot}/takes").json()
        assert (take["orders"]["first"], take["orders"]["last"]) == (0, 72)
        server.client.post(f"/api/takes/{take['id']}/stop")
    for text in ("CAPSTAN ONE", "CAPSTAN TWO"):
        quiet.get_by_role("checkbox", name=f"Choose {text}").check()
    quiet.get_by_role("combobox", name="Move the chosen shots to").select_option("Hollin Ferry")
    quiet.get_by_text("2 shots moved to Hollin Ferry").wait_for()
    there = server.client.get(f"/api/productions/{other}/shots").json()
    assert {card["id"] for card in there} == set(made)
    quiet.get_by_role("button", name="Undo").click()
    wait_for(lambda: server.client.get(f"/api/productions/{other}/shots").json() == [])
