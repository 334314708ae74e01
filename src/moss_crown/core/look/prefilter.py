"""An environment as rough surfaces mirror it: a cube of radiance for every roughness, which a draft looks up at once.

Each level is the environment weighed with the GGX distribution about the mirrored direction, seen along the normal (the
isotropic lobes of Kautz, Vazquez, Heidrich and Seidel, "A Unified Approach to Prefiltered Environment Maps", 2000).
Narrow levels are sums of samples of that distribution, each from a picture as coarse as the sample stands for (Krivanek
and Colbert, "Real-time Shading with Filtered Importance Sampling", 2008); wide ones sum the whole sphere.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.look import EnvironmentSource
from moss_crown.core.look.environment import directions, environment, lookup, shrunk

Floats = NDArray[np.float32]

SIZES = (128, 64, 32, 16, 8, 4)
"""Texels along an edge of the cube, from a mirror (as fine as the environment itself) to the roughest."""
SUMMED_UP_TO = 16
"""Levels of this size and below are sums over the whole sphere."""
SAMPLES = (0, 32, 48)
"""Of the distribution, for each level that is a sum of samples: lobes little wider than a texel need fewer."""
_SPHERE = (128, 64)
_AT_ONCE = 512


def roughness_of(level: int) -> float:
    """The roughness of a level: levels lie closer where highlights are sharp."""
    return 1 - float(np.sqrt(1 - level / (len(SIZES) - 1)))


def cube_directions(size: int) -> Floats:
    """(6, size, size, 3) unit directions of a cube's texel centres: +X, -X, +Y, -Y, +Z, -Z, rows and columns as OpenGL
    lays them out (OpenGL ES 3.0, 3.8.10, table 3.21)."""
    step = (np.arange(size, dtype=np.float32) + 0.5) / size * 2 - 1
    v, u = np.meshgrid(step, step, indexing="ij")
    one = np.ones_like(u)
    faces = [(one, -v, -u), (-one, -v, u), (u, one, v), (u, -one, -v), (u, -v, one), (-u, -v, -one)]
    ways = np.stack([np.stack(face, -1) for face in faces])
    return np.asarray(ways / np.linalg.norm(ways, axis=-1, keepdims=True), np.float32)


@lru_cache(maxsize=8)
def prefiltered(preset: EnvironmentSource) -> list[Floats]:
    """For each of SIZES the radiance (6, size, size, 3) that a surface of the level's roughness mirrors from around a
    direction. Raises PictureUnknown."""
    coarser = [np.asarray(environment(preset), np.float32)]
    while len(coarser[-1]) > 8:
        coarser.append(shrunk(coarser[-1], 2))
    levels = []
    for level, size in enumerate(SIZES):
        ways = cube_directions(size).reshape(-1, 3)
        alpha = roughness_of(level) ** 2
        if level == 0:
            seen = lookup(coarser[0], ways)
        elif size > SUMMED_UP_TO:
            seen = _sampled(coarser, ways, alpha, SAMPLES[level])
        else:
            seen = _summed(coarser, ways, alpha)
        levels.append(np.asarray(seen, np.float32).reshape(6, size, size, 3))
    return levels


def _sampled(coarser: list[Floats], ways: Floats, alpha: float, samples: int) -> Floats:
    """The mean of samples of the distribution about each way, each weighed by its cosine."""
    east = np.cross(ways, np.where(np.abs(ways[:, 1:2]) < 0.9, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]]))
    east = np.asarray(east / np.linalg.norm(east, axis=1, keepdims=True), np.float32)
    north = np.cross(ways, east)
    texel = 2 * np.pi * np.pi / coarser[0][..., 0].size
    total = np.zeros_like(ways)
    weight = 0.0
    for k in range(samples):
        share = (k + 0.5) / samples
        # The mirrored way itself, in place of half way there: cos 2t by tan t of the distribution's halves.
        bend = 1 - share + alpha**2 * share
        cosine = (1 - share - alpha**2 * share) / bend
        if cosine <= 0:
            continue
        sine = 2 * alpha * np.sqrt(share * (1 - share)) / bend
        density = (bend / alpha) ** 2 / (4 * np.pi)
        level = np.clip(0.5 * np.log2(1 / (samples * density * texel)) + 0.5, 0, len(coarser) - 1.001)
        turn = 2.399963229728653 * k  # the golden angle, so that neighbours on the way out stand apart
        way = np.asarray(cosine * ways + sine * (np.cos(turn) * east + np.sin(turn) * north), np.float32)
        low, between = int(level), float(level % 1)
        seen = (1 - between) * lookup(coarser[low], way) + between * lookup(coarser[low + 1], way)
        total += np.asarray(cosine * seen, np.float32)
        weight += cosine
    return np.asarray(total / weight, np.float32)


def _summed(coarser: list[Floats], ways: Floats, alpha: float) -> Floats:
    """The whole sphere, weighed with the distribution and with the cosine."""
    width, height = _SPHERE
    light = next(picture for picture in coarser if len(picture) <= height).reshape(-1, 3)
    sky = directions(width, height).reshape(-1, 3)
    parts = [weights(ways[first : first + _AT_ONCE], sky, alpha) @ light for first in range(0, len(ways), _AT_ONCE)]
    return np.concatenate(parts)


def weights(ways: NDArray[np.floating], sky: NDArray[np.float64], alpha: float) -> Floats:
    """(ways, parts) how much of each part of the sky, given by `directions`, is mirrored from around a way: they sum
    to 1 for each way."""
    cosine = np.asarray(ways, np.float32) @ np.asarray(sky, np.float32).T
    size = np.asarray(np.sqrt(1 - sky[:, 1] ** 2), np.float32)
    weight = np.maximum(cosine, 0) * size / (1 + alpha**2 + (alpha**2 - 1) * cosine) ** 2
    return np.asarray(weight / weight.sum(1, keepdims=True), np.float32)
