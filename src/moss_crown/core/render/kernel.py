"""The path tracer: paths side by side in the lanes of a workspace, surface after surface.

Each path starts at its own time in the shutter. At the first surface every light is sampled (of more than MOST_AT_FIRST
that many, chosen by power), at later ones one of them; directions drawn from the material count too, weighed against
that by the power heuristic (Veach 1997). Everything is float32: a plain literal would turn the arithmetic into float64.
"""

from __future__ import annotations

import math

from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import ONE, ZERO, entry, f32, i64, kernel, luminance, u32
from moss_crown.core.render.camera import LIFT, lift, padded, start
from moss_crown.core.render.film import (
    ALBEDO,
    CATCHER,
    CAUGHT,
    DEPTH,
    HITS,
    NORMAL,
    OPEN,
    SHADED,
    UNSHADED,
    add,
    counted,
)
from moss_crown.core.render.glass import absorb, glass_rows, meet, send, take
from moss_crown.core.render.guiding import choose_guided, find_cells, turn_guided, weigh_guided
from moss_crown.core.render.hits import (
    backdrop,
    first_passes,
    gather,
    glows,
    grains,
    hazed,
    heeded,
    lamps_met,
    sky,
    suns,
    told_apart,
)
from moss_crown.core.render.lamps import (
    EVERY,
    KIND,
    RECTANGLE,
    SHAPE,
    SKY,
    SUN,
    choose,
    look_at,
    sides,
    sky_radiance,
    to_rectangle,
    to_rectangles,
    to_shapes,
    to_sky,
    to_suns,
)
from moss_crown.core.render.lanes import LANES
from moss_crown.core.render.rays import (
    SEEN_BY_CAMERA,
    SEEN_BY_CAMERA_LETTERS,
    SEEN_BY_PATHS,
    shadows,
    trace,
)
from moss_crown.core.render.sampling import mix, place_in_order, reverse_bits, sample_lanes, unit
from moss_crown.core.render.shading import draw, evaluate, frame, seen_albedo, settle
from moss_crown.core.render.views import view

MOST_AT_FIRST = 5
THROUGH_GLASS = 10
"""Boundaries of glass that a path may cross beside its bounces."""
_LEAST_SURVIVAL = f32(0.08)


@kernel
def _widen(w, n, widen):
    """No surface that a path comes to is much sharper than those that scattered it before: a spark in a mirror that is
    seen by way of a dull wall is what noise is made of, and its place can not be told (Jendersie and Grosch,
    "Microfacet Model Regularization for Robust Light Transport", CGF 38(4), 2019). How far one scattered it is seen
    by the density of the direction drawn there: a lobe of roughness a has about 1 / (4 pi a^2) in its middle. `widen`
    is the share of a that counts, over the root of 4 pi; SPREAD the root of 1 / density, the largest on the way."""
    for i in range(n):
        spread = max(w[ln.SPREAD + i], math.sqrt(w[ln.RATIO + i] / max(w[ln.DENSITY + i], f32(1e-6))))
        w[ln.SPREAD + i] = spread
        least = math.sqrt(min(widen * spread, ONE))
        w[ln.ROUGH + i] = max(w[ln.ROUGH + i], least)
        w[ln.COAT_ROUGH + i] = max(w[ln.COAT_ROUGH + i], least)


@kernel
def _look(w, q, film, n):
    """What the denoiser is guided by, at the first surface: albedo, normal, depth."""
    for i in range(n):
        pixel = q[ln.PIXEL + i]
        film[pixel, HITS] += ONE
        film[pixel, ALBEDO] += min(w[ln.OUT_R + i] + w[ln.GLOW_R + i], ONE)
        film[pixel, ALBEDO + 1] += min(w[ln.OUT_G + i] + w[ln.GLOW_G + i], ONE)
        film[pixel, ALBEDO + 2] += min(w[ln.OUT_B + i] + w[ln.GLOW_B + i], ONE)
        film[pixel, NORMAL] += w[ln.NX + i]
        film[pixel, NORMAL + 1] += w[ln.NY + i]
        film[pixel, NORMAL + 2] += w[ln.NZ + i]
        film[pixel, DEPTH] += w[ln.FAR + i]


@kernel
def _keep_touched(world, w, q, n):
    """Lamps that do not light a lane's facet have no chance there."""
    touches = world.touches
    for i in range(n):
        if not touches[q[ln.LAMP + i], q[ln.INSTANCE + i]] >> q[ln.FACET + i] & 1:
            w[ln.CHANCE + i] = ZERO


@kernel
def _not_mirrored(world, w, q, n):
    """Where a light is not mirrored only the diffuse base gets it, and only by looking there (see `met_in`)."""
    touches = world.touches
    for i in range(n):
        if not touches[q[ln.LAMP + i], q[ln.INSTANCE + i]] >> 7 & 1:
            w[ln.OUT_R + i], w[ln.OUT_G + i], w[ln.OUT_B + i] = w[ln.EVEN_R + i], w[ln.EVEN_G + i], w[ln.EVEN_B + i]
            w[ln.DRAWN + i] = ZERO


@kernel
def _into_frame(w, n):
    """The direction to the light in the surface's frame; lanes that it can not reach get a chance of 0."""
    for i in range(n):
        x, y, z = w[ln.LX + i], w[ln.LY + i], w[ln.LZ + i]
        up = w[ln.NX + i] * x + w[ln.NY + i] * y + w[ln.NZ + i] * z
        flat = w[ln.GX + i] * x + w[ln.GY + i] * y + w[ln.GZ + i] * z
        w[ln.IN_X + i] = w[ln.TX + i] * x + w[ln.TY + i] * y + w[ln.TZ + i] * z
        w[ln.IN_Y + i] = w[ln.WX + i] * x + w[ln.WY + i] * y + w[ln.WZ + i] * z
        w[ln.IN_Z + i] = max(up, f32(1e-4))
        w[ln.CHANCE + i] = w[ln.CHANCE + i] if min(up - f32(1e-4), flat) > ZERO else ZERO


@kernel
def _weigh(w, n):
    """What the light brings if nothing is in the way, into LIGHT_R.."""
    for i in range(n):
        chance, drawn = w[ln.CHANCE + i], w[ln.DRAWN + i]
        # A chance can be large where a lamp is far and thin: its square must not leave the range of float32.
        ratio = heeded(drawn) / max(chance, f32(1e-12))
        scale = ONE / (max(chance, f32(1e-12)) * (ONE + ratio * ratio))
        scale = scale if chance > ZERO else ZERO
        w[ln.LIGHT_R + i] = w[ln.LIGHT_R + i] * scale * w[ln.OUT_R + i] * w[ln.TR + i]
        w[ln.LIGHT_G + i] = w[ln.LIGHT_G + i] * scale * w[ln.OUT_G + i] * w[ln.TG + i]
        w[ln.LIGHT_B + i] = w[ln.LIGHT_B + i] * scale * w[ln.OUT_B + i] * w[ln.TB + i]


@kernel
def _wanted(world, w, q, n, depth, film, faint, salt, passes):
    """Which lanes send a ray for the light that they may get: SHARE.

    Rays for light fainter than `faint` are sent by chance only, and then stand for those that are not sent.
    """
    catching, catches = world.catching, world.catches
    for i in range(n):
        r, g, b = w[ln.LIGHT_R + i], w[ln.LIGHT_G + i], w[ln.LIGHT_B + i]
        w[ln.SHARE + i] = ZERO
        if not r + g + b >= f32(1e-6):  # nor what is no number
            continue
        chance = max(r, max(g, b))
        if chance < faint:
            if unit(mix(u32(q[ln.KEY + i] ^ salt))) * faint >= chance:
                continue
            scale = faint / chance
            r, g, b = r * scale, g * scale, b * scale
            w[ln.LIGHT_R + i], w[ln.LIGHT_G + i], w[ln.LIGHT_B + i] = r, g, b
        w[ln.SHARE + i] = ONE
        if depth == 0 and catching and catches[q[ln.INSTANCE + i]]:
            film[q[ln.PIXEL + i], OPEN] += luminance(r, g, b)
        if depth == 0 and passes:
            film[q[ln.PIXEL + i], UNSHADED] += luminance(r, g, b)


@kernel
def _add_light(world, w, q, n, depth, film, clamp, passes):
    """Add the light that nothing keeps away from the lanes that sent a ray for it, which are the picked ones."""
    dark, catching, catches = world.dark, world.catching, world.catches
    for j in range(n):
        i = i64(q[ln.PICK + j])
        r, g, b, share = w[ln.LIGHT_R + i], w[ln.LIGHT_G + i], w[ln.LIGHT_B + i], w[ln.SHARE + i]
        k = i64(q[ln.LAMP + i])
        if share < ONE:
            # What a weak shadow lets through no scattered ray finds: it counts in full, without the balance of _weigh.
            ratio = heeded(w[ln.DRAWN + i]) / max(w[ln.CHANCE + i], f32(1e-12))
            share += (ONE - dark[k, q[ln.INSTANCE + i]]) * (ONE - share) * (ONE + ratio * ratio)
            if share <= ZERO:
                continue
            r, g, b = r * share, g * share, b * share
        if depth == 0 and catching and catches[q[ln.INSTANCE + i]]:
            film[q[ln.PIXEL + i], CAUGHT] += luminance(r, g, b)
            continue
        if depth == 0 and passes:
            film[q[ln.PIXEL + i], SHADED] += luminance(r, g, b)
        add(film, w, q, i, k, r, g, b, clamp, passes)


@kernel
def go_on(w, n, depth):
    """Throughput of the drawn directions, and which lanes go on."""
    for i in range(n):
        in_x, in_y, in_z = w[ln.IN_X + i], w[ln.IN_Y + i], w[ln.IN_Z + i]
        dx = w[ln.TX + i] * in_x + w[ln.WX + i] * in_y + w[ln.NX + i] * in_z
        dy = w[ln.TY + i] * in_x + w[ln.WY + i] * in_y + w[ln.NY + i] * in_z
        dz = w[ln.TZ + i] * in_x + w[ln.WZ + i] * in_y + w[ln.NZ + i] * in_z
        flat = w[ln.GX + i] * dx + w[ln.GY + i] * dy + w[ln.GZ + i] * dz
        w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i] = dx, dy, dz
        density = w[ln.DRAWN + i]
        w[ln.DENSITY + i] = density
        scale = ONE / max(density, f32(1e-20))
        r, g, b = (
            w[ln.TR + i] * w[ln.OUT_R + i],
            w[ln.TG + i] * w[ln.OUT_G + i],
            w[ln.TB + i] * w[ln.OUT_B + i],
        )
        r, g, b = r * scale, g * scale, b * scale
        # Roulette: dark surfaces send few paths on. The first one sends all: most noise is in what others send it.
        survival = ONE if depth == 0 else math.sqrt(min(ONE, max(r, max(g, b))))
        survival = max(survival, _LEAST_SURVIVAL)
        scale = ONE / survival
        w[ln.TR + i], w[ln.TG + i], w[ln.TB + i] = r * scale, g * scale, b * scale
        alive = min(min(in_z - f32(1e-4), flat), survival - w[ln.SURVIVES + i])
        alive = alive if r + g + b > ZERO else ZERO
        w[ln.ALIVE + i] = alive


@kernel
def _count_again(w, n, depth_limit):
    """Glass is no bounce; and a path that has had all of its bounces, and went on only through glass, is over."""
    for i in range(n):
        if w[ln.GLASS + i] > ZERO:
            w[ln.BOUNCES + i] -= ONE
        elif w[ln.BOUNCES + i] > depth_limit:
            w[ln.TR + i], w[ln.TG + i], w[ln.TB + i] = ZERO, ZERO, ZERO


@kernel
def _not_glass(w, n):
    """Lights are not sampled from glass."""
    for i in range(n):
        if w[ln.GLASS + i] > ZERO:
            w[ln.CHANCE + i] = ZERO


@kernel
def _keep_choices(w, n):
    """The numbers that choose outlive the next drawings."""
    for i in range(n):
        w[ln.WHICH + i], w[ln.SURVIVES + i] = w[ln.U + i], w[ln.V + i]


@kernel
def _split(w, n):
    """The diffuse share of what was evaluated, at the first surface."""
    for i in range(n):
        w[ln.SPLIT_R + i] = min(w[ln.EVEN_R + i] / max(w[ln.OUT_R + i], f32(1e-12)), ONE)
        w[ln.SPLIT_G + i] = min(w[ln.EVEN_G + i] / max(w[ln.OUT_G + i], f32(1e-12)), ONE)
        w[ln.SPLIT_B + i] = min(w[ln.EVEN_B + i] / max(w[ln.OUT_B + i], f32(1e-12)), ONE)


@kernel
def _catch(catches, w, q, n, film):
    """Paths end on shadow catchers that the camera sees."""
    for i in range(n):
        if catches[q[ln.INSTANCE + i]]:
            w[ln.ALIVE + i] = ZERO
            film[q[ln.PIXEL + i], CATCHER] += ONE


@kernel
def _take_pixels(w, q, first_row, last_row, left, right, width, frame_key, sequence, bits):
    """A lane for each pixel of a few rows from left to right; answers how many."""
    within = reverse_bits(u32((1 << bits) - 1))
    n = 0
    for y in range(first_row, last_row):
        for x in range(left, right):
            w[ln.LX + n], w[ln.LY + n] = f32(x), f32(y)
            q[ln.PIXEL + n] = u32(y * width + x)
            q[ln.KEY + n] = mix(u32(frame_key ^ mix(u32(u32(x) + u32(y) * u32(0x01000193) + u32(0x7F4A7C15)))))
            order, square = place_in_order(u32(x), u32(y), u32(bits))
            q[ln.SEQUENCE + n], q[ln.ORDER + n] = mix(u32(sequence ^ square)), order
            q[ln.WITHIN + n] = within
            q[ln.INSTANCE + n], q[ln.FACET + n] = u32(0), u32(0)
            n += 1
    return n


@entry
def trace_rows(
    world,
    w,
    q,
    ray,
    film,
    mattes,
    counts,
    first_row,
    last_row,
    first_column,
    last_column,
    width,
    height,
    seed,
    frame_number,
    first_sample,
    last_sample,
    bits,
    depth_limit,
    clamp,
    widen,
    faint,
    open_back,
    passes,
):
    """Add samples to a part of the film, in a workspace (see `lanes`) and with a buffer for rays.

    film (h * w, channels) float32: sums of what `film` lists; mattes and counts (h * w, SLOTS), empty without
    `passes`. Every 2^`bits` samples of a pixel are a net, and its neighbours' with them. `clamp` bounds what a path may
    bring at once after its first bounce (0: no bound); light below `faint` is looked for by chance. With
    `open_back` the camera sees letters only. Samples are added one by one in their order, so that stopping and going on
    gives the same bits as one go.
    """
    film, mattes, counts = view(film), view(mattes), view(counts)
    w, q, ray = view(w), view(q), view(ray)
    lamps, table, layered, guide = world.lights, world.albedo, world.layered, world.guide
    lights = len(lamps)
    everything = lights < MOST_AT_FIRST
    mask = SEEN_BY_CAMERA_LETTERS if open_back and not world.catching else SEEN_BY_CAMERA
    frame_key = mix(u32(u32(seed) ^ mix(u32(u32(frame_number) + u32(0x51ED270B)))))
    across = LANES // (last_row - first_row)
    for left in range(first_column, last_column, across):
        right = min(left + across, last_column)
        for sample in range(first_sample, last_sample):
            sequence = mix(u32(frame_key + u32(u32(sample) >> u32(bits))))
            n = _take_pixels(w, q, first_row, last_row, left, right, width, frame_key, sequence, bits)
            index = reverse_bits(u32(sample & ((1 << bits) - 1)))
            start(world, w, q, n, index, width, height)
            picked = ZERO
            last = depth_limit + THROUGH_GLASS if world.glassy else depth_limit
            for depth in range(last + 1):
                bound = clamp if depth >= 2 else ZERO
                salt = u32(mix(u32(index + u32(depth) * u32(0x85EBCA6B))))
                trace(world, w, q, ray, n, mask if depth == 0 else SEEN_BY_PATHS, salt, depth == 0)
                missed, shone, met = told_apart(world.light_of, w, q, n)
                if depth == 0 and missed > 0:
                    backdrop(world, w, q, n, missed, film)
                if depth > 0 and missed > 0:
                    sky(world, w, q, n, missed, picked, film, bound, passes)
                    suns(world, w, q, missed, picked, film, bound, passes)
                if depth > 0 and shone > 0:
                    lamps_met(world, w, q, shone, picked, film, bound, passes)
                n = met
                gather(world, w, q, n)
                if world.glassy:
                    absorb(w, n)
                if world.hazy and depth == 0:
                    hazed(world, w, q, n, film, passes)
                if world.glow >= 0:
                    glows(world, w, q, n, depth, picked, film, bound, passes)
                if n == 0 or depth == last:
                    break
                wide = padded(n)
                if world.grained:
                    grains(world, w, q, n, depth == 0)
                if widen > ZERO and depth > 0:
                    _widen(w, wide, widen)
                frame(w, wide)
                sides(w, q, n)
                settle(w, table, n, wide, layered)
                if depth == 0:
                    if passes:
                        first_passes(world, w, q, n, film, mattes, counts)
                    seen_albedo(w, wide)
                    _look(w, q, film, n)
                if world.glassy:
                    glass_rows(world.rows, w, q, n)
                    sample_lanes(w, q, wide, index, 5 + depth * 4)
                    meet(w, n)
                lift(w, wide)
                if guide.there:
                    find_cells(guide, w, q, n)
                if world.glassy:
                    _count_again(w, n, f32(depth_limit))
                bound = clamp if depth >= 1 else ZERO
                turns = 1
                picked = ONE
                if depth == 0:
                    turns = lights + 1 if everything else MOST_AT_FIRST
                    picked = ZERO if everything else f32(MOST_AT_FIRST)
                if picked > ZERO or world.glassy:  # else all lights are looked at, and all paths go on
                    sample_lanes(w, q, wide, index, 2 + depth * 4)
                    _keep_choices(w, wide)
                for k in range(turns):
                    kind = EVERY
                    if picked > ZERO:
                        choose(w, q, wide, world.choice, picked, k)
                    else:
                        look_at(w, q, n, k)
                        kind = int(lamps[k, KIND]) if k < lights else SKY
                    sample_lanes(w, q, wide, index, 100 + k if depth == 0 else 3 + depth * 4)
                    if kind == RECTANGLE:
                        to_rectangle(w, wide, lamps, k)
                    if kind == EVERY:
                        to_rectangles(w, q, n, lamps)
                    if kind in (EVERY, SHAPE):
                        to_shapes(world, w, q, n)
                    if kind in (EVERY, SUN):
                        to_suns(w, q, n, lamps)
                    if kind in (EVERY, SKY):
                        to_sky(world, w, q, n)
                    if world.linked:
                        _keep_touched(world, w, q, n)
                    if world.glassy:
                        _not_glass(w, n)
                    _into_frame(w, wide)
                    if kind in (EVERY, SKY):
                        sky_radiance(world, w, q, n)
                    evaluate(w, table, n, wide, layered)
                    if world.unmirrored:
                        _not_mirrored(world, w, q, n)
                    if passes and depth == 0:
                        _split(w, wide)
                    _weigh(w, wide)
                    apart = mix(u32(salt + u32(k) * u32(0x9E3779B9)))
                    _wanted(world, w, q, n, depth, film, faint, apart, passes)
                    sent = shadows(world, w, q, ray, n, depth == 0)
                    _add_light(world, w, q, sent, depth, film, bound, passes)
                sample_lanes(w, q, wide, index, 4 + depth * 4)
                if guide.there:
                    choose_guided(w, wide)
                draw(w, wide)
                if guide.there:
                    turn_guided(guide, w, q, n)
                evaluate(w, table, n, wide, layered)
                if guide.there:
                    weigh_guided(guide, w, q, n)
                if passes and depth == 0:
                    _split(w, wide)
                if world.glassy:
                    sample_lanes(w, q, wide, index, 300 + depth)
                    send(w, world.glass, n)
                go_on(w, wide, depth)
                if world.glassy:
                    take(w, n, LIFT)
                if depth == 0 and world.catching:
                    _catch(world.catches, w, q, n, film)
            for y in range(first_row, last_row):
                for x in range(left, right):
                    counted(film, y * width + x)
