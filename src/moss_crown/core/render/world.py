"""A scene as flat arrays for the kernels, with its ray tree."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import FACETS
from moss_crown.core.look.exposure import BRIGHTNESS
from moss_crown.core.render import lamps
from moss_crown.core.render import surfaces as su
from moss_crown.core.render.embree import LIGHT_MASK, SOLID_MASK, STAGE_MASK, RayScene
from moss_crown.core.render.environment_map import EnvironmentMap, environment_map
from moss_crown.core.render.guiding import Guide, no_guide
from moss_crown.core.render.surfaces import material_rows
from moss_crown.core.render.tables import albedo_table, glass_table
from moss_crown.core.render.texturing import textures
from moss_crown.core.stage.ground import HALVES, square, triangulated
from moss_crown.core.stage.scene import (
    EVERYTHING,
    MIRRORED,
    Bent,
    Haze,
    Light,
    RectangleLight,
    Scene,
    ShapeLight,
    SunLight,
    triangle_areas,
)

F32 = NDArray[np.float32]


class World(NamedTuple):
    """What a kernel sees. Instance order: letters, stage, lamps that have a shape."""

    scene: int
    first_triangle: NDArray[np.int64]  # (i) of the instance's mesh in the tables below
    normals: F32  # (n, 3, 3): those of a mesh, one after the other for each time that its vertices have
    first_normal: NDArray[np.int64]  # (i) of the instance's mesh there
    times: NDArray[np.int64]  # (i, 2): so many times its vertices have, and how many triangles it has
    facet: NDArray[np.uint8]  # (t)
    corners: F32  # (t, 9) in the mesh's space when the shutter opens; none where nothing asks for them
    later_corners: F32  # (t, 9): one frame on
    rest_corners: F32  # (t, 9): where textures see them
    rest_normals: F32  # (t, 3, 3): the same, none where nothing is bent
    soft: bool  # whether anything is
    poses: F32  # (i, steps, 12): rows of the 3x4 matrices
    later: F32  # (i, 1, 12): one frame on
    rest: F32  # (i, 13): rows of the 3x4 matrix to the title at rest, and the letter's number
    surface: NDArray[np.int32]  # (i, 6) material by facet
    catches: NDArray[np.bool_]  # (i) whether it only catches shadows
    catching: bool  # whether any does
    light_of: NDArray[np.int32]  # (i + 1) lamp or -1, which the last one is too: what met nothing looks there
    rows: F32  # (m, surfaces.ROW)
    glassy: bool  # whether any material lets light through
    veiled: bool  # whether any is not wholly there
    grained: bool  # whether any material has a texture or pictures
    texture: int  # what draws them (see `texturing.textures`), or 0
    layered: bool  # whether any material has a coat or sheen
    albedo: F32  # tables.albedo_table
    glass: F32  # tables.glass_table
    lights: F32  # (l, lamps.LIGHT_ROW)
    choice: F32  # (l + 2): rising chances to choose each lamp, then the environment
    touches: NDArray[np.uint8]  # (l + 1, i): a bit a facet that the light reaches, and MIRRORED
    linked: bool  # whether any lamp spares anything
    unmirrored: bool  # whether any is not mirrored in what it lights
    dark: F32  # (l + 1, i): how dark the light's shadows are
    glow: int  # the lamp that is all letters that glow, or -1
    pieces: F32  # (p, lamps.PIECE_ROW) triangles of shapes
    rise: F32  # (p) rising chances within a shape
    piece_instance: NDArray[np.int64]  # (p)
    first_piece: NDArray[np.int64]  # (i) or -1
    surround: EnvironmentMap
    guide: Guide
    hazy: bool  # whether there is any haze or horizon
    haze: F32  # density and colour of the haze, then those of the horizon that grounds go over into
    ground: NDArray[np.bool_]  # (i) whether it belongs to the stage
    camera: F32  # (1, steps, 12)
    later_camera: F32  # (1, 1, 12)
    lens: F32  # half tangents across and up, shift across and up, radius of the opening, focus, blades


class _Mesh(NamedTuple):
    """A mesh of the ray tree, its first triangle and its first normals in the tables, and its row of `World.times`."""

    handle: int
    first: int
    first_normal: int
    times: tuple[int, int]


class _Stage:
    """Instances as they are gathered."""

    def __init__(self, scene: Scene, corners_wanted: bool) -> None:
        self.rays = RayScene()
        moments = (len(m.bent.places) for m in scene.letters if m.bent)
        moves = 2 if max(moments, default=1) > 1 else 1  # rays get times of their own
        self.steps = max([moves, len(scene.camera.poses), *(len(letter.poses) for letter in scene.letters)])
        self.soft = any(letter.bent for letter in scene.letters)
        self.corners_wanted = corners_wanted
        self.total = 0
        self.normals: list[NDArray[np.float32]] = []
        self.facets: list[NDArray[np.uint8]] = []
        self.corners: list[NDArray[np.float32]] = []
        self.later_corners: list[NDArray[np.float32]] = []
        self.rest_corners: list[NDArray[np.float32]] = []
        self.rest_normals: list[NDArray[np.float32]] = []
        self.first_normal: list[int] = []
        self.times: list[tuple[int, int]] = []
        self.all_normals = 0
        self.lying: list[tuple[NDArray[np.floating], NDArray[np.integer]]] = []
        self.first: list[int] = []
        self.poses: list[NDArray[np.float64]] = []
        self.later: list[NDArray[np.float64]] = []
        self.rest: list[list[float]] = []
        self.surface: list[tuple[int, ...]] = []
        self.catches: list[bool] = []
        self.ground: list[bool] = []
        self.light_of: list[int] = []

    def mesh(
        self,
        vertices: NDArray[np.floating],
        triangles: NDArray[np.integer],
        normals: NDArray[np.floating],
        facet: NDArray[np.uint8],
        bent: Bent | None = None,
    ) -> _Mesh:
        """A mesh of the ray tree, and where it stands in the tables."""
        moments = bent.normals if bent else np.asarray(normals, np.float32)[None]
        made = _Mesh(
            self.rays.add_mesh(bent.places if bent else vertices, triangles),
            self.total,
            self.all_normals,
            (len(moments), len(triangles)),
        )
        self.normals.append(moments.reshape(-1, 3, 3))
        self.all_normals += moments.shape[0] * moments.shape[1]
        self.facets.append(facet)
        if self.corners_wanted:
            at = np.asarray(vertices, np.float32)[triangles].reshape(-1, 9)
            now = bent.places[0][triangles].reshape(-1, 9) if bent else at
            self.corners.append(now)
            if self.soft:
                after = now if bent is None or bent.later is None else bent.later[triangles].reshape(-1, 9)
                self.later_corners.append(after)
                self.rest_corners.append(at)
        if self.soft:
            self.rest_normals.append(np.asarray(normals, np.float32))
        self.lying.append((bent.places[len(bent.places) // 2] if bent else vertices, triangles))
        self.total += len(triangles)
        return made

    def triangles(self, mesh: int) -> NDArray[np.float64]:
        """(n, 3, 3) where glowing letters are looked for as lamps: half way through a shutter."""
        places, triangles = self.lying[mesh]
        return np.asarray(np.asarray(places, np.float64)[triangles])

    def flat(self, triangles: NDArray[np.float64]) -> _Mesh:
        """The same for triangles (n, 3, 3) with flat normals, of one facet."""
        normal = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
        normal = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
        order = np.arange(3 * len(triangles)).reshape(-1, 3)
        return self.mesh(
            triangles.reshape(-1, 3),
            order,
            np.repeat(normal[:, None], 3, 1),
            np.zeros(len(triangles), np.uint8),
        )

    def place(
        self,
        mesh: _Mesh,
        mask: int,
        surface: tuple[int, ...],
        poses: NDArray[np.float64] | None = None,
        later: NDArray[np.float64] | None = None,
        rest: list[float] | None = None,
        light: int = -1,
        catches: bool = False,
    ) -> None:
        at = np.eye(4)[None] if poses is None else poses
        self.rays.add_instance(mesh.handle, at, mask)
        self.first.append(mesh.first)
        self.first_normal.append(mesh.first_normal)
        self.times.append(mesh.times)
        self.poses.append(_stretched(at, self.steps))
        self.later.append((at[0] if later is None else later)[:3].reshape(12))
        self.rest.append(rest or [*np.eye(4)[:3].reshape(-1), 0.0])
        self.surface.append(surface)
        self.light_of.append(light)
        self.catches.append(catches)
        self.ground.append(mask == STAGE_MASK)


def _hazy_row(haze: Haze | None) -> list[float]:
    return [haze.density, *haze.colour] if haze else [0.0] * 4


def build_world(scene: Scene, passes: bool = False) -> tuple[World, RayScene]:
    """Flatten a scene and build its ray tree. The caller closes the ray scene."""
    stage = _Stage(scene, passes or any(surface.grain or surface.images for surface in scene.surfaces))
    bent = {letter.solid: letter.bent for letter in scene.letters if letter.bent}
    used = {letter.solid for letter in scene.letters}
    meshes = {
        k: stage.mesh(s.vertices, s.triangles, s.normals, s.facet, bent.get(k))
        for k, s in enumerate(scene.solids)
        if k in used
    }
    for letter in scene.letters:
        rest = [*letter.rest[:3].reshape(-1), float(letter.number)]
        stage.place(meshes[letter.solid], SOLID_MASK, letter.surfaces, letter.poses, letter.later, rest)
    for ground in scene.grounds:
        made = triangulated(ground)
        mesh = stage.mesh(*made, np.zeros(len(made.triangles), np.uint8))
        stage.place(mesh, STAGE_MASK, (ground.surface,) * len(FACETS), catches=ground.catches)
    shapes: list[int] = []
    for k, light in enumerate(scene.lights):
        if isinstance(light, SunLight):
            continue
        if isinstance(light, RectangleLight):
            shape = square(light.centre, light.u, light.v)[HALVES]
        else:
            shape = light.triangles
        shapes.append(len(stage.first))
        stage.place(stage.flat(shape), LIGHT_MASK, (0,) * len(FACETS), light=k)
    rows = material_rows(scene.surfaces)
    lights, pieces = _lights(scene, stage, rows, shapes)
    stage.rays.commit()
    grained = bool(((rows[:, su.PATTERN] > 0) | (rows[:, su.PICTURED] > 0)).any())
    surround, around = environment_map(scene.surround)
    c = scene.camera
    corners = _all(stage.corners, 9)
    instances = len(stage.first)
    world = World(
        scene=stage.rays.handle,
        first_triangle=np.array(stage.first, np.int64),
        normals=np.ascontiguousarray(np.concatenate([np.zeros((0, 3, 3), np.float32), *stage.normals])),
        first_normal=np.array(stage.first_normal, np.int64),
        times=np.array(stage.times, np.int64).reshape(-1, 2),
        facet=np.concatenate([np.zeros(0, np.uint8), *stage.facets]),
        corners=corners,
        later_corners=_all(stage.later_corners, 9) if stage.soft else corners,
        rest_corners=_all(stage.rest_corners, 9) if stage.soft else corners,
        rest_normals=_all([rows.reshape(-1, 9) for rows in stage.rest_normals], 9).reshape(-1, 3, 3),
        soft=stage.soft,
        poses=np.array(stage.poses, np.float32).reshape(-1, stage.steps, 12),
        later=np.array(stage.later, np.float32).reshape(-1, 1, 12),
        rest=np.array(stage.rest, np.float32).reshape(-1, 13),
        surface=np.array(stage.surface, np.int32).reshape(-1, len(FACETS)),
        catches=np.array(stage.catches, np.bool_).reshape(-1),
        catching=any(stage.catches),
        light_of=np.array([*stage.light_of, -1], np.int32),
        rows=rows,
        glassy=bool((rows[:, su.CLEARNESS] > 0).any()),
        veiled=bool((rows[:, su.OPACITY] < 1).any()),
        grained=grained,
        texture=textures() if grained else 0,
        layered=bool((rows[:, su.COAT] > 0).any() or (rows[:, su.SHEEN] > 0).any()),
        albedo=albedo_table(),
        glass=glass_table(),
        lights=lights,
        choice=_choice([*pieces.arriving, around]),
        touches=_touches(scene, len(lights), instances),
        linked=any(light.manner.touches is not None for light in scene.lights),
        unmirrored=any(0 < bits < MIRRORED for light in scene.lights for bits in light.manner.touches or ()),
        dark=_dark(scene, len(lights), instances),
        glow=len(scene.lights) if len(lights) > len(scene.lights) else -1,
        pieces=pieces.rows,
        rise=pieces.rise,
        piece_instance=pieces.instance,
        first_piece=pieces.first,
        surround=surround,
        guide=no_guide(instances),
        hazy=bool(scene.haze or scene.horizon),
        haze=np.array([x for h in (scene.haze, scene.horizon) for x in _hazy_row(h)], np.float32),
        ground=np.array(stage.ground, np.bool_).reshape(-1),
        camera=_stretched(c.poses, stage.steps)[None].astype(np.float32),
        later_camera=(c.poses[0] if c.later is None else c.later)[:3].reshape(1, 1, 12).astype(np.float32),
        lens=np.array([*c.half, *c.shift, c.opening, c.focus, c.blades], np.float32),
    )
    return world, stage.rays


def _all(tables: list[NDArray[np.float32]], columns: int) -> F32:
    return np.ascontiguousarray(np.concatenate([np.zeros((0, columns), np.float32), *tables]))


def _stretched(poses: NDArray[np.float64], steps: int) -> NDArray[np.float64]:
    """(t, 4, 4) -> (steps, 12); poses that do not move are repeated. Every moving thing has `steps` poses already."""
    rows = poses[:, :3].reshape(len(poses), 12)
    return rows if len(rows) == steps else np.repeat(rows[:1], steps, 0)


class _Pieces(NamedTuple):
    rows: F32
    rise: F32
    instance: NDArray[np.int64]
    first: NDArray[np.int64]
    arriving: list[float]


def _middle(scene: Scene) -> NDArray[np.float64]:
    """Where the letters stand on the whole."""
    places = [letter.poses[len(letter.poses) // 2][:3, 3] for letter in scene.letters]
    return np.mean(places, 0) if places else np.zeros(3)


def arriving_from(light: Light, bright: float, middle: NDArray[np.float64]) -> float:
    """About how much light of a lamp arrives at a place from all directions, were nothing in its way: its radiance
    times the angle under which it is seen. In these terms lamps and an environment can be compared."""
    if isinstance(light, SunLight):
        return bright
    if isinstance(light, ShapeLight):
        way = middle - light.triangles.reshape(-1, 3).mean(0)
        shown = float(triangle_areas(light.triangles).sum()) / 4  # of a closed shape, from any side
    else:
        way = middle - light.centre
        facing = float(way @ light.normal) / max(float(np.linalg.norm(way)), 1e-9)
        shown = light.area * max(facing, LEAST_FACING)
    return bright * shown / max(float(way @ way), shown)


LEAST_FACING = 0.1
"""A lamp that is turned away from the letters may still light the stage."""


def _lights(scene: Scene, stage: _Stage, rows: F32, shapes: list[int]) -> tuple[F32, _Pieces]:
    """Rows of the lamps, with one more for all that glows, the triangles of those that are shapes, and about how much
    light of each arrives at the letters."""
    middle = _middle(scene)
    instances = len(stage.first)
    first = np.full(instances, -1, np.int64)
    table: list[NDArray[np.float64]] = []
    rises: list[NDArray[np.float64]] = []
    owner: list[NDArray[np.int64]] = []
    lights: list[NDArray[np.float64]] = []
    arriving: list[float] = []
    placed = iter(shapes)
    starts = [*stage.first, stage.total]
    meshes = {start: k for k, start in enumerate(np.cumsum([0, *(len(t) for _, t in stage.lying)])[:-1])}
    total = 0
    for light in scene.lights:
        row = _light_row(light)
        lights.append(row)
        sent = light.irradiance if isinstance(light, SunLight) else light.radiance
        arriving.append(arriving_from(light, float(np.asarray(sent) @ BRIGHTNESS), middle))
        if isinstance(light, SunLight):
            continue
        instance = next(placed)
        if isinstance(light, ShapeLight):
            area = triangle_areas(light.triangles)
            entry = _piece_rows(light.triangles, np.repeat(np.asarray(light.radiance)[None], len(area), 0), area)
            row[lamps.FIRST], row[lamps.PIECES] = total, len(area)
            first[instance] = total
            table.append(entry)
            rises.append(_rise(area))
            owner.append(np.full(len(area), instance, np.int64))
            total += len(area)
    glow = rows[:, su.GLOW_R : su.GLOW_B + 1].astype(np.float64)
    weights: list[NDArray[np.float64]] = []
    begun = total
    for instance in range(instances):
        surface = np.array(stage.surface[instance])
        if stage.light_of[instance] >= 0 or not glow[surface].any():
            continue
        mesh = meshes[starts[instance]]
        triangles = stage.triangles(mesh)
        emitted = glow[surface[stage.facets[mesh]]]
        at = stage.poses[instance][0].reshape(3, 4)
        weight = triangle_areas(triangles @ at[:, :3].T) * (emitted @ BRIGHTNESS)
        first[instance] = total
        table.append(_piece_rows(triangles, emitted, weight))
        weights.append(weight)
        owner.append(np.full(len(weight), instance, np.int64))
        total += len(weight)
    if weights:
        weight = np.concatenate(weights)
        rises.append(_rise(weight))
        chances = weight / max(weight.sum(), 1e-30)
        at = 0
        for entry in table[len(table) - len(weights) :]:
            entry[:, lamps.SHARE] = chances[at : at + len(entry)]
            at += len(entry)
        row = np.zeros(lamps.LIGHT_ROW)
        row[lamps.KIND], row[lamps.CONE_OUTER] = lamps.SHAPE, -1
        row[lamps.FIRST], row[lamps.PIECES] = begun, len(weight)
        lights.append(row)
        arriving.append(float(weight.sum()) / 4)  # a metre away: where it lights other letters and the stage
    pieces = _Pieces(
        np.concatenate([np.zeros((0, lamps.PIECE_ROW)), *table]).astype(np.float32),
        np.concatenate([np.zeros(0), *rises]).astype(np.float32),
        np.concatenate([np.zeros(0, np.int64), *owner]),
        first,
        arriving,
    )
    return np.array(lights, np.float32).reshape(-1, lamps.LIGHT_ROW), pieces


def _rise(weight: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rising chances: where each piece begins."""
    whole = max(float(weight.sum()), 1e-30)
    return np.concatenate([[0.0], np.cumsum(weight)[:-1]]) / whole


def _piece_rows(
    triangles: NDArray[np.float64], emitted: NDArray[np.float64], weight: NDArray[np.float64]
) -> NDArray[np.float64]:
    corner = triangles[:, 0]
    chance = weight / max(float(weight.sum()), 1e-30)
    return np.column_stack([corner, triangles[:, 1] - corner, triangles[:, 2] - corner, emitted, chance])


def _light_row(light: Light) -> NDArray[np.float64]:
    row = np.zeros(lamps.LIGHT_ROW)
    row[lamps.RADIANCE : lamps.RADIANCE + 3] = light.radiance
    manner = light.manner
    row[lamps.CONE_INNER], row[lamps.CONE_OUTER] = manner.cone or (-1.0, -1.0)
    row[lamps.LIMIT] = manner.limit
    if isinstance(light, RectangleLight):
        row[lamps.CENTRE : lamps.RADIANCE] = *light.centre, *light.u, *light.v, *light.normal
        row[lamps.AREA], row[lamps.KIND] = light.area, lamps.RECTANGLE
    elif isinstance(light, ShapeLight):
        row[lamps.NORMAL : lamps.NORMAL + 3] = light.axis
        row[lamps.AREA], row[lamps.KIND] = triangle_areas(light.triangles).sum(), lamps.SHAPE
    else:
        along = np.asarray(light.direction) / np.linalg.norm(light.direction)
        across = np.cross(along, [1.0, 0, 0] if abs(along[0]) < 0.7 else [0, 1.0, 0])
        across /= np.linalg.norm(across)
        row[lamps.ACROSS : lamps.RADIANCE] = *across, *np.cross(along, across), *along
        row[lamps.KIND], row[lamps.SUN_EDGE] = lamps.SUN, 2 * np.sin(light.radius / 2) ** 2
    return row


def _touches(scene: Scene, lights: int, instances: int) -> NDArray[np.uint8]:
    found = np.full((lights + 1, instances), EVERYTHING, np.uint8)
    for k, light in enumerate(scene.lights):
        if light.manner.touches is not None:
            found[k, : len(light.manner.touches)] = light.manner.touches
    return found


def _dark(scene: Scene, lights: int, instances: int) -> F32:
    found = np.ones((lights + 1, instances), np.float32)
    for k, light in enumerate(scene.lights):
        letters, stage = light.manner.dark
        found[k, : len(scene.letters)] = letters
        found[k, len(scene.letters) :] = stage
    return found


def _choice(arriving: list[float]) -> F32:
    """Chances by the root of what arrives: a lamp of which little does may still be the nearest elsewhere."""
    weight = np.sqrt(np.maximum(arriving, 0.0))
    weight = weight / weight.sum() if weight.sum() > 0 else np.full(len(arriving), 1 / len(arriving))
    return np.concatenate([[0.0], np.cumsum(weight)]).astype(np.float32)
