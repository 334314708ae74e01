"""Balloons of foil against closed forms: pressure, volume, seams; nothing explodes, and bits are the same."""

from __future__ import annotations

import hashlib
import math
import os
import subprocess
import sys

import manifold3d
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull

from moss_crown.core.cache import Cache, Patience
from moss_crown.core.form.division import division
from moss_crown.core.form.mesh import Solid
from moss_crown.core.form.normals import corner_normals
from moss_crown.core.form.solid import Form, solid
from moss_crown.core.physics.balloons import CHUNK, STOPS, Asked, Balloons, track
from moss_crown.core.physics.foil import foils, seams_of
from moss_crown.core.physics.swelling import near_pairs

FPS = 25.0


def ball(levels, radius):
    """An icosahedron divided so many times."""
    g = (1 + math.sqrt(5)) / 2
    points = [(s * 1.0, t * g, 0.0) for s in (-1, 1) for t in (-1, 1)]
    points = np.array(points + [(0.0, a, b) for a, b, _ in points] + [(b, 0.0, a) for a, b, _ in points])
    faces = ConvexHull(points).simplices.astype(np.int64)
    at = points[faces]
    flip = (np.cross(at[:, 1] - at[:, 0], at[:, 2] - at[:, 0]) * at.mean(1)).sum(1) < 0
    faces = np.where(flip[:, None], faces[:, ::-1], faces)
    for _ in range(levels):
        by = division(faces, len(points))
        points, faces = by.straight(points), by.triangles
        points = points / np.linalg.norm(points, axis=1, keepdims=True)
    return points / np.linalg.norm(points, axis=1, keepdims=True) * radius, faces, np.zeros(len(points), bool)


def box(edge=0.12, depth=0.3, wide=0.8, x=0.0):
    ring = np.array([(x, 0), (x + wide, 0), (x + wide, 1), (x, 1)]) * 1000.0
    made = solid([ring], Form(depth), 0.001, edge=edge)
    return made.vertices, made.triangles, seams_of(made)


def balloons(*parts, highest=6.0, **more):
    return Balloons(foils(parts), FPS, highest=highest, **more)


def asked(of, frames, pressure=6.0, fill=12, grow=1.0, stiff=3000.0, bend=3e-6, hold=0.0, weight=0.0, strength=None):
    at = np.arange(frames + CHUNK + 1.0)
    share = np.clip(at / fill, 0, 1)
    full = share * share * (3 - 2 * share) if strength is None else np.interp(at, np.arange(len(strength)), strength)
    count = of.foil.count

    def every(value):
        return np.full(len(at), float(value))

    down = np.zeros((len(at), 3))
    down[:, 1] = -weight
    pressures = np.full((len(at), count), float(pressure))
    return Asked(
        np.repeat(full[:, None], count, 1), pressures, every(grow), every(stiff), every(bend), every(hold), down
    )


def volumes(of, places):
    found = []
    for k in range(of.foil.count):
        own = of.foil.triangles[of.foil.first[k, 1] : of.foil.first[k + 1, 1]]
        a, b, c = (places[own[:, i]].astype(np.float64) for i in range(3))
        found.append(float((a * np.cross(b, c)).sum() / 6))
    return np.array(found)


def digest(found, frame):
    return hashlib.sha256(found.at(frame).tobytes()).hexdigest()[:16]


@pytest.mark.parametrize(("stiff", "pressure"), [(1000.0, 100.0), (200.0, 30.0)])
def test_a_ball_gets_as_large_as_its_pressure_and_its_skin_say(stiff, pressure):
    """Springs along the edges of equilateral triangles are a sheet whose tension is 2 / sqrt 3 ... of their strain: a
    ball of them has the radius R0 / (1 - p R0 / (2 sqrt 3 k)); a substep makes edges softer by 0.8 h^2 / m."""
    of = balloons(ball(3, 0.5), highest=60_000.0)
    assert of.substeps == 160
    found = track(of, asked(of, 40, pressure, fill=5, stiff=stiff, bend=0), 40, Cache())
    at = found.at(40).astype(np.float64)
    radius = float(np.linalg.norm(at - at.mean(0), axis=1).mean())
    lag = 0.8 * (1 / FPS / of.substeps) ** 2 / float(np.median(of.foil.mass))
    wanted = 0.5 / (1 - pressure * 0.5 / (2 * math.sqrt(3)) * (1 / stiff + lag))
    assert radius == pytest.approx(wanted, abs=1e-3)
    assert wanted > 0.507


def test_two_round_sheets_hold_as_much_as_such_a_balloon_does():
    """Paulsen: What Is the Shape of a Mylar Balloon?, 1994: 1.2187 r^3, as far as foil does not stretch."""
    ring = np.asarray(shapely.Point(0, 0).buffer(500, 48).exterior.coords)[:-1][::-1]
    made = solid([ring], Form(0.004), 0.001, edge=0.05)
    of = balloons((made.vertices, made.triangles, seams_of(made)))
    found = track(of, asked(of, 48, bend=1e-7), 48, Cache())
    assert float(volumes(of, found.at(48))[0]) / 0.125 == pytest.approx(1.2187, rel=0.08)
    span = np.ptp(found.at(48), axis=0)
    assert span[2] / 0.5 == pytest.approx(0.9139, rel=0.12)


def test_more_pressure_is_more_volume_and_what_is_held_swells_less():
    of = balloons(box(), highest=16.0)
    rest = volumes(of, of.foil.home)[0]
    found = [track(of, asked(of, 32, p, stiff=60.0), 32, Cache()) for p in (1.0, 4.0, 16.0)]
    sizes = [float(volumes(of, one.at(32))[0]) for one in found]
    assert rest < sizes[0] < sizes[1] < sizes[2]
    held = [float(volumes(of, track(of, asked(of, 32, hold=w), 32, Cache()).at(32))[0]) for w in (0.0, 20.0, 100.0)]
    assert held[0] > held[1] > held[2] > rest
    grown = float(volumes(of, track(of, asked(of, 32, grow=1.15), 32, Cache()).at(32))[0])
    assert grown > held[0]


def test_without_gas_nothing_moves_to_the_bit_and_what_lost_it_is_as_it_was():
    of = balloons(box(), box(x=1.0))
    empty = asked(of, 16, strength=[0.0])
    found = track(of, empty, 16, Cache())
    home = of.foil.home.astype(np.float32)
    assert all((found.at(k) == home).all() for k in range(17))
    there = [*np.linspace(0, 1, 10), *np.linspace(1, 0, 15), 0.0]
    frames = 24 + math.ceil(STOPS * FPS) + 8
    found = track(of, asked(of, frames, grow=1.1, strength=there), frames, Cache())
    assert np.abs(found.at(12) - home).max() > 0.05
    assert (found.at(frames) == home).all()
    # And it goes there smoothly: by no jump at its end.
    steps = [float(np.abs(found.at(k) - found.at(k - 1)).max()) for k in range(26, frames)]
    assert max(steps[20:]) < 0.01


def test_what_is_asked_for_nothing_new_comes_to_rest_exactly():
    of = balloons(box())
    frames = 12 + math.ceil(STOPS * FPS) + 10
    found = track(of, asked(of, frames, grow=1.1), frames, Cache())
    ends = 12 + math.ceil(STOPS * FPS) + 1
    assert (found.at(ends) == found.at(frames)).all()
    assert (found.at(ends - 30) != found.at(frames)).any()
    assert (found.at(frames + 500) == found.at(found.solved)).all()


def test_neighbours_do_not_pass_through_each_other():
    of = balloons(box(edge=0.07), box(edge=0.07, x=0.86), highest=24.0, longest=1.1)
    found = track(of, asked(of, 24, 12.0, grow=1.1, stiff=400.0), 24, Cache())
    for frame in (6, 12, 24):
        meshes = []
        for k in range(2):
            (v0, t0), (v1, t1) = of.foil.first[k, :2], of.foil.first[k + 1, :2]
            mesh = manifold3d.Mesh(found.at(frame)[v0:v1], (of.foil.triangles[t0:t1] - v0).astype(np.uint32))
            meshes.append(manifold3d.Manifold(mesh))
        assert (meshes[0] ^ meshes[1]).volume() < 2e-4
    apart = balloons(box(edge=0.07), box(edge=0.07, x=0.86), highest=24.0, longest=1.1, touch=False)
    through = track(apart, asked(apart, 24, 12.0, grow=1.1, stiff=400.0), 24, Cache()).at(24)
    first = of.foil.first[1, 0]
    assert through[:first, 0].max() > through[first:, 0].min() + 0.02  # they would


def test_nothing_goes_behind_a_floor_or_a_wall():
    planes = np.array([(0.0, 1.0, 0.0, -0.001), (0.0, 0.0, 1.0, -0.16)])
    of = balloons(box(), planes=planes)
    found = track(of, asked(of, 24, weight=3.0, grow=1.1), 24, Cache())
    assert found.at(24)[:, 1].min() > -0.0011 and found.at(24)[:, 2].min() > -0.1601
    free = track(balloons(box()), asked(of, 24, grow=1.1), 24, Cache())
    assert free.at(24)[:, 2].min() < -0.2


settled = st.floats(0, 1)


@settings(max_examples=25, deadline=None)
@given(
    settled, settled, settled, settled, settled, settled, st.integers(1, 10), st.lists(settled, min_size=2, max_size=9)
)
def test_whatever_is_asked_for_it_stays_whole(pressure, grow, stiff, bend, hold, weight, fill, strength):
    """Up to a thousand party balloons at once: finite, and never more than the volume that there can be."""
    of = balloons(box(edge=0.16), highest=6.0 * 1000.0**pressure, longest=1 + grow)
    want = asked(
        of,
        2 * CHUNK,
        6.0 * 1000.0**pressure,
        fill,
        1 + grow,
        4.0 * 750.0**stiff,
        1e-6 * 1e4**bend,
        100 * hold,
        6 * weight,
        strength,
    )
    found = track(of, want, 2 * CHUNK, Cache())
    for frame in (3, 8, 16):
        at = found.at(frame)
        assert np.isfinite(at).all()
        most = float(of.foil.most[0]) * (1 + grow + 0.15) ** 3
        assert -0.2 * most < volumes(of, at)[0] < 1.3 * most
        assert np.abs(at).max() < 20


def test_bits_are_those_of_any_order_and_of_one_who_did_not_wait():
    of = balloons(box(), box(x=0.9))
    want = asked(of, 32, grow=1.1)
    whole = track(of, want, 32, Cache())
    cache = Cache()
    short = track(of, want, 8, cache)
    assert digest(short, 8) == digest(whole, 8) and short.solved == 8
    lost = track(of, want, 32, cache, lambda: False)
    assert lost.given_up and lost.solved == 8
    assert (lost.at(30) == lost.at(8)).all()
    assert digest(track(of, want, 32, cache), 32) == digest(whole, 32)
    assert not whole.given_up
    later = asked(of, 32, grow=1.1, strength=[*whole_strength(20), 0.4])
    other = track(of, later, 32, cache)
    assert digest(other, 8) == digest(whole, 8)  # a later key keeps what was solved before it
    assert other.chunks[0] is track(of, want, 32, cache).chunks[0]
    assert digest(other, 32) != digest(whole, 32)


def whole_strength(frames):
    share = np.clip(np.arange(frames + 1.0) / 12, 0, 1)
    return share * share * (3 - 2 * share)


ELSEWHERE = """
import sys; sys.path[:0] = {path!r}
from test_balloons import asked, balloons, box, digest, track
from moss_crown.core.cache import Cache
of = balloons(box(), box(x=0.9))
print(digest(track(of, asked(of, 24, grow=1.1), 24, Cache()), 24))
"""


def test_another_process_finds_the_same_bits():
    of = balloons(box(), box(x=0.9))
    here = digest(track(of, asked(of, 24, grow=1.1), 24, Cache()), 24)
    code = ELSEWHERE.format(path=[os.path.dirname(__file__), *sys.path])
    said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert said.stdout.strip() == here


@given(st.integers(0, 1000), st.floats(0.05, 0.5))
@settings(max_examples=40, deadline=None)
def test_pairs_that_are_near_are_found_each_once(seed, size):
    rng = np.random.default_rng(seed)
    x, owner = rng.random((60, 3)), np.sort(rng.integers(0, 3, 60))
    far = np.linalg.norm(x[:, None] - x[None], axis=2)
    for same in (True, False):
        wanted = {
            (i, j) for i in range(60) for j in range(i + 1, 60) if far[i, j] < size and (owner[i] == owner[j]) == same
        }
        found = near_pairs(x, owner, size, same)
        assert {tuple(pair) for pair in found.tolist()} == wanted and len(found) == len(wanted)
    assert near_pairs(x[:1], owner[:1], size, True).shape == (0, 2)


def test_a_seam_runs_along_the_borders_of_front_and_rear():
    made = solid([np.array([(0, 0), (800, 0), (800, 1000), (0, 1000.0)])], Form(0.3), 0.001, edge=0.1)
    on = seams_of(made)
    rim = (np.abs(np.abs(made.vertices[:, 2]) - 0.15) < 1e-9) & (
        (np.abs(made.vertices[:, 0] * (made.vertices[:, 0] - 0.8)) < 1e-9)
        | (np.abs(made.vertices[:, 1] * (made.vertices[:, 1] - 1)) < 1e-9)
    )
    assert (on == rim).all() and on.any()


def test_a_divided_mesh_is_the_same_surface_or_a_rounder_one():
    at, faces, _ = ball(1, 1.0)
    by = division(faces, len(at))
    assert len(by.triangles) == 4 * len(faces)

    def volume(places, triangles):
        a, b, c = (places[triangles[:, k]] for k in range(3))
        return float((a * np.cross(b, c)).sum() / 6)

    assert volume(by.straight(at), by.triangles) == pytest.approx(volume(at, faces), rel=1e-12)
    rounder = by.rounded(at)
    spread = np.ptp(np.linalg.norm(rounder, axis=1))
    assert spread < 0.4 * np.ptp(np.linalg.norm(by.straight(at), axis=1))
    assert by.mixed(at, 0.5) == pytest.approx((by.straight(at) + rounder) / 2)
    flat = solid([np.array([(0, 0), (800, 0), (800, 1000), (0, 1000.0)])], Form(0.3), 0.001, edge=0.2)
    one = Solid(
        flat.vertices, flat.triangles, flat.facet, corner_normals(flat.vertices, flat.triangles, flat.facet), False
    )
    from moss_crown.core.form.division import divided

    fine = divided(one, division(one.triangles, len(one.vertices)))
    assert fine.volume == pytest.approx(one.volume, rel=1e-12)
    assert np.linalg.norm(fine.normals, axis=2) == pytest.approx(1.0, abs=1e-6)
    assert np.bincount(fine.facet).tolist() == (4 * np.bincount(one.facet)).tolist()


def test_patience_is_counted_from_when_it_is_asked_for():
    short = Patience(0.0)
    assert not short()
    assert Patience(60.0)()
