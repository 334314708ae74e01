"""Rigid bodies against closed forms: falling, bouncing, sliding, following; nothing explodes, and bits are the same."""

from __future__ import annotations

import hashlib
import math
import os
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from moss_crown.core.cache import Cache
from moss_crown.core.physics.bodies import (
    CHUNK,
    QUARTERS,
    Bodies,
    Ground,
    Matter,
    Wanted,
    chunks,
    damping,
    overlapping,
    track,
)
from moss_crown.core.physics.turns import apart, between, matrix, parted, quaternion

FPS = 25.0
G = 9.81
LEVEL = (1.0, 0.0, 0.0, 0.0)


def cube(half=0.25, x=0.0):
    return (np.array([(x + a, b, c) for a in (-half, half) for b in (-half, half) for c in (-half, half)]),)


def floor(lean=0.0):
    """A slab whose top goes through the origin, leaning about z by an angle."""
    turn = (math.cos(lean / 2), 0.0, 0.0, math.sin(lean / 2))
    return Ground("box", (0.5 * math.sin(lean), -0.5 * math.cos(lean), 0.0), turn, (40.0, 0.5, 40.0))


def wanted(places, frames, turns=None, hold=0, follow=0.0, gravity=(0.0, -G, 0.0), wind=(0.0, 0.0, 0.0), **more):
    """Bodies at places (b, 3), or in a motion (q, b, 3), held for so many frames."""
    count = chunks(frames) * QUARTERS + 1
    at = np.asarray(places, float)
    at = np.broadcast_to(at, (count, *at.shape[-2:])).copy()
    bodies = at.shape[1]
    way = np.broadcast_to(LEVEL if turns is None else turns, (count, bodies, 4)).copy()
    held = np.broadcast_to((np.arange(count) < hold * QUARTERS)[:, None], (count, bodies)).copy()

    def every(value):
        return np.broadcast_to(np.asarray(value, float), (count, 1, 3)).copy()

    follows = np.full((count, bodies), float(follow))
    thrown = np.zeros((bodies, 6)) if "thrown" not in more else np.asarray(more.pop("thrown"), float)
    return Wanted(at, way, held, follows, every(gravity), every(wind), thrown, **more)


def run(parts, asked, frames, grounds=None, cache=None, spare=(), **matter):
    on = (floor(),) if grounds is None else tuple(grounds)
    bodies = Bodies(tuple(parts), Matter(**matter), on, FPS, spare)
    found = track(bodies, asked, frames, cache or Cache())
    return bodies, found


def test_free_fall():
    _, found = run([cube()], wanted([(0, 10, 0)], 24), 24)
    time = np.arange(25) / FPS
    assert found.places[:25, 0, 1] == pytest.approx(10 - G * time**2 / 2, abs=0.02)
    # The solver's own steps add up exactly: half a step more of speed.
    bodies = Bodies((cube(),), Matter(), (floor(),), FPS)
    n = np.round(time / bodies.step)
    assert found.places[:25, 0, 1] == pytest.approx(10 - G * bodies.step**2 * n * (n + 1) / 2, abs=1e-9)


def test_wind_gravity_and_a_throw_add_up():
    asked = wanted([(0, 30, 0)], 16, gravity=(0, -1, 0), wind=(2, 0, 0), thrown=[[0, 0, 3, 0, 1, 0]])
    _, found = run([cube()], asked, 16)
    t = 16 / FPS
    assert found.places[16, 0] == pytest.approx([t * t, 30 - t * t / 2, 3 * t], abs=0.01)
    assert 2 * math.asin(found.turns[16, 0, 2]) == pytest.approx(t, abs=1e-3)


@pytest.mark.parametrize("bounce", [0.3, 0.5, 0.7])
def test_a_bounce_gives_back_a_share_of_the_speed(bounce):
    ball = Ground("ball", (0.0, -5.0, 0.0), LEVEL, (5.0, 0.0, 0.0))
    _, found = run([cube()], wanted([(0, 2.25, 0)], 40), 40, (ball,), bounce=bounce)
    height = found.places[:, 0, 1] - 0.25
    low = int(np.argmax(np.diff(height) > 0))
    back = math.sqrt(height[low : low + 16].max() / 2)
    assert back == pytest.approx(bounce, abs=0.12)
    e = math.exp(-math.pi * damping(bounce) / math.sqrt(1 - damping(bounce) ** 2))
    assert e == pytest.approx(bounce)


def test_a_slope_is_slid_down_or_held_by_friction():
    lean = math.radians(20)
    turn = (math.cos(lean / 2), 0.0, 0.0, math.sin(lean / 2))
    at = [0.25 * -math.sin(lean), 0.25 * math.cos(lean), 0.0]

    def slid(friction):
        asked = wanted([at], 32, turns=turn)
        _, found = run([cube()], asked, 32, (floor(lean),), friction=friction, bounce=0.0)
        return np.linalg.norm(found.places[32, 0] - found.places[0, 0])

    t = 32 / FPS
    wanted_way = G * (math.sin(lean) - 0.1 * math.cos(lean)) * t * t / 2
    assert slid(0.1) == pytest.approx(wanted_way, rel=0.06)
    assert slid(0.6) < 0.01


def test_following_is_a_critically_damped_spring():
    """Thrown from where it should be: x = v t exp(-w t)."""
    follow = 0.3
    asked = wanted([(0, 5, 0)], 24, follow=follow, gravity=(0, 0, 0), thrown=[[2, 0, 0, 0, 0, 0]])
    _, found = run([cube()], asked, 24, ())
    w, time = 50 * follow**2, np.arange(25) / FPS
    assert found.places[:25, 0, 0] == pytest.approx(2 * time * np.exp(-w * time), abs=0.005)


def test_following_wholly_stays_with_a_moving_design():
    time = np.arange(chunks(40) * QUARTERS + 1) / QUARTERS / FPS
    path = np.stack([np.sin(2 * time), 5 + 0 * time, np.cos(2 * time)], 1)[:, None]
    asked = wanted(path, 40, follow=1.0)
    _, found = run([cube()], asked, 40, ())
    assert np.linalg.norm(found.places[:41] - path[::QUARTERS][:41], axis=2).max() < 0.01


def test_energy_never_grows_without_cause():
    rng = np.random.default_rng(3)
    places = [(0.7 * (k % 4), 1.0 + 0.7 * (k // 4), 0.02 * rng.normal()) for k in range(12)]
    _, found = run([cube()] * 12, wanted(places, 75), 75, bounce=0.5)
    speed = np.diff(found.places, axis=0) * FPS
    energy = (found.places[1:, :, 1] * G + (speed**2).sum(2) / 2).sum(1)
    assert energy.max() < energy[0] * 1.02 and energy[-1] < energy[0]
    assert found.places[..., 1].min() > 0.2


def test_a_tower_stands_and_is_asleep_to_the_bit():
    places = [(0, 0.25 + 0.5 * k, 0) for k in range(10)]
    _, found = run([cube()] * 10, wanted(places, 100), 100, bounce=0.0)
    assert found.places[100] == pytest.approx(np.array(places), abs=0.03)
    assert np.array_equal(found.places[60], found.places[100])


def test_what_sleeps_is_woken_by_what_meets_it():
    asked = wanted([(0, 0.25, 0), (-4, 0.25, 0)], 80, hold=0, thrown=[[0] * 6, [0] * 6])
    asked.hold[: 30 * QUARTERS, 1] = True
    asked.thrown[1, 0] = 6.0
    _, found = run([cube()] * 2, asked, 80, friction=0.05, bounce=0.1)
    assert np.array_equal(found.places[20, 0], found.places[32, 0])  # asleep
    assert found.places[80, 0, 0] > 0.3  # pushed on
    assert found.held[10, 1] and not found.held[31, 1]


def test_what_sleeps_is_woken_by_another_gravity_and_nothing_sleeps_in_the_air():
    asked = wanted([(0, 0.25, 0)], 64)
    asked.gravity[40 * QUARTERS :] = (0, 4, 0)
    _, found = run([cube()], asked, 64)
    assert np.array_equal(found.places[25], found.places[39]) and found.places[64, 0, 1] > 1.5
    _, found = run([cube()], wanted([(0, 5, 0)], 64, gravity=(0, -0.02, 0)), 64)
    assert found.places[64, 0, 1] == pytest.approx(5 - 0.01 * (64 / FPS) ** 2, abs=1e-3)


def test_the_first_to_be_met_is_let_go_and_no_other():
    places = [(0, 3, 0), (0, 1.2, 0), (3, 1.2, 0)]
    asked = wanted(places, 40, touch=True)
    asked.hold[:, 1:] = True
    _, found = run([cube()] * 3, asked, 40)
    assert found.places[40, 1, 1] < 0.9 and not found.held[40, 1]
    assert found.places[40, 2] == pytest.approx(places[2], abs=1e-3) and found.held[40, 2]


def test_what_begins_in_each_other_is_not_shot_apart():
    parts = [cube(), cube(), cube()]
    bodies = Bodies(tuple(parts), Matter(), (floor(),), FPS)
    places = np.array([(0, 2, 0), (0.3, 2, 0), (2, 2, 0)], float)
    spare = overlapping(bodies, places, np.tile(LEVEL, (3, 1)), 1e-3)
    assert spare == ((0, 1),)
    _, found = run(parts, wanted(places, 40), 40, spare=spare)
    assert np.abs(np.diff(found.places, axis=0)).max() * FPS < 8


def test_a_chunk_depends_on_nothing_after_it():
    cache = Cache()
    long, short = wanted([(0, 3, 0)], 40), wanted([(0, 3, 0)], 16)
    _, whole = run([cube()], long, 40, cache=cache)
    used = cache.used
    _, part = run([cube()], short, 16, cache=cache)
    assert cache.used == used  # nothing was solved again
    assert np.array_equal(part.places, whole.places[: len(part.places)])
    assert len(part.places) == 2 * CHUNK + 1
    later = wanted([(0, 3, 0)], 40)
    later.wind[-4:] = 5.0
    run([cube()], later, 40, cache=cache)
    assert used < cache.used < used * 1.5  # only the chunk that is other


def fingerprint():
    places = [(0.6 * (k % 3), 1.0 + 0.7 * (k // 3), 0.01 * k) for k in range(9)]
    _, found = run([cube()] * 9, wanted(places, 48), 48)
    return hashlib.sha256(found.places.tobytes() + found.turns.tobytes()).hexdigest()


def test_the_same_bits_in_another_process():
    script = "import test_bodies; print(test_bodies.fingerprint())"
    told = subprocess.run(
        [sys.executable, "-c", script],
        env=os.environ | {"PYTHONPATH": os.pathsep.join(sys.path)},
        capture_output=True,
        text=True,
        check=True,
    )
    assert told.stdout.strip() == fingerprint()


@settings(max_examples=25, deadline=None)
@given(
    st.floats(-1e5, 1e5),
    st.floats(0, 1),
    st.floats(0, 5),
    st.floats(1, 20_000),
    st.floats(0, 1),
    st.lists(st.floats(-60, 60), min_size=6, max_size=6),
)
def test_whatever_is_asked_bodies_stay_finite(gravity, bounce, friction, density, follow, thrown):
    places = [(0, 0.1, 0), (0.3, 0.4, 0), (0, 1.5, 0.1)]  # in the floor, and in each other
    asked = wanted(places, 16, gravity=(0, gravity, 0), follow=follow, thrown=[thrown] * 3)
    bodies = Bodies((cube(),) * 3, Matter(density, bounce, friction), (floor(),), FPS)
    spare = overlapping(bodies, np.array(places), np.tile(LEVEL, (3, 1)), 1e-3)
    _, found = run([cube()] * 3, asked, 16, spare=spare, bounce=bounce, friction=friction, density=density)
    assert np.isfinite(found.places).all() and np.isfinite(found.turns).all()
    assert np.linalg.norm(found.turns, axis=2) == pytest.approx(1, abs=1e-6)


@settings(max_examples=40)
@given(st.lists(st.floats(-3, 3), min_size=9, max_size=9), st.lists(st.floats(-9, 9), min_size=3, max_size=3))
@example([1, 2, 0, 1, 2, 1, 0, 0, 0], [0, 0, 0])
@example([0] * 9, [1, 2, 3])
def test_poses_come_apart_and_together(numbers, place):
    pose = np.eye(4)
    pose[:3, :3], pose[:3, 3] = np.array(numbers).reshape(3, 3), place
    at, turn, left = parted(pose[None])
    assert (matrix(turn) @ left)[0] == pytest.approx(pose[:3, :3], abs=1e-9)
    assert at[0] == pytest.approx(place) and np.linalg.norm(turn) == pytest.approx(1)
    again = quaternion(matrix(turn))
    assert np.abs((again * turn).sum()) == pytest.approx(1)
    half = between(turn, np.array([LEVEL]), 0.5)
    assert np.linalg.norm(apart(turn, half)) == pytest.approx(np.linalg.norm(apart(half, np.array([LEVEL]))), abs=1e-6)
