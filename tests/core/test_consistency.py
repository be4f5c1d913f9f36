"""Consistency: figures against exact arithmetic and known sets, and what drift must not do to them."""

from decimal import Decimal, getcontext
from fractions import Fraction
from math import isfinite, sqrt

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core import statistics
from fleet_rival.core.analysis import GroupAnalysis, analyse
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.settings import Settings
from tests.making import lap, track, whole_lap

QUICK = Settings(cold_laps=0, bootstrap_resamples=0)


def main_group(laps: list[Lap], corners: int = 4, **changes: float) -> GroupAnalysis:
    return (
        analyse(track(corners), laps, Settings.from_mapping({"cold_laps": 0, "bootstrap_resamples": 0, **changes}))
        .drivers["Ysolde Farrand"]
        .main
    )


@given(st.lists(st.integers(1, 10**10), min_size=2, max_size=60))
def test_statistics_agree_with_fifty_digits(values: list[int]) -> None:
    getcontext().prec = 50
    exact_mean = sum(map(Decimal, values)) / len(values)
    variance = sum((Decimal(value) - exact_mean) ** 2 for value in values) / (len(values) - 1)
    assert Decimal(statistics.mean(values).numerator) / Decimal(statistics.mean(values).denominator) == pytest.approx(
        exact_mean, rel=Decimal("1e-45")
    )
    assert statistics.standard_deviation(values) == pytest.approx(float(variance.sqrt()), rel=1e-14)


@given(st.lists(st.integers(1, 10**8), min_size=1, max_size=40), st.sampled_from([10, 25, 50, 90]))
def test_percentiles_are_the_usual_ones(values: list[int], per_cent: int) -> None:
    assert float(statistics.percentile(values, Fraction(per_cent, 100))) == pytest.approx(
        float(np.percentile(values, per_cent)), rel=1e-12
    )


def test_below_five_clean_laps_only_the_count_is_told() -> None:
    figures = main_group([whole_lap(number, 60 + number / 10) for number in range(1, 5)]).consistency
    assert (figures.n, figures.clean_rate, figures.median_us, figures.longest_streak) == (4, 1, None, None)
    assert {"median_us", "share", "spread_pct"} <= figures.reasons.keys()


def test_getting_slower_with_the_tyres_is_not_scatter() -> None:
    noise = [0.02, -0.03, 0.01, 0.03, -0.02, -0.01, 0.02, 0.0, -0.02, 0.01]
    steady = main_group([whole_lap(number + 1, 60 + extra) for number, extra in enumerate(noise)]).consistency
    fading = main_group(
        [whole_lap(number + 1, 60 + extra + 0.1 * number) for number, extra in enumerate(noise)]
    ).consistency
    assert fading.sd_us is not None and steady.sd_us is not None and fading.sd_us > 5 * steady.sd_us
    assert fading.adjusted_sd_us == pytest.approx(steady.adjusted_sd_us, rel=1e-6)
    assert fading.successive_difference_ratio is not None and fading.successive_difference_ratio < 0.5


def test_adjusted_deviation_by_hand() -> None:
    # Slope 0, median 60.0: residuals 0, 0.1, −0.1, 0, 0; 5 laps less 2 degrees of freedom.
    figures = main_group(
        [whole_lap(number + 1, time) for number, time in enumerate((60.0, 60.1, 59.9, 60.0, 60.0))]
    ).consistency
    assert figures.adjusted_sd_us == pytest.approx(sqrt(0.02 / 3) * 1e6)
    assert figures.spread_s_per_sqrt_min == pytest.approx(sqrt(0.02 / 3))


def test_streaks_end_at_laps_that_are_missing_unclean_or_off() -> None:
    laps = [whole_lap(number, 60.0) for number in (1, 2, 3, 5, 6, 7, 8, 9, 10)]
    laps[5] = whole_lap(7, 60.0, valid=False)
    laps.append(whole_lap(11, 60.25))
    assert main_group(laps).consistency.longest_streak == 3


def test_shares_sum_to_one_and_name_the_loose_part() -> None:
    rng = np.random.default_rng(5)
    laps = [lap(number, 5, 10, 12 + rng.normal(0, 0.3), 11, 9 + rng.normal(0, 0.01)) for number in range(1, 25)]
    share = main_group(laps, spoiled_deviations=9).consistency.share
    assert share is not None
    assert sum(item.value for item in share.values()) == pytest.approx(1)
    assert share["T2"].value > 0.95
    with_intervals = main_group(laps, spoiled_deviations=9, bootstrap_resamples=400).consistency.share
    assert with_intervals is not None
    low, high = with_intervals["T2"].low, with_intervals["T2"].high
    assert low is not None and high is not None and low < share["T2"].value < high


def test_paying_back_shows_as_a_negative_share() -> None:
    swings = [0.3, -0.2, 0.1, -0.3, 0.25, -0.15, 0.2, -0.1]
    laps = [lap(number + 1, 5, 10 + swing, 12 - swing / 2, 11, 9) for number, swing in enumerate(swings)]
    share = main_group(laps).consistency.share
    assert share is not None and share["T2"].value < -0.5 and share["T1"].value > 1.5


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.integers(1, 3), st.integers(58_000, 64_000)), min_size=1, max_size=30), st.booleans())
def test_no_figure_is_ever_not_a_number(rows: list[tuple[int, int]], wet: bool) -> None:
    laps = [
        whole_lap(number + 1, milliseconds / 1000, run=run, wetness="wet" if wet and number % 2 else "dry")
        for number, (run, milliseconds) in enumerate(rows)
    ]
    driver = analyse(track(), laps, QUICK).drivers["Ysolde Farrand"]
    for group in (driver.main, *driver.others):
        for name in ("sd_us", "robust_sd_us", "adjusted_sd_us", "spread_pct", "successive_difference_ratio"):
            value = getattr(group.consistency, name)
            assert value is None or isfinite(value)
            assert value is not None or name in group.consistency.reasons
    assert sum(group.counts["total"] for group in (driver.main, *driver.others)) == len(laps)
