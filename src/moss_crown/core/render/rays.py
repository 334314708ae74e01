"""Rays sent into the scene, in packets: what lanes meet, and what keeps light away from them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import ONE, ZERO, f32, inlined, kernel, u32
from moss_crown.core.render.embree import COHERENT, PACKET, intersect1, intersect16, occluded16
from moss_crown.core.render.lamps import FAR_AWAY
from moss_crown.core.render.sampling import mix, unit
from moss_crown.core.render.surfaces import OPACITY
from moss_crown.core.render.views import address as address_of
from moss_crown.core.render.views import words as words_of

NONE = u32(0xFFFFFFFF)
SEEN_BY_CAMERA, SEEN_BY_CAMERA_LETTERS, SEEN_BY_PATHS, CASTS_SHADOW = u32(5), u32(1), u32(7), u32(5)
MOST_VEILS = 24
_ON, _ON_LEAST = f32(1.00001), f32(1e-5)
# Rows of a packet, as in RTCRayHit16: origin, nearest, direction, time, farthest, mask, identity, flags, normal of the
# hit, its place in the triangle, triangle, geometry, instance and its place in an array of such. Then our own: which
# rays are there, and what Embree is told of them all.
_NEAR, _FAR, _MASK, _NORMAL, _U, _V, _TRIANGLE, _GEOMETRY, _INSTANCE = 3, 8, 9, 12, 15, 16, 17, 18, 19
_THERE, _TOLD = 22, 23


def ray_buffer() -> NDArray[np.float32]:
    """Room for a packet of rays, or for an RTCRayHit, at an address that is a multiple of 64."""
    size = 24 * PACKET
    raw = np.zeros(size + 16, np.float32)
    start = (-raw.ctypes.data % 64) // 4
    return raw[start : start + size]


@inlined
def aim(ray, words, ox, oy, oz, dx, dy, dz, time, far, mask):
    """One ray, as an RTCRayHit."""
    ray[0], ray[1], ray[2], ray[3] = ox, oy, oz, ZERO
    ray[4], ray[5], ray[6], ray[7] = dx, dy, dz, time
    ray[8] = far
    words[9], words[10], words[11] = mask, u32(0), u32(0)
    words[17], words[18], words[19], words[20] = NONE, NONE, NONE, NONE


@kernel
def _picked(w, q, row, n):
    """Number the lanes with something in a row in q's PICK; answers how many there are."""
    count = 0
    for i in range(n):  # without branches: they would be guessed wrong
        q[ln.PICK + count] = u32(i)
        count += int(w[row + i] > ZERO)
    return count


@inlined
def _fill(w, q, ray, words, first, size, dx, dy, dz, mask):
    """Put lanes by their PICK into a packet, along directions from a row of the workspace on."""
    for j in range(PACKET):
        i = int(q[ln.PICK + first + min(j, size - 1)])
        ray[j], ray[PACKET + j], ray[2 * PACKET + j] = w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i]
        ray[_NEAR * PACKET + j] = ZERO
        ray[4 * PACKET + j], ray[5 * PACKET + j], ray[6 * PACKET + j] = w[dx + i], w[dy + i], w[dz + i]
        ray[7 * PACKET + j] = w[ln.TIME + i]
        words[_MASK * PACKET + j] = mask
        words[_THERE * PACKET + j] = NONE if j < size else u32(0)


@inlined
def _aim_lane(w, ray, words, i, dx, dy, dz, far, mask):
    """The ray of one lane, along a direction from a row of the workspace on."""
    ox, oy, oz = w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i]
    aim(ray, words, ox, oy, oz, w[dx + i], w[dy + i], w[dz + i], w[ln.TIME + i], far, mask)


@inlined
def _tell(words, address, coherent):
    """The RTCIntersectArguments or RTCOccludedArguments of packets: whether their rays go the same way; any feature.
    Answers where Embree finds which rays are there, and these."""
    words[_TOLD * PACKET] = u32(COHERENT) if coherent else u32(0)
    words[_TOLD * PACKET + 1] = NONE
    return address + 4 * _THERE * PACKET, address + 4 * _TOLD * PACKET


@inlined
def opacity_at(world, instance, piece):
    """How much of what was hit is there: 1 for lamps."""
    there = ONE
    if world.light_of[instance] < 0:
        facet = world.facet[world.first_triangle[instance] + piece]
        there = world.rows[world.surface[instance, facet], OPACITY]
    return there


@inlined
def _pass_veils(world, address, ray, words, key, salt):
    """Send a ray on through what it does not meet, of as many as MOST_VEILS layers."""
    for layer in range(MOST_VEILS):
        if words[18] == NONE:
            break
        there = opacity_at(world, words[19], words[17])
        if there >= ONE or unit(mix(u32(key ^ mix(u32(salt + u32(layer) * u32(0x9E3779B9)))))) < there:
            break
        ray[3] = ray[8] * _ON + _ON_LEAST
        ray[8] = FAR_AWAY
        words[17], words[18], words[19], words[20] = NONE, NONE, NONE, NONE
        intersect1(world.scene, address, 0)


@inlined
def light_through(world, address, ray, words):
    """What share of light comes along a ray that was aimed, through all that is not wholly there."""
    share, far = ONE, ray[8]
    for _ in range(MOST_VEILS):
        intersect1(world.scene, address, 0)
        if words[18] == NONE:
            break
        share = share * (ONE - opacity_at(world, words[19], words[17]))
        if share <= f32(1e-4):
            share = ZERO
            break
        ray[3] = ray[8] * _ON + _ON_LEAST
        ray[8] = far
        words[17], words[18], words[19], words[20] = NONE, NONE, NONE, NONE
    return share


@kernel
def _each(world, w, q, ray, count, mask, salt):
    """Send the picked lanes one by one, each through what it does not meet."""
    words, address = words_of(ray), address_of(ray)
    for j in range(count):
        i = int(q[ln.PICK + j])
        _aim_lane(w, ray, words, i, ln.DX, ln.DY, ln.DZ, FAR_AWAY, mask)
        intersect1(world.scene, address, 0)
        _pass_veils(world, address, ray, words, q[ln.KEY + i], salt)
        w[ln.FAR + i] = ray[_FAR]
        w[ln.GX + i], w[ln.GY + i], w[ln.GZ + i] = ray[_NORMAL], ray[_NORMAL + 1], ray[_NORMAL + 2]
        w[ln.BU + i], w[ln.BV + i] = ray[_U], ray[_V]
        q[ln.PIECE + i] = words[_TRIANGLE]
        q[ln.INSTANCE + i] = words[_INSTANCE]


@kernel
def _together(scene, w, q, ray, count, mask, coherent):
    """Send the picked lanes in packets."""
    words, address = words_of(ray), address_of(ray)
    there, told = _tell(words, address, coherent)
    for first in range(0, count, PACKET):
        size = min(PACKET, count - first)
        _fill(w, q, ray, words, first, size, ln.DX, ln.DY, ln.DZ, mask)
        for j in range(PACKET):
            ray[_FAR * PACKET + j] = FAR_AWAY
            words[_GEOMETRY * PACKET + j], words[_INSTANCE * PACKET + j] = NONE, NONE
        intersect16(there, scene, address, told)
        for j in range(size):
            i = int(q[ln.PICK + first + j])
            w[ln.FAR + i] = ray[_FAR * PACKET + j]
            w[ln.GX + i] = ray[_NORMAL * PACKET + j]
            w[ln.GY + i] = ray[(_NORMAL + 1) * PACKET + j]
            w[ln.GZ + i] = ray[(_NORMAL + 2) * PACKET + j]
            w[ln.BU + i], w[ln.BV + i] = ray[_U * PACKET + j], ray[_V * PACKET + j]
            q[ln.PIECE + i] = words[_TRIANGLE * PACKET + j]
            q[ln.INSTANCE + i] = words[_INSTANCE * PACKET + j]


@kernel
def trace(world, w, q, ray, n, mask, salt, coherent):
    """Send the rays of the lanes that are alive: FAR, INSTANCE, PIECE (its triangle), GX.. and BU, BV of the hit.

    What is not wholly there is met by chance, `salt` telling one ray from the next. `coherent`: whether neighbours go
    about the same way, which Embree then makes use of.
    """
    for i in range(n):
        q[ln.LAST_INSTANCE + i], q[ln.LAST_FACET + i] = q[ln.INSTANCE + i], q[ln.FACET + i]
    count = _picked(w, q, ln.ALIVE, n)
    if world.veiled:
        _each(world, w, q, ray, count, mask, salt)
    else:
        _together(world.scene, w, q, ray, count, mask, coherent)


@kernel
def shadows(world, w, q, ray, n, coherent):
    """What share of its light reaches each lane with a SHARE, along LX.. as far as REACH: into SHARE.

    Answers how many lanes were picked.
    """
    words, address = words_of(ray), address_of(ray)
    count = _picked(w, q, ln.SHARE, n)
    if world.veiled:
        for j in range(count):
            i = int(q[ln.PICK + j])
            _aim_lane(w, ray, words, i, ln.LX, ln.LY, ln.LZ, w[ln.REACH + i], CASTS_SHADOW)
            w[ln.SHARE + i] = light_through(world, address, ray, words)
        return count
    there, told = _tell(words, address, coherent)
    for first in range(0, count, PACKET):
        size = min(PACKET, count - first)
        _fill(w, q, ray, words, first, size, ln.LX, ln.LY, ln.LZ, CASTS_SHADOW)
        for j in range(PACKET):
            ray[_FAR * PACKET + j] = w[ln.REACH + int(q[ln.PICK + first + min(j, size - 1)])]
        occluded16(there, world.scene, address, told)
        for j in range(size):
            # Embree makes the end of a ray minus infinity when something is in its way.
            w[ln.SHARE + int(q[ln.PICK + first + j])] = ZERO if ray[_FAR * PACKET + j] < ZERO else ONE
    return count
