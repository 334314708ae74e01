"""Light that is placed for a title: kits around any title, and lights put where their effect is pointed at.

Everything is answered as a JSON Patch on the recipe. A kit is measured by the title as it rests: the same kit lights a
large title as it does a small one.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.cache import Cache
from moss_crown.core.document.door import Patch
from moss_crown.core.document.look import Light, LightsStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Formula, Keyed, Link
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.camera import camera_step
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.form.mesh import BEVEL, REAR_BEVEL
from moss_crown.core.motion.groups import in_world
from moss_crown.core.proposals.kits import KITS, Effect, Kit, Lamp
from moss_crown.core.render.embree import SOLID_MASK, STAGE_MASK, RayScene
from moss_crown.core.stage.ground import triangulated
from moss_crown.core.stage.lamps import SUN_AWAY
from moss_crown.core.stage.staging import grounds_at, wall_behind
from moss_crown.core.values.sampling import sample_choice, sample_one, sample_parts

Floats: TypeAlias = NDArray[np.float64]

LOWEST = 0.12
"""Lights stay so many metres above the floor, and as far in front of the wall."""


def measure(shot: Shot, frame: float, asked: str, purpose: str) -> tuple[Floats, float]:
    """The title's middle, and half of its width (or of its height, where it is high for that).

    Raises DocumentInvalid for the field `asked` when there is no title.
    """
    corners = Evaluation(shot).title_corners(frame)
    if not len(corners):
        raise DocumentInvalid(asked, "a title", f"there is no title {purpose}")
    low, high = corners.min(0), corners.max(0)
    return (low + high) / 2, max(float(high[0] - low[0]), 1.4 * float(high[1] - low[1])) / 2


def placed(shot: Shot, frame: float, lamp: Lamp, centre: Floats, half: float, share: float = 1.0) -> Light:
    """A lamp of a kit, with a share of its power, for a title with its middle and half of its width: above the floor,
    in front of the wall."""
    place = centre + half * np.array(lamp.place)
    place[1] = max(place[1], LOWEST)
    place[2] = max(place[2], wall_behind(shot, frame) + LOWEST)
    return lamp.light().model_copy(
        update={
            "place": rounded(place),
            "aim": rounded(centre + half * np.array(lamp.aim)),
            "width": round(half * lamp.size[0], 4),
            "height": round(half * lamp.size[1], 4),
            "power": round(half * half * lamp.power * share, 2),
        }
    )


def light_with(shot: Shot, frame: float, kit: Kit) -> Patch:
    """Replace the lights by a kit's; a recipe without lights gets them."""
    centre, half = measure(shot, frame, "kit", "to light")
    lights = [placed(shot, frame, lamp, centre, half).model_dump(mode="json") for lamp in KITS[kit]]
    for index, step in enumerate(shot.steps):
        if isinstance(step, LightsStep):
            return [{"op": "replace", "path": f"/steps/{index}/lights", "value": lights}]
    added = LightsStep(id="lights").model_dump(mode="json") | {"lights": lights}
    return [{"op": "add", "path": "/steps/-", "value": added}]


def point_light(
    shot: Shot,
    frame: float,
    step: str,
    light: int,
    effect: Effect,
    x: float,
    y: float,
    cache: Cache,
    letters: Sequence[int] = (),
) -> Patch:
    """Put a light where its effect falls on a place of the picture (shares of its width and height, from the top left).

    "highlight": its mirror image is seen at that place of a letter; with `letters`, numbers in the title, it spreads
    over all of those, as bright as the display can show and no brighter. "edge": at the bevel of the letter nearest to
    it. "shadow": the shadow of the title's middle falls on that place of floor or wall. The light keeps its distance,
    as far as floor and wall allow. Raises DocumentInvalid when there is nothing there, or no such light.
    """
    index = next((k for k, s in enumerate(shot.steps) if s.id == step and isinstance(s, LightsStep)), -1)
    lights = shot.steps[index]
    if index < 0 or not isinstance(lights, LightsStep) or not 0 <= light < len(lights.lights):
        raise DocumentInvalid("light", "a light of the recipe", f"there is no light {light} in {step}")
    lamp = lights.lights[light]
    here = np.asarray(sample_parts(lamp.place, frame), np.float64)
    eye, way = _ray(shot, frame, x, y)
    covered = _corners(shot, frame, letters) if effect == "highlight" and letters else None
    if effect == "shadow":
        point = _on_stage(shot, frame, eye, way)
        corners = Evaluation(shot).title_corners(frame)
        target = (corners.min(0) + corners.max(0)) / 2
        towards = target - point
    else:
        point, normal = _on_letters(shot, frame, eye, way, cache, effect == "edge")
        if covered is not None:
            middle = (covered.min(0) + covered.max(0)) / 2
            point = middle + normal * (normal @ (point - middle))  # of all of them, in the plane that was met
        view = eye - point
        view /= np.linalg.norm(view)
        towards = 2 * (normal @ view) * normal - view
        target = point
    towards = towards / np.linalg.norm(towards)
    distance = max(float(np.linalg.norm(here - target)), 0.5)
    place = target + towards * _clear(target, towards, distance, wall_behind(shot, frame))
    base = f"/steps/{index}/lights/{light}"
    patch = [_put(f"{base}/place", lamp.place, frame, place), _put(f"{base}/aim", lamp.aim, frame, target)]
    if covered is not None:
        wanted = _spread(shot, frame, lamp, covered, eye, target, float(np.linalg.norm(place - target)))
        patch += [{"op": "replace", "path": f"{base}/{name}", "value": round(v, 4)} for name, v in wanted.items()]
    return patch


BRIGHTEST = 3.2
"""Scene-linear light, exposed, in which the display still shows drawing."""


def _spread(
    shot: Shot, frame: float, lamp: Light, covered: Floats, eye: Floats, target: Floats, away: float
) -> dict[str, float]:
    """The size of a lamp `away` from letters whose mirror image covers their corners (n, 3), and the power with which
    it is not white there, by the names of its values. What changes over the shot, or has another shape, stays as it
    is."""
    across, high = (float(v) for v in np.ptp(covered, 0)[:2])
    seen_from = float(np.linalg.norm(eye - target))
    light = BRIGHTEST / 2 ** (sample_one(camera_step(shot).exposure, frame) + sample_one(lamp.stops, frame))
    shape = sample_choice(lamp.shape, frame)
    wanted: dict[str, float] = {}
    if shape == "sun":
        radius = max(across, high) / 2 / seen_from
        angle = min(float(np.degrees(2 * np.arctan(radius))), 60.0)
        wanted = {"angle": angle, "power": light * np.pi * radius**2 * np.pi * SUN_AWAY**2}
    elif shape in ("rectangle", "disc"):
        grown = (seen_from + away) / seen_from
        area = across * high * grown**2 * (np.pi / 4 if shape == "disc" else 1)
        wanted = {"width": across * grown, "height": high * grown, "power": light * np.pi * area}
    if any(isinstance(getattr(lamp, name), Keyed | Formula | Link) for name in wanted):
        return {}
    return wanted


def _corners(shot: Shot, frame: float, letters: Sequence[int]) -> Floats:
    """(n, 3): corners of some letters' boxes in the world, as they stand at a frame."""
    of = Evaluation(shot)
    structure = of.structure(frame)
    own = [k for k in letters if 0 <= k < len(structure.letters)]
    if not own:
        raise DocumentInvalid("letters", "letters of the title", "the title has none of these letters")
    poses = of.boxed(structure, np.array([frame]))[0]
    return in_world(poses[own], structure.boxes[own]).reshape(-1, 3)


def _put(path: str, value: Any, frame: float, place: Floats) -> dict[str, Any]:
    """Set a value; where it has keys, a key at the frame."""
    if not isinstance(value, Keyed):
        return {"op": "replace", "path": path, "value": rounded(place)}
    keys = [key.model_dump(mode="json") for key in value.keys]
    at = next((k for k, key in enumerate(keys) if key["frame"] == frame), None)
    if at is None:
        at = sum(key["frame"] < frame for key in keys)
        keys.insert(at, dict(keys[max(at - 1, 0)]) | {"frame": frame})
    keys[at]["value"] = rounded(place)
    return {"op": "replace", "path": path, "value": value.model_dump(mode="json") | {"keys": keys}}


def rounded(place: Floats) -> tuple[float, float, float]:
    x, y, z = (round(float(v), 4) for v in place)
    return x, y, z


def _clear(target: Floats, towards: Floats, distance: float, behind: float) -> float:
    """The distance, shortened until the light is above the floor and in front of the wall."""
    for axis, least in ((1, LOWEST), (2, behind + LOWEST)):
        if target[axis] + towards[axis] * distance < least and towards[axis] < 0:
            distance = min(distance, max((least - target[axis]) / towards[axis], 0.1))
    return distance


def _ray(shot: Shot, frame: float, x: float, y: float) -> tuple[Floats, Floats]:
    """The eye, and the direction in which a place of the picture lies."""
    camera = Evaluation(shot).camera(np.array([frame]), shot.aspect)
    pose = camera.poses[0]
    across = ((2 * x - 1) - camera.shift[0]) * camera.half[0]
    up = ((1 - 2 * y) - camera.shift[1]) * camera.half[1]
    way = pose[:3, :3] @ np.array([across, up, -1.0])
    return pose[:3, 3], way / np.linalg.norm(way)


def _on_stage(shot: Shot, frame: float, eye: Floats, way: Floats) -> Floats:
    """The nearest place of the stage along a ray."""
    with RayScene() as rays:
        for ground in grounds_at(shot, frame, []):
            mesh = triangulated(ground)
            rays.add_instance(rays.add_mesh(mesh.vertices, mesh.triangles), np.eye(4)[None], STAGE_MASK)
        rays.commit()
        hit = rays.cast(eye, way)
    if hit is None:
        raise DocumentInvalid("place", "floor or wall", "there is no floor or wall at that place of the picture")
    return eye + way * hit.distance


def _on_letters(shot: Shot, frame: float, eye: Floats, way: Floats, cache: Cache, edge: bool) -> tuple[Floats, Floats]:
    """The nearest place of a letter along a ray and the normal there; with `edge`, those of its nearest bevel."""
    of = Evaluation(shot, cache)
    structure = of.structure(frame)
    poses = of.poses(structure, np.array([frame]))[0]
    all_solids = [solid_of(letter, block.form, cache) for block in structure.blocks for letter in block.letters]
    placed = [(solid, pose) for solid, pose in zip(all_solids, poses, strict=True) if len(solid.triangles)]
    with RayScene() as rays:
        meshes: dict[int, int] = {}
        for solid, pose in placed:
            if id(solid) not in meshes:
                meshes[id(solid)] = rays.add_mesh(solid.vertices, solid.triangles)
            rays.add_instance(meshes[id(solid)], pose[None], SOLID_MASK)
        rays.commit()
        hit = rays.cast(eye, way)
    if hit is None:
        raise DocumentInvalid("place", "a letter", "there is no letter at that place of the picture")
    (solid, pose), triangle = placed[hit.instance], hit.triangle
    point = eye + way * hit.distance
    if edge:
        bevels = np.flatnonzero((solid.facet == BEVEL) | (solid.facet == REAR_BEVEL))
        if not len(bevels):
            raise DocumentInvalid("place", "a bevelled letter", "that letter has no bevel to glow")
        # Of a rounded edge the middle: its rim looks the way of the face.
        slanted = bevels[np.abs(solid.normals[bevels].mean(1)[:, 2]) < 0.88]
        bevels = slanted if len(slanted) else bevels
        middles = solid.vertices[solid.triangles[bevels]].mean(1) @ pose[:3, :3].T + pose[:3, 3]
        own = int(np.argmin(((middles - point) ** 2).sum(1)))
        triangle, point = int(bevels[own]), middles[own]
    normal = np.linalg.inv(pose[:3, :3]).T @ solid.normals[triangle].mean(0).astype(np.float64)
    normal /= np.linalg.norm(normal)
    return point, normal if normal @ way < 0 else -normal
