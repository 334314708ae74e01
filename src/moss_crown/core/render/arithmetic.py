"""float32 arithmetic for the kernels, without branches and without calls, so that loops over lanes become vector code.

The polynomials are those of Abramowitz and Stegun, Handbook of Mathematical Functions (1964), errors below 1e-7.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from moss_crown.core.compiling import inner_with, outer_with

f32, u32, i64 = np.float32, np.uint32, np.int64
ZERO, ONE, TWO, HALF = f32(0), f32(1), f32(2), f32(0.5)
PI, INV_PI, TWO_PI = f32(math.pi), f32(1 / math.pi), f32(2 * math.pi)

FREE: dict[str, Any] = {
    "error_model": "numpy",
    "fastmath": {"contract", "arcp", "nsz", "afn", "reassoc"},
}
"""How kernels are compiled: a division by nothing raises no error, which would be a branch; sums may be regrouped."""

kernel = inner_with(**FREE, nogil=True)
inlined = inner_with(**FREE, nogil=True, forceinline=True)
"""For what is so large that it would stay a call: then no loop around it becomes vector code."""
entry = outer_with(**FREE, nogil=True)
"""What Python calls, with arrays; it hands views of them on (see `views`)."""


_READ, _SECOND_CACHE, _DATA = 0, 2, 1


@intrinsic
def fetch(typing, address):
    """Ask for the memory at an address, which is read a little later: LLVM's prefetch, into the second cache."""

    def code(context, builder, signature, arguments):
        word = ir.IntType(32)
        pointer = builder.inttoptr(arguments[0], ir.IntType(8).as_pointer())
        kind = ir.FunctionType(ir.VoidType(), [pointer.type, word, word, word])
        asked = builder.module.globals.get("llvm.prefetch.p0") or ir.Function(builder.module, kind, "llvm.prefetch.p0")
        builder.call(asked, [pointer, *(ir.Constant(word, value) for value in (_READ, _SECOND_CACHE, _DATA))])
        return context.get_dummy_value()

    return types.void(types.intp), code


_FLAGS = tuple(FREE["fastmath"])


@intrinsic
def between_pairs(typing, first, second, down, along):
    """Of a table of pairs at the addresses of two neighbours in each of two rows: both between them, as one vector."""

    def code(context, builder, signature, arguments):
        at, below, between, part = arguments
        word, square = ir.IntType(32), ir.VectorType(ir.FloatType(), 4)

        def only(vector, *places):
            return builder.shuffle_vector(vector, vector, ir.Constant(ir.VectorType(word, len(places)), places))

        def spread(value, size):
            of_one = ir.Constant(ir.VectorType(ir.FloatType(), 1), ir.Undefined)
            return only(builder.insert_element(of_one, value, ir.Constant(word, 0)), *([0] * size))

        def mixed(one, other, share):
            step = builder.fmul(builder.fsub(other, one, _FLAGS), share, _FLAGS)
            return builder.fadd(one, step, _FLAGS)

        rows = [builder.load(builder.inttoptr(place, square.as_pointer()), align=4) for place in (at, below)]
        row = mixed(*rows, spread(between, 4))
        found = mixed(only(row, 0, 1), only(row, 2, 3), spread(part, 2))
        values = [builder.extract_element(found, ir.Constant(word, k)) for k in (0, 1)]
        return context.make_tuple(builder, signature.return_type, values)

    return types.UniTuple(types.float32, 2)(types.intp, types.intp, types.float32, types.float32), code


@kernel
def luminance(r, g, b):
    """Of scene-linear Rec.709."""
    return f32(0.2126) * r + f32(0.7152) * g + f32(0.0722) * b


@kernel
def circle(v):
    """(cosine, sine) of 2 pi v for v in [0, 1]: of half the angle from its middle (4.3.97 and 4.3.99), then doubled."""
    t = (v - HALF) * PI
    t2 = t * t
    s = f32(-2.39e-8) * t2 + f32(2.7526e-6)
    s = s * t2 + f32(-1.984090e-4)
    s = s * t2 + f32(8.3333315e-3)
    s = s * t2 + f32(-0.1666666664)
    s = (s * t2 + ONE) * t
    c = f32(-2.605e-7) * t2 + f32(2.47609e-5)
    c = c * t2 + f32(-1.3888397e-3)
    c = c * t2 + f32(4.16666418e-2)
    c = c * t2 + f32(-0.4999999963)
    c = c * t2 + ONE
    return s * s - c * c, -TWO * s * c


@kernel
def arc_cosine(x):
    """acos for x in [-1, 1] (4.4.46)."""
    y = min(abs(x), ONE)
    p = f32(-0.0012624911) * y + f32(0.0066700901)
    p = p * y + f32(-0.0170881256)
    p = p * y + f32(0.0308918810)
    p = p * y + f32(-0.0501743046)
    p = p * y + f32(0.0889789874)
    p = p * y + f32(-0.2145988016)
    p = p * y + f32(1.5707963050)
    p = p * math.sqrt(ONE - y)
    return p if x >= ZERO else PI - p


@kernel
def arc_tangent(y, x):
    """atan2(y, x) (4.4.49); 0 where both are 0."""
    ay, ax = abs(y), abs(x)
    t = min(ay, ax) / max(max(ay, ax), f32(1e-30))
    t2 = t * t
    p = f32(0.0028662257) * t2 + f32(-0.0161657367)
    p = p * t2 + f32(0.0429096138)
    p = p * t2 + f32(-0.0752896400)
    p = p * t2 + f32(0.1065626393)
    p = p * t2 + f32(-0.1420889944)
    p = p * t2 + f32(0.1999355085)
    p = p * t2 + f32(-0.3333314528)
    p = (p * t2 + ONE) * t
    p = f32(0.5 * math.pi) - p if ay > ax else p
    p = PI - p if x < ZERO else p
    return p if y >= ZERO else -p
