"""How a surface scatters light, in its own frame (z along the normal), as float32 scalars for the kernels.

From the bottom up: a diffuse base; a clear or metallic microsurface over it (GGX with height-correlated Smith masking
and Schlick's Fresnel), with what it loses to multiple scattering (Kulla and Conty 2017), and the base getting what the
microsurface lets through (Kelemen and Szirmay-Kalos 2001); the sheen of cloth (Estevez and Kulla 2017); a clear coat.
A layer on top takes its albedo from what lies under it: from diffuse light by the same coupling, from a sharp lobe by
the larger albedo of both directions. Reciprocal, and white stays white at every roughness.

A surface at a point is a short array of numbers, filled by `settle`. Kernels index whole arrays and never take a view
of a row: that costs two atomic reference counts, which the threads of a render would fight over.
"""

from __future__ import annotations

import math

import numba
import numpy as np

from moss_crown.core.render.tables import COSINES, LEVELS, SHEEN_ALPHA, SMALLEST_ALPHA

f32 = np.float32
ZERO, ONE, TWO, HALF = f32(0), f32(1), f32(2), f32(0.5)
PI, INV_PI, TWO_PI = f32(math.pi), f32(1 / math.pi), f32(2 * math.pi)
_LAST = f32(COSINES - 1)
_TINY = f32(1e-7)
_SMALLEST = f32(SMALLEST_ALPHA)
_LOW = f32(math.sqrt(SMALLEST_ALPHA))
_SPREAD = f32((LEVELS - 1) / (1 - math.sqrt(SMALLEST_ALPHA)))
_COAT = f32(0.04)
_SHEEN_INVERSE = f32(1 / SHEEN_ALPHA)

# Places in the numbers of a surface.
F0, MULTIPLE, DIFFUSE = 0, 3, 6  # three each
ALPHA, MISSING, LEVEL, CLEAR, CLEAR_MULTIPLE = 9, 10, 11, 12, 13
COAT, COAT_ALPHA, COAT_LEVEL, COAT_NORM, SHEEN, SHEEN_NORM = 14, 15, 16, 17, 18, 19
A_OUT, UNDER_OUT, COAT_OUT, SHEEN_OUT, SPECULAR_SHARE, COAT_SHARE = 20, 21, 22, 23, 24, 25
NUMBERS = 26


@numba.njit(cache=True)
def luminance(r, g, b):
    return f32(0.2126) * r + f32(0.7152) * g + f32(0.0722) * b


@numba.njit(cache=True)
def look_up(table, level, mu):
    """A and B by bilinear look-up in the albedo table, at a level of roughness and a cosine 0..1."""
    x = min(max(mu, ZERO), ONE) * _LAST
    k = min(int(x), COSINES - 2)
    part = x - f32(k)
    row = int(level)
    between = level - f32(row)
    w00, w01 = (ONE - between) * (ONE - part), (ONE - between) * part
    w10, w11 = between * (ONE - part), between * part
    a = (
        w00 * table[0, row, k]
        + w01 * table[0, row, k + 1]
        + w10 * table[0, row + 1, k]
        + w11 * table[0, row + 1, k + 1]
    )
    b = (
        w00 * table[1, row, k]
        + w01 * table[1, row, k + 1]
        + w10 * table[1, row + 1, k]
        + w11 * table[1, row + 1, k + 1]
    )
    return a, b


@numba.njit(cache=True)
def _mean(table, row, level):
    """A mean that belongs to a level, of plane 2."""
    k = int(level)
    part = level - f32(k)
    return table[2, row, k] * (ONE - part) + table[2, row, k + 1] * part


@numba.njit(cache=True)
def _sheen(table, mu):
    x = min(max(mu, ZERO), ONE) * _LAST
    k = min(int(x), COSINES - 2)
    part = x - f32(k)
    return table[2, 0, k] * (ONE - part) + table[2, 0, k + 1] * part


@numba.njit(cache=True)
def _level(alpha):
    return (math.sqrt(alpha) - _LOW) * _SPREAD


@numba.njit(cache=True)
def _multiple(f0, mean):
    """The Fresnel factor of light that scattered more than once on the microsurface."""
    fresnel = (f32(20) * f0 + ONE) / f32(21)
    return fresnel * fresnel * mean / (ONE - fresnel * (ONE - mean))


@numba.njit(cache=True)
def settle(s, table, r, g, b, metal, roughness, clear, coat, coat_roughness, sheen, oz):
    """Fill s (NUMBERS) with a surface seen at a cosine `oz`: all that does not depend on where light comes from."""
    alpha = max(roughness * roughness, _SMALLEST)
    level = _level(alpha)
    mean, mean_b = _mean(table, 1, level), _mean(table, 2, level)
    clear_multiple = _multiple(clear, mean)
    layer_mean = clear * mean + (ONE - clear) * mean_b + (ONE - mean) * clear_multiple
    rest = (ONE - metal) / max(ONE - layer_mean, f32(1e-6))
    a, b_o = look_up(table, level, oz)
    under = ONE - (clear * a + (ONE - clear) * b_o + (ONE - a) * clear_multiple)
    dull = (ONE - metal) * clear
    dull_multiple = (ONE - metal) * clear_multiple
    f0r, f0g, f0b = metal * r + dull, metal * g + dull, metal * b + dull
    mr = metal * _multiple(r, mean) + dull_multiple
    mg = metal * _multiple(g, mean) + dull_multiple
    mb = metal * _multiple(b, mean) + dull_multiple
    coat_alpha = max(coat_roughness * coat_roughness, _SMALLEST)
    coat_level, coat_norm, coat_out, sheen_norm, sheen_out = ZERO, ONE, ONE, ONE, ONE
    coat_albedo = ZERO
    if coat > ZERO:
        coat_level = _level(coat_alpha)
        ca, cb = look_up(table, coat_level, oz)
        coat_albedo = coat * (_COAT * (ca - cb) + cb)
        coat_out = ONE - coat_albedo
        cm, cmb = _mean(table, 1, coat_level), _mean(table, 2, coat_level)
        coat_norm = ONE / (ONE - coat * (_COAT * (cm - cmb) + cmb))
    if sheen > ZERO:
        sheen_out = ONE - sheen * _sheen(table, oz)
        sheen_norm = ONE / (ONE - sheen * table[2, 3, 0])
    specular = (luminance(f0r, f0g, f0b) * (a - b_o) + b_o) * coat_out * sheen_out
    diffuse = luminance(r, g, b) * rest * under + luminance(mr, mg, mb) * (ONE - a)
    diffuse = (diffuse * sheen_out + ONE - sheen_out) * coat_out
    whole = specular + diffuse + coat_albedo + _TINY
    s[F0], s[F0 + 1], s[F0 + 2] = f0r, f0g, f0b
    s[MULTIPLE], s[MULTIPLE + 1], s[MULTIPLE + 2] = mr, mg, mb
    s[DIFFUSE], s[DIFFUSE + 1], s[DIFFUSE + 2] = r * rest, g * rest, b * rest
    s[ALPHA], s[MISSING], s[LEVEL] = alpha, ONE / max(ONE - mean, f32(1e-6)), level
    s[CLEAR], s[CLEAR_MULTIPLE] = clear, clear_multiple
    s[COAT], s[COAT_ALPHA], s[COAT_LEVEL], s[COAT_NORM] = coat, coat_alpha, coat_level, coat_norm
    s[SHEEN], s[SHEEN_NORM] = sheen, sheen_norm
    s[A_OUT], s[UNDER_OUT], s[COAT_OUT], s[SHEEN_OUT] = a, under, coat_out, sheen_out
    s[SPECULAR_SHARE], s[COAT_SHARE] = specular / whole, coat_albedo / whole


@numba.njit(cache=True)
def seen_albedo(table, s, channel, oz):
    """What share of white light from everywhere the surface sends towards its viewer, in a channel."""
    a = s[A_OUT]
    _, b = look_up(table, s[LEVEL], oz)
    inner = s[F0 + channel] * (a - b) + b + s[MULTIPLE + channel] * (ONE - a) + s[DIFFUSE + channel] * s[UNDER_OUT]
    return (inner * s[SHEEN_OUT] + ONE - s[SHEEN_OUT]) * s[COAT_OUT] + ONE - s[COAT_OUT]


@numba.njit(cache=True)
def _lobe(alpha, oz, iz, hx, hy, hz):
    """The GGX lobe without Fresnel, times the cosine of i; and the density of drawing i by visible normals."""
    a2 = alpha * alpha
    # (hx^2 + hy^2) + a2 hz^2 rather than 1 + (a2 - 1) hz^2: float32 would lose all digits of a narrow lobe.
    spread = hx * hx + hy * hy + a2 * hz * hz
    d = a2 / (PI * spread * spread)
    root_o = math.sqrt(a2 + (ONE - a2) * oz * oz)
    root_i = math.sqrt(a2 + (ONE - a2) * iz * iz)
    return d * HALF / (oz * root_i + iz * root_o) * iz, d / (TWO * (oz + root_o))


@numba.njit(cache=True)
def evaluate(table, s, ox, oy, oz, ix, iy, iz):
    """Scattering from i to o times the cosine of i (r, g, b), and the density with which `draw` draws i.

    o and i are unit, away from the surface; both z must be above 0.
    """
    hx, hy, hz = ox + ix, oy + iy, oz + iz
    scale = ONE / math.sqrt(hx * hx + hy * hy + hz * hz + _TINY * _TINY)
    hx, hy, hz = hx * scale, hy * scale, hz * scale
    x = ONE - max(ox * hx + oy * hy + oz * hz, ZERO)
    x2 = x * x
    fresnel = x2 * x2 * x
    lobe, lobe_density = _lobe(s[ALPHA], oz, iz, hx, hy, hz)
    a, b_i = look_up(table, s[LEVEL], iz)
    layer = s[CLEAR] * a + (ONE - s[CLEAR]) * b_i + (ONE - a) * s[CLEAR_MULTIPLE]
    again = (ONE - s[A_OUT]) * (ONE - a) * s[MISSING] * INV_PI * iz
    base = s[UNDER_OUT] * (ONE - layer) * INV_PI * iz
    over = ZERO
    density = s[SPECULAR_SHARE] * lobe_density + (ONE - s[SPECULAR_SHARE] - s[COAT_SHARE]) * iz * INV_PI
    if s[SHEEN] > ZERO:
        inward = ONE - s[SHEEN] * _sheen(table, iz)
        lobe = lobe * min(s[SHEEN_OUT], inward)
        through = s[SHEEN_OUT] * inward
        again, base = again * through * s[SHEEN_NORM], base * through * s[SHEEN_NORM]
        sine = math.sqrt(max(ONE - hz * hz, ZERO))
        d = (TWO + _SHEEN_INVERSE) * sine**_SHEEN_INVERSE * HALF * INV_PI
        over = s[SHEEN] * d * iz / (f32(4) * (oz + iz - oz * iz))
    if s[COAT] > ZERO:
        ca, cb = look_up(table, s[COAT_LEVEL], iz)
        inward = ONE - s[COAT] * (_COAT * (ca - cb) + cb)
        lobe = lobe * min(s[COAT_OUT], inward)
        through = s[COAT_OUT] * inward * s[COAT_NORM]
        again, base, over = again * through, base * through, over * through
        top, top_density = _lobe(s[COAT_ALPHA], oz, iz, hx, hy, hz)
        over += s[COAT] * (_COAT + (ONE - _COAT) * fresnel) * top
        density += s[COAT_SHARE] * top_density
    r = (s[0] + (ONE - s[0]) * fresnel) * lobe + s[3] * again + s[6] * base + over
    g = (s[1] + (ONE - s[1]) * fresnel) * lobe + s[4] * again + s[7] * base + over
    b = (s[2] + (ONE - s[2]) * fresnel) * lobe + s[5] * again + s[8] * base + over
    return r, g, b, density


@numba.njit(cache=True)
def draw(s, ox, oy, oz, u, v):
    """Draw a direction i for o: from the visible normals of a lobe (Dupuy and Benyoub 2023) or from the cosine lobe."""
    specular, coat = s[SPECULAR_SHARE], s[COAT_SHARE]
    if u < specular + coat:
        alpha = s[ALPHA]
        if u < specular:
            u = u / specular
        else:
            u = (u - specular) / coat
            alpha = s[COAT_ALPHA]
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
    u = (u - specular - coat) / (ONE - specular - coat)
    radius, phi = math.sqrt(u), TWO_PI * v
    return radius * math.cos(phi), radius * math.sin(phi), math.sqrt(max(ONE - u, ZERO))


@numba.njit(cache=True)
def tangents(x, y, z):
    """Two unit vectors across a unit normal (Duff et al., JCGT 6(1), 2017)."""
    sign = ONE if z >= ZERO else -ONE
    a = -ONE / (sign + z)
    b = x * y * a
    return ONE + sign * x * x * a, sign * b, -sign * x, b, sign + y * y * a, -y
