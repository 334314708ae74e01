"""Meshes that are dense enough to be bent are the same solids: closed, and as large."""

from __future__ import annotations

import numpy as np
import pytest

from moss_crown.core.cache import Cache
from moss_crown.core.deform.chain import bent, row
from moss_crown.core.deform.density import fine_enough, with_edges
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.form.mesh import edge_keys
from moss_crown.core.form.solid import closed

CURL = row("curl", np.eye(3, 4), (0.5, 0.7, 0.12, 0.05))


@pytest.fixture(scope="module")
def letter():
    (block,) = Evaluation(new_shot(text="S")).structure(0).blocks
    return solid_of(block.letters[0], block.form, Cache())


def test_every_edge_is_short_and_the_solid_is_the_same(letter):
    fine = with_edges(letter, 0.1, 100_000)
    a, b = fine.vertices[fine.triangles], fine.vertices[np.roll(fine.triangles, -1, 1)]
    assert np.linalg.norm(a - b, axis=2).max() <= 0.1
    assert closed(fine.triangles)
    assert fine.volume == pytest.approx(letter.volume, rel=1e-9)
    sizes = lambda s: [_area(s, s.facet == k) for k in range(5)]  # noqa: E731
    assert sizes(fine) == pytest.approx(sizes(letter), rel=1e-9)
    assert np.array_equal(fine.vertices[: len(letter.vertices)], letter.vertices)
    flat = fine.normals[fine.facet == 0]
    assert flat.reshape(-1, 3) == pytest.approx(np.broadcast_to([0, 0, 1], (flat.size // 3, 3)), abs=1e-6)


def test_edges_are_cut_until_none_leaves_its_curve_and_no_farther(letter):
    tolerance = 0.004
    fine = fine_enough(letter, [CURL[None]], tolerance, 200_000)
    assert closed(fine.triangles)
    keys = np.unique(edge_keys(fine.triangles))
    p, q = fine.vertices[keys >> 24], fine.vertices[keys & ((1 << 24) - 1)]
    middle = bent(CURL[None], (p + q) / 2) - (bent(CURL[None], p) + bent(CURL[None], q)) / 2
    assert np.linalg.norm(middle, axis=1).max() <= tolerance
    everywhere = with_edges(letter, 0.046, 400_000)
    assert len(letter.triangles) < len(fine.triangles) < len(everywhere.triangles)


def test_no_more_triangles_are_made_than_there_may_be(letter):
    assert len(with_edges(letter, 0.001, 9_000).triangles) <= 9_000
    assert len(fine_enough(letter, [CURL[None]], 1e-9, 9_000).triangles) <= 9_000


def test_what_is_not_bent_stays_as_it_is(letter):
    still = CURL.copy()
    still[22] = 0
    assert len(fine_enough(letter, [still[None]], 1e-6, 10_000).triangles) == len(letter.triangles)


def _area(s, own):
    a, b, c = (s.vertices[s.triangles[own][:, k]] for k in range(3))
    return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)
