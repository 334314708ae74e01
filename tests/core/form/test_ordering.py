"""Triangles in another order are the same triangles, and each vertex is worked out about once."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.form.ordering import ordered, worked_out


def told(triangles):
    return sorted(map(tuple, np.asarray(triangles).tolist()))


@given(st.lists(st.tuples(*[st.integers(0, 30)] * 3), max_size=60))
def test_the_same_triangles_come_out_each_with_its_corners_in_their_order(rows):
    triangles = np.array(rows, np.int64).reshape(-1, 3)
    assert told(ordered(triangles)) == told(triangles)


@pytest.mark.parametrize("text", ["S", "R", "&"])
def test_letters_are_drawn_with_less_than_one_vertex_a_triangle(text):
    (block,) = Evaluation(new_shot(text=text)).structure(0).blocks
    triangles = solid_of(block.letters[0], block.form, Cache()).triangles
    shuffled = np.random.default_rng(1).permutation(triangles)
    assert worked_out(ordered(shuffled), 20) < 0.9
    assert worked_out(ordered(triangles), 20) < 0.6 * worked_out(triangles, 20)


def test_a_grid_is_near_the_least_that_can_be():
    """Half a vertex a triangle is the least: there are half as many vertices."""
    side = 40
    corner = (np.arange(side)[:, None] * (side + 1) + np.arange(side)).reshape(-1)
    grid = np.concatenate(
        [
            np.stack([corner, corner + 1, corner + side + 1], 1),
            np.stack([corner + 1, corner + side + 2, corner + side + 1], 1),
        ]
    )
    assert worked_out(ordered(np.random.default_rng(2).permutation(grid)), 20) < 0.75
