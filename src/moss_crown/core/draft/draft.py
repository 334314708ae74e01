"""The draft: everything the live picture and the sheet draw, computed here so that the browser computes no rule.

One message: a JSON head and float32 tables. Poses for the whole shot, so that playing needs no further question.
"""

from __future__ import annotations

import json
import struct
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from typing import Annotated, Any, TypeAlias

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.cache import Cache
from moss_crown.core.document.form import CurvePoint
from moss_crown.core.document.kinds import Finite, Identity, Size
from moss_crown.core.document.letters import AxisPlace, AxisTag, BlockStep, EmblemStep
from moss_crown.core.document.look import EnvironmentStep
from moss_crown.core.document.motion import DriveStep, FollowStep, ShiverStep, Zone
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Keyed, Model, moving
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.around import backdrop_at, backdrop_picture, environment_step, lights_at, tilt_at
from moss_crown.core.evaluation.camera import camera_step, grade_at
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.setting import Block, Structure, form_of_letter, set_at
from moss_crown.core.evaluation.solids import block_section, letter_solid, solid_of
from moss_crown.core.evaluation.timing import NEVER
from moss_crown.core.form.outline import Join
from moss_crown.core.form.profile import Edge, ProfileKind
from moss_crown.core.form.solid import Form, Grow
from moss_crown.core.form.tube import SectionKind, Tube
from moss_crown.core.formats.glb import write_glb
from moss_crown.core.formats.model import Node, TitleModel
from moss_crown.core.look import pictures
from moss_crown.core.look.dress import FACE_AND_EDGE, Dress, Which, part_names
from moss_crown.core.look.dressing import dresses_of, has_own_colours, own_colours
from moss_crown.core.look.material import Surface, image_matrix, texture_matrix
from moss_crown.core.look.patterns import NAMES
from moss_crown.core.motion.beats import beats_of
from moss_crown.core.motion.clearance import OUT, out_of_frame
from moss_crown.core.motion.groups import Member, members
from moss_crown.core.motion.moving import Framing, Moved, felt, overshoot, pivots_of, rest_of, soft_at, together
from moss_crown.core.motion.poses import Poses
from moss_crown.core.stage.backdrop import corners, covering
from moss_crown.core.stage.lamps import EDGES, FACES
from moss_crown.core.stage.scene import Globe, Ground, Light, ShapeLight, Sheet, SunLight, triangle_areas
from moss_crown.core.stage.staging import grounds_at, haze_at, horizon_at
from moss_crown.core.type.families import FALLBACK, FALLBACKS, Axes
from moss_crown.core.type.layout import Letter, Setting
from moss_crown.core.type.path import path_curve
from moss_crown.core.type.shape import Glyph, faces, own_faces
from moss_crown.core.values.curves import through
from moss_crown.core.values.sampling import changes, sample, sample_choice, sample_one
from moss_crown.core.values.tied import unsound

STAND = 0.5
"""Metres between the places around which the draft knows what stands."""
RESPONSE_POINTS = 33
Part: TypeAlias = Annotated[int, Field(ge=0, le=4)]
FaceIndex: TypeAlias = Annotated[int, Field(ge=0, le=31)]
Length: TypeAlias = Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]
GlyphIndex: TypeAlias = Annotated[int, Field(ge=0, le=65_535)]


class EdgeRecipe(Model):
    kind: ProfileKind
    width: Length
    height: Length
    segments: Annotated[int, Field(ge=1, le=24)]
    curve: list[CurvePoint] = Field(max_length=32)


class TubeRecipe(Model):
    section: SectionKind
    width: Size
    height: Size
    offset: Finite
    rows: Annotated[int, Field(ge=1, le=8)]
    gap: Finite
    start: Finite
    first: Finite
    last: Finite
    segments: Annotated[int, Field(ge=1, le=24)]


class FormRecipe(Model):
    """`Form`, as it travels."""

    depth: Size
    front: EdgeRecipe
    rear: EdgeRecipe
    join: Join
    grow: Grow
    weight: Finite
    fill: bool
    wall: Length
    tube: TubeRecipe | None

    def form(self) -> Form:
        front, rear = (Edge(e.kind, e.width, e.height, e.segments, tuple(e.curve)) for e in (self.front, self.rear))
        tube = Tube(**self.tube.model_dump()) if self.tube else None
        return Form(self.depth, front, rear, self.join, self.grow, self.weight, self.fill, self.wall, tube)


class SolidRecipe(Model):
    """What a letter's solid is made from: enough to build it anywhere, in the words of the query that asks for it."""

    family: Identity
    axes: list[tuple[AxisTag, AxisPlace]] = Field(max_length=limits.AXES)
    glyphs: list[tuple[FaceIndex, GlyphIndex, Finite, Finite]] = Field(min_length=1, max_length=32)
    unit: Annotated[float, Field(gt=0, le=1)]
    form: FormRecipe
    which: tuple[Part, Part, Part, Part, Part] = FACE_AND_EDGE


def recipe_of(letter: Letter, form: Form, which: Which = FACE_AND_EDGE) -> str:
    """The recipe of a letter as JSON text."""
    return _recipe(letter.family, letter.axes, letter.glyphs, letter.unit, form_of_letter(letter, form), which)


@lru_cache(maxsize=2048)
def _recipe(family: str, axes: Axes, glyphs: tuple[Glyph, ...], unit: float, form: Form, which: Which) -> str:
    recipe = SolidRecipe(
        family=family,
        axes=list(axes),
        glyphs=[(g.font, g.index, g.dx, g.dy) for g in glyphs],
        unit=unit,
        form=FormRecipe.model_validate(asdict(form)),
        which=which,
    )
    return recipe.model_dump_json()


def build_recipe(recipe: SolidRecipe, cache: Cache) -> bytes:
    """The solid of a recipe as glTF binary, a primitive for each part that has a material of its own.

    Raises DocumentInvalid, FamilyUnknown.
    """
    known = len(faces(recipe.family, tuple(recipe.axes)))
    for k, (face, *_) in enumerate(recipe.glyphs):
        if face >= known:
            raise DocumentInvalid(f"/glyphs/{k}/0", f"below {known}", f"the family has {known} faces, not {face + 1}")
    glyphs = tuple(Glyph(*glyph) for glyph in recipe.glyphs)
    made = letter_solid(glyphs, recipe.family, tuple(recipe.axes), recipe.unit, recipe.form.form(), cache)
    grey = Surface((0.8, 0.8, 0.8), 0.0, 0.5, 1.5)
    if not len(made.triangles):
        return write_glb(TitleModel("letter", [], [], []))
    return write_glb(
        TitleModel(
            "letter",
            [made],
            [Dress((grey,) * len(part_names(recipe.which)), recipe.which)],
            [Node("letter", 0, np.eye(4))],
        )
    )


@dataclass(frozen=True)
class SeenSpan:
    """Frames with the same letters (f, as floats), and the poses of those (f, l, 4, 4)."""

    structure: Structure
    frames: NDArray[np.float64]
    poses: Poses


@dataclass(frozen=True)
class Seen:
    """What is seen of a shot: its spans, its camera at each frame, and how both are packed.

    What the sheet shows besides is worked out from it by `packed_whole`.
    """

    of: Evaluation
    spans: list[SeenSpan]
    camera: Framing
    head: dict[str, Any]
    tables: list[NDArray[np.float32]]


def see(shot: Shot) -> Seen:
    """Work out what is seen of a shot, at all of its frames."""
    frames = list(shot.frames)
    of = Evaluation(shot)
    camera = of.camera_path(np.array(frames, float), shot.aspect)
    parts: list[SeenSpan] = []
    heads: list[dict[str, Any]] = []
    tables: list[NDArray[np.float32]] = []
    for structure, numbers in of.spans(frames):
        at = np.array(numbers, float)
        blocks = of.moved(structure, at)
        part = SeenSpan(structure, at, together(blocks, len(at)))
        wear = _wear(blocks, len(at))
        parts.append(part)
        heads.append(
            {
                "first": numbers[0],
                "last": numbers[-1],
                "letters": _letters(shot, structure, numbers[0]),
                "blocks": [_block(shot, block) for block in structure.blocks],
                "worn": wear is not None,
                "pivots": _pivots(shot, structure),
            }
        )
        tables.append(np.swapaxes(part.poses, 2, 3).astype(np.float32))
        tables += [] if wear is None else [wear]
    tables.append(np.swapaxes(camera.poses, 1, 2).astype(np.float32))
    looks, look_of = _looks(shot, frames)
    head = {
        "width": shot.width,
        "height": shot.height,
        "first": shot.first,
        "last": shot.last,
        "fps": [shot.fps.numerator, shot.fps.denominator],
        "spans": heads,
        "looks": looks,
        "look_of": look_of,
        "middle": _middle(parts[-1].poses[-1]),
        "centres": _centres(parts[-1].structure, shot),
        "lenses": _lenses(shot, frames, camera),
    }
    return Seen(of, parts, camera, head, tables)


def packed_picture(seen: Seen) -> bytes:
    """What the picture needs of a draft, and nothing that only the sheet shows: see `pack`."""
    return pack(seen.head, seen.tables)


def draft(shot: Shot) -> bytes:
    return packed_whole(see(shot))


def packed_whole(seen: Seen) -> bytes:
    """The draft of a shot: what is seen of it and what the sheet shows besides; see `pack`."""
    of, shot = seen.of, seen.of.shot
    heads, tables = [], list(seen.tables)
    timings = [of.timing(part.structure, part.frames) for part in seen.spans]
    for part, times, head in zip(seen.spans, timings, seen.head["spans"], strict=True):
        heads.append(
            {
                **head,
                "starts": {drive: begun.tolist() for drive, begun in times.starts.items()},
                "rest": times.rest.tolist(),
            }
        )
        own = slice(head["first"] - shot.first, head["last"] - shot.first + 1)
        out = out_of_frame(part.poses, part.structure.boxes, *(values[own] for values in seen.camera))
        met = of.contacts(part.structure, part.frames, part.poses)
        tables += [times.speeds.astype(np.float32), (met | np.uint8(OUT) * out).astype(np.float32)]
    rest = of.rest_frame(timings[-1].rest)
    head = {
        **seen.head,
        "spans": heads,
        "rest": rest,
        "responses": _responses(shot),
        "overshoots": _overshoots(of),
        "keyed": keyed_values(shot),
        "beats": beats_of(shot),
        "notes": notes(of, rest),
    }
    return pack(head, tables)


def _middle(poses: NDArray[np.float64]) -> list[float]:
    """Where letters stand on the whole, half way between the places of a grid: floors and walls lie on those."""
    place = poses[:, :3, 3].mean(0) if len(poses) else np.zeros(3)
    return [float(p) for p in (np.floor(place / STAND) + 0.5) * STAND]


def _pivots(shot: Shot, structure: Structure) -> dict[str, list[list[float] | None]]:
    """For each step that turns letters about a pivot, by its id: that of each letter, in the letter's own space, as it
    is at the last frame; None for letters of blocks below the step."""
    at = np.array([float(shot.last)])
    found: dict[str, list[list[float] | None]] = {}
    for index, step in enumerate(shot.steps):
        if not isinstance(step, DriveStep | ShiverStep):
            continue
        rows: list[list[float] | None] = []
        for block in structure.blocks:
            if block.step > index:
                rows += [None] * len(block.letters)
            else:
                rows += np.round(pivots_of(step.pivot, block.setting, at)[0], 5).tolist()
        found[step.id] = rows
    return found


def _centres(structure: Structure, shot: Shot) -> dict[str, list[float]]:
    """The pivot of each group, by its id, in the world."""
    return {
        shot.steps[under.group].id: np.round(pivot, 5).tolist()
        for led in structure.led
        for under, pivot in zip(led.under, led.pivots, strict=True)
    }


def _responses(shot: Shot) -> dict[str, list[float]]:
    """For each drive, by its id: what its response makes of reaches from 0 to 1."""
    reach = np.linspace(0, 1, RESPONSE_POINTS)
    return {
        step.id: np.round(through(step.response, reach), 4).tolist()
        for step in shot.steps
        if isinstance(step, DriveStep)
    }


def _overshoots(of: Evaluation) -> dict[str, float]:
    """For each follow-through, by its id: how far letters go past their end at most, as a share of their way."""
    shot = of.shot
    follows = [s for s in shot.steps if isinstance(s, FollowStep)]
    if not follows:
        return {}
    structure = of.structure(shot.last)
    frames = np.arange(shot.first, shot.last + 2 * float(shot.fps.fraction))
    found = dict.fromkeys((s.id for s in follows), 0.0)
    for number, block in enumerate(structure.blocks):
        own = of.company(structure, number)
        for step in follows:
            if step in shot.steps[block.step + 1 :]:
                found[step.id] = max(found[step.id], round(overshoot(own, step, frames), 4))
    return found


def _wear(blocks: list[Moved], frames: int) -> NDArray[np.float32] | None:
    """(f, l, 6): tint and its share, opacity, and softness of each letter; None where all stay as they are."""
    if all(b.tint is None and b.opacity is None and b.soft is None for b in blocks):
        return None
    parts = []
    for block in blocks:
        letters = block.poses.shape[1]
        tint = np.zeros((frames, letters, 4)) if block.tint is None else block.tint
        left = np.ones((frames, letters)) if block.opacity is None else block.opacity
        parts.append(np.concatenate([tint, left[..., None]], 2))
    soft = soft_at(blocks, frames)[..., None]
    return np.concatenate([np.concatenate(parts, 1), soft], 2).astype(np.float32)


def keyed_values(shot: Shot) -> dict[str, list[Any]]:
    """Every value with keys, a formula or a link, by its JSON pointer: what it is at each frame of the shot (of the
    first letter, where letters have their own)."""
    frames = np.array(shot.frames, float)
    found: dict[str, list[Any]] = {}

    for path, value in moving(shot):
        if isinstance(value, Keyed):
            numeric = not isinstance(value.keys[0].value, str | bool)
        else:
            numeric = value.bound.spec.kind == "number"
        found[path] = (
            np.round(sample(value, frames), 6).tolist() if numeric else [sample_choice(value, f) for f in frames]
        )
    return found


def pack(head: dict[str, Any], tables: list[NDArray[np.float32]]) -> bytes:
    """The head and the tables one by one, `framed`.

    For each span: poses (f, l, 16), column by column; where it is "worn" tints, opacity and softness (f, l, 6). Then
    the camera poses (f, 16). Then, unless it is of the picture alone, for each span: speeds (4, f, l), SPEEDS; contacts
    (f, l), bits of `clearance`.
    """
    return framed(head, b"".join(np.ascontiguousarray(t, "<f4").tobytes() for t in tables))


def framed(head: dict[str, Any], body: bytes) -> bytes:
    """A binary message: length of the head (uint32, little-endian), the head as JSON padded to 4 bytes, the body."""
    text = json.dumps(head, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    return struct.pack("<I", len(text)) + text + body


def _letters(shot: Shot, structure: Structure, frame: int) -> list[dict[str, Any]]:
    found = []
    for number, block in enumerate(structure.blocks):
        own = own_colours(shot, block.step, block.letters, frame)
        dresses, wears = dresses_of(shot, block.step, block.setting, frame)
        at_rest = np.round(rest_of(block.setting)[:, :3], 6).reshape(-1, 12).tolist()
        for place, letter in enumerate(block.letters):
            found.append(
                {
                    "text": letter.text,
                    "block": number,
                    "line": letter.line,
                    "word": letter.word,
                    "first": letter.first,
                    "lacking": letter.lacking,
                    "tint": own[place] if own else None,
                    "recipe": recipe_of(letter, block.form, dresses[wears[place]].which),
                    "box": [letter.left, letter.bottom, letter.right, letter.top],
                    "rest": at_rest[place],
                    "number": letter.index,
                }
            )
    return found


def _block(shot: Shot, block: Block) -> dict[str, Any]:
    """The ids of a block's step and of the form step that shapes it, its cap height, and a cut through its stems."""
    outline, stem = block_section(block)
    return {
        "step": shot.steps[block.step].id,
        "form": _form_id(shot, block.step),
        "size": block.setting.size,
        "stem": stem,
        "section": np.round(outline, 6).tolist(),
        "path": _path(block),
    }


def _path(block: Block) -> list[list[float]]:
    """The curve along which a block's lines run where they run along a path, before it is fitted to them."""
    if not isinstance(block.setting, Setting) or block.setting.baseline.kind != "path":
        return []
    curve = path_curve(block.setting.baseline)
    found: list[list[float]] = np.round(curve, 4).tolist()
    return found


def _lenses(shot: Shot, frames: list[int], camera: Framing) -> list[list[float]]:
    """The camera's angle, shift and grade by frame; one entry when they stay."""
    step = camera_step(shot)
    if not changes([step.lens, step.sensor, step.shift, step.overscan, step.exposure, step.white]):
        frames = frames[:1]
    grades = [np.round(grade_at(shot, float(frame)), 6).reshape(-1).tolist() for frame in frames]
    return [[*camera.half[k].tolist(), *camera.shift[k].tolist(), *grade] for k, grade in enumerate(grades)]


def _looks(shot: Shot, frames: list[int]) -> tuple[list[dict[str, Any]], list[int]]:
    """Materials, lights, stage and environment by frame; frames that look alike share one entry."""
    if not changes([s for s in shot.steps if s.facts.looks]):
        return [look_at_frame(shot, frames[0])], [0] * len(frames)
    looks: list[dict[str, Any]] = []
    place: dict[str, int] = {}
    look_of = []
    for frame in frames:
        look = look_at_frame(shot, frame)
        key = json.dumps(look)
        if key not in place:
            place[key] = len(looks)
            looks.append(look)
        look_of.append(place[key])
    return looks, look_of


def look_at_frame(shot: Shot, frame: int) -> dict[str, Any]:
    """Materials, stage, lamps and environment."""
    surfaces: list[Surface] = []
    grounds = grounds_at(shot, frame, surfaces)
    haze, horizon = haze_at(shot, frame), horizon_at(shot, frame)
    step = environment_step(shot, frame)
    blocks = members(shot, frame)
    owners = [shot.steps[block.step].id for block in blocks]
    surround = {
        "preset": sample_choice(step.preset, frame) if step else "overcast",
        "strength": sample_one(step.strength, frame) if step else 0.0,
        "turn": sample_one(step.turn, frame) if step else 0.0,
        "tilt": list(tilt_at(step, frame)) if step else [0.0, 0.0],
        "behind": _behind(shot, step, frame) if step else "nothing",
    }
    return {
        "blocks": [_worn(shot, block, frame) for block in blocks],
        "grounds": [_ground(ground, surfaces[ground.surface]) for ground in grounds],
        "haze": asdict(haze) if haze else None,
        "horizon": asdict(horizon) if horizon else None,
        "lights": [_lamp(light) for light in lights_at(shot, frame, owners, 1, whole=True)],
        "environment": surround,
    }


def _behind(shot: Shot, step: EnvironmentStep, frame: int) -> Any:
    """What shows behind everything: a name, or the colours of the frame's corners, with a picture and the shares of it
    that are seen."""
    kind = sample_choice(step.behind, frame)
    if kind in ("nothing", "environment"):
        return kind
    found: dict[str, Any] = {"corners": np.round(corners(backdrop_at(step, frame)), 6).tolist(), "picture": None}
    if picture := backdrop_picture(step, frame):
        found |= {"picture": picture, "seen": covering(*pictures.size(picture), shot.aspect)}
    return found


def _ground(ground: Ground, surface: Surface) -> dict[str, Any]:
    """A part of the stage as it is drawn: a flat sheet, a line drawn out across, or a globe."""
    found: dict[str, Any] = {"surface": _surface(surface), "catches": ground.catches}
    if isinstance(ground, Sheet):
        return found | {"centre": ground.centre.tolist(), "u": ground.u.tolist(), "v": ground.v.tolist()}
    if isinstance(ground, Globe):
        return found | {"centre": ground.centre.tolist(), "radius": ground.radius}
    return found | {
        "line": np.round(ground.line, 5).tolist(),
        "normals": np.round(ground.normals, 5).tolist(),
        "half": ground.half,
    }


def _lamp(light: Light) -> dict[str, Any]:
    """A lamp as the draft draws it: lit from its middle, with its radiance and the area that shines (for a sun, 0, and
    the light on what faces it in the radiance's place); mirrored as a rectangle of half edges `u`, `v`, as large as a
    flat lamp of any shape, and nothing where it looks the same from everywhere. With the blocks whose faces and whose
    edges it lights, if not all, and whether it does the stage; and how dark its shadows are on letters and stage."""
    manner = light.manner
    letters, stage = (manner.touches[:-1], manner.touches[-1]) if manner.touches else (None, True)
    found: dict[str, Any] = {
        "spot": float(np.arccos(manner.cone[1])) if manner.cone else 0.0,
        "soft": float(1 - np.arccos(manner.cone[0]) / np.arccos(manner.cone[1])) if manner.cone else 1.0,
        "limit": manner.limit,
        "dark": list(manner.dark),
        "touches": {
            "face": None if letters is None else [k for k, bits in enumerate(letters) if bits & FACES],
            "edge": None if letters is None else [k for k, bits in enumerate(letters) if bits & EDGES],
            "stage": bool(stage),
        },
        "u": [0.0, 0.0, 0.0],
        "v": [0.0, 0.0, 0.0],
    }
    if isinstance(light, SunLight):
        return found | {
            "kind": "sun",
            "centre": (-50 * light.direction).tolist(),
            "normal": light.direction.tolist(),
            "radiance": light.irradiance.tolist(),
            "area": 0.0,
        }
    if isinstance(light, ShapeLight):
        cross = np.cross(light.triangles[:, 1] - light.triangles[:, 0], light.triangles[:, 2] - light.triangles[:, 0])
        areas = triangle_areas(light.triangles)
        flat = bool((cross @ light.axis > 0.999 * 2 * areas).all())
        if flat:
            side = np.cross(light.axis, np.eye(3)[np.argmin(np.abs(light.axis))])
            u = np.sqrt(areas.sum()) / 2 * side / np.linalg.norm(side)
            found |= {"u": u.tolist(), "v": np.cross(light.axis, u).tolist()}
        return found | {
            "kind": "flat" if flat else "around",
            "centre": light.triangles.reshape(-1, 3).mean(0).tolist(),
            "normal": light.axis.tolist(),
            "radiance": light.radiance.tolist(),
            "area": float(areas.sum()),
        }
    return found | {
        "kind": "flat",
        "centre": light.centre.tolist(),
        "normal": light.normal.tolist(),
        "radiance": light.radiance.tolist(),
        "area": light.area,
        "u": light.u.tolist(),
        "v": light.v.tolist(),
    }


def _surface(surface: Surface) -> dict[str, Any]:
    """A surface as it travels: its texture by name, with the way to its space."""
    found = asdict(surface) | {"grazing": round(surface.grazing, 4)}
    if surface.grain:
        found["grain"]["name"] = NAMES[surface.grain.pattern]
        found["grain"]["to"] = np.round(texture_matrix(surface.grain), 6).reshape(-1).tolist()
    if surface.images:
        width, height = pictures.size(surface.images.first)
        found["images"]["tall"] = surface.images.width * height / width
        found["images"]["to"] = np.round(image_matrix(surface.images), 6).reshape(-1).tolist()
    return found


def _worn(shot: Shot, block: Member, frame: int) -> dict[str, Any]:
    """What letters of a block wear: surfaces with the parts that they cover, white where every letter brings its own
    colour; and which of that each letter does."""
    step = shot.steps[block.step]
    assert isinstance(step, BlockStep | EmblemStep)
    white = has_own_colours(shot, block.step, frame)
    dresses, wears = dresses_of(shot, block.step, set_at(step, frame - block.late), frame)
    return {
        "dresses": [
            [
                _surface(replace(s, colour=(1.0, 1.0, 1.0)) if white else s) | {"part": part}
                for s, part in zip(d.surfaces, d.parts, strict=True)
            ]
            for d in dresses
        ],
        "wears": wears,
    }


def notes(of: Evaluation, rest: float | None = None) -> list[dict[str, str]]:
    """What a user should know about the shot as it stands, step by step: nothing here stops the work."""
    said = []
    shot, structure = of.shot, of.structure(of.shot.last)
    for block in (b for b in structure.blocks if not b.member.copied):
        step = shot.steps[block.step]
        lacking: dict[str, set[str]] = {}
        for letter in block.letters:
            if letter.lacking:
                lacking.setdefault(_drawn_from(letter), set()).add(letter.text)
        for family, letters in sorted(lacking.items()):
            said.append(
                {
                    "step": step.id,
                    "code": "type.lacking",
                    "text": f"{', '.join(sorted(letters))}: not in this family, drawn from {family}",
                }
            )
        form = block.form
        if form.limit < 1:
            said.append(
                {
                    "step": _form_id(shot, block.step),
                    "code": "form.edge_limited",
                    "text": f"edge limited to a height of {form.front_used.height:.3g}: "
                    f"front and rear share a depth of {form.depth:.3g}",
                }
            )
    camera = camera_step(shot)
    there = {shot.steps[block.step].id: len(block.letters) for block in structure.blocks}
    for subject, does in ((camera.follow, "follows"), (camera.focus_on, "is sharp on")):
        if subject and not (subject.letter or 0) < there.get(subject.block, 0):
            said.append(
                {"step": camera.id, "code": "camera.no_subject", "text": f"what the camera {does} is not in the shot"}
            )
    said += _motion_notes(of, structure, of.rest_frame() if rest is None else rest)
    return said


def _motion_notes(of: Evaluation, structure: Structure, rest: float) -> list[dict[str, Any]]:
    """Rest that comes late or never, drives that nothing feels, and formulas that are not always numbers."""
    shot = of.shot
    said = []
    moving = [s for s in shot.steps if s.facts.moves]
    if rest > shot.last and moving:
        follow = next((s for s in moving if s.kind == "follow"), moving[0])
        when = f"at frame {rest:.4g}, after the last frame {shot.last}" if rest < NEVER else "not within the shot"
        said.append({"step": follow.id, "code": "motion.rest_late", "text": f"letters come to rest {when}"})
    for drive in moving:
        if isinstance(drive, DriveStep) and not _felt(of, structure, drive):
            text = "acts on nothing: its zone never meets a letter"
            said.append({"step": drive.id, "code": "motion.not_felt", "text": text})
    for id, text in unsound(shot):
        said.append({"step": id, "code": "formula.no_number", "text": text})
    return said


def _felt(of: Evaluation, structure: Structure, drive: DriveStep) -> bool:
    """Does a drive that has nothing but zones ever reach a letter? Others do in any case."""
    if not drive.reaches or not all(isinstance(reach, Zone) for reach in drive.reaches):
        return True
    shot = of.shot
    frames = np.linspace(shot.first, shot.last, min(60, len(shot.frames)))
    for number, block in enumerate(structure.blocks):
        below = drive in shot.steps[block.step + 1 :] and block.letters
        if below and felt(of.company(structure, number), drive, frames).any():
            return True
    return False


def _drawn_from(letter: Letter) -> str:
    """The name of the family that draws a letter which its own family lacks."""
    beyond = letter.glyphs[0].font - own_faces(letter.family)
    for spare in FALLBACKS:
        if beyond < len(spare.sources):
            return spare.name
        beyond -= len(spare.sources)
    return FALLBACK.name


def _form_id(shot: Shot, block: int) -> str:
    return next((s.id for s in reversed(shot.steps[block:]) if s.kind == "form"), "")


def ridged_letters(shot: Shot, cache: Cache) -> list[str]:
    """Letters whose bevel is wider than a stem and meets in a ridge there."""
    structure = Evaluation(shot).structure(shot.last)
    return sorted(
        {
            letter.text
            for block in structure.blocks
            for letter in block.letters
            if solid_of(letter, block.form, cache).ridged
        }
    )
