"""Which tests a change can touch."""

import pytest

from touched import ALL, touched


def test_a_change_of_form_touches_its_tests_and_those_of_what_is_made_of_it():
    parts, tests = touched(["src/moss_crown/core/form/tube.py"])
    assert parts == ["server", "browser"]
    assert {"tests/core/form/test_tubes.py", "tests/core/test_pipeline.py"} <= set(tests)
    assert not {"tests/core/test_compiling.py", "tests/core/document/test_formula.py"} & set(tests)


def test_a_test_touches_itself_and_a_helper_all_that_it_helps():
    assert touched(["tests/core/form/test_tubes.py"]) == ([], ["tests/core/form/test_tubes.py"])
    assert "tests/core/form/test_solids.py" in touched(["tests/letters.py"])[1]


@pytest.mark.parametrize(
    ("file", "parts"),
    [
        ("docs/architecture.md", []),
        ("web/src/shot/draft.ts", ["web", "browser"]),
        ("tests/e2e/test_looks.py", ["browser"]),
        ("src/moss_crown/server/pool.py", ["server", "browser"]),
        ("pyproject.toml", ALL),
    ],
)
def test_parts_are_touched_whole(file, parts):
    assert touched([file])[0] == parts
