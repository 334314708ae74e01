"""What makes numba compile this package's kernels sooner, without changing what it makes of them.

For each operation numba tries one rule of typing after the other, the most general first; a third of the time that it
takes to compile a kernel went to rules for strings, lists and dictionaries that do not fit. The rules that do fit, for
numbers and arrays of numbers, are here named for the processor, and so tried before those for any target. And another
third of a small kernel was what lets Python call it, which few need.
"""

from __future__ import annotations

import operator
from collections.abc import Callable
from typing import Any, TypeAlias

import numba
from numba import types
from numba.core.typing import arraydecl
from numba.core.typing.templates import AbstractTemplate, Signature, infer_global, signature

_Decorator: TypeAlias = Callable[[Callable[..., Any]], Any]


def outer_with(**options: Any) -> _Decorator:
    """For kernels that Python calls, with more options of numba's."""
    njit: Any = numba.njit
    decorator: _Decorator = njit(cache=True, no_cfunc_wrapper=True, **options)
    return decorator


def inner_with(**options: Any) -> _Decorator:
    """For kernels that only kernels call. Python gets a TypeError from them: see `called`."""

    def decorator(function: Callable[..., Any]) -> Any:
        kernel = outer_with(no_cpython_wrapper=True, **options)(function)

        def refuse(*_: Any, **__: Any) -> None:
            raise TypeError(f"{function.__name__} is compiled for kernels alone")

        # Numba would keep what it compiled for a call from Python, which would find nothing there.
        kernel.add_overload = lambda made: kernel.overloads.__setitem__(tuple(made.signature.args), made)
        kernel._compile_for_args = refuse
        return kernel

    return decorator


outer, inner = outer_with(), inner_with()


def called(kernel: Any) -> Any:
    """A kernel of kernels, as a function that Python can call: for whoever wants to look at one alone."""

    def call(*arguments: Any) -> Any:
        return kernel(*arguments)

    return numba.njit(nogil=True)(call)


SOONER = {"target": "cpu"}


@infer_global(operator.getitem)
class _Item(arraydecl.GetItemBuffer):
    metadata = SOONER


@infer_global(operator.setitem)
class _SetItem(arraydecl.SetItemBuffer):
    metadata = SOONER


@infer_global(bool)
class _Truth(AbstractTemplate):
    metadata = SOONER

    def generic(self, args: Any, kws: Any) -> Signature | None:
        return signature(types.boolean, types.boolean) if args == (types.boolean,) else None


class _Alike(AbstractTemplate):
    """Two numbers of the same machine type give a third."""

    metadata = SOONER

    def generic(self, args: Any, kws: Any) -> Signature | None:
        kind = args[0]
        if len(args) == 2 and kind is args[1] and kind in (types.float32, types.float64, types.int64):
            found: Signature = signature(kind, kind, kind)
            return found
        return None


for _operation in (operator.add, operator.sub, operator.mul):
    infer_global(_operation)(type("_" + _operation.__name__, (_Alike,), {}))
