"""Glass: light that a clear surface lets through, solid with its tint, or thin like a sheet.

A rough dielectric boundary (Walter et al. 2007) with the exact Fresnel equations, drawn by visible normals (Dupuy and
Benyoub 2023). A path meets a surface that is partly glass as glass by that chance. Light is not sampled there: it is
found by the directions that the glass sends paths in, which lamps and environment lie open to.
"""

from __future__ import annotations

import math

import numpy as np

from moss_crown.core.render import lanes as ln
from moss_crown.core.render import surfaces as su
from moss_crown.core.render.arithmetic import HALF, ONE, TWO, ZERO, circle, f32, inlined, kernel
from moss_crown.core.render.shading import visible_normal
from moss_crown.core.render.tables import GLASS_COSINES, GLASS_LEVELS, INDICES

CERTAIN = f32(1e15)
"""The density of a direction that no sampling of lights could have drawn."""


@kernel
def glass_rows(rows, w, q, n):
    """What each lane's material is as glass."""
    for i in range(n):
        material = q[ln.MATERIAL + i]
        w[ln.CLEARNESS + i], w[ln.INDEX + i], w[ln.THIN + i] = (
            rows[material, su.CLEARNESS],
            rows[material, su.INDEX],
            rows[material, su.THIN],
        )
        w[ln.TINT_R + i], w[ln.TINT_G + i], w[ln.TINT_B + i] = (
            rows[material, su.TAKEN_R],
            rows[material, su.TAKEN_G],
            rows[material, su.TAKEN_B],
        )


@kernel
def absorb(w, n):
    """Take away what the glass that a path came through keeps (Beer and Lambert)."""
    for i in range(n):
        if w[ln.MEDIUM_R + i] + w[ln.MEDIUM_G + i] + w[ln.MEDIUM_B + i] > ZERO:
            far = w[ln.FAR + i]
            w[ln.TR + i] *= math.exp(-w[ln.MEDIUM_R + i] * far)
            w[ln.TG + i] *= math.exp(-w[ln.MEDIUM_G + i] * far)
            w[ln.TB + i] *= math.exp(-w[ln.MEDIUM_B + i] * far)


@kernel
def meet(w, n):
    """Whether lanes meet their surface as glass, by U."""
    for i in range(n):
        w[ln.GLASS + i] = ONE if w[ln.U + i] < w[ln.CLEARNESS + i] else ZERO


@kernel
def fresnel(cosine, eta):
    """Reflectance of a boundary, unpolarised; `eta` is the index beyond it over that before it."""
    sine2 = (ONE - cosine * cosine) / (eta * eta)
    if sine2 >= ONE:
        return ONE
    through = math.sqrt(ONE - sine2)
    parallel = (eta * cosine - through) / (eta * cosine + through)
    across = (cosine - eta * through) / (cosine + eta * through)
    return (parallel * parallel + across * across) * HALF


@inlined
def _sent(table, side, index, roughness, cosine):
    """The share of light that a boundary sends on (see `tables.compute_glass`), linear between entries."""
    a = min(max((index - ONE) * HALF, ZERO), f32(0.9999)) * f32(INDICES - 1)
    b = min(max(roughness, ZERO), f32(0.9999)) * f32(GLASS_LEVELS - 1)
    c = min(max(cosine, ZERO), f32(0.9999)) * f32(GLASS_COSINES - 1)
    i, j, k = np.uint32(a), np.uint32(b), np.uint32(c)
    a, b, c = a - f32(i), b - f32(j), c - f32(k)
    one = np.uint32(1)
    near = (table[side, i, j, k] * (ONE - c) + table[side, i, j, k + one] * c) * (ONE - b) + (
        table[side, i, j + one, k] * (ONE - c) + table[side, i, j + one, k + one] * c
    ) * b
    far = (table[side, i + one, j, k] * (ONE - c) + table[side, i + one, j, k + one] * c) * (ONE - b) + (
        table[side, i + one, j + one, k] * (ONE - c) + table[side, i + one, j + one, k + one] * c
    ) * b
    return near * (ONE - a) + far * a


@kernel
def send(w, table, n):
    """Where glass sends the lanes that meet it, from U, V and SURVIVES: a direction into LX.., throughput into
    LIGHT_R.., and into REACH 1 where it goes through. Before the lanes go on."""
    for i in range(n):
        if w[ln.GLASS + i] <= ZERO:
            continue
        ox, oy, oz = w[ln.OUT_X + i], w[ln.OUT_Y + i], w[ln.OUT_Z + i]
        ax, ay = w[ln.ALPHA_X + i], w[ln.ALPHA_Y + i]
        cosine, sine = circle(w[ln.V + i])
        hx, hy, hz = visible_normal(ox, oy, oz, ax, ay, w[ln.U + i], cosine, sine)
        facing = min(max(ox * hx + oy * hy + oz * hz, f32(1e-6)), ONE)
        inside = w[ln.BEHIND + i] > ZERO
        thin = w[ln.THIN + i] > ZERO
        eta = ONE / w[ln.INDEX + i] if inside and not thin else w[ln.INDEX + i]
        back = fresnel(facing, eta)
        if thin:  # to and fro between both sides of the sheet
            back = TWO * back / (ONE + back)
        if w[ln.SURVIVES + i] < back:
            ix, iy, iz = TWO * facing * hx - ox, TWO * facing * hy - oy, TWO * facing * hz - oz
            through = False
            ok = iz > f32(1e-4)
        elif thin:
            # Straight on, spread as the reflection would be, to the other side.
            ix, iy, iz = TWO * facing * hx - ox, TWO * facing * hy - oy, -(TWO * facing * hz - oz)
            through = True
            ok = iz < -f32(1e-4)
        else:
            inverse = ONE / eta
            beyond = math.sqrt(max(ONE - (ONE - facing * facing) * inverse * inverse, ZERO))
            turn = facing * inverse - beyond
            ix, iy, iz = turn * hx - ox * inverse, turn * hy - oy * inverse, turn * hz - oz * inverse
            through = True
            ok = iz < -f32(1e-4)
        # The weight of a draw by visible normals: the masking of the direction that it goes on in, beside that of o.
        ax, ay = ax * ax, ay * ay
        root_o = (math.sqrt(ax * ox * ox + ay * oy * oy + oz * oz) - oz) / (TWO * oz)
        up = max(abs(iz), f32(1e-4))
        root_i = (math.sqrt(ax * ix * ix + ay * iy * iy + up * up) - up) / (TWO * up)
        kept = (ONE + root_o) / (ONE + root_o + root_i) if ok else ZERO
        # What is lost between the facets of a rough boundary comes back evenly.
        if thin:
            kept = kept / max(w[ln.A_OUT + i], f32(0.05))
        else:
            kept = kept / _sent(table, 1 if inside else 0, w[ln.INDEX + i], w[ln.ROUGH + i], oz)
        w[ln.LX + i] = w[ln.TX + i] * ix + w[ln.WX + i] * iy + w[ln.NX + i] * iz
        w[ln.LY + i] = w[ln.TY + i] * ix + w[ln.WY + i] * iy + w[ln.NY + i] * iz
        w[ln.LZ + i] = w[ln.TZ + i] * ix + w[ln.WZ + i] * iy + w[ln.NZ + i] * iz
        r, g, b = kept, kept, kept
        if through and thin:
            r, g, b = r * w[ln.RED + i], g * w[ln.GREEN + i], b * w[ln.BLUE + i]
        w[ln.LIGHT_R + i], w[ln.LIGHT_G + i], w[ln.LIGHT_B + i] = (
            w[ln.TR + i] * r,
            w[ln.TG + i] * g,
            w[ln.TB + i] * b,
        )
        w[ln.REACH + i] = ONE if through else ZERO


@kernel
def take(w, n, lift):
    """The lanes that met glass go on as `send` said, those that went through from the other side of the surface."""
    for i in range(n):
        if w[ln.GLASS + i] <= ZERO:
            continue
        dx, dy, dz = w[ln.LX + i], w[ln.LY + i], w[ln.LZ + i]
        through = w[ln.REACH + i] > ZERO
        flat = dx * w[ln.GX + i] + dy * w[ln.GY + i] + dz * w[ln.GZ + i]
        # A smooth normal may send it to the wrong side of the flat triangle: mirrored there, it is not lost.
        wrong = TWO * flat if through == (flat > ZERO) else ZERO
        w[ln.DX + i] = dx - wrong * w[ln.GX + i]
        w[ln.DY + i] = dy - wrong * w[ln.GY + i]
        w[ln.DZ + i] = dz - wrong * w[ln.GZ + i]
        r, g, b = w[ln.LIGHT_R + i], w[ln.LIGHT_G + i], w[ln.LIGHT_B + i]
        w[ln.TR + i], w[ln.TG + i], w[ln.TB + i] = r, g, b
        w[ln.DENSITY + i] = CERTAIN
        w[ln.SPLIT_R + i], w[ln.SPLIT_G + i], w[ln.SPLIT_B + i] = ZERO, ZERO, ZERO
        w[ln.ALIVE + i] = r + g + b
        if through:
            far = max(ONE, max(abs(w[ln.OX + i]), max(abs(w[ln.OY + i]), abs(w[ln.OZ + i]))))
            down = TWO * lift * far
            w[ln.OX + i] -= w[ln.GX + i] * down
            w[ln.OY + i] -= w[ln.GY + i] * down
            w[ln.OZ + i] -= w[ln.GZ + i] * down
            solid = w[ln.THIN + i] <= ZERO and w[ln.BEHIND + i] <= ZERO
            w[ln.MEDIUM_R + i] = w[ln.TINT_R + i] if solid else ZERO
            w[ln.MEDIUM_G + i] = w[ln.TINT_G + i] if solid else ZERO
            w[ln.MEDIUM_B + i] = w[ln.TINT_B + i] if solid else ZERO
