"""Environments stand where they are said to stand; surfaces follow their keys; energy tables hold their bounds."""

import numpy as np
import pytest

from moss_crown.core.compiling import called
from moss_crown.core.document.look import Material
from moss_crown.core.document.values import Key, Keyed, straight
from moss_crown.core.look.environment import HEIGHT, WIDTH, directions, environment
from moss_crown.core.look.material import Surface, surface_at
from moss_crown.core.render import lanes as ln
from moss_crown.core.render.lanes import PAD, workspace
from moss_crown.core.render.shading import settle
from moss_crown.core.render.surfaces import material_rows
from moss_crown.core.render.tables import albedo_table, alpha_of, cosines, hemispherical, specular_albedo

PRESETS = ["two_windows", "overcast", "dusk_harbour", "paper_tent"]


def test_rows_look_up_first_and_the_middle_column_away_from_the_camera():
    sky = directions()
    assert np.linalg.norm(sky, axis=-1) == pytest.approx(1)
    assert sky[0, 0, 1] > 0.99
    assert sky[-1, 0, 1] < -0.99
    assert sky[HEIGHT // 2, WIDTH // 2] == pytest.approx([0, 0, -1], abs=0.02)
    assert sky[HEIGHT // 2, WIDTH * 3 // 4] == pytest.approx([1, 0, 0], abs=0.02)


@pytest.mark.parametrize("preset", PRESETS)
def test_every_preset_is_finite_lit_and_seamless(preset):
    picture = environment(preset)
    assert picture.shape == (HEIGHT, WIDTH, 3)
    assert np.isfinite(picture).all()
    assert (picture >= 0).all()
    assert picture.mean() > 0.05
    seam = np.abs(picture[:, 0] - picture[:, -1]).max()
    assert seam <= np.abs(np.diff(picture, axis=1)).max() + 1e-6
    assert not picture.flags.writeable, "it is shared"


def test_the_overcast_sky_is_three_times_as_bright_at_the_zenith():
    picture = environment("overcast")
    horizon = picture[int(HEIGHT * 0.49), 0, 1]
    assert picture[0, 0, 1] / horizon == pytest.approx(3, rel=0.06)


def test_the_windows_are_behind_the_camera():
    picture = environment("two_windows")
    bright = picture.sum(-1) > 6
    sky = directions()[bright]
    assert len(sky) > 1000
    assert (sky[:, 2] > 0).mean() > 0.9


def test_a_surface_follows_its_keys():
    keyed = Keyed(keys=[Key(frame=0, value=0.0, ease=straight()), Key(frame=10, value=1.0)])
    assert surface_at(Material(metal=keyed), 2.5).metal == pytest.approx(0.25)
    assert Surface((1, 1, 1), 0, 0, 1.5).dielectric_reflectance == pytest.approx(0.04)
    assert Surface((1, 1, 1), 0, 0, 1.0).dielectric_reflectance == 0


@pytest.mark.parametrize("roughness", [0.0, 0.2, 0.5, 1.0])
def test_albedo_tables_are_between_nothing_and_everything(roughness):
    a, b = specular_albedo(alpha_of(roughness))
    assert len(a) == len(cosines())
    assert (a <= 1 + 1e-9).all()
    assert (b <= a + 1e-9).all()
    assert (b >= 0).all()
    assert a[-1] > 0.25
    assert hemispherical(np.ones_like(a)) == pytest.approx(1, abs=1e-3)


def test_a_smooth_surface_loses_nothing_and_a_rough_one_some():
    assert specular_albedo(alpha_of(0.05))[0][8:] == pytest.approx(1, abs=0.01)
    assert specular_albedo(alpha_of(1.0))[0].min() < 0.9


def settled(row, cosine):
    w, _ = workspace()
    for place, value in zip((ln.RED, ln.GREEN, ln.BLUE, ln.METAL, ln.ROUGH, ln.CLEAR), row, strict=False):
        w[place] = value
    w[ln.OUT_Z] = cosine
    called(settle)(w, albedo_table(), 1, PAD, False)
    return w


def test_rows_split_metal_and_base():
    metal, base = (
        settled(material_rows((Surface((0.9, 0.5, 0.1), metal, 0.3, 1.5),))[0], np.float32(0.7)) for metal in (1.0, 0.0)
    )
    assert metal[[ln.F0_R, ln.F0_G, ln.F0_B]] == pytest.approx([0.9, 0.5, 0.1])
    assert metal[[ln.DIFF_R, ln.DIFF_G, ln.DIFF_B]] == pytest.approx([0, 0, 0])
    assert base[[ln.F0_R, ln.F0_G, ln.F0_B]] == pytest.approx([0.04] * 3)
    assert base[ln.DIFF_R] > 0.9
