"""Makes the pictures of docs/screenshots from the demo data of a running application.

Usage: python docs/screenshots/make.py http://127.0.0.1:8720 [screens]

With "screens" those of the screens alone, without the large frames.
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

import httpx
from playwright.sync_api import Page, sync_playwright

from moss_crown.core.document.door import read_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.formats.png import write_png
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_picture

HERE = Path(__file__).parent
FLAGS = [
    "--no-sandbox",
    "--disable-background-networking",
    "--enable-unsafe-swiftshader",
]
FRAMES = {
    "Kestrel Tide, main title": ("frame-kestrel-tide", 30),
    "Harbour Wall, long shadows": ("frame-long-shadows", 72),
    "Breakwater, whole at frame 50": ("frame-breakwater", 44),
    "Regatta, balloons": ("frame-regatta", 80),
    "Lantern Row, neon": ("frame-neon", 70),
    "Around the buoy, globe": ("frame-buoy", 36),
}


def opened(page: Page, url: str, shot: str) -> None:
    page.goto(f"{url}/shots/{shot}")
    draft = page.locator('canvas[data-testid="draft"][data-shown="true"]')
    draft.wait_for(timeout=60_000)
    page.wait_for_timeout(3500)


def kept(page: Page, name: str) -> None:
    page.mouse.move(640, 795)
    page.wait_for_timeout(700)
    if page.get_by_test_id("draft").count():
        page.locator('canvas[data-testid="draft"][data-fine="true"]').wait_for(timeout=60_000)
    page.screenshot(path=HERE / f"{name}.png")


def recipe_step(page: Page, index: int) -> None:
    page.locator("nav[aria-label=Recipe] li").nth(index).get_by_role("button").first.click()


def demo(url: str) -> tuple[httpx.Client, str, dict[str, str]]:
    """A client of the application, the demo production, and its shots' ids by title."""
    client = httpx.Client(base_url=url, timeout=60)
    production = client.get("/api/productions").json()[0]["id"]
    shots = {s["title"]: s["id"] for s in client.get(f"/api/productions/{production}/shots").json()}
    return client, production, shots


def screens(url: str) -> None:
    client, production, shots = demo(url)
    kestrel = shots["Kestrel Tide, main title"]
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
        page.goto(url)
        page.locator("[data-testid=shot-card] img").nth(9).wait_for(timeout=300_000)
        page.wait_for_timeout(1500)
        kept(page, "slate")
        opened(page, url, kestrel)
        page.keyboard.press("Home")
        for _ in range(3):
            page.keyboard.press("Shift+ArrowRight")
        recipe_step(page, 2)
        page.wait_for_timeout(2500)
        kept(page, "shot")
        recipe_step(page, 7)
        page.get_by_role("button", name="curve").first.click()
        page.wait_for_timeout(1500)
        kept(page, "keys")
        page.get_by_role("button", name="curve").first.click()
        recipe_step(page, 0)
        page.get_by_role("button", name="Family: Archivo Black").click()
        page.wait_for_timeout(1500)
        kept(page, "families")
        page.keyboard.press("Escape")
        recipe_step(page, 3)
        page.get_by_role("button", name=re.compile("^Material of the face")).click()
        page.wait_for_timeout(1500)
        kept(page, "materials")
        page.keyboard.press("Escape")
        page.locator("header").click(position={"x": 640, "y": 8})
        page.keyboard.press("k")
        page.get_by_role("dialog").get_by_role("button", name="Porcelain", exact=True).click()
        page.get_by_role("dialog").get_by_role("button", name="Gold in the dark", exact=True).click()
        page.wait_for_function(
            "[...document.querySelectorAll('[role=dialog] img')].slice(0, 14).every(i => i.complete && i.naturalWidth)",
            timeout=120_000,
        )
        page.wait_for_timeout(4000)
        kept(page, "looks")
        page.keyboard.press("Escape")
        page.keyboard.press("m")
        dialog = page.get_by_role("dialog", name="Motions")
        dialog.get_by_role("button", name="Drop anchor").first.click(timeout=60_000)
        page.wait_for_timeout(1200)
        kept(page, "motions")
        page.keyboard.press("Escape")
        page.keyboard.press("d")
        page.wait_for_timeout(500)
        kept(page, "deliver")
        orders = {"first": 0, "last": 47, "width": 480, "height": 270, "samples": 8}
        take = client.post(f"/api/shots/{kestrel}/takes", json=orders).json()["id"]
        page.goto(f"{url}/takes/{take}")
        page.locator('[data-testid=take-state][data-state="done"]').wait_for(timeout=400_000)
        page.get_by_role("button", name="Frame 24").click()
        page.wait_for_timeout(1500)
        kept(page, "take")
        opened(page, url, shots["The Lamp Keepers"])
        page.keyboard.press("p")
        page.locator('[data-testid=proof][data-samples="16"]').wait_for(timeout=200_000)
        page.get_by_role("button", name="scopes").click()
        page.wait_for_timeout(4000)
        kept(page, "proof")
        opened(page, url, shots["Fog signal, group with copies"])
        page.keyboard.press("t")
        page.get_by_role("button", name=re.compile("^Echoes")).first.click()
        page.get_by_role("tab", name="Copies").click()
        page.wait_for_timeout(9000)
        kept(page, "across")
        page.keyboard.press("t")
        made = {"title": "Salt roads", "text": "SALT ROADS"}
        path = client.post(f"/api/productions/{production}/shots", json=made).json()
        opened(page, url, path)
        recipe_step(page, 1)
        page.get_by_role("tab", name="Front profile").click()
        page.get_by_role("combobox", name="Edge profile").select_option("drawn")
        page.wait_for_timeout(3000)
        kept(page, "profile")
        client.delete(f"/api/shots/{path}")
        page.evaluate("localStorage.setItem('moss-crown.theme', 'light')")
        opened(page, url, shots["Over the light, arch"])
        page.keyboard.press("End")
        recipe_step(page, 2)
        kept(page, "light")
        browser.close()


def frames(url: str) -> None:
    client, _, shots = demo(url)
    for title, (name, frame) in FRAMES.items():
        shot = read_shot(client.get(f"/api/shots/{shots[title]}").json()["document"])
        pixels = render_picture(Evaluation(shot), frame, FrameOrder(1280, 720, 64, threads=2)).pixels()
        (HERE / f"{name}.png").write_bytes(write_png(pixels, 9))


if __name__ == "__main__":
    screens(sys.argv[1])
    if sys.argv[2:] != ["screens"]:
        frames(sys.argv[1])
