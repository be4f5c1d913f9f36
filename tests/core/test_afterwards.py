"""What was expected of a race against what happened: intervals, corners under pressure, and what a season teaches."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from fleet_rival.core.race.afterwards import (
    FIGURES,
    Compared,
    Expected,
    Repeated,
    Taught,
    calibrated,
    compared,
    counted,
    expected_count,
    expected_use,
    repeated,
    under_pressure,
    wider,
)
from fleet_rival.core.race.consumption import Consumption


def expected(value: float, half: float, share: float = 0.8) -> Expected:
    return Expected(value, value - half, value + half, share)


def test_only_what_is_known_before_and_after_is_compared() -> None:
    before = {"qualifying_us": expected(60e6, 1e5), "slips": expected(3, 2), "race_lap_us": expected(61e6, 1e5)}
    told = compared(before, {"race_lap_us": 61.05e6, "qualifying_us": 60.2e6, "slips": None, "strikes": 2.0})
    assert [item.figure for item in told] == ["qualifying_us", "race_lap_us"]
    assert [item.inside for item in told] == [False, True]
    assert told[0].off == pytest.approx(0.2 / 60)


def test_the_ends_of_an_interval_belong_to_it_and_counts_have_no_share() -> None:
    assert Compared("slips", Expected(3, 1, 5, 0.9), 5).inside and Compared("slips", Expected(3, 1, 5, 0.9), 1).inside
    assert (
        Compared("slips", Expected(3, 1, 5, 0.9), 9).off is None
        and Compared("qualifying_us", Expected(0, 0, 0, 0.9), 9).off is None
    )


def test_a_corner_under_pressure_by_the_numbers_of_a_textbook() -> None:
    # Fisher's tea: 3 of 4 against 1 of 4 is 0.4857; scaled here to passes that are enough.
    [item] = under_pressure({"T1": (1, 40)}, {"T1": (6, 20)})
    table = [[1, 39], [6, 14]]
    assert item.chance == pytest.approx(float(stats.fisher_exact(table).pvalue)) and item.told and item.more
    hyper = stats.hypergeom(60, 7, 20)
    assert item.chance == pytest.approx(
        sum(hyper.pmf(k) for k in range(8) if hyper.pmf(k) <= hyper.pmf(6) * (1 + 1e-7))
    )


def test_corners_come_by_how_odd_they_are_and_few_passes_tell_nothing() -> None:
    told = under_pressure(
        {"T1": (2, 40), "T2": (2, 40), "T3": (0, 40), "T4": (1, 3)},
        {"T1": (1, 20), "T2": (9, 20), "T3": (0, 20), "T4": (3, 20)},
    )
    assert [item.corner for item in told] == ["T2", "T1"]
    assert told[0].more and not told[1].told


@given(st.integers(0, 30), st.integers(0, 20))
def test_fewer_slips_in_the_race_are_told_as_fewer(before: int, after: int) -> None:
    told = under_pressure({"T1": (before, 30)}, {"T1": (after, 20)})
    assert [item.more for item in told] == ([after / 20 > before / 30] if before + after else [])
    assert all(0 <= item.chance <= 1 for item in told)


def test_a_season_is_taken_into_account_more_the_more_races_are_known() -> None:
    def races(count: int) -> float:
        [told] = calibrated([[Compared("race_lap_us", expected(60e6, 1e5), 60e6 * 1.004)] for _ in range(count)])
        assert (
            told.races == count
            and told.inside == 0
            and told.due == pytest.approx(0.8 * count)
            and told.off == pytest.approx(0.004)
        )
        return told.shift

    assert races(1) == pytest.approx(0.004 / 5) and races(4) == pytest.approx(0.002)
    assert 0.0038 < races(100) < 0.004
    assert calibrated([]) == ()


def test_intervals_that_are_right_are_seldom_called_odd_and_wrong_ones_mostly() -> None:
    rng = np.random.default_rng(5)

    def share_odd(width: float) -> float:
        half = width * stats.norm.ppf(0.9)
        seasons = []
        for _ in range(300):
            drawn = rng.normal(100, 1, 20)
            [told] = calibrated([[Compared("fuel_l", expected(100.0, half), value)] for value in drawn])
            seasons.append(told.odd)
        return float(np.mean(seasons))

    assert share_odd(1.0) <= 0.1
    assert share_odd(0.4) >= 0.8


def test_figures_stay_in_the_order_of_the_day() -> None:
    items = [Compared(name, expected(10, 1), 10) for name in reversed(FIGURES)]
    assert [item.figure for item in calibrated([items])] == list(FIGURES)


@given(st.lists(st.floats(0, 500), min_size=1, max_size=6))
def test_a_weeks_points_by_the_rule(points: list[float]) -> None:
    assert counted(points, "best") == max(points)
    assert counted(points, "sum") == pytest.approx(math.fsum(points))
    assert counted(points, "mean") == pytest.approx(math.fsum(points) / len(points))


def test_no_start_with_points_brings_nothing_and_rules_are_named() -> None:
    assert counted([], "best") is None
    with pytest.raises(ValueError, match="worst"):
        counted([1.0], "worst")


def test_intervals_that_were_too_narrow_are_made_as_wide_as_races_differ() -> None:
    rng = np.random.default_rng(8)
    half = float(stats.norm.ppf(0.9))

    def taught(races: int, spread: float) -> float:
        drawn = 100 * 1.02 + spread * rng.standard_normal(races)
        [told] = calibrated([[Compared("fuel_l", expected(100.0, half), value)] for value in drawn])
        return told.widen

    assert taught(400, 3.0) == pytest.approx(3.0, rel=0.1), "the shift is no scatter"
    assert taught(400, 0.6) == pytest.approx(0.6, rel=0.15)
    assert taught(400, 0.01) == 0.5 and taught(400, 90.0) == 20.0, "within bounds"
    assert abs(taught(1, 1.0) - 1) < 0.4
    # Laps that hardly differed don't say that races won't.
    [flat] = calibrated([[Compared("energy_kwh", Expected(2.0, 2.0, 2.0, 0.9), 2.05)]] * 3)
    assert 1 < flat.widen <= 20 and np.isfinite(flat.widen)


def test_what_happens_once_in_a_start_counts_once_and_twice_is_a_rule() -> None:
    starts = [
        [("T1", "contact", 1), ("T1", "contact", 9)],
        [("T1", "contact", 1), ("T5", "spin", 3)],
        [("T5", "spin", None)],
        [],
    ]
    assert repeated(starts) == (Repeated("T1", "contact", (1, 1), 4), Repeated("T5", "spin", (3, None), 4))
    assert [item.at_start for item in repeated(starts)] == [True, False]
    assert repeated([starts[0]]) == repeated([]) == ()


def test_counts_and_use_hold_nine_races_in_ten() -> None:
    rng = np.random.default_rng(3)
    told = expected_count(4.2)
    drawn = rng.poisson(4.2, 20_000)
    assert 0.9 <= float(np.mean((drawn >= told.low) & (drawn <= told.high))) <= 0.97, "whole numbers hold a little more"
    assert (expected_count(0).low, expected_count(0).high) == (0, 0)
    used = expected_use(Consumption(2.5, 0.2, 0.05, 40, 4), 20)
    races = 2.5 + 0.05 * rng.standard_normal(20_000) + 0.2 * rng.standard_normal((20_000, 20)).mean(axis=1)
    assert float(np.mean((races >= used.low) & (races <= used.high))) == pytest.approx(0.9, abs=0.01)


def test_what_a_season_teaches_is_handed_on_and_intervals_grow_around_their_value() -> None:
    [told] = calibrated([[Compared("fuel_l", expected(100.0, 1.0), 103.0)]])
    assert told.taught == Taught(told.shift, told.widen) and Taught() == Taught(0.0, 1.0)
    assert (wider(10, 8, 3), wider(10, 13, 0.5), wider(10, 8, 1)) == (4, 11.5, 8)
