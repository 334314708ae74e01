"""Ways through the screens that several tests take."""

import io

import numpy as np
from PIL import Image


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
    page.locator('canvas[data-testid="draft"][data-shown="true"]').wait_for(timeout=60_000)


def saved(page):
    page.wait_for_function("document.querySelector('[data-testid=saving]').textContent === 'saved'")


def frame(page):
    return int(page.get_by_test_id("frame").inner_text())


def document(server, shot):
    return server.client.get(f"/api/shots/{shot}").json()["document"]


def step(server, shot, kind):
    return next(s for s in document(server, shot)["steps"] if s["kind"] == kind)


def picture(locator):
    return np.asarray(Image.open(io.BytesIO(locator.screenshot())).convert("RGB"), float)


def sheet_point(page, column_share, frame_number, frames=73):
    """A point on the sheet: a share of the letters' width, and a frame."""
    box = page.get_by_test_id("sheet").bounding_box()
    per = (box["height"] - 26 - 12) / frames
    return box["x"] + column_share * box["width"], box["y"] + 26 + (frame_number + 0.5) * per, per
