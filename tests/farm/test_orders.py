"""What a take asks for, and in which order it is worked off."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.farm.orders import TakeEmpty, TakeOrders, TakeOutside, TakeTooLarge, working_order


@given(st.integers(-50, 50), st.integers(1, 60), st.sets(st.integers(-50, 120)))
def test_every_frame_that_is_not_done_comes_once_and_the_telling_ones_first(first, count, done):
    frames = range(first, first + count)
    order = working_order(frames, done)
    assert sorted(order) == [f for f in frames if f not in done]
    telling = [f for f in (frames[0], frames[count // 2], frames[-1]) if f not in done]
    assert order[: len(set(telling))] == list(dict.fromkeys(telling))


def test_ranges_must_fit_the_shot():
    TakeOrders(first=0, last=72).check(0, 72)
    with pytest.raises(TakeEmpty):
        TakeOrders(first=5, last=4).check(0, 72)
    with pytest.raises(TakeOutside) as outside:
        TakeOrders(first=-1, last=4).check(0, 72)
    assert (outside.value.field, outside.value.bound) == ("first", "0 to 72")


def test_work_that_nobody_could_wait_for_is_refused():
    large = TakeOrders(first=0, last=999, width=4096, height=2304, samples=100)
    large.check(0, 999)
    assert large.work == 1000 * 4096 * 2304 * 100
    with pytest.raises(TakeTooLarge) as refused:
        large.model_copy(update={"samples": 4096}).check(0, 999)
    assert (refused.value.field, refused.value.bound) == ("samples", "at most 105")
    large.model_copy(update={"samples": 105}).check(0, 999)
