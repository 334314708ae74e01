"""The Embree door against a plain, slow twin: the same first hits, at every shutter time."""

from typing import NamedTuple

import numba
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from letters import alike, setting
from moss_crown.core.compiling import called
from moss_crown.core.form.outline import letter_outline
from moss_crown.core.form.solid import solid
from moss_crown.core.render import embree
from moss_crown.core.render import lanes as ln
from moss_crown.core.render.arithmetic import f32
from moss_crown.core.render.embree import LIGHT_MASK, SOLID_MASK, RayScene, intersect1
from moss_crown.core.render.lanes import workspace
from moss_crown.core.render.rays import NONE, aim, ray_buffer, shadows, trace
from moss_crown.core.render.views import Packed
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.shape import faces

shadows, trace = map(called, (shadows, trace))

MISS = -1


@numba.njit
def one_by_one(scene, ray, origins, directions, times, mask):
    words = ray.view(np.uint32)
    found = np.empty((len(origins), 3))
    for k in range(len(origins)):
        o, d = origins[k], directions[k]
        aim(ray, words, o[0], o[1], o[2], d[0], d[1], d[2], times[k], f32(1e30), mask)
        intersect1(scene, ray.ctypes.data, 0)
        hit = words[18] != np.uint32(0xFFFFFFFF)
        found[k, 0] = np.int64(words[19]) if hit else MISS
        found[k, 1] = np.int64(words[17]) if hit else MISS
        found[k, 2] = ray[8] if hit else np.inf
    return found


class Rays(NamedTuple):
    """Of a world what sends rays."""

    scene: int
    rows: NDArray[np.float32] = np.zeros((1, 1), np.float32)
    facet: NDArray[np.uint8] = np.zeros(1, np.uint8)
    light_of: NDArray[np.int32] = np.zeros(1, np.int32)
    first_triangle: NDArray[np.int64] = np.zeros(1, np.int64)
    surface: NDArray[np.int32] = np.zeros((1, 1), np.int32)
    veiled: bool = False


def filled(origins, directions, times, along):
    """Lanes with these rays."""
    w, q = workspace()
    for k in range(3):
        w[(ln.OX, ln.OY, ln.OZ)[k] :][: len(origins)] = origins[:, k]
        w[along[k] :][: len(origins)] = directions[:, k]
    w[ln.TIME :][: len(origins)] = times
    return w, q


def in_packets(scene, origins, directions, times, mask, coherent=False):
    """As `one_by_one`, through `trace`."""
    count = len(origins)
    w, q = filled(origins, directions, times, (ln.DX, ln.DY, ln.DZ))
    w[ln.ALIVE :][:count] = 1
    trace(Packed(Rays(scene)), w, q, ray_buffer(), count, mask, np.uint32(1), coherent)
    instance, piece = q[ln.INSTANCE :][:count], q[ln.PIECE :][:count]
    hit = instance != NONE
    return np.stack(
        [
            np.where(hit, instance.astype(float), MISS),
            np.where(hit, piece.astype(float), MISS),
            np.where(hit, w[ln.FAR :][:count].astype(float), np.inf),
        ],
        1,
    )


def lit(scene, origins, directions, times, far, coherent=False):
    """The share of light that comes along rays, through `shadows`."""
    count = len(origins)
    w, q = filled(origins, directions, times, (ln.LX, ln.LY, ln.LZ))
    w[ln.SHARE :][:count] = 1
    w[ln.REACH :][:count] = far
    assert shadows(Packed(Rays(scene)), w, q, ray_buffer(), count, coherent) == count
    return w[ln.SHARE :][:count]


def plain_hits(meshes, origins, directions, times):
    """Every ray against every triangle (Moeller and Trumbore, 1997), each instance posed for the ray's own time."""
    found = np.full((len(origins), 3), [MISS, MISS, np.inf])
    for number, (vertices, triangles, poses) in enumerate(meshes):
        for k in range(len(origins)):
            at = times[k] * (len(poses) - 1)
            step = min(int(at), max(len(poses) - 2, 0))
            pose = poses[step] if len(poses) == 1 else poses[step] + (poses[step + 1] - poses[step]) * (at - step)
            world = vertices @ pose[:3, :3].T + pose[:3, 3]
            a, b, c = (world[triangles[:, i]] for i in range(3))
            e1, e2 = b - a, c - a
            p = np.cross(directions[k], e2)
            det = (e1 * p).sum(1)
            with np.errstate(divide="ignore", invalid="ignore"):
                s = origins[k] - a
                u = (s * p).sum(1) / det
                q = np.cross(s, e1)
                v = (directions[k] * q).sum(1) / det
                t = (e2 * q).sum(1) / det
                hit = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0)
            t = np.where(hit, t, np.inf)
            if t.min() < found[k, 2]:
                found[k] = number, t.argmin(), t.min()
    return found


def rays(rng, count):
    origins = rng.normal(size=(count, 3)) * [1.2, 0.8, 0.2] + [0.4, 0.4, 4]
    aims = rng.normal(size=(count, 3)) * 0.5 + [0.4, 0.4, 0]
    directions = aims - origins
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    return origins.astype(np.float32), directions.astype(np.float32)


@pytest.mark.parametrize("narrow", [False, True])
@pytest.mark.parametrize("moving", [False, True])
def test_first_hits_are_those_of_the_plain_twin(moving, narrow, monkeypatch):
    """Rays one by one and in packets, also on processors without vectors as wide as a packet."""
    if narrow:
        monkeypatch.setattr(embree, "DEVICE", embree.DEVICE + b",isa=avx")
    rng = np.random.default_rng(8)
    (letter,) = set_block(setting("R", "league-spartan"))
    built = solid(letter_outline(letter.glyphs, faces("league-spartan")), alike(0.3, "chamfer", 0.04), letter.unit)
    still = np.eye(4)[None]
    path = np.repeat(still, 3, 0)
    path[:, :3, 3] = [[0.9, 0, 0], [1.1, 0.2, 0], [1.0, 0.5, 0.4]]
    path[2, :3, :3] = [[0.8, -0.6, 0], [0.6, 0.8, 0], [0, 0, 1]]
    placed = [still, path if moving else path[:1]]
    origins, directions = rays(rng, 300)
    times = rng.uniform(0, 1, 300).astype(np.float32)
    with RayScene() as scene:
        mesh = scene.add_mesh(built.vertices, built.triangles)
        for poses in placed:
            scene.add_instance(mesh, poses, SOLID_MASK)
        scene.commit()
        found = one_by_one(scene.handle, ray_buffer(), origins, directions, times, np.uint32(7))
        for coherent in (False, True):
            packets = in_packets(scene.handle, origins, directions, times, np.uint32(7), coherent)
            same = packets[:, 0] == found[:, 0]
            assert same.mean() > 0.99
            assert packets[same, 2] == pytest.approx(found[same, 2], rel=1e-6)
            assert (packets[same, 1] == found[same, 1]).mean() > 0.99
            # To half of the way nothing is in the way; a little beyond the hit something is.
            hit = same & (found[:, 0] != MISS)
            here, far = (scene.handle, origins[hit], directions[hit], times[hit]), found[hit, 2]
            assert (lit(*here, far * 0.5, coherent) == 1).all()
            assert (lit(*here, far * 1.1, coherent) == 0).mean() > 0.99
    expected = plain_hits([(built.vertices, built.triangles, p) for p in placed], origins, directions, times)
    assert (found[:, 0] != MISS).sum() > 60
    same = found[:, 0] == expected[:, 0]
    assert same.mean() > 0.99  # a ray through an edge may go either way
    near = same & (expected[:, 0] != MISS)
    assert found[near, 2] == pytest.approx(expected[near, 2], abs=2e-4)


def test_masks_hide_lamps_from_those_who_must_not_see_them():
    quad = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], float)
    origins, directions = np.array([[0, 0, 5]], np.float32), np.array([[0, 0, -1]], np.float32)
    with RayScene() as scene:
        scene.add_instance(scene.add_mesh(quad, np.array([[0, 1, 2], [0, 2, 3]])), np.eye(4)[None], LIGHT_MASK)
        scene.commit()
        time = np.zeros(1, np.float32)
        assert in_packets(scene.handle, origins, directions, time, np.uint32(SOLID_MASK))[0, 0] == MISS
        assert in_packets(scene.handle, origins, directions, time, np.uint32(7))[0].tolist() == [0, 0, 5]


@settings(max_examples=25)
@given(st.floats(0.1, 9.9))
def test_something_in_the_way_is_in_the_way_only_up_to_the_lamp(far):
    quad = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], float)
    with RayScene() as scene:
        scene.add_instance(scene.add_mesh(quad, np.array([[0, 1, 2], [0, 2, 3]])), np.eye(4)[None], SOLID_MASK)
        scene.commit()
        share = lit(
            scene.handle,
            np.array([[0.1, 0.2, 5]], np.float32),
            np.array([[0, 0, -1]], np.float32),
            np.zeros(1, np.float32),
            np.array([far], np.float32),
        )
    assert share[0] == (far < 5)


def test_a_scene_may_be_closed_twice():
    scene = RayScene()
    scene.close()
    scene.close()
