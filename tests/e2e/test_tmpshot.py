import time

from screens import new_shot, saved, settled


def test_tmp(server, browser):
    ctx = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True)
    page = ctx.new_page()
    page.on("console", lambda m: print("console", m.text) if m.type in ("error", "warning") else None)
    new_shot(page, server, "PILOT HOUSE")
    page.get_by_role("button", name="+ add a step").click()
    page.get_by_role("menuitem", name="Pieces", exact=True).click()
    saved(page)
    t = time.time()
    settled(page)
    print("settled", time.time() - t)
    page.screenshot(path="/tmp/g1.png")
    page.keyboard.press("End")
    for _ in range(18):
        page.keyboard.press("ArrowLeft")
    settled(page)
    page.get_by_role("tab", name="Flight").click()
    time.sleep(1)
    page.screenshot(path="/tmp/g2.png")
