"""How letters stand in a finished picture: how light each is, how far it stands apart from what lies behind it, and how
much of it has run out of range.

Light is what a display sends, relative to its white (IEC 61966-2-1); contrast is that of WCAG 2.2, in which a
twentieth of white lies over everything, as in a lit room.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_erosion, distance_transform_edt, uniform_filter

from moss_crown.core.look.exposure import BRIGHTNESS, srgb_to_linear
from moss_crown.core.render.scopes import WHITE

F32 = NDArray[np.float32]
Mask = NDArray[np.bool_]
Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
LEGIBLE = 1.6
"""A contrast from which an outline reads."""
LEAST_LEGIBLE, MOST_WHITE, EVEN = 0.9, 0.005, 2.5
"""What is wanted: the share of an outline that reads at least, that of a letter which is white at most, and how many
times as light as the darkest face the lightest may be."""
_ROOM_LIGHT = 0.05
_LEVEL = 0.01
"""Of their distance, by which letters beside each other may be nearer or farther."""
_SIDE = 0.25
"""Of a letter's height: a side that is seen wider than that leaves its front alone."""


@dataclass(frozen=True)
class Reading:
    """Of one letter: `level`, its face's light of that of white (of all that is seen of it where no face is); the
    median of the `contrast` along its outline; `legible`, the share of the outline that stands apart by LEGIBLE;
    `clipped`, the share of it that is white; `behind`, the name of what lies behind the outline where it stands apart
    least; `darker` than that or not."""

    name: str
    level: float
    contrast: float
    legible: float
    clipped: float
    behind: str
    darker: bool


def luminance(shown: F32) -> F32:
    """(h, w): the light that display values (h, w, 3) make, of that of white."""
    return np.asarray(srgb_to_linear(shown.astype(np.float64)) @ BRIGHTNESS, np.float32)


def contrast(one: Floats, other: Floats) -> Floats:
    """The ratio of two luminances, the larger first."""
    high, low = np.maximum(one, other), np.minimum(one, other)
    return np.asarray((high + _ROOM_LIGHT) / (low + _ROOM_LIGHT))


def readings(
    shown: F32, names: tuple[str, ...], seen: Ints, face: Mask, front: Mask, depth: F32, letters: set[str]
) -> list[Reading]:
    """Of each of `letters` that is seen, in the order of `names`.

    shown (h, w, 3): display values; seen (h, w): which of `names` covers most of a pixel, -1 for none; face (h, w):
    whether a front face does; front (h, w): whether a front face or the bevel about it does; depth (h, w): how far in
    front of the camera that is.

    What is read of a letter is its front: its outline is that of the front. An outline reads by its rim or by its face:
    a dark letter with a lit edge stands apart as well as a light one. What lies behind is measured a little beyond the
    outline, where no pixel is of both, and close to it: a dark line between a letter and its reflection sets it apart.
    Where that is the letter's own side, the outline reads too if the side, no wider than a share of the letter, stands
    apart from what lies behind both. The front of a letter that stands beside it, no farther away, is not behind it,
    and where letters are joined there is no outline. A letter that shows no front is read by all that is seen of it.
    """
    light = luminance(shown)
    width = max(2.0, shown.shape[0] / 120)
    white = shown.max(-1) >= WHITE
    return [
        _reading(name, seen == k, light, face, front, depth, white, width, seen, names)
        for k, name in enumerate(names)
        if name in letters and bool((seen == k).any())
    ]


def _reading(
    name: str,
    own: Mask,
    light: F32,
    face: Mask,
    front: Mask,
    depth: F32,
    white: Mask,
    width: float,
    seen: Ints,
    names: tuple[str, ...],
) -> Reading:
    faced = own & face
    level = float(light[faced if faced.any() else own].mean())
    clipped = float(white[own].mean())
    others, whole = front & ~own, own
    if (own & front).any():
        own = own & front
    near, far = float(depth[own].min()), float(depth[own].max())
    beside = others & (depth <= far + (far - near) + _LEVEL * far)
    edge = own & ~binary_erosion(own, border_value=1)
    if not edge.any():  # it fills the picture
        return Reading(name, level, 1.0, 0.0, clipped, "", False)
    rows, columns = (slice(max(int(a.min() - 4 * width), 0), int(a.max() + 4 * width) + 1) for a in np.nonzero(whole))
    part = rows, columns
    own, edge, light, faced, seen, beside = own[part], edge[part], light[part], faced[part], seen[part], beside[part]
    whole = whole[part]

    def apart_of(own: Mask, edge: Mask) -> tuple[Floats, Floats]:
        """(n) how far each pixel of an outline stands apart, and how light it is beyond it; not a number where all
        about it is its own or beside it."""
        beyond = np.where(beside, np.inf, distance_transform_edt(~own))

        def about(where: Mask, reach: float) -> Floats:
            """The mean of the light there, around each pixel of the outline."""
            side = 2 * round(reach) + 1
            much = uniform_filter(where.astype(np.float64), side, mode="constant")[edge]
            total = uniform_filter(np.where(where, light, 0).astype(np.float64), side, mode="constant")[edge]
            return np.where(much > 1e-9, total / np.maximum(much, 1e-9), np.nan)

        outside = about((beyond > 1.2) & (beyond <= 1 + width), 1 + width)
        line = about((beyond > 1.2) & (beyond <= 2.5), 2.5)
        inside = about(own, width), about(faced, 4 * width)
        found = np.fmax.reduce([contrast(inner, outer) for inner in inside for outer in (outside, line)])
        return np.where(np.isfinite(outside), found, np.nan), outside

    apart, outside = apart_of(own, edge)
    if (side := whole & ~own).any():
        border = whole & ~binary_erosion(whole, border_value=1)
        if border.any():
            of_border = np.full(edge.shape, np.nan)
            of_border[border] = apart_of(whole, border)[0]
            near, to = distance_transform_edt(~border, return_indices=True)
            tall = np.ptp(np.nonzero(whole)[0]) + 1
            shown_by = np.where(near <= _SIDE * tall, of_border[tuple(to)], np.nan)[edge]
            apart = np.where(distance_transform_edt(~side)[edge] <= 2, np.fmax(apart, shown_by), apart)
    known = np.isfinite(apart) & np.isfinite(outside)
    if not known.any():
        return Reading(name, level, 1.0, 0.0, clipped, "", False)
    apart, outside = apart[known], outside[known]
    # What is behind it where it stands apart least: all that is near to those places.
    weak = np.zeros(edge.shape, bool)
    weak[tuple(axis[known][apart <= np.median(apart)] for axis in np.nonzero(edge))] = True
    around = (distance_transform_edt(~weak) <= 1 + 2 * width) & ~own & ~beside & (seen >= 0)
    behind = names[int(np.bincount(seen[around]).argmax())] if around.any() else ""
    return Reading(
        name,
        level,
        float(np.median(apart)),
        float((apart >= LEGIBLE).mean()),
        clipped,
        behind,
        bool(level < float(outside.mean())),
    )
