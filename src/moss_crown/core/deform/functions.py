"""What deformers do to a point, as functions of its place along a deformer's own axes.

Each answers a displacement along the same axes, which is nothing where the amount, its first parameter, is 0. These
functions are the one source of all bending: numba compiles them for the renderer, and `source` writes them out for the
draft, as GLSL for what is drawn and as JavaScript for what is picked. They keep to the language of `look.noise`.

A place is `s` along, `t` to the side and `h` across: on a line of type bent like a rainbow, along the line, up, and
towards the viewer. Angles are in radians, lengths in metres. Whole numbers stay floats (`np.floor`): so the compiler
takes several points at a time.
"""

from __future__ import annotations

import math

import numpy as np

from moss_crown.core.compiling import inner_of_floats_quick
from moss_crown.core.look.noise import blend, fraction, noise


@inner_of_floats_quick
def circled(a):
    """Sine and cosine, by polynomials after reduction (Cody and Waite, "Software Manual for the Elementary Functions",
    1980): built-in ones of GLSL may be off by 2^-11, these are the same everywhere, and exactly 0 and 1 at 0."""
    k = np.floor(a * 0.6366197723675814 + 0.5)
    r = ((a - k * 1.5703125) - k * 0.0004837512969970703) - k * 7.549789954891882e-08
    q = r * r
    s = r + r * q * (
        -0.16666666666666666
        + q
        * (
            0.008333333333333333
            + q * (-0.0001984126984126984 + q * (2.7557319223985893e-06 - q * 2.505210838544172e-08))
        )
    )
    c = 1.0 + q * (
        -0.5
        + q
        * (
            0.041666666666666664
            + q
            * (
                -0.001388888888888889
                + q * (2.48015873015873e-05 + q * (-2.755731922398589e-07 + q * 2.08767569878681e-09))
            )
        )
    )
    turn = fraction(k * 0.25)
    one = c if fraction(k * 0.5) > 0.25 else s
    two = s if fraction(k * 0.5) > 0.25 else c
    return -one if turn > 0.4 else one, -two if abs(turn - 0.375) < 0.2 else two


@inner_of_floats_quick
def arc(a):
    """sin a, cos a, sin a / a - 1 and (1 - cos a) / a: the last two by their series near 0."""
    sine, cosine = circled(a)
    q = a * a
    safe = 1.0 if abs(a) < 0.5 else a
    less = -q * (1.0 - q * (1.0 - q * (1.0 - q * (1.0 - q / 110.0) / 72.0) / 42.0) / 20.0) / 6.0
    rise = 0.5 * a * (1.0 - q * (1.0 - q * (1.0 - q * (1.0 - q / 90.0) / 56.0) / 30.0) / 12.0)
    return sine, cosine, less if abs(a) < 0.5 else sine / safe - 1.0, rise if abs(a) < 0.5 else (1.0 - cosine) / safe


@inner_of_floats_quick
def bend(s, t, h, angle, length, c, d, e, f):
    """A stretch about 0 bent by an angle; what lies beyond goes on straight. The middle line keeps its length."""
    along = min(max(s, -0.5 * length), 0.5 * length)
    beyond = s - along
    sine, cosine, less, rise = arc(angle * along / length)
    return (
        along * less - t * sine + beyond * (cosine - 1.0),
        along * rise + t * (cosine - 1.0) + beyond * sine,
        0.0,
    )


@inner_of_floats_quick
def curl(s, t, h, rolled, end, radius, gap, e, f):
    """The last `rolled` metres of a line that ends at `end`, rolled up with turns a `gap` apart about a core of a
    radius: the involute of a circle (a circle without a gap), which keeps lengths exactly."""
    past = max(s - (end - rolled), 0.0)
    along = min(past, rolled)
    beyond = past - along
    a = gap * 0.15915494309189535
    outer = math.sqrt(radius * radius + 2.0 * a * rolled)
    inner = math.sqrt(radius * radius + 2.0 * a * (rolled - along))
    turn = 2.0 * along / (outer + inner)
    sine, cosine = circled(turn)
    x = inner * sine + a * (1.0 - cosine)
    y = a * turn + inner * (1.0 - cosine) - a * sine
    return x - along - t * sine + beyond * (cosine - 1.0), y + t * (cosine - 1.0) + beyond * sine, 0.0


@inner_of_floats_quick
def twist(s, t, h, angle, length, c, d, e, f):
    """Turned about the axis along, by half of the angle to each side over a stretch about 0: even in the middle of it
    and easing off towards its ends. Volumes stay."""
    x = min(max(s / length, -0.5), 0.5)
    sine, cosine = circled(angle * x * (1.5 - 2.0 * x * x))
    return 0.0, t * (cosine - 1.0) - h * sine, t * sine + h * (cosine - 1.0)


@inner_of_floats_quick
def wave(s, t, h, height, width, travelled, narrow, how, f):
    """Lifted by crests a `width` apart, the first of which has travelled so far from 0: once (`how` 0), one after the
    other (1), or before it as well (2). The larger `narrow`, the narrower are they. Volumes stay."""
    x = (s - travelled) / width
    x = max(x, -0.5) if how < 0.5 else x
    x = min(x, 0.5) if how < 1.5 else x
    x = fraction(x + 0.5) - 0.5
    _, cosine = circled(6.283185307179586 * x)
    crest = max(0.5 + 0.5 * cosine, 1e-12)
    return 0.0, height * (crest if narrow == 1.0 else math.pow(crest, narrow)), 0.0


@inner_of_floats_quick
def globe(s, t, h, curvature, b, c, d, e, f):
    """Laid onto a ball whose nearest point is 0, along and to the side, by its curvature (1 / radius)."""
    sine, cosine, less, rise = arc(curvature * s)
    up_sine, up_cosine, up_less, up_rise = arc(curvature * t)
    return (
        s * (less * up_cosine + (up_cosine - 1.0)) + h * up_cosine * sine,
        t * up_less + h * up_sine,
        h * (up_cosine * cosine - 1.0) - t * up_rise * cosine - s * rise,
    )


@inner_of_floats_quick
def ripple(s, t, h, height, size, share, first, second, f):
    """Lifted by smooth noise with features of a size, a `share` of the way from one pattern to a second. Blended noise
    is less rough than either: it is made as rough again."""
    a = noise(s / size, t / size, h / size, first)
    b = noise(s / size, t / size, h / size, second)
    return 0.0, height * blend(a, b, share) / math.sqrt(1.0 - 2.0 * share * (1.0 - share)), 0.0


@inner_of_floats_quick
def blast(s, t, h, strength, core, rough, size, seed, f):
    """Driven out from 0 by so many metres, less within a `core`, and by a share `rough` of that unevenly, as noise with
    features of a size has it."""
    far = math.sqrt(s * s + t * t + h * h + core * core)
    by = strength / far * (1.0 + rough * noise(s / size, t / size, h / size, seed))
    return s * by, t * by, h * by


@inner_of_floats_quick
def outside(shape, x, y, z, a, b, c):
    """Metres from the border of a zone of sizes a, b, c, at most 0 inside, by the number of its shape: see `rows`.

    Signed distances of a slab, a ball, a box and a ring: Hart, Sphere Tracing, The Visual Computer 12, 1996.
    """
    if shape < 2.5:
        if shape < 1.5:
            return abs(x) - a
        return math.sqrt(x * x + y * y + z * z) - a
    if shape < 3.5:
        u = abs(x) - a
        v = abs(y) - b
        w = abs(z) - c
        far = max(u, 0.0) * max(u, 0.0) + max(v, 0.0) * max(v, 0.0) + max(w, 0.0) * max(w, 0.0)
        return math.sqrt(far) + min(max(max(u, v), w), 0.0)
    around = math.sqrt(x * x + y * y) - a
    return math.sqrt(around * around + z * z) - b


@inner_of_floats_quick
def between(before, first, second, after, x):
    """A smooth curve from the second of four even knots (x 0) to the third (x 1), straight beyond (Catmull and Rom, "A
    Class of Local Interpolating Splines", 1974)."""
    s = min(max(x, 0.0), 1.0)
    begin = 0.5 * (second - before)
    end = 0.5 * (after - first)
    bend = 3.0 * (second - first) - 2.0 * begin - end + s * (2.0 * (first - second) + begin + end)
    return first + s * (begin + s * bend) + min(x, 0.0) * begin + max(x - 1.0, 0.0) * end


@inner_of_floats_quick
def joined(mix, total, felt):
    """What is felt of a zone joined to what was felt before, by the number of the way: see `rows`."""
    if mix < 1.5:
        if mix < 0.5:
            return felt
        return max(total, felt)
    if mix < 2.5:
        return total + felt
    return total * felt


@inner_of_floats_quick
def laid(s, t, h, begun, apart, x, y, turn, after):
    """Along an arc of a path that begins at x and y, and `begun` metres along the line; the angle of its tangent goes
    from `turn` to `after` over so many metres `apart`. What lies beyond it goes on straight. Lengths stay."""
    along = min(max(s - begun, 0.0), apart)
    beyond = s - begun - along
    sine, cosine = circled(turn)
    on_sine, on_cosine, less, rise = arc((after - turn) * along / apart)
    last_sine = sine * on_cosine + cosine * on_sine
    last_cosine = cosine * on_cosine - sine * on_sine
    ahead = along + along * less
    aside = along * rise
    return (
        x - s + ahead * cosine - aside * sine + beyond * last_cosine - t * last_sine,
        y + ahead * sine + aside * cosine + beyond * last_sine + t * (last_cosine - 1.0),
        0.0,
    )


@inner_of_floats_quick
def displaced(kind, s, t, h, a, b, c, d, e, f):
    """What a deformer does, by the number of its kind: see `rows`."""
    if kind < 3.5:
        if kind < 1.5:
            return bend(s, t, h, a, b, c, d, e, f)
        if kind < 2.5:
            return curl(s, t, h, a, b, c, d, e, f)
        return twist(s, t, h, a, b, c, d, e, f)
    if kind < 5.5:
        if kind < 4.5:
            return wave(s, t, h, a, b, c, d, e, f)
        return globe(s, t, h, a, b, c, d, e, f)
    if kind < 6.5:
        return ripple(s, t, h, a, b, c, d, e, f)
    return blast(s, t, h, a, b, c, d, e, f)
