"""Low-discrepancy samples: a (0, 2)-sequence, shuffled and Owen-scrambled by hashing, padded dimension by dimension.

Burley, "Practical Hash-based Owen Scrambling", JCGT 9(4), 2020; the hash is Vegdahl's (2021). XOR scrambling alone
would leave dimensions correlated.

All pixels share one sequence, along a curve through the picture (Morton order): the samples of a pixel, of two by two
pixels, of four by four, are each a net. So errors of neighbours make up for each other: what noise there is is fine
grained, which the eye and a denoiser forgive most (Ahmed and Wonka, "Screen-Space Blue-Noise Diffusion of Monte Carlo
Sampling Error via Hierarchical Ordering of Pixels", ACM TOG 39(6), 2020). The nested shuffle of Owen takes the place of
their tables of permutations.

Every sample depends only on (seed, frame, x, y, number, samples asked for, dimension), so the order in which pixels,
frames and processes run changes nothing.
"""

from __future__ import annotations

import math

from moss_crown.core.render.arithmetic import ONE, circle, f32, inlined, kernel, u32
from moss_crown.core.render.lanes import KEY, ORDER, SEQUENCE, WITHIN, U, V

_TO_UNIT = f32(1.0 / 16777216.0)


@kernel
def reverse_bits(x):
    x = u32((x >> u32(16)) | (x << u32(16)))
    x = u32(((x & u32(0xFF00FF00)) >> u32(8)) | ((x & u32(0x00FF00FF)) << u32(8)))
    x = u32(((x & u32(0xF0F0F0F0)) >> u32(4)) | ((x & u32(0x0F0F0F0F)) << u32(4)))
    x = u32(((x & u32(0xCCCCCCCC)) >> u32(2)) | ((x & u32(0x33333333)) << u32(2)))
    return u32(((x & u32(0xAAAAAAAA)) >> u32(1)) | ((x & u32(0x55555555)) << u32(1)))


@kernel
def scramble_reversed(x, seed):
    """Owen scrambling of a bit-reversed number: each bit flips by a hash of the bits below it."""
    x = u32(x ^ u32(x * u32(0x3D20ADEA)))
    x = u32(x + seed)
    x = u32(x * u32((seed >> u32(16)) | u32(1)))
    x = u32(x ^ u32(x * u32(0x05526C56)))
    return u32(x ^ u32(x * u32(0x53A22864)))


@kernel
def mix(x):
    """A 32-bit finaliser (Wellons, hash-prospector)."""
    x = u32(x ^ (x >> u32(16)))
    x = u32(x * u32(0x21F0AAAD))
    x = u32(x ^ (x >> u32(15)))
    x = u32(x * u32(0xD35A2D97))
    return u32(x ^ (x >> u32(15)))


@kernel
def unit(x):
    """32 bits to float32 in [0, 1)."""
    return f32(x >> u32(8)) * _TO_UNIT


@kernel
def second_dimension(x):
    """The second Sobol number of index x (primitive polynomial x + 1), bits reversed: Pascal's triangle modulo 2, which
    is a product of one matrix a power of two."""
    x = u32(x ^ ((x >> u32(1)) & u32(0x55555555)))
    x = u32(x ^ ((x >> u32(2)) & u32(0x33333333)))
    x = u32(x ^ ((x >> u32(4)) & u32(0x0F0F0F0F)))
    x = u32(x ^ ((x >> u32(8)) & u32(0x00FF00FF)))
    return u32(x ^ ((x >> u32(16)) & u32(0x0000FFFF)))


@kernel
def spread_bits(x):
    """The lower half of the bits, each with a 0 before it."""
    x = u32((x | (x << u32(8))) & u32(0x00FF00FF))
    x = u32((x | (x << u32(4))) & u32(0x0F0F0F0F))
    x = u32((x | (x << u32(2))) & u32(0x33333333))
    return u32((x | (x << u32(1))) & u32(0x55555555))


@kernel
def place_in_order(x, y, bits):
    """Of a pixel when 2^bits samples are asked for: its place in the order, bit-reversed so that a sample's number fits
    before it, and the number of the square of pixels that shares a sequence."""
    side = u32((u32(32) - bits) >> u32(1))
    inside = u32((u32(1) << side) - u32(1))
    code = u32(spread_bits(u32(x & inside)) | (spread_bits(u32(y & inside)) << u32(1)))
    return u32(reverse_bits(code) >> bits), u32((x >> side) + u32((y >> side) * u32(0x01000193)))


@inlined
def sample2(sequence, order, pixel, index, within, dimension):
    """Two numbers in [0, 1) for a sample of a pixel in a pair of dimensions.

    `sequence` and `pixel` are hashes: of what shares a sequence, and of the pixel. Of the number in the sequence, which
    is bit-reversed, `within` are the bits of the sample's number `index`; `order` is the pixel's place. The samples of
    each pixel are shuffled by a hash of its own: one that only carried over from their place would leave dimensions
    paired alike in all pixels, and the errors would not make up for each other.
    """
    salt = u32(u32(dimension) * u32(0x9E3779B9))
    key = mix(u32(sequence + salt))
    sample = u32(scramble_reversed(index, mix(u32(pixel + salt))) & within)
    shuffled = reverse_bits(u32(sample | (scramble_reversed(order, key) & ~within)))
    # The first Sobol number is the index reversed, so scrambling it starts from the index itself.
    first = reverse_bits(scramble_reversed(shuffled, u32(key * u32(0x85EBCA6B) + u32(0xA511E9B3))))
    other = scramble_reversed(second_dimension(shuffled), u32(key * u32(0xC2B2AE35) + u32(0x63D83595)))
    return unit(first), unit(reverse_bits(other))


@kernel
def sample_lanes(w, q, n, index, dimension):
    """Fill the lanes' U and V."""
    for i in range(n):
        w[U + i], w[V + i] = sample2(q[SEQUENCE + i], q[ORDER + i], q[KEY + i], index, q[WITHIN + i], dimension)


@kernel
def opened(u, v, blades):
    """A point of a lens's opening of radius 1, evenly: of a disc, or of a polygon with so many sides."""
    radius = math.sqrt(u)
    if blades < f32(3):
        x, y = circle(v)
        return radius * x, radius * y
    side = f32(math.floor(v * blades))
    share = v * blades - side  # along that side
    first_x, first_y = circle(side / blades)
    last_x, last_y = circle(min((side + ONE) / blades, ONE))
    return radius * (first_x + (last_x - first_x) * share), radius * (first_y + (last_y - first_y) * share)
