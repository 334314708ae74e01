"""Ways through the screens that several tests take."""

import io
import json
import re

import numpy as np
from PIL import Image

from cluster import wait_for


def new_shot(page, server, text="SALT ROADS"):
    """Make a shot from the slate by keyboard; answers its id once its draft is shown."""
    page.goto(server.url)
    page.get_by_test_id("shot-card").first.wait_for()
    page.keyboard.press("n")
    page.get_by_role("dialog").get_by_role("textbox", name="Title").fill(text)
    page.get_by_role("button", name="Make the shot").click()
    page.wait_for_url("**/shots/*")
    shown(page)
    return page.url.rsplit("/", 1)[1]


def shown(page):
    page.locator('canvas[data-testid="draft"][data-shown="true"]').wait_for(timeout=120_000)


def saved(page):
    page.wait_for_function("document.querySelector('[data-testid=saving]').textContent === 'saved'")


def frame(page):
    return int(page.get_by_test_id("frame").inner_text())


def document(server, shot):
    return server.client.get(f"/api/shots/{shot}").json()["document"]


def edited(server, shot, patch):
    """Change a shot from outside the page, as another window would."""
    revision = server.client.get(f"/api/shots/{shot}").json()["revision"]
    edit = {"revision": revision, "label": "edit", "patch": patch}
    assert server.client.post(f"/api/shots/{shot}/edits", json=edit).status_code == 200


def step(server, shot, kind):
    return next(s for s in document(server, shot)["steps"] if s["kind"] == kind)


def picture(locator):
    return np.asarray(Image.open(io.BytesIO(locator.screenshot())).convert("RGB"), float)


def sheet_point(page, column_share, frame_number, frames=73):
    """A point on the sheet: a share of the letters' width, and a frame."""
    box = page.get_by_test_id("sheet").bounding_box()
    per = (box["height"] - 26 - 12) / frames
    return box["x"] + column_share * box["width"], box["y"] + 26 + (frame_number + 0.5) * per, per


def letter_point(page, letter, frame_number, frames=73):
    """A point in the column of a letter of the sheet, at a frame."""
    sheet = page.get_by_test_id("sheet")
    columns = json.loads(sheet.get_attribute("data-columns"))
    if sheet.get_attribute("aria-orientation") == "horizontal":
        box = sheet.bounding_box()
        per = (box["width"] - 46 - 12) / frames
        return box["x"] + 46 + (frame_number + 0.5) * per, box["y"] + columns[letter], per
    x, y, per = sheet_point(page, 0, frame_number, frames)
    return x + columns[letter], y, per


def grips(page, kind):
    """Where the sheet shows what can be taken hold of: rings of keys in columns ("rings"), in lanes ("ring"), handles
    of eases ("handle")."""
    sheet = page.get_by_test_id("sheet")
    box = sheet.bounding_box()
    seen = [sheet.get_attribute("data-grips")]

    def still():
        page.wait_for_timeout(250)
        seen.append(sheet.get_attribute("data-grips"))
        return len(seen) > 3 and len(set(seen[-4:])) == 1

    wait_for(still, 30)
    found = json.loads(seen[-1])
    return [(box["x"] + x, box["y"] + y) for what, x, y in found if what == kind]


def drag(page, x, y, dx, dy, *held):
    """Press at a point, move, and let go, with keys held."""
    for key in held:
        page.keyboard.down(key)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 2, y + dy / 2, steps=4)
    page.mouse.move(x + dx, y + dy, steps=4)
    page.mouse.up()
    for key in held:
        page.keyboard.up(key)


def add_step(page, name):
    """Add a step by its title in the list."""
    page.get_by_role("button", name="+ add a step").click()
    page.get_by_role("menuitem", name=name, exact=True).click()
    saved(page)


def open_step(page, name):
    page.get_by_role("button", name=re.compile(f"^{name}")).first.click()


def settled(page):
    """The draft when it is as fine as it gets."""
    draft = page.get_by_test_id("draft")
    page.wait_for_timeout(700)  # what was asked for just now may not have come yet
    page.locator('canvas[data-testid="draft"][data-fine="true"]').wait_for(timeout=120_000)
    return picture(draft)


def choose_material(page, name, of="face"):
    page.get_by_role("button", name=re.compile(f"^Material of the {of}")).click()
    dialog = page.get_by_role("dialog", name="Material")
    dialog.get_by_role("textbox", name="Find a material").fill(name)
    dialog.get_by_role("button", name=name, exact=True).click()


def put(page, role, name, value):
    field = page.get_by_role(role, name=name, exact=True).first
    field.fill(str(value))
    field.press("Enter")
    field.blur()
    saved(page)
