"""What a user should know about a shot as it stands."""

from __future__ import annotations

import numpy as np

from moss_crown.core import limits
from moss_crown.core.cache import Cache
from moss_crown.core.document.become import BecomeStep
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.deform import WrapStep
from moss_crown.core.document.inflate import InflateStep
from moss_crown.core.document.motion import DriveStep, GrowStep, ShiverStep, Zone
from moss_crown.core.document.shot import Shot
from moss_crown.core.draft.schema import Note
from moss_crown.core.evaluation.becoming import parties
from moss_crown.core.evaluation.camera import camera_step
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.inflating import EDGES
from moss_crown.core.evaluation.setting import Structure
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.evaluation.timing import NEVER
from moss_crown.core.evaluation.tracking import bodies_of
from moss_crown.core.motion.moving import felt, filling
from moss_crown.core.motion.reach import choices
from moss_crown.core.stage.staging import globe_middles
from moss_crown.core.type.families import FALLBACK, FALLBACKS
from moss_crown.core.type.layout import Letter
from moss_crown.core.type.shape import own_faces
from moss_crown.core.values.tied import unsound


def notes(of: Evaluation, rest: float | None = None) -> list[Note]:
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
                Note(step.id, "type.lacking", f"{', '.join(sorted(letters))}: not in this family, drawn from {family}")
            )
        form = block.form
        if form.limit < 1:
            used = f"edge limited to a height of {form.front_used.height:.3g}"
            text = f"{used}: front and rear share a depth of {form.depth:.3g}"
            said.append(Note(form_id(shot, block.step), "form.edge_limited", text))
    camera = camera_step(shot)
    there = {shot.steps[block.step].id: len(block.letters) for block in structure.blocks}
    for subject, does in ((camera.follow, "follows"), (camera.focus_on, "is sharp on")):
        if subject and not (subject.letter or 0) < there.get(subject.block, 0):
            said.append(Note(camera.id, "camera.no_subject", f"what the camera {does} is not in the shot"))
    said += _motion_notes(of, structure, of.rest_frame() if rest is None else rest)
    return said


def _motion_notes(of: Evaluation, structure: Structure, rest: float) -> list[Note]:
    """Rest that comes late or never, drives that nothing feels, and formulas that are not always numbers."""
    shot = of.shot
    said = []
    moving = [s for s in shot.steps if s.facts.moves]
    if rest > shot.last and moving:
        follow = next((s for s in moving if s.kind == "follow"), moving[0])
        when = f"at frame {rest:.4g}, after the last frame {shot.last}" if rest < NEVER else "not within the shot"
        said.append(Note(follow.id, "motion.rest_late", f"letters come to rest {when}"))
    for drive in moving:
        if isinstance(drive, DriveStep) and not _felt(of, structure, drive):
            text = "acts on nothing: its zone never meets a letter"
            said.append(Note(drive.id, "motion.not_felt", text))
        if isinstance(drive, GrowStep) and not any(block.form.tube for block in structure.blocks):
            text = "nothing grows: no letters are drawn by tubes. Depth and bevel has that under Tubes"
            said.append(Note(drive.id, "motion.no_tubes", text))
    for wrap in moving:
        if isinstance(wrap, WrapStep) and _wants_globe(shot, wrap):
            text = "lies around nothing: the stage is no globe. Stage has that under Shape"
            said.append(Note(wrap.id, "motion.no_globe", text))
    said += _piece_notes(of, structure)
    said += _swelling_notes(of, structure)
    for id, text in unsound(shot):
        said.append(Note(id, "formula.no_number", text))
    return said


def _piece_notes(of: Evaluation, structure: Structure) -> list[Note]:
    """Steps that ask for pieces where nothing is cut, and more bodies than there may be."""
    shot, said = of.shot, []
    for step in shot.steps:
        if isinstance(step, BecomeStep) and step.on is not False and parties(of, structure, step) is None:
            text = "turns nothing: it needs two blocks or emblems above it"
            said.append(Note(step.id, "motion.becomes_nothing", text))
        by_piece = (isinstance(step, BodiesStep) and step.of == "piece") or (
            isinstance(step, DriveStep | ShiverStep) and step.scope == "piece"
        )
        if by_piece and step.on is not False and not structure.cut:
            text = "acts by letter: nothing cuts the letters. The step Pieces does"
            said.append(Note(step.id, "motion.no_pieces", text))
        if isinstance(step, BodiesStep) and step.on is not False:
            taking, wanted = bodies_of(of, structure, step)
            if taking < wanted:
                text = f"{taking} of {wanted} are bodies: there are at most {limits.BODIES}, by whole blocks"
                said.append(Note(step.id, "motion.many_bodies", text))
    return said


def _swelling_notes(of: Evaluation, structure: Structure) -> list[Note]:
    """Steps that inflate what is in pieces, or after another has; letters whose meshes are coarser than asked for, and
    what is not solved any more."""
    shot, said = of.shot, []
    for place, step in enumerate(shot.steps):
        if not isinstance(step, InflateStep) or step.on is False:
            continue
        own = [k for k, block in enumerate(structure.blocks) if block.step < place]
        if any(structure.blocks[k].cutting is not None for k in own):
            said.append(Note(step.id, "motion.swells_whole", "fills no letters that are cut into pieces"))
        if any(filling(of.company(structure, k)) is not step for k in own):
            said.append(Note(step.id, "motion.swells_once", "fills nothing that a step above it fills already"))
        for full in (of.inflated(structure, k) for k in own):
            if full is None:
                continue
            edge = EDGES[step.fine]
            if full.foils.edge > edge:
                text = f"edges of {full.foils.edge:.2g} cap heights in place of {edge:g}: there are many letters"
                said.append(Note(step.id, "motion.swells_coarse", text))
            if full.ends is not None and full.ends < shot.last:
                text = f"solved until frame {full.ends:.4g}; after that letters stay as they are then"
                said.append(Note(step.id, "motion.swells_long", text))
    return said


def _wants_globe(shot: Shot, step: WrapStep) -> bool:
    """Is letters' globe that of the stage at a frame where that has none?"""
    frames = np.linspace(shot.first, shot.last, min(60, len(shot.frames)))
    wanted = np.array(choices(step.onto, frames)) == "stage"
    there = np.isfinite(globe_middles(shot, frames)).all(1)
    return bool((wanted & ~there).any())


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


def form_id(shot: Shot, block: int) -> str:
    """The id of the form step that shapes a block, "" for none."""
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
