"""The path tracer: one compiled loop over rows, pixels and samples.

Each path starts at its own time in the shutter. At the first surface every light and the environment are sampled, at
later ones one of them; directions drawn from the material count too, weighed against that by the power heuristic
(Veach 1997). Everything is float32: a plain literal would turn the arithmetic into float64.
"""

from __future__ import annotations

import math

import numba
import numpy as np

from moss_crown.core.render.embree import intersect1, occluded1
from moss_crown.core.render.environment_map import draw_direction, find, seen
from moss_crown.core.render.sampling import mix, opened, reverse_bits, sample2, u32
from moss_crown.core.render.shading import (
    HALF,
    NUMBERS,
    ONE,
    TWO,
    TWO_PI,
    ZERO,
    draw,
    evaluate,
    f32,
    luminance,
    seen_albedo,
    settle,
    tangents,
)
from moss_crown.core.render.texturing import textured

_FAR = f32(1e30)
_SPREAD = f32(0.42)  # standard deviation of the Gaussian pixel filter, in pixels
_LIFT = f32(2e-5)  # hits are lifted by this share of their distance from the origin: float32 neighbours lie 1e-6 apart
_SHADOW_END = f32(0.9995)
_LEAST_SURVIVAL = f32(0.08)
_SEEN_BY_CAMERA, _SEEN_BY_CAMERA_LETTERS, _SEEN_BY_PATHS, _CASTS_SHADOW = u32(5), u32(1), u32(7), u32(5)
_NONE = u32(0xFFFFFFFF)


@numba.njit(cache=True, inline="always")
def _ray_buffer():
    """Room for an RTCRayHit at an address that is a multiple of 64."""
    raw = np.zeros(64, np.float32)
    start = (-raw.ctypes.data % 64) // 4
    return raw[start : start + 32]


@numba.njit(cache=True, inline="always")
def _aim(ray, words, ox, oy, oz, dx, dy, dz, time, far, mask):
    ray[0], ray[1], ray[2], ray[3] = ox, oy, oz, ZERO
    ray[4], ray[5], ray[6], ray[7] = dx, dy, dz, time
    ray[8] = far
    words[9], words[10], words[11] = mask, u32(0), u32(0)
    words[17], words[18], words[19], words[20] = _NONE, _NONE, _NONE, _NONE


@numba.njit(cache=True, inline="always")
def _blocked(scene, address, ray, words, ox, oy, oz, dx, dy, dz, time, far):
    _aim(ray, words, ox, oy, oz, dx, dy, dz, time, far, _CASTS_SHADOW)
    occluded1(scene, address, 0)
    return (words[8] >> u32(31)) != u32(0)  # tfar became minus infinity


@numba.njit(cache=True, inline="always")
def _light_density(lamps, k, cosine, distance2):
    """Density a steradian of even points on light k."""
    return distance2 / (cosine * lamps[k, 15])


@numba.njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz", "afn", "reassoc"})
def trace_rows(
    world,
    film,
    first_row,
    last_row,
    width,
    height,
    seed,
    frame,
    first_sample,
    last_sample,
    depth_limit,
    clamp,
    open_back,
):
    """Add samples to rows of the film.

    film (h, w, 12) float32 sums: beauty rgb, alpha, albedo rgb, normal xyz, depth, hits. `clamp` bounds what one
    sample may gather after its first bounce (0: no bound). With `open_back` the camera sees letters only. Samples are
    added one by one in their order, so that stopping and going on gives the same bits as one go.
    """
    ray = _ray_buffer()
    words = ray.view(np.uint32)
    address = ray.ctypes.data
    here = np.empty(NUMBERS, np.float32)
    point = np.empty(8, np.float32)
    scene, second, surround, lens = world.scene, world.second, world.surround, world.lens
    rows, albedo, normals, facet = world.rows, world.albedo, world.normals, world.facet
    corners, rest = world.corners, world.rest
    poses, camera, surface, first_triangle = world.poses, world.camera, world.surface, world.first_triangle
    lamps, choice, light_of = world.lights, world.choice, world.light_of
    lights = len(lamps)
    steps = poses.shape[1]
    camera_mask = _SEEN_BY_CAMERA_LETTERS if open_back else _SEEN_BY_CAMERA
    frame_key = mix(u32(u32(seed) ^ mix(u32(u32(frame) + u32(0x51ED270B)))))
    for y in range(first_row, last_row):
        for x in range(width):
            pixel = mix(u32(frame_key ^ mix(u32(u32(x) + u32(y) * u32(0x01000193) + u32(0x7F4A7C15)))))
            for sample in range(first_sample, last_sample):
                index = reverse_bits(u32(sample))
                u, v = sample2(second, pixel, index, 0)
                time = ZERO
                if steps > 1:
                    time, _ = sample2(second, pixel, index, 1)
                radius = _SPREAD * math.sqrt(-TWO * math.log(ONE - u))
                film_x = (f32(x) + HALF + radius * math.cos(TWO_PI * v)) / f32(width) * TWO - ONE
                film_y = ONE - (f32(y) + HALF + radius * math.sin(TWO_PI * v)) / f32(height) * TWO
                cx = (film_x - lens[2]) * lens[0]
                cy = (film_y - lens[3]) * lens[1]
                if steps > 1:
                    at = time * f32(steps - 1)
                    step = min(int(at), steps - 2)
                    share = at - f32(step)
                else:
                    step, share = 0, ZERO
                following = min(step + 1, steps - 1)
                dx = (camera[step, 0] * cx + camera[step, 1] * cy - camera[step, 2]) * (ONE - share) + (
                    camera[following, 0] * cx + camera[following, 1] * cy - camera[following, 2]
                ) * share
                dy = (camera[step, 4] * cx + camera[step, 5] * cy - camera[step, 6]) * (ONE - share) + (
                    camera[following, 4] * cx + camera[following, 5] * cy - camera[following, 6]
                ) * share
                dz = (camera[step, 8] * cx + camera[step, 9] * cy - camera[step, 10]) * (ONE - share) + (
                    camera[following, 8] * cx + camera[following, 9] * cy - camera[following, 10]
                ) * share
                ox = camera[step, 3] + (camera[following, 3] - camera[step, 3]) * share
                oy = camera[step, 7] + (camera[following, 7] - camera[step, 7]) * share
                oz = camera[step, 11] + (camera[following, 11] - camera[step, 11]) * share
                if lens[4] > ZERO:
                    # A thin lens: all rays through it meet at the distance of focus (Cook, Porter and Carpenter, 1984).
                    u, v = sample2(second, pixel, index, 90)
                    u, v = opened(u, v, lens[6])
                    u, v = u * lens[4], v * lens[4]
                    fx, fy, fz = ox + dx * lens[5], oy + dy * lens[5], oz + dz * lens[5]
                    ox += camera[step, 0] * u + camera[step, 1] * v
                    oy += camera[step, 4] * u + camera[step, 5] * v
                    oz += camera[step, 8] * u + camera[step, 9] * v
                    dx, dy, dz = fx - ox, fy - oy, fz - oz
                scale = ONE / math.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx * scale, dy * scale, dz * scale

                through_r, through_g, through_b = ONE, ONE, ONE
                direct_r, direct_g, direct_b = ZERO, ZERO, ZERO
                later_r, later_g, later_b = ZERO, ZERO, ZERO
                density = ZERO  # with which the last surface drew this direction
                for depth in range(depth_limit + 1):
                    mask = camera_mask if depth == 0 else _SEEN_BY_PATHS
                    _aim(ray, words, ox, oy, oz, dx, dy, dz, time, _FAR, mask)
                    intersect1(scene, address, 0)
                    if words[18] == _NONE:
                        if depth > 0:
                            r, g, b_, chance = seen(surround, dx, dy, dz)
                            if depth > 1:
                                chance = chance * (choice[lights + 1] - choice[lights])
                            weight = density * density / (density * density + chance * chance)
                            r, g, b_ = r * through_r * weight, g * through_g * weight, b_ * through_b * weight
                            if depth == 1:
                                direct_r, direct_g, direct_b = direct_r + r, direct_g + g, direct_b + b_
                            else:
                                later_r, later_g, later_b = later_r + r, later_g + g, later_b + b_
                        break
                    instance = int(words[19])
                    far = ray[8]
                    light = light_of[instance]
                    if light >= 0:
                        cosine = -(dx * lamps[light, 9] + dy * lamps[light, 10] + dz * lamps[light, 11])
                        if cosine > ZERO:
                            chance = _light_density(lamps, light, cosine, far * far)
                            if depth > 1:
                                chance = chance * (choice[light + 1] - choice[light])
                            weight = density * density / (density * density + chance * chance)
                            r = lamps[light, 12] * through_r * weight
                            g = lamps[light, 13] * through_g * weight
                            b_ = lamps[light, 14] * through_b * weight
                            if depth == 1:
                                direct_r, direct_g, direct_b = direct_r + r, direct_g + g, direct_b + b_
                            else:
                                later_r, later_g, later_b = later_r + r, later_g + g, later_b + b_
                        break

                    triangle = first_triangle[instance] + int(words[17])
                    material = surface[instance, facet[triangle]]
                    if rows[material, 9] + rows[material, 10] + rows[material, 11] > ZERO:
                        r, g, b_ = (
                            through_r * rows[material, 9],
                            through_g * rows[material, 10],
                            through_b * rows[material, 11],
                        )
                        if depth <= 1:
                            direct_r, direct_g, direct_b = direct_r + r, direct_g + g, direct_b + b_
                        else:
                            later_r, later_g, later_b = later_r + r, later_g + g, later_b + b_
                    if depth == depth_limit:
                        break

                    # The surface: its pose at this time, normals to the world by the cofactor matrix.
                    m0 = poses[instance, step, 0] + (poses[instance, following, 0] - poses[instance, step, 0]) * share
                    m1 = poses[instance, step, 1] + (poses[instance, following, 1] - poses[instance, step, 1]) * share
                    m2 = poses[instance, step, 2] + (poses[instance, following, 2] - poses[instance, step, 2]) * share
                    m4 = poses[instance, step, 4] + (poses[instance, following, 4] - poses[instance, step, 4]) * share
                    m5 = poses[instance, step, 5] + (poses[instance, following, 5] - poses[instance, step, 5]) * share
                    m6 = poses[instance, step, 6] + (poses[instance, following, 6] - poses[instance, step, 6]) * share
                    m8 = poses[instance, step, 8] + (poses[instance, following, 8] - poses[instance, step, 8]) * share
                    m9 = poses[instance, step, 9] + (poses[instance, following, 9] - poses[instance, step, 9]) * share
                    m10 = (
                        poses[instance, step, 10] + (poses[instance, following, 10] - poses[instance, step, 10]) * share
                    )
                    c00, c01, c02 = m5 * m10 - m6 * m9, m6 * m8 - m4 * m10, m4 * m9 - m5 * m8
                    c10, c11, c12 = m2 * m9 - m1 * m10, m0 * m10 - m2 * m8, m1 * m8 - m0 * m9
                    c20, c21, c22 = m1 * m6 - m2 * m5, m2 * m4 - m0 * m6, m0 * m5 - m1 * m4
                    gx, gy, gz = ray[12], ray[13], ray[14]
                    bu, bv = ray[15], ray[16]
                    bw = ONE - bu - bv
                    sx = normals[triangle, 0, 0] * bw + normals[triangle, 1, 0] * bu + normals[triangle, 2, 0] * bv
                    sy = normals[triangle, 0, 1] * bw + normals[triangle, 1, 1] * bu + normals[triangle, 2, 1] * bv
                    sz = normals[triangle, 0, 2] * bw + normals[triangle, 1, 2] * bu + normals[triangle, 2, 2] * bv
                    r, g, b_ = rows[material, 0], rows[material, 1], rows[material, 2]
                    metal, rough = rows[material, 3], rows[material, 4]
                    if rows[material, 12] > ZERO:
                        lx = corners[triangle, 0] * bw + corners[triangle, 3] * bu + corners[triangle, 6] * bv
                        ly = corners[triangle, 1] * bw + corners[triangle, 4] * bu + corners[triangle, 7] * bv
                        lz = corners[triangle, 2] * bw + corners[triangle, 5] * bu + corners[triangle, 8] * bv
                        # To the title at rest, or afresh on each letter: far from where any other one looks.
                        if rows[material, 23] > ZERO:
                            own = rest[instance, 12]
                            q0, q1, q2, q3 = ONE, ZERO, ZERO, own * f32(3.71)
                            q4, q5, q6, q7 = ZERO, ONE, ZERO, own * f32(1.93)
                            q8, q9, q10, q11 = ZERO, ZERO, ONE, own * f32(2.47)
                        else:
                            q0, q1, q2, q3 = rest[instance, 0], rest[instance, 1], rest[instance, 2], rest[instance, 3]
                            q4, q5, q6, q7 = rest[instance, 4], rest[instance, 5], rest[instance, 6], rest[instance, 7]
                            q8, q9, q10, q11 = (
                                rest[instance, 8],
                                rest[instance, 9],
                                rest[instance, 10],
                                rest[instance, 11],
                            )
                        point[0] = q0 * lx + q1 * ly + q2 * lz + q3
                        point[1] = q4 * lx + q5 * ly + q6 * lz + q7
                        point[2] = q8 * lx + q9 * ly + q10 * lz + q11
                        point[3] = q0 * sx + q1 * sy + q2 * sz
                        point[4] = q4 * sx + q5 * sy + q6 * sz
                        point[5] = q8 * sx + q9 * sy + q10 * sz
                        point[6] = ONE if facet[triangle] == 1 or facet[triangle] == 3 else ZERO
                        point[7] = ONE if depth == 0 else ZERO
                        textured(rows.ctypes.data, material, point.ctypes.data)
                        r, g, b_, metal, rough = point[0], point[1], point[2], point[3], point[4]
                        ex, ey, ez = point[5], point[6], point[7]
                        hx = q0 * ex + q4 * ey + q8 * ez
                        hy = q1 * ex + q5 * ey + q9 * ez
                        hz = q2 * ex + q6 * ey + q10 * ez
                        # Bumps turn the normal against the slope along the surface (Blinn, 1978).
                        along = hx * sx + hy * sy + hz * sz
                        sx, sy, sz = sx - hx + along * sx, sy - hy + along * sy, sz - hz + along * sz
                    nx, ny, nz = (
                        c00 * sx + c01 * sy + c02 * sz,
                        c10 * sx + c11 * sy + c12 * sz,
                        c20 * sx + c21 * sy + c22 * sz,
                    )
                    gx, gy, gz = (
                        c00 * gx + c01 * gy + c02 * gz,
                        c10 * gx + c11 * gy + c12 * gz,
                        c20 * gx + c21 * gy + c22 * gz,
                    )
                    scale = ONE / math.sqrt(gx * gx + gy * gy + gz * gz + f32(1e-30))
                    gx, gy, gz = gx * scale, gy * scale, gz * scale
                    scale = ONE / math.sqrt(nx * nx + ny * ny + nz * nz + f32(1e-30))
                    nx, ny, nz = nx * scale, ny * scale, nz * scale
                    if gx * dx + gy * dy + gz * dz > ZERO:
                        gx, gy, gz = -gx, -gy, -gz
                    if nx * gx + ny * gy + nz * gz < ZERO:
                        nx, ny, nz = -nx, -ny, -nz
                    facing = -(nx * dx + ny * dy + nz * dz)
                    if facing < f32(1e-3):  # a smooth normal that looks away: fall back on the flat one
                        nx, ny, nz = gx, gy, gz
                        facing = max(-(nx * dx + ny * dy + nz * dz), f32(1e-3))

                    tx, ty, tz, wx, wy, wz = tangents(nx, ny, nz)
                    out_x, out_y = -(tx * dx + ty * dy + tz * dz), -(wx * dx + wy * dy + wz * dz)
                    scale = ONE / math.sqrt(out_x * out_x + out_y * out_y + facing * facing)
                    out_x, out_y, out_z = out_x * scale, out_y * scale, facing * scale
                    settle(
                        here,
                        albedo,
                        r,
                        g,
                        b_,
                        metal,
                        rough,
                        rows[material, 5],
                        rows[material, 6],
                        rows[material, 7],
                        rows[material, 8],
                        out_z,
                    )
                    if depth == 0:
                        film[y, x, 3] += ONE
                        film[y, x, 4] += min(seen_albedo(albedo, here, 0, out_z) + rows[material, 9], ONE)
                        film[y, x, 5] += min(seen_albedo(albedo, here, 1, out_z) + rows[material, 10], ONE)
                        film[y, x, 6] += min(seen_albedo(albedo, here, 2, out_z) + rows[material, 11], ONE)
                        film[y, x, 7] += nx
                        film[y, x, 8] += ny
                        film[y, x, 9] += nz
                        film[y, x, 10] += far

                    px, py, pz = ox + dx * far, oy + dy * far, oz + dz * far
                    lift = _LIFT * max(ONE, max(abs(px), max(abs(py), abs(pz))))
                    ox, oy, oz = px + gx * lift, py + gy * lift, pz + gz * lift

                    # Light from the lamps and the environment.
                    first_light, last_light = 0, lights + 1
                    picked = ONE
                    u, survive = sample2(second, pixel, index, 2 + depth * 4)
                    if depth > 0:
                        first_light = min(find(choice, u), lights)
                        last_light = first_light + 1
                        picked = choice[first_light + 1] - choice[first_light]
                    for k in range(first_light, last_light):
                        dimension = 100 + k if depth == 0 else 3 + depth * 4
                        u, v = sample2(second, pixel, index, dimension)
                        if k < lights:
                            du, dv = u * TWO - ONE, v * TWO - ONE
                            lx = lamps[k, 0] + lamps[k, 3] * du + lamps[k, 6] * dv - ox
                            ly = lamps[k, 1] + lamps[k, 4] * du + lamps[k, 7] * dv - oy
                            lz = lamps[k, 2] + lamps[k, 5] * du + lamps[k, 8] * dv - oz
                            distance2 = lx * lx + ly * ly + lz * lz
                            distance = math.sqrt(distance2)
                            scale = ONE / max(distance, f32(1e-20))
                            lx, ly, lz = lx * scale, ly * scale, lz * scale
                            cosine = -(lx * lamps[k, 9] + ly * lamps[k, 10] + lz * lamps[k, 11])
                            if cosine <= ZERO:
                                continue
                            chance = _light_density(lamps, k, cosine, distance2)
                            er, eg, eb = lamps[k, 12], lamps[k, 13], lamps[k, 14]
                            reach = distance * _SHADOW_END
                        else:
                            lx, ly, lz, chance, er, eg, eb = draw_direction(surround, u, v)
                            reach = _FAR
                        in_z = nx * lx + ny * ly + nz * lz
                        if in_z <= f32(1e-4) or gx * lx + gy * ly + gz * lz <= ZERO:
                            continue
                        in_x, in_y = tx * lx + ty * ly + tz * lz, wx * lx + wy * ly + wz * lz
                        r, g, b_, drawn = evaluate(albedo, here, out_x, out_y, out_z, in_x, in_y, in_z)
                        chance = chance * picked
                        weight = chance / (chance * chance + drawn * drawn)
                        r = r * er * weight * through_r
                        g = g * eg * weight * through_g
                        b_ = b_ * eb * weight * through_b
                        if r + g + b_ < f32(1e-6) or _blocked(
                            scene, address, ray, words, ox, oy, oz, lx, ly, lz, time, reach
                        ):
                            continue
                        if depth == 0:
                            direct_r, direct_g, direct_b = direct_r + r, direct_g + g, direct_b + b_
                        else:
                            later_r, later_g, later_b = later_r + r, later_g + g, later_b + b_

                    # Go on in a direction drawn from the material.
                    u, v = sample2(second, pixel, index, 4 + depth * 4)
                    in_x, in_y, in_z = draw(here, out_x, out_y, out_z, u, v)
                    if in_z <= f32(1e-4):
                        break
                    dx, dy, dz = (
                        tx * in_x + wx * in_y + nx * in_z,
                        ty * in_x + wy * in_y + ny * in_z,
                        tz * in_x + wz * in_y + nz * in_z,
                    )
                    if gx * dx + gy * dy + gz * dz <= ZERO:
                        break
                    r, g, b_, density = evaluate(albedo, here, out_x, out_y, out_z, in_x, in_y, in_z)
                    scale = ONE / max(density, f32(1e-20))
                    through_r, through_g, through_b = (
                        through_r * r * scale,
                        through_g * g * scale,
                        through_b * b_ * scale,
                    )
                    # Roulette: dark surfaces send few paths on. At the first one the root, since much light comes then.
                    survival = min(ONE, max(through_r, max(through_g, through_b)))
                    if depth == 0:
                        survival = math.sqrt(survival)
                    survival = max(survival, _LEAST_SURVIVAL)
                    if survive >= survival:
                        break
                    scale = ONE / survival
                    through_r, through_g, through_b = through_r * scale, through_g * scale, through_b * scale
                if clamp > ZERO:
                    bright = luminance(later_r, later_g, later_b)
                    if bright > clamp:
                        scale = clamp / bright
                        later_r, later_g, later_b = later_r * scale, later_g * scale, later_b * scale
                film[y, x, 0] += direct_r + later_r
                film[y, x, 1] += direct_g + later_g
                film[y, x, 2] += direct_b + later_b
