"""What is true of every step of a kind, and what the front end was told of it."""

import json

import pytest
from pydantic import ValidationError

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.shot import KINDS, Beats, Marker, Shot, kind_of
from moss_crown.core.document.values import Model
from moss_crown.core.draft.facts import facts


def models(kind: type[Model] = Model) -> set[type[Model]]:
    found = set(kind.__subclasses__())
    return found | {below for one in found for below in models(one)}


def test_the_front_end_is_told_of_kinds_in_the_order_of_a_recipe():
    assert list(json.loads(json.dumps(facts()))["steps"]) == [kind_of(kind) for kind in KINDS]


def test_a_kind_is_told_by_its_own_facts():
    assert len({kind_of(kind) for kind in KINDS}) == len({kind.facts.title for kind in KINDS}) == len(KINDS)
    assert all(kind.facts.about for kind in KINDS)
    works = [kind.facts.work for kind in KINDS]
    assert works == sorted(works, key=["letter", "form", "motion", "look", "camera"].index)


@pytest.mark.parametrize("kind", [kind for kind in KINDS if kind.facts.once], ids=kind_of)
def test_there_is_one_at_most_of_some_kinds(kind):
    shot = new_shot()
    (step,) = (s for s in shot.steps if isinstance(s, kind))
    with pytest.raises(ValidationError, match=f"at most one {kind_of(kind)} step"):
        Shot(steps=[*shot.steps, step.model_copy(update={"id": "again"})])


def test_members_that_count_frames_are_members():
    counting = {model: model.in_frames for model in models() if model.in_frames}
    assert {Marker, Beats} < set(counting)
    assert all(name in model.model_fields for model, names in counting.items() for name in names)
