"""The path tracer: paths side by side in the lanes of a workspace, surface after surface.

Each path starts at its own time in the shutter. At the first surface every light is sampled (of more than MOST_AT_FIRST
that many, chosen by power), at later ones one of them; directions drawn from the material count too, weighed against
that by the power heuristic (Veach 1997). Everything is float32: a plain literal would turn the arithmetic into float64.
"""

from __future__ import annotations

import math

import numpy as np

from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import HALF, ONE, TWO, ZERO, circle, f32, kernel, luminance, u32
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
from moss_crown.core.render.hits import (
    backdrop,
    first_passes,
    gather,
    glows,
    grains,
    hazed,
    lamps_met,
    sky,
    suns,
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
    sky_radiance,
    step_at,
    to_rectangles,
    to_shapes,
    to_sky,
    to_suns,
)
from moss_crown.core.render.lanes import LANES, PAD
from moss_crown.core.render.rays import (
    SEEN_BY_CAMERA,
    SEEN_BY_CAMERA_LETTERS,
    SEEN_BY_PATHS,
    ray_buffer,
    shadows,
    trace,
)
from moss_crown.core.render.sampling import mix, opened, place_in_order, reverse_bits, sample_lanes, unit
from moss_crown.core.render.shading import draw, evaluate, frame, seen_albedo, settle

MOST_AT_FIRST = 5
THROUGH_GLASS = 10
"""Boundaries of glass that a path may cross beside its bounces."""
_SPREAD = f32(0.42)  # standard deviation of the Gaussian pixel filter, in pixels
_LIFT = f32(2e-5)  # hits are lifted by this share of their distance from the origin: float32 neighbours lie 1e-6 apart
_LEAST_SURVIVAL = f32(0.08)


@kernel
def padded(n):
    return (n + PAD - 1) // PAD * PAD


@kernel
def _filter(w, n):
    """How far a sample lies from its pixel's middle: Gaussian, into LZ."""
    for i in range(n):
        w[ln.LZ + i] = _SPREAD * math.sqrt(-TWO * math.log(ONE - w[ln.U + i]))


@kernel
def _pinhole(w, n, camera, lens, steps, width, height):
    """Camera rays through the pixels at LX and LY, from U and V and their times."""
    across_step, down_step = TWO / f32(width), TWO / f32(height)
    for i in range(n):
        across, down = circle(w[ln.V + i])
        radius = w[ln.LZ + i]
        cx = ((w[ln.LX + i] + HALF + radius * across) * across_step - ONE - lens[2]) * lens[0]
        cy = (ONE - (w[ln.LY + i] + HALF + radius * down) * down_step - lens[3]) * lens[1]
        step, following, share = step_at(w[ln.TIME + i], steps)
        rest = ONE - share
        w[ln.DX + i] = (camera[step, 0] * cx + camera[step, 1] * cy - camera[step, 2]) * rest + (
            camera[following, 0] * cx + camera[following, 1] * cy - camera[following, 2]
        ) * share
        w[ln.DY + i] = (camera[step, 4] * cx + camera[step, 5] * cy - camera[step, 6]) * rest + (
            camera[following, 4] * cx + camera[following, 5] * cy - camera[following, 6]
        ) * share
        w[ln.DZ + i] = (camera[step, 8] * cx + camera[step, 9] * cy - camera[step, 10]) * rest + (
            camera[following, 8] * cx + camera[following, 9] * cy - camera[following, 10]
        ) * share
        w[ln.OX + i] = camera[step, 3] * rest + camera[following, 3] * share
        w[ln.OY + i] = camera[step, 7] * rest + camera[following, 7] * share
        w[ln.OZ + i] = camera[step, 11] * rest + camera[following, 11] * share


@kernel
def _through_lens(w, n, camera, lens, steps):
    """A thin lens: all rays through it meet at the distance of focus (Cook, Porter and Carpenter, 1984)."""
    for i in range(n):
        u, v = opened(w[ln.U + i], w[ln.V + i], lens[6])
        u, v = u * lens[4], v * lens[4]
        step, _, _ = step_at(w[ln.TIME + i], steps)
        mx = camera[step, 0] * u + camera[step, 1] * v
        my = camera[step, 4] * u + camera[step, 5] * v
        mz = camera[step, 8] * u + camera[step, 9] * v
        w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i] = (
            w[ln.OX + i] + mx,
            w[ln.OY + i] + my,
            w[ln.OZ + i] + mz,
        )
        w[ln.DX + i] = w[ln.DX + i] * lens[5] - mx
        w[ln.DY + i] = w[ln.DY + i] * lens[5] - my
        w[ln.DZ + i] = w[ln.DZ + i] * lens[5] - mz


@kernel
def _begin(w, n):
    for i in range(n):
        dx, dy, dz = w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i]
        scale = ONE / math.sqrt(dx * dx + dy * dy + dz * dz)
        w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i] = dx * scale, dy * scale, dz * scale
        w[ln.TR + i], w[ln.TG + i], w[ln.TB + i] = ONE, ONE, ONE
        w[ln.DENSITY + i], w[ln.ALIVE + i], w[ln.BOUNCES + i] = ONE, ONE, ZERO
        w[ln.MEDIUM_R + i], w[ln.MEDIUM_G + i], w[ln.MEDIUM_B + i] = ZERO, ZERO, ZERO


@kernel
def _start(poses, camera, lens, w, q, n, index, width, height):
    """Camera rays of the lanes, whose pixels stand in LX and LY."""
    steps = poses.shape[1]
    wide = padded(n)
    if steps > 1:
        sample_lanes(w, q, wide, index, 1)
    for i in range(wide):
        w[ln.TIME + i] = w[ln.U + i] if steps > 1 else ZERO
    sample_lanes(w, q, wide, index, 0)
    _filter(w, n)
    _pinhole(w, n, camera, lens, steps, width, height)
    if lens[4] > ZERO:
        sample_lanes(w, q, wide, index, 90)
        _through_lens(w, n, camera, lens, steps)
    _begin(w, wide)


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
def _lift(w, n):
    """Move the lanes to their hits, off the surface."""
    for i in range(n):
        far = w[ln.FAR + i]
        px, py, pz = (
            w[ln.OX + i] + w[ln.DX + i] * far,
            w[ln.OY + i] + w[ln.DY + i] * far,
            w[ln.OZ + i] + w[ln.DZ + i] * far,
        )
        lift = _LIFT * max(ONE, max(abs(px), max(abs(py), abs(pz))))
        w[ln.OX + i] = px + w[ln.GX + i] * lift
        w[ln.OY + i] = py + w[ln.GY + i] * lift
        w[ln.OZ + i] = pz + w[ln.GZ + i] * lift
        w[ln.BOUNCES + i] = w[ln.BOUNCES + i] + ONE


@kernel
def _keep_touched(touches, w, q, n):
    """Lamps that do not light a lane's facet have no chance there."""
    for i in range(n):
        if not touches[q[ln.LAMP + i], q[ln.INSTANCE + i]] >> q[ln.FACET + i] & 1:
            w[ln.CHANCE + i] = ZERO


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
        ratio = drawn / max(chance, f32(1e-12))
        scale = ONE / (max(chance, f32(1e-12)) * (ONE + ratio * ratio))
        scale = scale if chance > ZERO else ZERO
        w[ln.LIGHT_R + i] = w[ln.LIGHT_R + i] * scale * w[ln.OUT_R + i] * w[ln.TR + i]
        w[ln.LIGHT_G + i] = w[ln.LIGHT_G + i] * scale * w[ln.OUT_G + i] * w[ln.TG + i]
        w[ln.LIGHT_B + i] = w[ln.LIGHT_B + i] * scale * w[ln.OUT_B + i] * w[ln.TB + i]


@kernel
def _wanted(catching, catches, w, q, n, depth, film, faint, salt, passes):
    """Which lanes send a ray for the light that they may get: SHARE.

    Rays for light fainter than `faint` are sent by chance only, and then stand for those that are not sent.
    """
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
def _add_light(dark, catching, catches, w, q, n, depth, film, clamp, passes):
    """Add the light that nothing keeps away from the lanes that sent a ray for it, which are the picked ones."""
    for j in range(n):
        i = int(q[ln.PICK + j])
        r, g, b, share = w[ln.LIGHT_R + i], w[ln.LIGHT_G + i], w[ln.LIGHT_B + i], w[ln.SHARE + i]
        k = int(q[ln.LAMP + i])
        if share < ONE:
            # What a weak shadow lets through no scattered ray finds: it counts in full, without the balance of _weigh.
            ratio = w[ln.DRAWN + i] / max(w[ln.CHANCE + i], f32(1e-12))
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
def _go_on(w, n, depth):
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
        alive = min(min(in_z - f32(1e-4), flat), survival - w[ln.V2 + i])
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
def _keep_chance(w, n):
    """Roulette's number outlives the next drawing."""
    for i in range(n):
        w[ln.V2 + i] = w[ln.V + i]


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
def _paths(world, w, q, ray, n, index, film, mattes, counts, width, height, depth_limit, clamp, faint, mask, passes):
    """Take n lanes from the camera to their ends."""
    lamps, choice, touches = world.lights, world.choice, world.touches
    pieces, owners, first_piece, poses = world.pieces, world.piece_instance, world.first_piece, world.poses
    first_triangle, corners, rows, table = world.first_triangle, world.corners, world.rows, world.albedo
    surround, light_of, lens, layered = world.surround, world.light_of, world.lens, world.layered
    lights = len(lamps)
    everything = lights < MOST_AT_FIRST
    _start(poses, world.camera, lens, w, q, n, index, width, height)
    picked = ZERO
    last = depth_limit + THROUGH_GLASS if world.glassy else depth_limit
    for depth in range(last + 1):
        bound = clamp if depth >= 2 else ZERO
        salt = u32(mix(u32(index + u32(depth) * u32(0x85EBCA6B))))
        trace(
            world.scene,
            world.veiled,
            rows,
            world.facet,
            light_of,
            first_triangle,
            world.surface,
            w,
            q,
            ray,
            n,
            mask if depth == 0 else SEEN_BY_PATHS,
            salt,
            depth == 0,
        )
        if depth == 0:
            backdrop(surround.radiance, surround.density, surround.turn, w, q, n, film)
        else:
            sky(
                surround.radiance,
                surround.density,
                surround.turn,
                choice,
                touches,
                w,
                q,
                n,
                picked,
                film,
                bound,
                passes,
            )
            suns(lamps, choice, touches, w, q, n, picked, film, bound, passes)
            lamps_met(
                lamps,
                choice,
                touches,
                light_of,
                pieces,
                owners,
                poses,
                first_piece,
                w,
                q,
                n,
                picked,
                film,
                bound,
                passes,
            )
        n = gather(rows, world.normals, world.facet, poses, light_of, first_triangle, world.surface, w, q, n)
        if world.glassy:
            absorb(w, n)
        if world.hazy and depth == 0:
            hazed(world.haze, world.camera, world.catches, w, q, n, lights, film, passes)
        if world.glow >= 0:
            glows(choice, world.glow, first_piece, pieces, owners, poses, w, q, n, depth, picked, film, bound, passes)
        if n == 0 or depth == last:
            return
        wide = padded(n)
        if world.grained:
            grains(rows, corners, world.rest, first_triangle, w, q, n, depth == 0)
        frame(w, wide)
        settle(w, table, n, wide, layered)
        if depth == 0:
            if passes:
                first_passes(
                    poses,
                    world.later,
                    world.camera,
                    world.later_camera,
                    corners,
                    first_triangle,
                    lens,
                    w,
                    q,
                    n,
                    film,
                    mattes,
                    counts,
                )
            seen_albedo(w, wide)
            _look(w, q, film, n)
        if world.glassy:
            glass_rows(rows, w, q, n)
            sample_lanes(w, q, wide, index, 5 + depth * 4)
            meet(w, n)
        _lift(w, wide)
        if world.glassy:
            _count_again(w, n, f32(depth_limit))
        bound = clamp if depth >= 1 else ZERO
        turns = 1
        picked = ONE
        if depth == 0:
            turns = lights + 1 if everything else MOST_AT_FIRST
            picked = ZERO if everything else f32(MOST_AT_FIRST)
        for k in range(turns):
            kind = EVERY
            if picked > ZERO:
                sample_lanes(w, q, wide, index, 2 + depth * 4)
                choose(w, q, n, choice, picked, k)
            else:
                look_at(w, q, n, k)
                kind = int(lamps[k, KIND]) if k < lights else SKY
            sample_lanes(w, q, wide, index, 100 + k if depth == 0 else 3 + depth * 4)
            if kind in (EVERY, RECTANGLE):
                to_rectangles(w, q, n, lamps)
            if kind in (EVERY, SHAPE):
                to_shapes(lamps, pieces, owners, world.rise, poses, w, q, n)
            if kind in (EVERY, SUN):
                to_suns(w, q, n, lamps)
            if kind in (EVERY, SKY):
                to_sky(
                    w,
                    q,
                    n,
                    lights,
                    surround.rows,
                    surround.row_guide,
                    surround.cells,
                    surround.cell_guide,
                    surround.edges,
                    surround.density,
                    surround.turn,
                )
            if world.linked:
                _keep_touched(touches, w, q, n)
            if world.glassy:
                _not_glass(w, n)
            _into_frame(w, wide)
            if kind in (EVERY, SKY):
                sky_radiance(w, q, n, lights, surround.radiance)
            evaluate(w, table, n, wide, layered)
            if passes and depth == 0:
                _split(w, wide)
            _weigh(w, wide)
            apart = mix(u32(salt + u32(k) * u32(0x9E3779B9)))
            _wanted(world.catching, world.catches, w, q, n, depth, film, faint, apart, passes)
            sent = shadows(
                world.scene,
                world.veiled,
                rows,
                world.facet,
                light_of,
                first_triangle,
                world.surface,
                w,
                q,
                ray,
                n,
                depth == 0,
            )
            _add_light(world.dark, world.catching, world.catches, w, q, sent, depth, film, bound, passes)
        sample_lanes(w, q, wide, index, 2 + depth * 4)
        _keep_chance(w, wide)
        sample_lanes(w, q, wide, index, 4 + depth * 4)
        draw(w, wide)
        evaluate(w, table, n, wide, layered)
        if passes and depth == 0:
            _split(w, wide)
        if world.glassy:
            sample_lanes(w, q, wide, index, 300 + depth)
            send(w, world.glass, n)
        _go_on(w, wide, depth)
        if world.glassy:
            take(w, n, _LIFT)
        if depth == 0 and world.catching:
            _catch(world.catches, w, q, n, film)


@kernel
def trace_rows(
    world,
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
    faint,
    open_back,
    passes,
):
    """Add samples to a part of the film.

    film (h * w, channels) float32: sums of what `film` lists; mattes and counts (h * w, SLOTS), empty without
    `passes`. Every 2^`bits` samples of a pixel are a net, and its neighbours' with them. `clamp` bounds what a path may
    bring at once after its first bounce (0: no bound); light below `faint` is looked for by chance. With
    `open_back` the camera sees letters only. Samples are added one by one in their order, so that stopping and going on
    gives the same bits as one go.
    """
    w, q = np.zeros(ln.SIZE, np.float32), np.zeros(ln.WHOLE_SIZE, np.uint32)
    ray = ray_buffer()
    mask = SEEN_BY_CAMERA_LETTERS if open_back and not world.catching else SEEN_BY_CAMERA
    frame_key = mix(u32(u32(seed) ^ mix(u32(u32(frame_number) + u32(0x51ED270B)))))
    rows = last_row - first_row
    across = LANES // rows
    within = reverse_bits(u32((1 << bits) - 1))
    for left in range(first_column, last_column, across):
        right = min(left + across, last_column)
        for sample in range(first_sample, last_sample):
            sequence = mix(u32(frame_key + u32(u32(sample) >> u32(bits))))
            n = np.int64(0)  # a literal would have everything compiled a second time
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
            index = reverse_bits(u32(sample & ((1 << bits) - 1)))
            _paths(
                world, w, q, ray, n, index, film, mattes, counts, width, height, depth_limit, clamp, faint, mask, passes
            )
            for y in range(first_row, last_row):
                for x in range(left, right):
                    counted(film, y * width + x)
