"""Own pictures on materials: where they lie, what they decide, and how far they reach."""

from dataclasses import replace

import numba
import numpy as np
import pytest

from moss_crown.core.assets import assets_of, check_assets
from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.look import Material, Pictures
from moss_crown.core.errors import PictureUnknown
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.look import pictures
from moss_crown.core.look.exposure import srgb_to_linear
from moss_crown.core.look.material import HIGHEST, Images, Surface, surface_at
from moss_crown.core.render import surfaces as su
from moss_crown.core.render.surfaces import BLOCK, ROW, material_rows
from moss_crown.core.render.texturing import textured, textures

BASE = Surface((0.1, 0.2, 0.3), 0.0, 0.5, 1.5)
FRONT, UP, SIDE = (0.0, 0.0, 1.0), (0.0, 1.0, 0.0), (1.0, 0.0, 0.0)


def own(pixels: np.ndarray) -> str:
    """Bring pixels (h, w, 4) in; answers their id."""
    id = f"picture-{abs(hash(pixels.tobytes())):032x}"[:40]
    pictures.bring_in(id, pictures.pack(pixels))
    return id


def noise(width: int, height: int, seed: int = 1) -> np.ndarray:
    pixels = np.random.default_rng(seed).integers(0, 256, (height, width, 4)).astype(np.uint8)
    pixels[..., 3] = 255
    return pixels


@numba.njit
def draw(texture, rows, material, point):
    textured(texture, rows, material, point)


def at(images: Images, points, normal=FRONT, letter=0.0, relief=False, surface: Surface = BASE):
    """(n, 8) what the material is at points: colour (3), metal, roughness, slope (3)."""
    rows = material_rows((BASE, replace(surface, images=images)))
    found = []
    for point in np.atleast_2d(points):
        passed = np.array([*point, *normal, 0.0, relief, letter], np.float32)
        draw(textures(), rows.ctypes.data, 1, passed.ctypes.data)
        found.append(passed[:8].copy())
    return np.array(found)


def centres(width: int, height: int, size: float) -> np.ndarray:
    """(height, width, 3) where the middles of the pixels lie of a picture that is `size` metres wide, about 0."""
    tall = size * height / width
    x = ((np.arange(width) + 0.5) / width - 0.5) * size
    y = (0.5 - (np.arange(height) + 0.5) / height) * tall
    return np.stack([*np.meshgrid(x, y), np.zeros((height, width))], -1)


@pytest.mark.parametrize("tiling", ["repeat", "mirror", "once"])
def test_pixels_lie_at_their_places_in_their_colours(tiling):
    pixels = noise(6, 4)
    images = Images(colour=own(pixels), width=1.5, tiling=tiling, tint=(1.0, 0.5, 0.25))
    found = at(images, centres(6, 4, 1.5).reshape(-1, 3))[:, :3].reshape(4, 6, 3)
    assert found == pytest.approx(srgb_to_linear(pixels[..., :3] / 255) * (1, 0.5, 0.25), abs=1e-5)


def test_between_pixels_it_is_their_mean_and_mix_is_a_share():
    pixels = noise(2, 1)
    half = at(Images(colour=own(pixels), width=2.0, mix=0.25), (0.0, 0.0, 0.0))[0, :3]
    mean = srgb_to_linear(pixels[0, :, :3] / 255).mean(0)
    assert half == pytest.approx(0.75 * np.array(BASE.colour) + 0.25 * mean, abs=1e-5)


def test_how_pictures_go_on():
    id = own(noise(5, 5))
    inside, outside = np.array([(0.13, -0.21, 0.0)]), np.array([(1.13, 0.79, 0.0)])
    repeat, mirror, once = (Images(colour=id, width=1.0, tiling=t) for t in ("repeat", "mirror", "once"))
    assert at(repeat, inside) == pytest.approx(at(repeat, outside), abs=1e-5)
    assert at(mirror, (0.4, 0.1, 0.0)) == pytest.approx(at(mirror, (0.6, 0.1, 0.0)), abs=1e-5)
    assert at(once, outside)[0, :5] == pytest.approx((*BASE.colour, 0.0, 0.5))
    assert at(once, inside)[0, :3] != pytest.approx(BASE.colour)


def test_a_repeated_picture_has_no_seam():
    images = Images(colour=own(noise(8, 8)), width=1.0)
    left, right = at(images, [(0.5 - 1e-4, 0.03, 0), (0.5 + 1e-4, 0.03, 0)])[:, :3]
    assert left == pytest.approx(right, abs=5e-3)


def test_alpha_lets_the_material_through():
    pixels = noise(1, 1)
    pixels[..., 3] = 51
    found = at(Images(colour=own(pixels)), (0.0, 0.0, 0.0))[0, :3]
    assert found == pytest.approx(0.8 * np.array(BASE.colour) + 0.2 * srgb_to_linear(pixels[0, 0, :3] / 255), abs=1e-5)


def test_roughness_goes_by_the_number_that_was_painted():
    grey = np.full((1, 1, 4), 255, np.uint8)
    grey[..., :3] = 64
    for share in (0.0, 0.5, 1.0):
        rough = at(Images(roughness=own(grey), rough=share), (0.0, 0.0, 0.0))[0, 4]
        assert rough == pytest.approx(0.5 + share * (64 / 255 - 0.5), abs=2e-3)


@pytest.mark.parametrize(("normal", "along", "up"), [(FRONT, 0, 1), (UP, 0, 2), (SIDE, 2, 1)])
def test_bumps_slope_as_the_picture_rises(normal, along, up):
    ramp = np.zeros((16, 64, 4), np.uint8)
    ramp[..., :3] = (np.arange(64) * 4)[None, :, None]
    ramp[..., 3] = 255
    images = Images(bump=own(ramp), width=2.0, height=0.5, tiling="once")
    slope = at(images, (0.01, 0.02, 0.03), normal, relief=True)[0, 5:8]
    expected = np.zeros(3)
    expected[along] = (4 / 255) * 0.5 * HIGHEST * 2.0 / (2.0 / 64)
    assert slope == pytest.approx(expected, rel=0.02, abs=1e-3)
    down = at(replace(images, height=-0.5), (0.01, 0.02, 0.03), normal, relief=True)[0, 5:8]
    assert down == pytest.approx(-slope, abs=1e-6)


def test_a_turned_and_shifted_picture_is_the_same_picture():
    images = Images(colour=own(noise(7, 3)), width=1.2)
    angle = np.radians(30)
    points = np.random.default_rng(2).uniform(-1, 1, (40, 3)) * (1, 1, 0)
    turn = np.array([[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
    moved = points @ turn.T + (0.3, -0.2, 0.0)
    there = replace(images, turn=30.0, shift=(0.3, -0.2, 0.0))
    assert at(images, points)[:, :3] == pytest.approx(at(there, moved)[:, :3], abs=2e-3)


def test_on_each_letter_it_begins_at_the_letter():
    images = Images(colour=own(noise(6, 6)), width=0.9, by_letter=True)
    points = np.random.default_rng(3).uniform(-0.4, 0.4, (20, 3))
    apart = np.float32(5) * np.array([3.71, 1.93, 2.47], np.float32)
    assert at(images, points)[:, :3] == pytest.approx(at(images, points + apart, letter=5.0)[:, :3], abs=2e-3)


def test_pictures_stand_behind_the_rows_and_each_only_once():
    one, other = own(noise(40, 30)), own(noise(3, 3))
    rows = material_rows(
        (BASE, replace(BASE, images=Images(colour=one, bump=other)), replace(BASE, images=Images(bump=one)))
    )
    assert rows.shape == (3, ROW)
    assert rows[1, su.COLOUR] == rows[2, su.BUMP] != rows[1, su.BUMP]
    memory = rows.base
    begin = int(rows[1, su.COLOUR]) * BLOCK
    assert memory[begin : begin + 4 * 1200].reshape(30, 40, 4) == pytest.approx(pictures.texture(one))


def with_pictures(**maps: object):
    shot = new_shot(text="TIDE")
    steps = [
        s.model_copy(update={"face": Material(pictures=Pictures.model_validate(maps))}) if s.kind == "material" else s
        for s in shot.steps
    ]
    return shot.model_copy(update={"steps": steps})


def test_a_shot_names_its_pictures_and_one_that_is_nowhere_is_said():
    nowhere = "picture-" + "0" * 32
    shot = with_pictures(bump=nowhere)
    at_fault = "/steps/" + str([s.kind for s in shot.steps].index("material")) + "/face/pictures/bump"
    assert assets_of(shot)[nowhere] == at_fault
    with pytest.raises(PictureUnknown) as wrong:
        check_assets(shot)
    assert wrong.value.field == at_fault


def test_a_material_without_pictures_has_none_in_the_scene():
    assert surface_at(Material(), 0).images is None
    scene = Evaluation(with_pictures(colour=own(noise(4, 4)), width=0.5), Cache()).scene(60, 16 / 9)
    assert scene.surfaces[0].images == Images(colour=scene.surfaces[0].images.colour, width=0.5)
