"""What makes numba compile this package's kernels sooner, without changing what it makes of them.

For each operation numba tries one rule of typing after the other, the most general first; a third of the time that it
takes to compile a kernel went to rules for strings, lists and dictionaries that do not fit. The rules that do fit, for
numbers and arrays of numbers, are here named for the processor, and so tried before those for any target. And another
third of a small kernel was what lets Python call it, which few need.

With MOSS_CROWN_PLAIN_KERNELS=1 numba compiles everything in its own way, in minutes: to compare pictures with
(`bench plain`).
"""

from __future__ import annotations

import operator
import os
from collections.abc import Callable
from functools import cache
from typing import Any, TypeAlias

import numba
from llvmlite import binding
from numba import types
from numba.core import ir, typed_passes, untyped_passes
from numba.core.caching import CompileResultCacheImpl, FunctionCache
from numba.core.codegen import JITCodeLibrary
from numba.core.compiler import CompilerBase, CompileResult
from numba.core.compiler_machinery import PassManager, register_pass
from numba.core.interpreter import Interpreter
from numba.core.postproc import PostProcessor
from numba.core.rewrites.static_getitem import RewriteConstGetitems
from numba.core.typing import arraydecl
from numba.core.typing.templates import AbstractTemplate, Signature, infer_global, signature
from numba.extending import lower_builtin

PLAIN = os.environ.get("MOSS_CROWN_PLAIN_KERNELS") == "1"


class _Reader(Interpreter):
    """Numba's, without its looks for lists, dictionaries and `with` among what it read."""

    def post_process(self, peepholes: Any, func_ir: Any) -> Any:
        return func_ir


@register_pass(mutates_CFG=True, analysis_only=False)
class _Reading(untyped_passes.TranslateByteCode):
    """From bytecode to numba's own code. Numbers that are written out become indices into tuples."""

    _name = "reading"

    def run_pass(self, state: Any) -> bool:
        code = state.func_ir = _Reader(state.func_id).interpret(state.bc)
        state.nargs = code.arg_count
        if len(state.args) != state.nargs:
            raise TypeError(f"{state.func_id.func_name} takes {state.nargs} arguments, not {len(state.args)}")
        rewrite = RewriteConstGetitems(state)
        for key, block in list(code.blocks.items()):
            if rewrite.match(code, block, None, None):
                code.blocks[key] = rewrite.apply()
        return True


@register_pass(mutates_CFG=True, analysis_only=False)
class _Lowering(typed_passes.NativeLowering):
    _name = "lowering"

    def run_pass(self, state: Any) -> bool:
        models = state.targetctx.data_model_manager
        counted = {name for name, kind in state.typemap.items() if models[kind].contains_nrt_meminfo()}
        if counted:
            # Where each is of no more use: arrays would else be kept for good, those of Python's among them.
            PostProcessor(state.func_ir).run(emit_dels=True)
            for block in state.func_ir.blocks.values():
                block.body = [one for one in block.body if not isinstance(one, ir.Del) or one.value in counted]
        return bool(super().run_pass(state))


class _Compiler(CompilerBase):
    """Numba's passes, without those that look for closures, for calls to write out, for whole arrays, branches that are
    known, and for mistakes in what the passes before made: a third of the time, for what kernels do not have."""

    lowering: Any = _Lowering

    def define_pipelines(self) -> list[PassManager]:
        passes = PassManager("kernels")
        for one in (
            _Reading,
            untyped_passes.ReconstructSSA,
            typed_passes.NopythonTypeInference,
            typed_passes.PreLowerStripPhis,
            self.lowering,
            typed_passes.NoPythonBackend,
        ):
            passes.add_pass(one, one.__name__)
        passes.finalize()
        return [passes]


class _Part(JITCodeLibrary):
    """Code that is only linked into other code: it is optimized and made machine code there, and not before. For numba
    each kernel is a whole: a sixth of the time went to what nobody would call."""

    def _optimize_final_module(self) -> None:
        pass

    def _finalize_final_module(self) -> None:
        self._finalize_dynamic_globals()
        self._finalized = True

    @classmethod
    def of(cls, codegen: Any, name: str, bitcode: bytes) -> _Part:
        part = cls(codegen, name)
        part._final_module = binding.parse_bitcode(bitcode)
        part._finalize_final_module()
        return part


@register_pass(mutates_CFG=True, analysis_only=False)
class _PartLowering(_Lowering):
    _name = "part_lowering"

    def run_pass(self, state: Any) -> bool:
        state.library = _Part(state.targetctx.codegen(), state.func_id.func_qualname)
        state.flags.no_compile = True  # that is: nothing that Python could call
        super().run_pass(state)
        state["cr"] = state["cr"]._replace(cfunc=object())
        state.targetctx.insert_user_function(state["cr"].cfunc, state["cr"].fndesc, [state.library])
        return True


class _InnerCompiler(_Compiler):
    lowering = _PartLowering


class _PartsOnDisk(CompileResultCacheImpl):
    """What of a part is kept: no machine code."""

    def reduce(self, cres: Any) -> Any:
        cres.fndesc.typemap = cres.fndesc.calltypes = None
        return cres.library.name, cres.library._get_module_for_linking().as_bitcode(), cres.fndesc, cres.signature

    def rebuild(self, target_context: Any, payload: Any) -> Any:
        name, bitcode, fndesc, signature = payload
        known: dict[str, Any] = dict.fromkeys(CompileResult._fields)
        known |= {
            "typing_context": target_context.typing_context,
            "target_context": target_context,
            "entry_point": object(),
            "objectmode": False,
            "lifted": (),
            "library": _Part.of(target_context.codegen(), name, bitcode),
            "signature": signature,
            "fndesc": fndesc,
        }
        return CompileResult(**known)


class _PartsCache(FunctionCache):
    _impl_class = _PartsOnDisk


_Decorator: TypeAlias = Callable[[Callable[..., Any]], Any]
OUTER: list[Any] = []
"""All that Python calls: what has to be ready before anybody waits for it."""


def outer_with(**options: Any) -> _Decorator:
    """For kernels that Python calls, with more options of numba's."""

    def decorator(function: Callable[..., Any]) -> Any:
        kernel = _compiled_with(_Compiler, **options)(function)
        OUTER.append(kernel)
        return kernel

    return decorator


def _compiled_with(compiler: type[_Compiler], **options: Any) -> _Decorator:
    njit: Any = numba.njit

    def decorator(function: Callable[..., Any]) -> Any:
        # Kernels that a function makes, each around numbers of its own, numba tells apart by their turn in a process:
        # one that another process kept would be linked in for one of the same turn.
        for cell in function.__closure__ or ():
            function.__qualname__ += f"_{cell.cell_contents:d}"
        if PLAIN:
            return njit(cache=True, **options)(function)
        return njit(cache=True, no_cfunc_wrapper=True, pipeline_class=compiler, **options)(function)

    return decorator


def inner_with(known_as: Callable[[Any], Any] = types.unliteral, **options: Any) -> _Decorator:
    """For kernels that only kernels call. Python gets a TypeError from them: see `called`.

    `known_as`: as what kinds arguments are taken. Without it a kernel is compiled once more for each number that some
    call of it writes out.
    """

    def decorator(function: Callable[..., Any]) -> Any:
        if PLAIN:
            return _compiled_with(_InnerCompiler, **options)(function)
        kernel = _compiled_with(_InnerCompiler, no_cpython_wrapper=True, **options)(function)
        kernel._cache = _PartsCache(function)

        def refuse(*_: Any, **__: Any) -> None:
            raise TypeError(f"{function.__name__} is compiled for kernels alone")

        # Numba would keep what it compiled for a call from Python, which would find nothing there.
        kernel.add_overload = lambda made: kernel.overloads.__setitem__(tuple(made.signature.args), made)
        kernel._compile_for_args = refuse
        template = kernel.get_call_template
        kernel.get_call_template = lambda kinds, named: template(tuple(map(known_as, kinds)), named)
        return kernel

    return decorator


def _as_float(kind: Any) -> Any:
    return types.float64 if isinstance(kind, types.Integer) else types.unliteral(kind)


outer, inner, inner_of_floats = outer_with(), inner_with(), inner_with(_as_float)
inner_of_floats_quick = inner_with(_as_float, error_model="numpy", forceinline=True)
"""For those that loops call for many points: written into each, and without branches for divisions, so that several
points are taken at a time. What is divided by 0 is no number, and nobody is told."""


def called(kernel: Any) -> Any:
    """A kernel of kernels, as a function that Python can call: for whoever wants to look at one alone."""

    def call(*arguments: Any) -> Any:
        return kernel(*arguments)

    return numba.njit(nogil=True)(call)


def external(symbol: str, kind: Any) -> Callable[[Callable[..., Any]], Any]:
    """For what kernels call by a symbol: written into each of its many callers it would take minutes to compile. It is
    compiled by `link`, which answers its address and has to come before the first call of a kernel that calls it."""

    def decorator(function: Callable[..., Any]) -> Any:
        known: Any = types.ExternalFunction(symbol, kind)

        @cache
        def link() -> int:
            compiled: Any = numba.cfunc(kind, cache=True)(function)
            binding.add_symbol(symbol, compiled.address)
            _kept.append(compiled)
            address: int = compiled.address
            return address

        known.link = link
        return known

    return decorator


_kept: list[Any] = []
SOONER = {} if PLAIN else {"target": "cpu"}
"""Rules of typing with it are tried before numba's."""


def _name_what_fits() -> None:
    """The rules of typing for numbers and arrays of numbers, named for the processor."""

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

    for _operation in (operator.add, operator.sub, operator.mul, min, max):
        infer_global(_operation)(type("_" + _operation.__name__, (_Alike,), {}))

    @infer_global(int)
    class _Whole(AbstractTemplate):
        metadata = SOONER

        def generic(self, args: Any, kws: Any) -> Signature | None:
            kind = args[0] if len(args) == 1 else None
            if not isinstance(kind, types.Integer | types.Float):
                return None
            found: Signature = signature(types.intp if isinstance(kind, types.Float) else kind, kind)
            return found

    @lower_builtin(int, types.Float)
    @lower_builtin(int, types.Integer)
    def _whole(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return context.cast(builder, arguments[0], signature.args[0], signature.return_type)

    def _choosing(operation: Any, sign: str) -> None:
        """Of two numbers the second, where it is beyond the first: as Python has it, also for what is no number."""

        def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            first, second = arguments
            compare = builder.fcmp_ordered if isinstance(signature.return_type, types.Float) else builder.icmp_signed
            return builder.select(compare(sign, second, first), second, first)

        for kind in (types.float32, types.float64, types.int64):
            lower_builtin(operation, kind, kind)(code)

    _choosing(min, "<")
    _choosing(max, ">")


if not PLAIN:
    _name_what_fits()
