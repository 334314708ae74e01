"""Glass and what is not wholly there, against closed forms."""

import numpy as np
import pytest

from letters import alike
from moss_crown.core.form.solid import solid
from moss_crown.core.look.material import Surface
from moss_crown.core.render.renderer import RenderSettings, render
from moss_crown.core.stage.camera import look_at
from moss_crown.core.stage.scene import Camera, Placed, RectangleLight, Scene, Sheet, Surround

WHITE = np.ones((256, 512, 3), np.float32)
NO_SKY = Surround(np.zeros((256, 512, 3), np.float32), 0.0, 0.0)


def slab(surface, sky=WHITE, place=(0, 0, 5), half=0.02, lights=(), sheets=(), side=200.0):
    """A block two metres wide and deep, whose face lies at z = 1."""
    ring = np.array([[-side, -side], [side, -side], [side, side], [-side, side]], float) / 2
    body = solid([ring], alike(200.0), 1.0)
    pose = np.diag([0.01, 0.01, 0.01, 1.0])[None]
    camera = Camera(look_at(np.array(place, float), np.zeros(3))[None], (half, half), (0.0, 0.0))
    surround = sky if isinstance(sky, Surround) else Surround(sky, 1.0, 0.0)
    surfaces = surface if isinstance(surface, tuple) else (surface,)
    return Scene((body,), (Placed(0, pose, (0,) * 6),), tuple(sheets), surfaces, tuple(lights), surround, camera)


@pytest.mark.parametrize("roughness", [0.0, 0.3, 0.7])
@pytest.mark.parametrize("thin", [True, False])
def test_clear_glass_in_a_white_furnace_can_not_be_seen(roughness, thin):
    clear = Surface((1.0, 1.0, 1.0), 0.0, roughness, 1.5, transmission=1.0, thin=thin)
    scene = slab(clear, place=(2, 1.5, 5), half=0.3)
    picture = render(scene, RenderSettings(24, 24, 256, depth=12, bounded=False), None)
    inside = picture.alpha[..., 0] > 0.999
    assert inside.sum() > 50
    assert picture.beauty[inside].mean() == pytest.approx(1, abs=0.012)


def behind_only():
    """Light from behind the slab alone: from where -Z looks."""
    sky = np.zeros((256, 512, 3), np.float32)
    sky[:, 128:384] = 1.0
    return sky


@pytest.mark.parametrize("ior", [1.2, 1.5, 2.0])
def test_a_tinted_slab_lets_through_what_fresnel_and_beer_say(ior):
    colour = np.array([0.9, 0.5, 0.2])
    glass = Surface(tuple(colour), 0.0, 0.0, ior, transmission=1.0, tint_depth=2.0)
    picture = render(slab(glass, behind_only()), RenderSettings(8, 8, 1024, depth=4, bounded=False), None)
    once = ((ior - 1) / (ior + 1)) ** 2
    through = (1 - once) ** 2 * colour / (1 - once**2 * colour**2)
    assert picture.beauty.mean((0, 1)) == pytest.approx(through, abs=0.015)


def test_a_thin_sheet_is_met_twice_by_a_solid_letter_and_tints_each_time():
    colour = np.array([0.9, 0.5, 0.2])
    sheet = Surface(tuple(colour), 0.0, 0.0, 1.5, transmission=1.0, thin=True)
    picture = render(slab(sheet, behind_only()), RenderSettings(8, 8, 1024, depth=4, bounded=False), None)
    back = 2 * 0.04 / 1.04
    each = (1 - back) * colour
    assert picture.beauty.mean((0, 1)) == pytest.approx(each**2 / (1 - back**2), abs=0.015)


def test_what_is_half_there_covers_half_and_throws_half_a_shadow():
    half = Surface((0.5, 0.5, 0.5), 0.0, 1.0, 1.0, opacity=0.5)
    picture = render(slab(half), RenderSettings(16, 16, 256), None)
    # Front and rear of the block each cover half of what is left.
    assert picture.alpha.mean() == pytest.approx(0.75, abs=0.01)
    floor = Sheet(np.array([0.0, -2.0, 0.0]), np.array([50.0, 0, 0]), np.array([0, 0, -50.0]), 1)
    lamp = RectangleLight(np.array([0.0, 6.0, 0.0]), np.array([0.02, 0, 0]), np.array([0, 0, 0.02]), np.full(3, 1000.0))
    grey = Surface((0.5, 0.5, 0.5), 0.0, 1.0, 1.0)
    whole = Surface((0.0, 0.0, 0.0), 0.0, 1.0, 1.0, opacity=0.0)

    def under(surface):
        """Light on the floor below the block, seen from its side."""
        scene = slab((surface, grey), NO_SKY, lights=[lamp], sheets=[floor])
        camera = Camera(look_at(np.array([4.0, -1.0, 0.0]), np.array([0.0, -2.0, 0.0]))[None], (0.01, 0.01), (0.0, 0.0))
        return render(
            Scene(scene.solids, scene.letters, scene.grounds, scene.surfaces, scene.lights, scene.surround, camera),
            RenderSettings(8, 8, 64, depth=1, bounded=False),
            None,
        ).beauty.mean()

    assert under(half) == pytest.approx(under(whole) * 0.25, rel=0.02)
