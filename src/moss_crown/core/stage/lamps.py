"""Lamps of a recipe as the lights of a scene."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.look import Light
from moss_crown.core.look.exposure import colour_of
from moss_crown.core.stage.scene import Light as SceneLight
from moss_crown.core.stage.scene import Manner, RectangleLight, ShapeLight, SunLight, triangle_areas
from moss_crown.core.values.sampling import sample_choice, sample_one, sample_parts

Floats = NDArray[np.float64]
SIDES, RINGS = 48, 20
SUN_AWAY = 8.0
"""A sun is as bright as a rectangle of its power so many metres away."""
WIDEST_SUN = 150.0
"""Degrees: a sun of a stack does not get wider."""
FACES, EDGES = 0b010001, 0b101110
"""Bits of facets: face and rear; bevel, return, rear bevel and what was inside."""


def sources_at(lamp: Light, frame: float, touches: tuple[int, ...] | None = None) -> list[SceneLight]:
    """The sources that a lamp is made of at a frame: one, or as many as its stack has."""
    count = round(sample_one(lamp.stack, frame))
    spread = sample_one(lamp.spread, frame)
    return [light_at(lamp, frame, touches, spread**k, 1 / count) for k in range(count)]


def light_at(
    lamp: Light, frame: float, touches: tuple[int, ...] | None = None, wider: float = 1.0, share: float = 1.0
) -> SceneLight:
    """A lamp at a frame, lighting what `touches` says (see `Manner`), so much wider, with a share of its light.

    Radiance is such that its power spreads over its area and the half space that each place of it shines into.
    """
    centre, aim = sample_parts(lamp.place, frame), sample_parts(lamp.aim, frame)
    width, height = wider * sample_one(lamp.width, frame), wider * sample_one(lamp.height, frame)
    towards = aim - centre
    length = np.linalg.norm(towards)
    axis = towards / length if length > 1e-9 else np.array([0.0, -1.0, 0.0])
    u = np.cross([0.0, 1.0, 0.0], axis)
    u = u / np.linalg.norm(u) if np.linalg.norm(u) > 1e-6 else np.array([1.0, 0.0, 0.0])
    v = np.cross(axis, u)
    colour = sample_parts(lamp.colour, frame) * colour_of(sample_one(lamp.white, frame))
    flux = share * colour * sample_one(lamp.power, frame) * 2.0 ** sample_one(lamp.stops, frame)
    spot = sample_one(lamp.spot, frame)
    outer = np.radians(spot / 2)
    inner = outer * (1 - sample_one(lamp.soft, frame))
    manner = Manner(
        (float(np.cos(inner)), float(np.cos(outer))) if spot > 0 else None,
        sample_one(lamp.limit, frame),
        _dark(lamp, frame),
        touches,
    )
    shape = sample_choice(lamp.shape, frame)
    if shape == "sun":
        radius = np.radians(min(wider * sample_one(lamp.angle, frame), WIDEST_SUN) / 2)
        return SunLight(axis, float(radius), flux / (np.pi * SUN_AWAY**2), manner)
    if shape == "rectangle":
        return RectangleLight(centre, u * width / 2, v * height / 2, flux / (np.pi * width * height), manner)
    if shape == "disc":
        triangles = _disc(centre, u * width / 2, v * height / 2)
    elif shape == "tube":
        triangles = _tube(centre, u * width / 2, v * height / 2, axis * height / 2)
    else:
        triangles = _ball(centre, width / 2)
    return ShapeLight(triangles, axis, flux / (np.pi * triangle_areas(triangles).sum()), manner)


def _dark(lamp: Light, frame: float) -> tuple[float, float]:
    if not sample_choice(lamp.shadow, frame):
        return 0.0, 0.0
    return float(sample_one(lamp.on_letters_dark, frame)), float(sample_one(lamp.on_stage_dark, frame))


def _around(count: int) -> Floats:
    angle = 2 * np.pi * np.arange(count + 1) / count
    return np.stack([np.cos(angle), np.sin(angle)], 1)


def _disc(centre: Floats, u: Floats, v: Floats) -> Floats:
    rim = centre + _around(SIDES) @ np.array([u, v])
    return np.stack([np.broadcast_to(centre, rim[1:].shape), rim[:-1], rim[1:]], 1)


def _tube(centre: Floats, along: Floats, v: Floats, w: Floats) -> Floats:
    """The side of a cylinder, whose ends are open."""
    rim = _around(SIDES) @ np.array([v, w])
    near, far = centre - along + rim, centre + along + rim
    one = np.stack([near[:-1], near[1:], far[1:]], 1)
    two = np.stack([near[:-1], far[1:], far[:-1]], 1)
    return _outward(np.concatenate([one, two]), centre, along / max(float(np.linalg.norm(along)), 1e-12))


def _ball(centre: Floats, radius: float) -> Floats:
    polar = np.pi * np.arange(RINGS + 1) / RINGS
    round_ = _around(SIDES)
    rows = np.stack(
        [
            np.sin(polar)[:, None] * round_[None, :, 0],
            np.cos(polar)[:, None] + 0 * round_[None, :, 0],
            np.sin(polar)[:, None] * round_[None, :, 1],
        ],
        2,
    )
    a, b, c, d = rows[:-1, :-1], rows[:-1, 1:], rows[1:, 1:], rows[1:, :-1]
    both = np.concatenate([np.stack([a, b, c], 2).reshape(-1, 3, 3), np.stack([a, c, d], 2).reshape(-1, 3, 3)])
    flat = np.linalg.norm(np.cross(both[:, 1] - both[:, 0], both[:, 2] - both[:, 0]), axis=1) < 1e-9
    return _outward(centre + radius * both[~flat], centre, np.zeros(3))


def _outward(triangles: Floats, centre: Floats, axis: Floats) -> Floats:
    """Turn every triangle so that it looks away from the centre (of an axis)."""
    normal = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    out = triangles.mean(1) - centre
    out -= (out @ axis)[:, None] * axis
    found = triangles.copy()
    inward = (normal * out).sum(1) < 0
    found[inward] = found[inward][:, ::-1]
    return found
