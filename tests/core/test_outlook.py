"""Hours needed against hours there, week by week."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.planning.outlook import look_ahead


def test_what_does_not_fit_is_begun_in_the_week_before() -> None:
    told = look_ahead([2.0, 3.0, 9.0], [6.0, 5.0, 4.0])
    assert [item.begin for item in told] == [0, 1, 0] and [item.short for item in told] == [0, 0, 0]
    # Two hours are left of the second week, and three of the four of the first.
    assert look_ahead([2.0, 3.0, 11.0], [6.0, 5.0, 4.0])[2].short == pytest.approx(1.0)


def test_a_week_without_time_is_begun_before_and_one_without_need_is_not() -> None:
    told = look_ahead([0.0, 1.0, 0.0], [2.0, 0.0, 0.0])
    assert [(item.begin, item.short) for item in told] == [(0, 0.0), (0, 0.0), (2, 0.0)]
    assert look_ahead([], []) == []


@given(st.lists(st.tuples(st.floats(0, 20), st.floats(0, 20)), max_size=8))
def test_hours_are_spent_once_and_nobody_waits_for_what_is_over(weeks: list[tuple[float, float]]) -> None:
    needed, there = [item[0] for item in weeks], [item[1] for item in weeks]
    told = look_ahead(needed, there)
    assert sum(item.needed - item.short for item in told) <= sum(there) + 1e-6
    for place, item in enumerate(told):
        assert item.begin <= place and 0 <= item.short <= item.needed + 1e-9
        # As much as there is up to a week can be spent on everything up to it, and is, where it is needed.
        met = sum(other.needed - other.short for other in told[: place + 1])
        assert met <= sum(there[: place + 1]) + 1e-6
        if item.short > 1e-6:
            assert met == pytest.approx(sum(there[: place + 1]), abs=1e-5)
