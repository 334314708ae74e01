"""Directional albedo of the GGX microsurface, for energy that single scattering loses and layers that share it.

With Schlick's Fresnel, the albedo of a specular lobe is linear in its reflectance at normal incidence F0:
E(mu) = F0 * A(mu) + (1 - F0) * B(mu). A is the albedo at F = 1. Missing energy comes back as Kulla and Conty (2017).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.look.material import Surface

SMALLEST_ALPHA = 1e-3
COSINES = 64
_AZIMUTHS, _HEIGHTS = 64, 96


def alpha_of(roughness: float) -> float:
    return max(roughness * roughness, SMALLEST_ALPHA)


def cosines() -> NDArray[np.float64]:
    """The cosines at which the tables stand: evenly from grazing to normal."""
    return np.linspace(0, 1, COSINES)


@lru_cache(maxsize=256)
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


def multiple(f0: NDArray[np.float64], mean_albedo: float) -> NDArray[np.float64]:
    """The Fresnel factor of light that scattered more than once on the microsurface."""
    mean_fresnel = (20 * f0 + 1) / 21
    return mean_fresnel**2 * mean_albedo / (1 - mean_fresnel * (1 - mean_albedo))


ROW = 12
"""Numbers a material row holds: F0, multiple and diffuse (r g b each), alpha, clear F0, 1 / (1 - A mean)."""


def material_rows(surfaces: tuple[Surface, ...]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Rows (m, ROW) and tables (m, 3, COSINES): A, B, and the albedo of the clear layer over a diffuse base."""
    rows = np.zeros((len(surfaces), ROW), np.float32)
    tables = np.zeros((len(surfaces), 3, COSINES), np.float32)
    for k, surface in enumerate(surfaces):
        alpha = alpha_of(surface.roughness)
        a, b = specular_albedo(alpha)
        mean = hemispherical(a)
        colour = np.array(surface.colour)
        clear = surface.dielectric_reflectance
        clear_multiple = float(multiple(np.array(clear), mean))
        layer = clear * a + (1 - clear) * b + (1 - a) * clear_multiple
        metal = surface.metal
        rows[k, 0:3] = metal * colour + (1 - metal) * clear
        rows[k, 3:6] = metal * multiple(colour, mean) + (1 - metal) * clear_multiple
        rows[k, 6:9] = (1 - metal) * colour / max(1 - hemispherical(layer), 1e-6)
        rows[k, 9:12] = alpha, clear, 1 / max(1 - mean, 1e-6)
        tables[k] = a, b, layer
    return rows, tables
