"""Arrays as kernels hand them to each other: an address and a shape.

An array of numba's carries nine numbers more, of which one is counted up and down at each call, atomically, so that the
threads of a render would fight over it; and to read one number from it takes thirty instructions, which the optimizer
takes away again, at the price of most of the time in which a kernel is compiled. Indices count from the beginning only.
A view does not keep alive what it shows: whoever calls the first kernel does.
"""

from __future__ import annotations

import hashlib
import operator
from collections.abc import Iterator
from itertools import takewhile
from typing import Any

import numpy as np
from llvmlite import ir
from numba import typeof, types
from numba.core import cgutils
from numba.core.typing.templates import (
    AbstractTemplate,
    AttributeTemplate,
    Signature,
    infer_getattr,
    infer_global,
    signature,
)
from numba.extending import (
    NativeValue,
    intrinsic,
    lower_builtin,
    lower_getattr_generic,
    make_attribute_wrapper,
    models,
    register_model,
    typeof_impl,
    unbox,
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


class _PackedType(types.Type):
    """By the names and types of the fields, not by the class that Python knows them by: what is compiled is kept under
    it, for whom that class may be out of reach."""

    def __init__(self, fields: dict[str, Any]) -> None:
        self.fields = fields
        whole = ", ".join(f"{name}: {kind}" for name, kind in fields.items())
        # Short, for it stands in the names of all kernels that take it.
        super().__init__(f"Packed({hashlib.sha256(whole.encode()).hexdigest()[:16]})")


def _seen(kind: Any) -> Any:
    """A type with views in the place of arrays, and what is packed in that of named tuples."""
    if isinstance(kind, types.Array):
        if kind.layout != "C":
            raise TypeError(f"a view shows arrays without gaps, not {kind}")
        return View(kind.dtype, kind.ndim)
    if isinstance(kind, types.NamedTuple | types.NamedUniTuple):
        return _PackedType(dict(zip(kind.fields, map(_seen, kind.types), strict=True)))
    return kind


class Packed:
    """A named tuple of numbers, of arrays without gaps, and of such tuples, as one array of whole numbers that say
    where all of it lies. A kernel that Python calls with it, or that hands it on, gets a single address, and reads a
    field when it asks for it, arrays as views; to take forty arrays apart costs as much to compile as all else that a
    kernel does. Kernels ask once, ahead of their loops: what they write might be what was packed, for all that the
    optimizer knows."""

    def __init__(self, what: Any) -> None:
        self.kind: _PackedType = _seen(typeof(what))
        self._kept = what
        self._numbers = np.array(list(_flat(what)), np.int64)
        self.address = self._numbers.ctypes.data

    def __getattr__(self, field: str) -> Any:
        return getattr(self._kept, field)


def _flat(what: Any) -> Iterator[int]:
    if isinstance(what, tuple):
        for part in what:
            yield from _flat(part)
    elif isinstance(what, np.ndarray):
        yield what.ctypes.data
        yield from what.shape
    elif isinstance(what, np.float32):
        yield int(what.view(np.uint32))
    elif isinstance(what, int | np.integer | np.bool_):
        yield int(what)
    else:
        raise TypeError(f"{type(what).__name__} is nothing that can be packed")


@typeof_impl.register(Packed)
def _typeof_packed(packed: Packed, _: Any) -> _PackedType:
    return packed.kind


@register_model(_PackedType)
class _PackedModel(models.PrimitiveModel):
    def __init__(self, manager: Any, kind: _PackedType) -> None:
        super().__init__(manager, kind, ir.IntType(64).as_pointer())


@unbox(_PackedType)
def _unbox_packed(kind: _PackedType, packed: Any, c: Any) -> NativeValue:
    number = c.pyapi.object_getattr_string(packed, "address")
    pointer = c.builder.inttoptr(c.pyapi.long_as_longlong(number), ir.IntType(64).as_pointer())
    c.pyapi.decref(number)
    return NativeValue(pointer)


def _length(kind: Any) -> int:
    """How many numbers `_flat` makes of a kind."""
    if isinstance(kind, _PackedType):
        return sum(map(_length, kind.fields.values()))
    return 1 + kind.ndim if isinstance(kind, View) else 1


@infer_getattr
class _PackedField(AttributeTemplate):
    key = _PackedType

    def generic_resolve(self, typ: Any, attr: str) -> Any:  # type: ignore[override]
        return typ.fields.get(attr)


@lower_getattr_generic(_PackedType)
def _field(context: Any, builder: Any, packed: _PackedType, pointer: Any, name: str) -> Any:
    """One field, read where it lies: of a tuple that is packed in it where that begins."""
    kind = packed.fields[name]
    ahead = takewhile(lambda field: field != name, packed.fields)
    first = sum(_length(packed.fields[field]) for field in ahead)

    def at(k: int) -> Any:
        return builder.gep(pointer, [ir.Constant(ir.IntType(64), first + k)], inbounds=True)

    if isinstance(kind, _PackedType):
        return at(0)
    number = builder.load(at(0))
    if isinstance(kind, View):
        data = builder.inttoptr(number, context.get_value_type(types.CPointer(kind.dtype)))
        sizes = [builder.load(at(1 + k)) for k in range(kind.ndim)]
        shape = context.make_tuple(builder, types.UniTuple(types.intp, kind.ndim), sizes)
        return _made(context, builder, kind, data, shape)
    if kind == types.float32:
        return builder.bitcast(builder.trunc(number, ir.IntType(32)), ir.FloatType())
    return context.cast(builder, number, types.int64, kind)


def _shown(context: Any, builder: Any, kind: Any, value: Any) -> Any:
    if isinstance(kind, types.Array):
        array = context.make_array(kind)(context, builder, value)
        return _made(context, builder, _seen(kind), array.data, array.shape)
    return value


def _made(context: Any, builder: Any, kind: View, data: Any, shape: Any) -> Any:
    made = cgutils.create_struct_proxy(kind)(context, builder)
    made.data, made.shape = data, shape
    return made._getvalue()


@intrinsic
def view(typing: Any, what: Any) -> Any:
    """A view of an array."""
    if not isinstance(what, types.Array):
        return None

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return _shown(context, builder, signature.args[0], arguments[0])

    return _seen(what)(what), code


@intrinsic
def address(typing: Any, what: Any) -> Any:
    """Where the numbers of an array or a view begin."""

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        shown = _shown(context, builder, signature.args[0], arguments[0])
        return builder.ptrtoint(builder.extract_value(shown, 0), context.get_value_type(types.intp))

    return types.intp(what), code


@intrinsic
def words(typing: Any, floats: Any) -> Any:
    """The same memory as whole numbers of 32 bits without a sign."""
    whole = View(types.uint32, floats.ndim)

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        shown = _shown(context, builder, signature.args[0], arguments[0])
        data = builder.bitcast(builder.extract_value(shown, 0), context.get_data_type(types.uint32).as_pointer())
        return _made(context, builder, whole, data, builder.extract_value(shown, 1))

    return whole(floats), code


@intrinsic(prefer_literal=True)
def room(typing: Any, size: Any) -> Any:
    """A view of so many float32, a number that is written there, on the stack of the kernel: for what it works out."""
    if not isinstance(size, types.IntegerLiteral):
        return None
    kind, numbers = View(types.float32, 1), size.literal_value

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        data = cgutils.alloca_once(builder, context.get_value_type(types.float32), size=numbers)
        shape = context.make_tuple(builder, types.UniTuple(types.intp, 1), [context.get_constant(types.intp, numbers)])
        return _made(context, builder, kind, data, shape)

    return kind(size), code


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
