"""Passes against geometry that the test works out itself, and against each other; mattes; the EXR file read back."""

import json

import numpy as np
import OpenEXR
import pytest

from letters import alike
from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.form.solid import solid
from moss_crown.core.formats.exr import murmur3, name_hash, write_exr
from moss_crown.core.look.material import Surface
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import export_exr, render_frame, render_layers
from moss_crown.core.render.layers import merged_shares
from moss_crown.core.render.renderer import Render, RenderSettings, render
from moss_crown.core.stage.backdrop import Backdrop
from moss_crown.core.stage.camera import look_at
from moss_crown.core.stage.scene import Camera, Placed, RectangleLight, Scene, Sheet, Surround

GREY = Surface((0.5, 0.4, 0.3), 0.0, 0.4, 1.5)
WHITE_SKY = Surround(np.ones((256, 512, 3), np.float32), 0.4, 0.0)


def block_scene(shift=0.0, later=0.0, surface=GREY, catches=False, behind="nothing"):
    ring = np.array([[-100, -100], [100, -100], [100, 100], [-100, 100]], float)
    body = solid([ring], alike(200.0), 1.0)
    poses = []
    for x in (shift, later):
        pose = np.diag([0.01, 0.01, 0.01, 1.0])
        pose[0, 3] = x
        poses.append(pose)
    camera = Camera(look_at(np.array([0, 0, 6.0]), np.zeros(3))[None], (0.5, 0.5), (0.0, 0.0))
    floor = Sheet(np.array([0.0, -1.0, 0.0]), np.array([50.0, 0, 0]), np.array([0, 0, -50.0]), 0, catches, "floor")
    lamp = RectangleLight(
        np.array([-3.0, 5.0, 4.0]), np.array([0.5, 0, 0]), np.array([0, 0.35, -0.35]), np.full(3, 30.0)
    )
    if lamp.normal @ -lamp.centre < 0:
        lamp = RectangleLight(lamp.centre, lamp.u, -lamp.v, lamp.radiance)
    return Scene(
        (body,),
        (Placed(0, poses[0][None], (0,) * 6, later=poses[1], name="000 K", word="line 1 word 1"),),
        (floor,),
        (surface,),
        (lamp,),
        Surround(WHITE_SKY.picture, WHITE_SKY.strength, 0.0, behind),
        camera,
        ("key light",),
    )


def layered(scene, samples=32, size=32, **more):
    with Render(scene, RenderSettings(size, size, samples, passes=True, **more)) as picture:
        picture.add(samples)
        return picture.layers()


def test_light_adds_up_by_lamp_and_by_what_it_met():
    glowing = Surface((0.5, 0.4, 0.3), 0.0, 0.4, 1.5, glow=(0.2, 0.1, 0.0))
    found = layered(block_scene(surface=glowing)).pictures
    lamps = found["light_key_light"] + found["light_glow"] + found["light_environment"]
    assert lamps == pytest.approx(found["beauty"], abs=1e-4)
    assert found["diffuse"] + found["specular"] + found["emission"] == pytest.approx(found["beauty"], abs=1e-4)
    assert found["emission"].max(axis=(0, 1)) == pytest.approx([0.2, 0.1, 0.0], abs=1e-4)
    assert found["diffuse"].min() >= 0
    assert found["light_key_light"].mean() > 0.01


def test_relighting_from_the_layers_is_rendering_with_another_light():
    """Twice the key in the layers is twice the key in the scene: light is linear, and samples are the same."""
    scene = block_scene()
    found = layered(scene, bounded=False).pictures
    lamp = scene.lights[0]
    brighter = RectangleLight(lamp.centre, lamp.u, lamp.v, lamp.radiance * 2)
    again = layered(
        Scene(scene.solids, scene.letters, scene.grounds, scene.surfaces, (brighter,), scene.surround, scene.camera),
        bounded=False,
    ).pictures["beauty"]
    relit = found["beauty"] + found["light_key_light"]
    assert relit.mean((0, 1)) == pytest.approx(again.mean((0, 1)), rel=0.03)


def test_position_depth_and_normal_are_those_of_the_face():
    found = layered(block_scene(), size=33).pictures
    middle = (16, 16)
    assert found["position"][middle][2] == pytest.approx(1.0, abs=1e-3)
    assert np.abs(found["position"][middle][:2]).max() < 0.1
    assert found["depth"][middle][0] == pytest.approx(5.0, abs=0.02)
    assert found["normal"][middle] == pytest.approx([0, 0, 1], abs=1e-4)
    assert found["depth"][0, 0, 0] == 0


@pytest.mark.parametrize("step", [0.3, -0.7])
def test_motion_is_how_many_pixels_a_letter_goes_until_the_next_frame(step):
    found = layered(block_scene(0.0, step), size=64).pictures["motion"]
    # At five metres a half frame of 0.5 is 2.5 metres wide, and 32 pixels.
    assert found[32, 32] == pytest.approx([step / 2.5 * 32, 0], abs=0.05)
    assert found[-1, 32] == pytest.approx([0, 0], abs=1e-3), "the floor stays"


def test_mattes_cover_what_is_there():
    found = layered(block_scene(), size=64)
    letter = found.mattes["letter"]
    cover = np.zeros((64, 64))
    for k in range(letter.index.shape[-1]):
        cover += np.where(letter.index[..., k] == letter.names.index("000 K"), letter.share[..., k], 0)
    # The face: two of five metres wide, seen from five; its sides are hidden behind it.
    assert cover.mean() == pytest.approx((2 / 5) ** 2, rel=0.03)
    assert letter.share.sum(-1) == pytest.approx(found.pictures["alpha"][..., 0], abs=1e-5)
    assert (np.diff(letter.share, axis=-1) <= 0).all()
    facet = found.mattes["facet"]
    assert facet.names[facet.index[32, 32, 0]] == "face"
    assert found.mattes["word"].names[found.mattes["word"].index[32, 32, 0]] == "line 1 word 1"


def test_a_catcher_shows_only_shadows_and_the_background_shows_through():
    plain = layered(block_scene(catches=True), size=64, samples=64, open_back=True).pictures
    assert plain["alpha"][32, 32, 0] == pytest.approx(1)
    floor = plain["alpha"][40:, :, 0]
    assert plain["beauty"][62:].max() == pytest.approx(0, abs=1e-6)
    assert floor.min() < 0.2
    assert floor.max() > 0.3
    backdrop = Backdrop((0.0, 0.0, 1.0), (0.0, 0.0, 1.0))
    blue = render(block_scene(catches=True, behind=backdrop), RenderSettings(64, 64, 64), None)
    lit = blue.beauty[40:][plain["alpha"][40:, :, 0] < 0.05]
    assert lit.mean(0)[2] > 0.9
    sky = render(block_scene(catches=False, behind="environment"), RenderSettings(16, 16, 16), None)
    assert sky.beauty[0] == pytest.approx(0.4, abs=0.01)


@pytest.mark.parametrize(
    ("text", "expected"), [(b"", 0), (b"a", 0x3C2569B2), (b"hello", 0x248BFA47), (b"hello, world", 0x149BBB7F)]
)
def test_the_hash_is_murmur3(text, expected):
    assert murmur3(text) == expected


def test_names_hash_to_ordinary_floats():
    values = np.array([name_hash(f"letter {k}") for k in range(2000)], np.uint32).view(np.float32)
    assert np.isfinite(values).all()
    assert (np.abs(values) > np.finfo(np.float32).tiny).all()


def test_an_exr_file_reads_back(tmp_path):
    found = layered(block_scene(), size=24)
    path = tmp_path / "frame.exr"
    path.write_bytes(write_exr(found, pixel_shape=1.5))
    file = OpenEXR.File(str(path), separate_channels=True)
    channels = {name: channel.pixels for name, channel in file.channels().items()}
    assert channels["R"].dtype == np.float16
    assert channels["R"] == pytest.approx(found.pictures["beauty"][..., 0], rel=1e-3, abs=1e-4)
    assert (channels["Z"] == found.pictures["depth"][..., 0]).all()
    assert (channels["position.Z"] == found.pictures["position"][..., 2]).all()
    header = file.header()
    assert header["pixelAspectRatio"] == 1.5
    keys = [key for key in header if key.endswith("/name") and header[key] == "CryptoLetter"]
    assert len(keys) == 1
    base = keys[0].removesuffix("/name")
    assert base == f"cryptomatte/{murmur3(b'CryptoLetter'):08x}"[:19]
    manifest = json.loads(header[f"{base}/manifest"])
    top = channels["CryptoLetter00.R"][12, 12 - 2]
    assert f"{np.float32(top).view(np.uint32):08x}" == manifest["000 K"]
    assert channels["CryptoLetter00.G"][12, 10] == pytest.approx(1)


def test_a_shot_gives_layers_with_the_bits_of_its_picture():
    shot = Shot.model_validate(new_shot().model_dump(mode="json"))
    order = FrameOrder(64, 36, 2, denoise=False)
    cache = Cache()
    shown, layers = render_layers(Evaluation(shot, cache), 20, order)
    assert (shown.light == render_frame(Evaluation(shot, cache), 20, order).beauty).all()
    assert {"light_key", "light_rim", "light_environment", "diffuse", "shadow"} <= set(layers.pictures)
    assert len(Evaluation(shot, cache).scene(20, 16 / 9, motion=True).letters) == 11
    moving = np.linalg.norm(layers.pictures["motion"], axis=-1)
    assert moving.max() > 0.2
    assert export_exr(Evaluation(shot, cache), 20, FrameOrder(64, 36, 1))[:4] == b"\x76\x2f\x31\x01"


def test_shares_of_the_same_number_are_added_up_in_their_order():
    index = np.array([[[3, 5, 3, -1], [-1, 2, -1, 2]]])
    share = np.array([[[0.25, 0.5, 0.125, 0.0], [0.0, 0.5, 0.0, 0.25]]], np.float32)
    kept, merged = merged_shares(index, share)
    assert kept.tolist() == [[[3, 5, -1, -1], [2, -1, -1, -1]]]
    assert merged.tolist() == [[[0.375, 0.5, 0.0, 0.0], [0.75, 0.0, 0.0, 0.0]]]
