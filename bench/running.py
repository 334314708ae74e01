"""A running application: warm start, memory of each process, and edit to picture in a real browser."""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

import psutil
from playwright.sync_api import Page, sync_playwright

from bench.report import say
from moss_crown.server.db.cluster import _free_port
from moss_crown.server.user import folder_of

ROOT = Path(__file__).resolve().parents[1]
# A browser without a graphics card: it draws WebGL in software, and the page around it as it chooses itself.
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--enable-unsafe-swiftshader",
]


def started(home: str, port: int, **settings: str) -> tuple[subprocess.Popen[str], float]:
    """`./crown start`, and the seconds until it printed its address."""
    more = {f"MOSS_CROWN_{name.upper()}": value for name, value in settings.items()}
    begun = time.perf_counter()
    command = [sys.executable, "-m", "moss_crown.cli", "start", "--port", str(port)]
    process = subprocess.Popen(
        command, cwd=ROOT, env=os.environ | {"MOSS_CROWN_HOME": home} | more, stdout=subprocess.PIPE, text=True
    )
    assert process.stdout is not None
    for line in process.stdout:
        if "ready" in line:
            break
    return process, time.perf_counter() - begun


def settled(url: str, most: float = 600) -> None:
    """Wait until every shot has its poster: they are rendered beside everything else, and would be measured with it."""
    end = time.monotonic() + most
    while time.monotonic() < end:
        with urllib.request.urlopen(f"{url}/api/productions") as answer:
            productions = json.load(answer)
        lacking = 0
        for production in productions:
            with urllib.request.urlopen(f"{url}/api/productions/{production['id']}/shots") as answer:
                lacking += sum(shot["poster"] < shot["revision"] for shot in json.load(answer))
        if not lacking:
            return
        time.sleep(1)


def stop(process: subprocess.Popen[str]) -> None:
    process.send_signal(signal.SIGINT)
    process.wait(40)


def forget(home: str) -> None:
    """Take the bench's database away."""
    facts = json.loads((Path(home) / "database.json").read_text())
    shutil.rmtree(facts["folder"], ignore_errors=True)
    shutil.rmtree(folder_of(Path(home)), ignore_errors=True)


def memory(process: subprocess.Popen[str]) -> dict[str, float]:
    """Megabytes a process of the application holds: its resident pages."""
    found: dict[str, float] = {}
    for child in psutil.Process(process.pid).children(recursive=True):
        line = " ".join(child.cmdline())
        name = "other"
        for mark, called in (
            ("take_runner", "take runner"),
            ("moss_crown.server ", "web server"),
            ("spawn_main", "compute or render process"),
            ("resource_tracker", ""),
        ):
            if mark in line:
                name = called
                break
        if name:
            megabytes = child.memory_info().rss / 1e6
            found[name] = max(found.get(name, 0), megabytes)
    return found


def edit_to_picture(page: Page, url: str, edits: int = 30) -> tuple[list[float], list[float]]:
    """Milliseconds from the preview of a changed value to the picture that shows it, as a drag does it; and how many of
    them the drawing took."""
    page.goto(url)
    page.get_by_test_id("shot-card").first.wait_for()
    page.get_by_role("link", name=re.compile("^Open Kestrel")).first.click()
    page.locator('canvas[data-testid="draft"][data-shown="true"]').wait_for(timeout=60_000)
    page.wait_for_timeout(2500)
    page.get_by_role("tab", name="Place").click()
    field = page.get_by_role("spinbutton", name="Move y")
    box = field.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 20, box["y"] + 10)
    page.mouse.down()
    page.mouse.move(box["x"] + 26, box["y"] + 10)
    page.wait_for_timeout(600)
    found, drawn = [], []
    for k in range(edits):
        page.evaluate("window.benchBegun = performance.now()")
        page.mouse.move(box["x"] + 30 + 4 * k, box["y"] + 10)
        page.wait_for_function("window.mossShown.of.at > window.benchBegun", polling="raf")
        found.append(page.evaluate("window.mossShown.at - window.benchBegun"))
        drawn.append(page.evaluate("window.mossShown.ms"))
        page.wait_for_timeout(60)
    page.mouse.up()
    return sorted(found), sorted(drawn)


def kern_to_picture(page: Page, presses: int = 20) -> list[float]:
    """Milliseconds from a press that kerns a letter to the picture that shows it; each press is a stored edit."""
    page.mouse.up()
    box = page.get_by_test_id("picked").bounding_box()
    assert box is not None
    page.locator("body").click(position={"x": 600, "y": 20})
    page.keyboard.press("a")
    page.wait_for_timeout(1500)
    found = []
    for k in range(presses):
        page.evaluate("window.benchBegun = performance.now()")
        page.keyboard.press("Alt+Shift+ArrowUp" if k % 2 else "Alt+Shift+ArrowDown")
        page.wait_for_function("window.mossShown.of.at > window.benchBegun", polling="raf")
        found.append(page.evaluate("window.mossShown.at - window.benchBegun"))
        page.wait_for_timeout(900)
    return sorted(found)


def timed_drag(
    page: Page, x: float, y: float, dx: float, dy: float, moves: int = 24
) -> tuple[list[float], list[float]]:
    """Milliseconds from each move of a drag to the picture that shows it, and of each drawing of the sheet."""
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / moves, y + dy / moves)
    page.wait_for_timeout(600)
    pictures, sheets = [], []
    for k in range(2, moves):
        page.evaluate("window.benchBegun = performance.now()")
        page.mouse.move(x + dx * k / moves, y + dy * k / moves)
        page.wait_for_function("window.mossShown.of.at > window.benchBegun", polling="raf")
        pictures.append(page.evaluate("window.mossShown.at - window.benchBegun"))
        page.wait_for_timeout(80)
        sheets.append(page.evaluate("window.mossSheet.ms"))
    page.mouse.up()
    page.wait_for_timeout(1500)
    return sorted(pictures), sorted(sheets)


def motion(page: Page, url: str) -> tuple[list[float], list[float]]:
    """A zone dragged in the picture, the diagonal in the sheet: pictures of the first, sheets of the second."""
    page.goto(url)
    page.get_by_test_id("shot-card").first.wait_for()
    page.get_by_role("link", name=re.compile("^Open Kestrel")).first.click()
    page.locator('canvas[data-testid="draft"][data-shown="true"]').wait_for(timeout=60_000)
    page.wait_for_timeout(2500)
    sheet = page.get_by_test_id("sheet")
    box = sheet.bounding_box()
    assert box is not None
    columns = json.loads(sheet.get_attribute("data-columns") or "[]")
    per = (box["height"] - 38) / 97
    _, sheets = timed_drag(page, box["x"] + columns[3], box["y"] + 26 + 16.5 * per, 0, 44 * per)
    page.get_by_role("button", name=re.compile("^Arrive")).first.click()
    page.get_by_role("tab", name="Cadence").click()
    page.get_by_label("Reach", exact=True).select_option("zone")
    page.wait_for_timeout(2500)
    handle = page.get_by_role("button", name="Zone 1: place").bounding_box()
    assert handle is not None
    pictures, _ = timed_drag(page, handle["x"] + 8, handle["y"] + 8, 120, 0)
    return pictures, sheets


PICTURES = """async () => {
  const begun = performance.now();
  let last = window.mossShown.at;
  let shown = 0;
  while (performance.now() - begun < 6000) {
    await new Promise(requestAnimationFrame);
    if (window.mossShown.at !== last) shown += 1;
    last = window.mossShown.at;
  }
  return shown / (performance.now() - begun) * 1000;
}"""


def playback(page: Page) -> str:
    """Pictures a second over six seconds: what the page says itself is of one second, and a picture more or less."""
    page.keyboard.press("Escape")
    page.locator("body").click(position={"x": 600, "y": 20})
    page.keyboard.press("Home")
    page.keyboard.press("Space")
    page.wait_for_timeout(2000)
    shown = page.evaluate(PICTURES)
    page.keyboard.press("Space")
    return f"{shown:.1f} fps"


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        os.chmod(folder, 0o755)
        process, first = started(folder, _free_port())
        stop(process)
        port = _free_port()
        process, warm = started(folder, port)
        say("warm start, to the page that answers", f"{warm:.1f} s (first start, packages there: {first:.0f} s)", "6 s")
        try:
            settled(f"http://127.0.0.1:{port}")
            with sync_playwright() as p:
                browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
                found, drawn = edit_to_picture(page, f"http://127.0.0.1:{port}/")
                p95 = found[int(len(found) * 0.95)]
                say(
                    "edit to picture in the browser, drag of a value",
                    f"{statistics.median(found):.0f} ms, 95th percentile {p95:.0f} ms",
                    "100 ms and 200 ms",
                )
                say("  of it drawing, in software", f"{statistics.median(drawn):.0f} ms", "-")
                kerned = kern_to_picture(page)
                say("change of letters' places to picture, stored", f"{statistics.median(kerned):.0f} ms", "100 ms")
                say("playback in software WebGL, 11 letters", playback(page), "25 of 25 fps")
                zones, sheets = motion(page, f"http://127.0.0.1:{port}/")
                p95 = zones[int(len(zones) * 0.95)]
                figure = f"{statistics.median(zones):.0f} ms, 95th percentile {p95:.0f} ms"
                say("drag of a zone to new picture, through the live channel", figure, "50 ms and 90 ms")
                say("sheet drawn while its diagonal is dragged", f"{statistics.median(sheets):.1f} ms", "16 ms")
                browser.close()
            for name, megabytes in memory(process).items():
                say(f"memory: {name}", f"{megabytes:.0f} MB", "under 1 GB")
        finally:
            stop(process)
            forget(folder)
