"""Formulas: a bounded part of Python's expressions, checked against an allow-list before anything is computed.

What is not listed here is refused: no attributes, no subscripts, no calls but ours, no names but ours. Numbers are
floating point throughout, so that no power can grow without bound.
"""

from __future__ import annotations

import ast
from dataclasses import dataclass
from difflib import get_close_matches
from functools import lru_cache

from moss_crown.core.errors import TitleError

LENGTH = 2_000
NODES = 400
DEPTH = 40
LARGEST = 1e12
STEEPEST = 64.0

NAMES = {
    "t": "seconds since the first frame",
    "f": "frame",
    "i": "the letter's place in reading order, 0 is the first",
    "n": "number of letters",
    "u": "0 at the first letter of a line, 1 at its last",
    "x": "the letter's place at rest across, in metres",
    "y": "the letter's place at rest up, in metres",
    "z": "the letter's place at rest forward, in metres",
    "pi": "half a turn in radians",
    "tau": "a whole turn in radians",
}
OF_LETTERS = frozenset("inuxyz")
FUNCTIONS: dict[str, tuple[int, int, str]] = {
    "sin": (1, 1, "sin(x) of an angle in radians"),
    "cos": (1, 1, "cos(x) of an angle in radians"),
    "tan": (1, 1, "tan(x) of an angle in radians"),
    "asin": (1, 1, "asin(x) in radians"),
    "acos": (1, 1, "acos(x) in radians"),
    "atan": (1, 1, "atan(x) in radians"),
    "atan2": (2, 2, "atan2(y, x) in radians"),
    "radians": (1, 1, "radians(x) of an angle in degrees"),
    "degrees": (1, 1, "degrees(x) of an angle in radians"),
    "sqrt": (1, 1, "sqrt(x), the square root"),
    "exp": (1, 1, "exp(x)"),
    "log": (1, 1, "log(x), natural"),
    "abs": (1, 1, "abs(x), without its sign"),
    "sign": (1, 1, "sign(x): -1, 0 or 1"),
    "floor": (1, 1, "floor(x), the whole number below"),
    "ceil": (1, 1, "ceil(x), the whole number above"),
    "round": (1, 1, "round(x), the nearest whole number"),
    "fract": (1, 1, "fract(x), what is after the point"),
    "min": (1, 8, "min(a, b, ...), the smallest"),
    "max": (1, 8, "max(a, b, ...), the largest"),
    "clamp": (3, 3, "clamp(x, low, high), kept between"),
    "mix": (3, 3, "mix(a, b, share), between a and b"),
    "smooth": (3, 3, "smooth(a, b, x): 0 below a, 1 above b, eased between"),
    "rand": (1, 1, "rand(k): 0 to 1, another for each whole k"),
    "noise": (1, 1, "noise(x): -1 to 1, changing smoothly with x"),
    "value": (1, 1, 'value("step/member"), another value of the shot'),
}
"""Name: fewest and most arguments, and what it does."""

OPERATORS = (ast.Add, ast.Sub, ast.Mult, ast.Div, ast.FloorDiv, ast.Mod, ast.Pow, ast.UAdd, ast.USub, ast.Not)
COMPARISONS = (ast.Lt, ast.LtE, ast.Gt, ast.GtE, ast.Eq, ast.NotEq)


class FormulaInvalid(TitleError):
    """A formula that cannot be read, or that asks for what formulas may not do. `at` is the character, 0 the first."""

    code = "formula.invalid"
    bound = "an expression of numbers, names and functions that formulas know"

    def __init__(self, reason: str, at: int, field: str = "") -> None:
        super().__init__(reason, at, field)
        self.reason, self.at, self.field = reason, at, field

    def __str__(self) -> str:
        place = f"{self.field}: " if self.field else ""
        return f"{place}{self.reason}, at character {self.at + 1}"


@dataclass(frozen=True)
class Expression:
    """A formula that may be computed: its tree, the other values it asks for, and whether it speaks of letters."""

    tree: ast.expr
    asks: tuple[str, ...]
    of_letters: bool


@lru_cache(maxsize=1024)
def parsed(text: str) -> Expression:
    """Read and check a formula. Raises FormulaInvalid."""
    if len(text) > LENGTH:
        raise FormulaInvalid(f"a formula has at most {LENGTH} characters", LENGTH)
    if not text.strip():
        raise FormulaInvalid("a formula is missing", 0)
    indent = len(text) - len(text.lstrip())
    # A line break is no more than a space, and a null byte no more than a wrong character.
    plain = text.strip().replace("\n", " ").replace("\r", " ").replace("\t", " ")
    try:
        tree = ast.parse(plain, mode="eval").body
    except SyntaxError as wrong:
        said = (wrong.msg or "this is not an expression").split(" (")[0]
        raise FormulaInvalid(said, indent + max((wrong.offset or 1) - 1, 0)) from None
    except (ValueError, RecursionError, MemoryError):
        raise FormulaInvalid("this is not an expression", indent) from None
    asks: list[str] = []
    names: set[str] = set()
    _check(tree, plain, indent, [0], 0, asks, names, top=True)
    return Expression(tree, tuple(dict.fromkeys(asks)), bool(names & OF_LETTERS))


def _meant(name: str) -> str:
    """A question after what may have been meant by a name that is not known; nothing where nothing is like it."""
    if name in FUNCTIONS:
        return f"; did you mean {name}(...)?"
    close = get_close_matches(name, [*FUNCTIONS, *NAMES], 1, 0.7)
    return f"; did you mean {close[0]}{'(...)' if close[0] in FUNCTIONS else ''}?" if close else ""


def _check(
    node: ast.expr,
    text: str,
    indent: int,
    seen: list[int],
    depth: int,
    asks: list[str],
    names: set[str],
    top: bool = False,
) -> None:
    seen[0] += 1
    # ast counts bytes of UTF-8; the user counts characters.
    at = indent + len(text.encode()[: node.col_offset].decode(errors="ignore"))
    if seen[0] > NODES or depth > DEPTH:
        raise FormulaInvalid(f"a formula has at most {NODES} parts, nested at most {DEPTH} deep", at)

    def inner(*parts: ast.expr) -> None:
        for part in parts:
            _check(part, text, indent, seen, depth + 1, asks, names)

    match node:
        case ast.Constant(value=bool() | str() as plain):
            if isinstance(plain, str) and len(plain) > 200:
                raise FormulaInvalid("a text in a formula has at most 200 characters", at)
        case ast.Constant(value=int() | float() as number):
            # Compared as it stands: a huge whole number would not go into a float.
            if not abs(number) <= LARGEST:
                raise FormulaInvalid(f"a number in a formula is at most {LARGEST:g}", at)
        case ast.Name(id=name):
            if name not in NAMES:
                raise FormulaInvalid(f"{name!r} is not a name that formulas know{_meant(name)}", at)
            names.add(name)
        case ast.BinOp(left=left, op=op, right=right) if isinstance(op, OPERATORS):
            inner(left, right)
            if isinstance(op, ast.Pow) and abs(_plain(right)) > STEEPEST:
                raise FormulaInvalid(f"a power is at most {STEEPEST:g}", at)
        case ast.UnaryOp(op=op, operand=operand) if isinstance(op, OPERATORS):
            inner(operand)
        case ast.BoolOp(values=values):
            inner(*values)
        case ast.Compare(left=left, ops=ops, comparators=others) if all(isinstance(o, COMPARISONS) for o in ops):
            inner(left, *others)
        case ast.IfExp(test=test, body=body, orelse=orelse):
            inner(test, body, orelse)
        case ast.Tuple(elts=parts) if top and 2 <= len(parts) <= 4:
            inner(*parts)
        case ast.Call(func=ast.Name(id=name), args=args, keywords=[]) if name in FUNCTIONS:
            fewest, most, _ = FUNCTIONS[name]
            if not fewest <= len(args) <= most:
                wanted = f"{fewest}" if fewest == most else f"{fewest} to {most}"
                raise FormulaInvalid(f"{name} takes {wanted} values, not {len(args)}", at)
            if name == "value":
                asked = args[0]
                if not (isinstance(asked, ast.Constant) and isinstance(asked.value, str)):
                    raise FormulaInvalid('value asks for a path in quotes, such as value("camera/lens")', at)
                asks.append(asked.value)
            inner(*args)
        case ast.Call(func=ast.Name(id=name)):
            raise FormulaInvalid(f"{name!r} is not a function that formulas know{_meant(name)}", at)
        case _:
            what = type(node).__name__.lower()
            names_of = {"attribute": "a point after a name", "subscript": "brackets after a name", "lambda": "lambda"}
            raise FormulaInvalid(f"{names_of.get(what, 'this')} has no place in a formula", at)


def _plain(node: ast.expr) -> float:
    """A number as it stands in a formula, with its sign; 0 for anything else."""
    match node:
        case ast.UnaryOp(operand=operand):
            return _plain(operand)
        case ast.Constant(value=int() | float() as number):
            return float(number)
    return 0.0


def path_parts(path: str) -> list[str]:
    """The members that a path such as `arrive/offset/move/0` goes through."""
    return [part for part in path.split("/") if part]


def circle(asks: dict[str, tuple[str, ...]]) -> list[str]:
    """Values that ask for each other in a circle, the first one again at the end; empty when there is none."""
    done: set[str] = set()
    for start in asks:
        trail: list[str] = []
        stack: list[tuple[str, int]] = [(start, 0)]
        while stack:
            here, k = stack.pop()
            if k == 0:
                if here in trail:
                    return [*trail[trail.index(here) :], here]
                if here in done:
                    continue
                trail.append(here)
            following = asks.get(here, ())
            if k < len(following):
                stack += [(here, k + 1), (following[k], 0)]
            else:
                trail.remove(here)
                done.add(here)
    return []
