"""Patterns: what a texture does at a point of a title. See `noise` for the language that these functions keep to.

A pattern answers three numbers. `second`: how much of the second layer shows there, before amount and contrast.
`tone`: darker or lighter, -1 to 1. `height`: relief, about -1 to 1.
x, y, z: the point, in units of the texture's scale, x along the line and z forward. p, q: the same, laid flat on the
surface: x and y on faces; on sides the direction along the line or upward, and the depth.
"""

from __future__ import annotations

import math

from moss_crown.core.compiling import inner_of_floats
from moss_crown.core.look.noise import blend, cells, clouds, fraction, lattice, noise, ramp


@inner_of_floats
def plain(x, y, z, p, q):
    return 0.0, 0.0, 0.0


@inner_of_floats
def brushed(x, y, z, p, q):
    """Streaks along the line, of many lengths."""
    fine = noise(p * 1.5, q * 90.0, 0.5, 3.0) + 0.6 * noise(p * 4.0 + 7.0, q * 210.0, 1.5, 5.0)
    return 0.5 + 0.5 * noise(p * 0.7, q * 24.0, 2.5, 9.0), fine * 0.6, fine * 0.12


@inner_of_floats
def cast(x, y, z, p, q):
    """The skin of metal poured into sand."""
    large = clouds(x * 3.0, y * 3.0, z * 3.0, 11.0)
    grain = noise(x * 38.0, y * 38.0, z * 38.0, 13.0)
    return 0.5 + 0.5 * large, 0.5 * large + 0.25 * grain, 0.35 * large + 0.16 * grain


@inner_of_floats
def hammered(x, y, z, p, q):
    """Shallow round dents, one beside the other."""
    first, second, own = cells(p * 3.0, q * 3.0, 0.5, 17.0)
    return ramp(0.0, 0.35, second - first), (own - 0.5) * 0.3, 0.9 * first * first


@inner_of_floats
def blotches(x, y, z, p, q):
    """Weather: patches with frayed borders and smaller ones inside them."""
    large = clouds(x * 1.3, y * 1.3, z * 1.3, 19.0)
    small = clouds(x * 6.0, y * 6.0, z * 6.0, 23.0)
    edge = 0.5 + 0.62 * large + 0.28 * small
    return edge, small * 0.7, 0.3 * small + 0.4 * ramp(0.4, 0.7, edge)


@inner_of_floats
def veins(x, y, z, p, q):
    """Marble: branching veins in a cloudy ground."""
    bend = clouds(x * 0.9, y * 0.9, z * 0.9, 29.0)
    broad = noise(x * 1.1 + 1.7 * bend, y * 1.9 + 1.3 * bend + x * 0.6, z * 1.1, 31.0)
    narrow = noise(x * 2.9 - 2.1 * bend, y * 2.3 + 1.9 * bend - x, z * 2.9, 37.0)
    line = max(1.0 - 9.0 * abs(broad), 0.62 * (1.0 - 14.0 * abs(narrow)))
    return max(line, 0.0) * 0.8 + 0.18 * bend + 0.1, bend * 0.5, 0.0


@inner_of_floats
def speckles(x, y, z, p, q):
    """Granite: grains of several kinds, packed."""
    first, second, own = cells(x * 9.0, y * 9.0, z * 9.0, 41.0)
    _, _, mine = cells(x * 23.0, y * 23.0, z * 23.0, 43.0)
    grain = fraction(own * 37.0)
    return blend(grain, fraction(mine * 53.0), 0.35), fraction(mine * 29.0) - 0.5, 0.1 * (second - first)


@inner_of_floats
def chips(x, y, z, p, q):
    """Terrazzo: chips of stone in a ground, each of its own tone."""
    first, second, own = cells(x * 4.0, y * 4.0, z * 4.0, 47.0)
    small, _, mine = cells(x * 11.0 + 3.0, y * 11.0, z * 11.0, 53.0)
    size = 0.16 + 0.3 * fraction(own * 61.0)
    large = ramp(0.0, 0.05, size * (second - 0.12) * 2.2 - first * 0.62)
    dust = ramp(0.0, 0.06, 0.3 * fraction(mine * 17.0) - small * 0.7)
    tone = blend(fraction(mine * 71.0), fraction(own * 83.0), large) - 0.5
    chip = max(large, dust)
    return chip * 0.98, tone * 2.0 * chip, 0.0


@inner_of_floats
def strata(x, y, z, p, q):
    """Stone laid down in layers."""
    sway = 0.16 * noise(x * 0.8, y * 0.5, z * 0.8, 59.0) + 0.05 * clouds(x * 3.0, y * 3.0, z * 3.0, 61.0)
    level = y + sway + 0.12 * x
    band = noise(1.5, level * 5.0, 0.5, 67.0) + 0.5 * noise(4.5, level * 17.0, 2.5, 71.0)
    grain = noise(x * 30.0, y * 60.0, z * 30.0, 73.0)
    return 0.5 + 0.62 * band, 0.6 * noise(7.5, level * 31.0, 1.5, 79.0) + 0.3 * grain, 0.3 * band + 0.12 * grain


@inner_of_floats
def rings(x, y, z, p, q):
    """Timber cut along the trunk: years as rings about an axis below and behind, so that ends show end grain."""
    sway = 0.1 * noise(x * 0.5, y * 0.7, z * 0.7, 83.0)
    up = y + 1.3 + sway + 0.05 * x
    back = z + 0.9 + 0.1 * noise(x * 0.35 + 5.0, y * 0.4, z * 0.4, 89.0)
    radius = math.sqrt(up * up + back * back) * 7.0 + 0.35 * clouds(x * 0.9, y * 2.0, z * 2.0, 97.0)
    year = fraction(radius)
    own = lattice(math.floor(radius), 3.0, 5.0, 101.0)
    late = ramp(0.25, 0.86, year) * (1.0 - ramp(0.9, 1.0, year)) * (0.6 + 0.5 * own)
    fibre = noise(x * 3.0, y * 70.0, z * 70.0, 103.0)
    pore = ramp(0.35, 0.6, noise(x * 5.0, y * 120.0, z * 120.0, 107.0)) * (1.0 - late)
    return late, 0.5 * fibre - 0.5 * pore + 0.4 * (own - 0.5), -0.25 * late - 0.3 * pore + 0.08 * fibre


@inner_of_floats
def concrete(x, y, z, p, q):
    """Poured against boards: clouds, grit, and holes left by air."""
    cloud = clouds(x * 1.6, y * 1.6, z * 1.6, 109.0)
    grit = noise(x * 46.0, y * 46.0, z * 46.0, 113.0)
    first, _, own = cells(x * 5.0, y * 5.0, z * 5.0, 127.0)
    hole = 1.0 - ramp(0.04, 0.1, first - 0.09 * fraction(own * 19.0))
    return 0.5 + 0.5 * cloud, 0.55 * cloud + 0.3 * grit - 0.9 * hole, 0.14 * grit - 1.3 * hole + 0.1 * cloud


@inner_of_floats
def plaster(x, y, z, p, q):
    """Spread by hand: overlapping strokes."""
    bend = noise(x * 1.2, y * 1.2, z * 1.2, 131.0)
    stroke = noise(x * 2.0 + 1.2 * bend, y * 7.0 - 2.0 * bend, z * 2.0, 137.0)
    fine = noise(x * 30.0, y * 44.0, z * 30.0, 139.0)
    return 0.5 + 0.5 * stroke, 0.3 * stroke + 0.12 * fine, 0.45 * stroke + 0.08 * fine


@inner_of_floats
def knit(x, y, z, p, q):
    """Stocking stitch: columns of V, each half a strand."""
    u = p * 9.0
    v = q * 8.0
    side = fraction(u) - 0.5
    row = v - 1.15 * abs(side)
    stitch = fraction(row)
    half = (abs(side) - 0.25) * 4.0
    along = (stitch - 0.5) * 2.0
    round_off = max(1.0 - half * half, 0.0) * max(1.0 - along * along * along * along, 0.0)
    strand = math.sqrt(round_off)
    ply = math.sin((row * 3.0 + half * (1.0 if side > 0.0 else -1.0) * 0.8) * 6.2832)
    fuzz = noise(x * 70.0, y * 70.0, z * 70.0, 149.0)
    own = lattice(math.floor(u), math.floor(row), 7.0, 151.0)
    return (
        fraction(math.floor(row) * 0.5),
        strand * 0.7 - 0.75 + 0.18 * ply + 0.15 * fuzz + 0.1 * own,
        strand + 0.07 * ply,
    )


@inner_of_floats
def weave(x, y, z, p, q):
    """Plain weave: one thread over, one under."""
    u = p * 16.0
    v = q * 16.0
    a = fraction(u) - 0.5
    b = fraction(v) - 0.5
    over = fraction((math.floor(u) + math.floor(v)) * 0.5)  # 0 or a half
    across = a if over < 0.25 else b
    along = b if over < 0.25 else a
    body = max(1.0 - 3.4 * across * across, 0.0) * (0.55 + 0.45 * math.cos(along * 3.1416))
    warp = lattice(math.floor(u), 2.0, 9.0, 157.0)
    weft = lattice(5.0, math.floor(v), 9.0, 163.0)
    thread = warp if over < 0.25 else weft
    fibre = noise(u * 4.0 if over < 0.25 else u * 0.7, v * 0.7 if over < 0.25 else v * 4.0, 0.5, 167.0)
    return 0.75 if over < 0.25 else 0.25, 0.5 * (thread - 0.5) + 0.2 * fibre + 0.6 * (body - 0.6), body * 0.9


@inner_of_floats
def felt(x, y, z, p, q):
    """Pressed fibres in every direction."""
    one = noise(x * 14.0 + y * 30.0, y * 14.0 - x * 30.0, z * 20.0, 173.0)
    two = noise(x * 42.0, y * 9.0 + x * 5.0, z * 30.0, 179.0)
    three = noise(x * 8.0 - y * 5.0, y * 44.0, z * 30.0, 181.0)
    fibre = max(max(one, two), three)
    cloud = clouds(x * 2.0, y * 2.0, z * 2.0, 191.0)
    return 0.5 + 0.5 * cloud, 0.5 * fibre + 0.3 * cloud - 0.2, 0.5 * fibre


@inner_of_floats
def dots(x, y, z, p, q):
    """Round dots in staggered rows."""
    v = q * 5.0
    u = p * 5.0 + 0.5 * fraction(math.floor(v) * 0.5) * 2.0
    a = fraction(u) - 0.5
    b = fraction(v) - 0.5
    return 1.0 - 1.7 * math.sqrt(a * a + b * b), 0.06 * noise(x * 40.0, y * 40.0, z * 40.0, 193.0), 0.0


@inner_of_floats
def stripes(x, y, z, p, q):
    """Even stripes along the line's normal."""
    return 1.0 - 2.0 * abs(fraction(p * 4.0) - 0.5), 0.06 * noise(x * 40.0, y * 40.0, z * 40.0, 197.0), 0.0


@inner_of_floats
def paper(x, y, z, p, q):
    """Long fibres in a soft sheet."""
    fibre = noise(x * 10.0 + 3.0 * noise(x, y, z, 199.0), y * 46.0, z * 46.0, 211.0)
    grain = noise(x * 60.0, y * 60.0, z * 60.0, 223.0)
    return 0.5 + 0.5 * clouds(x * 1.5, y * 1.5, z * 1.5, 227.0), 0.22 * fibre + 0.16 * grain, 0.2 * fibre + 0.2 * grain


@inner_of_floats
def crackle(x, y, z, p, q):
    """The net of fine cracks in a glaze."""
    bend = 0.25 * noise(x * 2.0, y * 2.0, z * 2.0, 229.0)
    first, second, own = cells(x * 3.2 + bend, y * 3.2 - bend, z * 3.2, 233.0)
    line = 1.0 - ramp(0.012, 0.05, second - first)
    return line, (own - 0.5) * 0.35, -0.4 * line


@inner_of_floats
def frost(x, y, z, p, q):
    """Feathers of ice over cloudy depth."""
    bend = clouds(x * 1.4, y * 1.4, z * 1.4, 239.0)
    feather = abs(noise(x * 5.0 + 2.0 * bend, y * 5.0 - 2.0 * bend, z * 5.0, 241.0))
    thin = 1.0 - ramp(0.0, 0.16, feather)
    return 0.42 + 0.3 * bend + 0.4 * thin, 0.5 * bend, 0.4 * thin + 0.3 * noise(x * 16.0, y * 16.0, z * 16.0, 251.0)


@inner_of_floats
def dust(x, y, z, p, q):
    """Chalk: a dry bloom, thinner where a hand has been."""
    cloud = clouds(x * 2.2, y * 2.2, z * 2.2, 257.0)
    grain = noise(x * 52.0, y * 52.0, z * 52.0, 263.0)
    pit = ramp(0.3, 0.7, noise(x * 21.0, y * 21.0, z * 21.0, 269.0))
    return 0.5 + 0.45 * cloud + 0.12 * grain, 0.25 * cloud + 0.35 * grain - 0.4 * pit, 0.3 * grain - 0.7 * pit


@inner_of_floats
def clumps(x, y, z, p, q):
    """Moss: cushions of small leaves."""
    bend = 0.3 * noise(x * 3.0, y * 3.0, z * 3.0, 271.0)
    first, _, own = cells(x * 5.0 + bend, y * 5.0, z * 5.0 - bend, 277.0)
    small, _, mine = cells(x * 19.0, y * 19.0, z * 19.0, 281.0)
    cushion = 1.0 - first
    leaf = 1.0 - small
    tone = 0.5 * (own - 0.5) + 0.9 * (leaf - 0.55) + 0.5 * (cushion - 0.5)
    return 0.5 + 0.5 * noise(x * 1.4, y * 1.4, z * 1.4, 283.0) + 0.3 * (mine - 0.5), tone, 0.8 * cushion + 0.5 * leaf


@inner_of_floats
def depths(x, y, z, p, q):
    """Wax, and whatever is cloudy within."""
    cloud = clouds(x * 1.1, y * 1.1, z * 1.1, 293.0)
    return 0.5 + 0.6 * cloud, 0.3 * cloud, 0.12 * noise(x * 6.0, y * 6.0, z * 6.0, 307.0)


@inner_of_floats
def grid(x, y, z, p, q):
    """Lines both ways, a unit apart; the amount is their width."""
    across = abs(fraction(p + 0.5) - 0.5)
    along = abs(fraction(q + 0.5) - 0.5)
    near = 1.0 - 2.0 * min(across, along)
    return near, 0.0, ramp(0.9, 1.0, near)


PATTERNS = (
    plain,
    brushed,
    cast,
    hammered,
    blotches,
    veins,
    speckles,
    chips,
    strata,
    rings,
    concrete,
    plaster,
    knit,
    weave,
    felt,
    dots,
    stripes,
    paper,
    crackle,
    frost,
    dust,
    clumps,
    depths,
    grid,
)
"""Every pattern, in the order of its number."""
NAMES: tuple[str, ...] = tuple(function.py_func.__name__ for function in PATTERNS)


@inner_of_floats
def pattern(kind, x, y, z, p, q):
    """Pattern number `kind` at a point: found by halving."""
    if kind < 11.0:
        if kind < 5.0:
            if kind < 2.0:
                if kind < 1.0:
                    return plain(x, y, z, p, q)
                return brushed(x, y, z, p, q)
            if kind < 3.0:
                return cast(x, y, z, p, q)
            if kind < 4.0:
                return hammered(x, y, z, p, q)
            return blotches(x, y, z, p, q)
        if kind < 8.0:
            if kind < 6.0:
                return veins(x, y, z, p, q)
            if kind < 7.0:
                return speckles(x, y, z, p, q)
            return chips(x, y, z, p, q)
        if kind < 9.0:
            return strata(x, y, z, p, q)
        if kind < 10.0:
            return rings(x, y, z, p, q)
        return concrete(x, y, z, p, q)
    if kind < 17.0:
        if kind < 14.0:
            if kind < 12.0:
                return plaster(x, y, z, p, q)
            if kind < 13.0:
                return knit(x, y, z, p, q)
            return weave(x, y, z, p, q)
        if kind < 15.0:
            return felt(x, y, z, p, q)
        if kind < 16.0:
            return dots(x, y, z, p, q)
        return stripes(x, y, z, p, q)
    if kind < 20.0:
        if kind < 18.0:
            return paper(x, y, z, p, q)
        if kind < 19.0:
            return crackle(x, y, z, p, q)
        return frost(x, y, z, p, q)
    if kind < 21.0:
        return dust(x, y, z, p, q)
    if kind < 22.0:
        return clumps(x, y, z, p, q)
    if kind < 23.0:
        return depths(x, y, z, p, q)
    return grid(x, y, z, p, q)


@inner_of_floats
def layered(kind, x, y, z, p, q, amount, contrast):
    """A pattern with its amount and contrast applied: share of the second layer (0 to 1), tone, height."""
    second, tone, height = pattern(kind, x, y, z, p, q)
    middle = 1.06 - 1.12 * amount
    half = 0.5 - 0.49 * contrast
    return ramp(middle - half, middle + half, second), tone, height


@inner_of_floats
def rubbed(wear, x, y, z):
    """How far use has uncovered the second layer at a point of a bevel, 0 to 1."""
    return wear * ramp(0.9 - wear, 1.3 - wear, 0.5 + 0.5 * clouds(x * 4.0, y * 4.0, z * 4.0, 311.0))
