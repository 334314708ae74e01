"""The workspace of a render thread: LANES paths side by side, each quantity a row of one flat float32 array.

One array with rows at fixed places, rather than an array a quantity, lets the compiler see that rows never overlap, so
that it turns loops over lanes into vector code. Lanes are counted up to a multiple of PAD: the last, scalar turns of a
loop could round differently, and a path must give the same bits wherever in the workspace it happens to lie.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

LANES = 512
PAD = 64
PITCH = LANES + 16
"""From row to row: not a power of two, or one lane of all rows would fall into one set of a processor's cache."""

_next = iter(range(0, 1 << 20, PITCH))


def _rows(count: int) -> list[int]:
    return [next(_next) for _ in range(count)]


# The path: where it is and where it looks, when, what it has let through, and with which density it was drawn.
OX, OY, OZ, DX, DY, DZ, TIME = _rows(7)
TR, TG, TB, DENSITY, ALIVE, BOUNCES, SPREAD = _rows(7)
SPLIT_R, SPLIT_G, SPLIT_B = _rows(3)  # the diffuse share at its first surface
MEDIUM_R, MEDIUM_G, MEDIUM_B = _rows(3)  # what a metre of the glass it is in takes away
# The hit surface: distance, normal at rest and flat one, its pose, axis of brushing, then the frame in the world.
FAR, SX, SY, SZ, GX, GY, GZ, BU, BV = _rows(9)
M0, M1, M2, M4, M5, M6, M8, M9, M10 = _rows(9)
AX, AY, AZ = _rows(3)
NX, NY, NZ, TX, TY, TZ, WX, WY, WZ = _rows(9)
OUT_X, OUT_Y, OUT_Z, BEHIND = _rows(4)
# Glass: its share, index of refraction, whether it is a thin sheet, its tint, and whether this path meets it as glass.
CLEARNESS, INDEX, THIN, TINT_R, TINT_G, TINT_B, GLASS = _rows(7)
# Its material, then what `settle` makes of it.
RED, GREEN, BLUE, METAL, ROUGH, CLEAR, COAT, COAT_ROUGH, SHEEN, BRUSHED, GLOW_R, GLOW_G, GLOW_B = _rows(13)
F0_R, F0_G, F0_B, MULTI_R, MULTI_G, MULTI_B, DIFF_R, DIFF_G, DIFF_B = _rows(9)
GRAZING, CLEAR_GRAZING = _rows(2)  # Fresnel's factor at a grazing angle: of all, and of what is no metal
ALPHA_X, ALPHA_Y, MISSING, LEVEL, CLEAR_MULTI = _rows(5)
COAT_ALPHA, COAT_LEVEL, COAT_NORM, SHEEN_NORM = _rows(4)
A_OUT, B_OUT, UNDER_OUT, COAT_OUT, SHEEN_OUT, SPECULAR_SHARE, COAT_SHARE = _rows(7)
# Light towards it: direction in the world and in its frame, density, radiance, how far to look for what is in the way,
# and what share of it nothing keeps away.
LX, LY, LZ, CHANCE, LIGHT_R, LIGHT_G, LIGHT_B, REACH, SHARE = _rows(9)
IN_X, IN_Y, IN_Z = _rows(3)
# Scattering: lobes on their own, then the sum and its density.
LOBE, AGAIN, BASE, OVER, FRESNEL, HALF_Z, EVEN_R, EVEN_G, EVEN_B, OUT_R, OUT_G, OUT_B, DRAWN = _rows(13)
A_IN, B_IN, A_COAT, B_COAT, C_SHEEN, MEAN_A, MEAN_B, COAT_MEAN_A, COAT_MEAN_B = _rows(9)
PLACE, DOWN, ALONG = _rows(3)  # where a table is looked up: its pair, and how far on from it
U, V = _rows(2)
WHICH, SURVIVES = _rows(2)  # the numbers that choose a light, and whether the path goes on
# A guide: the share of directions that it draws here, whether it draws this one, and how much rarer the material would.
GUIDED, TURNED, RATIO = _rows(3)
SIZE = next(_next)

# Whole numbers, in a uint32 array of the same kind. LAST_INSTANCE and LAST_FACET: where the path came from. PICK: lanes
# that get a ray. SIDE: to which of six sides the surface looks. KEY: a hash of the pixel; SEQUENCE, ORDER, WITHIN:
# where its samples come from. CELL: its place in a guide. MISSED, SHONE,
# MET: lanes whose rays met nothing, a lamp, a surface.
PIXEL, KEY, SEQUENCE, ORDER, WITHIN, INSTANCE, FACET, PIECE = (k * PITCH for k in range(8))
MATERIAL, LAST_INSTANCE, LAST_FACET, LAMP, PICK, SIDE, CELL = (k * PITCH for k in range(8, 15))
MISSED, SHONE, MET = (k * PITCH for k in range(15, 18))
WHOLE_SIZE = 18 * PITCH


def workspace() -> tuple[NDArray[np.float32], NDArray[np.uint32]]:
    return np.zeros(SIZE, np.float32), np.zeros(WHOLE_SIZE, np.uint32)
