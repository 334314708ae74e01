"""What has kernels compiled sooner changes nothing of what they do."""

import math
import os
import subprocess
import sys
from pathlib import Path

import numba
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core.compiling import called, inner, inner_of_floats, outer

REALS = st.floats(width=32)


@inner
def scaled(x, by):
    return x * by + by


@inner_of_floats
def halved(x):
    return x / 2


@outer
def thrice(x):
    return scaled(x, 2) + scaled(x, 3) + scaled(x, 4)


@outer
def halves(k, x):
    return halved(k) + halved(3) + halved(x)


@inner
def summed(numbers):
    total = 0.0
    for k in range(len(numbers)):
        total += numbers[k]
    return total


@outer
def summed_twice(numbers, twice):
    if not twice:
        return summed(numbers)
    same = numbers
    return summed(same) + summed(numbers)


@numba.njit
def chosen(a, b):
    return min(a, b), max(a, b)


@numba.njit
def whole(x):
    return int(x)


@given(REALS, REALS)
def test_the_lesser_and_the_larger_are_pythons_also_of_what_is_no_number(a, b):
    for kind in (np.float32, np.float64):
        found = chosen(kind(a), kind(b))
        for one, expected in zip(found, (min(a, b), max(a, b)), strict=True):
            assert np.isnan(one) if math.isnan(expected) else one == expected


@given(st.integers(-(2**63), 2**63 - 1), st.integers(-(2**63), 2**63 - 1))
def test_of_whole_numbers_too(a, b):
    assert chosen(a, b) == (min(a, b), max(a, b))


@given(st.integers(0, 2**32 - 1), st.integers(0, 2**32 - 1))
def test_and_of_those_without_a_sign(a, b):
    assert chosen(np.uint32(a), np.uint32(b)) == (min(a, b), max(a, b))


@given(st.floats(-1e15, 1e15))
def test_whole_numbers_are_cut_off(x):
    assert whole(x) == int(x)


def test_arrays_of_pythons_are_let_go_of():
    numbers = np.ones(5)
    held = sys.getrefcount(numbers)
    assert [summed_twice(numbers, twice) for twice in (False, True, True)] == [5, 10, 10]
    assert sys.getrefcount(numbers) == held


def test_an_inner_kernel_is_compiled_once_for_numbers_that_are_written_out():
    # Not thrice and halves themselves: where they were kept before, nothing is compiled for them.
    assert numba.njit(thrice.py_func)(10) == 10 * 9 + 9
    assert len(scaled.overloads) == 1
    assert numba.njit(halves.py_func)(4, 5.0) == 6.0
    assert [tuple(map(str, kinds)) for kinds in halved.overloads] == [("float64",)]


def test_an_inner_kernel_refuses_python_before_and_after_it_was_compiled():
    with pytest.raises(TypeError, match="scaled"):
        scaled(1, 2)
    assert thrice(1) == 18
    with pytest.raises(TypeError, match="scaled"):
        scaled(1, 2)
    assert called(scaled)(1, 2) == 4


KERNELS = """
import sys
from moss_crown.core.compiling import inner, outer

@inner
def shifted(x, by):
    return x + by

@inner
def bent(x):
    return shifted(x * x, 1)

@outer
def first(x):
    return bent(x) + shifted(x, 2)

@outer
def second(x):
    return shifted(bent(x), 3)

def times(by):
    @inner
    def scaled(x):
        return x * by

    return scaled

twofold, threefold = times(2), times(3)

@outer
def twice(x):
    return twofold(x)

@outer
def thrice_and_twice(x):
    return threefold(x) * 1000 + twofold(x)

found = globals()[sys.argv[1]](int(sys.argv[2]))
known = [sum(kernel.stats.cache_hits.values()) for kernel in (shifted, bent, first, second)]
print(found, known)
"""


def run(folder: Path, name: str, x: int) -> str:
    module = folder / "kernels.py"
    module.write_text(KERNELS)
    os.utime(module, (1e9, 1e9))  # numba keeps nothing of a file that is newer than what it kept
    around = os.environ | {"NUMBA_CACHE_DIR": str(folder)}
    command = [sys.executable, str(module), name, str(x)]
    return subprocess.run(command, env=around, check=True, capture_output=True, text=True).stdout.strip()


def test_what_is_kept_of_an_inner_kernel_is_linked_into_others_by_another_process(tmp_path: Path):
    assert run(tmp_path, "first", 5) == "33 [0, 0, 0, 0]"
    assert run(tmp_path, "second", 5) == "29 [1, 1, 0, 0]"
    assert run(tmp_path, "first", 7) == "59 [0, 0, 1, 0]"


def test_kernels_that_a_function_makes_are_not_taken_for_each_other_by_another_process(tmp_path: Path):
    assert run(tmp_path, "twice", 5).split()[0] == "10"
    assert run(tmp_path, "thrice_and_twice", 5).split()[0] == "15010"
