"""Materials, lights and environment by hand: chosen from the catalogue, textured, lit by a kit and by pointing; and
text along a path."""

import re
import zipfile

import numpy as np
import OpenEXR
from PIL import Image
from screens import choose_material, document, new_shot, open_step, picture, saved, settled, step

from cluster import wait_for
from moss_crown.core.look.materials import MATERIALS
from moss_crown.core.look.patterns import NAMES


def test_a_material_is_chosen_and_its_texture_shows_in_the_draft(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    plain = settled(quiet)
    open_step(quiet, "Harbour brass")
    choose_material(quiet, "Oak")
    saved(quiet)
    chosen = step(server, shot, "material")
    assert chosen["name"] == "Oak"
    assert chosen["face"] == chosen["edge"] == MATERIALS["oak"].material.model_dump(mode="json")
    oak = settled(quiet)
    assert np.abs(oak - plain).mean() > 1

    # One side alone, and a control of the texture under the name that it has for this one.
    quiet.get_by_role("tab", name="Edge", exact=True).click()
    quiet.get_by_role("button", name=re.compile("^Material of the edge: Oak")).click()
    dialog = quiet.get_by_role("dialog", name="Material")
    dialog.get_by_role("checkbox").uncheck()
    dialog.get_by_role("button", name="Mirror chrome").click()
    saved(quiet)
    assert step(server, shot, "material")["edge"]["metal"] == 1
    assert step(server, shot, "material")["face"]["metal"] == 0
    quiet.get_by_role("tab", name="Face texture").click()
    field = quiet.get_by_role("spinbutton", name="Width of the tree")
    field.fill("0.3")
    field.press("Enter")
    field.blur()
    saved(quiet)
    assert step(server, shot, "material")["face"]["texture"]["scale"] == 0.3
    assert np.abs(settled(quiet) - oak).mean() > 0.3
    quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: step(server, shot, "material")["face"]["texture"]["scale"] == 1.0)


def test_picked_letters_get_a_material_of_their_own(quiet, server):
    shot = new_shot(quiet, server, "HIGH TIDE")
    before = settled(quiet)
    text = quiet.get_by_test_id("title-text")
    text.press("End")
    for _ in range(4):
        text.press("Shift+ArrowLeft")
    text.blur()
    quiet.keyboard.press("Shift+M")
    quiet.get_by_role("heading", name="TIDE: material").wait_for()
    choose_material(quiet, "Porcelain")
    saved(quiet)
    common, own = [s for s in document(server, shot)["steps"] if s["kind"] == "material"]
    assert common["face"] != own["face"] == MATERIALS["porcelain"].material.model_dump(mode="json")
    assert [h["of"][h["first"] : h["last"] + 1] for h in own["some"]["hand"]] == ["TIDE"]
    changed = np.abs(settled(quiet) - before).mean((0, 2))
    middle = len(changed) // 2
    assert changed[middle:].sum() > 5 * changed[:middle].sum()

    # By a rule instead; then it is taken back, step by step.
    quiet.get_by_role("tab", name="Worn by").click()
    quiet.get_by_label("Letters", exact=True).select_option("rule")
    quiet.get_by_label("Within each").select_option("word")
    saved(quiet)
    some = document(server, shot)["steps"][4]["some"]
    assert some["by"] == "rule" and (some["rule"]["pick"], some["rule"]["within"]) == ("first", "word")
    quiet.get_by_text("first letter of each word").wait_for()
    for _ in range(4):
        quiet.get_by_role("button", name="Undo", exact=True).click()
        saved(quiet)
    wait_for(lambda: sum(s["kind"] == "material" for s in document(server, shot)["steps"]) == 1)


def test_an_own_picture_lies_on_the_letters_in_draft_and_proof(quiet, server, tmp_path):
    """Red on the left, green on the right, as high as the letters: one colour each half."""
    halves = np.zeros((40, 80, 3), np.uint8)
    halves[:, :40], halves[:, 40:] = (230, 30, 20), (20, 200, 40)
    Image.fromarray(halves).save(tmp_path / "halves.png")
    shot = new_shot(quiet, server, "IIII")
    open_step(quiet, "Harbour brass")
    quiet.get_by_role("spinbutton", name="Metal", exact=True).fill("0")
    quiet.get_by_role("spinbutton", name="Metal", exact=True).press("Enter")
    quiet.get_by_role("tab", name="Face pictures").click()
    with quiet.expect_response(lambda r: "/api/pictures/" in r.url):
        quiet.get_by_label("Bring in").first.set_input_files(tmp_path / "halves.png")
    width = quiet.get_by_role("spinbutton", name="Picture width")
    width.fill("8")
    width.press("Enter")
    saved(quiet)
    own = step(server, shot, "material")["face"]["pictures"]
    assert own["colour"].startswith("picture-") and own["width"] == 8

    def reddest(pixels):
        """How red or green the left and the right half of the picture are, where they are most."""
        most = pixels[..., 0] - pixels[..., 1]
        middle = most.shape[1] // 2
        return most[:, :middle].max(), most[:, middle:].min()

    red, green = reddest(settled(quiet))
    assert red > 60 and green < -60
    quiet.get_by_role("button", name="Proof", exact=True).first.click()
    quiet.get_by_text("finished, 16 samples").wait_for(timeout=240_000)
    red, green = reddest(picture(quiet.get_by_test_id("proof")))
    assert red > 60 and green < -60


def test_every_pattern_is_drawn_without_a_complaint_of_the_shader(quiet, server):
    """What cannot be compiled is an error in the console, and the page must have none."""
    shot = new_shot(quiet, server, "TI")
    open_step(quiet, "Harbour brass")
    quiet.get_by_role("tab", name="Face texture").click()
    before = settled(quiet)
    for name in NAMES[1:]:
        with quiet.expect_response(lambda r, name=name: r.url.endswith(f"/api/textures/{name}")):
            quiet.get_by_role("combobox", name="Texture").select_option(name)
        saved(quiet)
    assert step(server, shot, "material")["face"]["texture"]["pattern"] == NAMES[-1]
    assert np.abs(settled(quiet) - before).mean() > 0.1


def test_text_runs_along_a_path_whose_points_are_dragged(quiet, server):
    shot = new_shot(quiet, server, "SALT ROADS")
    before = settled(quiet)
    quiet.get_by_role("tab", name="Baseline").click()
    quiet.get_by_role("combobox", name="Lines run").select_option("path")
    saved(quiet)
    assert np.abs(settled(quiet) - before).mean() > 0.5
    point = quiet.get_by_role("slider", name="Path of the text, point 2")
    box = point.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    quiet.mouse.move(x, y)
    quiet.mouse.down()
    quiet.mouse.move(x + 8, y + 30, steps=4)
    quiet.mouse.up()
    saved(quiet)
    points = step(server, shot, "block")["baseline"]["points"]
    assert len(points) == 4
    assert points[1][1] < 0.7
    point.press("Delete")
    saved(quiet)
    assert len(step(server, shot, "block")["baseline"]["points"]) == 3


def test_the_bevel_gets_a_material_of_its_own_and_gives_it_back(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    plain = settled(quiet)
    open_step(quiet, "Harbour brass")
    quiet.get_by_role("button", name="bevel", exact=True).click()
    quiet.get_by_role("tab", name="Bevel", exact=True).click()
    quiet.get_by_role("button", name=re.compile("^Material of the bevel")).click()
    dialog = quiet.get_by_role("dialog", name="Material")
    assert dialog.get_by_role("checkbox").count() == 0, "it is for the bevel alone"
    dialog.get_by_role("button", name="Mirror chrome").click()
    saved(quiet)
    worn = step(server, shot, "material")
    assert worn["bevel"] == MATERIALS["mirror-chrome"].material.model_dump(mode="json")
    assert worn["rear"] is None
    wait_for(lambda: np.abs(settled(quiet) - plain).mean() > 0.05)
    quiet.get_by_role("button", name="like the edge again").click()
    saved(quiet)
    assert step(server, shot, "material")["bevel"] is None
    assert quiet.get_by_role("tab", name="Bevel", exact=True).count() == 0


def test_layers_are_delivered_and_read_back(quiet, server, tmp_path):
    new_shot(quiet, server, "TI")
    quiet.get_by_role("button", name="Deliver").click()
    dialog = quiet.get_by_role("dialog")
    for name, value in (("First frame", 70), ("Last frame", 70), ("Width, pixels", 96), ("Height, pixels", 54)):
        dialog.get_by_label(name).fill(str(value))
    dialog.get_by_label("Samples a pixel").fill("2")
    dialog.get_by_role("checkbox", name="layers for compositing").check()
    dialog.get_by_role("button", name="Render the take").click()
    link = quiet.get_by_role("link", name=re.compile("Layers, OpenEXR"))
    link.wait_for(timeout=120_000)
    with quiet.expect_download() as download:
        link.click()
    path = tmp_path / "layers.zip"
    download.value.save_as(path)
    with zipfile.ZipFile(path) as archive:
        (name,) = archive.namelist()
        assert name.endswith(".00070.exr")
        archive.extract(name, tmp_path)
    channels = OpenEXR.File(str(tmp_path / name), separate_channels=True).channels()
    assert channels["R"].pixels.shape == (54, 96)
    assert {"light_key.R", "light_environment.G", "motion.X", "CryptoLetter00.R", "Z"} <= set(channels)
    assert channels["A"].pixels.max() == 1


def test_a_look_is_kept_another_put_on_and_the_first_again_after_a_new_text(quiet, server, tmp_path):
    shot = new_shot(quiet, server, "TI")
    first = step(server, shot, "material")
    under_way, at_once = set(), []
    quiet.on("request", lambda r: "/looks/" in r.url and (under_way.add(r), at_once.append(len(under_way))))
    quiet.on("requestfinished", lambda r: "/looks/" in r.url and under_way.remove(r))
    quiet.get_by_role("button", name="Looks", exact=True).click()
    dialog = quiet.get_by_role("dialog", name="Looks")
    dialog.get_by_role("textbox", name="Name of the look").fill("Quay at noon")
    dialog.get_by_role("button", name="Keep this shot's look").click()
    mine = dialog.get_by_role("button", name="Quay at noon", exact=True)
    mine.wait_for()
    assert dialog.get_by_role("listitem").count() == 21
    assert max(at_once) == 2  # a browser's other connections are free for what is done meanwhile
    dialog.get_by_role("button", name="Porcelain", exact=True).click()
    large = dialog.get_by_alt_text("The title in Porcelain")
    wait_for(lambda: large.evaluate("image => image.naturalWidth") == 480)
    dialog.get_by_role("checkbox", name="lights").uncheck()
    lights = step(server, shot, "lights")
    dialog.get_by_role("button", name="Put on Porcelain").click()
    wait_for(lambda: step(server, shot, "material")["name"] == "Porcelain")
    saved(quiet)
    assert step(server, shot, "lights") == lights

    open_step(quiet, "TI")
    field = quiet.get_by_role("textbox", name="Text", exact=True)
    field.fill("SALT")
    field.blur()
    saved(quiet)
    quiet.locator("body").click(position={"x": 600, "y": 20})
    quiet.keyboard.press("k")
    mine.click()
    dialog.get_by_role("button", name="Put on Quay at noon").click()
    wait_for(lambda: step(server, shot, "material") == first)
    assert step(server, shot, "block")["text"] == "SALT"
    saved(quiet)
    quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: step(server, shot, "material")["name"] == "Porcelain")

    quiet.keyboard.press("k")
    with quiet.expect_download() as download:
        dialog.get_by_role("link", name="Export Quay at noon").click()
    path = tmp_path / "quay.look.json"
    download.value.save_as(path)
    dialog.get_by_role("button", name="Remove Quay at noon").click()
    mine.wait_for(state="detached")
    dialog.get_by_test_id("look-file").set_input_files(path)
    mine.wait_for()
    path.write_text('{"version": 1, "name": "broken", "lights": 3}')
    dialog.get_by_test_id("look-file").set_input_files(path)
    dialog.get_by_role("alert").wait_for()
