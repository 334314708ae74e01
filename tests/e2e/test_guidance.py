"""The guide, the help, the light meter, and the ways out that the sheet offers: each as a hand does it."""

import re

from screens import document, edited, new_shot, open_step, saved, shown, step

from cluster import wait_for


def guide(page):
    return page.get_by_role("complementary", name="First title, step by step")


def test_a_first_title_is_led_through_once_and_again_when_asked(quiet, server):
    shot = new_shot(quiet, server, "TI")
    card = guide(quiet)
    card.get_by_role("heading", name="Your words").wait_for()
    text = quiet.get_by_role("textbox", name="Text", exact=True)
    text.fill("TIDE")
    card.get_by_text("Done.").wait_for()
    card.get_by_role("button", name="next", exact=True).click()
    card.get_by_role("heading", name="Depth and edge").wait_for()
    quiet.locator("nav[aria-label=Recipe] [aria-current=step]", has_text="Depth and bevel").wait_for()
    for name in ("What it is made of", "See it move", "When each letter comes", "Is it lit well?"):
        card.get_by_role("button", name="next, without it").click()
        card.get_by_role("heading", name=name).wait_for()
    card.get_by_role("button", name="back").click()
    card.get_by_role("heading", name="When each letter comes").wait_for()
    card.get_by_role("button", name="leave the guide").click()
    assert card.count() == 0
    wait_for(lambda: step(server, shot, "block")["text"] == "TIDE")
    quiet.reload()
    shown(quiet)
    assert card.count() == 0
    new_shot(quiet, server, "SE")
    assert card.count() == 0
    quiet.keyboard.press("Shift+F1")
    card.get_by_role("heading", name="Your words").wait_for()


def test_a_shot_of_the_demo_is_not_led_through(quiet, server):
    quiet.goto(server.url)
    quiet.get_by_test_id("shot-card").first.get_by_role("link").first.click()
    shown(quiet)
    assert guide(quiet).count() == 0


def test_help_opens_at_what_has_the_focus(quiet, server):
    new_shot(quiet, server, "TI")
    open_step(quiet, "Arrive")
    quiet.get_by_role("tab", name="Cadence").click()
    quiet.get_by_role("spinbutton", name="Start", exact=True).focus()
    quiet.keyboard.press("F1")
    dialog = quiet.get_by_role("dialog", name="Help")
    dialog.get_by_role("heading", name="Motion", exact=True).wait_for()
    dialog.get_by_text("Letter after letter: the k-th in the order starts at").wait_for()
    find = dialog.get_by_role("textbox", name="Find in the help")
    find.fill("damped pendulum")
    dialog.get_by_role("button", name="Drive: swing").click()
    assert find.input_value() == ""
    dialog.get_by_role("heading", name="Drive", exact=True).wait_for()
    find.fill("xyzzy")
    dialog.get_by_text("Nothing is said of that.").wait_for()
    quiet.keyboard.press("Escape")
    open_step(quiet, "Camera")
    quiet.get_by_text("Lens", exact=True).click()
    dialog.get_by_role("heading", name="The shot camera").or_(dialog.get_by_text("The shot camera.")).first.wait_for()
    quiet.keyboard.press("Escape")
    quiet.keyboard.press("?")
    dialog.get_by_role("heading", name="Shortcuts", exact=True).wait_for()
    dialog.get_by_text("Light meter").wait_for()


def test_the_light_meter_says_what_is_wrong_and_mends_it(quiet, server):
    shot = new_shot(quiet, server, "SE")
    guide(quiet).get_by_role("button", name="leave the guide").click()
    lights = next(k for k, s in enumerate(document(server, shot)["steps"]) if s["kind"] == "lights")
    around = next(k for k, s in enumerate(document(server, shot)["steps"]) if s["kind"] == "environment")
    dark = [
        {"op": "replace", "path": f"/steps/{around}/strength", "value": 0.02},
        {"op": "replace", "path": f"/steps/{lights}/lights/0/power", "value": 20.0},
    ]
    edited(server, shot, dark)
    quiet.reload()
    shown(quiet)
    quiet.keyboard.press("b")
    meter = quiet.get_by_role("region", name="Light meter")
    meter.get_by_text(re.compile(r"^S: \d\.\d to 1")).wait_for()
    quiet.wait_for_function("document.querySelectorAll('[data-testid=meter] text').length === 2")
    before = document(server, shot)
    meter.get_by_role("button", name="lift").click()
    meter.get_by_text("now the darkest face at").wait_for()
    assert document(server, shot) == before
    meter.get_by_role("button", name="leave it").click()
    assert document(server, shot) == before
    meter.get_by_role("button", name="lift").click()
    meter.get_by_role("button", name="keep it").click()
    wait_for(lambda: document(server, shot) != before)
    saved(quiet)
    quiet.keyboard.press("Control+z")
    wait_for(lambda: document(server, shot) == before)
    quiet.keyboard.press("b")
    assert meter.count() == 0


def test_what_the_meter_cannot_mend_it_says(quiet, server):
    new_shot(quiet, server, "SE")
    quiet.keyboard.press("b")
    meter = quiet.get_by_role("region", name="Light meter")
    meter.get_by_text("Every outline reads").wait_for()
    meter.get_by_role("button", name="separate").click()
    meter.get_by_role("alert").get_by_text("every outline reads").wait_for()


def test_letters_in_the_floor_are_lifted_where_the_sheet_says_so(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    arrive = next(k for k, s in enumerate(document(server, shot)["steps"]) if s["id"] == "arrive")
    low = {"move": [0, -0.3, 0], "turn": [0, 0, 0]}
    edited(
        server,
        shot,
        [{"op": "replace", "path": f"/steps/{arrive}/offset/{name}", "value": value} for name, value in low.items()],
    )
    quiet.get_by_role("button", name="lift clear").click()
    wait_for(lambda: step(server, shot, "block")["move"][1] > 0.25)
    quiet.get_by_role("button", name="lift clear").wait_for(state="detached")


def test_letters_that_meet_are_kept_apart_where_the_sheet_says_so(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    arrive = next(k for k, s in enumerate(document(server, shot)["steps"]) if s["id"] == "arrive")
    crossing = {"offset/move": [-3, 0, 0], "offset/turn": [0, 0, 0]}
    edited(
        server,
        shot,
        [{"op": "replace", "path": f"/steps/{arrive}/{name}", "value": value} for name, value in crossing.items()],
    )
    quiet.get_by_role("button", name="keep apart").click()
    quiet.get_by_role("button", name="keep apart").wait_for(state="detached")
    quiet.get_by_text("keep letters apart").or_(quiet.get_by_test_id("saving")).first.wait_for()


def test_turn_and_swap_is_a_step_with_values_of_its_own(quiet, server):
    shot = new_shot(quiet, server, "TI")
    quiet.keyboard.press("m")
    dialog = quiet.get_by_role("dialog", name="Motions")
    dialog.get_by_role("tab", name="rigs").click()
    dialog.get_by_role("button", name="Turn and swap").first.click(timeout=60_000)
    dialog.get_by_role("button", name="Set Turn and swap").click()
    dialog.wait_for(state="detached")
    wait_for(lambda: any(s["kind"] == "swap" for s in document(server, shot)["steps"]))
    open_step(quiet, "Turn and swap")
    hold = quiet.get_by_role("spinbutton", name="Holds for", exact=True)
    hold.fill("9")
    hold.press("Enter")
    quiet.get_by_role("combobox", name="Changes").select_option("back")
    wait_for(lambda: (step(server, shot, "swap")["hold"], step(server, shot, "swap")["swaps"]) == (9, "back"))
    assert step(server, shot, "block")["text"] == "TI"


def test_a_globe_inside_the_ring_of_a_line(quiet, server):
    shot = new_shot(quiet, server, "SALT ROADS")
    edited(server, shot, [{"op": "replace", "path": "/steps/0/baseline/kind", "value": "drum"}])
    open_step(quiet, "Floor and wall")
    quiet.get_by_role("button", name="inside the ring of SALT ROADS").click()
    wait_for(lambda: step(server, shot, "stage")["shape"] == "globe")
    assert step(server, shot, "stage")["globe_place"] != [0, 0, 0]
    quiet.get_by_role("spinbutton", name="Its top y").wait_for()
