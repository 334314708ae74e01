"""Formulas at frames, over all letters at once: the checked tree is walked with numpy, nothing is ever executed."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.values.noise import hashed, seed_of, smooth_noise

Array = NDArray[Any]
Ask = Callable[[str], Any]


def evaluate(tree: ast.expr, names: Mapping[str, Any], ask: Ask, seed: int) -> Any:
    """The value of a checked formula: an array (or a tuple of them) that broadcasts over frames and letters.

    `names` gives the arrays that the formula may speak of, `ask` other values by their path. What has no answer, such
    as 1 / 0, is not a number; nothing is raised.
    """
    with np.errstate(all="ignore"):
        return _Walk(names, ask, seed)(tree)


class _Walk:
    def __init__(self, names: Mapping[str, Any], ask: Ask, seed: int) -> None:
        self.names, self.ask, self.seed = names, ask, seed

    def __call__(self, node: ast.expr) -> Any:
        match node:
            case ast.Constant(value=bool() | str() as plain):
                return plain
            case ast.Constant(value=number):
                return np.float64(number)  # type: ignore[arg-type]
            case ast.Name(id=name):
                return self.names[name]
            case ast.Tuple(elts=parts):
                return tuple(self(part) for part in parts)
            case ast.UnaryOp(op=op, operand=operand):
                return UNARY[type(op)](self(operand))
            case ast.BinOp(left=left, op=op, right=right):
                return _number(BINARY[type(op)], self(left), self(right))
            case ast.BoolOp(op=op, values=values):
                parts = [self(v) for v in values]
                return reduce(_both if isinstance(op, ast.And) else _either, parts)
            case ast.Compare(left=left, ops=ops, comparators=others):
                sides = [self(left), *(self(o) for o in others)]
                told = [COMPARE[type(op)](a, b) for op, a, b in zip(ops, sides, sides[1:], strict=False)]
                return reduce(np.logical_and, told)
            case ast.IfExp(test=test, body=body, orelse=orelse):
                return np.where(_true(self(test)), self(body), self(orelse))
            case ast.Call(func=ast.Name(id="value"), args=[ast.Constant(value=str() as path)]):
                return self.ask(path)
            case ast.Call(func=ast.Name(id="rand"), args=[k]):
                return hashed(self.seed, np.asarray(np.floor(_finite(self(k))), np.int64))
            case ast.Call(func=ast.Name(id="noise"), args=[x]):
                return smooth_noise(seed_of(self.seed, "noise"), np.asarray(_finite(self(x)), np.float64))
            case ast.Call(func=ast.Name(id=name), args=args):
                return FUNCTIONS[name](*(_as_number(self(a)) for a in args))
        raise TypeError(f"unchecked formula: {ast.dump(node)}")


def _as_number(value: Any) -> Any:
    """A switch counts as 0 or 1, a text as not a number."""
    array = np.asarray(value)
    return np.full(array.shape, np.nan) if array.dtype.kind in "US" else array.astype(np.float64)


def _number(operation: Callable[[Any, Any], Any], a: Any, b: Any) -> Any:
    return operation(_as_number(a), _as_number(b))


def _finite(value: Any) -> Array:
    bounded: Array = np.nan_to_num(np.clip(_as_number(value), -1e15, 1e15))
    return bounded


def _true(value: Any) -> Array:
    told: Array = np.asarray(value).astype(bool)
    return told


def _both(a: Any, b: Any) -> Any:
    return np.where(_true(a), b, a)


def _either(a: Any, b: Any) -> Any:
    return np.where(_true(a), a, b)


def _smooth(a: Any, b: Any, x: Any) -> Any:
    share = np.clip((x - a) / (b - a), 0, 1)
    return share * share * (3 - 2 * share)


UNARY: dict[type[ast.unaryop], Callable[[Any], Any]] = {
    ast.UAdd: _as_number,
    ast.USub: lambda a: -_as_number(a),
    ast.Not: lambda a: ~_true(a),
}
BINARY: dict[type[ast.operator], Callable[[Any, Any], Any]] = {
    ast.Add: np.add,
    ast.Sub: np.subtract,
    ast.Mult: np.multiply,
    ast.Div: np.divide,
    ast.FloorDiv: np.floor_divide,
    ast.Mod: np.mod,
    ast.Pow: np.power,
}
COMPARE: dict[type[ast.cmpop], Callable[[Any, Any], Any]] = {
    ast.Lt: lambda a, b: _as_number(a) < _as_number(b),
    ast.LtE: lambda a, b: _as_number(a) <= _as_number(b),
    ast.Gt: lambda a, b: _as_number(a) > _as_number(b),
    ast.GtE: lambda a, b: _as_number(a) >= _as_number(b),
    ast.Eq: lambda a, b: np.equal(a, b) if _alike(a, b) else np.False_,
    ast.NotEq: lambda a, b: np.not_equal(a, b) if _alike(a, b) else np.True_,
}
FUNCTIONS: dict[str, Callable[..., Any]] = {
    "sin": np.sin,
    "cos": np.cos,
    "tan": np.tan,
    "asin": np.arcsin,
    "acos": np.arccos,
    "atan": np.arctan,
    "atan2": np.arctan2,
    "radians": np.radians,
    "degrees": np.degrees,
    "sqrt": np.sqrt,
    "exp": np.exp,
    "log": np.log,
    "abs": np.abs,
    "sign": np.sign,
    "floor": np.floor,
    "ceil": np.ceil,
    "round": np.round,
    "fract": lambda x: x - np.floor(x),
    "min": lambda *a: reduce(np.minimum, a),
    "max": lambda *a: reduce(np.maximum, a),
    "clamp": lambda x, low, high: np.minimum(np.maximum(x, low), high),
    "mix": lambda a, b, share: a + (b - a) * share,
    "smooth": _smooth,
}


def _alike(a: Any, b: Any) -> bool:
    return (np.asarray(a).dtype.kind in "US") == (np.asarray(b).dtype.kind in "US")
