"""Letters that run into each other, the floor or the wall: boxes against points and closed forms."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import linprog
from scipy.spatial.transform import Rotation

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.motion.clearance import MEETS, SINKS, contacts, out_of_frame

CUBE = np.array([(x, y, z) for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float) / 2
NOTHING = -np.inf


def at(place, turn=(0.0, 0.0, 0.0), scale=1.0):
    pose = np.eye(4)
    pose[:3, :3] = Rotation.from_euler("xyz", turn, degrees=True).as_matrix() * scale
    pose[:3, 3] = place
    return pose


def meet(one, other, give=0.0):
    rest = np.array([at((0, 0, 0)), at((50, 0, 0))])
    found = contacts(np.array([[one, other]]), np.array([CUBE, CUBE]), rest, np.full(2, give), NOTHING, NOTHING)[0]
    assert found[0] == found[1]
    return bool(found[0] & MEETS)


def share_a_point(one, other):
    """By linear programming: is there a point in both boxes?"""
    rows, bounds = [], []
    for pose in (one, other):
        inverse = np.linalg.inv(pose)
        for axis in range(3):
            for sign in (1, -1):
                rows.append(sign * inverse[axis, :3])
                bounds.append(0.5 - sign * inverse[axis, 3])
    return linprog(np.zeros(3), np.array(rows), np.array(bounds), bounds=[(None, None)] * 3).status == 0


numbers = st.floats(-1.3, 1.3)


@given(st.tuples(numbers, numbers, numbers), st.tuples(*[st.floats(-180, 180)] * 3), st.floats(0.4, 1.5))
def test_boxes_meet_exactly_when_they_share_a_point(place, turn, scale):
    one, other = at((0, 0, 0), (20, 30, 40)), at(place, turn, scale)
    smaller, larger = at(place, turn, scale * 0.999), at(place, turn, scale * 1.001)
    if share_a_point(one, smaller) == share_a_point(one, larger):  # not just touching
        assert meet(one, other) == share_a_point(one, other)


def test_boxes_side_by_side():
    assert not meet(at((0, 0, 0)), at((1.01, 0, 0)))
    assert meet(at((0, 0, 0)), at((0.99, 0, 0)))
    assert not meet(at((0, 0, 0)), at((0.95, 0, 0)), give=0.04)
    assert meet(at((0, 0, 0)), at((1.01, 0, 0), (0, 0, 45)))


def test_pairs_that_overlap_at_rest_are_left_alone():
    poses = np.array([[at((0, 0, 0)), at((0.8, 0, 0))]])
    assert not contacts(poses, np.array([CUBE, CUBE]), poses[0], np.zeros(2), NOTHING, NOTHING).any()


def test_floor_and_wall():
    poses = np.array([[at((0, y, 0))] for y in (0.6, 0.5, 0.4)])
    rest = np.array([at((0, 0.5, 0))])
    assert contacts(poses, CUBE[None], rest, np.zeros(1), 0.0, NOTHING)[:, 0].tolist() == [0, 0, SINKS]
    turned = np.array([[at((0, 0, z), (0, 45, 0))] for z in (0.0, -0.35)])
    assert contacts(turned, CUBE[None], rest, np.zeros(1), NOTHING, -1.0)[:, 0].tolist() == [0, SINKS]
    assert not contacts(poses, CUBE[None], np.array([at((0, 0.2, 0))]), np.zeros(1), 0.0, NOTHING).any()


@pytest.mark.parametrize(
    ("offset", "bits"),
    [
        ({"move": [0, 0, 1.2], "turn": [0, 0, 0]}, 0),
        ({"move": [0, -0.5, 0], "turn": [0, 0, 0]}, SINKS),
        ({"move": [-1.2, 0, 0], "turn": [0, 0, 0]}, MEETS),
    ],
)
def test_the_letters_of_a_shot(offset, bits):
    patch = [{"op": "replace", "path": f"/steps/2/offset/{k}", "value": v} for k, v in offset.items()]
    shot, _ = apply_patch(new_shot(text="SALT"), patch)
    found = Evaluation(shot).contacts(Evaluation(shot).structure(0), np.arange(0.0, 73))
    assert found.max() == bits
    assert (found[60:] == 0).all()


@given(st.integers(0, 2**32 - 1))
def test_a_box_is_out_when_all_its_corners_are_beyond_one_border(seed):
    draw = np.random.default_rng(seed)
    boxes = np.sort(draw.uniform(-1, 1, (3, 2, 3)), 1)
    corners = np.array([[[b[i, 0], b[j, 1], b[k, 2]] for i in (0, 1) for j in (0, 1) for k in (0, 1)] for b in boxes])
    poses = np.array([[at(draw.uniform(-6, 6, 3), draw.uniform(-180, 180, 3)) for _ in range(3)] for _ in range(4)])
    cameras = np.array([at(draw.uniform(-1, 1, 3) + (0, 0, 5), draw.uniform(-20, 20, 3)) for _ in range(4)])
    half, shift = draw.uniform(0.1, 0.6, (4, 2)), draw.uniform(-0.3, 0.3, (4, 2))
    world = np.einsum("flij,lcj->flci", poses[..., :3, :3], corners) + poses[..., None, :3, 3]
    local = np.einsum("fji,flcj->flci", cameras[:, :3, :3], world - cameras[:, None, None, :3, 3])
    away = -local[..., 2]
    expected = (away < 0).all(-1)
    for axis in (0, 1):
        for sign in (-1, 1):
            # On the far side of that border, for what lies behind the eye too: x <= (1 - shift) half away, and so on.
            edge = (1 - sign * shift[:, axis]) * half[:, axis]
            expected |= (sign * local[..., axis] > edge[:, None, None] * away).all(-1)
    assert (out_of_frame(poses, corners, cameras, half, shift) == expected).all()


def test_letters_that_come_from_outside_are_out_until_they_enter():
    shot = new_shot(text="TIDE")
    drive = next(k for k, s in enumerate(shot.steps) if s.kind == "drive")
    outside = [{"op": "replace", "path": f"/steps/{drive}/offset/outside", "value": "left"}]
    coming = apply_patch(shot, outside)[0]
    structure = Evaluation(coming).structure(0)
    frames = np.arange(0.0, 73.0)
    seen = [
        ~out_of_frame(
            Evaluation(s).poses(structure, frames), structure.boxes, *Evaluation(s).camera_path(frames, 16 / 9)
        )
        for s in (shot, coming)
    ]
    assert seen[0].all()
    assert not seen[1][0].any() and seen[1][-1].all()
    assert (np.diff(seen[1].astype(int), axis=0) >= 0).all()  # each enters once
