"""Statistics on whole microseconds: exact where they can be, on centred data where they can't.

A median of integers and an interpolated percentile are exact rationals and are returned as `Fraction`; deviations are
computed
in floats after the exact mean or median was taken out, so that no digits are lost to a large common offset.
"""

from collections.abc import Sequence
from fractions import Fraction
from functools import lru_cache
from math import sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "MAD_TO_SD",
    "Z_95",
    "adjusted_deviation",
    "least_squares",
    "mean",
    "median",
    "median_abs_deviation",
    "medians",
    "middle",
    "pairs_of",
    "percentile",
    "round_half_even",
    "standard_deviation",
    "theil_sen_slope",
]

MAD_TO_SD: Final = 1.4826
"""Median absolute deviation to standard deviation, for the normal distribution."""
Z_95: Final = 1.959963984540054
"""Standard errors on either side of an interval that holds 95 of 100."""
_MOST_PAIRED: Final = 3000
_FEW: Final = 64
"""Values of which the pairs are kept: runs are short, and there are many of them."""


def mean(values: Sequence[int]) -> Fraction:
    """Exact arithmetic mean of at least one value.

    >>> mean([1, 2, 4])
    Fraction(7, 3)
    """
    return Fraction(sum(values), len(values))


def percentile(values: Sequence[int], share: Fraction) -> Fraction:
    """Percentile by linear interpolation between order statistics (type 7 of Hyndman and Fan, 1996), exactly.

    >>> percentile([10, 20, 40], Fraction(1, 4))
    Fraction(15, 1)
    """
    ordered = sorted(values)
    # In whole numbers up to the last step: sums of fractions are brought to lowest terms each time.
    below, rest = divmod(share.numerator * (len(ordered) - 1), share.denominator)
    above = min(below + 1, len(ordered) - 1)
    return Fraction(ordered[below] * share.denominator + rest * (ordered[above] - ordered[below]), share.denominator)


def median(values: Sequence[int]) -> Fraction:
    """Exact median of at least one value.

    >>> median([1, 2, 4, 9])
    Fraction(3, 1)
    """
    return percentile(values, Fraction(1, 2))


def median_abs_deviation(values: Sequence[int]) -> Fraction:
    """Median distance from the median, exactly; times `MAD_TO_SD` it estimates a standard deviation.

    >>> median_abs_deviation([1, 2, 4, 9, 100])
    Fraction(3, 1)
    """
    doubled = median(values) * 2
    centre = int(doubled)
    return median([abs(2 * value - centre) for value in values]) / 2


def standard_deviation(values: Sequence[int]) -> float:
    """Sample standard deviation (n − 1) of at least two values, from exact sums of centred integers.

    >>> round(standard_deviation([61_000, 61_200, 61_700]), 3)
    360.555
    """
    count = len(values)
    base = values[0]
    centred = [value - base for value in values]
    total = sum(centred)
    return sqrt(Fraction(count * sum(value * value for value in centred) - total * total, count * (count - 1)))


def theil_sen_slope(numbers: Sequence[int], values: Sequence[int]) -> float:
    """Median of the slopes between all pairs (Theil 1950, Sen 1968), as `scipy.stats.theilslopes` gives it; 0 for a
    single number.

    Of more than `_MOST_PAIRED` values every so many are paired: the pairs of ten thousand would take a gigabyte.

    >>> theil_sen_slope([1, 2, 3, 4, 5, 6], [100, 130, 160, 190, 220, 9000])
    30.0
    """
    if len(set(numbers)) < 2:
        return 0.0
    thin = -(-len(numbers) // _MOST_PAIRED)
    y = (np.asarray(values[::thin], dtype=np.int64) - values[0]).astype(np.float64)
    x = np.asarray(numbers[::thin], dtype=np.float64)
    first, second = pairs_of(len(x))
    apart = x[second] - x[first]
    known = apart != 0
    return middle((y[second] - y[first])[known] / apart[known])


def middle(values: NDArray[np.float64]) -> float:
    """Median of at least one float, as `np.median` gives it; an eighth of the time for the few values that a run
    has.

    >>> middle(np.array([3.0, 1.0, 2.0, 9.0]))
    2.5
    """
    ordered = np.sort(values)
    half = len(ordered) // 2
    return float(ordered[half]) if len(ordered) % 2 else float((ordered[half - 1] + ordered[half]) / 2)


def medians(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Medians of columns, whatever is unknown in them left out; NaN of a column without any.

    >>> medians(np.asarray([[1.0, np.nan], [3.0, np.nan], [np.nan, 5.0]])).tolist()
    [2.0, 5.0]
    """
    count = np.isfinite(values).sum(axis=0)
    # What isn't known is sorted behind all else.
    ordered = np.sort(values, axis=0)
    columns = np.arange(values.shape[1])
    low, high = np.maximum(count - 1, 0) // 2, np.maximum(count, 1) // 2
    return np.where(count > 0, (ordered[low, columns] + ordered[high, columns]) / 2, np.nan)


def pairs_of(count: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """First and second of all pairs of so many values.

    >>> [pair.tolist() for pair in pairs_of(3)]
    [[0, 0, 1], [1, 2, 2]]
    """
    return _few_pairs(count) if count <= _FEW else np.triu_indices(count, 1)


@lru_cache(maxsize=_FEW)
def _few_pairs(count: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    first, second = np.triu_indices(count, 1)
    first.flags.writeable = second.flags.writeable = False
    return first, second


def least_squares(design: NDArray[np.float64], values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Coefficients of least squares, with columns brought to one size so that large ones cost small ones no digits.

    Args:
        design: shape (n, columns); centred where an intercept is meant.
        values: shape (n,).

    Returns:
        Shape (columns,).

    >>> least_squares(np.array([[1.0, 0.0], [1.0, 1.0], [1.0, 2.0]]), np.array([1.0, 3.0, 5.0]))
    array([1., 2.])
    """
    size = np.linalg.norm(design, axis=0)
    size[size == 0] = 1.0
    # To the next power of two: dividing by it loses nothing.
    size = np.exp2(np.round(np.log2(size)))
    found, *_ = np.linalg.lstsq(design / size, values, rcond=None)
    # Once more on what is left, taken with more digits: most of those that an ill-conditioned design costs come back.
    left = values - (design / size).astype(np.longdouble) @ found
    again, *_ = np.linalg.lstsq(design / size, left.astype(np.float64), rcond=None)
    return np.asarray((found + again) / size)


def detrended(numbers: Sequence[int], values: Sequence[int], slope: float) -> NDArray[np.float64]:
    """Values with a line of this slope taken out, around their own median: shape (n,), microseconds."""
    centred = (np.asarray(values, dtype=np.int64) - values[0]).astype(np.float64)
    rest = centred - slope * (np.asarray(numbers, dtype=np.float64) - numbers[0])
    return np.asarray(rest - middle(rest), dtype=np.float64)


def round_half_even(value: Fraction | float | None) -> int | None:
    """A statistic as whole microseconds, half to even.

    >>> round_half_even(2.5), round_half_even(Fraction(7, 2)), round_half_even(None)
    (2, 4, None)
    """
    return None if value is None else round(value)


def adjusted_deviation(runs: Sequence[tuple[Sequence[int], Sequence[int]]]) -> float | None:
    """Scatter about each run's own Theil-Sen line, two degrees of freedom lost a run; None without a run."""
    if not runs:
        return None
    residuals = [detrended(numbers, times, theil_sen_slope(numbers, times)) for numbers, times in runs]
    count = sum(len(part) for part in residuals)
    return sqrt(sum(float(np.dot(part, part)) for part in residuals) / (count - 2 * len(runs)))
