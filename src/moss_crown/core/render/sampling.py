"""Low-discrepancy samples: a (0, 2)-sequence, shuffled and Owen-scrambled by hashing, padded dimension by dimension.

Burley, "Practical Hash-based Owen Scrambling", JCGT 9(4), 2020; the hash is Vegdahl's (2021). XOR scrambling alone
would leave dimensions correlated. Every sample depends only on (seed, frame, x, y, index, dimension), so the order in
which pixels, frames and processes run changes nothing.
"""

from __future__ import annotations

import math

import numba
import numpy as np
from numpy.typing import NDArray

u32 = np.uint32
MOST_SAMPLES = 4096
_MASK = u32(MOST_SAMPLES - 1)
_TO_UNIT = np.float32(1.0 / 16777216.0)


def _second_dimension() -> NDArray[np.uint32]:
    """The second Sobol dimension for the first MOST_SAMPLES indices (primitive polynomial x + 1), bits reversed."""
    column = np.zeros(32, np.uint64)
    column[0] = 1 << 31
    for k in range(1, 32):
        column[k] = column[k - 1] ^ (column[k - 1] >> np.uint64(1))
    points = np.zeros(MOST_SAMPLES, np.uint64)
    for bit in range(MOST_SAMPLES.bit_length() - 1):
        chosen = (np.arange(MOST_SAMPLES) >> bit) & 1 == 1
        points[chosen] ^= column[bit]
    reversed_bits = np.zeros(MOST_SAMPLES, np.uint64)
    for bit in range(32):
        reversed_bits |= ((points >> np.uint64(bit)) & np.uint64(1)) << np.uint64(31 - bit)
    return reversed_bits.astype(np.uint32)


SECOND = _second_dimension()


@numba.njit(cache=True, inline="always")
def reverse_bits(x):
    x = u32((x >> u32(16)) | (x << u32(16)))
    x = u32(((x & u32(0xFF00FF00)) >> u32(8)) | ((x & u32(0x00FF00FF)) << u32(8)))
    x = u32(((x & u32(0xF0F0F0F0)) >> u32(4)) | ((x & u32(0x0F0F0F0F)) << u32(4)))
    x = u32(((x & u32(0xCCCCCCCC)) >> u32(2)) | ((x & u32(0x33333333)) << u32(2)))
    return u32(((x & u32(0xAAAAAAAA)) >> u32(1)) | ((x & u32(0x55555555)) << u32(1)))


@numba.njit(cache=True, inline="always")
def scramble_reversed(x, seed):
    """Owen scrambling of a bit-reversed number: each bit flips by a hash of the bits below it."""
    x = u32(x ^ u32(x * u32(0x3D20ADEA)))
    x = u32(x + seed)
    x = u32(x * u32((seed >> u32(16)) | u32(1)))
    x = u32(x ^ u32(x * u32(0x05526C56)))
    return u32(x ^ u32(x * u32(0x53A22864)))


@numba.njit(cache=True, inline="always")
def mix(x):
    """A 32-bit finaliser (Wellons, hash-prospector)."""
    x = u32(x ^ (x >> u32(16)))
    x = u32(x * u32(0x21F0AAAD))
    x = u32(x ^ (x >> u32(15)))
    x = u32(x * u32(0xD35A2D97))
    return u32(x ^ (x >> u32(15)))


@numba.njit(cache=True, inline="always")
def unit(x):
    """32 bits to float32 in [0, 1)."""
    return np.float32(x >> u32(8)) * _TO_UNIT


@numba.njit(cache=True, inline="always")
def sample2(second, pixel, index, dimension):
    """Two numbers in [0, 1) for a sample of a pixel (its hash) in a pair of dimensions.

    `index` is the sample's number, already bit-reversed; `second` is SECOND, whose entries are bit-reversed too.
    """
    key = mix(u32(pixel + u32(u32(dimension) * u32(0x9E3779B9))))
    shuffled = reverse_bits(scramble_reversed(index, key)) & _MASK
    # The first Sobol number is the index reversed, so scrambling it starts from the index itself.
    first = reverse_bits(scramble_reversed(shuffled, u32(key * u32(0x85EBCA6B) + u32(0xA511E9B3))))
    other = reverse_bits(scramble_reversed(second[shuffled], u32(key * u32(0xC2B2AE35) + u32(0x63D83595))))
    return unit(first), unit(other)


@numba.njit(cache=True)
def opened(u, v, blades):
    """A point of a lens's opening of radius 1, evenly: of a disc, or of a polygon with so many sides."""
    two_pi = np.float32(2 * math.pi)
    if blades < np.float32(3):
        radius = math.sqrt(u)
        return radius * math.cos(two_pi * v), radius * math.sin(two_pi * v)
    side = math.floor(v * blades)
    share = v * blades - side  # along that side
    first, last = two_pi * side / blades, two_pi * (side + np.float32(1)) / blades
    radius = math.sqrt(u)
    x = math.cos(first) + (math.cos(last) - math.cos(first)) * share
    y = math.sin(first) + (math.sin(last) - math.sin(first)) * share
    return np.float32(radius * x), np.float32(radius * y)
