"""How a surface scatters light, in its own frame (z along the normal, x along the brushing), over lanes of paths.

From the bottom up: a diffuse base; a clear or metallic microsurface over it (GGX with height-correlated Smith masking,
of two roughnesses where it is brushed, and Schlick's Fresnel), with what it loses to multiple scattering (Kulla and
Conty 2017), and the base getting what the microsurface lets through (Kelemen and Szirmay-Kalos 2001); the sheen of
cloth (Estevez and Kulla 2017); a clear coat. A layer on top takes its albedo from what lies under it: from diffuse
light by the same coupling, from a sharp lobe by the larger albedo of both directions. Reciprocal, and white stays white
at every roughness.

Each function is one loop over lanes of the workspace (see `lanes`). Those that look tables up are loops of their own,
since such a loop can not become vector code, and would keep the arithmetic around it from it.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from moss_crown.core.look.mixing import NARROWEST
from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import (
    HALF,
    INV_PI,
    ONE,
    PI,
    TWO,
    ZERO,
    between_pairs,
    circle,
    f32,
    kernel,
    luminance,
)
from moss_crown.core.render.lanes import (
    A_COAT,
    A_IN,
    A_OUT,
    AGAIN,
    ALONG,
    ALPHA_X,
    ALPHA_Y,
    B_COAT,
    B_IN,
    B_OUT,
    BASE,
    BLUE,
    BRUSHED,
    C_SHEEN,
    CLEAR,
    CLEAR_GRAZING,
    CLEAR_MULTI,
    COAT,
    COAT_ALPHA,
    COAT_LEVEL,
    COAT_MEAN_A,
    COAT_MEAN_B,
    COAT_NORM,
    COAT_OUT,
    COAT_ROUGH,
    COAT_SHARE,
    DIFF_B,
    DIFF_G,
    DIFF_R,
    DOWN,
    DRAWN,
    EVEN_B,
    EVEN_G,
    EVEN_R,
    F0_B,
    F0_G,
    F0_R,
    FRESNEL,
    GRAZING,
    GREEN,
    HALF_Z,
    IN_X,
    IN_Y,
    IN_Z,
    LEVEL,
    LOBE,
    MEAN_A,
    MEAN_B,
    METAL,
    MISSING,
    MULTI_B,
    MULTI_G,
    MULTI_R,
    OUT_B,
    OUT_G,
    OUT_R,
    OUT_X,
    OUT_Y,
    OUT_Z,
    OVER,
    PLACE,
    RED,
    ROUGH,
    SHEEN,
    SHEEN_NORM,
    SHEEN_OUT,
    SPECULAR_SHARE,
    UNDER_OUT,
    U,
    V,
)
from moss_crown.core.render.tables import COSINES, LEVELS, MEANS, SHEEN_ALPHA, SMALLEST_ALPHA
from moss_crown.core.render.tables import SHEEN as SHEEN_ROW
from moss_crown.core.render.views import address

i32 = np.int32
_LAST, _LAST_LEVEL = f32(COSINES - 1), f32(LEVELS - 1)
_LAST_STEP = i32(COSINES - 2)
_PAIR = 8
"""Bytes of A and B."""
_TINY = f32(1e-14)
_SMALLEST = f32(SMALLEST_ALPHA)
_LOW = f32(math.sqrt(SMALLEST_ALPHA))
_SPREAD = f32((LEVELS - 1) / (1 - math.sqrt(SMALLEST_ALPHA)))
_COAT = f32(0.04)
_SHEEN_NORM = f32((2 + 1 / SHEEN_ALPHA) / (2 * math.pi))
_NARROW = f32(NARROWEST)


def _looked_up(level: int, cosine: int, a: int, b: int) -> Any:
    """The kernel that looks A and B up for rows a and b of the workspace, by rows of levels and of cosines. One for
    each set of rows: places that are only known at run time would keep its first loop from becoming vector code."""

    @kernel
    def look_up(w, table, n, padded):
        for i in range(padded):
            x, at = min(max(w[cosine + i], ZERO), ONE) * _LAST, min(max(w[level + i], ZERO), _LAST_LEVEL)
            k, row = min(i32(x), _LAST_STEP), i32(at)
            w[PLACE + i] = f32(row) * f32(COSINES) + f32(k)
            w[DOWN + i], w[ALONG + i] = at - f32(row), x - f32(k)
        start = address(table)
        for i in range(n):
            first = start + _PAIR * int(w[PLACE + i])
            w[a + i], w[b + i] = between_pairs(first, first + _PAIR * COSINES, w[DOWN + i], w[ALONG + i])

    return look_up


def _means_looked_up(level: int, a: int, b: int) -> Any:
    """The same for their means over the hemisphere, which belong to a level."""

    @kernel
    def look_up_means(w, table, n, padded):
        for i in range(padded):
            at = min(max(w[level + i], ZERO), _LAST_LEVEL)
            row = i32(at)
            w[PLACE + i], w[ALONG + i] = f32(row), at - f32(row)
        start = address(table) + MEANS * COSINES * _PAIR
        for i in range(n):
            first = start + _PAIR * int(w[PLACE + i])
            w[a + i], w[b + i] = between_pairs(first, first, ZERO, w[ALONG + i])

    return look_up_means


_look_up_out = _looked_up(LEVEL, OUT_Z, A_OUT, B_OUT)
_look_up_in = _looked_up(LEVEL, IN_Z, A_IN, B_IN)
_look_up_coat_out = _looked_up(COAT_LEVEL, OUT_Z, A_COAT, B_COAT)
_look_up_coat_in = _looked_up(COAT_LEVEL, IN_Z, A_COAT, B_COAT)
_look_up_means = _means_looked_up(LEVEL, MEAN_A, MEAN_B)
_look_up_coat_means = _means_looked_up(COAT_LEVEL, COAT_MEAN_A, COAT_MEAN_B)


@kernel
def _look_up_sheen(w, table, n, cosine):
    for i in range(n):
        x = min(max(w[cosine + i], ZERO), ONE) * _LAST
        k = min(np.uint32(x), np.uint32(COSINES - 2))
        part = x - f32(k)
        w[C_SHEEN + i] = table[SHEEN_ROW, k, 0] * (ONE - part) + table[SHEEN_ROW, k + np.uint32(1), 0] * part


@kernel
def _grazing(clear):
    """What a dielectric reflects at a grazing angle, for Schlick's curve that begins at `clear` to have the mean over
    the hemisphere that Fresnel's equations have: all from an index of about 1.35 on, and nothing where no index
    changes. Fitted to a four-hundredth."""
    root = math.sqrt(clear)
    more = TWO * root / max(ONE - root, f32(1e-6))  # the index less 1
    return min(more * (f32(6.588) - f32(0.318) * more) / (ONE + f32(3.541) * more), ONE)


@kernel
def _multiple(f0, grazing, mean):
    """The Fresnel factor of light that scattered more than once on the microsurface."""
    fresnel = (f32(20) * f0 + grazing) / f32(21)
    return fresnel * fresnel * mean / (ONE - fresnel * (ONE - mean))


@kernel
def _levels(w, n):
    for i in range(n):
        alpha = max(w[ROUGH + i] * w[ROUGH + i], _SMALLEST)
        aspect = math.sqrt(ONE - _NARROW * w[BRUSHED + i])
        along, across = alpha / aspect, max(alpha * aspect, _SMALLEST)
        w[ALPHA_X + i], w[ALPHA_Y + i] = along, across
        # Two roughnesses lose about what their root mean square loses: exact seen from above, within 0.05 at a slant.
        even = math.sqrt((along * along + across * across) * HALF)
        w[LEVEL + i] = (math.sqrt(min(even, ONE)) - _LOW) * _SPREAD
        alpha = max(w[COAT_ROUGH + i] * w[COAT_ROUGH + i], _SMALLEST)
        w[COAT_ALPHA + i] = alpha
        w[COAT_LEVEL + i] = (math.sqrt(alpha) - _LOW) * _SPREAD


@kernel
def _base_layers(w, n):
    for i in range(n):
        r, g, b, metal, clear = w[RED + i], w[GREEN + i], w[BLUE + i], w[METAL + i], w[CLEAR + i]
        mean, mean_b, a, b_out = w[MEAN_A + i], w[MEAN_B + i], w[A_OUT + i], w[B_OUT + i]
        clear_grazing = _grazing(clear)
        grazing = metal + (ONE - metal) * clear_grazing
        clear_multi = _multiple(clear, clear_grazing, mean)
        layer_mean = clear * mean + (clear_grazing - clear) * mean_b + (ONE - mean) * clear_multi
        rest = (ONE - metal) / max(ONE - layer_mean, f32(1e-6))
        under = ONE - (clear * a + (clear_grazing - clear) * b_out + (ONE - a) * clear_multi)
        dull = (ONE - metal) * clear
        f0_r, f0_g, f0_b = metal * r + dull, metal * g + dull, metal * b + dull
        multi_r = metal * _multiple(r, ONE, mean) + (ONE - metal) * clear_multi
        multi_g = metal * _multiple(g, ONE, mean) + (ONE - metal) * clear_multi
        multi_b = metal * _multiple(b, ONE, mean) + (ONE - metal) * clear_multi
        w[F0_R + i], w[F0_G + i], w[F0_B + i] = f0_r, f0_g, f0_b
        w[GRAZING + i], w[CLEAR_GRAZING + i] = grazing, clear_grazing
        w[MULTI_R + i], w[MULTI_G + i], w[MULTI_B + i] = multi_r, multi_g, multi_b
        w[DIFF_R + i], w[DIFF_G + i], w[DIFF_B + i] = r * rest, g * rest, b * rest
        w[MISSING + i] = ONE / max(ONE - mean, f32(1e-6))
        w[CLEAR_MULTI + i], w[UNDER_OUT + i] = clear_multi, under
        # How much is sent back by the sharp lobe and by the even ones, for the drawing: `_share` ends it.
        w[SPECULAR_SHARE + i] = luminance(f0_r, f0_g, f0_b) * (a - b_out) + grazing * b_out
        w[DRAWN + i] = luminance(r, g, b) * rest * under + luminance(multi_r, multi_g, multi_b) * (ONE - a)


@kernel
def _upper_layers(w, n, sheen_mean):
    for i in range(n):
        coat, sheen = w[COAT + i], w[SHEEN + i]
        a, b = w[A_COAT + i], w[B_COAT + i]
        w[COAT_OUT + i] = ONE - coat * (_COAT * (a - b) + b)
        a, b = w[COAT_MEAN_A + i], w[COAT_MEAN_B + i]
        w[COAT_NORM + i] = ONE / (ONE - coat * (_COAT * (a - b) + b))
        w[SHEEN_OUT + i] = ONE - sheen * w[C_SHEEN + i]
        w[SHEEN_NORM + i] = ONE / (ONE - sheen * sheen_mean)


@kernel
def _no_upper_layers(w, n):
    for i in range(n):
        w[COAT_OUT + i] = ONE
        w[SHEEN_OUT + i] = ONE


@kernel
def _share(w, n):
    for i in range(n):
        coat_out, sheen_out = w[COAT_OUT + i], w[SHEEN_OUT + i]
        specular = w[SPECULAR_SHARE + i] * coat_out * sheen_out
        even = (w[DRAWN + i] * sheen_out + ONE - sheen_out) * coat_out
        whole = ONE / (specular + even + ONE - coat_out + f32(1e-7))
        w[SPECULAR_SHARE + i] = specular * whole
        w[COAT_SHARE + i] = (ONE - coat_out) * whole


@kernel
def settle(w, table, n, padded, layered):
    """From the material rows and OUT: all that does not depend on where light comes from.

    n lanes are looked up, `padded` (n up to a multiple of PAD) worked out. `layered`: whether any has a coat or sheen.
    """
    _levels(w, padded)
    _look_up_out(w, table, n, padded)
    _look_up_means(w, table, n, padded)
    _base_layers(w, padded)
    if layered:
        _look_up_coat_out(w, table, n, padded)
        _look_up_coat_means(w, table, n, padded)
        _look_up_sheen(w, table, n, OUT_Z)
        _upper_layers(w, padded, table[SHEEN_ROW, 0, 1])
    else:
        _no_upper_layers(w, padded)
    _share(w, padded)


@kernel
def seen_albedo(w, n):
    """Into OUT_R.. the share of white light from everywhere that a settled surface sends towards its viewer."""
    for i in range(n):
        a, b, under = w[A_OUT + i], w[B_OUT + i], w[UNDER_OUT + i]
        side = b * w[GRAZING + i]
        inner_r = w[F0_R + i] * (a - b) + side + w[MULTI_R + i] * (ONE - a) + w[DIFF_R + i] * under
        inner_g = w[F0_G + i] * (a - b) + side + w[MULTI_G + i] * (ONE - a) + w[DIFF_G + i] * under
        inner_b = w[F0_B + i] * (a - b) + side + w[MULTI_B + i] * (ONE - a) + w[DIFF_B + i] * under
        coat, sheen = w[COAT_OUT + i], w[SHEEN_OUT + i]
        w[OUT_R + i] = (inner_r * sheen + ONE - sheen) * coat + ONE - coat
        w[OUT_G + i] = (inner_g * sheen + ONE - sheen) * coat + ONE - coat
        w[OUT_B + i] = (inner_b * sheen + ONE - sheen) * coat + ONE - coat


@kernel
def _lobes(w, n):
    """The microsurface lobe without Fresnel, times the cosine of the light, and the density of drawing it."""
    for i in range(n):
        ox, oy, oz = w[OUT_X + i], w[OUT_Y + i], w[OUT_Z + i]
        ix, iy, iz = w[IN_X + i], w[IN_Y + i], w[IN_Z + i]
        hx, hy, hz = ox + ix, oy + iy, oz + iz
        scale = ONE / math.sqrt(hx * hx + hy * hy + hz * hz + _TINY)
        hx, hy, hz = hx * scale, hy * scale, hz * scale
        x = ONE - max(ox * hx + oy * hy + oz * hz, ZERO)
        x2 = x * x
        ax, ay = w[ALPHA_X + i], w[ALPHA_Y + i]
        # hx^2 and hy^2 beside ax ay hz^2 rather than 1 - hz^2: float32 would lose all digits of a narrow lobe.
        both = ax * ay
        e = hx * hx * (ay / ax) + hy * hy * (ax / ay) + both * hz * hz
        d = both / (PI * e * e)
        ax, ay = ax * ax, ay * ay
        root_o = math.sqrt(ax * ox * ox + ay * oy * oy + oz * oz)
        root_i = math.sqrt(ax * ix * ix + ay * iy * iy + iz * iz)
        w[FRESNEL + i], w[HALF_Z + i] = x2 * x2 * x, hz
        w[LOBE + i] = d * HALF * iz / (oz * root_i + iz * root_o)
        specular = w[SPECULAR_SHARE + i]
        even = ONE - specular - w[COAT_SHARE + i]
        w[DRAWN + i] = specular * d / (TWO * (oz + root_o)) + even * iz * INV_PI
        w[OVER + i] = ZERO


@kernel
def _even_lobes(w, n):
    """What was scattered many times on the microsurface, and the diffuse base under it."""
    for i in range(n):
        iz, a, b, clear = w[IN_Z + i], w[A_IN + i], w[B_IN + i], w[CLEAR + i]
        layer = clear * a + (w[CLEAR_GRAZING + i] - clear) * b + (ONE - a) * w[CLEAR_MULTI + i]
        w[AGAIN + i] = (ONE - w[A_OUT + i]) * (ONE - a) * w[MISSING + i] * INV_PI * iz
        w[BASE + i] = w[UNDER_OUT + i] * (ONE - layer) * INV_PI * iz


@kernel
def _cover(w, n):
    """Sheen and coat over the lobes."""
    for i in range(n):
        oz, iz, hz = w[OUT_Z + i], w[IN_Z + i], w[HALF_Z + i]
        sheen, coat = w[SHEEN + i], w[COAT + i]
        sheen_in = ONE - sheen * w[C_SHEEN + i]
        sheen_out = w[SHEEN_OUT + i]
        sine2 = max(ONE - hz * hz, ZERO)
        over = sheen * _SHEEN_NORM * sine2 * math.sqrt(sine2) * iz / (f32(4) * (oz + iz - oz * iz))
        a, b = w[A_COAT + i], w[B_COAT + i]
        coat_in = ONE - coat * (_COAT * (a - b) + b)
        coat_out = w[COAT_OUT + i]
        through = coat_out * coat_in * w[COAT_NORM + i]
        even = through * sheen_out * sheen_in * w[SHEEN_NORM + i]
        w[AGAIN + i], w[BASE + i] = w[AGAIN + i] * even, w[BASE + i] * even
        w[LOBE + i] = w[LOBE + i] * min(sheen_out, sheen_in) * min(coat_out, coat_in)
        ox, oy, ix, iy = w[OUT_X + i], w[OUT_Y + i], w[IN_X + i], w[IN_Y + i]
        hx, hy, z = ox + ix, oy + iy, oz + iz
        scale = ONE / (hx * hx + hy * hy + z * z + _TINY)
        alpha2 = w[COAT_ALPHA + i] * w[COAT_ALPHA + i]
        e = (hx * hx + hy * hy + alpha2 * z * z) * scale
        d = alpha2 / (PI * e * e)
        root_o = math.sqrt(alpha2 + (ONE - alpha2) * oz * oz)
        root_i = math.sqrt(alpha2 + (ONE - alpha2) * iz * iz)
        top = d * HALF * iz / (oz * root_i + iz * root_o)
        w[OVER + i] = over * through + coat * (_COAT + (ONE - _COAT) * w[FRESNEL + i]) * top
        w[DRAWN + i] = w[DRAWN + i] + w[COAT_SHARE + i] * d / (TWO * (oz + root_o))


@kernel
def _sum(w, n):
    for i in range(n):
        fresnel, lobe, again = w[FRESNEL + i], w[LOBE + i], w[AGAIN + i]
        base, over = w[BASE + i], w[OVER + i]
        r, g, b, grazing = w[F0_R + i], w[F0_G + i], w[F0_B + i], w[GRAZING + i]
        even_r, even_g, even_b = w[DIFF_R + i] * base, w[DIFF_G + i] * base, w[DIFF_B + i] * base
        w[EVEN_R + i], w[EVEN_G + i], w[EVEN_B + i] = even_r, even_g, even_b
        w[OUT_R + i] = (r + (grazing - r) * fresnel) * lobe + w[MULTI_R + i] * again + even_r + over
        w[OUT_G + i] = (g + (grazing - g) * fresnel) * lobe + w[MULTI_G + i] * again + even_g + over
        w[OUT_B + i] = (b + (grazing - b) * fresnel) * lobe + w[MULTI_B + i] * again + even_b + over


@kernel
def evaluate(w, table, n, padded, layered):
    """Scattering from IN to OUT times the cosine of IN, into OUT_R.., of it the diffuse base in EVEN_R.., and into
    DRAWN the density with which `draw` draws IN. Directions are unit, away from the surface; both z must be above 0."""
    _lobes(w, padded)
    _look_up_in(w, table, n, padded)
    _even_lobes(w, padded)
    if layered:
        _look_up_coat_in(w, table, n, padded)
        _look_up_sheen(w, table, n, IN_Z)
        _cover(w, padded)
    _sum(w, padded)


@kernel
def visible_normal(ox, oy, oz, ax, ay, u, cosine, sine):
    """A microsurface normal as it is seen from o, by u and a place on the circle (Dupuy and Benyoub 2023)."""
    sx, sy, sz = ox * ax, oy * ay, oz
    scale = ONE / math.sqrt(sx * sx + sy * sy + sz * sz)
    sx, sy, sz = sx * scale, sy * scale, sz * scale
    z = (ONE - u) * (ONE + sz) - sz
    radius = math.sqrt(max(ONE - z * z, ZERO))
    hx, hy, hz = (radius * cosine + sx) * ax, (radius * sine + sy) * ay, z + sz
    scale = ONE / math.sqrt(hx * hx + hy * hy + hz * hz + _TINY)
    return hx * scale, hy * scale, hz * scale


@kernel
def draw(w, n):
    """Draw IN for OUT by U and V: from the visible normals of a lobe or from the cosine."""
    for i in range(n):
        specular, coat, u = w[SPECULAR_SHARE + i], w[COAT_SHARE + i], w[U + i]
        cosine, sine = circle(w[V + i])
        of_base, of_coat = u < specular, u < specular + coat
        ax = w[ALPHA_X + i] if of_base else w[COAT_ALPHA + i]
        ay = w[ALPHA_Y + i] if of_base else w[COAT_ALPHA + i]
        from_, width = (ZERO, specular) if of_base else (specular, coat)
        from_ = from_ if of_coat else specular + coat
        width = width if of_coat else ONE - specular - coat
        u = min(max((u - from_) / max(width, f32(1e-12)), ZERO), ONE)
        ox, oy, oz = w[OUT_X + i], w[OUT_Y + i], w[OUT_Z + i]
        hx, hy, hz = visible_normal(ox, oy, oz, ax, ay, u, cosine, sine)
        c = TWO * (ox * hx + oy * hy + oz * hz)
        radius = math.sqrt(u)
        w[IN_X + i] = c * hx - ox if of_coat else radius * cosine
        w[IN_Y + i] = c * hy - oy if of_coat else radius * sine
        w[IN_Z + i] = c * hz - oz if of_coat else math.sqrt(ONE - u)


@kernel
def frame(w, n):
    """From the hit in its letter's own space to the world, and into the surface's frame: normals by the cofactors of
    its pose, turned to the viewer; tangents along the axis of brushing, or any (Duff et al., JCGT 6(1), 2017)."""
    for i in range(n):
        m0, m1, m2 = w[ln.M0 + i], w[ln.M1 + i], w[ln.M2 + i]
        m4, m5, m6 = w[ln.M4 + i], w[ln.M5 + i], w[ln.M6 + i]
        m8, m9, m10 = w[ln.M8 + i], w[ln.M9 + i], w[ln.M10 + i]
        c00, c01, c02 = m5 * m10 - m6 * m9, m6 * m8 - m4 * m10, m4 * m9 - m5 * m8
        c10, c11, c12 = m2 * m9 - m1 * m10, m0 * m10 - m2 * m8, m1 * m8 - m0 * m9
        c20, c21, c22 = m1 * m6 - m2 * m5, m2 * m4 - m0 * m6, m0 * m5 - m1 * m4
        sx, sy, sz = w[ln.SX + i], w[ln.SY + i], w[ln.SZ + i]
        nx, ny, nz = c00 * sx + c01 * sy + c02 * sz, c10 * sx + c11 * sy + c12 * sz, c20 * sx + c21 * sy + c22 * sz
        sx, sy, sz = w[ln.GX + i], w[ln.GY + i], w[ln.GZ + i]
        gx, gy, gz = c00 * sx + c01 * sy + c02 * sz, c10 * sx + c11 * sy + c12 * sz, c20 * sx + c21 * sy + c22 * sz
        scale = ONE / math.sqrt(gx * gx + gy * gy + gz * gz + f32(1e-30))
        gx, gy, gz = gx * scale, gy * scale, gz * scale
        scale = ONE / math.sqrt(nx * nx + ny * ny + nz * nz + f32(1e-30))
        nx, ny, nz = nx * scale, ny * scale, nz * scale
        dx, dy, dz = w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i]
        outside = -(gx * dx + gy * dy + gz * dz)
        w[ln.BEHIND + i] = ONE if outside < ZERO else ZERO
        flip = -ONE if outside < ZERO else ONE
        gx, gy, gz = gx * flip, gy * flip, gz * flip
        flip = -ONE if nx * gx + ny * gy + nz * gz < ZERO else ONE
        nx, ny, nz = nx * flip, ny * flip, nz * flip
        # A smooth normal that looks away from the viewer: fall back on the flat one.
        away = -(nx * dx + ny * dy + nz * dz) < f32(1e-3)
        nx, ny, nz = gx if away else nx, gy if away else ny, gz if away else nz
        facing = max(-(nx * dx + ny * dy + nz * dz), f32(1e-3))
        sign = ONE if nz >= ZERO else -ONE
        a = -ONE / (sign + nz)
        b = nx * ny * a
        tx, ty, tz = ONE + sign * nx * nx * a, sign * b, -sign * nx
        along_x, along_y, along_z = w[ln.AX + i], w[ln.AY + i], w[ln.AZ + i]
        into = along_x * nx + along_y * ny + along_z * nz
        along_x, along_y, along_z = along_x - into * nx, along_y - into * ny, along_z - into * nz
        length2 = along_x * along_x + along_y * along_y + along_z * along_z
        scale = ONE / math.sqrt(length2 + f32(1e-20))
        brushed = length2 > f32(1e-8)
        tx = along_x * scale if brushed else tx
        ty = along_y * scale if brushed else ty
        tz = along_z * scale if brushed else tz
        wx, wy, wz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
        ox, oy = -(tx * dx + ty * dy + tz * dz), -(wx * dx + wy * dy + wz * dz)
        scale = ONE / math.sqrt(ox * ox + oy * oy + facing * facing)
        w[OUT_X + i], w[OUT_Y + i], w[OUT_Z + i] = ox * scale, oy * scale, facing * scale
        w[ln.NX + i], w[ln.NY + i], w[ln.NZ + i] = nx, ny, nz
        w[ln.GX + i], w[ln.GY + i], w[ln.GZ + i] = gx, gy, gz
        w[ln.TX + i], w[ln.TY + i], w[ln.TZ + i] = tx, ty, tz
        w[ln.WX + i], w[ln.WY + i], w[ln.WZ + i] = wx, wy, wz
