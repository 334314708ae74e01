"""Blocks put in their places: aligned to each other, to the frame and its safe areas, spaced evenly, fitted in width,
standing on the stage, hanging on its wall or leaning against it.

Everything is worked out as the blocks rest at a frame, and answered as a JSON Patch: keyed places keep their motion
and are shifted as a whole.
"""

from __future__ import annotations

from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core import limits
from moss_crown.core.document.door import Patch, patched, write_shot
from moss_crown.core.document.letters import BlockStep, EmblemStep, Pattern
from moss_crown.core.document.look import StageStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Formula, Keyed, Link
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.camera import camera_step
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.stage.staging import NO_WALL, stages_on, wall_behind
from moss_crown.core.type.layout import Letter
from moss_crown.core.values.sampling import sample_choice, sample_one, sample_parts, sample_triple

Side: TypeAlias = Literal["left", "centre", "right", "top", "middle", "bottom"]
Area: TypeAlias = Literal["blocks", "frame", "action_safe", "title_safe"]

HALF = {"frame": 1.0, "action_safe": 0.93, "title_safe": 0.90}
"""Half widths of the areas in half frames (EBU R 95)."""
ACROSS = ("left", "centre", "right")
ROUNDS = 12
CLOSE = 1e-5


def align(shot: Shot, frame: float, step: str, side: Side, to: Area) -> Patch:
    """Bring a side of a block to that side of an area, or of all the other blocks together.

    Where the camera fits the whole title to the frame and the title is this one block, the camera's shift moves it.
    Raises DocumentInvalid when there is nothing to align to.
    """
    axis = 0 if side in ACROSS else 1
    if to == "blocks":
        corners = Evaluation(shot).block_corners(frame)
        others = [own for id, own in corners.items() if id != step]
        if not others:
            raise DocumentInvalid("to", "another block", "there is no other block to align to")
        wanted = _side(_box(np.concatenate(others)), side)
        here = _side(_box(corners[step]), side)
        return moved_along(shot, step, axis, wanted - here)
    sign = {"left": -1.0, "right": 1.0, "top": 1.0, "bottom": -1.0}.get(side, 0.0)
    wanted = sign * HALF[to]
    if _follows(shot, frame, step):
        here = _side(_seen(shot, frame, step), side)
        shift = [float(v) for v in np.atleast_1d(sample_parts(camera_step(shot).shift, frame))]
        shift[axis] = round(shift[axis] + (wanted - here) / 2, 6)
        return [{"op": "replace", "path": f"{_path(shot, camera_step(shot).id)}/shift", "value": shift}]
    moved, total = shot, 0.0
    for _ in range(ROUNDS):  # perspective, and a camera that follows the title, make one step fall short
        box = _seen(moved, frame, step)
        off = wanted - _side(box, side)
        if abs(off) < CLOSE:
            break
        extent = np.ptp(_box(Evaluation(moved).block_corners(frame)[step])[:, axis])
        total += off * extent / max(float(np.ptp(box[:, axis])), 1e-9)
        moved = patched(write_shot(shot), moved_along(shot, step, axis, total))
    return moved_along(shot, step, axis, total)


def space_evenly(shot: Shot, frame: float) -> Patch:
    """Equal gaps between blocks from the lowest to the highest, which stay. Raises DocumentInvalid below three."""
    boxes = {id: _box(corners) for id, corners in Evaluation(shot).block_corners(frame).items()}
    order = sorted(boxes, key=lambda id: float(boxes[id][:, 1].mean()))
    if len(order) < 3:
        raise DocumentInvalid("blocks", "at least 3", "even spacing needs three blocks")
    room = boxes[order[-1]][0, 1] - boxes[order[0]][1, 1]
    inner = sum(float(np.ptp(boxes[id][:, 1])) for id in order[1:-1])
    gap = (room - inner) / (len(order) - 1)
    patch, top = [], boxes[order[0]][1, 1]
    for id in order[1:-1]:
        patch += moved_along(shot, id, 1, top + gap - boxes[id][0, 1])
        top += gap + float(np.ptp(boxes[id][:, 1]))
    return patch


def fit_width(shot: Shot, frame: float, step: str, share: float) -> Patch:
    """Size a block so that it takes a share (0 to 1) of the frame's width; a camera that fits the title does it."""
    if not 0 < share <= 1:
        raise DocumentInvalid("share", "above 0, at most 1", f"a block cannot take {share:g} of the frame's width")
    if _follows(shot, frame, step):
        return [{"op": "replace", "path": f"{_path(shot, camera_step(shot).id)}/fit", "value": share}]
    index = next(k for k, s in enumerate(shot.steps) if s.id == step)
    block = shot.steps[index]
    assert isinstance(block, BlockStep | EmblemStep)
    size = float(sample_one(block.size, frame))
    sized, factor = shot, 1.0
    for _ in range(ROUNDS):
        here = float(np.ptp(_seen(sized, frame, step)[:, 0])) / 2
        if abs(share - here) < CLOSE:
            break
        factor *= share / max(here, 1e-6)
        sized = patched(write_shot(shot), [{"op": "replace", "path": f"/steps/{index}/size", "value": size * factor}])
    return [{"op": "replace", "path": f"/steps/{index}/size", "value": round(size * factor, 5)}]


def stand(shot: Shot, frame: float, step: str) -> Patch:
    """Stand a block on the stage: on a globe its line runs around that, on steps each line has a step of its own from
    the lowest up, elsewhere its lowest ink touches the floor.

    Raises DocumentInvalid without a stage.
    """
    stage = next(stages_on(shot, frame), None)
    if stage is None:
        raise DocumentInvalid("stage", "a stage that is on", "there is nothing to stand on")
    shape = sample_choice(stage.shape, frame)
    block = next(s for s in shot.steps if s.id == step)
    if isinstance(block, BlockStep) and shape == "globe":
        return _on_globe(shot, frame, block, stage)
    if isinstance(block, BlockStep) and shape == "steps":
        return _on_steps(shot, frame, block, stage)
    return _touching(shot, frame, step, 1, 0.0)


def hang(shot: Shot, frame: float, step: str) -> Patch:
    """Hang a block on the wall: the rearmost of its letters touches it. Raises DocumentInvalid without a wall."""
    return _touching(shot, frame, step, 2, _wall(shot, frame))


def lean(shot: Shot, frame: float, step: str, angle: float) -> Patch:
    """Lean a block back by an angle in degrees: its lowest edge is on the floor, its rearmost against the wall.

    Raises DocumentInvalid without a wall, and where the block's turn is not constant.
    """
    wall = _wall(shot, frame)
    block = next(s for s in shot.steps if s.id == step)
    assert isinstance(block, BlockStep | EmblemStep)
    path = f"{_path(shot, step)}/turn"
    if isinstance(block.turn, Keyed | Formula | Link):
        raise DocumentInvalid(path, "a constant", "a block whose turn changes cannot lean")
    patch: Patch = [{"op": "replace", "path": path, "value": [-angle, *block.turn[1:]]}]
    for axis, touched in ((1, 0.0), (2, wall)):
        patch += _touching(patched(write_shot(shot), patch), frame, step, axis, touched)
    return patch


def _wall(shot: Shot, frame: float) -> float:
    """z of a flat wall behind the title."""
    found = wall_behind(shot, frame)
    if found == NO_WALL or sample_choice(next(stages_on(shot, frame)).shape, frame) == "steps":
        raise DocumentInvalid("stage", "a stage with a wall", "there is no wall behind the title")
    return found


def _on_globe(shot: Shot, frame: float, block: BlockStep, stage: StageStep) -> Patch:
    radius, (left, top, _) = sample_one(stage.radius, frame), sample_triple(stage.globe_place, frame)
    path = _path(shot, block.id)
    around: Patch = [
        {"op": "replace", "path": f"{path}/baseline/kind", "value": "arc"},
        {"op": "replace", "path": f"{path}/baseline/radius", "value": radius},
    ]
    curved = patched(write_shot(shot), around)
    lines = _lines(curved, frame, block.id)
    lowest = lines[max(lines)]
    # The feet of letters are tangents of the circle: each lies a radius from its middle, the way the letter stands.
    turn = np.radians([letter.turn for letter in lowest])
    up = np.column_stack([-np.sin(turn), np.cos(turn)])
    foot = np.array([(letter.x, letter.y) for letter in lowest])
    middle = np.linalg.lstsq(up, (foot * up).sum(1) - radius, rcond=None)[0]
    across, high, _ = sample_triple(block.move, frame)
    aside = moved_along(curved, block.id, 0, left - float(middle[0]) - across)
    return (
        around
        + aside
        + moved_along(patched(write_shot(curved), aside), block.id, 1, top - radius - float(middle[1]) - high)
    )


INSIDE = 0.9
"""The radius of a globe inside a ring, by the ring's."""


def inside_ring(shot: Shot, frame: float, step: str) -> Patch:
    """Make a globe of the stage, in the middle of the ring that a block's line forms at a frame.

    Raises DocumentInvalid without a stage, and where the block's line runs around no drum.
    """
    place, stage = next(((k, s) for k, s in enumerate(shot.steps) if isinstance(s, StageStep)), (-1, None))
    if stage is None:
        raise DocumentInvalid("stage", "a stage", "there is no stage to make a globe of")
    block = next(s for s in shot.steps if s.id == step)
    if not isinstance(block, BlockStep) or sample_choice(block.baseline.kind, frame) != "drum":
        raise DocumentInvalid("step", "a block around a drum", f"the line of {block.name or step} forms no ring")
    of = Evaluation(shot)
    structure = of.structure(frame)
    number = next(k for k, own in enumerate(structure.blocks) if shot.steps[own.step].id == step)
    rest = of.resting(structure, frame).poses[number]
    if not len(rest):
        raise DocumentInvalid("step", "letters", "a line without letters forms no ring")
    # Letters look away from the axis of their drum, a radius from it.
    radius = sample_one(block.baseline.radius, frame)
    middle = (rest[:, :3, 3] - radius * rest[:, :3, 2]).mean(0)
    corners = of.block_corners(frame)[step]
    middle[1] = (corners[:, 1].min() + corners[:, 1].max()) / 2
    globe = round(INSIDE * radius, 4)
    path = f"/steps/{place}"
    return [
        {"op": "replace", "path": f"{path}/shape", "value": "globe"},
        {"op": "replace", "path": f"{path}/radius", "value": globe},
        {"op": "replace", "path": f"{path}/globe_place", "value": np.round(middle + [0, globe, 0], 4).tolist()},
    ]


STANDS = "stands on step"
"""How the patterns are called that stand a line on a step."""


def _on_steps(shot: Shot, frame: float, block: BlockStep, stage: StageStep) -> Patch:
    path = _path(shot, block.id)
    kept = [p.model_dump(mode="json") for p in block.patterns if not p.name.startswith(STANDS)]
    plain = patched(write_shot(shot), [{"op": "replace", "path": f"{path}/patterns", "value": kept}])
    rise, run, distance = (sample_one(v, frame) for v in (stage.rise, stage.run, stage.wall_distance))
    size = sample_one(block.size, frame)
    lines = _lines(plain, frame, block.id)
    last = max(lines)
    foot = lines[last][0].y
    made = []
    for line, letters in lines.items():
        above = last - line
        if above:
            up = (above * rise - (letters[0].y - foot)) / size
            back = -(distance + run * (above - 0.5)) / size
            made.append(
                Pattern(
                    name=f"{STANDS} {above}",
                    unit="line",
                    pick="every",
                    every=limits.LETTERS_A_BLOCK,
                    start=line + 1,
                    shift=(0.0, round(up, 6), round(back, 6)),
                ).model_dump(mode="json")
            )
    standing: Patch = [{"op": "replace", "path": f"{path}/patterns", "value": kept + made}]
    return standing + moved_along(shot, block.id, 1, -foot - sample_triple(block.move, frame)[1])


def _lines(shot: Shot, frame: float, step: str) -> dict[int, list[Letter]]:
    """The letters of a block's lines, at rest in the block."""
    found: dict[int, list[Letter]] = {}
    for block in Evaluation(shot).structure(frame).blocks:
        if shot.steps[block.step].id == step and not block.member.copied:
            for letter in block.letters:
                found.setdefault(letter.line, []).append(letter)
    return found


def _box(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """(2, k): least and greatest."""
    return np.stack([points.min(0), points.max(0)])


def _side(box: NDArray[np.float64], side: Side) -> float:
    axis = 0 if side in ACROSS else 1
    low, high = box[:, axis]
    return float({"left": low, "bottom": low, "right": high, "top": high}.get(side, (low + high) / 2))


def _seen(shot: Shot, frame: float, step: str) -> NDArray[np.float64]:
    """(2, 2): the block's box on the picture, in half frames from the middle, x right and y up."""
    of = Evaluation(shot)
    camera = of.camera(np.array([frame]), shot.aspect)
    local = (of.block_corners(frame)[step] - camera.poses[0, :3, 3]) @ camera.poses[0, :3, :3]
    away = np.maximum(-local[:, 2], 1e-6)
    return _box(local[:, :2] / away[:, None] / camera.half + camera.shift)


def _follows(shot: Shot, frame: float, step: str) -> bool:
    """Does the camera fit itself to this block alone, so that moving the block would change nothing?"""
    if all(s.kind != "camera" for s in shot.steps):
        return False
    return bool(sample_one(camera_step(shot).fit, frame) > 0) and set(Evaluation(shot).block_corners(frame)) == {step}


def _path(shot: Shot, id: str) -> str:
    return next(f"/steps/{k}" for k, step in enumerate(shot.steps) if step.id == id)


def _touching(shot: Shot, frame: float, step: str, axis: int, plane: float) -> Patch:
    """The patch that shifts a block along an axis until the least of its corners lies on a plane."""
    return moved_along(shot, step, axis, plane - float(_box(Evaluation(shot).block_corners(frame)[step])[0, axis]))


def moved_along(shot: Shot, step: str, axis: int, by: float) -> Patch:
    """The patch that shifts a block's place, or all of its keys."""
    path = f"{_path(shot, step)}/move"
    block = next(s for s in shot.steps if s.id == step)
    assert isinstance(block, BlockStep | EmblemStep)

    def shifted(place: tuple[float, ...]) -> list[float]:
        return [round(v + by * (k == axis), 6) for k, v in enumerate(place)]

    if isinstance(block.move, Keyed):
        return [
            {"op": "replace", "path": f"{path}/keys/{k}/value", "value": shifted(key.value)}
            for k, key in enumerate(block.move.keys)
        ]
    if isinstance(block.move, Formula | Link):
        raise DocumentInvalid(path, "a constant or keys", "a place by formula or link cannot be arranged")
    return [{"op": "replace", "path": path, "value": shifted(block.move)}]
