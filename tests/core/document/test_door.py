"""The document's door: what is let in, what is refused and how it is said."""

import copy
import json
import math

import jsonpatch
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch, changed, patched, read_shot, read_shot_json, write_shot
from moss_crown.core.document.shot import Shot
from moss_crown.core.draft.draft import draft
from moss_crown.core.errors import DocumentInvalid, DocumentTooNew, NotAShot, TitleError, TooMany


def put(path, value):
    return [{"op": "replace", "path": path, "value": value}]


def test_a_shot_survives_writing_and_reading():
    shot = new_shot()
    assert read_shot(json.loads(json.dumps(write_shot(shot)))) == shot


@pytest.mark.parametrize(
    ("path", "value", "field", "bound"),
    [
        ("/steps/0/size", 0, "/steps/0/size", "above 0.0"),
        ("/steps/0/size", math.nan, "/steps/0/size", "a finite number"),
        ("/steps/0/move", [0, math.inf, 0], "/steps/0/move/1", "a finite number"),
        ("/steps/0/size", {"keys": [{"frame": 0, "value": 0}]}, "/steps/0/size/keys/0/value", "above 0.0"),
        ("/steps/0/size", {"keys": []}, "/steps/0/size/keys", "at least 1"),
        ("/fps/numerator", 0, "/fps/numerator", "at least 1"),
        ("/steps/2/reaches/0/duration", 0, "/steps/2/reaches/0/duration", "above 0.0"),
        ("/steps/0/align", "middle", "/steps/0/align", "'left', 'centre', 'right', 'justify' or 'fill'"),
        ("/steps/1/front/segments", 25, "/steps/1/front/segments", "at most 24"),
        ("/width", 5000, "/width", "at most 4096"),
    ],
)
def test_bad_values_are_refused_with_field_and_bound(path, value, field, bound):
    with pytest.raises(DocumentInvalid) as refused:
        apply_patch(new_shot(), put(path, value))
    assert (refused.value.field, refused.value.bound) == (field, bound)


def test_last_before_first_names_last():
    with pytest.raises(DocumentInvalid) as refused:
        apply_patch(new_shot(), put("/last", -1))
    assert refused.value.field == "/last"
    assert "must not lie before the first" in str(refused.value)


@pytest.mark.parametrize("text", ["", "   ", "\n \n"])
def test_a_title_needs_a_letter(text):
    with pytest.raises(DocumentInvalid) as refused:
        apply_patch(new_shot(), put("/steps/0/text", text))
    assert refused.value.field == "/steps/0/text"


def test_401_letters_are_one_too_many_and_spaces_do_not_count():
    apply_patch(new_shot(), put("/steps/0/text", "a " * 400))
    with pytest.raises(TooMany) as refused:
        apply_patch(new_shot(), put("/steps/0/text", "a" * 401))
    assert refused.value.facts()["bound"] == "at most 400"


def test_older_versions_are_read_as_what_they_meant():
    """Version 1 had one edge for front and rear, version 2 one cadence a drive."""
    raw = write_shot(new_shot())
    raw["version"] = 1
    form, drive = raw["steps"][1], raw["steps"][2]
    del form["front"], form["rear"]
    form |= {"profile": "chamfer", "bevel": 0.05, "segments": 2}
    cadence = drive.pop("reaches")[0]
    drive["reach"] = {name: cadence[name] for name in ("start", "delay", "duration", "ease", "order")} | {"start": 9.0}
    shot = read_shot(raw)
    assert (shot.version, shot.steps[1].front.profile, shot.steps[1].front.width) == (3, "chamfer", 0.05)
    (reach,) = shot.steps[2].reaches
    assert (reach.kind, reach.start, reach.delay) == ("cadence", 9.0, 2.0)
    with pytest.raises(DocumentInvalid):
        read_shot(raw | {"steps": 7})


def test_keys_must_rise():
    keys = {"keys": [{"frame": 4, "value": 1}, {"frame": 4, "value": 2}]}
    with pytest.raises(DocumentInvalid, match="keys must rise"):
        apply_patch(new_shot(), put("/steps/0/size", keys))


@pytest.mark.parametrize(
    "raw",
    [[], 3, "shot", {}, {"version": 1}, {"steps": []}, {"version": "1", "steps": []}, {"version": True, "steps": []}],
)
def test_something_else_is_not_a_shot(raw):
    with pytest.raises(NotAShot):
        read_shot(raw)


@pytest.mark.parametrize("text", ["", "{", "NaN", '{"version": NaN, "steps": []}', "[" * 100_000])
def test_what_is_not_json_is_not_a_shot(text):
    with pytest.raises(NotAShot):
        read_shot_json(text)


def test_a_newer_version_is_refused():
    with pytest.raises(DocumentTooNew) as refused:
        read_shot(write_shot(new_shot()) | {"version": 99})
    assert refused.value.bound == "at most 3"


def test_unknown_members_are_refused():
    with pytest.raises(DocumentInvalid) as refused:
        apply_patch(new_shot(), [{"op": "add", "path": "/steps/0/bogus", "value": 1}])
    assert refused.value.field == "/steps/0/bogus"


@pytest.mark.parametrize(
    "patch", [[{"op": "replace", "path": "/steps/99/size", "value": 1}], [{"op": "fly", "path": "/"}], [{}]]
)
def test_a_patch_that_does_not_fit_changes_nothing(patch):
    shot = new_shot()
    before = copy.deepcopy(write_shot(shot))
    with pytest.raises(DocumentInvalid):
        apply_patch(shot, patch)
    assert write_shot(shot) == before


edits = st.lists(
    st.one_of(
        st.tuples(st.just("/steps/0/size"), st.floats(0.01, 100)),
        st.tuples(st.just("/steps/0/text"), st.text("ABC x\n", min_size=1, max_size=12).filter(str.strip)),
        st.tuples(st.just("/steps/2/reaches/0/delay"), st.floats(-10, 10)),
        st.tuples(st.just("/steps/0/move"), st.tuples(*[st.floats(-9, 9)] * 3).map(list)),
        st.tuples(st.just("/steps/4/on"), st.booleans()),
    ),
    min_size=1,
    max_size=6,
)


@given(edits)
def test_the_inverse_undoes_whatever_was_done(changes):
    shot = new_shot()
    stack: list[tuple[Shot, list]] = []
    for path, value in changes:
        new, inverse = apply_patch(shot, put(path, value))
        stack.append((shot, inverse))
        shot = new
    while stack:
        before, inverse = stack.pop()
        shot, _ = apply_patch(shot, inverse)
        assert shot == before


@given(
    st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(max_size=5),
        lambda x: st.lists(x, max_size=3) | st.dictionaries(st.text(max_size=6), x, max_size=3),
        max_leaves=8,
    )
)
def test_nothing_odd_gets_in_or_crashes(raw):
    with pytest.raises(TitleError):
        read_shot(raw)


@pytest.mark.parametrize("operation", ["x", 5, None, [], ["path"], {}, {"op": "replace"}, {"path": 3, "op": "remove"}])
def test_what_is_no_operation_is_refused_with_a_word(operation):
    with pytest.raises(DocumentInvalid, match="does not fit"):
        patched(write_shot(new_shot()), [operation])


def parts():
    return st.recursive(
        st.integers(-3, 3), lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from("ab~/"), inner)
    )


@given(st.dictionaries(st.sampled_from("ab~/"), parts(), min_size=1), st.data())
def test_a_patch_leaves_the_document_that_it_is_applied_to_alone(document, data):
    """Documents before and after share what the patch does not touch, and nothing else."""

    def places(node, path=""):
        found = [path]
        names = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
        for name, part in names:
            found += places(part, f"{path}/{str(name).replace('~', '~0').replace('/', '~1')}")
        return found

    before = copy.deepcopy(document)
    expected = after = document
    for _ in range(data.draw(st.integers(1, 5))):
        inside = [place for place in places(expected) if place]
        if not inside:
            break
        name = data.draw(st.sampled_from(["replace", "add", "remove", "move", "copy"]))
        operation = {"op": name, "path": data.draw(st.sampled_from(inside))}
        if name in ("replace", "add"):
            operation["value"] = data.draw(parts())
        elif name != "remove":
            operation["from"] = data.draw(st.sampled_from(inside))
        try:
            expected = jsonpatch.apply_patch(expected, [operation])
        except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, TypeError):
            continue
        after = changed(after, [operation])
        assert after == expected
    assert document == before


def test_a_step_keeps_its_other_version_aside():
    document = write_shot(new_shot())
    drive = next(k for k, s in enumerate(document["steps"]) if s["kind"] == "drive")
    aside = {key: value for key, value in document["steps"][drive].items() if key not in ("id", "aside", "version")}
    both = [
        {"op": "replace", "path": f"/steps/{drive}/aside", "value": aside | {"strength": 0.5}},
        {"op": "replace", "path": f"/steps/{drive}/version", "value": "B"},
    ]
    shot = patched(document, both)
    assert shot.steps[drive].aside["strength"] == 0.5
    assert read_shot(write_shot(shot)) == shot
    assert draft(shot) == draft(read_shot(document)), "what is aside is not computed"
    for wrong in (
        {"kind": "follow"},
        aside | {"aside": aside},
        {},
        aside | {"strength": math.nan},
        aside | {"tempo": 1},
        aside | {"reaches": [{"kind": "cadence", "duration": 0}]},
    ):
        with pytest.raises(DocumentInvalid) as refused:
            patched(document, [{"op": "replace", "path": f"/steps/{drive}/aside", "value": wrong}])
        assert refused.value.field == f"/steps/{drive}/aside"
