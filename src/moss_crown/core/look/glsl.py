"""The textures as GLSL ES 3.00, for the draft: written out from the source of `noise`, `patterns` and `mixing`.

What the renderer computes and what the draft draws is one text. Every number is a float; a function that answers
several numbers answers a vector of them. Every name gets an underscore at its end, so that none is a word of GLSL.
"""

from __future__ import annotations

import ast
import inspect
from functools import lru_cache
from types import ModuleType

from moss_crown.core.look import mixing, noise, patterns

LATTICE = """float lattice_(float x, float y, float z, float seed) {
  uint h = uint(int(x)) * 0x8DA6B343u + uint(int(y)) * 0xD8163841u + uint(int(z)) * 0xCB1AB31Fu
    + uint(int(seed)) * 0x165667B1u;
  h = (h ^ (h >> 16u)) * 0x21F0AAADu;
  h = (h ^ (h >> 15u)) * 0xD35A2D97u;
  h = h ^ (h >> 15u);
  return float(h >> 8u) / 16777216.0;
}
"""
"""The twin of `noise.lattice`: the one function that both languages have to say in their own way."""

_OPERATORS = {ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/"}
_COMPARISONS = {ast.Lt: "<", ast.Gt: ">", ast.LtE: "<=", ast.GtE: ">=", ast.Eq: "=="}
_BUILT_IN = ("abs", "min", "max")
VECTORS = {1: "float", 2: "vec2", 3: "vec3", 4: "vec4"}


class CannotSay(Exception):
    """The source holds what the shared language has no word for."""


@lru_cache(maxsize=64)
def texture_source(pattern: str) -> str:
    """What draws a pattern: its function and those that it needs, in the order of their definition, with `layered` and
    `rubbed`.

    Raises CannotSay.
    """
    every = {function.name: function for module in (noise, patterns) for function in functions_of(module)}
    # The pattern itself stands for the choice among all of them: a shader that could draw any would be slow to make.
    (choice,) = ast.parse(f"def pattern(kind, x, y, z, p, q):\n    return {pattern}(x, y, z, p, q)").body
    assert isinstance(choice, ast.FunctionDef)
    named = {**every, "pattern": choice}
    needed = needed_by("layered", named) | needed_by("rubbed", named)
    widths: dict[str, int] = {"lattice": 1}
    found = [LATTICE]
    for name, function in named.items():
        if name in needed and name != "lattice":
            found.append(Writer(widths).function(function))
    return "\n".join(found)


def shared_source() -> str:
    """What renderer and draft work out alike whatever the texture: the constants and functions of `mixing`."""
    constants = ""
    for name, value in mixing.CONSTANTS.items():
        parts = value if isinstance(value, tuple) else (value,)
        kind = VECTORS[len(parts)]
        constants += f"const {kind} {name} = {kind}({', '.join(repr(float(part)) for part in parts)});\n"
    writer = Writer({})
    return constants + "\n".join(writer.function(function) for function in functions_of(mixing))


def needed_by(name: str, functions: dict[str, ast.FunctionDef]) -> set[str]:
    """The names of a function and all that it calls, however indirectly."""
    found: set[str] = set()
    waiting = [name]
    while waiting:
        one = waiting.pop()
        if one in functions and one not in found:
            found.add(one)
            called = [node.func for node in ast.walk(functions[one]) if isinstance(node, ast.Call)]
            waiting += [function.id for function in called if isinstance(function, ast.Name)]
    return found


def functions_of(module: ModuleType) -> list[ast.FunctionDef]:
    """What a module defines, in its order."""
    return [node for node in ast.parse(inspect.getsource(module)).body if isinstance(node, ast.FunctionDef)]


class Writer:
    """Writes one function. `widths`: how many numbers each function that is known answers."""

    def __init__(self, widths: dict[str, int]) -> None:
        self._widths = widths
        self._known: set[str] = set()
        self._spare = 0

    def function(self, node: ast.FunctionDef) -> str:
        parameters = [argument.arg for argument in node.args.args]
        self._known = set(parameters)
        width = max(self._width(r.value) for r in ast.walk(node) if isinstance(r, ast.Return) and r.value)
        self._widths[node.name] = width
        body = node.body[1:] if _is_text(node.body[0]) else node.body
        lines = self._block(body, 1)
        head = ", ".join(f"float {name}_" for name in parameters)
        return f"{VECTORS[width]} {node.name}_({head}) {{\n{lines}}}\n"

    def _width(self, node: ast.expr) -> int:
        if isinstance(node, ast.Tuple):
            return len(node.elts)
        if isinstance(node, ast.IfExp):
            return self._width(node.body)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
            return self._widths.get(node.func.id, 1)
        return 1

    def _block(self, body: list[ast.stmt], depth: int) -> str:
        return "".join(self._statement(node, "  " * depth, depth) for node in body)

    def _statement(self, node: ast.stmt, pad: str, depth: int) -> str:
        match node:
            case ast.Assign(value=ast.Compare() | ast.BoolOp()):
                pass  # there are no variables but numbers
            case ast.Assign(targets=[ast.Name(id=name)], value=value):
                return f"{pad}{self._fresh(name)}{name}_ = {self._say(value)};\n"
            case ast.Assign(targets=[ast.Tuple(elts=names)], value=value):
                self._spare += 1
                several = f"several{self._spare}"
                text = f"{pad}{VECTORS[len(names)]} {several} = {self._say(value)};\n"
                for place, one in zip("xyzw", names, strict=False):
                    if isinstance(one, ast.Name) and not one.id.startswith("_"):
                        text += f"{pad}{self._fresh(one.id)}{one.id}_ = {several}.{place};\n"
                return text
            case ast.AugAssign(target=ast.Name(id=name), op=op, value=value):
                return f"{pad}{name}_ {_OPERATORS[type(op)]}= {self._say(value)};\n"
            case ast.Return(value=value) if value is not None:
                return f"{pad}return {self._say(value)};\n"
            case ast.If(test=ast.Compare() as test, body=body, orelse=orelse):
                before = set(self._known)
                text = f"{pad}if ({self._say(test)}) {{\n{self._block(body, depth + 1)}{pad}}}"
                self._known = set(before)
                if orelse:
                    text += f" else {{\n{self._block(orelse, depth + 1)}{pad}}}"
                    self._known = before
                return text + "\n"
            case ast.For(target=ast.Name(id=name), iter=ast.Call(func=ast.Name(id="range"), args=[low, high])):
                head = f"for (float {name}_ = {self._say(low)}; {name}_ < {self._say(high)}; {name}_ += 1.0)"
                before = set(self._known)
                text = f"{pad}{head} {{\n{self._block(node.body, depth + 1)}{pad}}}\n"
                self._known = before
                return text
        raise CannotSay(ast.unparse(node))

    def _fresh(self, name: str) -> str:
        if name in self._known:
            return ""
        self._known.add(name)
        return "float "

    def _say(self, node: ast.expr) -> str:
        match node:
            case ast.Constant(value=bool(value)):
                return "true" if value else "false"
            case ast.Constant(value=int(value) | float(value)):
                return repr(float(value))
            case ast.Name(id=name):
                return f"{name}_"
            case ast.UnaryOp(op=ast.USub(), operand=operand):
                return f"(-{self._say(operand)})"
            case ast.BinOp(left=left, op=op, right=right) if type(op) in _OPERATORS:
                return f"({self._say(left)} {_OPERATORS[type(op)]} {self._say(right)})"
            case ast.Compare(left=left, ops=[op], comparators=[right]):
                return f"({self._say(left)} {_COMPARISONS[type(op)]} {self._say(right)})"
            case ast.IfExp(test=ast.Compare() as test, body=body, orelse=orelse):
                return f"({self._say(test)} ? {self._say(body)} : {self._say(orelse)})"
            case ast.Tuple(elts=elts):
                return f"{VECTORS[len(elts)]}({', '.join(self._say(one) for one in elts)})"
            case ast.Call(func=ast.Attribute(value=ast.Name(id="math" | "np"), attr=name), args=args):
                return f"{name}({', '.join(self._say(one) for one in args)})"
            case ast.Call(func=ast.Name(id=name), args=args):
                own = name if name in _BUILT_IN else f"{name}_"
                return f"{own}({', '.join(self._say(one) for one in args)})"
        raise CannotSay(ast.unparse(node))


def _is_text(node: ast.stmt) -> bool:
    return isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant) and isinstance(node.value.value, str)
