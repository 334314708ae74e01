"""Texture coordinates: lengths on the surface are lengths on the texture."""

import numpy as np
import pytest

from letters import setting
from moss_crown.core.form.developed import texture_places
from moss_crown.core.form.mesh import BEVEL, FACE, REAR_BEVEL, RETURN
from moss_crown.core.form.outline import letter_outline
from moss_crown.core.form.profile import Edge
from moss_crown.core.form.solid import Form, solid
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.shape import faces

SQUARE = [np.array([[0, 0], [600, 0], [600, 600], [0, 600.0]])]
FORMS = {
    "square": Form(0.2),
    "chamfer": Form(0.2, Edge("chamfer", 0.05, 0.05), Edge("chamfer", 0.02, 0.04)),
    "roundover": Form(0.2, Edge("roundover", 0.05, 0.05, 8), Edge("cove", 0.03, 0.03, 6), grow="forward"),
    "step": Form(0.2, Edge("step", 0.06, 0.06, 3), Edge("ogee", 0.03, 0.03, 4), grow="backward"),
}


def areas(made, places):
    corner = made.vertices[made.triangles]
    whole = np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1) / 2
    one, two = places[:, 1] - places[:, 0], places[:, 2] - places[:, 0]
    return whole, (one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]) / 2


@pytest.mark.parametrize("name", FORMS)
def test_a_square_unrolls_without_stretching(name):
    made = solid(SQUARE, FORMS[name], 1e-3)
    places = texture_places(made, FORMS[name]).astype(float)
    whole, flat = areas(made, places)
    for facet in (FACE, BEVEL, RETURN, REAR_BEVEL):
        own = made.facet == facet
        assert flat[own] == pytest.approx(whole[own], abs=1e-6)
    wall = places[made.facet == RETURN].reshape(-1, 2)
    assert wall[:, 0].min() == pytest.approx(0, abs=1e-6)
    assert wall[:, 0].max() == pytest.approx(2.4, abs=1e-6)


@pytest.mark.parametrize("family", ["fraunces", "archivo-black", "unifrakturcook"])
def test_returns_of_letters_unroll_exactly_and_bevels_nearly(family):
    form = FORMS["roundover"]
    for letter in set_block(setting("Rg&", family)):
        made = solid(letter_outline(letter.glyphs, faces(letter.family, letter.axes)), form, letter.unit)
        places = texture_places(made, form).astype(float)
        whole, flat = areas(made, places)
        wall = made.facet == RETURN
        assert flat[wall] == pytest.approx(whole[wall], abs=2e-6)
        bevel = made.facet == BEVEL
        assert flat[bevel].sum() == pytest.approx(whole[bevel].sum(), rel=0.12)
        # No triangle is torn: its places lie no further apart than its corners allow, ridges and corners included.
        corner = made.vertices[made.triangles]
        span = np.ptp(places, axis=1).max(1)
        assert (span < 2.5 * np.linalg.norm(np.ptp(corner, axis=1), axis=1) + 1e-6).all()
