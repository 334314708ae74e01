"""Meshes of even density: closed, well shaped, as fine as asked for, and true to the outline."""

import numpy as np
import pytest
import shapely

from letters import alike, setting
from moss_crown.core.form.mesh import FACE, RETURN
from moss_crown.core.form.outline import letter_outline
from moss_crown.core.form.profile import Edge
from moss_crown.core.form.solid import Form, closed, solid
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.shape import faces

H = 1 / 30


def built(family, text, form):
    for letter in set_block(setting(text, family)):
        rings = letter_outline(letter.glyphs, faces(family))
        yield letter, rings, solid(rings, form, letter.unit, edge=H)


def angles(s):
    corner = s.vertices[s.triangles]
    found = []
    for i in range(3):
        a, b = corner[:, (i + 1) % 3] - corner[:, i], corner[:, (i + 2) % 3] - corner[:, i]
        found.append(np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b), axis=1), (a * b).sum(1))))
    return np.concatenate(found)


def edges(s):
    corner = s.vertices[s.triangles]
    return np.linalg.norm(corner - np.roll(corner, -1, 1), axis=2).ravel() / H


FORMS = {
    "square": alike(0.3),
    "chamfer": alike(0.3, "chamfer", 0.03),
    "roundover": alike(0.3, "roundover", 0.05, 6),
    "step": alike(0.3, "step", 0.04, 2),
    "wide": alike(0.3, "chamfer", 0.12),
    "unlike": Form(0.3, Edge("roundover", 0.04, 0.04, 6), Edge("chamfer", 0.02, 0.02)),
}


@pytest.mark.parametrize("family", ["archivo-black", "eb-garamond", "pacifico", "league-spartan"])
@pytest.mark.parametrize("form", FORMS)
def test_95_of_100_angles_are_between_30_and_110_degrees_and_edges_within_twice_the_target(family, form):
    every = list(built(family, "ABRQSEg8&@", FORMS[form]))
    assert all(closed(s.triangles) for _, _, s in every)
    angle = np.concatenate([angles(s) for _, _, s in every])
    length = np.concatenate([edges(s) for _, _, s in every])
    least = 0.9 if form == "unlike" else 0.95  # levels of both edges lie where only one of them needs them
    assert ((angle > 30) & (angle < 110)).mean() > least
    assert ((length > 0.5) & (length < 2)).mean() > least


@pytest.mark.parametrize("family", ["archivo-black", "eb-garamond"])
def test_the_outline_stays_where_it_was(family):
    for letter, rings, s in built(family, "ROS&", FORMS["chamfer"]):
        outline = shapely.MultiLineString([shapely.LinearRing(ring) for ring in rings])
        start, end = (s.vertices[s.triangles[s.facet == RETURN]][:, k, :2] / letter.unit for k in (0, 1))
        for share in (0.0, 0.5):  # the points, and the middles of the edges between them
            away = shapely.distance(shapely.points(start * (1 - share) + end * share), outline)
            assert away.max() < 2.5  # thousandths of an em
        plain = solid(rings, FORMS["chamfer"], letter.unit)
        assert s.volume == pytest.approx(plain.volume, rel=0.01)


def test_a_finer_edge_gives_more_triangles_and_faces_stay_flat():
    letter = set_block(setting("R"))[0]
    rings = letter_outline(letter.glyphs, faces("archivo-black"))
    coarse, fine = (solid(rings, FORMS["roundover"], letter.unit, edge=h) for h in (0.08, 0.02))
    assert len(fine.triangles) > 8 * len(coarse.triangles)
    for s in (coarse, fine):
        assert np.ptp(s.vertices[np.unique(s.triangles[s.facet == FACE]), 2]) < 1e-9
