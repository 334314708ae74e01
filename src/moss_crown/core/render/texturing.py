"""What a material is at a point: its texture's layers mixed, and the slope of its relief."""

from __future__ import annotations

import math

import numba
import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from moss_crown.core.compiling import external, inner
from moss_crown.core.look.noise import noise
from moss_crown.core.look.patterns import layered, worn
from moss_crown.core.render.tables import BLOCK, ROW

_STEP = 0.004
"""How far apart, in units of the texture, the relief is compared."""
_DEEPEST = 0.22
"""Units of the texture that a relief of 1 is high."""
APART = (3.71, 1.93, 2.47)
"""How far apart in the textures' space letters begin, where each begins afresh."""


@inner
def _tile(at, tiling):
    """A place along one side of a picture, 0 to 1 across it, where it lies by its tiling; below 0 where it does not."""
    if tiling == 0.0:
        return at - math.floor(at)
    if tiling == 1.0:
        far = at - 2.0 * math.floor(at / 2.0)
        return 2.0 - far if far > 1.0 else far
    return at if 0.0 <= at <= 1.0 else -1.0


@inner
def _looked_up(memory, row, slot, u, v, tiling):
    """Red, green, blue and alpha of a picture between its four nearest pixels; nothing where it does not lie."""
    u, v = _tile(u, tiling), _tile(v, tiling)
    if u < 0.0 or v < 0.0:
        return 0.0, 0.0, 0.0, 0.0
    begin, width, height = int(row[slot]) * BLOCK, int(row[slot + 1]), int(row[slot + 2])
    pixels = numba.carray(memory, (begin + 4 * width * height,))
    px, py = u * width - 0.5, v * height - 0.5
    x0, y0 = math.floor(px), math.floor(py)
    across, down = px - x0, py - y0
    r, g, b, a = 0.0, 0.0, 0.0, 0.0
    for j in range(2):
        for i in range(2):
            share = (across if i else 1.0 - across) * (down if j else 1.0 - down)
            x, y = x0 + i, y0 + j
            if tiling == 0.0:
                x, y = x % width, y % height
            x, y = min(max(x, 0), width - 1), min(max(y, 0), height - 1)
            at = begin + 4 * (y * width + x)
            r, g = r + share * pixels[at], g + share * pixels[at + 1]
            b, a = b + share * pixels[at + 2], a + share * pixels[at + 3]
    return r, g, b, a


@inner
def _pictured(memory, row, x, y, z, front, upward, r, g, b, rough):
    """Colour and roughness under the pictures of a material, and the slope of their bumps in the title's axes."""
    px = row[63] * x + row[64] * y + row[65] * z + row[66]
    py = row[67] * x + row[68] * y + row[69] * z + row[70]
    pz = row[71] * x + row[72] * y + row[73] * z + row[74]
    u = (px if front or upward else pz) / row[75] + 0.5
    v = 0.5 - (py if front or not upward else pz) / row[76]
    tiling = row[47]
    dx, dy, dz = 0.0, 0.0, 0.0
    if row[49] > 0:
        red, green, blue, there = _looked_up(memory, row, 48, u, v, tiling)
        # Outside it there is nothing, and at the border of alpha its colour is not darkened.
        share = row[57] * there
        r = r * (1.0 - share) + share * red * row[58]
        g = g * (1.0 - share) + share * green * row[59]
        b = b * (1.0 - share) + share * blue * row[60]
    if row[52] > 0:
        red, green, blue, there = _looked_up(memory, row, 51, u, v, tiling)
        share = row[61] * there
        rough = rough * (1.0 - share) + share * _encoded(red, green, blue)
    if row[55] > 0:
        tu, tv = 1.0 / row[55], 1.0 / row[56]
        here = _height(memory, row, u, v, tiling)
        along = (_height(memory, row, u + tu, v, tiling) - here) * row[62] / (tu * row[75])
        up = (_height(memory, row, u, v - tv, tiling) - here) * row[62] / (tv * row[76])
        sx = along if front or upward else 0.0
        sy = up if front or not upward else 0.0
        sz = 0.0 if front else (up if upward else along)
        dx = row[63] * sx + row[67] * sy + row[71] * sz
        dy = row[64] * sx + row[68] * sy + row[72] * sz
        dz = row[65] * sx + row[69] * sy + row[73] * sz
    return r, g, b, rough, dx, dy, dz


@inner
def _height(memory, row, u, v, tiling):
    red, green, blue, there = _looked_up(memory, row, 54, u, v, tiling)
    return _encoded(red, green, blue) * there


@inner
def _encoded(red, green, blue):
    """Grey as it is painted: pictures of roughness and height are meant by their numbers, not by their light (sRGB,
    IEC 61966-2-1)."""
    light = 0.2126 * red + 0.7152 * green + 0.0722 * blue
    return 12.92 * light if light <= 0.0031308 else 1.055 * light ** (1.0 / 2.4) - 0.055


@external("moss_crown_textured", types.void(types.CPointer(types.float32), types.intp, types.CPointer(types.float32)))
def _textured(all_rows, m, all_point):
    """The material m at a point of the title.

    `point` holds x, y, z (metres), the normal there, whether it is on a bevel, whether relief is wanted, and the number
    of the letter where textures begin afresh on each. It is filled with colour (3), metal, roughness, and the slope of
    the relief in the title's axes.
    """
    rows = numba.carray(all_rows, (m + 1, ROW))
    point = numba.carray(all_point, (9,))
    x, y, z, nx, ny, nz = point[0], point[1], point[2], point[3], point[4], point[5]
    bevel, relief = point[6] > 0, point[7] > 0
    px = rows[m, 24] * x + rows[m, 25] * y + rows[m, 26] * z + rows[m, 27]
    py = rows[m, 28] * x + rows[m, 29] * y + rows[m, 30] * z + rows[m, 31]
    pz = rows[m, 32] * x + rows[m, 33] * y + rows[m, 34] * z + rows[m, 35]
    kind, amount, contrast = rows[m, 12], rows[m, 13], rows[m, 14]
    # Laid on the surface by the side that its normal looks to.
    front = 3.0 * nz * nz >= nx * nx + ny * ny
    upward = abs(ny) > abs(nx)
    deep = rows[m, 16] * _DEEPEST
    second, tone, height = 0.0, 0.0, 0.0
    sx, sy, sz = 0.0, 0.0, 0.0
    # One place that calls the pattern: every further one would be compiled all over again.
    for k in range(0 if kind == 0.0 else 4 if relief and deep > 0.0 else 1):
        tx, ty, tz = px + _STEP * (k == 1), py + _STEP * (k == 2), pz + _STEP * (k == 3)
        p = tx if front or upward else tz
        q = ty if front or not upward else tz
        w, t, h = layered(kind, tx, ty, tz, p, q, amount, contrast)
        if k == 0:
            second, tone, height = w, t, h
        elif k == 1:
            sx = (h - height) / _STEP * deep
        elif k == 2:
            sy = (h - height) / _STEP * deep
        else:
            sz = (h - height) / _STEP * deep
    wear = rows[m, 17]
    if kind > 0.0 and wear > 0.0 and bevel:
        second = max(second, worn(wear, px, py, pz))
    light = max(1.0 + rows[m, 15] * tone, 0.0)
    first = 1.0 - second
    r = min((rows[m, 0] * first + rows[m, 18] * second) * light, 1.0)
    g = min((rows[m, 1] * first + rows[m, 19] * second) * light, 1.0)
    b = min((rows[m, 2] * first + rows[m, 20] * second) * light, 1.0)
    metal = rows[m, 3] * first + rows[m, 21] * second
    rough = min(max(rows[m, 4] * first + rows[m, 22] * second - 0.12 * rows[m, 15] * tone, 0.0), 1.0)
    dx, dy, dz = 0.0, 0.0, 0.0
    if relief and deep > 0.0:
        # Back to the title's axes by the transpose. The units cancel out: a unit is as high as it is wide.
        scale = 1.0 / np.sqrt(rows[m, 24] ** 2 + rows[m, 25] ** 2 + rows[m, 26] ** 2 + 1e-12)
        dx = (rows[m, 24] * sx + rows[m, 28] * sy + rows[m, 32] * sz) * scale
        dy = (rows[m, 25] * sx + rows[m, 29] * sy + rows[m, 33] * sz) * scale
        dz = (rows[m, 26] * sx + rows[m, 30] * sy + rows[m, 34] * sz) * scale
    if rows[m, 46] > 0.0:
        own = point[8]
        x, y, z = x - own * APART[0], y - own * APART[1], z - own * APART[2]
        r, g, b, rough, ex, ey, ez = _pictured(all_rows, rows[m], x, y, z, front, upward, r, g, b, rough)
        dx, dy, dz = dx + ex, dy + ey, dz + ez
    point[0], point[1], point[2], point[3], point[4] = r, g, b, metal, rough
    point[5], point[6], point[7] = dx, dy, dz


def textures() -> int:
    """The address of `_textured`, for `textured`, compiled with all patterns when something first asks."""
    noise.link()
    address: int = _textured.link()
    return address


@intrinsic
def textured(typing, function, rows, m, point):
    """What `_textured` at an address of it does with the addresses of `rows` and of `point`. By the address, so that
    kernels do not wait for the patterns to be compiled."""

    def code(context, builder, signature, arguments):
        kind = ir.FunctionType(ir.VoidType(), [argument.type for argument in arguments[1:]])
        builder.call(builder.inttoptr(arguments[0], kind.as_pointer()), arguments[1:])
        return context.get_dummy_value()

    return types.void(*(types.intp,) * 4), code
