"""What rough surfaces mirror of an environment, held against sums of their own and against closed forms."""

from itertools import pairwise

import numpy as np
import pytest

from moss_crown.core.look import environment as surroundings
from moss_crown.core.look.environment import directions, environment, lookup
from moss_crown.core.look.prefilter import SIZES, cube_directions, prefiltered, roughness_of


@pytest.fixture
def surrounded(monkeypatch):
    """Put a sky of one's own in the place of a preset."""

    def put(sky):
        monkeypatch.setitem(surroundings._PRESETS, "overcast", sky)
        environment.cache_clear()
        prefiltered.cache_clear()
        return prefiltered("overcast")

    yield put
    monkeypatch.undo()
    environment.cache_clear()
    prefiltered.cache_clear()


def texels(size):
    """(6, size, size) solid angles of a cube's texels, as by the middle of each."""
    step = (np.arange(size) + 0.5) / size * 2 - 1
    return np.tile(4 / size**2 * (1 + step[:, None] ** 2 + step**2) ** -1.5, (6, 1, 1))


def test_levels_reach_from_a_mirror_to_the_roughest_and_halve():
    levels = prefiltered("two_windows")
    assert [level.shape for level in levels] == [(6, size, size, 3) for size in SIZES]
    assert all(a == 2 * b for a, b in pairwise(SIZES))
    rough = [roughness_of(level) for level in range(len(SIZES))]
    assert rough[0] == 0
    assert rough[-1] == 1
    assert rough == sorted(rough)


@pytest.mark.parametrize("size", [4, 32])
def test_the_cube_looks_everywhere_once(size):
    ways = cube_directions(size)
    assert np.linalg.norm(ways, axis=-1) == pytest.approx(1, abs=1e-6)
    assert texels(size).sum() == pytest.approx(4 * np.pi, rel=0.3 / size)
    assert (ways * texels(size)[..., None]).sum((0, 1, 2)) == pytest.approx(0, abs=1e-5)
    for axis, (face, sign) in enumerate([(0, 1), (2, 1), (4, 1)]):
        assert (ways[face, ..., axis] * sign == ways[face].max(-1)).all()
        assert (ways[face + 1, ..., axis] == ways[face + 1].min(-1)).all()
    # Rows run down on the faces around, and columns as seen from within a cube whose front is +Z.
    assert (np.diff(ways[4, :, :, 1], axis=0) < 0).all()
    assert (np.diff(ways[4, :, :, 0], axis=1) > 0).all()
    assert (np.diff(ways[0, :, :, 2], axis=1) < 0).all()


def test_even_light_is_mirrored_evenly_by_all(surrounded):
    for level in surrounded(lambda sky: np.full((*sky.shape[:2], 3), (0.5, 2.0, 7.0))):
        assert level == pytest.approx(np.broadcast_to([0.5, 2.0, 7.0], level.shape), rel=1e-5)


def test_a_mirror_shows_the_environment_itself():
    level = prefiltered("night_market")[0]
    assert (level == lookup(environment("night_market"), cube_directions(SIZES[0]))).all()


def test_the_roughest_gets_what_a_diffuse_surface_gets(surrounded):
    """With a roughness of 1 the distribution is even, and only the cosine is left: of light that grows with height a
    surface gets two thirds of the growth."""
    level = surrounded(lambda sky: np.repeat(1.5 + sky[..., 1:2], 3, -1))[-1]
    up = cube_directions(SIZES[-1])[..., 1:2]
    assert level == pytest.approx(np.broadcast_to(1.5 + up * 2 / 3, level.shape), rel=0.002)


@pytest.mark.parametrize("level", [1, 2, 3, 4])
def test_a_level_is_the_environment_weighed_with_the_distribution(level, surrounded):
    """Held against a sum over a fine sphere, for a sky in which a bright spot stands out."""
    spot = np.array([0.36, 0.48, 0.8])
    found = surrounded(lambda sky: np.repeat(0.2 + 5 * np.exp(-40 * (1 - sky @ spot))[..., None], 3, -1))[level]
    ways = cube_directions(SIZES[level]).reshape(-1, 3)
    chosen = np.random.default_rng(level).choice(len(ways), 40, replace=False)
    chosen[0] = np.argmax(ways @ spot)
    sky = directions(1024, 512).reshape(-1, 3)
    cosine = ways[chosen].astype(float) @ sky.T
    alpha = roughness_of(level) ** 2
    half = np.sqrt((1 + cosine) / 2)  # cosine of half the angle between the mirrored direction and a part of the sky
    density = alpha**2 / (np.pi * (half**2 * (alpha**2 - 1) + 1) ** 2)
    weight = density * np.maximum(cosine, 0) * np.sqrt(1 - sky[:, 1] ** 2)
    light = 0.2 + 5 * np.exp(-40 * (1 - sky @ spot))
    assert found.reshape(-1, 3)[chosen, 0] == pytest.approx((weight @ light) / weight.sum(1), rel=0.04, abs=0.03)
