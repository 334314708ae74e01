"""Letters cut into pieces: nothing is lost, and the same letter is always the same pieces."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from letters import alike, setting
from moss_crown.core.cache import Cache
from moss_crown.core.evaluation.solids import letter_pieces, letter_solid
from moss_crown.core.form.mesh import FACETS, INSIDE
from moss_crown.core.form.normals import corner_normals
from moss_crown.core.form.outline import FINER
from moss_crown.core.form.pieces import Cut, in_pieces, seeds, voronoi
from moss_crown.core.form.solid import closed
from moss_crown.core.type.layout import letters_of

CACHE = Cache()
FORM = alike(0.28, "roundover", 0.03, 4)
LINE = ((-0.5, 0.3), (0.0, 0.6), (0.5, 0.35))
WAYS = ("chunks", "shell", "strips", "bricks", "rays", "line")


def recipe(text="R", family="archivo-black"):
    (letter,) = letters_of(setting(text, family))
    return letter.glyphs, letter.family, letter.axes, letter.unit, FORM


def cut_of(way, **more):
    return Cut(way, **{"number": 12, "turn": 0.3, "point": (0.4, 0.5), "line": LINE, **more})


def pieces(way, text="R", family="archivo-black", tolerance=None, **more):
    own = {} if tolerance is None else {"tolerance": tolerance}
    return letter_pieces(*recipe(text, family), cut_of(way, **more), CACHE, **own)


def of_each(found):
    """The triangles of each piece."""
    own = found.of[found.solid.triangles]
    assert (own == own[:, :1]).all()  # no triangle joins two pieces
    return [found.solid.triangles[own[:, 0] == k] for k in range(found.count)]


def area(vertices, triangles):
    a, b, c = (vertices[triangles[:, k]] for k in range(3))
    return np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize(("text", "family"), [("R", "archivo-black"), ("8", "anton"), ("g", "eb-garamond")])
def test_pieces_are_closed_wound_outward_and_add_up_to_the_letter(way, text, family):
    found = pieces(way, text, family)
    whole = letter_solid(*recipe(text, family), CACHE)
    assert found.count >= 2
    for triangles, volume in zip(of_each(found), found.volumes, strict=True):
        assert closed(triangles)
        a, b, c = (found.solid.vertices[triangles[:, k]] for k in range(3))
        assert (a * np.cross(b, c)).sum() / 6 == pytest.approx(volume, rel=1e-6, abs=1e-15)
        assert volume > 0
    outer = found.solid.facet != INSIDE
    if way == "shell":
        even = area(found.solid.vertices, found.solid.triangles[outer]).sum()
        assert even == pytest.approx(area(whole.vertices, whole.triangles).sum(), rel=0.04)
        return
    assert found.volumes.sum() == pytest.approx(whole.volume, rel=1e-6)
    for facet in range(INSIDE):  # each facet of the letter is there, wholly
        own = area(found.solid.vertices, found.solid.triangles[found.solid.facet == facet]).sum()
        assert own == pytest.approx(area(whole.vertices, whole.triangles[whole.facet == facet]).sum(), rel=1e-6)


def test_what_was_inside_is_a_facet_and_outer_normals_are_those_of_the_letter():
    found = pieces("chunks")
    assert FACETS[INSIDE] == "inside" and (found.solid.facet == INSIDE).any()
    a, b, c = (found.solid.vertices[found.solid.triangles[:, k]] for k in range(3))
    flat = np.cross(b - a, c - a)
    flat /= np.linalg.norm(flat, axis=1, keepdims=True)
    inside = found.solid.facet == INSIDE
    assert (found.solid.normals[inside] * flat[inside, None]).sum(-1) == pytest.approx(1, abs=1e-5)
    face = found.solid.facet == 0
    assert found.solid.normals[face] == pytest.approx(np.broadcast_to([0, 0, 1], (face.sum(), 3, 3)), abs=1e-6)
    # A bevel that is cut stays round: its normals are smooth, not those of its triangles.
    bevel = found.solid.facet == 1
    own = found.solid.normals[bevel].astype(float)
    assert np.abs((own * flat[bevel, None]).sum(-1)).min() < 0.999
    again = corner_normals(found.solid.vertices, found.solid.triangles, np.minimum(found.solid.facet, 4))
    assert np.median(np.abs((own * again[bevel]).sum(-1))) > 0.99


def test_even_pieces_of_a_surface_are_as_large_as_asked():
    found = pieces("shell", number=30)
    outer = found.solid.facet != INSIDE
    own = np.bincount(
        found.of[found.solid.triangles[outer, 0]], area(found.solid.vertices, found.solid.triangles[outer]), found.count
    )
    asked = own.sum() / 30
    assert found.count == 30 and own.min() > asked / 2 and own.max() < asked * 2
    assert pieces("shell", number=30, even=0.0).volumes.std() > found.volumes.std()


def test_chunks_by_number_and_by_size():
    assert abs(pieces("chunks", number=30).count - 30) <= 4
    large, small = pieces("chunks", size=0.4), pieces("chunks", size=0.2)
    assert large.count < small.count
    assert pieces("chunks", number=1).count == 1
    assert pieces("chunks", number=400, most=50).count <= 55


def test_the_same_pieces_at_any_tolerance():
    for way in ("chunks", "strips"):
        usual, fine = pieces(way), pieces(way, tolerance=FINER[-1])
        assert len(fine.solid.triangles) != len(usual.solid.triangles)
        assert fine.count == usual.count and np.array_equal(fine.middles, usual.middles)
        for k in range(fine.count):
            low, high = usual.boxes[k]
            own = fine.solid.vertices[fine.of == k]
            assert own.min(0) == pytest.approx(low, abs=0.01) and own.max(0) == pytest.approx(high, abs=0.01)


def hashed(way):
    found = letter_pieces(*recipe(), cut_of(way), Cache())
    arrays = (found.solid.vertices, found.solid.triangles, found.solid.normals)
    return hashlib.sha256(b"".join(array.tobytes() for array in arrays)).hexdigest()


def test_the_same_bits_in_two_processes():
    ways = ("chunks", "shell")
    script = f"import test_cutting; print(*(test_cutting.hashed(way) for way in {ways}))"
    path = os.pathsep.join(sys.path)
    told = subprocess.run(
        [sys.executable, "-c", script],
        env=os.environ | {"PYTHONPATH": path},
        capture_output=True,
        text=True,
        check=True,
    )
    assert told.stdout.split() == [hashed(way) for way in ways]


@settings(max_examples=12)
@given(st.integers(1, 400), st.floats(0, 1), st.integers(0, 1_000_000))
def test_cells_hold_their_own_seeds(number, even, seed):
    solid = letter_solid(*recipe("I"), CACHE)
    points = seeds(solid, Cut("chunks", number, even=even, seed=seed))
    assert len(points) == number
    low, high = solid.vertices.min(0), solid.vertices.max(0)
    assert (points >= low).all() and (points <= high).all()
    cells = voronoi(points, low - 0.1, high + 0.1)
    assert len(cells) == number
    for cell, point in zip(cells[:8], points[:8], strict=False):
        # Every corner of a cell is as near to its seed as to any other.
        away = np.linalg.norm(cell[:, None] - points, axis=2)
        assert np.linalg.norm(cell - point, axis=1) == pytest.approx(away.min(1), abs=1e-6)


def test_nothing_of_nothing():
    blank = letter_solid(*recipe(" "), CACHE) if letters_of(setting(" ")) else None
    assert blank is None or in_pieces(blank, Cut()).count == 0
