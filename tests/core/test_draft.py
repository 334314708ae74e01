"""What a draft says is what its classes say: to the letter, for every demo shot."""

import json

import pytest

from moss_crown.core.assets import bring_in
from moss_crown.core.draft.draft import draft, packed_picture, packed_whole, see
from moss_crown.core.draft.schema import DRAFT, SEEN, TABLES, described
from moss_crown.demo.bent import bent_shots
from moss_crown.demo.cards import cards, film_unit_emblem
from moss_crown.demo.looks import looks
from moss_crown.demo.motions import motions
from moss_crown.demo.shots import demo_shots

SHOTS = [*demo_shots(), *cards(), *looks(), *motions(), *bent_shots(film_unit_emblem().id)]


def split(message):
    length = int.from_bytes(message[:4], "little")
    return json.loads(message[4 : 4 + length]), message[4 + length :]


@pytest.mark.parametrize("shot", SHOTS, ids=lambda shot: shot.title)
def test_a_head_says_what_its_class_does_and_its_tables_have_the_columns_they_should(shot):
    bring_in(film_unit_emblem())
    seen = see(shot)
    for packed, kind in ((packed_picture(seen), SEEN), (packed_whole(seen), DRAFT)):
        head, body = split(packed)
        # Read back and written again: nothing is lost, nothing is of another kind than the class says.
        assert json.loads(kind.dump_json(kind.validate_python(head), warnings="error")) == head
        cells = sum((s["last"] - s["first"] + 1) * len(s["letters"]) for s in head["spans"])
        worn = sum((s["last"] - s["first"] + 1) * len(s["letters"]) for s in head["spans"] if s["worn"])
        numbers = (cells + len(shot.frames)) * TABLES["pose"] + worn * len(TABLES["wear"])
        numbers += TABLES["bend"]["row"] * sum(
            (s["last"] - s["first"] + 1) * len(s["letters"]) * s["bends"] for s in head["spans"]
        )
        numbers += (len(TABLES["speeds"]) + 1) * cells if kind is DRAFT else 0
        assert len(body) == 4 * numbers


def test_a_draft_is_the_same_asked_for_twice():
    shot = demo_shots()[0]
    assert draft(shot) == draft(shot)


def test_all_members_of_a_draft_are_told_to_be_there():
    for schema in described("#/{model}").values():
        assert schema["required"] == list(schema["properties"])
