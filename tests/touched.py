"""What a change can touch: python tests/touched.py BASE prints the parts to test, then test files of the core, a line
each.

A test of the core is touched by the modules that it imports, and by what those do. Tests of the server and in the
browser start the whole application, so that any of its sources touches them.
"""

from __future__ import annotations

import ast
import subprocess
import sys
from functools import cache
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
HELPERS = ("letters", "messages", "cluster", "pictures_made")
SOURCES = {"moss_crown": ROOT / "src", **dict.fromkeys(HELPERS, ROOT / "tests")}
ALL = ["core", "server", "web", "browser"]
TOUCH_ALL = ("pyproject.toml", "requirements.lock", "crown", "tests/run", "tests/conftest.py", "tests/touched.py")


def changed(base: str) -> list[str]:
    """Files that differ from a commit, those that git does not know yet included."""
    said = [("git", "diff", "--name-only", base), ("git", "ls-files", "--others", "--exclude-standard")]
    found = [subprocess.run(ask, cwd=ROOT, capture_output=True, text=True, check=True).stdout for ask in said]
    return sorted({line for part in found for line in part.splitlines()})


def file_of(module: str) -> Path | None:
    base = SOURCES.get(module.split(".", maxsplit=1)[0])
    if base is None:
        return None
    place = base / module.replace(".", "/")
    return next((p for p in (place.with_suffix(".py"), place / "__init__.py") if p.is_file()), None)


@cache
def imported(path: Path) -> frozenset[Path]:
    """Files of the project that a file imports, anywhere in it."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            names = [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom) and node.module:
            names = [node.module, *(f"{node.module}.{alias.name}" for alias in node.names)]
        else:
            continue
        # A package's own file runs before its modules do.
        whole = {".".join(name.split(".")[: k + 1]) for name in names for k in range(name.count(".") + 1)}
        found |= {file for name in whole if (file := file_of(name)) is not None}
    return frozenset(found)


def reached(path: Path) -> set[Path]:
    """A file and all that it imports, directly or not."""
    found, ahead = set(), [path]
    while ahead:
        here = ahead.pop()
        if here not in found:
            found.add(here)
            ahead += imported(here)
    return found


def touched(files: list[str]) -> tuple[list[str], list[str]]:
    """Parts to test whole (core, server, web, browser), and tests of the core besides."""
    if any(file in TOUCH_ALL for file in files):
        return ALL, []
    parts = []
    if any(file.startswith(("src/", "tests/server", "tests/farm")) for file in files):
        parts.append("server")
    if any(file.startswith("web/") for file in files):
        parts.append("web")
    if any(file.startswith(("src/", "web/", "tests/e2e")) for file in files):
        parts.append("browser")
    paths = {ROOT / file for file in files}
    tests = sorted((ROOT / "tests/core").rglob("test_*.py"))
    return parts, [str(test.relative_to(ROOT)) for test in tests if reached(test) & paths]


if __name__ == "__main__":
    parts, tests = touched(changed(sys.argv[1]))
    print(" ".join(parts))
    print("\n".join(tests))
