"""What rays met, written into lanes, and the light that they met."""

from __future__ import annotations

import math

from moss_crown.core.form.mesh import FACETS
from moss_crown.core.look.mixing import APART
from moss_crown.core.render import lanes as ln
from moss_crown.core.render import surfaces as su
from moss_crown.core.render.arithmetic import ONE, TWO, TWO_PI, ZERO, f32, i64, inlined, kernel, u32
from moss_crown.core.render.environment_map import density_at, fetch_texel, place, texel
from moss_crown.core.render.film import BACKDROP, MOTION, POSITION, add, note
from moss_crown.core.render.lamps import (
    AREA,
    CONE_INNER,
    CONE_OUTER,
    KIND,
    LIMIT,
    NORMAL,
    RADIANCE,
    SHAPE,
    SUN,
    SUN_EDGE,
    cone,
    piece_density,
    pose_at,
    step_at,
    window,
)
from moss_crown.core.render.rays import NONE, trace
from moss_crown.core.render.texturing import textured
from moss_crown.core.render.views import address, room

FACETS_EACH = u32(len(FACETS))

BEVEL, REAR_BEVEL = 1, 3
_APART_X, _APART_Y, _APART_Z = f32(APART[0]), f32(APART[1]), f32(APART[2])


_DULL = f32(0.5)


@kernel
def heeded(density):
    """The density of a direction that was drawn from a material, as it counts beside that of looking at a light: less
    of one that any other direction has too. Dull surfaces leave to the lights what those find better, as the shares of
    Kondapaneni et al., "Optimal Multiple Importance Sampling" (ACM TOG 38(4), 2019) would; any measure is right that
    both ways take."""
    return density * density / (density + _DULL)


@kernel
def weight(density, chance):
    """The power heuristic (Veach 1997)."""
    heed = heeded(density)
    return heed * heed / (heed * heed + chance * chance)


@kernel
def met_in(touches, facet):
    """Whether light that a ray met by chance counts at the surface it was scattered from: what does not mirror a light
    has all that it gets of it by looking there."""
    return (touches >> facet) & (touches >> 7) & 1


@kernel
def told_apart(light_of, w, q, n):
    """Lanes that are alive by what their rays met, into MISSED (nothing), SHONE (a lamp), MET (a surface), and how many
    there are of each. Without branches: they would be guessed wrong."""
    missed, shone, met_some = 0, 0, 0
    last = u32(len(light_of) - 1)
    for i in range(n):
        alive, instance = w[ln.ALIVE + i] > ZERO, q[ln.INSTANCE + i]
        nothing, lamp = instance == NONE, light_of[min(instance, last)] >= 0
        q[ln.MISSED + missed], q[ln.SHONE + shone], q[ln.MET + met_some] = u32(i), u32(i), u32(i)
        missed += int(alive & nothing)
        shone += int(alive & lamp)
        met_some += int(alive & (not nothing) & (not lamp))
    return missed, shone, met_some


@kernel
def _places(w, n, turn):
    """Where the lanes look in the environment's picture, into U and V: a loop of its own, so that it is vector code."""
    for i in range(n):
        w[ln.U + i], w[ln.V + i] = place(turn, w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i])


@kernel
def backdrop(world, w, q, n, missed, film):
    """What camera rays that met nothing see of the environment."""
    radiance = world.surround.radiance
    _places(w, n, world.surround.turn)
    for j in range(missed):
        i = i64(q[ln.MISSED + j])
        pixel = q[ln.PIXEL + i]
        r, g, b = texel(radiance, w[ln.U + i], w[ln.V + i])
        film[pixel, BACKDROP] += r
        film[pixel, BACKDROP + 1] += g
        film[pixel, BACKDROP + 2] += b


@kernel
def sky(world, w, q, n, missed, picked, film, clamp, passes):
    """Light of the environment on rays that met nothing. `picked`: from how many lights the last surface drew, each by
    its chance; 0 when it drew from every one."""
    choice, touches = world.choice, world.touches
    radiance, cells, dense = world.surround.radiance, world.surround.cells, world.surround.dense
    count = len(choice) - 2
    factor = picked * (choice[count + 1] - choice[count]) if picked > ZERO else ONE
    _places(w, n, world.surround.turn)
    picture, height, width = address(radiance), radiance.shape[0], radiance.shape[1]
    for j in range(missed):
        i = i64(q[ln.MISSED + j])
        fetch_texel(picture, height, width, w[ln.U + i], w[ln.V + i])
    for j in range(missed):
        i = i64(q[ln.MISSED + j])
        across, down = w[ln.U + i], w[ln.V + i]
        r, g, b = texel(radiance, across, down)
        chance = density_at(cells, dense, q[ln.SIDE + i], across, down)
        scale = weight(w[ln.DENSITY + i], chance * factor)
        if met_in(touches[count, q[ln.LAST_INSTANCE + i]], q[ln.LAST_FACET + i]):
            r, g, b = r * w[ln.TR + i] * scale, g * w[ln.TG + i] * scale, b * w[ln.TB + i] * scale
            add(film, w, q, i, count, r, g, b, clamp, passes)


@kernel
def suns(world, w, q, missed, picked, film, clamp, passes):
    """The same for suns."""
    lamps, choice, touches = world.lights, world.choice, world.touches
    for k in range(len(lamps)):
        if lamps[k, KIND] != f32(SUN):
            continue
        edge = lamps[k, SUN_EDGE]
        chance = ONE / (TWO_PI * edge)
        if picked > ZERO:
            chance = chance * picked * (choice[k + 1] - choice[k])
        for j in range(missed):
            i = i64(q[ln.MISSED + j])
            x = w[ln.DX + i] + lamps[k, NORMAL]
            y = w[ln.DY + i] + lamps[k, NORMAL + 1]
            z = w[ln.DZ + i] + lamps[k, NORMAL + 2]
            touched = met_in(touches[k, q[ln.LAST_INSTANCE + i]], q[ln.LAST_FACET + i])
            if touched and x * x + y * y + z * z <= TWO * edge:
                scale = weight(w[ln.DENSITY + i], chance)
                r = lamps[k, RADIANCE] * w[ln.TR + i] * scale
                g = lamps[k, RADIANCE + 1] * w[ln.TG + i] * scale
                b = lamps[k, RADIANCE + 2] * w[ln.TB + i] * scale
                add(film, w, q, i, k, r, g, b, clamp, passes)


@kernel
def lamps_met(world, w, q, shone, picked, film, clamp, passes):
    """Light of lamps that paths met by chance."""
    lamps, choice, touches, light_of = world.lights, world.choice, world.touches, world.light_of
    pieces, owners, poses, first_piece = world.pieces, world.piece_instance, world.poses, world.first_piece
    steps = poses.shape[1]
    for j in range(shone):
        i = i64(q[ln.SHONE + j])
        instance = q[ln.INSTANCE + i]
        k = i64(light_of[instance])
        if not met_in(touches[k, q[ln.LAST_INSTANCE + i]], q[ln.LAST_FACET + i]):
            continue
        dx, dy, dz, far = w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i], w[ln.FAR + i]
        axis = -(dx * lamps[k, NORMAL] + dy * lamps[k, NORMAL + 1] + dz * lamps[k, NORMAL + 2])
        if lamps[k, KIND] == f32(SHAPE):
            step, following, share = step_at(w[ln.TIME + i], steps)
            piece = first_piece[instance] + q[ln.PIECE + i]
            chance = piece_density(pieces, owners, poses, piece, step, following, share, dx, dy, dz, far)
        else:
            chance = far * far / (axis * lamps[k, AREA]) if axis > ZERO else ZERO
        if chance > ZERO:
            if picked > ZERO:
                chance = chance * picked * (choice[k + 1] - choice[k])
            scale = (
                weight(w[ln.DENSITY + i], chance)
                * cone(lamps[k, CONE_INNER], lamps[k, CONE_OUTER], axis)
                * window(far, lamps[k, LIMIT])
            )
            r = lamps[k, RADIANCE] * w[ln.TR + i] * scale
            g = lamps[k, RADIANCE + 1] * w[ln.TG + i] * scale
            b = lamps[k, RADIANCE + 2] * w[ln.TB + i] * scale
            add(film, w, q, i, k, r, g, b, clamp, passes)


@inlined
def between(normals, triangle, bu, bv):
    """A triangle's normal between those of its corners."""
    bw = ONE - bu - bv
    return (
        normals[triangle, 0, 0] * bw + normals[triangle, 1, 0] * bu + normals[triangle, 2, 0] * bv,
        normals[triangle, 0, 1] * bw + normals[triangle, 1, 1] * bu + normals[triangle, 2, 1] * bv,
        normals[triangle, 0, 2] * bw + normals[triangle, 1, 2] * bu + normals[triangle, 2, 2] * bv,
    )


@inlined
def place_between(corners, triangle, bu, bv):
    """A place on a triangle between its corners."""
    bw = ONE - bu - bv
    return (
        corners[triangle, 0] * bw + corners[triangle, 3] * bu + corners[triangle, 6] * bv,
        corners[triangle, 1] * bw + corners[triangle, 4] * bu + corners[triangle, 7] * bv,
        corners[triangle, 2] * bw + corners[triangle, 5] * bu + corners[triangle, 8] * bv,
    )


@inlined
def leant(x, y, z, rx, ry, rz, sx, sy, sz):
    """What lay about a normal r, turned as far as takes that to a normal s, the shortest way."""
    scale = ONE / math.sqrt(max((rx * rx + ry * ry + rz * rz) * (sx * sx + sy * sy + sz * sz), f32(1e-30)))
    cosine = (rx * sx + ry * sy + rz * sz) * scale
    vx, vy, vz = (ry * sz - rz * sy) * scale, (rz * sx - rx * sz) * scale, (rx * sy - ry * sx) * scale
    px, py, pz = vy * z - vz * y, vz * x - vx * z, vx * y - vy * x
    by = ONE / max(ONE + cosine, f32(1e-3))
    return (
        x + px + (vy * pz - vz * py) * by,
        y + py + (vz * px - vx * pz) * by,
        z + pz + (vx * py - vy * px) * by,
    )


@kernel
def gather(world, w, q, n):
    """Move the n lanes that met a surface up to the front, with all that belongs to it."""
    rows, normals, facets, poses = world.rows, world.normals, world.facet, world.poses
    first_triangle, surface = world.first_triangle, world.surface
    first_normal, times, soft, rest_normals = world.first_normal, world.times, world.soft, world.rest_normals
    steps = poses.shape[1]
    for j in range(n):
        i = i64(q[ln.MET + j])  # at j or behind it, so that lane j has been read already
        instance = q[ln.INSTANCE + i]
        triangle = first_triangle[instance] + q[ln.PIECE + i]
        facet = facets[triangle]
        material = surface[instance, facet]
        if i != j:
            w[ln.OX + j], w[ln.OY + j], w[ln.OZ + j] = w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i]
            w[ln.DX + j], w[ln.DY + j], w[ln.DZ + j] = w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i]
            w[ln.TIME + j], w[ln.FAR + j], w[ln.ALIVE + j] = w[ln.TIME + i], w[ln.FAR + i], ONE
            w[ln.TR + j], w[ln.TG + j], w[ln.TB + j] = w[ln.TR + i], w[ln.TG + i], w[ln.TB + i]
            w[ln.DENSITY + j], w[ln.BOUNCES + j] = w[ln.DENSITY + i], w[ln.BOUNCES + i]
            w[ln.SPREAD + j], w[ln.RATIO + j] = w[ln.SPREAD + i], w[ln.RATIO + i]
            w[ln.MEDIUM_R + j], w[ln.MEDIUM_G + j], w[ln.MEDIUM_B + j] = (
                w[ln.MEDIUM_R + i],
                w[ln.MEDIUM_G + i],
                w[ln.MEDIUM_B + i],
            )
            w[ln.SPLIT_R + j], w[ln.SPLIT_G + j], w[ln.SPLIT_B + j] = (
                w[ln.SPLIT_R + i],
                w[ln.SPLIT_G + i],
                w[ln.SPLIT_B + i],
            )
            w[ln.GX + j], w[ln.GY + j], w[ln.GZ + j] = w[ln.GX + i], w[ln.GY + i], w[ln.GZ + i]
            w[ln.BU + j], w[ln.BV + j] = w[ln.BU + i], w[ln.BV + i]
            q[ln.PIXEL + j], q[ln.KEY + j], q[ln.PIECE + j] = q[ln.PIXEL + i], q[ln.KEY + i], q[ln.PIECE + i]
            q[ln.SEQUENCE + j], q[ln.ORDER + j], q[ln.WITHIN + j] = (
                q[ln.SEQUENCE + i],
                q[ln.ORDER + i],
                q[ln.WITHIN + i],
            )
            q[ln.INSTANCE + j] = instance
        q[ln.FACET + j], q[ln.MATERIAL + j] = u32(facet), u32(material)
        bu, bv = w[ln.BU + j], w[ln.BV + j]
        bw = ONE - bu - bv
        at = triangle if not soft else first_normal[instance] + q[ln.PIECE + i]
        following, share = at, ZERO
        if soft and times[instance, 0] > 1:
            step, after, share = step_at(w[ln.TIME + j], times[instance, 0])
            following = at + after * times[instance, 1]
            at = at + step * times[instance, 1]
        w[ln.SX + j] = normals[at, 0, 0] * bw + normals[at, 1, 0] * bu + normals[at, 2, 0] * bv
        w[ln.SY + j] = normals[at, 0, 1] * bw + normals[at, 1, 1] * bu + normals[at, 2, 1] * bv
        w[ln.SZ + j] = normals[at, 0, 2] * bw + normals[at, 1, 2] * bu + normals[at, 2, 2] * bv
        if share > ZERO:
            x = normals[following, 0, 0] * bw + normals[following, 1, 0] * bu + normals[following, 2, 0] * bv
            y = normals[following, 0, 1] * bw + normals[following, 1, 1] * bu + normals[following, 2, 1] * bv
            z = normals[following, 0, 2] * bw + normals[following, 1, 2] * bu + normals[following, 2, 2] * bv
            w[ln.SX + j] += (x - w[ln.SX + j]) * share
            w[ln.SY + j] += (y - w[ln.SY + j]) * share
            w[ln.SZ + j] += (z - w[ln.SZ + j]) * share
        if steps == 1:
            w[ln.M0 + j], w[ln.M1 + j], w[ln.M2 + j] = (
                poses[instance, 0, 0],
                poses[instance, 0, 1],
                poses[instance, 0, 2],
            )
            w[ln.M4 + j], w[ln.M5 + j], w[ln.M6 + j] = (
                poses[instance, 0, 4],
                poses[instance, 0, 5],
                poses[instance, 0, 6],
            )
            w[ln.M8 + j], w[ln.M9 + j] = poses[instance, 0, 8], poses[instance, 0, 9]
            w[ln.M10 + j] = poses[instance, 0, 10]
        else:
            step, following, share = step_at(w[ln.TIME + j], steps)
            m = pose_at(poses, i64(instance), step, following, share)
            w[ln.M0 + j], w[ln.M1 + j], w[ln.M2 + j] = m[0], m[1], m[2]
            w[ln.M4 + j], w[ln.M5 + j], w[ln.M6 + j] = m[4], m[5], m[6]
            w[ln.M8 + j], w[ln.M9 + j], w[ln.M10 + j] = m[8], m[9], m[10]
        w[ln.RED + j], w[ln.GREEN + j], w[ln.BLUE + j] = (
            rows[material, su.RED],
            rows[material, su.GREEN],
            rows[material, su.BLUE],
        )
        w[ln.METAL + j], w[ln.ROUGH + j], w[ln.CLEAR + j] = (
            rows[material, su.METAL],
            rows[material, su.ROUGH],
            rows[material, su.CLEAR],
        )
        w[ln.COAT + j], w[ln.COAT_ROUGH + j], w[ln.SHEEN + j] = (
            rows[material, su.COAT],
            rows[material, su.COAT_ROUGH],
            rows[material, su.SHEEN],
        )
        w[ln.GLOW_R + j], w[ln.GLOW_G + j], w[ln.GLOW_B + j] = (
            rows[material, su.GLOW_R],
            rows[material, su.GLOW_G],
            rows[material, su.GLOW_B],
        )
        brushed = rows[material, su.BRUSHED]
        w[ln.BRUSHED + j] = brushed
        x, y = rows[material, su.BRUSH_X] * brushed, rows[material, su.BRUSH_Y] * brushed
        w[ln.AX + j] = w[ln.M0 + j] * x + w[ln.M1 + j] * y
        w[ln.AY + j] = w[ln.M4 + j] * x + w[ln.M5 + j] * y
        w[ln.AZ + j] = w[ln.M8 + j] * x + w[ln.M9 + j] * y
        if soft and brushed > ZERO:
            rx, ry, rz = between(rest_normals, triangle, bu, bv)
            x, y, z = leant(x, y, ZERO, rx, ry, rz, w[ln.SX + j], w[ln.SY + j], w[ln.SZ + j])
            w[ln.AX + j] = w[ln.M0 + j] * x + w[ln.M1 + j] * y + w[ln.M2 + j] * z
            w[ln.AY + j] = w[ln.M4 + j] * x + w[ln.M5 + j] * y + w[ln.M6 + j] * z
            w[ln.AZ + j] = w[ln.M8 + j] * x + w[ln.M9 + j] * y + w[ln.M10 + j] * z


@kernel
def met(world, w, q, ray, n, mask, salt, coherent):
    """Send the lanes' rays and gather what they met."""
    trace(world, w, q, ray, n, mask, salt, coherent)
    _, _, n = told_apart(world.light_of, w, q, n)
    gather(world, w, q, n)
    return n


@kernel
def hazed(world, w, q, n, film, passes):
    """Haze between the camera and the first surface, by depth along the camera's axis, as the draft has it, and the
    horizon that grounds go over into: what they take of all that comes, and their own light, which counts as the
    environment's."""
    haze, camera, catches, ground, light = world.haze, world.camera, world.catches, world.ground, len(world.lights)
    for i in range(n):
        instance = q[ln.INSTANCE + i]
        along = -(w[ln.DX + i] * camera[0, 0, 2] + w[ln.DY + i] * camera[0, 0, 6] + w[ln.DZ + i] * camera[0, 0, 10])
        thick = haze[0] * along * w[ln.FAR + i]
        left = math.exp(-thick * thick)
        if not catches[instance]:
            lost = ONE - left
            r, g, b = haze[1] * lost, haze[2] * lost, haze[3] * lost
            if ground[instance] and haze[4] > ZERO:
                x, z = w[ln.OX + i] + w[ln.DX + i] * w[ln.FAR + i], w[ln.OZ + i] + w[ln.DZ + i] * w[ln.FAR + i]
                near = math.exp(-haze[4] * haze[4] * (x * x + z * z))
                gone = (ONE - near) * left
                r, g, b = r + haze[5] * gone, g + haze[6] * gone, b + haze[7] * gone
                left = left * near
            add(film, w, q, i, light, r, g, b, ZERO, passes)
        w[ln.TR + i], w[ln.TG + i], w[ln.TB + i] = w[ln.TR + i] * left, w[ln.TG + i] * left, w[ln.TB + i] * left


@kernel
def glows(world, w, q, n, depth, picked, film, clamp, passes):
    """Light of the surfaces themselves."""
    choice, glow, first_piece = world.choice, world.glow, world.first_piece
    pieces, owners, poses = world.pieces, world.piece_instance, world.poses
    steps = poses.shape[1]
    factor = picked * (choice[glow + 1] - choice[glow]) if picked > ZERO else ONE
    for i in range(n):
        r, g, b = w[ln.GLOW_R + i], w[ln.GLOW_G + i], w[ln.GLOW_B + i]
        if r + g + b > ZERO:
            scale = ONE
            if depth > 0:
                step, following, share = step_at(w[ln.TIME + i], steps)
                piece = first_piece[q[ln.INSTANCE + i]] + q[ln.PIECE + i]
                dx, dy, dz, far = w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i], w[ln.FAR + i]
                chance = piece_density(pieces, owners, poses, piece, step, following, share, dx, dy, dz, far)
                scale = weight(w[ln.DENSITY + i], chance * factor)
            r, g, b = r * w[ln.TR + i] * scale, g * w[ln.TG + i] * scale, b * w[ln.TB + i] * scale
            add(film, w, q, i, glow, r, g, b, clamp, passes)


@kernel
def grains(world, w, q, n, relief):
    """The textures of surfaces: their colours into the lanes; their relief bends the lanes' normals."""
    texture, rows, corners = world.texture, world.rows, world.rest_corners
    rest, first_triangle = world.rest, world.first_triangle
    soft, rest_normals = world.soft, world.rest_normals
    point = room(9)
    here, row_address = address(point), address(rows)
    for i in range(n):
        material = q[ln.MATERIAL + i]
        if not (rows[material, su.PATTERN] > ZERO or rows[material, su.PICTURED] > ZERO):
            continue
        instance, facet = q[ln.INSTANCE + i], q[ln.FACET + i]
        triangle = first_triangle[instance] + q[ln.PIECE + i]
        bu, bv = w[ln.BU + i], w[ln.BV + i]
        lx, ly, lz = place_between(corners, triangle, bu, bv)
        sx, sy, sz = w[ln.SX + i], w[ln.SY + i], w[ln.SZ + i]
        rx, ry, rz = sx, sy, sz
        if soft:
            rx, ry, rz = between(rest_normals, triangle, bu, bv)
        # To the title at rest, or afresh on each letter: far from where any other one looks.
        own = ZERO
        if rows[material, su.BY_LETTER] > ZERO:
            own = rest[instance, 12]
            q0, q1, q2, q3 = ONE, ZERO, ZERO, own * _APART_X
            q4, q5, q6, q7 = ZERO, ONE, ZERO, own * _APART_Y
            q8, q9, q10, q11 = ZERO, ZERO, ONE, own * _APART_Z
        else:
            q0, q1, q2, q3 = rest[instance, 0], rest[instance, 1], rest[instance, 2], rest[instance, 3]
            q4, q5, q6, q7 = rest[instance, 4], rest[instance, 5], rest[instance, 6], rest[instance, 7]
            q8, q9, q10, q11 = rest[instance, 8], rest[instance, 9], rest[instance, 10], rest[instance, 11]
        point[0] = q0 * lx + q1 * ly + q2 * lz + q3
        point[1] = q4 * lx + q5 * ly + q6 * lz + q7
        point[2] = q8 * lx + q9 * ly + q10 * lz + q11
        point[3] = q0 * rx + q1 * ry + q2 * rz
        point[4] = q4 * rx + q5 * ry + q6 * rz
        point[5] = q8 * rx + q9 * ry + q10 * rz
        point[6] = ONE if facet == u32(BEVEL) or facet == u32(REAR_BEVEL) else ZERO
        point[7] = ONE if relief else ZERO
        point[8] = own
        textured(texture, row_address, int(material), here)
        w[ln.RED + i], w[ln.GREEN + i], w[ln.BLUE + i] = point[0], point[1], point[2]
        w[ln.METAL + i], w[ln.ROUGH + i] = point[3], point[4]
        ex, ey, ez = point[5], point[6], point[7]
        hx, hy, hz = q0 * ex + q4 * ey + q8 * ez, q1 * ex + q5 * ey + q9 * ez, q2 * ex + q6 * ey + q10 * ez
        if soft:
            hx, hy, hz = leant(hx, hy, hz, rx, ry, rz, sx, sy, sz)
        # Bumps turn the normal against the slope along the surface (Blinn, 1978).
        along = hx * sx + hy * sy + hz * sz
        w[ln.SX + i], w[ln.SY + i], w[ln.SZ + i] = (
            sx - hx + along * sx,
            sy - hy + along * sy,
            sz - hz + along * sz,
        )


@inlined
def _on_film(pose, instance, lens, camera, x, y, z):
    """Where a place under the first of its poses lies in a camera's picture, in half frames from its middle."""
    px = pose[instance, 0, 0] * x + pose[instance, 0, 1] * y + pose[instance, 0, 2] * z
    py = pose[instance, 0, 4] * x + pose[instance, 0, 5] * y + pose[instance, 0, 6] * z
    pz = pose[instance, 0, 8] * x + pose[instance, 0, 9] * y + pose[instance, 0, 10] * z
    px += pose[instance, 0, 3] - camera[0, 0, 3]
    py += pose[instance, 0, 7] - camera[0, 0, 7]
    pz += pose[instance, 0, 11] - camera[0, 0, 11]
    depth = -(camera[0, 0, 2] * px + camera[0, 0, 6] * py + camera[0, 0, 10] * pz)
    scale = ONE / max(depth, f32(1e-6))
    across = (camera[0, 0, 0] * px + camera[0, 0, 4] * py + camera[0, 0, 8] * pz) * scale
    up = (camera[0, 0, 1] * px + camera[0, 0, 5] * py + camera[0, 0, 9] * pz) * scale
    return across / lens[0] + lens[2], up / lens[1] + lens[3]


@kernel
def first_passes(world, w, q, n, film, mattes, counts):
    """Place, motion to the next frame (in half frames, across and up) and name of the surfaces that the camera sees."""
    poses, later, camera, later_camera = world.poses, world.later, world.camera, world.later_camera
    corners, later_corners, first_triangle = world.corners, world.later_corners, world.first_triangle
    lens, soft = world.lens, world.soft
    for i in range(n):
        pixel, instance = q[ln.PIXEL + i], q[ln.INSTANCE + i]
        far = w[ln.FAR + i]
        film[pixel, POSITION] += w[ln.OX + i] + w[ln.DX + i] * far
        film[pixel, POSITION + 1] += w[ln.OY + i] + w[ln.DY + i] * far
        film[pixel, POSITION + 2] += w[ln.OZ + i] + w[ln.DZ + i] * far
        triangle = first_triangle[instance] + q[ln.PIECE + i]
        bu, bv = w[ln.BU + i], w[ln.BV + i]
        x, y, z = place_between(corners, triangle, bu, bv)
        before_x, before_y = _on_film(poses, instance, lens, camera, x, y, z)
        if soft:
            x, y, z = place_between(later_corners, triangle, bu, bv)
        after_x, after_y = _on_film(later, instance, lens, later_camera, x, y, z)
        film[pixel, MOTION] += after_x - before_x
        film[pixel, MOTION + 1] += after_y - before_y
        note(mattes, counts, pixel, instance * FACETS_EACH + q[ln.FACET + i])
