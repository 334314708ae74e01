"""What was brought into a process stays within a budget, and what work in hand needs is never let go of."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.assets import Asset, begin_with, bring_in, is_at_hand
from moss_crown.core.cache import Shelf
from moss_crown.core.errors import FamilyUnknown, PictureUnknown
from moss_crown.core.look import pictures
from moss_crown.core.type import families
from moss_crown.core.type.fonts import axes_of, open_font
from moss_crown.core.type.shape import faces


@given(st.integers(1, 200), st.lists(st.tuples(st.sampled_from("abcdefgh"), st.integers(1, 60)), max_size=30))
def test_a_shelf_keeps_to_its_budget_but_for_what_is_wanted(budget, puts):
    shelf, weights = Shelf(budget), {}
    for id, weight in puts:
        weights.setdefault(id, weight)
        shelf.begin([id])
        shelf.put(id, id.upper(), weights[id])
        held = [other for other in "abcdefgh" if other in shelf]
        assert id in held and shelf.get(id) == id.upper()
        assert shelf.used == sum(weights[other] for other in held)
        assert shelf.used <= budget or held == [id]
        weights = {other: weights[other] for other in held}


def test_the_longest_unused_goes_first():
    shelf = Shelf(30)
    for id in "abc":
        shelf.put(id, id, 10)
    shelf.begin("a")
    assert shelf.put("d", "d", 10)
    assert ["a" in shelf, "b" in shelf, "c" in shelf, "d" in shelf] == [True, False, True, True]


def test_all_that_one_piece_of_work_names_is_there_at_once():
    shelf = Shelf(10)
    shelf.begin("abc")
    for id in "abc":
        shelf.put(id, id, 10)
    assert all(id in shelf for id in "abc")
    assert shelf.begin("c")
    assert ["a" in shelf, "b" in shelf, "c" in shelf] == [False, False, True]


def test_two_hundred_pictures_leave_a_process_as_it_was(monkeypatch):
    monkeypatch.setattr(pictures.OWN, "budget", 4_000_000)
    monkeypatch.setattr(pictures._UNPACKED, "budget", 8_000_000)
    packed = pictures.pack(np.full((256, 256, 4), 200, np.uint8))
    ids = [f"picture-{k:032x}" for k in range(200)]
    for id in ids:
        begin_with([id])
        bring_in(Asset(id, "picture", "trial", {}, packed))
        assert pictures.texture(id).shape == (256, 256, 4)
        assert pictures.OWN.used <= 4_000_000 and pictures._UNPACKED.used <= 8_000_000
    assert not is_at_hand(ids[0])
    with pytest.raises(PictureUnknown):
        pictures.texture(ids[0])
    bring_in(Asset(ids[0], "picture", "trial", {}, packed))
    assert pictures.texture(ids[0])[0, 0, 3] == pytest.approx(200 / 255)


def test_a_font_that_was_let_go_is_let_go_of_wholly_and_comes_back(monkeypatch):
    """What was opened of it is forgotten too, else its bytes would stay."""
    raw = (families.FOLDER / "cinzel-latin.ttf").read_bytes()
    monkeypatch.setattr(families, "OWN", Shelf(int(2.5 * len(raw))))  # what other tests have brought in would go first
    for k in range(4):
        id = f"own-trial-{k}"
        begin_with([id])
        bring_in(Asset(id, "font", f"Trial {k}", {}, raw))
        assert faces(id)[0].cap_height > 0
    assert not is_at_hand("own-trial-0")
    for ask in (lambda: faces("own-trial-0"), lambda: open_font("own-trial-0"), lambda: axes_of("own-trial-0")):
        with pytest.raises(FamilyUnknown):
            ask()
    bring_in(Asset("own-trial-0", "font", "Trial 0", {}, raw))
    assert faces("own-trial-0")[0].cap_height > 0
