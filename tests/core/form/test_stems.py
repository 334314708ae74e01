"""Edges that follow the stems of a family: the same share of a light and of a heavy letter, whatever is set."""

from __future__ import annotations

import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.form.stems import stem_of
from moss_crown.core.type.layout import Setting
from moss_crown.core.type.shape import Style


def stem(family, text="A", size=1.0, axes=(), weight=0.0):
    return stem_of(Setting(text=text, style=Style(family, axes), size=size), weight)


def test_a_heavy_family_has_wider_stems_than_a_light_one():
    assert stem("archivo-black") > 1.5 * stem("comfortaa") > 2 * stem("monoton")


def test_it_does_not_depend_on_the_words_and_grows_with_the_size():
    assert stem("cinzel", "A") == stem("cinzel", "MISSOURI\nII")
    assert stem("cinzel", size=2.5) == pytest.approx(2.5 * stem("cinzel"))


def test_weight_adds_to_both_sides():
    heavier = stem("archivo", weight=20.0)
    unit = (heavier - stem("archivo")) / 40
    assert unit > 0
    assert stem("archivo", weight=40.0) == pytest.approx(stem("archivo") + 80 * unit)


def test_an_axis_of_weight_is_followed():
    assert stem("archivo", axes=(("wght", 800.0),)) > 1.6 * stem("archivo", axes=(("wght", 300.0),))


@pytest.mark.parametrize("family", ["archivo-black", "comfortaa"])
def test_an_edge_is_its_share_of_the_stem(family):
    shot = patched(write_shot(new_shot()), [{"op": "replace", "path": "/steps/0/family", "value": family}])
    (block,) = Evaluation(shot).structure(72).blocks
    assert block.form.front.width == pytest.approx(0.1 * stem(family))
    assert block.form.rear == block.form.front


def test_in_metres_it_stays_as_it_is():
    metres = [{"op": "replace", "path": "/steps/1/front/of_stem", "value": False}]
    (block,) = Evaluation(patched(write_shot(new_shot()), metres)).structure(72).blocks
    assert block.form.front.width == 0.1
