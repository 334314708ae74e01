"""The Embree door against a plain, slow twin: the same first hits, at every shutter time."""

import numba
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from letters import alike, setting
from moss_crown.core.form.outline import letter_outline
from moss_crown.core.form.solid import solid
from moss_crown.core.render.arithmetic import f32
from moss_crown.core.render.embree import LIGHT_MASK, SOLID_MASK, RayScene, intersect1, occluded1
from moss_crown.core.render.hits import aim, ray_buffer
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.shape import faces

MISS = -1


@numba.njit
def embree_hits(scene, origins, directions, times, mask):
    ray = ray_buffer()
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


@numba.njit
def embree_blocked(scene, origins, directions, far):
    ray = ray_buffer()
    words = ray.view(np.uint32)
    found = np.empty(len(origins), np.bool_)
    for k in range(len(origins)):
        o, d = origins[k], directions[k]
        aim(ray, words, o[0], o[1], o[2], d[0], d[1], d[2], f32(0), far[k], np.uint32(7))
        occluded1(scene, ray.ctypes.data, 0)
        found[k] = ray[8] < 0
    return found


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


@pytest.mark.parametrize("moving", [False, True])
def test_first_hits_are_those_of_the_plain_twin(moving):
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
        found = embree_hits(scene.handle, origins, directions, times, np.uint32(7))
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
        assert embree_hits(scene.handle, origins, directions, time, np.uint32(SOLID_MASK))[0, 0] == MISS
        assert embree_hits(scene.handle, origins, directions, time, np.uint32(7))[0].tolist() == [0, 0, 5]


@settings(max_examples=25)
@given(st.floats(0.1, 9.9))
def test_something_in_the_way_is_in_the_way_only_up_to_the_lamp(far):
    quad = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], float)
    with RayScene() as scene:
        scene.add_instance(scene.add_mesh(quad, np.array([[0, 1, 2], [0, 2, 3]])), np.eye(4)[None], SOLID_MASK)
        scene.commit()
        blocked = embree_blocked(
            scene.handle,
            np.array([[0.1, 0.2, 5]], np.float32),
            np.array([[0, 0, -1]], np.float32),
            np.array([far], np.float32),
        )
    assert blocked[0] == (far > 5)


def test_a_scene_may_be_closed_twice():
    scene = RayScene()
    scene.close()
    scene.close()
