"""How a frame looks in the draft: what letters wear, the stage, lamps and the environment."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.look import EnvironmentStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.draft.schema import (
    BackdropDrawn,
    EnvironmentDrawn,
    GlobeDrawn,
    GrainDrawn,
    GroundDrawn,
    HazeDrawn,
    ImagesDrawn,
    LampDrawn,
    LookDrawn,
    PartSurface,
    SheetDrawn,
    SurfaceDrawn,
    SweptDrawn,
    Three,
    Touches,
    Wardrobe,
    grown,
    three,
    two,
)
from moss_crown.core.evaluation.around import (
    backdrop_at,
    backdrop_picture,
    environment_step,
    lights_at,
    named_behind,
    tilt_at,
)
from moss_crown.core.evaluation.setting import set_at
from moss_crown.core.look import pictures
from moss_crown.core.look.dressing import dresses_of, has_own_colours
from moss_crown.core.look.environment import LEVEL, Tilt, standing
from moss_crown.core.look.material import Grain, Images, Surface, image_matrix, texture_matrix
from moss_crown.core.look.patterns import NAMES
from moss_crown.core.motion.groups import Member, members
from moss_crown.core.stage.backdrop import corners, covering
from moss_crown.core.stage.lamps import EDGES, FACES
from moss_crown.core.stage.scene import (
    EVERYTHING,
    MIRRORED,
    Globe,
    Ground,
    Haze,
    Light,
    ShapeLight,
    Sheet,
    SunLight,
    triangle_areas,
)
from moss_crown.core.stage.staging import grounds_at, haze_at, horizon_at
from moss_crown.core.values.sampling import sample_choice, sample_one

T = TypeVar("T", bound=SurfaceDrawn)


def look_at_frame(shot: Shot, frame: int) -> LookDrawn:
    """Materials, stage, lamps and environment."""
    surfaces: list[Surface] = []
    grounds = grounds_at(shot, frame, surfaces)
    blocks = members(shot, frame)
    owners = [shot.steps[block.step].id for block in blocks]
    return LookDrawn(
        [_wardrobe(shot, block, frame) for block in blocks],
        [_ground(ground, surfaces[ground.surface]) for ground in grounds],
        _haze(haze_at(shot, frame)),
        _haze(horizon_at(shot, frame)),
        [_lamp(light) for light in lights_at(shot, frame, owners, 1, whole=True)],
        _environment(shot, frame),
    )


def _haze(haze: Haze | None) -> HazeDrawn | None:
    return HazeDrawn(haze.density, haze.colour) if haze else None


def _environment(shot: Shot, frame: int) -> EnvironmentDrawn:
    step = environment_step(shot, frame)
    if step is None:
        return EnvironmentDrawn("overcast", 0.0, 0.0, LEVEL, _standing(0.0, LEVEL), "nothing")
    turn, tilt = sample_one(step.turn, frame), tilt_at(step, frame)
    return EnvironmentDrawn(
        sample_choice(step.preset, frame),
        sample_one(step.strength, frame),
        turn,
        tilt,
        _standing(turn, tilt),
        _behind(shot, step, frame),
    )


def _standing(turn: float, tilt: Tilt) -> tuple[float, ...]:
    return tuple(np.round(standing(turn, tilt), 9).reshape(-1).tolist())


def _behind(shot: Shot, step: EnvironmentStep, frame: int) -> Literal["nothing", "environment"] | BackdropDrawn:
    """What shows behind everything: a name, or what fills the frame."""
    if named := named_behind(step, frame):
        return named
    picture = backdrop_picture(step, frame)
    return BackdropDrawn(
        [three(corner) for corner in np.round(corners(backdrop_at(step, frame)), 6)],
        picture,
        covering(*pictures.size(picture), shot.aspect) if picture else None,
    )


def _ground(ground: Ground, surface: Surface) -> GroundDrawn:
    """A part of the stage as it is drawn."""
    drawn, catches = _surface(surface), ground.catches
    if isinstance(ground, Sheet):
        return SheetDrawn(drawn, catches, three(ground.centre), three(ground.u), three(ground.v))
    if isinstance(ground, Globe):
        return GlobeDrawn(drawn, catches, three(ground.centre), ground.radius)
    line, normals = np.round(ground.line, 5), np.round(ground.normals, 5)
    ends = [(two(first), two(last)) for first, last in normals]
    return SweptDrawn(drawn, catches, [two(point) for point in line], ends, ground.half)


def _lamp(light: Light) -> LampDrawn:
    """A lamp as the draft draws it."""
    manner = light.manner
    letters, stage = (manner.touches[:-1], manner.touches[-1]) if manner.touches else (None, EVERYTHING)
    touches = Touches(
        None if letters is None else [k for k, bits in enumerate(letters) if bits & FACES],
        None if letters is None else [k for k, bits in enumerate(letters) if bits & EDGES],
        bool(stage),
        (letters is None or all(bits & MIRRORED for bits in letters if bits), not stage or bool(stage & MIRRORED)),
    )
    spot = float(np.arccos(manner.cone[1])) if manner.cone else 0.0
    soft = float(1 - np.arccos(manner.cone[0]) / np.arccos(manner.cone[1])) if manner.cone else 1.0
    lit = (spot, soft, manner.limit, manner.dark, touches)
    if isinstance(light, SunLight):
        away, way, radiance = three(-50 * light.direction), three(light.direction), three(light.irradiance)
        return LampDrawn("sun", away, way, radiance, 0.0, *lit, *_square(light.direction, np.tan(light.radius)))
    if isinstance(light, ShapeLight):
        return _shape(light, lit)
    edges = three(light.u), three(light.v)
    return LampDrawn("flat", three(light.centre), three(light.normal), three(light.radiance), light.area, *lit, *edges)


def _shape(light: ShapeLight, lit: tuple[float, float, float, tuple[float, float], Touches]) -> LampDrawn:
    """A lamp of triangles; where it is flat, mirrored as a square."""
    cross = np.cross(light.triangles[:, 1] - light.triangles[:, 0], light.triangles[:, 2] - light.triangles[:, 0])
    areas = triangle_areas(light.triangles)
    middle = three(light.triangles.reshape(-1, 3).mean(0))
    area = float(areas.sum())
    if not bool((cross @ light.axis > 0.999 * 2 * areas).all()):
        return LampDrawn("around", middle, three(light.axis), three(light.radiance), area, *lit)
    edges = _square(light.axis, np.sqrt(areas.sum()) / 2)
    return LampDrawn("flat", middle, three(light.axis), three(light.radiance), area, *lit, *edges)


def _square(axis: NDArray[np.float64], half: float) -> tuple[Three, Three]:
    """Half edges, so long, of a square that looks along an axis."""
    side = np.cross(axis, np.eye(3)[np.argmin(np.abs(axis))])
    u = half * side / np.linalg.norm(side)
    return three(u), three(np.cross(axis, u))


def _surface(surface: Surface) -> SurfaceDrawn:
    return _drawn(SurfaceDrawn, surface)


def _drawn(kind: type[T], surface: Surface, **more: object) -> T:
    """A surface as it travels: its texture by name, with the way to its space."""
    return grown(
        kind,
        surface,
        grazing=round(surface.grazing, 4),
        grain=_grain_drawn(surface.grain) if surface.grain else None,
        images=_images_drawn(surface.images) if surface.images else None,
        **more,
    )


def _grain_drawn(grain: Grain) -> GrainDrawn:
    to = tuple(np.round(texture_matrix(grain), 6).reshape(-1).tolist())
    return grown(GrainDrawn, grain, name=NAMES[grain.pattern], to=to)


def _images_drawn(images: Images) -> ImagesDrawn:
    width, height = pictures.size(images.first)
    to = tuple(np.round(image_matrix(images), 6).reshape(-1).tolist())
    return grown(ImagesDrawn, images, tall=images.width * height / width, deep=images.deepest, to=to)


def _wardrobe(shot: Shot, block: Member, frame: int) -> Wardrobe:
    """What letters of a block wear, white where every letter brings its own colour."""
    step = shot.steps[block.step]
    assert isinstance(step, BlockStep | EmblemStep)
    white = has_own_colours(shot, block.step, frame)
    dresses, wears = dresses_of(shot, block.step, set_at(step, frame - block.late), frame)
    return Wardrobe(
        [
            [
                _drawn(PartSurface, replace(s, colour=(1.0, 1.0, 1.0)) if white else s, part=part)
                for s, part in zip(d.surfaces, d.parts, strict=True)
            ]
            for d in dresses
        ],
        wears,
    )
