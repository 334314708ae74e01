"""Light by hand: lamps, kits, the environment and its ball, own pictures; proofs by region, compared, measured."""

import re

import numpy as np
import pytest
from axe_playwright_python.sync_playwright import Axe
from PIL import Image
from screens import choose_material, document, edited, new_shot, open_step, picture, put, saved, settled, shown, step

from cluster import wait_for
from moss_crown.core.look.materials import MATERIALS


def test_light_by_a_kit_and_by_pointing(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    open_step(quiet, "Sun and rim")
    quiet.get_by_role("tab", name="Kits").click()
    quiet.get_by_role("button", name=re.compile("^Key and rim")).click()
    wait_for(lambda: [x["name"] for x in step(server, shot, "lights")["lights"]] == ["key", "rim", "other rim"])
    quiet.get_by_role("tab", name="1 key").click()
    before = step(server, shot, "lights")["lights"][0]["place"]
    quiet.get_by_role("button", name="shadow falls there").click()
    target = quiet.get_by_role("button", name=re.compile("^Click floor or wall"))
    box = target.bounding_box()
    target.click(position={"x": 0.9 * box["width"], "y": 0.25 * box["height"]})
    wait_for(lambda: step(server, shot, "lights")["lights"][0]["place"] != before)
    place = step(server, shot, "lights")["lights"][0]["place"]
    assert place[0] < 0, "for a shadow on the right the light stands on the left"

    # Where there is no letter a highlight is refused with its reason, and the light stays.
    quiet.get_by_role("button", name="highlight here").click()
    target = quiet.get_by_role("button", name=re.compile("^Click a letter where"))
    target.click(position={"x": 4, "y": 4})
    quiet.get_by_text("there is no letter at that place").wait_for()
    assert step(server, shot, "lights")["lights"][0]["place"] == place
    quiet.keyboard.press("Escape")
    target.wait_for(state="detached")
    quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: step(server, shot, "lights")["lights"][0]["place"] == before)


def test_a_highlight_that_is_pointed_at_shows_there_in_the_draft(quiet, server):
    """The lamp's mirror image, which a lamp without a size would leave out of a smooth metal."""
    shot = new_shot(quiet, server, "III")

    def around_the_middle(pixels):
        y, x = round(0.52 * pixels.shape[0]), round(0.5 * pixels.shape[1])
        return pixels[y - 6 : y + 6, x - 2 : x + 2].mean()

    before = around_the_middle(settled(quiet))
    open_step(quiet, "Sun and rim")
    quiet.get_by_role("button", name="highlight here").click()
    target = quiet.get_by_role("button", name=re.compile("^Click a letter where"))
    box = target.bounding_box()
    place = step(server, shot, "lights")["lights"][0]["place"]
    target.click(position={"x": 0.5 * box["width"], "y": 0.52 * box["height"]})
    wait_for(lambda: step(server, shot, "lights")["lights"][0]["place"] != place)
    saved(quiet)
    assert around_the_middle(settled(quiet)) > before + 40


def test_the_environment_is_chosen_and_its_turn_keyed(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    before = settled(quiet)
    open_step(quiet, "Environment")
    quiet.get_by_role("combobox", name="Environment").select_option("night_market")
    saved(quiet)
    assert np.abs(settled(quiet) - before).mean() > 0.3
    quiet.get_by_role("button", name="Turn: key this value").click()
    saved(quiet)
    assert step(server, shot, "environment")["turn"]["keys"][0]["value"] == 0


def test_a_lamp_becomes_a_sun_and_glass_lets_it_through(quiet, server):
    shot = new_shot(quiet, server, "TI")
    plain = settled(quiet)
    open_step(quiet, "Sun and rim")
    quiet.get_by_role("combobox", name="Shape").select_option("sun")
    saved(quiet)
    assert step(server, shot, "lights")["lights"][0]["shape"] == "sun"
    assert quiet.get_by_role("spinbutton", name="Width in the sky").count() == 1
    assert quiet.get_by_role("spinbutton", name="Cone").count() == 0, "a sun has no cone"
    put(quiet, "spinbutton", "Stops", 1)
    assert step(server, shot, "lights")["lights"][0]["stops"] == 1
    sunny = settled(quiet)
    assert np.abs(sunny - plain).mean() > 1
    open_step(quiet, "Harbour brass")
    choose_material(quiet, "Bottle glass")
    saved(quiet)
    assert step(server, shot, "material")["face"]["transmission"] == 1
    assert np.abs(settled(quiet) - sunny).mean() > 0.3


def test_what_shows_behind_and_stage_that_only_takes_shadows(quiet, server):
    shot = new_shot(quiet, server, "TI")
    open_step(quiet, "Environment")
    quiet.get_by_role("combobox", name="Behind everything").select_option("colour")
    saved(quiet)
    open_step(quiet, "Floor and wall")
    quiet.get_by_role("switch", name="Only shadows are seen").click()
    saved(quiet)
    assert step(server, shot, "stage")["catch"] is True
    corner = settled(quiet)[5:25, 5:25].mean((0, 1))
    # 0.16, 0.2, 0.19 of light: bluish green, and no black.
    assert corner.min() > 40
    assert corner[1] > corner[0]


def test_a_picture_or_a_gradient_fills_the_frame_with_pixels_of_any_shape(quiet, server, tmp_path):
    rows = np.zeros((90, 160, 3), np.uint8)
    rows[:45], rows[45:] = (30, 60, 200), (200, 90, 20)
    Image.fromarray(rows).save(tmp_path / "rows.png")
    shot = new_shot(quiet, server, "TI")
    quiet.keyboard.press("s")
    quiet.get_by_label("Width, pixels").fill("160")
    quiet.get_by_label("Height, pixels").fill("180")
    quiet.get_by_label("Pixels are wide, by their height").fill("2")
    quiet.get_by_role("button", name="Set", exact=True).click()
    saved(quiet)
    assert document(server, shot)["pixel_shape"] == 2
    box = quiet.get_by_test_id("draft").bounding_box()
    assert box["width"] / box["height"] == pytest.approx(16 / 9, rel=0.01)
    open_step(quiet, "Floor and wall")
    quiet.get_by_role("switch", name="Only shadows are seen").click()
    saved(quiet)
    open_step(quiet, "Environment")
    quiet.get_by_role("combobox", name="Behind everything").select_option("gradient")
    saved(quiet)
    above, below = (settled(quiet)[rows, -40:-5].mean((0, 1)) for rows in (slice(5, 15), slice(-15, -5)))
    assert (below > above + 20).all()
    quiet.get_by_role("combobox", name="Behind everything").select_option("picture")
    saved(quiet)
    with quiet.expect_response(lambda r: "/api/pictures/" in r.url):
        quiet.get_by_label("Bring in", exact=True).last.set_input_files(tmp_path / "rows.png")
    saved(quiet)
    assert step(server, shot, "environment")["backdrop"].startswith("picture-")
    drawn = settled(quiet)
    assert drawn[5:20, -20:-5, 2].mean() > 120
    assert drawn[-20:-5, -20:-5, 2].mean() < 80
    quiet.keyboard.press("p")
    quiet.locator('[data-testid=proof][data-samples="16"]').wait_for(timeout=120_000)
    assert alike(drawn, picture(quiet.get_by_test_id("proof"))) < 12


def test_frames_of_other_shapes_are_shown(quiet, server):
    new_shot(quiet, server, "TI")
    quiet.keyboard.press("g")
    quiet.get_by_role("button", name="other frames").click()
    for name in ("9:16", "2.39:1"):
        quiet.get_by_role("menuitemcheckbox", name=name).click()
    quiet.keyboard.press("Escape")
    for name in ("9:16", "2.39:1"):
        quiet.locator(f"rect[data-frame='{name}']").wait_for()

    def drawn(name):
        """What is laid over the picture is drawn anew with it, and is not there for a moment."""
        return quiet.locator(f"rect[data-frame='{name}']").bounding_box() or {"width": 0, "height": 1}

    upright = lambda: drawn("9:16")  # noqa: E731
    wait_for(lambda: upright()["width"] / upright()["height"] == pytest.approx(9 / 16, rel=0.02))
    whole = quiet.get_by_test_id("draft").bounding_box()
    wait_for(lambda: drawn("2.39:1")["width"] == pytest.approx(whole["width"], abs=3))
    found = Axe().run(quiet).response["violations"]
    assert [v["id"] for v in found if v["impact"] in ("serious", "critical")] == []
    quiet.keyboard.press("g")
    assert quiet.locator("rect[data-frame]").count() == 0


def alike(one, other):
    """Mean difference of two pictures of the same frame, whatever their sizes."""
    return np.abs(small(one) - small(other)).mean()


def small(shot_picture):
    return np.asarray(Image.fromarray(shot_picture.astype(np.uint8)).resize((106, 60)), float)


def proved(page):
    """The draft that is shown, as fine as it gets, and its proof; both small."""
    draft = small(settled(page))
    page.keyboard.press("p")
    page.locator('[data-testid=proof][data-samples="16"]').wait_for(timeout=120_000)
    return draft, small(picture(page.get_by_test_id("proof")))


def test_the_ball_turns_the_environment_and_draft_and_proof_turn_alike(quiet, server):
    shot = new_shot(quiet, server, "OBO")
    mirror = {"colour": [0.9, 0.9, 0.9], "metal": 1.0, "roughness": 0.15}
    steps = document(server, shot)["steps"]
    at = {s["kind"]: k for k, s in enumerate(steps)}
    patch = [
        {"op": "replace", "path": f"/steps/{at['material']}/face", "value": mirror},
        {"op": "replace", "path": f"/steps/{at['material']}/edge", "value": mirror},
        {"op": "replace", "path": f"/steps/{at['lights']}/lights", "value": []},
        {"op": "replace", "path": f"/steps/{at['stage']}/on", "value": False},
        {"op": "replace", "path": f"/steps/{at['environment']}/preset", "value": "dusk_harbour"},
        {"op": "replace", "path": f"/steps/{at['form']}/front/of_stem", "value": False},
        {"op": "replace", "path": f"/steps/{at['form']}/front/width", "value": 0.12},
        {"op": "replace", "path": "/width", "value": 320},
        {"op": "replace", "path": "/height", "value": 180},
    ]
    edited(server, shot, patch)
    quiet.reload()
    shown(quiet)
    before = settled(quiet)
    open_step(quiet, "Environment")
    ball = quiet.get_by_role("button", name=re.compile("^Turn the environment"))
    box = ball.bounding_box()
    quiet.mouse.move(box["x"] + 30, box["y"] + 40)
    quiet.mouse.down()
    quiet.mouse.move(box["x"] + 150, box["y"] + 90, steps=3)
    quiet.mouse.up()
    saved(quiet)
    found = step(server, shot, "environment")
    assert found["turn"] == 72 and found["tilt"] == [30, 0]
    ball.focus()
    quiet.keyboard.press("Shift+ArrowRight")
    wait_for(lambda: step(server, shot, "environment")["tilt"] == [30, 5])
    saved(quiet)
    quiet.get_by_role("button", name="Harbour brass").first.click()
    turned = settled(quiet)
    quiet.keyboard.press("p")
    quiet.locator('[data-testid=proof][data-samples="16"]').wait_for(timeout=120_000)
    proof = picture(quiet.get_by_test_id("proof"))
    assert alike(turned, proof) < 0.6 * alike(before, proof)
    quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: step(server, shot, "environment")["tilt"] == [30, 0])


def test_a_picture_all_around_is_brought_in(quiet, server, tmp_path):
    shot = new_shot(quiet, server, "TI")
    before = settled(quiet)
    open_step(quiet, "Environment")
    rows = np.zeros((16, 32, 4), np.uint8)
    rows[:, :16] = (230, 40, 20, 131)
    rows[:, 16:] = (10, 20, 60, 128)
    file = tmp_path / "harbour lights.hdr"
    file.write_bytes(b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 16 +X 32\n" + rows.tobytes())
    quiet.get_by_label("Bring in a picture").set_input_files(file)
    quiet.get_by_role("button", name="harbour lights").wait_for()
    saved(quiet)
    assert step(server, shot, "environment")["preset"].startswith("picture-")
    after = settled(quiet)
    assert np.abs(after - before).mean() > 1
    false = tmp_path / "no picture.hdr"
    false.write_bytes(b"GIF89a")
    quiet.get_by_label("Bring in a picture").set_input_files(false)
    quiet.get_by_text("none of the pictures that are known").wait_for()


def test_shadows_are_weakened_and_stacked(quiet, server):
    shot = new_shot(quiet, server, "TI")
    before = settled(quiet)
    open_step(quiet, "Sun and rim")
    put(quiet, "spinbutton", "Dark on the stage", 0)
    assert step(server, shot, "lights")["lights"][0]["on_stage_dark"] == 0
    assert quiet.get_by_role("spinbutton", name="Each wider by").count() == 0
    put(quiet, "spinbutton", "Stack of shadows", 4)
    assert step(server, shot, "lights")["lights"][0]["stack"] == 4
    quiet.get_by_role("spinbutton", name="Each wider by").wait_for()
    assert before.shape == settled(quiet).shape
    quiet.get_by_role("tab", name="Kits").click()
    quiet.get_by_role("button", name=re.compile("^Stacked shadows")).click()
    wait_for(lambda: [x["stack"] for x in step(server, shot, "lights")["lights"]] == [5, 1])


@pytest.mark.browser_context_args(device_scale_factor=0.5)  # what two pictures differ by depends on their pixels
def test_a_proof_is_measured_proved_by_region_and_compared(quiet, server):
    shot = new_shot(quiet, server, "TIDE")
    quiet.keyboard.press("s")
    quiet.get_by_label("Width, pixels").fill("320")
    quiet.get_by_label("Height, pixels").fill("180")
    quiet.get_by_label("Everything moves").select_option("on twos")
    quiet.get_by_label("renders without sparks").uncheck()
    quiet.get_by_role("button", name="Set", exact=True).click()
    saved(quiet)
    assert [document(server, shot)[name] for name in ("width", "exposed", "bounded")] == [320, 2, False]
    quiet.keyboard.press("p")
    done = quiet.locator('[data-testid=proof][data-samples="16"]')
    done.wait_for(timeout=120_000)
    wait_for(lambda: len(server.client.get(f"/api/shots/{shot}/proofs").json()) == 1)

    quiet.get_by_role("button", name="scopes").click()
    quiet.get_by_role("figure", name="Scopes").get_by_role("img", name="Histogram").wait_for()
    quiet.get_by_role("button", name="exposure").click()
    quiet.locator("[data-testid=proof][data-exposure=true]").wait_for()
    assert quiet.get_by_role("list", name="Bands of exposure").get_by_role("listitem").count() == 7
    quiet.get_by_role("button", name="exposure").click()
    quiet.get_by_role("button", name="scopes").click()

    quiet.get_by_role("button", name="region").click()
    box = quiet.get_by_test_id("draft").bounding_box()
    quiet.mouse.move(box["x"] + 0.25 * box["width"], box["y"] + 0.25 * box["height"])
    quiet.mouse.down()
    quiet.mouse.move(box["x"] + 0.75 * box["width"], box["y"] + 0.7 * box["height"], steps=3)
    quiet.mouse.up()
    quiet.get_by_test_id("under").wait_for(state="attached")
    wait_for(lambda: done.bounding_box() and done.bounding_box()["width"] < 0.52 * box["width"], 120)
    assert len(server.client.get(f"/api/shots/{shot}/proofs").json()) == 1, "a region is not kept"
    quiet.get_by_role("button", name="region").click()
    wait_for(lambda: len(server.client.get(f"/api/shots/{shot}/proofs").json()) == 2, 120)

    # An edit, its proof, and the old one on the left of the line.
    quiet.get_by_test_id("title-text").fill("SLACK")
    wait_for(lambda: len(server.client.get(f"/api/shots/{shot}/proofs").json()) == 3, 120)
    quiet.get_by_text("finished, 16 samples", exact=True).wait_for()
    quiet.wait_for_timeout(500)  # the finished picture takes the place of the one before it
    edited = picture(quiet.get_by_test_id("draft"))
    quiet.get_by_label("Compare with").select_option(index=3)
    against = quiet.get_by_test_id("against")
    against.wait_for()
    wipe = quiet.get_by_role("slider", name="Wipe")
    quiet.wait_for_function("document.querySelector('[data-testid=against]').complete")
    half = picture(quiet.get_by_test_id("draft"))
    middle = half.shape[1] // 2
    older = np.abs(half[:, : middle - 8] - edited[:, : middle - 8]).mean()
    assert older > 2
    # Not a bit's likeness: where pictures lie over each other the browser scales them a little otherwise.
    assert np.abs(half[:, middle + 8 :] - edited[:, middle + 8 :]).mean() < min(1.0, 0.3 * older)
    for _ in range(25):
        wipe.press("ArrowLeft")
    assert wipe.get_attribute("aria-valuenow") == "0"
    assert np.abs(picture(quiet.get_by_test_id("draft"))[:, 8:] - edited[:, 8:]).mean() < 1.0

    quiet.get_by_label("How fine").select_option("14 % noise")
    quiet.get_by_text(re.compile("finished, noise below 14 % with [0-9]+ samples at most")).wait_for(timeout=120_000)
    assert 16 < int(quiet.get_by_test_id("proof").get_attribute("data-samples")) < 256
    quiet.get_by_label("How fine").select_option("16 samples")
    quiet.get_by_text("finished, 16 samples", exact=True).wait_for(timeout=120_000)


def test_a_title_leans_on_the_wall_and_hangs_on_it(quiet, server):
    shot = new_shot(quiet, server, "TIDE TABLE")
    away = step(server, shot, "stage")["wall_distance"]
    open_step(quiet, "TIDE TABLE 9 letters")
    quiet.get_by_role("tab", name="Place").click()
    quiet.get_by_label("Lean back, degrees").fill("20")
    quiet.get_by_role("button", name="lean on the wall").click()
    wait_for(lambda: step(server, shot, "block")["turn"] == [-20, 0, 0])
    assert -away < step(server, shot, "block")["move"][2] < 0
    saved(quiet)
    quiet.get_by_role("button", name="Undo", exact=True).click()
    wait_for(lambda: step(server, shot, "block")["turn"] == [0, 0, 0])
    saved(quiet)
    quiet.get_by_role("button", name="hang on the wall").click()
    wait_for(lambda: -away < step(server, shot, "block")["move"][2] < 0.5 - away)


def test_the_stage_takes_other_shapes_and_letters_stand_on_them(quiet, server):
    shot = new_shot(quiet, server, "TIDE TABLE")
    before = settled(quiet)
    open_step(quiet, "Floor and wall")
    for shape, part in (("sweep", "Sweep"), ("steps", "Steps"), ("card", "Card"), ("globe", "Globe")):
        quiet.get_by_role("combobox", name="Stage").select_option(shape)
        quiet.get_by_role("tab", name=part, exact=True).wait_for()
        saved(quiet)
        assert step(server, shot, "stage")["shape"] == shape
    put(quiet, "spinbutton", "Radius", 9)
    globe = settled(quiet)
    assert np.abs(globe - before).mean() > 3
    quiet.get_by_role("tab", name="Globe", exact=True).click()
    choose_material(quiet, "Oak", of="globe")
    saved(quiet)
    assert step(server, shot, "stage")["floor_material"] == MATERIALS["oak"].material.model_dump(mode="json")

    open_step(quiet, "TIDE TABLE 9 letters")
    quiet.get_by_role("tab", name="Place").click()
    quiet.get_by_role("button", name="stand on the stage").click()
    wait_for(lambda: step(server, shot, "block")["baseline"]["kind"] == "arc")
    assert step(server, shot, "block")["baseline"]["radius"] == 9

    open_step(quiet, "Floor and wall")
    quiet.get_by_role("tab", name="Stage", exact=True).click()
    clear = settled(quiet)
    put(quiet, "spinbutton", "Haze: half gone at", 5)
    assert np.abs(settled(quiet) - clear).mean() > 1
    put(quiet, "spinbutton", "Horizon: half there at", 6)
    quiet.get_by_text("globe, and haze, and horizon").wait_for()


def test_a_smooth_floor_of_the_draft_mirrors_the_letters(quiet, server):
    shot = new_shot(quiet, server, "KESTREL TIDE")
    steps = document(server, shot)["steps"]
    material, stage = (next(k for k, s in enumerate(steps) if s["kind"] == kind) for kind in ("material", "stage"))
    edited(
        server,
        shot,
        [
            {"op": "replace", "path": f"/steps/{material}/face/colour", "value": [0.9, 0.02, 0.02]},
            {"op": "replace", "path": f"/steps/{stage}/floor_material/roughness", "value": 0.05},
        ],
    )

    def red():
        """How red the picture is below the letters at most."""
        seen = settled(quiet)
        floor = seen[int(0.64 * len(seen)) : int(0.8 * len(seen))]
        return (floor[..., 0] - floor[..., 1]).max()

    wait_for(lambda: red() > 60)
    edited(server, shot, [{"op": "replace", "path": f"/steps/{stage}/floor_material/roughness", "value": 1.0}])
    wait_for(lambda: red() < 15)


def lamp(colour, **other):
    return {"place": [-2.5, 3.5, 6.0], "aim": [0.0, 0.5, 0.0], "power": 900.0, "colour": colour, **other}


def test_lamps_light_in_the_draft_what_they_do_in_the_proof(quiet, server):
    shot = new_shot(quiet, server, "OO")
    steps = document(server, shot)["steps"]
    at = {s["kind"]: k for k, s in enumerate(steps)}
    chalk = {"colour": [0.7, 0.7, 0.7], "metal": 0.0, "roughness": 1.0}
    sides = {"on_faces": False, "on_edges": False}
    red, green, blue = ([float(k == n) for n in range(3)] for k in range(3))
    lamps = [
        lamp(red, on_stage=False, only=[steps[at["block"]]["id"]]),
        lamp(green, shape="ball", place=[1.0, 3.0, 3.5], width=0.4, on_stage_dark=0.5, **sides),
        lamp(blue, shape="sun", power=300.0, on_stage=False, **sides),
    ]
    patch = [
        {"op": "replace", "path": f"/steps/{at['material']}/face", "value": chalk},
        {"op": "replace", "path": f"/steps/{at['material']}/edge", "value": chalk},
        {"op": "replace", "path": f"/steps/{at['stage']}/floor_material", "value": chalk},
        {"op": "replace", "path": f"/steps/{at['stage']}/wall_material", "value": chalk},
        {"op": "replace", "path": f"/steps/{at['environment']}/strength", "value": 0.0},
        {"op": "replace", "path": f"/steps/{at['lights']}/lights", "value": lamps},
        {"op": "replace", "path": "/width", "value": 320},
        {"op": "replace", "path": "/height", "value": 180},
    ]
    edited(server, shot, patch)
    quiet.reload()
    shown(quiet)
    draft, proof = proved(quiet)
    quiet.keyboard.press("p")
    letters, stage = (proof[..., a] > proof[..., b] + 40 for a, b in ((0, 1), (1, 0)))
    assert letters.sum() > 500 and stage.sum() > 1500
    for part in (letters, stage):
        assert np.abs(draft[part].mean(0) - proof[part].mean(0)).max() < 25
    # A ball in a polished face is seen as far as it is in the proof.
    polished = {"colour": [0.9, 0.9, 0.9], "metal": 1.0, "roughness": 0.35}
    lamps = [lamp([1.0, 1.0, 1.0], shape="ball", place=[0.3, 1.6, 3.0], width=0.5, power=60.0, on_stage=False)]
    edited(
        server,
        shot,
        [
            {"op": "replace", "path": f"/steps/{at['material']}/face", "value": polished},
            {"op": "replace", "path": f"/steps/{at['lights']}/lights", "value": lamps},
        ],
    )
    quiet.reload()
    shown(quiet)
    draft, proof = proved(quiet)
    assert proof[letters].mean() > 25
    assert draft[letters].mean() == pytest.approx(proof[letters].mean(), rel=0.25)
