"""The Scene of a frame: everything the renderer needs."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from moss_crown.core.cache import address
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.around import light_names, lights_at, surround_at
from moss_crown.core.evaluation.bending import (
    CHORD_PIXELS,
    COARSEST,
    WAY_PIXELS,
    bending,
    bent_solid,
    soft_solid,
)
from moss_crown.core.evaluation.seen import camera, shutter, shutter_frames
from moss_crown.core.evaluation.setting import Block, Structure, form_of_letter
from moss_crown.core.evaluation.solids import as_many, fineness, letter_pieces, letter_solid, pixel, solid_address
from moss_crown.core.evaluation.whereabouts import Whereabouts
from moss_crown.core.form.mesh import Solid
from moss_crown.core.look.dressing import dressed
from moss_crown.core.look.material import Surface
from moss_crown.core.motion.moving import rest_of, soft_at, together
from moss_crown.core.motion.poses import softened
from moss_crown.core.stage.scene import Placed, Scene
from moss_crown.core.stage.staging import grounds_at, haze_at, horizon_at

SOFT_POSES = 65
"""In so many places letters that are soft stand while the shutter is open."""
NOWHERE = -1
"""In place of a solid for a letter of which nothing is there, such as a tube that has not begun."""


def prefix_of(shot: Shot, structure: Structure, block: Block) -> str:
    """What the names of a block's letters and words begin with: its step where there are several, and which copy."""
    prefix = f"{shot.steps[block.step].id}/" if len(structure.blocks) > 1 else ""
    return prefix + "".join(f"copy {u.copy}/" for u in block.member.under if u.copy)


def letter_names(shot: Shot, structure: Structure) -> list[str]:
    """The names of a scene's letters, of those too that are not there, in the order of the structure's."""
    return [
        f"{prefix_of(shot, structure, block)}{letter.index:03d} {letter.text}"
        for block in structure.blocks
        for letter in block.letters
    ]


def scene(of: Whereabouts, frame: float, aspect: float, blur: bool, height: int, motion: bool) -> Scene:
    """See `Evaluation.scene`."""
    shot = of.shot
    structure = of.structure(frame)
    moments = shutter_frames(of, structure, frame, aspect) if blur else np.array([float(frame)])
    bends = bending(of, structure, shutter(of, frame) if blur else moments, motion)
    done = of.moved(structure, moments)
    if soft := any(block.wear.soft is not None for block in done):
        moments = np.linspace(moments[0], moments[-1], SOFT_POSES)
        done = of.moved(structure, moments)
    poses = together(done, len(moments))
    eye = camera(of, moments, aspect)
    if soft:
        poses = softened(poses, soft_at(done, len(moments))[len(moments) // 2], eye.poses)
    later = of.poses(structure, moments[:1] + 1) if motion else None
    if motion:
        eye = replace(eye, later=camera(of, moments[:1] + 1, aspect).poses[0])
    surfaces: list[Surface] = []
    solids: list[Solid] = []
    place_of: dict[str, int] = {}
    letters: list[Placed] = []
    owners: list[str] = []
    count = triangles = 0
    middle = len(moments) // 2
    names = letter_names(shot, structure)
    for block, moving in zip(structure.blocks, done, strict=True):
        wear = moving.wear.alone(middle)
        dresses = dressed(shot, block.step, block.setting, frame, wear)
        hidden = wear.hidden()[0]
        at_rest = rest_of(block.setting)
        begins: dict[int, int] = {}
        for number, (letter, dress) in enumerate(zip(block.letters, dresses, strict=True)):
            if id(dress) not in begins:
                begins[id(dress)] = len(surfaces)
                surfaces += dress.surfaces
            a, b, c, d, e, f = (begins[id(dress)] + k for k in dress.which)
            by_facet = (a, b, c, d, e, f)
            form = form_of_letter(letter, block.form)
            tolerance = fineness(letter, poses[middle, count], eye, height)
            recipe = (letter.glyphs, letter.family, letter.axes, letter.unit, form)
            where = solid_address(*recipe, tolerance=tolerance)
            if where not in place_of:
                built = letter_solid(*recipe, of.cache, tolerance=tolerance)
                place_of[where] = len(solids) if len(built.triangles) else NOWHERE
                solids += [built] * (place_of[where] != NOWHERE)
                triangles = as_many(triangles + len(built.triangles))
            if place_of[where] != NOWHERE and not hidden[number]:
                pose = np.ascontiguousarray(poses[:, count])
                place, bent = place_of[where], None
                broken = bends is not None and bends.loose is not None and bends.loose.broken[count]
                full = bends.full.get(count) if bends is not None else None
                if bends is not None and (broken or bends.soft[count] or full):
                    seen = pixel(letter, poses[middle, count], eye, height)
                    fine = min(CHORD_PIXELS * seen, COARSEST)
                    whole, key = solids[place], where
                    cut = structure.cuts[count] if broken else None
                    if cut is not None:
                        whole = letter_pieces(*recipe, cut, of.cache, tolerance).solid
                        key = address(where, cut)
                    own = full.dense() if full else soft_solid(whole, key, bends.states[:, count], fine, of.cache)
                    after = None if bends.later is None else bends.later[0, count]
                    now, then = bends.loose.of(count) if broken and bends.loose is not None else (None, None)
                    tolerance = min(WAY_PIXELS * seen, COARSEST)
                    bent = bent_solid(own, bends.rows[:, count], after, tolerance, now, then, full)
                    place = len(solids)
                    solids.append(own.solid)
                    triangles = as_many(triangles + len(own.solid.triangles))
                letters.append(
                    Placed(
                        place,
                        pose,
                        by_facet,
                        at_rest[number],
                        letter.index,
                        None if later is None else later[0, count],
                        names[count],
                        f"{prefix_of(shot, structure, block)}line {letter.line + 1} word {letter.word + 1}",
                        bent,
                    )
                )
                owners.append(shot.steps[block.step].id)
            count += 1
    grounds = grounds_at(shot, frame, surfaces)
    return Scene(
        tuple(solids),
        tuple(letters),
        grounds,
        tuple(surfaces),
        lights_at(shot, frame, owners, len(grounds)),
        surround_at(shot, frame, aspect),
        eye,
        light_names(shot, frame),
        haze_at(shot, frame),
        horizon_at(shot, frame),
    )
