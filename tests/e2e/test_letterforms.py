"""Letterforms by hand: letters picked, kerned, moved and patterned; axes; a profile drawn on its board."""

import pytest
import trimesh
from screens import new_shot, saved, step

from cluster import wait_for
from moss_crown.core.type.families import FOLDER


def frame_letters(page, left, right):
    """Drag a frame around what stands between two shares of the picture's width."""
    box = page.get_by_test_id("picked").bounding_box()
    page.mouse.move(box["x"] + left * box["width"], box["y"] + 0.1 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + right * box["width"], box["y"] + 0.95 * box["height"], steps=4)
    page.mouse.up()


def press_enter(page, name, value):
    field = page.get_by_role("spinbutton", name=name, exact=True)
    field.click()
    field.fill(value)
    field.press("Enter")
    field.blur()
    saved(page)


def outlined(page):
    return page.locator('[data-testid="picked"] polygon')


def test_letters_are_framed_sized_kerned_and_moved_in_the_picture(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    frame_letters(quiet, 0.0, 0.5)
    assert outlined(quiet).count() == 2
    quiet.get_by_role("tab", name="Letters").click()
    quiet.get_by_text("set like the rest of its block").wait_for()
    press_enter(quiet, "Size", "1.5")
    (one,) = step(server, shot, "block")["overrides"]
    assert (one["of"], one["first"], one["last"], one["size"]) == ("TIDE", 0, 1, 1.5)
    quiet.get_by_text("differs from its block").wait_for()

    # Alt and an arrow kern: the space belongs to the letter before the picked ones.
    frame_letters(quiet, 0.78, 1.0)
    assert outlined(quiet).count() == 1
    quiet.keyboard.press("Alt+ArrowRight")
    quiet.keyboard.press("Alt+ArrowRight")
    saved(quiet)
    wait_for(lambda: any(o["tracking"] == 10 and o["first"] == 2 for o in step(server, shot, "block")["overrides"]))

    # A picked letter is dragged.
    corners = outlined(quiet).bounding_box()
    x, y = corners["x"] + 0.2 * corners["width"], corners["y"] + corners["height"] / 2
    quiet.mouse.move(x, y)
    quiet.mouse.down()
    quiet.mouse.move(x, y - corners["height"] / 2, steps=5)
    quiet.mouse.up()
    saved(quiet)
    own = next(o for o in step(server, shot, "block")["overrides"] if o["first"] == 3)
    assert own["shift"][1] == pytest.approx(0.5, abs=0.12)
    assert own["shift"][0] == pytest.approx(0.0, abs=0.02)
    quiet.keyboard.press("Escape")
    assert outlined(quiet).count() == 0


def test_letters_selected_in_the_text_are_picked(quiet, server):
    new_shot(quiet, server, "SALT ROADS")
    quiet.get_by_test_id("title-text").focus()
    quiet.keyboard.press("End")
    for _ in range(5):
        quiet.keyboard.press("Shift+ArrowLeft")
    quiet.wait_for_function("document.querySelectorAll('[data-testid=picked] polygon').length === 5")


def test_a_pattern_outlives_a_new_text(quiet, server):
    shot = new_shot(quiet, server, "SALT ROADS")
    quiet.get_by_role("tab", name="Patterns").click()
    quiet.get_by_role("button", name="First letter of each word larger").click()
    saved(quiet)
    quiet.get_by_test_id("pattern").wait_for()
    press_enter(quiet, "Size", "1.6")
    quiet.get_by_role("tab", name="Text").click()
    quiet.get_by_test_id("title-text").fill("KESTREL TIDE")
    quiet.get_by_text("11 letters, 1 line").wait_for()
    saved(quiet)
    (pattern,) = step(server, shot, "block")["patterns"]
    assert (pattern["unit"], pattern["pick"], pattern["within"], pattern["size"]) == ("letter", "first", "word", 1.6)


def test_a_variable_family_offers_its_axes(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    quiet.get_by_role("button", name="Family: Archivo Black").click()
    quiet.get_by_role("button", name="Archivo, grotesque, 2 axes").click()
    saved(quiet)
    press_enter(quiet, "Weight", "300")
    assert step(server, shot, "block")["axes"] == {"wght": 300}
    quiet.get_by_role("button", name="Width: key this value").click()
    saved(quiet)
    assert step(server, shot, "block")["axes"]["wdth"]["keys"][0]["value"] == 100


def test_a_profile_is_drawn_on_its_board(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    quiet.get_by_role("button", name="Depth and bevel").first.click()
    quiet.get_by_role("tab", name="Front profile").click()
    quiet.get_by_role("combobox", name="Edge profile").select_option("drawn")
    saved(quiet)
    section = quiet.get_by_role("img", name="Cross-section of a stem")
    before = section.locator("path").get_attribute("d")
    point = quiet.get_by_role("slider", name="Edge profile, point 3")
    box = point.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    quiet.mouse.move(x, y)
    quiet.mouse.down()
    quiet.mouse.move(x, y + 40, steps=5)
    quiet.mouse.up()
    saved(quiet)
    curve = step(server, shot, "form")["front"]["curve"]
    assert len(curve) == 5
    assert curve[2][1] < 0.35
    wait_for(lambda: section.locator("path").get_attribute("d") != before)
    point.press("Delete")
    saved(quiet)
    assert len(step(server, shot, "form")["front"]["curve"]) == 4


FONT = str(FOLDER / "cinzel-latin.ttf")
EMBLEM = b'<svg><rect width="40" height="20"/><circle cx="60" cy="10" r="10" fill="#b8cb6f"/></svg>'


def test_a_font_is_brought_in_pinned_and_compared(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    quiet.get_by_role("button", name="Family: Archivo Black").click()
    quiet.get_by_label("add fonts").set_input_files(FONT)
    own = quiet.get_by_role("list", name="Families").locator('button[data-family^="own-"]')
    own.wait_for()
    quiet.get_by_role("button", name="Pin: Cinzel Regular").click()
    quiet.get_by_role("button", name="Pin: Anton").click()
    quiet.get_by_role("button", name="Favourite: Anton").click()
    own.click()
    saved(quiet)
    assert step(server, shot, "block")["family"].startswith("own-")
    compared = quiet.get_by_role("group", name="Compare on the stage")
    compared.get_by_role("button", name="Anton").click()
    saved(quiet)
    assert step(server, shot, "block")["family"] == "anton"
    quiet.reload()
    quiet.get_by_role("button", name="Family: Anton").click()
    quiet.get_by_role("button", name="favourites").click()
    wait_for(lambda: quiet.get_by_role("list", name="Families").get_by_role("listitem").count() == 1)


def test_a_file_that_is_no_font_is_refused_with_its_reason(quiet, server, tmp_path):
    new_shot(quiet, server, "TIDE")
    wrong = tmp_path / "letters.ttf"
    wrong.write_bytes(b"GIF89a")
    quiet.get_by_role("button", name="Family: Archivo Black").click()
    quiet.get_by_label("add fonts").set_input_files(str(wrong))
    quiet.get_by_text("letters.ttf: this is not a font file").wait_for()


def test_an_emblem_is_brought_in_and_stands_in_the_recipe(quiet, server, tmp_path):
    shot = new_shot(quiet, server, "TIDE")
    drawing = tmp_path / "Lighthouse.svg"
    drawing.write_bytes(EMBLEM)
    quiet.get_by_role("button", name="+ add a step").click()
    quiet.get_by_role("menuitem", name="Emblem").click()
    quiet.get_by_label("Bring in SVG files").set_input_files(str(drawing))
    quiet.get_by_role("list", name="Emblems").get_by_role("button", name="Lighthouse").click()
    saved(quiet)
    emblem = step(server, shot, "emblem")
    assert emblem["emblem"].startswith("emblem-")
    quiet.get_by_role("switch", name="Colours of the drawing").click()
    saved(quiet)
    assert step(server, shot, "emblem")["own_colours"] is True
    draft = server.client.get(f"/api/shots/{shot}/draft", timeout=60).content
    assert b'"tint":[0.4' in draft


def test_letters_are_drawn_by_tubes_and_exported(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    quiet.get_by_role("button", name="Depth and bevel").first.click()
    quiet.get_by_role("tab", name="Tubes").click()
    quiet.get_by_role("switch", name="Draw by tubes").click()
    saved(quiet)
    press_enter(quiet, "There to", "0.5")
    assert step(server, shot, "form")["tubes"]["last"] == 0.5
    quiet.keyboard.press("Escape")
    quiet.keyboard.press("e")
    quiet.get_by_label("Format").select_option("stl")
    with quiet.expect_download() as download:
        quiet.get_by_role("link", name="Download").click()
    assert download.value.suggested_filename.endswith(".stl")
    mesh = trimesh.load(download.value.path(), file_type="stl")
    assert mesh.is_watertight
    assert mesh.volume > 0


def test_a_block_is_arranged_and_that_is_one_edit(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    quiet.get_by_role("tab", name="Place").click()
    quiet.get_by_label("Share of the frame's width").fill("40")
    quiet.get_by_role("button", name="fit", exact=True).click()
    wait_for(lambda: step(server, shot, "camera")["fit"] == 0.4)
    quiet.get_by_label("Align with").select_option("title safe")
    quiet.get_by_role("button", name="left", exact=True).click()
    wait_for(lambda: step(server, shot, "camera")["shift"][0] < -0.2)
    quiet.locator("body").click(position={"x": 600, "y": 20})
    quiet.keyboard.press("Control+z")
    wait_for(lambda: step(server, shot, "camera")["shift"][0] == 0)
