"""Photons: light that lamps and the environment send to letters, and letters to the stage, for the guide of paths."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.look.exposure import BRIGHTNESS
from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import ZERO, entry, f32, luminance, u32
from moss_crown.core.render.camera import begin, lift, padded
from moss_crown.core.render.guiding import BINS, CELLS, Guide, no_guide
from moss_crown.core.render.hits import met
from moss_crown.core.render.kernel import go_on
from moss_crown.core.render.rays import CASTS_SHADOW, ray_buffer
from moss_crown.core.render.sampling import mix, sample_lanes
from moss_crown.core.render.shading import draw, evaluate, frame, settle
from moss_crown.core.render.views import Packed, view
from moss_crown.core.render.world import World, arriving_from
from moss_crown.core.stage.scene import Light, RectangleLight, Scene, ShapeLight, Sheet, SunLight, triangle_areas

MOST = 0.5
"""The largest share of directions that a guide draws."""
PHOTONS, SAMPLES_A_PHOTON = 1 << 17, 128
"""A picture gets a photon for so many of its samples, up to so many."""
BOUNCES = 2
"""Letters that a photon may meet on its way to the stage."""
FEWEST = 400
"""Of so few photons nothing is learnt about a sheet."""
BEYOND = 1.0
"""Cells lie below and behind the title, and so many of its heights beyond."""
COPIES = 4
"""So many places around its own stand for where a photon came down and where it came from."""
BRIGHTEST = 40.0
"""No photon counts for more than so many: one must not be all that a cell knows."""
FAR = 100.0
"""Metres from where suns and the environment send theirs."""
_LANDED = 8

Floats = NDArray[np.float64]


def guide_of(scene: Scene, world: World, samples: int) -> Guide:
    """The guide for what is flat of a scene's stage, for a picture of so many samples in all. The same scene has the
    same bits."""
    instances = len(world.first_triangle)
    sheets = {len(scene.letters) + k: g for k, g in enumerate(scene.grounds) if isinstance(g, Sheet) and not g.catches}
    count = min(samples // SAMPLES_A_PHOTON, PHOTONS)
    if not sheets or count < FEWEST:
        return no_guide(instances)
    triangles = _letters(scene)
    sent = _sent(scene, triangles, count)
    if sent is None:
        return no_guide(instances)
    landed = np.zeros((BOUNCES * count, _LANDED), np.float32)
    _follow(Packed(world), *ln.workspace(), ray_buffer(), *sent, landed)
    landed = landed[landed[:, 7] > 0]
    corners = triangles.reshape(-1, 3)
    beyond = BEYOND * np.ptp(corners[:, 1])
    around = np.stack([corners.min(0) - beyond, corners.max(0) + beyond])
    of = np.full(instances, -1, np.int32)
    guides: list[tuple[Floats, Floats, Floats]] = []
    for instance, sheet in sheets.items():
        own = landed[landed[:, 0] == instance].astype(np.float64)
        if (found := _learn(sheet, around, own[:, 1:4], own[:, 4:7], own[:, 7])) is not None:
            of[instance] = len(guides)
            guides.append(found)
    if not guides:
        return no_guide(instances)
    frames, rise, share = (np.ascontiguousarray(np.concatenate(part), np.float32) for part in zip(*guides, strict=True))
    return Guide(True, of, frames, rise, share)


def _learn(
    sheet: Sheet, around: Floats, at: Floats, ways: Floats, energy: Floats
) -> tuple[Floats, Floats, Floats] | None:
    """A sheet's frame, rising chances and shares by the places of photons (n, 3), the ways to where they came from, and
    what they brought; on the side on which most landed, within a box `around` (2, 3)."""
    u, v = (edge / np.linalg.norm(edge) for edge in (sheet.u, sheet.v))
    normal = np.cross(u, v)
    normal *= np.sign(energy @ np.sign(ways @ normal)) or 1.0
    corners = np.array(np.meshgrid(*around.T)).reshape(3, -1).T
    own = ways @ normal > 0
    at, ways, energy = at[own], ways[own], energy[own]
    if len(at) < FEWEST:
        return None
    # By numbers of their own each copy stands aside, within a cell and a bin to both sides.
    aside = np.random.Generator(np.random.PCG64(len(at))).random((2, COPIES, 4, len(at))).sum(0) - 1
    rows, places = [], []
    for k, axis in enumerate((u, v)):
        along = at @ axis
        low = max(float((corners @ axis).min()), float(np.quantile(along, 0.01)))
        high = min(float((corners @ axis).max()), float(np.quantile(along, 0.99)))
        scale = CELLS / max(high - low, 1e-3)
        rows += [*(axis * scale), -low * scale]
        places.append(np.floor((along - low) * scale + aside[:, k]).astype(np.int64))
    for k, axis in enumerate((u, v)):
        places.append(np.clip(np.floor((ways @ axis + 1) * (BINS / 2) + aside[:, 2 + k]), 0, BINS - 1).astype(np.int64))
    x, y, column, row = places
    inside = (x >= 0) & (x < CELLS) & (y >= 0) & (y < CELLS)
    if not inside.any():
        return None
    place = ((y * CELLS + x) * BINS + row) * BINS + column
    brought = np.broadcast_to(np.minimum(energy, BRIGHTEST * energy.mean()), inside.shape)
    found = np.bincount(place[inside], brought[inside], CELLS * CELLS * BINS * BINS).reshape(-1, BINS * BINS)
    rise = np.zeros((len(found), BINS * BINS + 1))
    np.cumsum(found, 1, out=rise[:, 1:])
    whole = rise[:, -1]
    share = MOST * whole / (whole + 0.1 * whole.max())
    rise[:, 1:] /= np.maximum(whole, 1e-30)[:, None]
    rise[:, -1] = 1
    return np.array([[*u, *v, *normal, *rows]]), rise, share


_KRONECKER = 1.0850702454914508  # the root of x^9 = x + 1, for eight numbers


def _numbers(count: int) -> Floats:
    """(count, 8) numbers in [0, 1): Roberts, "The Unreasonable Effectiveness of Quasirandom Sequences", 2018."""
    return np.asarray((0.5 + np.arange(1, count + 1)[:, None] * _KRONECKER ** -np.arange(1.0, 9.0)) % 1)


def _letters(scene: Scene) -> Floats:
    """(n, 3, 3) all triangles of the letters, where they are when the shutter opens."""
    corners = [np.zeros((0, 3, 3))]
    for letter in scene.letters:
        solid, pose = scene.solids[letter.solid], letter.poses[0]
        vertices = letter.bent.places[0].astype(np.float64) if letter.bent else solid.vertices
        corners.append(vertices[solid.triangles] @ pose[:3, :3].T + pose[:3, 3])
    return np.concatenate(corners)


def _sent(scene: Scene, triangles: Floats, count: int) -> tuple[NDArray[np.float32], NDArray[np.float32]] | None:
    """Photons on their way to triangles (n, 3, 3): origins with their times (n, 4), directions with what they carry
    (n, 4); None where there is nothing to send or to meet."""
    cross = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    area = np.linalg.norm(cross, axis=1) / 2
    if not area.sum() > 0:
        return None
    u = _numbers(count)
    chosen = np.minimum(np.searchsorted(np.cumsum(area), u[:, 0] * area.sum(), side="right"), len(area) - 1)
    targets = _within(triangles[chosen], u[:, 1], u[:, 2])
    facing = cross[chosen] / np.maximum(2 * area[chosen], 1e-30)[:, None]
    sky = _sky_power(scene)
    middle = targets.mean(0)
    power = [*(arriving_from(light, _bright(light), middle) for light in scene.lights), float(sky.sum())]
    if not sum(power) > 0:
        return None
    chances = np.array(power) / sum(power)
    of = np.minimum(np.searchsorted(np.cumsum(chances), u[:, 3], side="right"), len(power) - 1)
    origins, carried = np.zeros((count, 3)), np.zeros(count)
    for k, light in enumerate((*scene.lights, None)):
        own = of == k
        if not own.any():
            continue
        at, out, numbers = targets[own], facing[own], u[own, 4:7]
        if light is None:
            ways = _from_sky(sky, scene.surround.turn, numbers)
            origins[own] = at - FAR * ways
            carried[own] = sky.sum() * _towards(ways, out)
        elif isinstance(light, SunLight):
            along = np.asarray(light.direction) / np.linalg.norm(light.direction)
            origins[own] = at - FAR * along
            carried[own] = _bright(light) * _towards(along, out)
        else:
            origins[own], leaving = _on_lamp(light, numbers)
            ways = at - origins[own]
            away = np.maximum((ways * ways).sum(1), 1e-6)
            ways /= np.sqrt(away)[:, None]
            sent = _bright(light) * _area(light) * _towards(ways, -leaving) * _in_cone(light, ways)
            carried[own] = sent * _towards(ways, out) / away
        carried[own] *= area.sum() / (chances[k] * count)
    some = carried > 0
    ways = targets - origins
    ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-12)
    first = np.column_stack([origins, u[:, 7]])[some].astype(np.float32)
    return first, np.column_stack([ways, carried])[some].astype(np.float32)


def _towards(ways: Floats, facing: Floats) -> Floats:
    """(n) the cosine at which ways meet what faces so; 0 from behind."""
    return np.asarray(np.maximum(-(ways * facing).sum(1), 0))


def _in_cone(light: RectangleLight | ShapeLight, ways: Floats) -> Floats:
    """(n) how much of its light a lamp sends along ways: about, at the edge of its cone."""
    if light.manner.cone is None:
        return np.ones(len(ways))
    inner, outer = light.manner.cone
    axis = light.normal if isinstance(light, RectangleLight) else light.axis
    return np.asarray(np.clip((ways @ axis - outer) / max(inner - outer, 1e-6), 0, 1))


def _bright(light: Light) -> float:
    return float(np.asarray(light.irradiance if isinstance(light, SunLight) else light.radiance) @ BRIGHTNESS)


def _area(light: RectangleLight | ShapeLight) -> float:
    return light.area if isinstance(light, RectangleLight) else float(triangle_areas(light.triangles).sum())


def _within(triangles: Floats, a: Floats, b: Floats) -> Floats:
    """A point of each triangle (n, 3, 3), evenly over its area by two numbers (n)."""
    root = np.sqrt(a)[:, None]
    b = b[:, None]
    return np.asarray((1 - root) * triangles[:, 0] + root * (1 - b) * triangles[:, 1] + root * b * triangles[:, 2])


def _on_lamp(light: RectangleLight | ShapeLight, numbers: Floats) -> tuple[Floats, Floats]:
    """Points (n, 3) of a lamp, evenly over it by numbers (n, 3), with the normals there."""
    a, b, c = numbers.T
    if isinstance(light, RectangleLight):
        points = light.centre + (2 * a - 1)[:, None] * light.u + (2 * b - 1)[:, None] * light.v
        return np.asarray(points), np.broadcast_to(light.normal, points.shape)
    areas = triangle_areas(light.triangles)
    chosen = np.minimum(np.searchsorted(np.cumsum(areas), c * areas.sum(), side="right"), len(areas) - 1)
    own = light.triangles[chosen]
    cross = np.cross(own[:, 1] - own[:, 0], own[:, 2] - own[:, 0])
    return _within(own, a, b), cross / np.maximum(np.linalg.norm(cross, axis=1, keepdims=True), 1e-30)


def _sky_power(scene: Scene) -> Floats:
    """(h, w) light of each part of the environment on what faces it."""
    bright = scene.surround.picture.astype(np.float64) @ BRIGHTNESS * scene.surround.strength
    height, width = bright.shape
    sine = np.sin((np.arange(height) + 0.5) / height * np.pi)[:, None]
    return np.asarray(bright * sine * (np.pi / height) * (2 * np.pi / width))


def _from_sky(power: Floats, turn: float, numbers: Floats) -> Floats:
    """Ways (n, 3) in which light of an environment travels, drawn in proportion to it by numbers (n, 3)."""
    height, width = power.shape
    a, b, c = numbers.T
    cell = np.minimum(np.searchsorted(np.cumsum(power), a * power.sum(), side="right"), power.size - 1)
    down, across = (cell // width + b) / height, (cell % width + c) / width
    azimuth = 2 * np.pi * (across - 0.5) - math.radians(turn)
    ring = np.sin(np.pi * down)
    return -np.column_stack([ring * np.sin(azimuth), np.cos(np.pi * down), -ring * np.cos(azimuth)])


@entry
def _follow(world, w, q, ray, origins, directions, landed):
    """Send photons through the scene; what lands on the stage by way of letters: instance, place, way to where it came
    from, and what it brings, in a row of `landed` a photon and bounce."""
    origins, directions, landed = view(origins), view(directions), view(landed)
    w, q, ray = view(w), view(q), view(ray)
    count, ground = len(origins), world.ground
    for first in range(0, count, ln.LANES):
        n = min(np.int64(ln.LANES), count - first)
        wide = padded(n)
        for i in range(n):
            k = first + i
            w[ln.OX + i], w[ln.OY + i], w[ln.OZ + i] = origins[k, 0], origins[k, 1], origins[k, 2]
            w[ln.DX + i], w[ln.DY + i], w[ln.DZ + i] = directions[k, 0], directions[k, 1], directions[k, 2]
            w[ln.TIME + i] = origins[k, 3]
            q[ln.PIXEL + i], q[ln.KEY + i] = u32(k), mix(u32(k))
            q[ln.SEQUENCE + i], q[ln.ORDER + i], q[ln.WITHIN + i] = mix(u32(k)), u32(0), u32(0)
            q[ln.INSTANCE + i], q[ln.FACET + i] = u32(0), u32(0)
        begin(w, wide)
        for i in range(n):
            carried = directions[first + i, 3]
            w[ln.TR + i], w[ln.TG + i], w[ln.TB + i] = carried, carried, carried
        for bounce in range(BOUNCES + 1):
            n = met(world, w, q, ray, n, CASTS_SHADOW, u32(bounce), False)
            for i in range(n):
                instance = q[ln.INSTANCE + i]
                if not ground[instance]:
                    continue
                if bounce > 0:
                    row = (bounce - 1) * count + int(q[ln.PIXEL + i])
                    far = w[ln.FAR + i]
                    landed[row, 0] = f32(instance)
                    landed[row, 1] = w[ln.OX + i] + w[ln.DX + i] * far
                    landed[row, 2] = w[ln.OY + i] + w[ln.DY + i] * far
                    landed[row, 3] = w[ln.OZ + i] + w[ln.DZ + i] * far
                    landed[row, 4], landed[row, 5], landed[row, 6] = -w[ln.DX + i], -w[ln.DY + i], -w[ln.DZ + i]
                    landed[row, 7] = luminance(w[ln.TR + i], w[ln.TG + i], w[ln.TB + i])
                w[ln.TR + i], w[ln.TG + i], w[ln.TB + i] = ZERO, ZERO, ZERO
            if n == 0 or bounce == BOUNCES:
                break
            wide = padded(n)
            frame(w, wide)
            settle(w, world.albedo, n, wide, world.layered)
            lift(w, wide)
            sample_lanes(w, q, wide, u32(bounce), 4)
            draw(w, wide)
            evaluate(w, world.albedo, n, wide, world.layered)
            go_on(w, wide, 0)
