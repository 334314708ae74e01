"""A scene as flat arrays for the kernels, with its ray tree."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.render.embree import LIGHT_MASK, SOLID_MASK, STAGE_MASK, RayScene
from moss_crown.core.render.environment_map import EnvironmentMap, environment_map
from moss_crown.core.render.sampling import SECOND
from moss_crown.core.render.tables import albedo_table, material_rows
from moss_crown.core.stage.scene import RectangleLight, Scene

F32 = NDArray[np.float32]

LIGHT_ROW = 16
"""Numbers a light row holds: centre, half edges u and v, normal, radiance (3 each), area."""


class World(NamedTuple):
    """What a kernel sees. Instance order: letters, sheets, lights."""

    scene: int
    first_triangle: NDArray[np.int64]  # (i) of the instance's mesh in the tables below
    normals: F32  # (t, 3, 3)
    facet: NDArray[np.uint8]  # (t)
    poses: F32  # (i, steps, 12): rows of the 3x4 matrices
    surface: NDArray[np.int32]  # (i, 5) material by facet
    light_of: NDArray[np.int32]  # (i) light index or -1
    rows: F32  # (m, tables.ROW)
    albedo: F32  # tables.albedo_table
    corners: F32  # (t, 9) of a textured title's triangles, in the mesh's space
    rest: F32  # (i, 13): rows of the 3x4 matrix to the title at rest, and the letter's number
    lights: F32  # (l, LIGHT_ROW)
    choice: F32  # (l + 2): rising chances to choose each light, then the environment
    surround: EnvironmentMap
    camera: F32  # (steps, 12)
    lens: F32  # half tangents across and up, shift across and up, radius of the opening, focus, blades
    second: NDArray[np.uint32]


def build_world(scene: Scene) -> tuple[World, RayScene]:
    """Flatten a scene and build its ray tree. The caller closes the ray scene."""
    rays = RayScene()
    still = np.eye(4)[None]
    meshes, offsets, normals, facets, corners, total = [], [], [], [], [], 0
    grained = any(surface.grain for surface in scene.surfaces)
    for solid in scene.solids:
        meshes.append(rays.add_mesh(solid.vertices, solid.triangles))
        offsets.append(total)
        normals.append(solid.normals)
        facets.append(solid.facet)
        if grained:
            corners.append(solid.vertices[solid.triangles].reshape(-1, 9).astype(np.float32))
        total += len(solid.triangles)
    steps = max([1, len(scene.camera.poses), *(len(letter.poses) for letter in scene.letters)])
    first, poses, surface, light_of, rest = [], [], [], [], []
    for letter in scene.letters:
        rays.add_instance(meshes[letter.solid], letter.poses, SOLID_MASK)
        first.append(offsets[letter.solid])
        poses.append(_stretched(letter.poses, steps))
        surface.append(letter.surfaces)
        light_of.append(-1)
        rest.append([*letter.rest[:3].reshape(-1), float(letter.number)])
    flat = [(s.centre, s.u, s.v, s.surface, -1, STAGE_MASK) for s in scene.sheets]
    flat += [(light.centre, light.u, light.v, 0, k, LIGHT_MASK) for k, light in enumerate(scene.lights)]
    for centre, u, v, material, light, mask in flat:
        square = np.array([centre - u - v, centre + u - v, centre + u + v, centre - u + v])
        halves = np.array([[0, 1, 2], [0, 2, 3]])
        normal = np.cross(u, v) / np.linalg.norm(np.cross(u, v))
        rays.add_instance(rays.add_mesh(square, halves), still, mask)
        first.append(total)
        normals.append(np.broadcast_to(normal, (2, 3, 3)).astype(np.float32))
        facets.append(np.zeros(2, np.uint8))
        if grained:
            corners.append(square[halves].reshape(-1, 9).astype(np.float32))
        total += 2
        poses.append(_stretched(still, steps))
        surface.append((material,) * 5)
        light_of.append(light)
        rest.append([*np.eye(4)[:3].reshape(-1), 0.0])
    rays.commit()
    surround, surround_power = environment_map(scene.surround)
    c = scene.camera
    lights = np.array([_light_row(light) for light in scene.lights], np.float32).reshape(-1, LIGHT_ROW)
    powers = [_power(light) for light in scene.lights] + [surround_power]
    world = World(
        scene=rays.handle,
        first_triangle=np.array(first, np.int64),
        normals=np.ascontiguousarray(np.concatenate([np.zeros((0, 3, 3), np.float32), *normals])),
        facet=np.concatenate([np.zeros(0, np.uint8), *facets]),
        poses=np.array(poses, np.float32).reshape(-1, steps, 12),
        surface=np.array(surface, np.int32).reshape(-1, 5),
        light_of=np.array(light_of, np.int32),
        rows=material_rows(scene.surfaces),
        albedo=albedo_table(),
        corners=np.ascontiguousarray(np.concatenate([np.zeros((0, 9), np.float32), *corners])),
        rest=np.array(rest, np.float32).reshape(-1, 13),
        lights=lights,
        choice=_choice(powers),
        surround=surround,
        camera=_stretched(scene.camera.poses, steps).astype(np.float32),
        lens=np.array([*c.half, *c.shift, c.opening, c.focus, c.blades], np.float32),
        second=SECOND,
    )
    return world, rays


def _stretched(poses: NDArray[np.float64], steps: int) -> NDArray[np.float64]:
    """(t, 4, 4) -> (steps, 12); poses that do not move are repeated. Every moving thing has `steps` poses already."""
    rows = poses[:, :3].reshape(len(poses), 12)
    return rows if len(rows) == steps else np.repeat(rows[:1], steps, 0)


def _light_row(light: RectangleLight) -> list[float]:
    return [*light.centre, *light.u, *light.v, *light.normal, *light.radiance, light.area]


def _power(light: RectangleLight) -> float:
    return float(light.radiance @ [0.2126, 0.7152, 0.0722]) * light.area * np.pi


def _choice(powers: list[float]) -> F32:
    """Chances by the root of power: a lamp of little power may still be the nearest."""
    weight = np.sqrt(np.maximum(powers, 0.0))
    weight = weight / weight.sum() if weight.sum() > 0 else np.full(len(powers), 1 / len(powers))
    return np.concatenate([[0.0], np.cumsum(weight)]).astype(np.float32)
