"""What documents and patches may hold: bounded before anything large is made, whatever they say."""

import sys
from itertools import pairwise

import jsonpatch
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core import limits
from moss_crown.core.document import door
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import OPERATIONS, changed, check_patch, patched, read_shot, write_shot
from moss_crown.core.document.plain import check_plain, size_of, storable
from moss_crown.core.errors import DocumentInvalid, LinkLoop, LinkTooLong, TooMany
from moss_crown.core.values import sampling
from moss_crown.core.values.sampling import sample, sample_choice

JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=20),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
    max_leaves=20,
)


@given(JSON)
def test_plain_is_what_utf8_can_hold_without_nulls(raw):
    def texts(node):
        if isinstance(node, str):
            yield node
        elif isinstance(node, dict):
            for name, member in node.items():
                yield name
                yield from texts(member)
        elif isinstance(node, list):
            for member in node:
                yield from texts(member)

    bad = any("\0" in text or any(0xD800 <= ord(c) <= 0xDFFF for c in text) for text in texts(raw))
    if bad:
        with pytest.raises(DocumentInvalid):
            check_plain(raw)
    else:
        check_plain(raw)


def test_what_is_not_plain_is_told_by_its_place():
    with pytest.raises(DocumentInvalid) as wrong:
        check_plain({"a": [1, {"b": "x\0"}]})
    assert wrong.value.field == "/a/1/b"
    assert storable("crête 𝄞") and not storable("\udc00")


def test_depth_is_bounded_without_recursion():
    deep = []
    for _ in range(5 * sys.getrecursionlimit()):
        deep = [deep]
    with pytest.raises(DocumentInvalid):
        check_plain(deep)
    while deep:
        deep = deep.pop()


@given(st.lists(st.sampled_from(["/steps", "/steps/0", "/title", ""]), min_size=1, max_size=40))
def test_no_patch_makes_more_than_a_document_may_have(sources):
    """However often parts are copied into each other, what is made in between stays within the bound."""
    document = write_shot(new_shot())
    patch = [{"op": "copy", "from": source, "path": "/steps/-"} for source in sources]
    try:
        after = changed(document, patch)
    except TooMany as beyond:
        assert beyond.most == limits.DOCUMENT_BYTES
    else:
        assert size_of(after) <= limits.DOCUMENT_BYTES


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["copy", "add", "replace", "remove", "move"]),
            st.sampled_from(["/a", "/a/0", "/a/1/b", "/c", "/a/-", "/c/d", ""]),
            st.sampled_from(["/a", "/a/0", "/c", "/c/d"]),
        ),
        max_size=8,
    )
)
def test_patches_do_what_rfc_6902_says_however_they_share(operations):
    """Against the plain library, which copies everything; and the document stays as it is."""
    document = {"a": [1, {"b": [2, 3]}], "c": {"d": {"e": 4}}}
    patch = []
    for op, path, source in operations:
        one = {"op": op, "path": path, "from": source, "value": [5]}
        patch.append({member: one[member] for member in OPERATIONS[op]})

    def tried(apply):
        try:
            return apply(document, patch)
        except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, KeyError, TypeError, ValueError):
            return "refused"

    expected = tried(jsonpatch.apply_patch)
    assert tried(changed) == expected
    assert document == {"a": [1, {"b": [2, 3]}], "c": {"d": {"e": 4}}}


def test_a_copy_of_all_into_itself_ends_early():
    counted = []
    with pytest.MonkeyPatch.context() as patch, pytest.raises(TooMany):
        patch.setattr(door, "_added", lambda *a, whole=door._added: (counted.append(1), whole(*a))[1])
        patched(write_shot(new_shot()), [{"op": "copy", "from": "", "path": "/steps/-"}] * limits.PATCH_OPERATIONS)
    assert len(counted) < 20, "it doubles each time"


@given(st.sampled_from(sorted(OPERATIONS)), st.sets(st.sampled_from(["op", "path", "from", "value", "more"])))
def test_an_operation_has_its_members_and_no_others(name, members):
    whole = {"op": name, "path": "/title", "from": "/title", "value": 1, "more": 1}
    operation = {member: whole[member] for member in members | {"op"}}
    if set(operation) == OPERATIONS[name]:
        check_patch([operation])
    else:
        with pytest.raises(DocumentInvalid) as wrong:
            check_patch([operation])
        assert wrong.value.field.startswith("/patch/0/")


def keyed(count):
    return {"keys": [{"frame": k, "value": 1.0} for k in range(count)]}


def test_keys_of_all_values_together_are_bounded():
    raw = write_shot(new_shot())
    raw["steps"][0]["size"] = raw["steps"][0]["tracking"] = keyed(limits.KEYS_A_SHOT // 2)
    read_shot(raw)
    raw["steps"][0]["leading"] = keyed(1)
    with pytest.raises(TooMany) as beyond:
        read_shot(raw)
    assert (beyond.value.what, beyond.value.most) == ("keys in all", limits.KEYS_A_SHOT)


def test_a_document_is_measured_with_all_that_it_leaves_out():
    raw = write_shot(new_shot())
    block = {"kind": "block", "text": "A" * 100, "turn": {"keys": [{"frame": 0, "value": [0, 0, 0]}]}}
    raw["steps"] = [dict(block, id=f"b{k}") for k in range(20)] + raw["steps"][1:]
    shot = read_shot(raw)
    assert size_of(write_shot(shot)) > 2 * size_of(raw)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(limits, "DOCUMENT_BYTES", size_of(write_shot(shot)) - 10)
        with pytest.raises(TooMany):
            read_shot(raw)
        patch.setattr(limits, "DOCUMENT_BYTES", size_of(write_shot(shot)) + 1000)
        read_shot(raw)


# Values that ask for values


def chain(count):
    """So many blocks, each as large as the next one."""
    raw = write_shot(new_shot())
    blocks = [{"kind": "block", "id": f"b{k}", "text": "A", "size": {"link": f"b{k + 1}/size"}} for k in range(count)]
    raw["steps"] = [*blocks, {"kind": "block", "id": f"b{count}", "text": "A", "size": 1.5}, *raw["steps"][1:]]
    return raw


def test_a_chain_is_followed_to_its_bound_and_named_beyond():
    shot = read_shot(chain(limits.CHAIN - 1))
    assert sample(shot.steps[0].size, sampling.np.zeros(1)).tolist() == [1.5]
    with pytest.raises(LinkTooLong) as long:
        read_shot(chain(limits.CHAIN))
    told = long.value.chain
    assert len(told) == limits.CHAIN + 1
    assert all(int(a[1:].split("/")[0]) + 1 == int(b[1:].split("/")[0]) for a, b in pairwise(told))
    with pytest.raises(LinkTooLong):
        read_shot(chain(180))


def test_a_circle_is_a_circle_however_long():
    raw = chain(100)
    raw["steps"][100]["size"] = {"link": "b0/size"}
    with pytest.raises(LinkLoop):
        read_shot(raw)


def test_how_many_values_one_may_ask_for_is_bounded():
    raw = write_shot(new_shot())
    step = dict(raw["steps"][0])
    many = 190
    raw["steps"] = [dict(step, id=f"b{k}", text="A") for k in range(many)] + raw["steps"][1:]
    tiers = [range(0, 60), range(60, 125), range(125, many)]
    for tier in tiers[:2]:
        for k in tier:
            raw["steps"][k]["size"] = {"formula": "t"}
            raw["steps"][k]["tracking"] = {"formula": f'value("b{k}/size")'}
    names = [f"b{k}/tracking" for k in range(105)]
    for step, first in ((130, 0), (131, 30), (132, 60), (133, 90)):
        own = [f'value("{name}")' for name in names[first : first + 30]]
        raw["steps"][step]["size"] = {"formula": " + ".join([f'value("b{step - 1}/size")', *own])}
        if step < 133:
            read_shot(raw)
    with pytest.raises(TooMany) as beyond:
        read_shot(raw)
    assert (beyond.value.field, beyond.value.most) == ("/steps/133/size", limits.ASKED)


def nested(kind):
    """Four values, each of which asks for the next one twenty times."""
    raw = write_shot(new_shot())
    block = {"kind": "block", "text": "A"}
    asks = " + ".join(['value("b{0}/{1}")'] * 20)
    steps = []
    for k in range(4):
        own = {"formula": f"({asks.format(k + 1, kind)}) / 20" + (" + 1" if kind == "size" else " > 0")}
        steps.append({**block, "id": f"b{k}", kind: own})
    last = {"formula": "0.5 + t"} if kind == "size" else {"formula": "t > 0.1"}
    raw["steps"] = [*steps, {**block, "id": "b4", kind: last}, *raw["steps"][1:]]
    return read_shot(raw)


@pytest.mark.parametrize(("kind", "expected"), [("size", 4.5), ("on", False)])
def test_each_value_is_worked_out_once_for_a_question(monkeypatch, kind, expected):
    counted = []
    whole = sampling.evaluate
    monkeypatch.setattr(sampling, "evaluate", lambda *a: (counted.append(1), whole(*a))[1])
    value = getattr(nested(kind).steps[0], kind)
    found = sample(value, sampling.np.zeros(1))[0] if kind == "size" else sample_choice(value, 0.0)
    assert found == expected
    assert len(counted) == 5
