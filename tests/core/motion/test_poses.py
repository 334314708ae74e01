"""Drives and poses: the rest place is final, frames alone equal frames in sequence, speeds have a closed form."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from moss_crown.core.document.motion import Cadence
from moss_crown.core.motion.poses import (
    AT_ONCE,
    Act,
    Channel,
    moved_poses,
    place_matrix,
    place_poses,
    rest_poses,
    speeds,
    turn_matrix,
)
from moss_crown.core.motion.reach import Units, cadence_end, cadence_reach
from moss_crown.core.values.noise import smooth_noise

angles = st.tuples(*[st.floats(-720, 720)] * 3)


def placed_at(origins):
    rest = np.tile(np.eye(4), (len(origins), 1, 1))
    rest[:, :3, 3] = origins
    return rest


def units(count):
    places = np.stack([np.arange(count, dtype=float), np.zeros(count), np.zeros(count)], 1)
    return Units(places, lambda: places[None])


def driven(poses, reach, move, turn, scale, pivots):
    """Poses after an offset times its reach, each given by frame."""

    def by(offset):
        return Channel(reach, np.asarray(offset, float)[:, None])

    return moved_poses(poses, [Act(by(move), by(np.radians(turn)), by(np.asarray(scale) - 1), pivots)])


@given(angles)
def test_a_turn_goes_about_x_then_y_then_z(turn):
    expected = Rotation.from_euler("xyz", turn, degrees=True).as_matrix()
    assert turn_matrix(np.array(turn)) == pytest.approx(expected, abs=1e-12)


def test_a_cadence_starts_letter_after_letter_and_comes_to_rest():
    cadence = Cadence(start=4, delay=2, duration=10)
    reach = cadence_reach(cadence, np.arange(0, 60.0), units(5))
    for k in range(5):
        assert (reach[: 4 + 2 * k + 1, k] == 1).all()
        assert (reach[4 + 2 * k + 10 :, k] == 0).all()
        assert (np.diff(reach[:, k]) <= 0).all()
    assert cadence_end(cadence, 0) == 10
    assert (
        cadence_reach(cadence.model_copy(update={"order": "reverse"}), np.arange(0, 60.0), units(5)) == reach[:, ::-1]
    ).all()


def test_frames_beyond_those_that_are_moved_at_once_are_moved_alike():
    """By two acts, the second with offsets that differ from frame to frame; every frame alone has the same bits."""
    frames = 3 * AT_ONCE + 5
    rng = np.random.default_rng(4)
    reach, still = rng.uniform(0, 1, (frames, 3)), Channel(np.zeros((1, 1)), np.zeros((1, 1, 3)))
    move, turn = rng.normal(size=(frames, 1, 3)), rng.normal(size=(frames, 3, 3))
    pivots = rng.normal(size=(1, 3, 3))
    begun = rest_poses(placed_at(rng.normal(size=(3, 3))), frames)

    def moved(own):
        nothing = Channel(np.zeros((len(reach[own]), 1)), still.offset)
        first = Act(Channel(reach[own], np.ones((1, 1, 3))), nothing, nothing, pivots)
        second = Act(Channel(reach[own], move[own]), Channel(reach[own], turn[own]), nothing, pivots)
        return moved_poses(begun[own], [first, second])

    together = moved(slice(None))
    assert len({pose.tobytes() for pose in together}) == frames
    for k in (0, AT_ONCE - 1, AT_ONCE, 2 * AT_ONCE + 1, frames - 1):
        assert (moved(slice(k, k + 1))[0] == together[k]).all()
    assert (begun == begun[0]).all(), "what is moved is another"


def test_noise_of_many_seeds_is_that_of_each():
    x = np.random.default_rng(2).uniform(-50, 50, (40, 6))
    seeds = np.arange(6, dtype=np.uint64) * 977
    together = smooth_noise(seeds, x)
    for k in range(6):
        assert (together[:, k] == smooth_noise(int(seeds[k]), x[:, k])).all()
        assert (together[7, k] == smooth_noise(int(seeds[k]), x[7, k])).all()
    whole = smooth_noise(seeds, np.floor(x))
    assert np.abs(whole).max() < 0.6 < np.abs(together).max() < 1


@given(angles, st.tuples(*[st.floats(-3, 3)] * 3), st.floats(0, 1))
def test_a_drive_is_its_offset_times_its_reach(turn, move, reach):
    pivot = np.array([[[0.3, 0.5, 0.0]]])
    origin = np.array([[2.0, 1.0, 0.0]])
    scale = np.array([1.5, 0.5, 2.0])
    out = driven(
        rest_poses(placed_at(origin), 1), np.array([[reach]]), np.array([move]), np.array([turn]), scale[None], pivot
    )
    about = turn_matrix(np.array(turn) * reach) * (1 + (scale - 1) * reach)
    point = np.array([0.1, -0.2, 0.4])
    expected = origin[0] + np.array(move) * reach + pivot[0, 0] + about @ (point - pivot[0, 0])
    assert out[0, 0, :3, :3] @ point + out[0, 0, :3, 3] == pytest.approx(expected, abs=1e-9)


def test_no_reach_leaves_every_bit_alone():
    rest = rest_poses(placed_at(np.random.default_rng(1).normal(size=(6, 3))), 3)
    out = driven(rest, np.zeros((3, 6)), np.ones((3, 3)), np.ones((3, 3)) * 45, np.ones((3, 3)) * 2, np.ones((1, 6, 3)))
    assert (out == rest).all()


def test_a_block_is_scaled_then_turned_then_moved():
    matrix = place_matrix(np.array([1.0, 2, 3]), np.array([0.0, 0, 90]), np.array([2.0, 1, 1]))
    assert matrix @ [1, 0, 0, 1] == pytest.approx([1, 4, 3, 1])
    placed = place_poses(
        rest_poses(placed_at([[1.0, 0, 0]]), 1), *(np.array([v]) for v in ([1.0, 2, 3], [0.0, 0, 90], [2.0, 1, 1]))
    )
    assert placed[0, 0, :3, 3] == pytest.approx([1, 4, 3])


BOX = np.array([[(x, y, z) for x in (-1, 1) for y in (-1, 1) for z in (0, 0)]], float)


def by_part(before, after, box=BOX, seconds=1.0):
    """Speed by all, place, turn and size of one letter between two poses (4, 4)."""
    return speeds(np.array([before, after])[:, None], box, seconds)[:, 0, 0]


def test_speed_of_a_sliding_a_turning_and_a_growing_letter():
    slid, turned = np.eye(4), np.eye(4)
    slid[0, 3] = 0.5
    assert by_part(np.eye(4), slid, seconds=0.04) == pytest.approx([12.5, 12.5, 0, 0])
    turned[:3, :3] = turn_matrix(np.array([0, 0, 0.01]))
    spin = np.sqrt(2) * np.radians(0.01)
    assert by_part(np.eye(4), turned) == pytest.approx([spin, 0, spin, 0], rel=1e-6, abs=1e-9)
    grown = np.diag([1.1, 1.1, 1.1, 1.0])
    assert by_part(np.eye(4), grown) == pytest.approx([np.sqrt(2) * 0.1, 0, 0, np.sqrt(2) * 0.1])


def test_a_letter_that_turns_about_another_point_also_moves():
    """About a corner its middle goes round: the squares of the parts add up."""
    away = BOX + np.array([3.0, 0, 0])
    turned = np.eye(4)
    turned[:3, :3] = turn_matrix(np.array([0, 0, 0.01]))
    every, place, turn, size = by_part(np.eye(4), turned, away)
    assert place == pytest.approx(3 * np.radians(0.01), rel=1e-5)
    assert size == pytest.approx(0, abs=1e-12)
    assert every**2 == pytest.approx(place**2 + turn**2, rel=1e-6)


def test_a_letter_that_grows_from_nothing_does_not_turn():
    assert by_part(np.diag([0, 0, 0, 1.0]), np.eye(4)) == pytest.approx([np.sqrt(2), 0, 0, np.sqrt(2)])


@given(st.integers(0, 2**32 - 1))
def test_speed_is_the_root_mean_square_of_the_corners(seed):
    draw = np.random.default_rng(seed)
    poses = draw.normal(size=(4, 3, 4, 4))
    corners = draw.normal(size=(3, 8, 3))
    at = np.einsum("flij,lcj->flci", poses[..., :3, :3], corners) + poses[:, :, None, :3, 3]
    plain = np.sqrt((np.diff(at, axis=0) ** 2).sum(-1).mean(-1)) / 0.5
    assert speeds(poses, corners, 0.5)[0] == pytest.approx(plain, rel=1e-9)
