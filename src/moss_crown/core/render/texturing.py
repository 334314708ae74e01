"""What a material is at a point: its texture's layers mixed, and the slope of its relief."""

from __future__ import annotations

import math

import numba
import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from moss_crown.core.compiling import external, inner
from moss_crown.core.look.mixing import APART, DEEPEST, RELIEF_STEP, dulled, mixed, painted, toned
from moss_crown.core.look.noise import noise
from moss_crown.core.look.patterns import layered, rubbed
from moss_crown.core.render import surfaces as su
from moss_crown.core.render.surfaces import BLOCK, ROW

_TEX, _PIC = su.TO_TEXTURE, su.TO_PICTURE


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
    px = row[_PIC] * x + row[_PIC + 1] * y + row[_PIC + 2] * z + row[_PIC + 3]
    py = row[_PIC + 4] * x + row[_PIC + 5] * y + row[_PIC + 6] * z + row[_PIC + 7]
    pz = row[_PIC + 8] * x + row[_PIC + 9] * y + row[_PIC + 10] * z + row[_PIC + 11]
    u = (px if front or upward else pz) / row[su.WIDTH] + 0.5
    v = 0.5 - (py if front or not upward else pz) / row[su.HEIGHT]
    tiling = row[su.TILING]
    dx, dy, dz = 0.0, 0.0, 0.0
    if row[su.COLOUR + 1] > 0:
        red, green, blue, there = _looked_up(memory, row, su.COLOUR, u, v, tiling)
        # Outside it there is nothing, and at the border of alpha its colour is not darkened.
        share = row[su.MIX] * there
        r = r * (1.0 - share) + share * red * row[su.TINT_R]
        g = g * (1.0 - share) + share * green * row[su.TINT_G]
        b = b * (1.0 - share) + share * blue * row[su.TINT_B]
    if row[su.ROUGHNESS + 1] > 0:
        red, green, blue, there = _looked_up(memory, row, su.ROUGHNESS, u, v, tiling)
        share = row[su.ROUGH_SHARE] * there
        rough = rough * (1.0 - share) + share * painted(red, green, blue)
    if row[su.BUMP + 1] > 0:
        tu, tv = 1.0 / row[su.BUMP + 1], 1.0 / row[su.BUMP + 2]
        here = _height(memory, row, u, v, tiling)
        along = (_height(memory, row, u + tu, v, tiling) - here) * row[su.BUMP_HEIGHT] / (tu * row[su.WIDTH])
        up = (_height(memory, row, u, v - tv, tiling) - here) * row[su.BUMP_HEIGHT] / (tv * row[su.HEIGHT])
        sx = along if front or upward else 0.0
        sy = up if front or not upward else 0.0
        sz = 0.0 if front else (up if upward else along)
        dx = row[_PIC] * sx + row[_PIC + 4] * sy + row[_PIC + 8] * sz
        dy = row[_PIC + 1] * sx + row[_PIC + 5] * sy + row[_PIC + 9] * sz
        dz = row[_PIC + 2] * sx + row[_PIC + 6] * sy + row[_PIC + 10] * sz
    return r, g, b, rough, dx, dy, dz


@inner
def _height(memory, row, u, v, tiling):
    red, green, blue, there = _looked_up(memory, row, su.BUMP, u, v, tiling)
    return painted(red, green, blue) * there


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
    px = rows[m, _TEX] * x + rows[m, _TEX + 1] * y + rows[m, _TEX + 2] * z + rows[m, _TEX + 3]
    py = rows[m, _TEX + 4] * x + rows[m, _TEX + 5] * y + rows[m, _TEX + 6] * z + rows[m, _TEX + 7]
    pz = rows[m, _TEX + 8] * x + rows[m, _TEX + 9] * y + rows[m, _TEX + 10] * z + rows[m, _TEX + 11]
    kind, amount, contrast = rows[m, su.PATTERN], rows[m, su.AMOUNT], rows[m, su.CONTRAST]
    # Laid on the surface by the side that its normal looks to.
    front = 3.0 * nz * nz >= nx * nx + ny * ny
    upward = abs(ny) > abs(nx)
    deep = rows[m, su.RELIEF] * DEEPEST
    second, tone, height = 0.0, 0.0, 0.0
    sx, sy, sz = 0.0, 0.0, 0.0
    # One place that calls the pattern: every further one would be compiled all over again.
    for k in range(0 if kind == 0.0 else 4 if relief and deep > 0.0 else 1):
        tx, ty, tz = px + RELIEF_STEP * (k == 1), py + RELIEF_STEP * (k == 2), pz + RELIEF_STEP * (k == 3)
        p = tx if front or upward else tz
        q = ty if front or not upward else tz
        w, t, h = layered(kind, tx, ty, tz, p, q, amount, contrast)
        if k == 0:
            second, tone, height = w, t, h
        elif k == 1:
            sx = (h - height) / RELIEF_STEP * deep
        elif k == 2:
            sy = (h - height) / RELIEF_STEP * deep
        else:
            sz = (h - height) / RELIEF_STEP * deep
    wear = rows[m, su.WEAR]
    if kind > 0.0 and wear > 0.0 and bevel:
        second = max(second, rubbed(wear, px, py, pz))
    strength = rows[m, su.TONE]
    r = toned(mixed(rows[m, su.RED], rows[m, su.LAYER_RED], second), strength, tone)
    g = toned(mixed(rows[m, su.GREEN], rows[m, su.LAYER_GREEN], second), strength, tone)
    b = toned(mixed(rows[m, su.BLUE], rows[m, su.LAYER_BLUE], second), strength, tone)
    metal = mixed(rows[m, su.METAL], rows[m, su.LAYER_METAL], second)
    rough = dulled(mixed(rows[m, su.ROUGH], rows[m, su.LAYER_ROUGH], second), strength, tone)
    dx, dy, dz = 0.0, 0.0, 0.0
    if relief and deep > 0.0:
        # Back to the title's axes by the transpose. The units cancel out: a unit is as high as it is wide.
        scale = 1.0 / np.sqrt(rows[m, _TEX] ** 2 + rows[m, _TEX + 1] ** 2 + rows[m, _TEX + 2] ** 2 + 1e-12)
        dx = (rows[m, _TEX] * sx + rows[m, _TEX + 4] * sy + rows[m, _TEX + 8] * sz) * scale
        dy = (rows[m, _TEX + 1] * sx + rows[m, _TEX + 5] * sy + rows[m, _TEX + 9] * sz) * scale
        dz = (rows[m, _TEX + 2] * sx + rows[m, _TEX + 6] * sy + rows[m, _TEX + 10] * sz) * scale
    if rows[m, su.PICTURED] > 0.0:
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
