"""Formulas at frames, over all letters at once: the checked tree is walked with numpy, nothing is ever executed."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from functools import reduce
from typing import Protocol, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.values.curves import smooth
from moss_crown.core.values.noise import hashed, seed_of, smooth_noise

Floats: TypeAlias = NDArray[np.float64]
Told: TypeAlias = NDArray[np.bool_]
Part: TypeAlias = NDArray[np.float64] | NDArray[np.str_]
"""Numbers, or texts, that broadcast over frames and letters; a switch is 0 or 1."""
Answer: TypeAlias = Part | tuple[Part, ...]
"""What a formula is: a part for each part of a vector."""
Ask: TypeAlias = Callable[[str], Part]


def evaluate(tree: ast.expr, names: Mapping[str, Part], ask: Ask, seed: int) -> Answer:
    """The value of a checked formula: an array (or a tuple of them) that broadcasts over frames and letters.

    `names` gives the arrays that the formula may speak of, `ask` other values by their path. What has no answer, such
    as 1 / 0, is not a number; nothing is raised.
    """
    walk = _Walk(names, ask, seed)
    with np.errstate(all="ignore"):
        return tuple(walk(part) for part in tree.elts) if isinstance(tree, ast.Tuple) else walk(tree)


class _Walk:
    def __init__(self, names: Mapping[str, Part], ask: Ask, seed: int) -> None:
        self.names, self.ask, self.seed = names, ask, seed

    def __call__(self, node: ast.expr) -> Part:
        match node:
            case ast.Constant(value=str(plain)):
                return np.array(plain)
            case ast.Constant(value=bool() | int() | float() as number):
                return np.array(float(number))
            case ast.Name(id=name):
                return self.names[name]
            case ast.UnaryOp(op=op, operand=operand):
                return UNARY[type(op)](self(operand))
            case ast.BinOp(left=left, op=op, right=right):
                return BINARY[type(op)](_as_number(self(left)), _as_number(self(right)))
            case ast.BoolOp(op=op, values=values):
                parts = [self(v) for v in values]
                return reduce(_both if isinstance(op, ast.And) else _either, parts)
            case ast.Compare(left=left, ops=ops, comparators=others):
                sides = [self(left), *(self(o) for o in others)]
                told = [COMPARE[type(op)](a, b) for op, a, b in zip(ops, sides, sides[1:], strict=False)]
                return reduce(np.logical_and, told).astype(np.float64)
            case ast.IfExp(test=test, body=body, orelse=orelse):
                return _where(_true(self(test)), self(body), self(orelse))
            case ast.Call(func=ast.Name(id="value"), args=[ast.Constant(value=str() as path)]):
                return self.ask(path)
            case ast.Call(func=ast.Name(id="rand"), args=[k]):
                return hashed(self.seed, np.asarray(np.floor(_finite(self(k))), np.int64))
            case ast.Call(func=ast.Name(id="noise"), args=[x]):
                return smooth_noise(seed_of(self.seed, "noise"), _finite(self(x)))
            case ast.Call(func=ast.Name(id=name), args=args):
                return FUNCTIONS[name](*(_as_number(self(a)) for a in args))
        raise TypeError(f"unchecked formula: {ast.dump(node)}")


def _is_text(part: Part) -> bool:
    return part.dtype.kind in "US"


def _as_number(part: Part) -> Floats:
    """A text counts as not a number."""
    return np.full(part.shape, np.nan) if _is_text(part) else part.astype(np.float64)


def _finite(part: Part) -> Floats:
    return np.nan_to_num(np.clip(_as_number(part), -1e15, 1e15))


def _true(part: Part) -> Told:
    return part.astype(np.bool_)


def _where(told: Told, a: Part, b: Part) -> Part:
    found: Part = np.where(told, a, b)
    return found


def _both(a: Part, b: Part) -> Part:
    return _where(_true(a), b, a)


def _either(a: Part, b: Part) -> Part:
    return _where(_true(a), a, b)


UNARY: dict[type[ast.unaryop], Callable[[Part], Part]] = {
    ast.UAdd: _as_number,
    ast.USub: lambda a: -_as_number(a),
    ast.Not: lambda a: (~_true(a)).astype(np.float64),
}
BINARY: dict[type[ast.operator], Callable[[Floats, Floats], Floats]] = {
    ast.Add: np.add,
    ast.Sub: np.subtract,
    ast.Mult: np.multiply,
    ast.Div: np.divide,
    ast.FloorDiv: np.floor_divide,
    ast.Mod: np.mod,
    ast.Pow: np.power,
}
COMPARE: dict[type[ast.cmpop], Callable[[Part, Part], Told]] = {
    ast.Lt: lambda a, b: _as_number(a) < _as_number(b),
    ast.LtE: lambda a, b: _as_number(a) <= _as_number(b),
    ast.Gt: lambda a, b: _as_number(a) > _as_number(b),
    ast.GtE: lambda a, b: _as_number(a) >= _as_number(b),
    ast.Eq: lambda a, b: np.equal(a, b) if _is_text(a) == _is_text(b) else np.array(False),
    ast.NotEq: lambda a, b: np.not_equal(a, b) if _is_text(a) == _is_text(b) else np.array(True),
}


class _Function(Protocol):
    def __call__(self, *numbers: Floats) -> Floats: ...


def _of_one(function: Callable[[Floats], Floats]) -> _Function:
    def found(*numbers: Floats) -> Floats:
        return function(*numbers)

    return found


def _of_two(function: Callable[[Floats, Floats], Floats]) -> _Function:
    def found(*numbers: Floats) -> Floats:
        return function(*numbers)

    return found


def _of_three(function: Callable[[Floats, Floats, Floats], Floats]) -> _Function:
    def found(*numbers: Floats) -> Floats:
        return function(*numbers)

    return found


def _of_many(function: Callable[[Floats, Floats], Floats]) -> _Function:
    return lambda *numbers: reduce(function, numbers)


# How many numbers each takes was checked when the formula was read.
FUNCTIONS: dict[str, _Function] = {
    "sin": _of_one(np.sin),
    "cos": _of_one(np.cos),
    "tan": _of_one(np.tan),
    "asin": _of_one(np.arcsin),
    "acos": _of_one(np.arccos),
    "atan": _of_one(np.arctan),
    "atan2": _of_two(np.arctan2),
    "radians": _of_one(np.radians),
    "degrees": _of_one(np.degrees),
    "sqrt": _of_one(np.sqrt),
    "exp": _of_one(np.exp),
    "log": _of_one(np.log),
    "abs": _of_one(np.abs),
    "sign": _of_one(np.sign),
    "floor": _of_one(np.floor),
    "ceil": _of_one(np.ceil),
    "round": _of_one(np.round),
    "fract": _of_one(lambda x: x - np.floor(x)),
    "min": _of_many(np.minimum),
    "max": _of_many(np.maximum),
    "clamp": _of_three(lambda x, low, high: np.minimum(np.maximum(x, low), high)),
    "mix": _of_three(lambda a, b, share: a + (b - a) * share),
    "smooth": _of_three(smooth),
}
