"""Clearance: at which frames letters run into each other, the floor or the wall, or are out of the frame, by the boxes
around them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import inner, outer
from moss_crown.core.motion.poses import Poses, led

MEETS, SINKS, OUT = 1, 2, 4
"""Bits: a letter meets another one; it goes into the floor or the wall; it is wholly out of the frame."""
GIVE = 0.04
"""Boxes may overlap by this share of a cap height: letters do not fill their boxes."""


def out_of_frame(
    poses: Poses, boxes: NDArray[np.float64], cameras: Poses, half: NDArray[np.float64], shift: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """(f, l): is a letter's box wholly beyond one border of the frame, or behind the camera?

    poses (f, l, 4, 4), boxes (l, 8, 3); cameras (f, 4, 4) with half tangents (f, 2) and shifts (f, 2) in half frames. A
    box near a corner of the frame may be out of it and yet beyond no single border: it counts as seen.
    """
    low, high = boxes.min(1), boxes.max(1)
    middle = np.concatenate([(low + high) / 2, np.ones((len(boxes), 1))], 1)
    centre = (poses[..., :3, :] @ middle[..., None])[..., 0] - cameras[:, None, :3, 3]
    sides = poses[..., :3, :3] * ((high - low) / 2)[:, None, :]
    zero, one = np.zeros(len(cameras)), np.ones(len(cameras))
    out = np.zeros(poses.shape[:2], bool)
    # Each border as the normal, in the camera's space, of the plane through it and the eye, looking inward.
    for axis in (0, 1):
        for sign in (1.0, -1.0):
            slope = (1 + sign * shift[:, axis]) * half[:, axis]
            inward = [sign * one, zero] if axis == 0 else [zero, sign * one]
            out |= _beyond(np.stack([*inward, -slope], 1), cameras, centre, sides)
    return out | _beyond(np.stack([zero, zero, -one], 1), cameras, centre, sides)


def _beyond(
    normal: NDArray[np.float64], cameras: Poses, centre: NDArray[np.float64], sides: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Is all of a box on the wrong side of a plane through the eye? `normal` (f, 3) in the camera's space."""
    world = (cameras[:, :3, :3] @ normal[..., None])[:, None, :, 0]
    reach = np.abs((world[..., None] * sides).sum(-2)).sum(-1)
    found: NDArray[np.bool_] = (world * centre).sum(-1) + reach < 0
    return found


FILLED = 0.7
"""Pieces fill their boxes by so much along each side."""
FRAMES_AT_ONCE = 32


@dataclass(frozen=True)
class Broken:
    """Pieces of letters: the number of each one's letter (p), the corners of its box (p, 8, 3) in that letter's own
    space, where it is there beside home (f, p, 3, 4); the poses of letters themselves (f, l, 4, 4), not of boxes around
    their pieces; and which letters are whole (f, l)."""

    of: NDArray[np.int64]
    boxes: NDArray[np.float64]
    ways: NDArray[np.float64]
    letters: Poses
    whole: NDArray[np.bool_]


def contacts(
    poses: Poses,
    boxes: NDArray[np.float64],
    rest: NDArray[np.float64],
    give: NDArray[np.float64],
    floor: float,
    wall: float,
    broken: Broken | None = None,
) -> NDArray[np.uint8]:
    """(f, l) bits for letters with poses (f, l, 4, 4) and boxes (l, 8, 3) in their own space.

    Letters whose boxes overlap where they rest (l, 4, 4), as in kerned pairs, are not told of each other; nor is one
    told of a floor or wall in which it rests. `give` (l) is in metres; `floor` and `wall` are heights in y and z, minus
    infinity for none. Boxes by the separating axis theorem: Gottschalk, Lin and Manocha, OBBTree, SIGGRAPH 1996.

    Where letters are not whole each piece may meet other letters and their pieces, floor and wall; those of one letter
    are not told of each other.
    """
    found = np.zeros(poses.shape[:2], np.uint8)
    letters = len(rest)
    if not poses.shape[1]:
        return found
    of = np.arange(letters) if broken is None else np.concatenate([np.arange(letters), broken.of])
    every = boxes if broken is None else np.concatenate([boxes, broken.boxes])
    low, high = every.min(1), every.max(1)
    middle, half = (low + high) / 2, (high - low) / 2
    half[:letters] = np.maximum(half[:letters] - give[:, None], 1e-4)
    half[letters:] *= FILLED
    room = (np.empty((len(of), 3)), np.empty((len(of), 3, 3)), np.empty((len(of), 3)))
    apart = np.ones((letters, letters), np.bool_)
    _pairs_apart(apart, np.ascontiguousarray(rest), middle, half, *room)
    corners = np.concatenate([every, np.ones((*every.shape[:2], 1))], 2)
    for begin in range(0, len(poses), FRAMES_AT_ONCE):
        own = slice(begin, begin + FRAMES_AT_ONCE)
        at, there = poses[own], np.ones((len(poses[own]), letters), np.bool_)
        if broken is not None:
            at = np.concatenate([at, led(broken.letters[own][:, broken.of], broken.ways[own])], 1)
            there = np.concatenate([broken.whole[own], ~broken.whole[own][:, broken.of]], 1)
        _meet(np.ascontiguousarray(at), middle, half, of, there, apart, found[own], *room)
        for axis, bound in ((1, floor), (2, wall)):
            if math.isfinite(bound):
                lowest = np.einsum("fuj,ucj->fuc", at[:, :, axis], corners).min(2)
                still = np.einsum("lj,lcj->lc", rest[:, axis], corners[:letters]).min(1)
                frame, unit = np.nonzero(there & (lowest < bound - give[of]) & (still >= bound - give)[of])
                np.bitwise_or.at(found, (begin + frame, of[unit]), np.uint8(SINKS))
    return found


@inner
def _frame(pose, middle, half, centre, axes, size):
    """The box of a letter in the world: its middle, its unit axes as rows, its half lengths."""
    for i in range(3):
        centre[i] = pose[i, 0] * middle[0] + pose[i, 1] * middle[1] + pose[i, 2] * middle[2] + pose[i, 3]
    for a in range(3):
        length = math.sqrt(pose[0, a] ** 2 + pose[1, a] ** 2 + pose[2, a] ** 2)
        size[a] = half[a] * length
        for i in range(3):
            axes[a, i] = pose[i, a] / length if length > 1e-12 else (1.0 if i == a else 0.0)


@inner
def _overlap(c1, a1, s1, c2, a2, s2):
    dx, dy, dz = c2[0] - c1[0], c2[1] - c1[1], c2[2] - c1[2]
    reach1 = math.sqrt(s1[0] ** 2 + s1[1] ** 2 + s1[2] ** 2)
    reach2 = math.sqrt(s2[0] ** 2 + s2[1] ** 2 + s2[2] ** 2)
    if dx * dx + dy * dy + dz * dz > (reach1 + reach2) ** 2:
        return False
    for n in range(15):
        if n < 3:
            x, y, z = a1[n, 0], a1[n, 1], a1[n, 2]
        elif n < 6:
            x, y, z = a2[n - 3, 0], a2[n - 3, 1], a2[n - 3, 2]
        else:
            i, j = (n - 6) // 3, (n - 6) % 3
            x = a1[i, 1] * a2[j, 2] - a1[i, 2] * a2[j, 1]
            y = a1[i, 2] * a2[j, 0] - a1[i, 0] * a2[j, 2]
            z = a1[i, 0] * a2[j, 1] - a1[i, 1] * a2[j, 0]
            if x * x + y * y + z * z < 1e-12:
                continue  # parallel edges separate nothing that faces do not
        extent = 0.0
        for k in range(3):
            extent += s1[k] * abs(a1[k, 0] * x + a1[k, 1] * y + a1[k, 2] * z)
            extent += s2[k] * abs(a2[k, 0] * x + a2[k, 1] * y + a2[k, 2] * z)
        if abs(dx * x + dy * y + dz * z) > extent:
            return False
    return True


@outer
def _pairs_apart(apart, rest, middle, half, centres, axes, sizes):
    count = len(rest)
    for k in range(count):
        _frame(rest[k], middle[k], half[k], centres[k], axes[k], sizes[k])
    for i in range(count):
        for j in range(i + 1, count):
            apart[i, j] = not _overlap(centres[i], axes[i], sizes[i], centres[j], axes[j], sizes[j])


@outer
def _meet(poses, middle, half, of, there, apart, found, centres, axes, sizes):
    """`of`: the letter of each unit (u); which are `there` at each frame (f, u)."""
    count = poses.shape[1]
    for f in range(poses.shape[0]):
        for k in range(count):
            if there[f, k]:
                _frame(poses[f, k], middle[k], half[k], centres[k], axes[k], sizes[k])
        for i in range(count):
            if not there[f, i]:
                continue
            for j in range(i + 1, count):
                a, b = of[i], of[j]
                if not there[f, j] or a == b or not apart[min(a, b), max(a, b)] or found[f, a] & found[f, b] & 1:
                    continue
                if _overlap(centres[i], axes[i], sizes[i], centres[j], axes[j], sizes[j]):
                    found[f, a] |= 1
                    found[f, b] |= 1
