"""Arrays as kernels hand them to each other: an address and a shape.

An array of numba's carries nine numbers more, of which one is counted up and down at each call, atomically, so that the
threads of a render would fight over it; and to read one number from it takes thirty instructions, which the optimizer
takes away again, at the price of most of the time in which a kernel is compiled. Indices count from the beginning only.
A view does not keep alive what it shows: whoever calls the first kernel does.
"""

from __future__ import annotations

import operator
from typing import Any

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.core.typing.templates import AbstractTemplate, Signature, infer_global, signature
from numba.extending import (
    intrinsic,
    lower_builtin,
    make_attribute_wrapper,
    models,
    register_model,
)

from moss_crown.core.compiling import SOONER


class View(types.Type):
    """Numbers of one kind, row by row without gaps."""

    def __init__(self, dtype: Any, ndim: int) -> None:
        self.dtype, self.ndim = dtype, ndim
        super().__init__(f"View({dtype}, {ndim}d)")


@register_model(View)
class _ViewModel(models.StructModel):
    def __init__(self, manager: Any, kind: View) -> None:
        members = [("data", types.CPointer(kind.dtype)), ("shape", types.UniTuple(types.intp, kind.ndim))]
        super().__init__(manager, kind, members)


make_attribute_wrapper(View, "shape", "shape")


def _named(kind: Any) -> bool:
    return isinstance(kind, types.BaseNamedTuple)


def _seen(kind: Any) -> Any:
    """What `view` makes of a type."""
    if isinstance(kind, types.Array):
        if kind.layout != "C":
            raise TypeError(f"a view shows arrays without gaps, not {kind}")
        return View(kind.dtype, kind.ndim)
    if _named(kind):
        return types.NamedTuple([_seen(inner) for inner in kind.types], kind.instance_class)
    return kind


def _shown(context: Any, builder: Any, kind: Any, value: Any) -> Any:
    if isinstance(kind, types.Array):
        array = context.make_array(kind)(context, builder, value)
        return _made(context, builder, _seen(kind), array.data, array.shape)
    if _named(kind):
        parts = [_shown(context, builder, inner, builder.extract_value(value, k)) for k, inner in enumerate(kind.types)]
        return context.make_tuple(builder, _seen(kind), parts)
    return value


def _made(context: Any, builder: Any, kind: View, data: Any, shape: Any) -> Any:
    made = cgutils.create_struct_proxy(kind)(context, builder)
    made.data, made.shape = data, shape
    return made._getvalue()


@intrinsic
def view(typing: Any, what: Any) -> Any:
    """A view of an array, or a named tuple with views of the arrays in it and in those in it; all else stays."""

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return _shown(context, builder, signature.args[0], arguments[0])

    return _seen(what)(what), code


@intrinsic
def address(typing: Any, what: Any) -> Any:
    """Where the numbers of an array or a view begin."""

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        kind = signature.args[0]
        shown = cgutils.create_struct_proxy(_seen(kind))(context, builder, _shown(context, builder, kind, arguments[0]))
        return builder.ptrtoint(shown.data, context.get_value_type(types.intp))

    return types.intp(what), code


@intrinsic
def words(typing: Any, floats: Any) -> Any:
    """The same memory as whole numbers of 32 bits without a sign."""
    seen = _seen(floats)
    whole = View(types.uint32, seen.ndim)

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        shown = cgutils.create_struct_proxy(seen)(
            context, builder, _shown(context, builder, signature.args[0], arguments[0])
        )
        pointer = context.get_data_type(types.uint32).as_pointer()
        return _made(context, builder, whole, builder.bitcast(shown.data, pointer), shown.shape)

    return whole(floats), code


@intrinsic(prefer_literal=True)
def room(typing: Any, count: Any) -> Any:
    """A view of so many float32, a number that is written there, on the stack of the kernel: for what it works out."""
    if not isinstance(count, types.IntegerLiteral):
        return None
    kind, size = View(types.float32, 1), count.literal_value

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        data = cgutils.alloca_once(builder, context.get_value_type(types.float32), size=size)
        shape = context.make_tuple(builder, types.UniTuple(types.intp, 1), [context.get_constant(types.intp, size)])
        return _made(context, builder, kind, data, shape)

    return kind(count), code


def _index(view: View, index: Any) -> Any:
    """The type of an index into a view as kernels are compiled for it; None where it is none."""
    if isinstance(index, types.Integer) and view.ndim == 1:
        return types.intp
    parts: tuple[Any, ...] = tuple(index.types) if hasattr(index, "types") else ()
    if len(parts) == view.ndim and all(isinstance(part, types.Integer) for part in parts):
        return types.UniTuple(types.intp, view.ndim)
    return None


@infer_global(operator.getitem)
class _Get(AbstractTemplate):
    metadata = SOONER

    def generic(self, args: Any, kws: Any) -> Signature | None:
        seen, index = args
        kind = _index(seen, index) if isinstance(seen, View) else None
        return None if kind is None else signature(seen.dtype, seen, kind)


@infer_global(operator.setitem)
class _Set(AbstractTemplate):
    metadata = SOONER

    def generic(self, args: Any, kws: Any) -> Signature | None:
        seen, index, _ = args
        kind = _index(seen, index) if isinstance(seen, View) else None
        return None if kind is None else signature(types.none, seen, kind, seen.dtype)


@infer_global(len)
class _Len(AbstractTemplate):
    metadata = SOONER

    def generic(self, args: Any, kws: Any) -> Signature | None:
        return signature(types.intp, args[0]) if isinstance(args[0], View) else None


def _place(builder: Any, kind: View, seen: Any, index: Any) -> Any:
    """The address of one number."""
    data, shape = builder.extract_value(seen, 0), builder.extract_value(seen, 1)
    if kind.ndim == 1:
        at = builder.extract_value(index, 0) if isinstance(index.type, ir.Aggregate) else index
    else:
        at = builder.extract_value(index, 0)
        for k in range(1, kind.ndim):
            at = builder.mul(at, builder.extract_value(shape, k), flags=["nsw"])
            at = builder.add(at, builder.extract_value(index, k), flags=["nsw"])
    return builder.gep(data, [at], inbounds=True)


@lower_builtin(operator.getitem, View, types.Integer)
@lower_builtin(operator.getitem, View, types.BaseTuple)
def _get(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
    kind = signature.args[0]
    return context.unpack_value(builder, kind.dtype, _place(builder, kind, *arguments))


@lower_builtin(operator.setitem, View, types.Integer, types.Any)
@lower_builtin(operator.setitem, View, types.BaseTuple, types.Any)
def _set(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
    kind = signature.args[0]
    seen, index, value = arguments
    context.pack_value(builder, kind.dtype, value, _place(builder, kind, seen, index))
    return context.get_dummy_value()


@lower_builtin(len, View)
def _len(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
    return builder.extract_value(builder.extract_value(arguments[0], 1), 0)
