"""What a material is at a point: its texture's layers mixed, and the slope of its relief."""

from __future__ import annotations

import numba
import numpy as np
from llvmlite import binding
from numba import types

from moss_crown.core.look.patterns import layered, worn
from moss_crown.core.render.tables import ROW

_STEP = 0.004
"""How far apart, in units of the texture, the relief is compared."""
_DEEPEST = 0.22
"""Units of the texture that a relief of 1 is high."""


@numba.cfunc(types.void(types.CPointer(types.float32), types.intp, types.CPointer(types.float32)), cache=True)
def _textured(all_rows, m, all_point):
    """The material m at a point of the title.

    `point` holds x, y, z (metres), the normal there, whether it is on a bevel, and whether relief is wanted. It is
    filled with colour (3), metal, roughness, and the slope of the relief in the title's axes.
    """
    rows = numba.carray(all_rows, (m + 1, ROW))
    point = numba.carray(all_point, (8,))
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
    for k in range(4 if relief and deep > 0.0 else 1):
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
    if wear > 0.0 and bevel:
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
    point[0], point[1], point[2], point[3], point[4] = r, g, b, metal, rough
    point[5], point[6], point[7] = dx, dy, dz


binding.add_symbol("moss_crown_textured", _textured.address)
textured = types.ExternalFunction("moss_crown_textured", types.void(types.intp, types.intp, types.intp))
"""textured(rows, m, point) from numba, with the addresses of `rows` and of `point` (8): see `_textured`. Called by its
address, so that the patterns are not compiled once more into each kernel."""
