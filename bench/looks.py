"""Draft against proof in every look that ships: mean luminance of the frame, and the hue of the letters' faces."""

from __future__ import annotations

import colorsys
import io
import math
import os
import tempfile

import httpx
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from playwright.sync_api import Page, sync_playwright

from bench.report import say
from bench.running import FLAGS, forget, started, stop
from moss_crown.core.cache import Cache
from moss_crown.core.document.door import read_shot
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.look.exposure import BRIGHTNESS, srgb_to_linear
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_frame, render_picture
from moss_crown.server.db.cluster import _free_port

WIDTH, HEIGHT = 480, 270
SAMPLES = 64
"""As many as a proof that is left alone gets about: of few, a denoiser takes for noise what edges throw on floors."""
LEAST_COLOUR = 0.06
"""A face of less saturation has no hue to speak of."""

Pixels = NDArray[np.float64]


def luminance(shown: Pixels) -> float:
    """Mean luminance (0..1, linear) of display bytes."""
    return float((srgb_to_linear(shown / 255) @ BRIGHTNESS).mean())


def hue(shown: Pixels, mask: NDArray[np.bool_]) -> float | None:
    red, green, blue = (shown[mask] / 255).mean(0)
    angle, saturation, _ = colorsys.rgb_to_hsv(red, green, blue)
    return 360 * angle if saturation >= LEAST_COLOUR else None


def still(page: Page) -> NDArray[np.uint8]:
    """The draft once it is as fine as it gets."""
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(500)
    page.locator('canvas[data-testid="draft"][data-fine="true"]').wait_for(timeout=120_000)
    taken = Image.open(io.BytesIO(page.get_by_test_id("draft").screenshot()))
    return np.asarray(taken.convert("RGB"))


def level(normal: NDArray[np.float32]) -> NDArray[np.float32]:
    """Directions of the mean normals of 5 x 5 pixels: of what is under the relief of a surface."""
    steps = range(-2, 3)
    mean = np.add.reduce([np.roll(normal, (down, across), (0, 1)) for down in steps for across in steps])
    return np.asarray(mean / np.maximum(np.linalg.norm(mean, axis=-1, keepdims=True), 1e-6), np.float32)


def smaller(shown: NDArray[np.uint8]) -> Pixels:
    return np.asarray(Image.fromarray(shown).resize((WIDTH, HEIGHT), Image.Resampling.BOX), float)


def drawn(page: Page, url: str, shot: str) -> NDArray[np.uint8]:
    """The draft of a shot's last frame."""
    page.goto(f"{url}/shots/{shot}")
    page.locator('canvas[data-testid="draft"][data-shown="true"]').wait_for(timeout=60_000)
    page.keyboard.press("End")
    return still(page)


def faces_of(document: Shot, cache: Cache) -> NDArray[np.bool_]:
    """(HEIGHT, WIDTH): where the faces of letters are at the last frame, and nothing else."""
    order = FrameOrder(WIDTH, HEIGHT, 4, alpha=True, denoise=False)
    letters = render_frame(Evaluation(document, cache), document.last, order)
    return np.asarray((letters.alpha[..., 0] > 0.99) & (level(letters.normal)[..., 2] > 0.95))


def proof_of(document: Shot, cache: Cache, shown: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """As large as the draft: where a highlight is narrower than a pixel, it is shown as bright as that."""
    order = FrameOrder(shown.shape[1], shown.shape[0], SAMPLES, threads=2)
    return render_picture(Evaluation(document, cache), document.last, order).pixels()


def put(client: httpx.Client, shot: str, patch: list[dict[str, object]]) -> Shot:
    now = client.get(f"/api/shots/{shot}").json()
    order = {"revision": now["revision"], "label": "bench", "patch": patch}
    out = client.post(f"/api/shots/{shot}/edits", json=order)
    out.raise_for_status()
    return read_shot(out.json()["document"])


def looks(client: httpx.Client, production: str, page: Page, url: str, cache: Cache) -> None:
    shot = client.post(f"/api/productions/{production}/shots", json={"title": "Looks", "text": "LOWMERE\nTIDE"}).json()
    bright, hues, told = [], [], []
    for look in client.get(f"/api/productions/{production}/looks").json():
        now = client.get(f"/api/shots/{shot}").json()
        order = {"look": look["id"], "frame": 72, "revision": now["revision"]}
        worn = client.post(f"/api/shots/{shot}/wear", json=order)
        worn.raise_for_status()
        document = read_shot(worn.json()["document"])
        shown = drawn(page, url, shot)
        draft, proof = smaller(shown), smaller(proof_of(document, cache, shown))
        mask = faces_of(document, cache)
        share = luminance(draft) / max(luminance(proof), 1e-6) - 1
        bright.append(abs(share))
        one, other = hue(draft, mask), hue(proof, mask)
        turn = None if one is None or other is None else abs((one - other + 180) % 360 - 180)
        if turn is not None:
            hues.append(turn)
        told.append(f"{look['name']} {share:+.0%}" + (f", {turn:.0f} degrees" if turn is not None else ""))
    say(
        "draft against proof, mean luminance, worst",
        f"{max(bright):.0%} ({sum(b <= 0.1 for b in bright)} of {len(bright)})",
        "10 %",
    )
    say("hue of faces, worst", f"{max(hues):.0f} degrees ({sum(h <= 5 for h in hues)} of {len(hues)})", "5 degrees")
    for line in told:
        say(f"  {line}", "", "-")


def suns(client: httpx.Client, production: str, page: Page, url: str, cache: Cache) -> None:
    """A sun that grazes the faces of a dull title: what its shadows make of them, and of all that is around."""
    shot = client.post(f"/api/productions/{production}/shots", json={"title": "Suns", "text": "TIDE"}).json()
    steps = client.get(f"/api/shots/{shot}").json()["document"]["steps"]
    at = {step["kind"]: f"/steps/{k}" for k, step in enumerate(steps)}
    for angle in (3, 10, 30):
        for depth in (0.02, 0.3, 1.0):
            way = math.radians(angle)
            sun = {
                "name": "sun",
                "shape": "sun",
                "place": [20 * math.cos(way), 6, 20 * math.sin(way)],
                "aim": [0, 0.5, 0],
                "power": 1500,
                "angle": 0.5,
            }
            values = {
                f"{at['lights']}/lights": [sun],
                f"{at['material']}/face/metal": 0,
                f"{at['material']}/face/roughness": 0.8,
                f"{at['form']}/depth": depth,
                f"{at['form']}/front/width": min(0.02, depth / 4),
                f"{at['form']}/front/height": min(0.02, depth / 4),
            }
            document = put(client, shot, [{"op": "replace", "path": p, "value": v} for p, v in values.items()])
            shown = drawn(page, url, shot)
            draft, proof = smaller(shown), smaller(proof_of(document, cache, shown))
            mask = faces_of(document, cache)
            one, other = (srgb_to_linear(part / 255) @ BRIGHTNESS for part in (draft, proof))
            off = np.abs(one - other).mean() / other.mean()
            uneven = one[mask].std() / one[mask].mean() - other[mask].std() / other[mask].mean()
            face = one[mask].mean() / other[mask].mean() - 1
            say(
                f"  sun at {angle} degrees, {depth:g} cap heights deep",
                f"faces {face:+.0%}, more uneven by {uneven:+.1%}; all {off:.0%} off",
                "10 %, 3 %; 15 %",
            )


def main() -> None:
    cache = Cache()
    with tempfile.TemporaryDirectory() as folder:
        os.chmod(folder, 0o755)
        port = _free_port()
        process, _ = started(folder, port, posters="false")
        url = f"http://127.0.0.1:{port}"
        client = httpx.Client(base_url=url, timeout=120)
        try:
            production = client.get("/api/productions").json()[0]["id"]
            with sync_playwright() as p:
                browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
                suns(client, production, page, url, cache)
                looks(client, production, page, url, cache)
                browser.close()
        finally:
            stop(process)
            forget(folder)


if __name__ == "__main__":
    main()
