"""The camera: axes, angles of view, poses that see what they should."""

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.values import Key, Keyed, straight
from moss_crown.core.stage.camera import HEIGHT_SHARE, camera_poses, fitted_poses, half_tangents, look_at


def camera_pose(step, frame, *rest):
    """Pose, half tangents and shift at one frame."""
    return tuple(found[0] for found in camera_poses(step, np.array([float(frame)]), *rest))


coordinate = st.floats(-20, 20)
place = st.tuples(coordinate, coordinate, coordinate)


@given(place, place)
@example((0.0, 0.0, 0.0), (6e-8, 1.0, 0.0))
@example((0.0, 0.0, 0.0), (6e-10, -1.0, 3e-9))
def test_a_camera_is_a_rotation_that_looks_at_its_aim_and_stays_level(a, b):
    a, b = np.array(a), np.array(b)
    pose = look_at(a, b)
    turn = pose[:3, :3]
    assert turn.T @ turn == pytest.approx(np.eye(3), abs=1e-9)
    assert np.linalg.det(turn) == pytest.approx(1)
    assert pose[:3, 3] == pytest.approx(a)
    assert turn[1, 0] == pytest.approx(0, abs=1e-9), "the horizon is level"
    if np.linalg.norm(b - a) > 1e-3:
        seen = turn.T @ (b - a)
        assert seen[:2] == pytest.approx([0, 0], abs=1e-6 * np.linalg.norm(b - a) + 1e-9)
        assert seen[2] < 0


@pytest.mark.parametrize(("lens", "degrees"), [(50, 39.6), (35, 54.4), (24, 73.7)])
def test_lenses_have_the_angles_of_a_36_mm_frame(lens, degrees):
    across, up = half_tangents(lens, 16 / 9)
    assert 2 * np.degrees(np.arctan(across)) == pytest.approx(degrees, abs=0.1)
    assert up == pytest.approx(across * 9 / 16)


boxes = st.tuples(st.floats(0.2, 20), st.floats(0.2, 8), st.floats(0.05, 3))


@given(boxes, st.floats(0.2, 1), st.floats(-70, 70), st.floats(-40, 60), st.floats(0.3, 3))
def test_a_fitted_title_touches_its_share_and_never_passes_it(size, fit, right, up, aspect):
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (0, 2) for z in (-1, 1)]) / 2 * size
    half = half_tangents(40, aspect)
    pose = fitted_poses(corners, half[None], np.array([fit]), np.array([[right, up]]))[0]
    local = (corners - pose[:3, 3]) @ pose[:3, :3]
    assert (local[:, 2] < 0).all()
    across = np.abs(local[:, 0] / -local[:, 2]) / half[0] / fit
    high = np.abs(local[:, 1] / -local[:, 2]) / half[1] / (HEIGHT_SHARE * fit)
    assert max(across.max(), high.max()) == pytest.approx(1, rel=1e-6)


def test_with_fit_0_it_stands_where_it_is_put_and_keys_move_it():
    there = Keyed(keys=[Key(frame=0, value=(0.0, 1.0, 5.0), ease=straight()), Key(frame=10, value=(2.0, 1.0, 5.0))])
    step = CameraStep(id="camera", fit=0, place=there, aim=(0, 1, 0), shift=(0.1, 0))
    pose, _, shift = camera_pose(step, 5, np.zeros((0, 3)), 1.5)
    assert pose[:3, 3] == pytest.approx([1, 1, 5])
    assert shift == pytest.approx((0.2, 0))


def test_an_empty_title_is_not_fitted():
    step = CameraStep(id="camera", fit=0.8, place=(0, 0, 3), aim=(0, 0, 0))
    pose, _, _ = camera_pose(step, 0, np.zeros((0, 3)), 1.0)
    assert pose[:3, 3] == pytest.approx([0, 0, 3])


BOX = np.array([[x, y, z] for x in (-3, 3) for y in (0, 1) for z in (-0.2, 0.2)], float)


def test_roll_turns_the_picture_and_not_the_eye():
    level, *_ = camera_pose(CameraStep(id="camera"), 0, BOX, 1.5)
    rolled, *_ = camera_pose(CameraStep(id="camera", roll=90.0), 0, BOX, 1.5)
    assert rolled[:3, 3] == pytest.approx(level[:3, 3])
    assert rolled[:3, 2] == pytest.approx(level[:3, 2])
    # It leans to its right: what was to its right is now up to it... its up axis points where right was.
    assert rolled[:3, 1] == pytest.approx(level[:3, 0])


def test_overscan_keeps_the_middle_of_the_picture():
    _, half, shift = camera_pose(CameraStep(id="camera", shift=(0.1, -0.2)), 0, BOX, 1.5)
    _, wider, moved = camera_pose(CameraStep(id="camera", shift=(0.1, -0.2), overscan=0.1), 0, BOX, 1.5)
    assert np.array(wider) / np.array(half) == pytest.approx([1.2, 1.2])
    # A direction lies at the same place of the inner frame: (x / half + shift) shrinks by the same factor.
    assert np.array(moved) * 1.2 == pytest.approx(np.array(shift))


@given(st.integers(0, 1000), st.floats(0.1, 3))
def test_a_hand_sways_smoothly_within_its_bounds_and_the_same_every_time(seed, drift):
    step = CameraStep(id="camera", drift=drift, drift_tempo=0.7)
    still, *_ = camera_pose(CameraStep(id="camera"), 0, BOX, 1.5)
    away = np.linalg.norm(still[:3, 3] - (BOX.min(0) + BOX.max(0)) / 2)
    places = np.array([camera_pose(step, f / 4, BOX, 1.5, 25.0, seed)[0][:3, 3] for f in range(200)])
    assert np.abs(places - still[:3, 3]).max() <= 0.01 * away * drift * np.sqrt(3) + 1e-9
    assert np.ptp(places, axis=0).max() > 0.001 * away * drift
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert steps.max() < 0.01 * away * drift * 2 * np.pi * 0.7 / 25 / 4 * 2.5 * np.sqrt(3)
    turn = camera_pose(step, 33, BOX, 1.5, 25.0, seed)[0][:3, :3]
    assert turn.T @ turn == pytest.approx(np.eye(3), abs=1e-9)
    assert (camera_pose(step, 33, BOX, 1.5, 25.0, seed)[0] == camera_pose(step, 33, BOX, 1.5, 25.0, seed)[0]).all()


def test_a_wider_sensor_sees_more():
    assert half_tangents(50, 1.5, 72)[0] == pytest.approx(2 * half_tangents(50, 1.5)[0])


def test_a_frame_alone_has_the_bits_it_has_among_others():
    def keyed(a, b):
        return Keyed(keys=[Key(frame=0, value=a), Key(frame=40, value=b)])

    step = CameraStep(
        id="camera",
        orbit=keyed((-20.0, 3.0), (35.0, 20.0)),
        lens=keyed(24.0, 70.0),
        fit=keyed(0.5, 0.9),
        drift=0.7,
        roll=3.0,
    )
    frames = np.arange(0.0, 41.0, 0.25)
    together = camera_poses(step, frames, BOX, 1.5, 24.0, 5)
    for k in (0, 1, 7, 64, 160):
        alone = camera_poses(step, frames[k : k + 1], BOX, 1.5, 24.0, 5)
        for one, many in zip(alone, together, strict=True):
            assert (one[0] == many[k]).all()
