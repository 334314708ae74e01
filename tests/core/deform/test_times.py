"""How many moments of a shutter a bent letter is kept at."""

import numpy as np
import pytest

from moss_crown.core.cache import Cache
from moss_crown.core.deform.chain import row
from moss_crown.core.evaluation.bending import bent_solid, with_corners
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.form.solid import Form
from moss_crown.core.type.layout import EmblemSetting, set_emblem


@pytest.mark.parametrize("moments", [1, 2, 3, 9])
def test_there_are_never_more_than_are_given_however_fine_they_should_be(moments):
    (disc,) = set_emblem(EmblemSetting("emblem-disc", 1.0))
    soft = with_corners(solid_of(disc, Form(depth=0.1), Cache(1 << 24)))
    amounts = np.linspace(0.2, 1.0, moments)
    rows = np.array([[row("twist", np.eye(4)[:3], (amount, 3.0, 6.0))] for amount in amounts])
    bent = bent_solid(soft, rows, None, 1e-12)
    assert len(bent.places) == (1 if moments == 1 else moments)
    assert np.isfinite(bent.places).all()
