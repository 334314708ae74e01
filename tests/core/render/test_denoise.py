"""What the denoiser is given and what comes back."""

import numpy as np
import pytest

from moss_crown.core.render.denoise import denoise


def noisy(height, width):
    """A grey picture under noise as of few samples, and its guides."""
    rng = np.random.default_rng(7)
    beauty = 0.2 * rng.gamma(4.0, 0.25, (height, width, 1)).astype(np.float32) * np.ones(3, np.float32)
    albedo, normal = np.full_like(beauty, 0.5), np.zeros_like(beauty)
    normal[..., 2] = 1
    return beauty, albedo, normal


@pytest.mark.parametrize("quality", ["fast", "high"])
def test_borders_are_as_clean_as_the_middle(quality):
    clean = denoise(*noisy(120, 160), quality)
    away = np.abs(clean - 0.2).mean(-1)
    middle = away[20:-20, 20:-20]
    for border in (away[:2], away[-2:], away[:, :2], away[:, -2:]):
        # Half a pixel's neighbours are its own mirror; without them the worst are ten to twenty times as far away.
        assert border.mean() < 5 * middle.mean()
        assert border.max() < 3 * middle.max()


def test_what_is_fine_in_sharp_guides_is_kept_and_noise_in_others_is_not():
    beauty, albedo, normal = noisy(96, 96)
    albedo[:, ::4] = albedo[:, 1::4] = 0.1

    def away(guide, sharp, truth):
        return float(np.sqrt(((denoise(truth * beauty, guide, normal, "high", sharp) - 0.2 * truth) ** 2).mean()))

    lines = albedo / 0.5
    assert away(albedo, True, lines) < 0.9 * away(albedo, False, lines)
    rough = albedo * np.random.default_rng(8).gamma(4.0, 0.25, (96, 96, 1)).astype(np.float32)
    assert away(rough, False, np.ones_like(lines)) < 0.9 * away(rough, True, np.ones_like(lines))


@pytest.mark.parametrize("size", [(1, 1), (2, 5), (40, 7)])
def test_pictures_of_any_size_keep_it(size):
    clean = denoise(*noisy(*size), "fast")
    assert clean.shape == (*size, 3)
    assert clean.dtype == np.float32
    assert np.isfinite(clean).all()
