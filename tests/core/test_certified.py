"""Statistics against the certified values of the Statistical Reference Datasets (univariate summary), and drift against scatter.

The sets are given by formula in their published form; each is written here in whole units, as the core takes them.
"""

import math
from fractions import Fraction

import numpy as np
import pytest

from fleet_rival.core import statistics

# Name: values in whole units, units to one, certified mean, certified standard deviation.
CERTIFIED = {
    "NumAcc1": ([10_000_001, 10_000_003, 10_000_002], 1, 10_000_002.0, 1.0),
    "NumAcc2": ([12, *([11, 13] * 500)], 10, 1.2, 0.1),
    "NumAcc3": ([10_000_002, *([10_000_001, 10_000_003] * 500)], 10, 1_000_000.2, 0.1),
    "NumAcc4": ([100_000_002, *([100_000_001, 100_000_003] * 500)], 10, 10_000_000.2, 0.1),
}


def digits(found: float, certified: float) -> float:
    """Agreeing significant digits: −log10 of the relative error."""
    return math.inf if found == certified else -math.log10(abs(found - certified) / abs(certified))


@pytest.mark.parametrize("name", CERTIFIED)
def test_mean_and_deviation_are_the_certified_ones(name: str) -> None:
    values, unit, mean, deviation = CERTIFIED[name]
    assert statistics.mean(values) == Fraction(mean).limit_denominator(10) * unit
    assert digits(statistics.standard_deviation(values) / unit, deviation) >= 14


@pytest.mark.parametrize("offset", [0, 10**9, 10**15])
def test_a_large_common_offset_costs_no_digit(offset: int) -> None:
    rng = np.random.default_rng(9)
    values = [int(value) for value in rng.integers(0, 10**6, 400)]
    moved = [value + offset for value in values]
    assert statistics.standard_deviation(moved) == statistics.standard_deviation(values)
    assert statistics.median_abs_deviation(moved) == statistics.median_abs_deviation(values)
    assert statistics.median(moved) - offset == statistics.median(values)
    numbers = list(range(400))
    assert statistics.theil_sen_slope(numbers, moved) == statistics.theil_sen_slope(numbers, values)


def test_the_slope_is_the_median_of_all_slopes_and_outliers_hardly_move_it() -> None:
    numbers = [1, 2, 3, 5, 8, 13]
    values = [100 * number for number in numbers]
    assert statistics.theil_sen_slope(numbers, values) == 100
    values[2] += 100_000
    assert 90 <= statistics.theil_sen_slope(numbers, values) <= 110
    pairs = [(values[j] - values[i]) / (numbers[j] - numbers[i]) for i in range(6) for j in range(i + 1, 6)]
    assert statistics.theil_sen_slope(numbers, values) == pytest.approx(float(np.median(pairs)))
    assert statistics.theil_sen_slope([4], [100]) == 0


@pytest.mark.parametrize(("value", "rounded"), [(Fraction(1, 2), 0), (Fraction(3, 2), 2), (Fraction(5, 2), 2), (2.5, 2), (None, None)])
def test_statistics_are_rounded_half_to_even(value: Fraction | float | None, rounded: int | None) -> None:
    assert statistics.round_half_even(value) == rounded
