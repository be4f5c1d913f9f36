"""Tyres of a team: an average that nobody stands outside of, and surer the more it is told by."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.effects import Tyres
from fleet_rival.core.effects.of_team import tyres_of_team

CODES = ("L0", "T1", "T2")
figure = st.tuples(st.floats(-200, 2000), st.floats(1, 500))


def tyres(figures: list[tuple[float, float]]) -> Tyres:
    values = dict(zip(CODES, figures, strict=True))
    return Tyres(
        None,
        {code: value for code, (value, _) in values.items()},
        {code: value - reach for code, (value, reach) in values.items()},
        {code: value + reach for code, (value, reach) in values.items()},
        {},
    )


@given(st.lists(st.lists(figure, min_size=3, max_size=3), min_size=1, max_size=5))
def test_the_average_lies_between_the_drivers(drivers: list[list[tuple[float, float]]]) -> None:
    found = tyres_of_team([tyres(item) for item in drivers])
    assert found is not None
    for place, code in enumerate(CODES):
        values = [item[place][0] for item in drivers]
        assert min(values) - 1e-6 <= found.us_per_lap[code] <= max(values) + 1e-6
        assert found.low_us[code] <= found.us_per_lap[code] <= found.high_us[code]
    if abs(sum(found.us_per_lap.values())) > 1:
        assert sum(found.weights.values()) == pytest.approx(1)


@given(st.lists(figure, min_size=3, max_size=3), st.integers(2, 6))
def test_who_says_the_same_makes_it_surer_and_who_contradicts_does_not(
    figures: list[tuple[float, float]], drivers: int
) -> None:
    alone, alike = tyres_of_team([tyres(figures)]), tyres_of_team([tyres(figures)] * drivers)
    far = [(value + 50 * reach, reach) for value, reach in figures]
    apart = tyres_of_team([tyres(figures), tyres(far)])
    assert alone and alike and apart
    for code in CODES:
        wide = alone.high_us[code] - alone.low_us[code]
        assert alike.high_us[code] - alike.low_us[code] <= wide < apart.high_us[code] - apart.low_us[code]


def test_a_part_that_one_of_them_has_no_figure_of_is_left_out_and_none_of_them_tells_nothing() -> None:
    own = tyres([(10.0, 1.0)] * 3)
    short = Tyres(None, {"T1": 20.0}, {"T1": 19.0}, {"T1": 21.0}, {"T1": 1.0})
    found = tyres_of_team([own, short])
    assert found is not None and list(found.us_per_lap) == ["T1"]
    assert tyres_of_team([]) is None
    assert tyres_of_team([Tyres(None, {}, {}, {}, {})]) is None
