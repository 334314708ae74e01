"""Noise in space, for the textures.

These functions and those of `patterns` are the one source of every texture: compiled by numba for the renderer, and
written out as GLSL for the draft (`glsl`). They keep to what both can say: numbers, `math`, conditional expressions,
`for` over a constant range, and other functions of the two modules. Only `lattice` exists twice, since it needs whole
numbers; the GLSL twin stands in `glsl`.
"""

from __future__ import annotations

import math

import numpy as np
from numba import types

from moss_crown.core.compiling import external, inner_of_floats

u32 = np.uint32


@inner_of_floats
def lattice(x, y, z, seed):
    """A number in [0, 1) for a point with whole coordinates: an integer hash (Wellons, hash-prospector)."""
    h = u32(u32(int(x)) * u32(0x8DA6B343)) + u32(u32(int(y)) * u32(0xD8163841))
    h = u32(u32(h) + u32(u32(int(z)) * u32(0xCB1AB31F)) + u32(u32(int(seed)) * u32(0x165667B1)))
    h = u32(u32(h ^ (h >> u32(16))) * u32(0x21F0AAAD))
    h = u32(u32(h ^ (h >> u32(15))) * u32(0xD35A2D97))
    h = u32(h ^ (h >> u32(15)))
    return (h >> u32(8)) * (1.0 / 16777216.0)


@inner_of_floats
def fraction(x):
    return x - np.floor(x)


@inner_of_floats
def ramp(low, high, x):
    """0 below `low`, 1 above `high`, smooth between."""
    t = min(max((x - low) / (high - low), 0.0), 1.0)
    return t * t * (3.0 - 2.0 * t)


@inner_of_floats
def slope(h, x, y, z):
    """The dot product with one of twelve gradients (Perlin, Improving Noise, 2002)."""
    k = math.floor(h * 16.0)
    u = x if k < 8.0 else y
    v = y if k < 4.0 else (x if k == 12.0 else (x if k == 14.0 else z))
    a = u if fraction(k * 0.5) < 0.25 else -u
    b = v if fraction(math.floor(k * 0.5) * 0.5) < 0.25 else -v
    return a + b


@inner_of_floats
def fade(t):
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


@inner_of_floats
def blend(a, b, t):
    return a + (b - a) * t


@external("moss_crown_noise", types.float64(*(types.float64,) * 4))
def noise(x, y, z, seed):
    """Gradient noise (Perlin, 2002): smooth, about -1 to 1, features one unit large."""
    i = math.floor(x)
    j = math.floor(y)
    k = math.floor(z)
    u = x - i
    v = y - j
    w = z - k
    a = fade(u)
    b = fade(v)
    c = fade(w)
    n000 = slope(lattice(i, j, k, seed), u, v, w)
    n100 = slope(lattice(i + 1.0, j, k, seed), u - 1.0, v, w)
    n010 = slope(lattice(i, j + 1.0, k, seed), u, v - 1.0, w)
    n110 = slope(lattice(i + 1.0, j + 1.0, k, seed), u - 1.0, v - 1.0, w)
    n001 = slope(lattice(i, j, k + 1.0, seed), u, v, w - 1.0)
    n101 = slope(lattice(i + 1.0, j, k + 1.0, seed), u - 1.0, v, w - 1.0)
    n011 = slope(lattice(i, j + 1.0, k + 1.0, seed), u, v - 1.0, w - 1.0)
    n111 = slope(lattice(i + 1.0, j + 1.0, k + 1.0, seed), u - 1.0, v - 1.0, w - 1.0)
    low = blend(blend(n000, n100, a), blend(n010, n110, a), b)
    high = blend(blend(n001, n101, a), blend(n011, n111, a), b)
    return blend(low, high, c)


@inner_of_floats
def clouds(x, y, z, seed):
    """Four octaves of noise, about -1 to 1. Each octave is turned and shifted: no lattice shows."""
    total = noise(x, y, z, seed)
    total += 0.5 * noise(x * 1.62 + y * 1.17 + 11.3, y * 1.62 - x * 1.17, z * 2.03 + 5.1, seed + 1.0)
    total += 0.25 * noise(x * 1.1 - z * 3.9, y * 4.07 + 3.7, z * 1.1 + x * 3.9, seed + 2.0)
    total += 0.125 * noise(x * 8.11 + 1.9, y * 5.3 + z * 6.1, z * 5.3 - y * 6.1, seed + 3.0)
    return total * 0.8


@inner_of_floats
def cells(x, y, z, seed):
    """Points scattered one a unit (Worley, 1996): distance to the nearest and to the second, and a number 0 to 1 that
    is the nearest one's own."""
    i = math.floor(x)
    j = math.floor(y)
    k = math.floor(z)
    first = 9.0
    second = 9.0
    own = 0.0
    for a in range(-1, 2):
        for b in range(-1, 2):
            for c in range(-1, 2):
                h = lattice(i + a, j + b, k + c, seed)
                dx = i + a + fraction(h * 127.0) - x
                dy = j + b + fraction(h * 1021.0) - y
                dz = k + c + fraction(h * 8191.0) - z
                d = dx * dx + dy * dy + dz * dz
                second = d if d < second else second
                if d < first:
                    second = first
                    first = d
                    own = h
    return math.sqrt(first), math.sqrt(second), own
