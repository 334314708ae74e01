"""What shines on a point: lamps, the letters that glow, the environment; drawn towards, and met by chance.

A lamp is a parallelogram, a sun (a cone of directions), or a shape of triangles: discs, tubes and balls are such, and
so are all letters that glow, which are one lamp together. Lights are numbered lamps first (the glow last among them),
then the environment.
"""

from __future__ import annotations

import math

import numpy as np

from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import (
    INV_PI,
    ONE,
    TWO,
    TWO_PI,
    ZERO,
    arc_cosine,
    circle,
    f32,
    inlined,
    kernel,
    u32,
)
from moss_crown.core.render.environment_map import COLUMNS, ROWS, fetch_texel, texel, towards
from moss_crown.core.render.views import address

RECTANGLE, SHAPE, SUN, SKY, EVERY = 0, 1, 2, 3, 4

CENTRE, ACROSS, UP, NORMAL, RADIANCE, AREA, KIND = 0, 3, 6, 9, 12, 15, 16
CONE_INNER, CONE_OUTER, LIMIT, FIRST, PIECES, SUN_EDGE = 17, 18, 19, 20, 21, 22
LIGHT_ROW = 23
"""Numbers a lamp's row holds: centre, half edges, normal, radiance (3 each), area, kind, cosines of a spot's inner and
outer angle (outer -1: no spot), distance beyond which it does not reach (0: none), first
piece and number of pieces of a shape, 1 less the cosine of a sun's radius. A sun's normal is where its light goes."""

CORNER, EDGE_1, EDGE_2, EMITTED, SHARE = 0, 3, 6, 9, 12
PIECE_ROW = 13
"""Numbers a triangle of a shape holds: a corner and two edges in its instance's space, its radiance, its chance."""

FAR_AWAY = f32(1e30)
u64 = np.uint64
_NEXT = u64(1)
"""Places are counted without a sign: from one with it numba looks at each whether it counts from the end."""
_NEARLY = f32(0.9995)


@kernel
def step_at(time, steps):
    """Which of a pose's steps a time of the shutter lies after, the step that follows, and how far it is on."""
    if steps < 2:
        return 0, 0, ZERO
    at = time * f32(steps - 1)
    step = min(int(at), steps - 2)
    return step, step + 1, at - f32(step)


@kernel
def window(distance, limit):
    """Falls smoothly to nothing at a lamp's limit; 1 where it has none."""
    part = min(distance / limit, ONE) if limit > ZERO else ZERO
    part = ONE - part * part * part * part
    return part * part


@kernel
def cone(inner, outer, cosine):
    """How much a spot sends at a cosine from its axis: all within the inner angle, nothing beyond the outer."""
    part = min(max((cosine - outer) / max(inner - outer, f32(1e-6)), ZERO), ONE) if outer > -ONE else ONE
    return part * part * (f32(3) - TWO * part)


@inlined
def pose_at(poses, instance, step, following, share):
    """The 12 numbers of an instance's pose at a time between two steps."""
    p0, p1 = poses[instance, step, 0], poses[instance, step, 1]
    p2, p3 = poses[instance, step, 2], poses[instance, step, 3]
    p4, p5 = poses[instance, step, 4], poses[instance, step, 5]
    p6, p7 = poses[instance, step, 6], poses[instance, step, 7]
    p8, p9 = poses[instance, step, 8], poses[instance, step, 9]
    p10, p11 = poses[instance, step, 10], poses[instance, step, 11]
    return (
        p0 + (poses[instance, following, 0] - p0) * share,
        p1 + (poses[instance, following, 1] - p1) * share,
        p2 + (poses[instance, following, 2] - p2) * share,
        p3 + (poses[instance, following, 3] - p3) * share,
        p4 + (poses[instance, following, 4] - p4) * share,
        p5 + (poses[instance, following, 5] - p5) * share,
        p6 + (poses[instance, following, 6] - p6) * share,
        p7 + (poses[instance, following, 7] - p7) * share,
        p8 + (poses[instance, following, 8] - p8) * share,
        p9 + (poses[instance, following, 9] - p9) * share,
        p10 + (poses[instance, following, 10] - p10) * share,
        p11 + (poses[instance, following, 11] - p11) * share,
    )


@kernel
def across_edges(m, ax, ay, az, bx, by, bz):
    """Two edges under a pose (its 12 numbers), and their cross product: the normal, twice the area long."""
    ax, ay, az = (
        m[0] * ax + m[1] * ay + m[2] * az,
        m[4] * ax + m[5] * ay + m[6] * az,
        m[8] * ax + m[9] * ay + m[10] * az,
    )
    bx, by, bz = (
        m[0] * bx + m[1] * by + m[2] * bz,
        m[4] * bx + m[5] * by + m[6] * bz,
        m[8] * bx + m[9] * by + m[10] * bz,
    )
    return ax, ay, az, bx, by, bz, ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx


@inlined
def piece_density(pieces, owners, poses, piece, step, following, share, dx, dy, dz, distance):
    """Density a steradian with which a direction that meets a piece is drawn; 0 from behind."""
    m = pose_at(poses, owners[piece], step, following, share)
    _, _, _, _, _, _, nx, ny, nz = across_edges(
        m, pieces[piece, 3], pieces[piece, 4], pieces[piece, 5], pieces[piece, 6], pieces[piece, 7], pieces[piece, 8]
    )
    facing = -(nx * dx + ny * dy + nz * dz)  # twice the area, as it is seen
    return distance * distance * pieces[piece, SHARE] * TWO / facing if facing > f32(1e-20) else ZERO


@kernel
def choose(w, q, n, choice, picked, turn):
    """Which light each lane is to look at: of `picked` turns the one that WHICH chooses by power. CHANCE gets the
    factor by which that is rarer than looking at it always."""
    for i in range(n):
        q[ln.LAMP + i] = u32(0)
        w[ln.CHANCE + i] = picked * choice[1]
    for k in range(1, len(choice) - 1):  # one light after the other, rather than a search, whose ways can't be guessed
        begins, chance = choice[k] * picked - f32(turn), picked * (choice[k + 1] - choice[k])
        for i in range(n):
            passed = w[ln.WHICH + i] >= begins
            q[ln.LAMP + i] = u32(k) if passed else q[ln.LAMP + i]
            w[ln.CHANCE + i] = chance if passed else w[ln.CHANCE + i]


@kernel
def look_at(w, q, n, light):
    """All lanes are to look at one light."""
    for i in range(n):
        q[ln.LAMP + i] = u32(light)
        w[ln.CHANCE + i] = ONE


@inlined
def _way_to_rectangle(u, v, ox, oy, oz, cx, cy, cz, ux, uy, uz, vx, vy, vz, nx, ny, nz, area, limit, inner, outer):
    """From o to a place by u and v on a parallelogram of middle c, half edges u and v and normal n: direction, how far
    to look, the share of its light, and the density a steradian, 0 from behind. Of numbers, not of arrays: inlined,
    those would keep the loop around it from becoming vector code."""
    a, b = u * TWO - ONE, v * TWO - ONE
    x, y, z = cx + ux * a + vx * b - ox, cy + uy * a + vy * b - oy, cz + uz * a + vz * b - oz
    distance2 = x * x + y * y + z * z
    distance = math.sqrt(distance2)
    scale = ONE / max(distance, f32(1e-20))
    x, y, z = x * scale, y * scale, z * scale
    axis = -(x * nx + y * ny + z * nz)
    fall = window(distance, limit) * cone(inner, outer, axis)
    chance = distance2 / (max(axis, f32(1e-6)) * area)
    return x, y, z, distance * _NEARLY, fall, chance if axis > f32(1e-6) else ZERO


@kernel
def to_rectangle(w, n, lamps, k):
    """Directions of all lanes to one lamp that is a parallelogram, from U and V: LX.., REACH, LIGHT_R.. (radiance), and
    CHANCE times their density a steradian, or 0 from behind."""
    cx, cy, cz = lamps[k, CENTRE], lamps[k, CENTRE + 1], lamps[k, CENTRE + 2]
    ux, uy, uz = lamps[k, ACROSS], lamps[k, ACROSS + 1], lamps[k, ACROSS + 2]
    vx, vy, vz = lamps[k, UP], lamps[k, UP + 1], lamps[k, UP + 2]
    nx, ny, nz = lamps[k, NORMAL], lamps[k, NORMAL + 1], lamps[k, NORMAL + 2]
    r, g, b = lamps[k, RADIANCE], lamps[k, RADIANCE + 1], lamps[k, RADIANCE + 2]
    area, limit, inner, outer = lamps[k, AREA], lamps[k, LIMIT], lamps[k, CONE_INNER], lamps[k, CONE_OUTER]
    for i in range(n):
        u, v, ox, oy, oz = w[ln.U + i], w[ln.V + i], w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i]
        x, y, z, reach, fall, chance = _way_to_rectangle(
            u, v, ox, oy, oz, cx, cy, cz, ux, uy, uz, vx, vy, vz, nx, ny, nz, area, limit, inner, outer
        )
        w[ln.LX + i], w[ln.LY + i], w[ln.LZ + i], w[ln.REACH + i] = x, y, z, reach
        w[ln.LIGHT_R + i], w[ln.LIGHT_G + i], w[ln.LIGHT_B + i] = r * fall, g * fall, b * fall
        w[ln.CHANCE + i] = w[ln.CHANCE + i] * chance


@kernel
def to_rectangles(w, q, n, lamps):
    """The same for those lanes that are to look at such lamps, each at its own."""
    count = u32(len(lamps))
    for i in range(n):
        k = q[ln.LAMP + i]
        if k >= count or lamps[k, KIND] != f32(RECTANGLE):
            continue
        cx, cy, cz = lamps[k, CENTRE], lamps[k, CENTRE + 1], lamps[k, CENTRE + 2]
        ux, uy, uz = lamps[k, ACROSS], lamps[k, ACROSS + 1], lamps[k, ACROSS + 2]
        vx, vy, vz = lamps[k, UP], lamps[k, UP + 1], lamps[k, UP + 2]
        nx, ny, nz = lamps[k, NORMAL], lamps[k, NORMAL + 1], lamps[k, NORMAL + 2]
        area, limit, inner, outer = lamps[k, AREA], lamps[k, LIMIT], lamps[k, CONE_INNER], lamps[k, CONE_OUTER]
        u, v, ox, oy, oz = w[ln.U + i], w[ln.V + i], w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i]
        x, y, z, reach, fall, chance = _way_to_rectangle(
            u, v, ox, oy, oz, cx, cy, cz, ux, uy, uz, vx, vy, vz, nx, ny, nz, area, limit, inner, outer
        )
        w[ln.LX + i], w[ln.LY + i], w[ln.LZ + i], w[ln.REACH + i] = x, y, z, reach
        w[ln.LIGHT_R + i] = lamps[k, RADIANCE] * fall
        w[ln.LIGHT_G + i] = lamps[k, RADIANCE + 1] * fall
        w[ln.LIGHT_B + i] = lamps[k, RADIANCE + 2] * fall
        w[ln.CHANCE + i] = w[ln.CHANCE + i] * chance


@kernel
def to_suns(w, q, n, lamps):
    """The same for suns. From 1 - cos rather than cos, of which float32 would keep few digits."""
    count = u32(len(lamps))
    for i in range(n):
        k = q[ln.LAMP + i]
        if k >= count or lamps[k, KIND] != f32(SUN):
            continue
        edge = lamps[k, SUN_EDGE]
        t = w[ln.U + i] * edge
        radius = math.sqrt(t * (TWO - t))
        c, s = circle(w[ln.V + i])
        w[ln.LX + i] = (lamps[k, 3] * c + lamps[k, 6] * s) * radius - lamps[k, 9] * (ONE - t)
        w[ln.LY + i] = (lamps[k, 4] * c + lamps[k, 7] * s) * radius - lamps[k, 10] * (ONE - t)
        w[ln.LZ + i] = (lamps[k, 5] * c + lamps[k, 8] * s) * radius - lamps[k, 11] * (ONE - t)
        w[ln.REACH + i] = FAR_AWAY
        w[ln.LIGHT_R + i], w[ln.LIGHT_G + i], w[ln.LIGHT_B + i] = lamps[k, 12], lamps[k, 13], lamps[k, 14]
        w[ln.CHANCE + i] = w[ln.CHANCE + i] / (TWO_PI * edge)


@kernel
def to_shapes(world, w, q, n):
    """The same for shapes of triangles."""
    lamps, pieces, owners, rise, poses = world.lights, world.pieces, world.piece_instance, world.rise, world.poses
    steps = poses.shape[1]
    count = u32(len(lamps))
    for i in range(n):
        k = q[ln.LAMP + i]
        if k >= count or lamps[k, KIND] != f32(SHAPE):
            continue
        u, v = w[ln.U + i], w[ln.V + i]
        first = int(lamps[k, FIRST])
        end = first + int(lamps[k, PIECES])
        low, high = first, end
        while high - low > 1:
            middle = (low + high) // 2
            if rise[middle] <= u:
                low = middle
            else:
                high = middle
        until = rise[low + 1] if low + 1 < end else ONE
        u = min(max((u - rise[low]) / max(until - rise[low], f32(1e-12)), ZERO), ONE)
        step, following, share = step_at(w[ln.TIME + i], steps)
        m = pose_at(poses, owners[low], step, following, share)
        ax, ay, az, bx, by, bz, nx, ny, nz = across_edges(
            m, pieces[low, 3], pieces[low, 4], pieces[low, 5], pieces[low, 6], pieces[low, 7], pieces[low, 8]
        )
        root = math.sqrt(u)
        e, f = root * (ONE - v), root * v
        x, y, z = pieces[low, 0], pieces[low, 1], pieces[low, 2]
        px = m[0] * x + m[1] * y + m[2] * z + m[3] + ax * e + bx * f - w[ln.OX + i]
        py = m[4] * x + m[5] * y + m[6] * z + m[7] + ay * e + by * f - w[ln.OY + i]
        pz = m[8] * x + m[9] * y + m[10] * z + m[11] + az * e + bz * f - w[ln.OZ + i]
        distance2 = px * px + py * py + pz * pz
        distance = math.sqrt(distance2)
        scale = ONE / max(distance, f32(1e-20))
        x, y, z = px * scale, py * scale, pz * scale
        facing = -(x * nx + y * ny + z * nz)  # twice the area, as it is seen
        axis = -(x * lamps[k, 9] + y * lamps[k, 10] + z * lamps[k, 11])
        fall = window(distance, lamps[k, LIMIT])
        fall = fall * cone(lamps[k, CONE_INNER], lamps[k, CONE_OUTER], axis)
        w[ln.LX + i], w[ln.LY + i], w[ln.LZ + i], w[ln.REACH + i] = x, y, z, distance * _NEARLY
        w[ln.LIGHT_R + i] = pieces[low, EMITTED] * fall
        w[ln.LIGHT_G + i] = pieces[low, EMITTED + 1] * fall
        w[ln.LIGHT_B + i] = pieces[low, EMITTED + 2] * fall
        chance = distance2 * pieces[low, SHARE] * TWO / max(facing, f32(1e-20))
        w[ln.CHANCE + i] = w[ln.CHANCE + i] * chance if facing > f32(1e-20) else ZERO


@kernel
def sides(w, q, n):
    """To which of six sides the surfaces look, by their normal's longest coordinate: right and left, up and down, to
    the front and to the back."""
    for i in range(n):
        x, y, z = w[ln.NX + i], w[ln.NY + i], w[ln.NZ + i]
        longest = max(abs(x), max(abs(y), abs(z)))
        if longest == abs(x):
            q[ln.SIDE + i] = u32(0) if x >= ZERO else u32(1)
        elif longest == abs(y):
            q[ln.SIDE + i] = u32(2) if y >= ZERO else u32(3)
        else:
            q[ln.SIDE + i] = u32(4) if z >= ZERO else u32(5)


@kernel
def to_sky(world, w, q, n):
    """Directions to the environment, by the distribution of the side that a lane's surface looks to, even in solid
    angle within a cell. Where that is in its picture goes into U and V for `sky_radiance`."""
    sky, light = world.surround, len(world.lights)
    rows, row_guide, cells, cell_guide = sky.rows, sky.row_guide, sky.cells, sky.cell_guide
    edges, dense, turn, radiance = sky.edges, sky.dense, sky.turn, sky.radiance
    picture, height, width = address(radiance), radiance.shape[0], radiance.shape[1]
    for i in range(n):
        if q[ln.LAMP + i] != u32(light):
            continue
        u, v = w[ln.U + i], w[ln.V + i]
        side = u64(q[ln.SIDE + i])
        r = u64(row_guide[side, u64(int(v * f32(row_guide.shape[1])))])
        # The first steps without a branch, which would be guessed wrong; few need more.
        r += u64(rows[side, r + _NEXT] <= v)
        r += u64(rows[side, r + _NEXT] <= v)
        while rows[side, r + _NEXT] <= v:
            r += _NEXT
        begins = rows[side, r]
        inner_v = (v - begins) / (rows[side, r + _NEXT] - begins)
        c = u64(cell_guide[side, r, u64(int(u * f32(cell_guide.shape[2])))])
        c += u64(cells[side, r, c + _NEXT] <= u)
        c += u64(cells[side, r, c + _NEXT] <= u)
        while cells[side, r, c + _NEXT] <= u:
            c += _NEXT
        begins = cells[side, r, c]
        chance = cells[side, r, c + _NEXT] - begins
        inner_u = (u - begins) / chance
        w[ln.U + i] = (f32(int(c)) + inner_u) / f32(COLUMNS)
        w[ln.V + i] = edges[r] + (edges[r + _NEXT] - edges[r]) * inner_v
        w[ln.CHANCE + i] = w[ln.CHANCE + i] * (dense[side, r] * chance)
        fetch_texel(picture, height, width, w[ln.U + i], (f32(int(r)) + inner_v) / f32(ROWS))
    for i in range(n):
        across, sine = w[ln.U + i], w[ln.V + i]
        x, y, z = towards(turn, across, sine)
        down = arc_cosine(sine) * INV_PI
        own = q[ln.LAMP + i] == u32(light)
        w[ln.LX + i] = x if own else w[ln.LX + i]
        w[ln.LY + i] = y if own else w[ln.LY + i]
        w[ln.LZ + i] = z if own else w[ln.LZ + i]
        w[ln.REACH + i] = FAR_AWAY if own else w[ln.REACH + i]
        w[ln.V + i] = down if own else sine


@kernel
def sky_radiance(world, w, q, n):
    """Radiance of the environment where `to_sky` looks, for lanes with a chance of it."""
    light, radiance = len(world.lights), world.surround.radiance
    for i in range(n):
        if q[ln.LAMP + i] == u32(light):
            r, g, b = ZERO, ZERO, ZERO
            if w[ln.CHANCE + i] > ZERO:
                r, g, b = texel(radiance, w[ln.U + i], w[ln.V + i])
            w[ln.LIGHT_R + i], w[ln.LIGHT_G + i], w[ln.LIGHT_B + i] = r, g, b
