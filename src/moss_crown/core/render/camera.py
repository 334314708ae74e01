"""Where paths begin, at a camera, each at its own time in the shutter; and where they go on, off a surface they met."""

from __future__ import annotations

import math

from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import HALF, ONE, TWO, ZERO, circle, f32, kernel
from moss_crown.core.render.lamps import pose_at, step_at
from moss_crown.core.render.lanes import PAD
from moss_crown.core.render.sampling import opened, sample_lanes

_SPREAD = f32(0.42)  # standard deviation of the Gaussian pixel filter, in pixels
LIFT = f32(2e-5)
"""Hits are lifted by this share of their distance from the origin: float32 neighbours lie 1e-6 apart."""


@kernel
def padded(n):
    return (n + PAD - 1) // PAD * PAD


@kernel
def _filter(w, n):
    """How far a sample lies from its pixel's middle: Gaussian, into LZ."""
    for i in range(n):
        w[ln.LZ + i] = _SPREAD * math.sqrt(-TWO * math.log(ONE - w[ln.U + i]))


_POSE = (ln.M0, ln.M1, ln.M2, ln.OX, ln.M4, ln.M5, ln.M6, ln.OY, ln.M8, ln.M9, ln.M10, ln.OZ)


@kernel
def _stand(w, n, camera):
    """The camera's pose at the lanes' times: M0.. and, of its place, OX.."""
    steps = camera.shape[1]
    if steps == 1:
        for k in range(12):
            value = camera[0, 0, k]
            for i in range(n):
                w[_POSE[k] + i] = value
        return
    for i in range(n):
        step, following, share = step_at(w[ln.TIME + i], steps)
        m = pose_at(camera, 0, step, following, share)
        w[ln.M0 + i], w[ln.M1 + i], w[ln.M2 + i], w[ln.OX + i] = m[0], m[1], m[2], m[3]
        w[ln.M4 + i], w[ln.M5 + i], w[ln.M6 + i], w[ln.OY + i] = m[4], m[5], m[6], m[7]
        w[ln.M8 + i], w[ln.M9 + i], w[ln.M10 + i], w[ln.OZ + i] = m[8], m[9], m[10], m[11]


@kernel
def pinhole(w, n, camera, lens, width, height):
    """Camera rays through the pixels at LX and LY, from U and V and their times."""
    _stand(w, n, camera)
    across_step, down_step = TWO / f32(width), TWO / f32(height)
    half_x, half_y, shift_x, shift_y = lens[0], lens[1], lens[2], lens[3]
    for i in range(n):
        across, down = circle(w[ln.V + i])
        radius = w[ln.LZ + i]
        cx = ((w[ln.LX + i] + HALF + radius * across) * across_step - ONE - shift_x) * half_x
        cy = (ONE - (w[ln.LY + i] + HALF + radius * down) * down_step - shift_y) * half_y
        w[ln.DX + i] = w[ln.M0 + i] * cx + w[ln.M1 + i] * cy - w[ln.M2 + i]
        w[ln.DY + i] = w[ln.M4 + i] * cx + w[ln.M5 + i] * cy - w[ln.M6 + i]
        w[ln.DZ + i] = w[ln.M8 + i] * cx + w[ln.M9 + i] * cy - w[ln.M10 + i]


@kernel
def _through_lens(w, n, lens):
    """A thin lens: all rays through it meet at the distance of focus (Cook, Porter and Carpenter, 1984)."""
    for i in range(n):
        u, v = opened(w[ln.U + i], w[ln.V + i], lens[6])
        u, v = u * lens[4], v * lens[4]
        mx = w[ln.M0 + i] * u + w[ln.M1 + i] * v
        my = w[ln.M4 + i] * u + w[ln.M5 + i] * v
        mz = w[ln.M8 + i] * u + w[ln.M9 + i] * v
        w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i] = (
            w[ln.OX + i] + mx,
            w[ln.OY + i] + my,
            w[ln.OZ + i] + mz,
        )
        w[ln.DX + i] = w[ln.DX + i] * lens[5] - mx
        w[ln.DY + i] = w[ln.DY + i] * lens[5] - my
        w[ln.DZ + i] = w[ln.DZ + i] * lens[5] - mz


@kernel
def begin(w, n):
    for i in range(n):
        dx, dy, dz = w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i]
        scale = ONE / math.sqrt(dx * dx + dy * dy + dz * dz)
        w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i] = dx * scale, dy * scale, dz * scale
        w[ln.TR + i], w[ln.TG + i], w[ln.TB + i] = ONE, ONE, ONE
        w[ln.DENSITY + i], w[ln.ALIVE + i], w[ln.BOUNCES + i], w[ln.SPREAD + i] = ONE, ONE, ZERO, ZERO
        w[ln.RATIO + i] = ONE
        w[ln.MEDIUM_R + i], w[ln.MEDIUM_G + i], w[ln.MEDIUM_B + i] = ZERO, ZERO, ZERO


@kernel
def start(world, w, q, n, index, width, height):
    """Camera rays of the lanes, whose pixels stand in LX and LY."""
    steps, lens = world.poses.shape[1], world.lens
    wide = padded(n)
    if steps > 1:
        sample_lanes(w, q, wide, index, 1)
    for i in range(wide):
        w[ln.TIME + i] = w[ln.U + i] if steps > 1 else ZERO
    sample_lanes(w, q, wide, index, 0)
    _filter(w, n)
    pinhole(w, wide, world.camera, lens, width, height)
    if lens[4] > ZERO:
        sample_lanes(w, q, wide, index, 90)
        _through_lens(w, n, lens)
    begin(w, wide)


@kernel
def lift(w, n):
    """Move the lanes to their hits, off the surface."""
    for i in range(n):
        far = w[ln.FAR + i]
        px, py, pz = (
            w[ln.OX + i] + w[ln.DX + i] * far,
            w[ln.OY + i] + w[ln.DY + i] * far,
            w[ln.OZ + i] + w[ln.DZ + i] * far,
        )
        lift = LIFT * max(ONE, max(abs(px), max(abs(py), abs(pz))))
        w[ln.OX + i] = px + w[ln.GX + i] * lift
        w[ln.OY + i] = py + w[ln.GY + i] * lift
        w[ln.OZ + i] = pz + w[ln.GZ + i] * lift
        w[ln.BOUNCES + i] = w[ln.BOUNCES + i] + ONE
