"""Deformers for the draft, written out from the source of `functions`: as GLSL for what is drawn, as JavaScript for
what is picked and pointed at."""

from __future__ import annotations

import ast
from collections.abc import Sequence
from functools import lru_cache

from moss_crown.core.deform import functions
from moss_crown.core.deform.rows import (
    AMOUNT,
    APART,
    ARCS,
    BACK,
    BEGUN,
    CLAMP,
    FELT,
    KIND,
    KINDS,
    KNOTS,
    MIX,
    MOVED,
    OF_ALL,
    PLACES,
    ROW,
    RUN,
    SHAPE,
    SIZE,
    TRACK,
    TRACKS,
    ZONE,
)
from moss_crown.core.look import noise
from moss_crown.core.look.glsl import LATTICE, Writer, functions_of, needed_by

TEXELS = ROW // 4
_STEP = "1e-3"
"""Metres along the surface, in the draft's numbers of 32 bits."""


@lru_cache(maxsize=64)
def vertex_source(kinds: tuple[str, ...], most: int) -> str:
    """What a vertex shader bends letters with: `bent(letter, place)` and `bentNormal(letter, place, normal)`, for rows
    of these kinds, at most so many of a letter, which are texels of `bends`, a row of that for each letter.

    There is no loop over rows or steps: drawn in software each turn would be written out.
    """
    chain = "\n".join(f"  q = bentBy(letter, {k}, q);" for k in range(most))
    felt, laid = FELT in kinds, PATH in kinds
    moving = tuple(kind for kind in kinds if kind not in (FELT, PATH))
    return f"""uniform highp sampler2D bends;
{_written(Writer({"lattice": 1}), LATTICE, kinds)}
{_choice(moving)}
vec4 bendRow(int letter, int k) {{ return texelFetch(bends, ivec2(k, letter), 0); }}
{_NUMBER_SHADER if felt or laid else ""}
{_FELT_SHADER if felt else ""}
{_PATH_SHADER if laid else ""}
vec3 bentBy(int letter, int k, vec3 p) {{
  vec4 e = bendRow(letter, k * {TEXELS} + 5);
{_FEEL_SHADER if felt else ""}  if (e.y == 0.0 || e.z == 0.0) return p;
  vec4 one = vec4(p, 1.0);
  vec4 a = bendRow(letter, k * {TEXELS} + 3), b = bendRow(letter, k * {TEXELS} + 4);
  vec4 f = bendRow(letter, k * {TEXELS} + 6);
  vec3 q = vec3(dot(bendRow(letter, k * {TEXELS}), one), dot(bendRow(letter, k * {TEXELS} + 1), one),
    dot(bendRow(letter, k * {TEXELS} + 2), one));
  vec3 d = {_PATH_CHOICE if laid else ""}chosen(e.y, q, e.z, e.w, f.x, f.y, f.z, f.w);
  return p + {"by * " if felt else ""}vec3(dot(a.xyz, d), dot(vec3(a.w, b.xy), d), dot(vec3(b.zw, e.x), d));
}}
vec3 bent(int letter, vec3 p) {{
  vec3 q = p;
{"  rested = p; weight = 1.0;" if felt else ""}
{chain}
  return q;
}}
vec3 bentNormal(int letter, vec3 p, vec3 m) {{
  float g = m.z >= 0.0 ? 1.0 : -1.0, k = -1.0 / (g + m.z), j = m.x * m.y * k;
  vec3 u = vec3(1.0 + g * m.x * m.x * k, g * j, -g * m.x), v = vec3(j, g + m.y * m.y * k, -m.y), q = bent(letter, p);
  return normalize(cross(bent(letter, p + {_STEP} * u) - q, bent(letter, p + {_STEP} * v) - q));
}}
"""


_NUMBER_SHADER = (
    f"float bendNumber(int letter, int k, int n) {{ return bendRow(letter, k * {TEXELS} + n / 4)[n % 4]; }}"
)
PATH = "path"
"""The kind that needs rows besides its own."""
_PATH_CHOICE = f"e.y == {KINDS[PATH]}.0 ? alongPath(letter, k, q, e.w, f.x) : "
_PATH_SHADER = f"""vec3 alongPath(int letter, int k, vec3 p, float begun, float apart) {{
  float first = clamp(floor((p.x - begun) / apart), 0.0, {ARCS - 1}.0);
  int j = int(first), here = k - {TRACKS} + j / {PLACES}, n = 3 * (j % {PLACES}), i = j + 1;
  float after = bendNumber(letter, k - {TRACKS} + i / {PLACES}, 3 * (i % {PLACES}) + 2);
  return laid_(p.x, p.y, p.z, begun + first * apart, apart, bendNumber(letter, here, n),
    bendNumber(letter, here, n + 1), bendNumber(letter, here, n + 2), after);
}}"""
_FELT_SHADER = f"""vec3 rested;
float share = 0.0, weight = 1.0;
void feel(int letter, int k, vec3 p, bool curve) {{
  if (curve) {{
    float place = (bendNumber(letter, k, {OF_ALL}) > 0.5 ? weight : share) * {KNOTS - 1}.0;
    float first = clamp(floor(place), 0.0, {KNOTS - 2}.0);
    int j = int(first);
    float made = between_(bendNumber(letter, k, j), bendNumber(letter, k, j + 1), bendNumber(letter, k, j + 2),
      bendNumber(letter, k, j + 3), place - first);
    weight = joined_(bendNumber(letter, k, {MIX}), weight, made);
    if (bendNumber(letter, k, {CLAMP}) > 0.5) weight = clamp(weight, 0.0, 1.0);
  }} else {{
    vec4 one = vec4(bendNumber(letter, k, {MOVED}) > 0.5 ? p : rested, 1.0), a = bendRow(letter, k * {TEXELS} + 3);
    float far = outside_(bendNumber(letter, k, {SHAPE}), dot(bendRow(letter, k * {TEXELS}), one),
      dot(bendRow(letter, k * {TEXELS} + 1), one), dot(bendRow(letter, k * {TEXELS} + 2), one), a.x, a.y, a.z);
    share = clamp(far / a.w, 0.0, 1.0);
  }}
}}"""
"""What points feel of zones: the sizes of a zone and its run are one texel of its row."""
assert (SIZE, RUN) == (12, 15)
_FEEL_SHADER = f"""  if (e.y > {ZONE - 0.5}) {{
    if (e.y < {TRACK - 0.5}) feel(letter, k, p, e.y > {ZONE + 0.5});
    return p;
  }}
  float by = weight;
  weight = 1.0;
"""


def _choice(kinds: Sequence[str]) -> str:
    body = "".join(
        f"  if (kind == {KINDS[kind]}.0) return {kind}_(p.x, p.y, p.z, a, b, c, d, e, f);\n" for kind in kinds
    )
    head = "vec3 chosen(float kind, vec3 p, float a, float b, float c, float d, float e, float f)"
    return f"{head} {{\n{body}  return vec3(0.0);\n}}"


def script() -> str:
    """A module of TypeScript: `bent(rows, first, count, x, y, z)` answers a point (three numbers) of a letter through
    `count` rows that begin at `first` in an array of numbers."""
    numbers = ", ".join(f"r[i + {AMOUNT + k}]" for k in range(ROW - AMOUNT))
    choice = "\n".join(
        f"    case {number}: return {kind}_(s, t, h, {numbers});" for kind, number in KINDS.items() if kind != PATH
    )
    return f"""// @ts-nocheck
// Written out from the core's deformers by `./crown deformers`; not to be edited.
let R1 = 0, R2 = 0, R3 = 0;
{_written(_Script({"lattice": 1}), _LATTICE_SCRIPT, (*KINDS, FELT))}
function alongPath(r, i, s, t, h) {{
  const begun = r[i + {BEGUN}], apart = r[i + {APART}];
  const j = Math.min(Math.max(Math.floor((s - begun) / apart), 0), {ARCS - 1}), k = j + 1;
  const a = i + (Math.floor(j / {PLACES}) - {TRACKS}) * {ROW} + 3 * (j % {PLACES});
  const b = i + (Math.floor(k / {PLACES}) - {TRACKS}) * {ROW} + 3 * (k % {PLACES});
  return laid_(s, t, h, begun + j * apart, apart, r[a], r[a + 1], r[a + 2], r[b + 2]);
}}
function chosen(r, i, s, t, h) {{
  switch (r[i + {KIND}]) {{
{choice}
    case {KINDS[PATH]}: return alongPath(r, i, s, t, h);
  }}
  R1 = R2 = 0;
  return 0;
}}
function felt(r, i, share, weight) {{
  const place = (r[i + {OF_ALL}] > 0.5 ? weight : share) * {KNOTS - 1};
  const j = Math.min(Math.max(Math.floor(place), 0), {KNOTS - 2});
  const made = between_(r[i + j], r[i + j + 1], r[i + j + 2], r[i + j + 3], place - j);
  const now = joined_(r[i + {MIX}], weight, made);
  return r[i + {CLAMP}] > 0.5 ? Math.min(Math.max(now, 0), 1) : now;
}}
function shared(r, i, x, y, z) {{
  const s = r[i] * x + r[i + 1] * y + r[i + 2] * z + r[i + 3];
  const t = r[i + 4] * x + r[i + 5] * y + r[i + 6] * z + r[i + 7];
  const h = r[i + 8] * x + r[i + 9] * y + r[i + 10] * z + r[i + 11];
  const far = outside_(r[i + {SHAPE}], s, t, h, r[i + {SIZE}], r[i + {SIZE + 1}], r[i + {SIZE + 2}]);
  return Math.min(Math.max(far / r[i + {RUN}], 0), 1);
}}
export function bent(r: ArrayLike<number>, first: number, count: number, x: number, y: number, z: number) {{
  const a = x, b = y, c = z;
  let share = 0, weight = 1;
  for (let k = 0; k < count; k++) {{
    const i = first + k * {ROW};
    if (r[i + {KIND}] === {TRACK}) continue;
    if (r[i + {KIND}] > {ZONE - 0.5}) {{
      if (r[i + {KIND}] > {ZONE + 0.5}) weight = felt(r, i, share, weight);
      else share = r[i + {MOVED}] > 0.5 ? shared(r, i, x, y, z) : shared(r, i, a, b, c);
      continue;
    }}
    const by = weight;
    weight = 1;
    if (r[i + {KIND}] === 0 || r[i + {AMOUNT}] === 0) continue;
    const s = r[i] * x + r[i + 1] * y + r[i + 2] * z + r[i + 3];
    const t = r[i + 4] * x + r[i + 5] * y + r[i + 6] * z + r[i + 7];
    const h = r[i + 8] * x + r[i + 9] * y + r[i + 10] * z + r[i + 11];
    const p = chosen(r, i, s, t, h), q = R1, v = R2;
    x = x + by * (r[i + {BACK + 0}] * p + r[i + {BACK + 1}] * q + r[i + {BACK + 2}] * v);
    y = y + by * (r[i + {BACK + 3}] * p + r[i + {BACK + 4}] * q + r[i + {BACK + 5}] * v);
    z = z + by * (r[i + {BACK + 6}] * p + r[i + {BACK + 7}] * q + r[i + {BACK + 8}] * v);
  }}
  return [x, y, z] as [number, number, number];
}}
"""


_ROOTS = {FELT: ("outside", "between", "joined"), PATH: ("laid",)}
"""The functions of kinds that have no one function of their name."""


def _written(writer: Writer, lattice: str, kinds: Sequence[str]) -> str:
    """The functions of these kinds and all that they need, by a writer, after its own `lattice`."""
    every = {function.name: function for module in (noise, functions) for function in functions_of(module)}
    roots = [name for kind in kinds for name in _ROOTS.get(kind, (kind,))]
    needed = set().union(*(needed_by(name, every) for name in roots))
    parts = [writer.function(f) for name, f in every.items() if name in needed and name != "lattice"]
    return "\n".join([lattice if "lattice" in needed else "", *parts])


_LATTICE_SCRIPT = """function lattice_(x, y, z, seed) {
  let h = Math.imul(x, 0x8DA6B343) + Math.imul(y, 0xD8163841) + Math.imul(z, 0xCB1AB31F) + Math.imul(seed, 0x165667B1);
  h = Math.imul(h ^ (h >>> 16), 0x21F0AAAD);
  h = Math.imul(h ^ (h >>> 15), 0xD35A2D97);
  return ((h ^ (h >>> 15)) >>> 8) / 16777216;
}
"""


class _Script(Writer):
    """Writes JavaScript. Of several numbers that a function answers the first is answered, the others are left in R1 to
    R3."""

    def function(self, node: ast.FunctionDef) -> str:
        head, body = super().function(node).split("\n", 1)
        return f"function {head.split(' ', 1)[1].replace('float ', '')}\n{body.replace('float ', 'let ')}"

    def _statement(self, node: ast.stmt, pad: str, depth: int) -> str:
        match node:
            case ast.Assign(targets=[ast.Tuple(elts=names)], value=ast.Call() as value):
                said = [self._say(value), "R1", "R2", "R3"]
                return "".join(
                    f"{pad}{self._fresh(one.id)}{one.id}_ = {text};\n"
                    for one, text in zip(names, said, strict=False)
                    if isinstance(one, ast.Name)
                )
            case ast.Return(value=ast.Tuple(elts=elts)):
                first, *others = map(self._say, elts)
                kept = "".join(f" R{k} = {text};" for k, text in enumerate(others, 1))
                return f"{pad}{{ const first = {first};{kept} return first; }}\n"
        return super()._statement(node, pad, depth)

    def _say(self, node: ast.expr) -> str:
        match node:
            case ast.Call(func=ast.Attribute(attr=name) | ast.Name(id=("abs" | "min" | "max") as name), args=args):
                return f"Math.{name}({', '.join(self._say(one) for one in args)})"
        return super()._say(node)
