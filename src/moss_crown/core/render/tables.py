"""Directional albedo of the GGX microsurface, for energy that single scattering loses and layers that share it.

With Schlick's Fresnel, the albedo of a specular lobe is linear in its reflectance at normal incidence F0:
E(mu) = F0 * A(mu) + (1 - F0) * B(mu). A is the albedo at F = 1. Missing energy comes back as Kulla and Conty (2017).
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

SMALLEST_ALPHA = 1e-3
COSINES = 64
LEVELS = 48
"""Roughnesses at which the tables stand, evenly by the root of alpha."""
MEANS, SHEEN = LEVELS + 1, LEVELS + 2
KEPT = Path(__file__).with_name("albedo.npy")
SHEEN_ALPHA = 1 / 3
_AZIMUTHS, _HEIGHTS = 64, 96


def alpha_of(roughness: float) -> float:
    return max(roughness * roughness, SMALLEST_ALPHA)


def cosines() -> NDArray[np.float64]:
    """The cosines at which the tables stand: evenly from grazing to normal."""
    return np.linspace(0, 1, COSINES)


def levels() -> NDArray[np.float64]:
    """The alphas at which the tables stand."""
    low = np.sqrt(SMALLEST_ALPHA)
    found: NDArray[np.float64] = np.linspace(low, 1, LEVELS) ** 2
    return found


def specular_albedo(alpha: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A and B at `cosines()`, by integrating over visible normals (Dupuy and Benyoub, 2023): the mean of F G2 / G1."""
    mu = np.maximum(cosines(), 1e-4)[:, None, None]
    u = ((np.arange(_AZIMUTHS) + 0.5) / _AZIMUTHS)[None, :, None]
    v = ((np.arange(_HEIGHTS) + 0.5) / _HEIGHTS)[None, None, :]
    sine = np.sqrt(1 - mu * mu)
    stretched = np.sqrt((alpha * sine) ** 2 + mu * mu)
    wx, wz = alpha * sine / stretched, mu / stretched
    z = (1 - v) * (1 + wz) - wz
    radius = np.sqrt(np.clip(1 - z * z, 0, 1))
    hx, hy, hz = radius * np.cos(2 * np.pi * u) + wx, radius * np.sin(2 * np.pi * u), z + wz
    hx, hy = hx * alpha, hy * alpha
    length = np.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hz = hx / length, np.clip(hz / length, 0, 1)
    cos_half = np.clip(sine * hx + mu * hz, 0, 1)
    out = 2 * cos_half * hz - mu
    tan_in = (1 - mu * mu) / (mu * mu)
    tan_out = (1 - out * out) / np.maximum(out * out, 1e-12)
    lambda_in = (np.sqrt(1 + alpha * alpha * tan_in) - 1) / 2
    lambda_out = (np.sqrt(1 + alpha * alpha * np.maximum(tan_out, 0)) - 1) / 2
    share = np.where(out > 0, (1 + lambda_in) / (1 + lambda_in + lambda_out), 0)
    return share.mean((1, 2)), (share * (1 - cos_half) ** 5).mean((1, 2))


def hemispherical(albedo: NDArray[np.float64]) -> float:
    """The mean of a directional albedo over a diffuse hemisphere: 2 times the integral of E(mu) mu."""
    mu = cosines()
    return float(2 * np.trapezoid(albedo * mu, mu))


def sheen_albedo() -> NDArray[np.float64]:
    """Directional albedo of the sheen lobe at `cosines()`, by the midpoint rule over the hemisphere."""
    mu = np.maximum(cosines(), 1e-3)[:, None, None]
    z = ((np.arange(160) + 0.5) / 160)[None, :, None]
    phi = ((np.arange(160) + 0.5) / 160 * 2 * np.pi)[None, None, :]
    so, si = np.sqrt(1 - mu * mu), np.sqrt(1 - z * z)
    hz = mu + z
    length = np.sqrt((so + si * np.cos(phi)) ** 2 + (si * np.sin(phi)) ** 2 + hz**2)
    sine = np.sqrt(np.clip(1 - (hz / length) ** 2, 0, 1))
    inverse = 1 / SHEEN_ALPHA
    distribution = (2 + inverse) * sine**inverse / (2 * np.pi)
    value = distribution / (4 * (mu + z - mu * z)) * z
    found: NDArray[np.float64] = value.mean((1, 2)) * 2 * np.pi
    return found


def compute_albedo() -> NDArray[np.float32]:
    """(LEVELS + 3, COSINES, 2): A and B side by side, as they are looked up, by roughness (the last twice) and cosine;
    in row MEANS their means over a diffuse hemisphere by roughness; in row SHEEN the sheen's albedo and its mean."""
    table = np.zeros((LEVELS + 3, COSINES, 2), np.float32)
    for k, alpha in enumerate(levels()):
        a, b = specular_albedo(float(alpha))
        table[k, :, 0], table[k, :, 1] = a, b
        table[MEANS, k] = hemispherical(a), hemispherical(b)
    table[LEVELS], table[MEANS, LEVELS] = table[LEVELS - 1], table[MEANS, LEVELS - 1]
    sheen = sheen_albedo()
    table[SHEEN, :, 0], table[SHEEN, :, 1] = sheen, hemispherical(sheen)
    return table


@lru_cache(maxsize=1)
def albedo_table() -> NDArray[np.float32]:
    """`compute_albedo`, which takes seconds, as it is kept beside this module; a test compares them."""
    found: NDArray[np.float32] = np.load(KEPT)
    return found


GLASS_KEPT = Path(__file__).with_name("glass.npy")
INDICES, GLASS_LEVELS, GLASS_COSINES = 8, 12, 24


def compute_glass() -> NDArray[np.float32]:
    """(2, INDICES, GLASS_LEVELS, GLASS_COSINES): what share of light a rough boundary of glass sends on, both ways
    together, from outside and from inside it. Indices of refraction evenly from 1 to 3, roughness evenly from 0 to 1,
    cosines evenly from grazing. Drawn by visible normals as the renderer does (Dupuy and Benyoub 2023)."""
    found = np.ones((2, INDICES, GLASS_LEVELS, GLASS_COSINES))
    u, v = np.meshgrid((np.arange(48) + 0.5) / 48, (np.arange(48) + 0.5) / 48)
    mu = np.maximum(np.linspace(0, 1, GLASS_COSINES), 0.02)[:, None, None]
    ox, oz = np.sqrt(1 - mu * mu), mu
    for level, roughness in enumerate(np.linspace(0, 1, GLASS_LEVELS)):
        alpha = alpha_of(float(roughness))
        length = np.sqrt((alpha * ox) ** 2 + oz * oz)
        sx, sz = alpha * ox / length, oz / length
        z = (1 - u) * (1 + sz) - sz
        radius = np.sqrt(np.clip(1 - z * z, 0, 1))
        hx, hy, hz = (radius * np.cos(2 * np.pi * v) + sx) * alpha, radius * np.sin(2 * np.pi * v) * alpha, z + sz
        length = np.sqrt(hx * hx + hy * hy + hz * hz)
        hx, hy, hz = hx / length, hy / length, hz / length
        facing = np.clip(ox * hx + oz * hz, 1e-6, 1)

        def masked(iz: NDArray[np.float64], alpha: float = alpha) -> NDArray[np.float64]:
            """G2 / G1 of a direction at a height, on either side."""
            up = np.maximum(np.abs(iz), 1e-4)
            root_o = (np.sqrt(alpha**2 * (1 - oz * oz) + oz * oz) - oz) / (2 * oz)
            root_i = (np.sqrt(alpha**2 * (1 - up * up) + up * up) - up) / (2 * up)
            shared: NDArray[np.float64] = (1 + root_o) / (1 + root_o + root_i)
            return shared

        reflected = 2 * facing * hz - oz
        for k, ior in enumerate(np.linspace(1, 3, INDICES)):
            for side, eta in enumerate((max(ior, 1.0001), 1 / max(ior, 1.0001))):
                sine2 = (1 - facing**2) / eta**2
                beyond = np.sqrt(np.clip(1 - sine2, 0, 1))
                parallel = (eta * facing - beyond) / (eta * facing + beyond)
                across = (facing - eta * beyond) / (facing + eta * beyond)
                back = np.where(sine2 >= 1, 1.0, (parallel**2 + across**2) / 2)
                refracted = (facing / eta - beyond) * hz - oz / eta
                sent = back * np.where(reflected > 1e-4, masked(reflected), 0)
                sent += (1 - back) * np.where(refracted < -1e-4, masked(refracted), 0)
                found[side, k, level] = sent.mean((1, 2))
    return found.astype(np.float32)


@lru_cache(maxsize=1)
def glass_table() -> NDArray[np.float32]:
    """`compute_glass` as it is kept beside this module; a test compares them."""
    found: NDArray[np.float32] = np.load(GLASS_KEPT)
    return found
