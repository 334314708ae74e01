"""Bent letters in the scene, in pictures and in models: as dense as they need, moving while the shutter is open."""

from __future__ import annotations

import numpy as np
import pytest

from letters import still_shot
from moss_crown.core.deform.chain import bent
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.form.solid import closed
from moss_crown.core.picture import title_model
from moss_crown.core.render.renderer import RenderSettings, render

SWAYS = {"formula": "160 * sin(f)"}
FALLS = {
    "keys": [
        {"frame": 0, "value": 0.9, "ease": {"leave": [0.3, 0.3], "arrive": [0.7, 0.7]}},
        {"frame": 8, "value": 0.0},
    ]
}
CURL = {"id": "curl", "kind": "curl", "rolled": FALLS, "radius": 0.3, "gap": 0.35, "centre": {"about": "block"}}


def bent_shot(*steps, glow=False):
    """A short title without motion but for these steps; with `glow` its letters light themselves and nothing else
    does."""
    shot = still_shot(*steps, text="TIDE")
    if not glow:
        return shot
    shines = {"colour": [0.0, 0.0, 0.0], "glow": 1.0, "glow_colour": [1.0, 1.0, 1.0], "roughness": 1.0}
    kept = [s for s in write_shot(shot)["steps"] if s["kind"] not in ("lights", "stage", "environment")]
    kept = [s | {"face": shines, "edge": shines} if s["kind"] == "material" else s for s in kept]
    return read_shot(write_shot(shot) | {"steps": kept})


def test_a_letter_has_as_many_times_as_its_way_needs():
    still = Evaluation(bent_shot({"id": "b", "kind": "bend"})).scene(4, 16 / 9)
    assert {len(letter.bent.places) for letter in still.letters} == {1}
    fast = Evaluation(bent_shot(CURL)).scene(4, 16 / 9)
    times = [len(letter.bent.places) for letter in fast.letters]
    assert times[0] == 1 and max(times) > 2  # the first is still rolled up, others unroll
    plain = Evaluation(bent_shot()).scene(4, 16 / 9)
    assert all(letter.bent is None for letter in plain.letters)


def test_vertices_are_where_their_rows_put_them_and_meshes_stay_closed():
    of = Evaluation(bent_shot({"id": "w", "kind": "wave", "crests": "endless"}))
    scene = of.scene(10, 16 / 9, motion=True)
    (moved,) = of.moved(of.structure(10), of.shutter_frames(10, 16 / 9)[:1])
    for k, letter in enumerate(scene.letters):
        solid = scene.solids[letter.solid]
        assert closed(solid.triangles)
        begun = of.moved(of.structure(10), np.array([9.75]))[0].bends[0, k]
        assert letter.bent.places[0] == pytest.approx(bent(begun, solid.vertices), abs=1e-5)
        after = of.moved(of.structure(10), np.array([10.75]))[0].bends[0, k]
        assert letter.bent.later == pytest.approx(bent(after, solid.vertices), abs=1e-5)
        normals = letter.bent.normals
        assert np.linalg.norm(normals, axis=-1) == pytest.approx(1, abs=1e-4)
    assert moved.bends is not None


def test_density_follows_the_size_of_the_frame_and_what_is_bent():
    of = Evaluation(bent_shot({"id": "b", "kind": "bend", "angle": 200.0}))

    def count(of, height):
        scene = of.scene(0, 16 / 9, height=height)
        return sum(len(scene.solids[m.solid].triangles) for m in scene.letters)

    assert count(of, 270) < count(of, 1080) < 200_000
    assert count(Evaluation(bent_shot({"id": "b", "kind": "bend", "angle": 20.0})), 1080) < count(of, 1080)


@pytest.mark.parametrize("step", [CURL, {"id": "b", "kind": "bend", "about": "vertical", "angle": SWAYS}])
def test_a_blurred_bend_is_the_mean_of_stills(step):
    shot = bent_shot(step, glow=True)
    of, settings = Evaluation(shot), RenderSettings(48, 27, 512, depth=0, bounded=False)
    blurred = render(of.scene(4, 16 / 9, height=27), settings, None).beauty
    few = RenderSettings(48, 27, 128, depth=0, bounded=False)
    moments = 4 + (np.arange(64) + 0.5) / 128 - 0.25
    stills = [render(of.scene(f, 16 / 9, blur=False, height=27), few, None).beauty for f in moments]
    mean = np.mean(stills, 0)
    assert mean.max() > 0.05
    assert np.abs(blurred - mean).mean() < 0.003
    assert np.abs(stills[0] - stills[-1]).mean() > 3 * np.abs(blurred - mean).mean()


def test_a_frame_has_the_same_bits_whatever_was_asked_before():
    shot = bent_shot(CURL, glow=True)
    settings = RenderSettings(48, 27, 2)
    alone = render(Evaluation(shot).scene(5, 16 / 9, height=27), settings, None).beauty
    of = Evaluation(shot)
    for frame in (8, 2):
        of.scene(frame, 16 / 9, height=27)
    assert np.array_equal(render(of.scene(5, 16 / 9, height=27), settings, None).beauty, alone)


def test_a_model_holds_its_letters_as_they_are_bent():
    of = Evaluation(bent_shot({"id": "b", "kind": "bend", "angle": 150.0}))
    model, plain = title_model(of, 0), title_model(Evaluation(bent_shot()), 0)
    (moved,) = of.moved(of.structure(0), np.zeros(1))
    for k, (node, flat) in enumerate(zip(model.nodes, plain.nodes, strict=True)):
        solid, own = model.solids[node.mesh], plain.solids[flat.mesh]
        assert closed(solid.triangles)
        there = bent(moved.bends[0, k], own.vertices)
        assert solid.vertices[: len(own.vertices)] == pytest.approx(there)
        assert solid.volume == pytest.approx(own.volume, rel=0.2)
        assert node.pose == pytest.approx(flat.pose)
    low = min((model.solids[n.mesh].vertices @ n.pose[:3, :3].T + n.pose[:3, 3])[:, 1].min() for n in model.nodes)
    assert low < -0.3  # its ends hang down
