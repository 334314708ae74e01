"""What renderer and draft both work out of a surface and of its light, beside the patterns themselves.

The functions keep to the language of `noise`: numba compiles them for the renderer, and `glsl` writes them out for the
draft, with CONSTANTS beside them.
"""

from __future__ import annotations

import math

from moss_crown.core.compiling import inner_of_floats

APART = (3.71, 1.93, 2.47)
"""How far apart in the textures' space letters begin, where each begins afresh."""
RELIEF_STEP = 0.004
"""How far apart, in units of the texture, the relief is compared."""
DEEPEST = 0.22
"""Units of the texture that a relief of 1 is high."""
NARROWEST = 0.9
"""How far full brushing draws the two roughnesses apart (Burley, "Physically-Based Shading at Disney", 2012)."""

CONSTANTS: dict[str, float | tuple[float, float, float]] = {
    "APART": APART,
    "RELIEF_STEP": RELIEF_STEP,
    "DEEPEST": DEEPEST,
    "NARROWEST": NARROWEST,
}
"""Constants that the draft is told, by the names that they have there."""


@inner_of_floats
def mixed(first, second, share):
    """The one, with a share of the other in its place."""
    return first * (1.0 - share) + second * share


@inner_of_floats
def toned(light, strength, tone):
    """A colour's channel made lighter or darker by a texture's tone, at most 1."""
    return min(light * max(1.0 + strength * tone, 0.0), 1.0)


@inner_of_floats
def dulled(roughness, strength, tone):
    """A roughness under a texture's tone: what is dark is a little rougher. 0 to 1."""
    return min(max(roughness - 0.12 * strength * tone, 0.0), 1.0)


@inner_of_floats
def painted(red, green, blue):
    """Grey of scene-linear light, as it is painted: pictures of roughness and height are meant by their numbers, not by
    their light (sRGB, IEC 61966-2-1)."""
    light = 0.2126 * red + 0.7152 * green + 0.0722 * blue
    return 12.92 * light if light <= 0.0031308 else 1.055 * math.pow(light, 1.0 / 2.4) - 0.055
