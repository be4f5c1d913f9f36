"""Mistakes over a season: closed is what recurred and doesn't any more, returned what came again."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.corners.season import over_season


@pytest.mark.parametrize(
    ("costs", "closed", "returned", "state"),
    [
        ([0.2], 0, 0, "open"),
        ([0.2, 0.1], 0, 0, "open"),
        ([0.2, 0], 1, 0, "closed"),
        ([0.2, 0, 0.1], 1, 1, "returned"),
        ([0.2, 0, 0.1, 0], 2, 1, "closed"),
        ([0, 0.2], 0, 0, "open"),
        ([0, 0.2, 0, 0, 0.3, 0.1], 1, 1, "returned"),
        ([0.2, None, 0.1], 0, 0, "open"),
        ([0.2, None, 0], 1, 0, "closed"),
        ([0.2, 0, None], 1, 0, "closed"),
        ([None, 0.2, 0, None, 0.2], 1, 1, "returned"),
    ],
)
def test_a_mistake_through_the_weeks(costs: list[float | None], closed: int, returned: int, state: str) -> None:
    [told] = over_season([None if cost is None else {"lock-up": cost * 1e5} if cost else {} for cost in costs])
    assert (told.closed, told.returned, told.state) == (closed, returned, state)
    assert told.costs_us == tuple(None if cost is None else cost * 1e5 for cost in costs)


def test_what_costs_most_now_comes_first() -> None:
    told = over_season([{"limits": 9e5, "slide": 1e4}, {"lock-up": 5e4, "slide": 8e4}])
    assert [item.kind for item in told] == ["slide", "lock-up", "limits"]
    assert over_season([]) == over_season([None, {}]) == ()


@given(
    st.lists(
        st.one_of(st.none(), st.dictionaries(st.sampled_from(["slide", "spin", "kerb"]), st.floats(1, 1e6))), max_size=8
    )
)
def test_it_returns_only_after_it_was_closed(weeks: list[dict[str, float] | None]) -> None:
    for item in over_season(weeks):
        assert item.returned in (item.closed, item.closed - 1) or item.closed == item.returned == 0
        assert len(item.costs_us) == len(weeks) and any(item.costs_us)
