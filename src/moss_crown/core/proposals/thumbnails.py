"""Motions on the user's own title, as small pictures that move."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely import MultiPoint

from moss_crown.core.cache import Cache
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.door import patched, read_shot, write_shot
from moss_crown.core.document.kinds import StepBase
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.pieces import PiecesStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.errors import TitleError
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.setting import Structure
from moss_crown.core.form.outline import letter_outline
from moss_crown.core.motion.moving import Moved, filled, filling
from moss_crown.core.motion.poses import Poses
from moss_crown.core.proposals.motion_book import BOOK, OTHER_TEXTS, MotionSet
from moss_crown.core.proposals.motion_page import Entry, Made
from moss_crown.core.proposals.motions import moved_by, where
from moss_crown.core.stage.scene import Camera
from moss_crown.core.type.shape import faces


@dataclass(frozen=True)
class Thumbnail:
    """A motion on the user's own title, to be drawn flat: for each frame and letter the affine way (a, b, c, d, e, f)
    of its outline to a picture from -1 to 1 across with its middle at 0, and what is left of its opacity; and which
    outline."""

    frames: list[list[list[float]]]
    outlines: list[str]
    which: list[list[int]]
    aspect: float


THUMBNAIL_BLOCKS = 12
THUMBNAIL_FRAMES = 30


THUMBNAIL_PIECES = 6
"""Of a letter."""


def _coarse(steps: Sequence[StepBase]) -> tuple[StepBase, ...]:
    """Steps with few pieces, and with letters for bodies: a thumbnail is there at once."""
    return tuple(_coarsened(step) for step in steps)


def _coarsened(step: StepBase) -> StepBase:
    if isinstance(step, PiecesStep):
        return step.model_copy(update={"by": "number", "number": THUMBNAIL_PIECES, "cut": _simple(step.cut)})
    return step.model_copy(update={"of": "letter"}) if isinstance(step, BodiesStep) else step


def _simple(cut: object) -> str:
    return str(cut) if cut in ("strips", "bricks", "rays") else "chunks"


PLUMP = 0.14
"""By so much an outline is larger that stands for a balloon that is full."""


def _plump(of: Evaluation, structure: Structure, number: int, moving: Moved, frames: NDArray[np.float64]) -> Moved:
    """A block whose letters are as much larger as gas fills them: nothing is solved for a thumbnail."""
    company = of.company(structure, number)
    step = filling(company)
    if step is None:
        return moving
    by = 1 + PLUMP * filled(company, step, frames - company.late).strength
    centres = np.array([(*letter.centre, 0.0) for letter in structure.blocks[number].letters]).reshape(-1, 3)
    larger = np.zeros((*by.shape, 4, 4))
    larger[..., :3, :3] = by[..., None, None] * np.eye(3)
    larger[..., :3, 3] = (1 - by)[..., None] * centres
    larger[..., 3, 3] = 1
    return replace(moving, poses=moving.poses @ larger)


def _drawn(structure: Structure, blocks: Sequence[Moved]) -> tuple[list[int], list[NDArray[np.float64] | None], Poses]:
    """What is drawn: letters, and of those that are ever in pieces each piece, by the number of its letter; of each
    piece the corners (n, 3) around it, None for a letter; and the poses (f, n, 4, 4) of all."""
    numbers: list[int] = []
    hulls: list[NDArray[np.float64] | None] = []
    poses, begin = [], 0
    for block, moving in zip(structure.blocks, blocks, strict=True):
        apart = moving.apart
        if apart is None or apart.whole.all():
            numbers += range(begin, begin + len(block.letters))
            hulls += [None] * len(block.letters)
            poses.append(moving.poses)
        else:
            numbers += (begin + apart.pieces.of).tolist()
            hulls += list(apart.pieces.hulls)
            poses.append(apart.poses(moving.poses))
        begin += len(block.letters)
    return numbers, hulls, np.concatenate(poses, 1)


def _around(hull: NDArray[np.float64]) -> str:
    """The outline around corners (n, 3), seen from the front, as the data of an SVG path."""
    shape = MultiPoint(hull[:, :2]).convex_hull
    ring = np.asarray(shape.exterior.coords if shape.geom_type == "Polygon" else hull[:3, :2])
    return "M" + "L".join(f"{x:g} {y:g}" for x, y in np.round(ring, 3)) + "Z"


def thumbnail(shot: Shot, drawn: dict[Any, str] | None = None, cache: Cache | None = None) -> Thumbnail:
    """A shot's motion from its first frame until a little after the title has come to rest, as a thumbnail. `drawn`
    keeps outlines of letters, for thumbnails of the same ones."""
    drawn = {} if drawn is None else drawn
    frames = [float(f) for f in np.linspace(shot.first, shot.last, THUMBNAIL_FRAMES)]
    aspect = shot.aspect
    outlines: dict[str, int] = {}
    found: list[list[list[float]]] = []
    which: list[list[int]] = []
    of = Evaluation(shot, cache)
    for structure, own in of.spans(frames):
        at = np.array(own)
        camera = of.camera(at, aspect)
        done = of.moved(structure, at)
        if not structure.blocks:
            which += [[]] * len(own)
            found += [[] for _ in own]
            continue
        numbers, hulls, poses = _drawn(structure, [_plump(of, structure, k, b, at) for k, b in enumerate(done)])
        left = np.concatenate(
            [block.wear.opacities() for block in done] or [np.zeros((len(own), 0))],
            1,
        )
        row = []
        letters = structure.letters
        for number, hull in zip(numbers, hulls, strict=True):
            if hull is not None:
                row.append(outlines.setdefault(_around(hull), len(outlines)))
                continue
            letter = letters[number]
            key = (letter.family, letter.axes, letter.glyphs, letter.unit)
            if key not in drawn:
                drawn[key] = _flat(*key)
            row.append(outlines.setdefault(drawn[key], len(outlines)))
        which += [row] * len(own)
        middles = np.array(
            [letters[k].centre if hull is None else hull[:, :2].mean(0) for k, hull in zip(numbers, hulls, strict=True)]
        ).reshape(-1, 2)
        cells = np.concatenate([_ways(poses, camera, middles, aspect), left[:, numbers, None]], 2)
        found += np.round(cells, 3).tolist()
    return Thumbnail(found, list(outlines), which, aspect)


def _ways(poses: Poses, camera: Camera, middles: NDArray[np.float64], aspect: float) -> NDArray[np.float64]:
    """(f, l, 6): how the plane of each letter comes to the picture, straightened about the letter's middle (l, 2); 0
    for what is behind the camera."""
    seen = np.linalg.inv(camera.poses)[:, None] @ poses
    points = np.concatenate([middles, np.zeros((len(middles), 1)), np.ones((len(middles), 1))], 1)
    centre = np.einsum("flij,lj->fli", seen, points)
    depth = np.maximum(-centre[..., 2], 1e-6)
    scale = (1 / (depth * camera.half[0]))[..., None, None]
    linear = scale * (seen[..., :2, :2] + centre[..., :2, None] / depth[..., None, None] * seen[..., 2:3, :2])
    at = centre[..., :2] * scale[..., 0] + np.array([camera.shift[0], camera.shift[1] / aspect])
    offset = at - np.einsum("flij,lj->fli", linear, middles)
    ways = np.concatenate([linear[..., 0], linear[..., 1], offset], 2)
    return np.where((-centre[..., 2] > 0.05)[..., None], ways, 0.0)


def _flat(family: str, axes: Any, glyphs: Any, unit: float) -> str:
    """The outline of a letter as the data of an SVG path, in metres."""
    rings = letter_outline(glyphs, faces(family, axes), 12.0)
    parts = []
    for ring in rings:
        points = np.round(np.asarray(ring) * unit, 3)
        parts.append("M" + "L".join(f"{x:g} {y:g}" for x, y in points) + "Z")
    return "".join(parts)


def _first_blocks(shot: Shot) -> Shot:
    """A shot with its first blocks alone, which is all that a thumbnail shows; the whole where it hangs together."""
    blocks = [step.id for step in shot.steps if isinstance(step, BlockStep | EmblemStep)]
    if len(blocks) <= THUMBNAIL_BLOCKS:
        return shot
    left = set(blocks[THUMBNAIL_BLOCKS:])
    raw = write_shot(shot)
    with suppress(TitleError):
        return read_shot(raw | {"steps": [step for step in raw["steps"] if step["id"] not in left]})
    return shot


def tried_on(shot: Shot, kept: Mapping[str, MotionSet] | None = None) -> dict[str, Thumbnail]:
    """Every entry of the book, and motions that are kept, on the shot's own title; what does not fit it is left out."""
    shot = _first_blocks(shot)
    at = where(shot, OTHER_TEXTS)
    motions: dict[str, Entry | MotionSet] = {**(kept or {}), **BOOK}
    found = {}
    drawn: dict[Any, str] = {}
    cache = Cache()
    for id, motion in motions.items():
        with suppress(TitleError):
            made = motion.make(at) if isinstance(motion, Entry) else Made(tuple(motion.steps))
            made = replace(made, steps=_coarse(made.steps))
            found[id] = thumbnail(patched(write_shot(shot), moved_by(shot, made, False)), drawn, cache)
    return found
