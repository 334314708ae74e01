"""What a film holds for a pixel: sums over its samples, and which letters it saw."""

from __future__ import annotations

from moss_crown.core.render.arithmetic import ONE, ZERO, inlined, luminance
from moss_crown.core.render.lanes import BOUNCES, PIXEL, SPLIT_B, SPLIT_G, SPLIT_R

BEAUTY, HITS, ALBEDO, NORMAL, DEPTH, BACKDROP, OPEN, CAUGHT, CATCHER = 0, 3, 4, 7, 10, 11, 14, 15, 16
COUNT, SQUARE, LAST = 17, 18, 19
PLAIN = 20
"""Channels of a plain film. CATCHER: samples that met a shadow catcher; OPEN and CAUGHT: light on it if nothing stood
in its way, and as it is. COUNT: the samples; SQUARE: the sum of the squares of their luminance; LAST: the luminance of
all of them but the newest."""
DIFFUSE, EMISSION, UNSHADED, SHADED, POSITION, MOTION, GROUPS = 20, 23, 26, 27, 28, 31, 34
"""Further channels of a film with passes; then three for each lamp and three for the environment."""
SLOTS = 12
"""Different surfaces (a letter's facet, or a part of the stage) that a pixel's mattes can tell apart."""


@inlined
def add(film, w, q, i, light, r, g, b, clamp, passes):
    """Light that lane i's path brings to its pixel, from light number `light`."""
    pixel = q[PIXEL + i]
    if clamp > ZERO:
        bright = luminance(r, g, b)
        if bright > clamp:
            scale = clamp / bright
            r, g, b = r * scale, g * scale, b * scale
    film[pixel, BEAUTY] += r
    film[pixel, BEAUTY + 1] += g
    film[pixel, BEAUTY + 2] += b
    if passes:
        k = GROUPS + 3 * light
        film[pixel, k] += r
        film[pixel, k + 1] += g
        film[pixel, k + 2] += b
        if w[BOUNCES + i] > ZERO:
            film[pixel, DIFFUSE] += r * w[SPLIT_R + i]
            film[pixel, DIFFUSE + 1] += g * w[SPLIT_G + i]
            film[pixel, DIFFUSE + 2] += b * w[SPLIT_B + i]
        else:
            film[pixel, EMISSION] += r
            film[pixel, EMISSION + 1] += g
            film[pixel, EMISSION + 2] += b


@inlined
def counted(film, pixel):
    """A sample of a pixel is whole: how bright it was is what has come since the one before."""
    bright = luminance(film[pixel, BEAUTY], film[pixel, BEAUTY + 1], film[pixel, BEAUTY + 2])
    own = bright - film[pixel, LAST]
    film[pixel, COUNT] += ONE
    film[pixel, SQUARE] += own * own
    film[pixel, LAST] = bright


@inlined
def note(seen, counts, pixel, name):
    """Count one more sample of a pixel for a surface; when no slot is left, the sample is not counted."""
    for k in range(SLOTS):
        if counts[pixel, k] == ZERO:
            seen[pixel, k] = name
        if seen[pixel, k] == name:
            counts[pixel, k] += ONE
            break
