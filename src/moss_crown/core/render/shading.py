"""How a surface scatters light, in its own frame (z along the normal), as float32 scalars for the kernels.

One specular lobe (GGX with height-correlated Smith masking, Schlick's Fresnel), what that lobe loses to multiple
scattering (Kulla and Conty 2017), and a diffuse base that gets what the clear layer lets through (Kelemen and
Szirmay-Kalos 2001). Reciprocal, and white stays white at every roughness. Rows and tables come from `tables`.

Kernels index whole arrays and never take a view of a row: a view costs two atomic reference counts, which the threads
of a render would fight over.
"""

from __future__ import annotations

import math

import numba
import numpy as np

f32 = np.float32
ZERO, ONE, TWO, HALF = f32(0), f32(1), f32(2), f32(0.5)
PI, INV_PI, TWO_PI = f32(math.pi), f32(1 / math.pi), f32(2 * math.pi)
_LAST = f32(63.0)
_TINY = f32(1e-7)


@numba.njit(cache=True, inline="always")
def look_up(tables, m, t, mu):
    """Linear look-up in table t of material m, over cosines 0..1."""
    x = min(max(mu, ZERO), ONE) * _LAST
    k = min(int(x), 62)
    part = x - f32(k)
    return tables[m, t, k] * (ONE - part) + tables[m, t, k + 1] * part


@numba.njit(cache=True, inline="always")
def luminance(r, g, b):
    return f32(0.2126) * r + f32(0.7152) * g + f32(0.0722) * b


@numba.njit(cache=True, inline="always")
def specular_share(rows, tables, m, mu):
    """The chance with which a direction is drawn from the specular lobe rather than from a cosine lobe."""
    a = look_up(tables, m, 0, mu)
    b = look_up(tables, m, 1, mu)
    specular = luminance(rows[m, 0], rows[m, 1], rows[m, 2]) * (a - b) + b
    rest = luminance(rows[m, 6], rows[m, 7], rows[m, 8]) * (ONE - look_up(tables, m, 2, mu)) + luminance(
        rows[m, 3], rows[m, 4], rows[m, 5]
    ) * (ONE - a)
    return specular / (specular + rest + _TINY)


@numba.njit(cache=True, inline="always")
def evaluate(rows, tables, m, share, ox, oy, oz, ix, iy, iz):
    """Scattering from i to o times the cosine of i (r, g, b), and the density with which `draw` draws i.

    o and i are unit, away from the surface; both z must be above 0.
    """
    alpha = rows[m, 9]
    hx, hy, hz = ox + ix, oy + iy, oz + iz
    scale = ONE / math.sqrt(hx * hx + hy * hy + hz * hz + _TINY * _TINY)
    hx, hy, hz = hx * scale, hy * scale, hz * scale
    cos_half = max(ox * hx + oy * hy + oz * hz, ZERO)
    a2 = alpha * alpha
    # (hx^2 + hy^2) + a2 hz^2 rather than 1 + (a2 - 1) hz^2: float32 would lose all digits of a narrow lobe.
    spread = hx * hx + hy * hy + a2 * hz * hz
    d = a2 / (PI * spread * spread)
    root_o = math.sqrt(a2 + (ONE - a2) * oz * oz)
    root_i = math.sqrt(a2 + (ONE - a2) * iz * iz)
    visibility = HALF / (oz * root_i + iz * root_o)
    x = ONE - cos_half
    x2 = x * x
    fresnel = x2 * x2 * x
    lobe = d * visibility * iz
    a_o, a_i = look_up(tables, m, 0, oz), look_up(tables, m, 0, iz)
    again = (ONE - a_o) * (ONE - a_i) * rows[m, 11] * INV_PI * iz
    base = (ONE - look_up(tables, m, 2, oz)) * (ONE - look_up(tables, m, 2, iz)) * INV_PI * iz
    r = (rows[m, 0] + (ONE - rows[m, 0]) * fresnel) * lobe + rows[m, 3] * again + rows[m, 6] * base
    g = (rows[m, 1] + (ONE - rows[m, 1]) * fresnel) * lobe + rows[m, 4] * again + rows[m, 7] * base
    b = (rows[m, 2] + (ONE - rows[m, 2]) * fresnel) * lobe + rows[m, 5] * again + rows[m, 8] * base
    density = share * d / (TWO * (oz + root_o)) + (ONE - share) * iz * INV_PI
    return r, g, b, density


@numba.njit(cache=True, inline="always")
def draw(alpha, share, ox, oy, oz, u, v):
    """Draw a direction i for o: from the visible normals (Dupuy and Benyoub 2023) or from the cosine lobe."""
    if u < share:
        u = u / share
        sx, sy, sz = ox * alpha, oy * alpha, oz
        scale = ONE / math.sqrt(sx * sx + sy * sy + sz * sz)
        sx, sy, sz = sx * scale, sy * scale, sz * scale
        phi = TWO_PI * v
        z = (ONE - u) * (ONE + sz) - sz
        radius = math.sqrt(max(ONE - z * z, ZERO))
        hx = (radius * math.cos(phi) + sx) * alpha
        hy = (radius * math.sin(phi) + sy) * alpha
        hz = z + sz
        scale = ONE / math.sqrt(hx * hx + hy * hy + hz * hz + _TINY * _TINY)
        hx, hy, hz = hx * scale, hy * scale, hz * scale
        c = TWO * (ox * hx + oy * hy + oz * hz)
        return c * hx - ox, c * hy - oy, c * hz - oz
    u = (u - share) / (ONE - share)
    radius, phi = math.sqrt(u), TWO_PI * v
    return radius * math.cos(phi), radius * math.sin(phi), math.sqrt(max(ONE - u, ZERO))


@numba.njit(cache=True, inline="always")
def tangents(x, y, z):
    """Two unit vectors across a unit normal (Duff et al., JCGT 6(1), 2017)."""
    sign = ONE if z >= ZERO else -ONE
    a = -ONE / (sign + z)
    b = x * y * a
    return ONE + sign * x * x * a, sign * b, -sign * x, b, sign + y * y * a, -y
