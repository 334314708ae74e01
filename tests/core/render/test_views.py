"""Views show what arrays hold, whatever they are packed in."""

import pickle
from typing import NamedTuple

import numba
import numpy as np
import pytest
from numpy.typing import NDArray

from moss_crown.core.render.views import Packed, address, room, view, words


class Inner(NamedTuple):
    numbers: NDArray[np.float32]
    there: bool


class Twin(NamedTuple):
    numbers: NDArray[np.float32]
    there: bool


class Outer(NamedTuple):
    inner: Inner
    table: NDArray[np.float64]
    count: int


@numba.njit
def summed(seen):
    total = 0.0
    for i in range(seen.table.shape[0]):
        for j in range(seen.table.shape[1]):
            for k in range(seen.table.shape[2]):
                total += seen.table[i, j, k] * seen.inner.numbers[np.uint32(k)]
    return total, len(seen.table), len(seen.inner.numbers), seen.inner.there, seen.count


@numba.njit
def written(table, whole, flags):
    seen, counts, marks = view(table), view(whole), view(flags)
    seen[1, 2, 0] = np.float32(7)
    counts[np.uint32(3)] += np.uint32(2)
    marks[2] = not marks[2]
    return address(table) == address(seen), address(counts) - address(whole)


@numba.njit
def bits_of(number):
    own = room(5)
    for k in range(5):
        own[k] = np.float32(k)
    own[3] = number
    return words(own)[3], own[2] + own[4], len(own)


@numba.njit
def looked_at(numbers):
    return view(numbers)[0]


def test_numbers_are_read_where_they_lie_also_in_tuples_in_tuples():
    rng = np.random.default_rng(1)
    numbers, table = rng.random(4, np.float32), rng.random((2, 3, 4))
    packed = Packed(Outer(Inner(numbers, True), table, 11))
    found = summed(packed)
    assert found[0] == pytest.approx((table * numbers).sum(), rel=1e-12)
    assert found[1:] == (2, 4, True, 11)
    assert packed.inner.numbers is numbers and packed.count == 11


def test_what_is_written_is_in_the_array():
    table, whole, flags = np.zeros((2, 3, 1)), np.arange(5, dtype=np.uint32), np.zeros(4, np.bool_)
    assert written(table, whole, flags) == (True, 0)
    assert np.argwhere(table).tolist() == [[1, 2, 0]] and table.max() == 7
    assert whole.tolist() == [0, 1, 2, 5, 4]
    assert flags.tolist() == [False, False, True, False]


def test_room_is_a_kernels_own_and_its_words_are_the_bits():
    bits, rest, size = bits_of(np.float32(-1.5))
    assert bits == np.float32(-1.5).view(np.uint32)
    assert (rest, size) == (6.0, 5)


def test_what_has_gaps_is_refused():
    with pytest.raises(Exception, match="without gaps"):
        looked_at(np.zeros((4, 4))[:, 1])


def test_kernels_know_what_is_packed_by_its_fields_and_not_by_a_class_that_others_may_not_have():
    numbers = np.zeros(3, np.float32)
    kinds = [Packed(one).kind for one in (Inner(numbers, True), Twin(numbers, False), Inner(np.zeros(3), True))]
    assert kinds[0] == kinds[1] != kinds[2]
    assert b"Inner" not in pickle.dumps(kinds[0])


def test_what_can_not_be_packed_is_refused():
    with pytest.raises(TypeError, match="float is nothing"):
        Packed(Inner(np.zeros(1, np.float32), 0.5))
    with pytest.raises(TypeError, match="without gaps"):
        Packed(Inner(np.zeros((2, 2), np.float32)[:, 1], True))
