"""Formulas: what is refused, where the error is said to be, circles of links."""

import contextlib
import re
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch, read_shot, write_shot
from moss_crown.core.document.formula import LENGTH, NODES, FormulaInvalid, circle, parsed
from moss_crown.core.errors import LinkInvalid, LinkLoop

ATTRIBUTES = ["__class__", "__globals__", "real", "imag", "append", "format", "mro", "f_back", "gi_frame", "co_code"]
BUILTINS = [
    "eval", "exec", "open", "compile", "getattr", "setattr", "globals", "locals", "vars", "dir", "input", "print",
    "breakpoint", "help", "type", "object", "super", "memoryview", "bytearray", "bytes", "int", "float", "str", "list",
    "dict", "set", "range", "map", "filter", "zip", "iter", "next", "sorted", "sum", "pow", "divmod", "chr", "ord",
    "hash", "id", "isinstance", "callable", "delattr", "hasattr", "classmethod", "property", "__import__",
    "__build_class__",     "exit", "quit",
]  # fmt: skip
ATTACKS = [
    *(f"t.{name}" for name in ATTRIBUTES),
    *(f"(1).{name}" for name in ATTRIBUTES),
    *(f"''.{name}" for name in ATTRIBUTES),
    *(f"().__class__.__bases__[0].{name}" for name in ATTRIBUTES),
    *(f"{name}('1')" for name in BUILTINS),
    *(f"{name}" for name in BUILTINS),
    "__builtins__", "__name__", "self", "np", "os", "sys", "numpy.ones(9)", "os.system('true')", "import os",
    "from os import path", "__import__('os').system('true')", "lambda: 1", "(lambda x: x)(1)", "[i for i in (1, 2)]",
    "{i for i in (1, 2)}", "{i: i for i in (1, 2)}", "(i for i in (1, 2))", "[1, 2]", "{1, 2}", "{1: 2}", "t[0]",
    "t[1:2]", "(1, 2)[0]", "x := 1", "(y := 2)", "t = 1", "t; f", "await t", "yield t", "(yield)", "*t", "sin(*t)",
    "sin(**t)", "sin(x=1)", "max(*(1, 2))", "f'{t}'", "f'{t!r:>{9}}'", "b'abc'", "1j", "...", "None", "t is f",
    "t in (1, 2)", "t not in (1, 2)", "t is not f", "t if f", "~t", "1 << 9", "8 >> 1", "t & 1", "t | 1", "t ^ 1",
    "t @ f", "2 ** 65", "2 ** -65", "10 ** 1000", "1e13", "9" * 400, "1e999", "-1e999", "sin", "sin()", "sin(1, 2)",
    "clamp(1)", "mix(1, 2)", "value(t)", "value('a' 'b', 1)", "value(1)", "value()", "value(f'{t}')", "rand()",
    "sin(sin)", "sin.__call__(1)", "value.__globals__", "(sin)(1).real", "(1, 2, 3, 4, 5)", "((1, 2), 3)", "(1,)",
    "1 + (1, 2)", "not", "1 +", ")", "(", "1 1", "'", '"', "t\x00", "\x00", "", " ", "\n", "#", "1 # 2 +", "\\", "$t",
    "t?", "`t`", "t!", "é", "ｔ.x", "1__0__", "0x", "1e", "assert t", "del t", "pass", "global t", "raise t",
    "while 1: pass", "for i in t: pass", "def f(): pass", "class A: pass", "with t: pass", "try: t", "return 1",
    "match t:", "print t", "exec 't'", "t -> f", "@t", "t.__init__.__globals__['os']", "'%s' % t.x", "'a'.join(t)",
    "+" * 60 + "1", "-" * 60 + "t", "(" * 60 + "1" + ")" * 60, "not " * 60 + "t", "(" * 3000 + "1" + ")" * 3000,
    "+".join(["1"] * (NODES + 1)), "sin(" * 50 + "t" + ")" * 50, "1 if " * 50 + "1", "t" * (LENGTH + 1),
    "'" + "a" * 201 + "'",
]  # fmt: skip
HARMLESS = {"#", "1 # 2 +", "(" * 60 + "1" + ")" * 60}


def put(path, value):
    return [{"op": "replace", "path": path, "value": value}]


def test_there_are_enough_attacks():
    assert len(set(ATTACKS)) >= 200


@pytest.mark.parametrize("text", [a for a in ATTACKS if a not in HARMLESS])
def test_what_formulas_may_not_do_is_refused(text):
    with pytest.raises(FormulaInvalid) as refused:
        parsed(text)
    assert 0 <= refused.value.at <= len(text)


def test_a_comment_is_no_more_than_nothing():
    assert parsed("1 # 2 +").asks == ()
    with pytest.raises(FormulaInvalid):
        parsed("#")


@given(st.text(max_size=60))
def test_any_text_is_read_or_refused(text):
    with contextlib.suppress(FormulaInvalid):
        parsed(text)


@pytest.mark.parametrize(
    ("text", "at"),
    [("1 + foo", 4), ("  sin(t) + t.x", 11), ("sin(1, 2)", 0), ("1 + (2", 4), ("'ü' if bar else 'b'", 7)],
)
def test_the_error_stands_at_its_character(text, at):
    with pytest.raises(FormulaInvalid) as refused:
        parsed(text)
    assert refused.value.at == at


def test_the_shot_names_the_value_whose_formula_is_wrong():
    with pytest.raises(FormulaInvalid) as refused:
        apply_patch(new_shot(), put("/steps/0/size", {"formula": "1 + oops"}))
    assert (refused.value.field, refused.value.at) == ("/steps/0/size", 4)
    assert "'oops'" in str(refused.value) and "character 5" in str(refused.value)


def test_letters_are_known_where_letters_move_only():
    apply_patch(new_shot(), put("/steps/2/offset/move", {"formula": "(i, u, x)"}))
    with pytest.raises(FormulaInvalid, match="where letters move"):
        apply_patch(new_shot(), put("/steps/7/lens", {"formula": "20 + i"}))


@pytest.mark.parametrize(
    ("path", "link", "reason"),
    [
        ("/steps/0/size", "camera/nothing", "no such value"),
        ("/steps/0/size", "", "no such value"),
        ("/steps/0/size", "nobody/size", "no such value"),
        ("/steps/0/size", "block/align", "it is a choice"),
        ("/steps/0/size", "arrive/offset/move", "3 numbers"),
        ("/steps/0/size", "arrive/offset/move/3", "no such value"),
        ("/steps/7/orbit", "arrive/offset/move", "3 numbers"),
        ("/steps/0/align", "block/size", "a number"),
    ],
)
def test_links_that_lead_nowhere_or_to_another_kind_are_refused(path, link, reason):
    with pytest.raises(LinkInvalid, match=reason) as refused:
        apply_patch(new_shot(), put(path, {"link": link}))
    assert refused.value.field == path


def test_links_in_a_circle_are_refused_by_name():
    patch = [
        *put("/steps/0/size", {"link": "block/leading"}),
        *put("/steps/0/leading", {"formula": 'value("form/depth") + 1'}),
        *put("/steps/1/depth", {"link": "block/size"}),
    ]
    with pytest.raises(LinkLoop) as refused:
        apply_patch(new_shot(), patch)
    assert set(refused.value.loop) == {"block/size", "block/leading", "form/depth"}
    assert refused.value.loop[0] == refused.value.loop[-1]
    with pytest.raises(LinkLoop):
        apply_patch(new_shot(), put("/steps/0/size", {"link": "block/size"}))


@given(st.dictionaries(st.integers(0, 8), st.lists(st.integers(0, 8), max_size=3)))
def test_a_circle_is_found_exactly_when_there_is_one(edges):
    asks = {str(a): tuple(map(str, b)) for a, b in edges.items()}
    loop = circle(asks)
    if loop:
        assert loop[0] == loop[-1] and len(loop) > 1
        assert all(b in asks.get(a, ()) for a, b in pairwise(loop))
    else:  # without a circle everything can be put in an order
        left = dict(asks)
        while left:
            free = [a for a, b in left.items() if not any(c in left for c in b)]
            assert free
            for a in free:
                del left[a]


def test_what_others_follow_cannot_be_taken_away():
    shot, _ = apply_patch(new_shot(), put("/steps/7/lens", {"link": "form/depth", "factor": 100}))
    with pytest.raises(LinkInvalid):
        apply_patch(shot, [{"op": "remove", "path": "/steps/1"}])


def test_a_shot_with_formulas_survives_writing_and_reading():
    shot, inverse = apply_patch(new_shot(), put("/steps/0/size", {"formula": "1 + t"}))
    assert read_shot(write_shot(shot)) == shot
    assert apply_patch(shot, inverse)[0] == new_shot()


@pytest.mark.parametrize(
    ("written", "meant"),
    [("sinn(t)", "sin(...)"), ("clmp(t, 0, 1)", "clamp(...)"), ("sin + 1", "sin(...)"), ("randd(i)", "rand(...)")],
)
def test_a_name_that_is_nearly_right_is_asked_after(written, meant):
    with pytest.raises(FormulaInvalid, match=re.escape(f"did you mean {meant}?")):
        parsed(written)


def test_nothing_is_asked_after_a_name_like_no_other():
    with pytest.raises(FormulaInvalid) as wrong:
        parsed("harbour(t)")
    assert "did you mean" not in wrong.value.reason
