"""One slope for several runs, with an interval that holds when neighbouring laps resemble each other.

One slope for all comparable runs, an intercept each: the median of the pairwise slopes within runs (Theil 1950, Sen
    1968). Its interval comes
from the distribution of Kendall's S, summed over runs, whose variance is widened by the residuals' correlation: a
driver who found a rhythm
keeps it for some laps, and laps that resemble each other say less than so many independent ones.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.statistics import MAD_TO_SD, Z_95, middle, pairs_of

__all__ = ["Level", "Slope", "Values", "correlation_of", "level_of", "pooled_slope", "widening"]

Values = NDArray[np.float64]
_CLIPPED_AT: Final = 3.0
"""Residuals beyond so many robust deviations count as that much when their correlation is told: a slip is no rhythm."""
_HIGHEST: Final = 0.9
_USUAL: Final = 0.25
_USUAL_SPREAD: Final = 0.25
"""Correlation of neighbouring laps as it is usually found, and how much that differs between drivers."""
_PIECE: Final = 60
_MOST_PAIRED: Final = 1500
"""Values of a run of which all pairs are looked at; of longer ones every so many."""
_GRID: Final = np.linspace(-0.95, 0.95, 39)


@dataclass(frozen=True, slots=True)
class Slope:
    """A slope with its 95 % interval.

    Attributes:
        value, low, high: units of y a unit of x.
        correlation: of residuals one step apart, 0 where it seems negative.
        n, runs: how many values in how many runs stand behind it.
    """

    value: float
    low: float
    high: float
    correlation: float
    n: int
    runs: int


def pooled_slope(runs: Sequence[tuple[Sequence[float] | Values, Sequence[float] | Values]]) -> Slope | None:
    """One slope for several runs, an intercept each.

    Args:
        runs: x and y of each, x ascending, at least two values with different x in one of them.

    Returns:
        The slope; None where no run has two different x.

    >>> pooled_slope([([1, 2, 3, 4], [10.0, 20.0, 30.0, 41.0]), ([1, 2, 3], [110.0, 120.0, 129.0])])
    Slope(value=10.0, low=9.3685654063136, high=11.262869187372802, correlation=0.3277777777777777, n=7, runs=2)
    """
    pairs: list[Values] = []
    variance = 0.0
    usable: list[tuple[Values, Values]] = []
    for numbers, values in runs:
        x, y = np.asarray(numbers, dtype=np.float64), np.asarray(values, dtype=np.float64)
        thin = -(-len(x) // _MOST_PAIRED)
        x, y = x[::thin], y[::thin]
        first, second = pairs_of(len(x))
        apart = x[second] - x[first]
        different = apart != 0
        if not different.any():
            continue
        pairs.append((y[second] - y[first])[different] / apart[different])
        # Of Kendall's S where there is no trend.
        variance += len(y) * (len(y) - 1) * (2 * len(y) + 5) / 18
        usable.append((x, y))
    if not pairs:
        return None
    slopes = np.sort(np.concatenate(pairs))
    slope = middle(slopes)
    correlation = correlation_of(usable, slope)
    count, spread = len(slopes), Z_95 * sqrt(variance)
    # Between which of the ordered slopes the truth of independent laps lies (Sen 1968); then wider on either side.
    # Further out among the ordered slopes lie those of neighbouring laps, which say little.
    low = slope - float(slopes[max(int(np.floor((count - spread) / 2)), 0)])
    high = float(slopes[min(int(np.ceil((count + spread) / 2)), count - 1)]) - slope
    wider = sqrt(widening(usable, correlation))
    return Slope(
        slope, slope - wider * low, slope + wider * high, correlation, sum(len(x) for x, _ in usable), len(usable)
    )


def correlation_of(runs: Sequence[tuple[Values, Values]], slope: float) -> float:
    """How much laps one step apart resemble each other, once the line is taken out: of a first-order process, at
    least 0.

    Taking a line out of a short run makes its residuals look less alike than they are; that is undone exactly, by
    asking under which correlation the
    residuals would look as they do.
    """
    products = squares = 0.0
    free = 0
    expected_products, expected_squares = np.zeros(len(_GRID)), np.zeros(len(_GRID))
    for x, y in _pieces(runs):
        if len(x) < 4:
            continue
        rest = y - slope * x
        rest = rest - middle(rest)
        scale = MAD_TO_SD * middle(np.abs(rest))
        if scale > 0:
            rest = np.clip(rest, -_CLIPPED_AT * scale, _CLIPPED_AT * scale)
        out = _without_line(x)
        rest = out @ rest
        free += len(x) - 2
        products += float(rest @ _beside(x) @ rest)
        squares += float(rest @ rest)
        looks_products, looks_squares = _expected(tuple(x - x[0]))
        expected_products += looks_products
        expected_squares += looks_squares
    if squares <= 0:
        return 0.0
    seen = products / squares
    looks = np.maximum.accumulate(expected_products / expected_squares)
    found = float(np.interp(seen, looks, _GRID))
    # From few laps a correlation is told badly: it is drawn towards what laps usually have, the more the fewer they
    # are.
    trust = _USUAL_SPREAD**2 / (_USUAL_SPREAD**2 + 1 / max(free, 1))
    return float(np.clip(trust * found + (1 - trust) * _USUAL, 0.0, _HIGHEST))


@lru_cache(maxsize=512)
def _expected(places: tuple[float, ...]) -> tuple[Values, Values]:
    """What products of neighbours and squares of residuals would be at each correlation of the grid.

    Kept, since most runs look alike.
    """
    x = np.asarray(places)
    out = _without_line(x)
    alike = out @ _beside(x) @ out
    processes = [_process(x, float(rho)) for rho in _GRID]
    return np.asarray([(alike * process).sum() for process in processes]), np.asarray(
        [(out * process).sum() for process in processes]
    )


def _beside(x: Values) -> Values:
    """Which values lie one step apart, half on each side of the diagonal."""
    return np.asarray((np.abs(x[:, None] - x[None, :]) == 1) / 2)


def _without_line(x: Values) -> Values:
    """What takes a line over x out of values; where x begins doesn't matter."""
    return _line_out(tuple(x - x[0]))


@lru_cache(maxsize=512)
def _line_out(places: tuple[float, ...]) -> Values:
    x = np.asarray(places)
    basis = np.linalg.qr(np.column_stack([np.ones(len(x)), x - x.mean()]))[0]
    return np.asarray(np.eye(len(x)) - basis @ basis.T)


def _pieces(runs: Sequence[tuple[Values, Values]]) -> Iterator[tuple[Values, Values]]:
    """Long runs in pieces: how laps resemble each other is told by neighbours, and matrices stay small."""
    for x, y in runs:
        for start in range(0, len(x), _PIECE):
            yield x[start : start + _PIECE], y[start : start + _PIECE]


def _process(x: Values, rho: float) -> Values:
    """Correlation matrix of a first-order process over x."""
    steps = np.abs(x[:, None] - x[None, :])
    return np.asarray(np.sign(rho) ** steps * np.abs(rho) ** steps) if rho else np.eye(len(x))


def widening(runs: Sequence[tuple[Values, Values]], correlation: float) -> float:
    """By how much the variance of a slope is larger than independent values of the scatter that is seen would have
    it.
    """
    slope_above = slope_below = seen = free = 0.0
    for x, _ in _pieces(runs):
        if len(x) < 3:
            continue
        centred = x - x.mean()
        process = _process(x, correlation)
        slope_above += float(centred @ process @ centred)
        slope_below += float(centred @ centred)
        # A line takes much of a slow process with it: less scatter is seen than there is.
        seen += float((_without_line(x) * process).sum())
        free += len(x) - 2
    # Where no x differs from another there is no slope that could be widened.
    return max(slope_above / slope_below * free / seen, 1.0) if seen > 0 and slope_below > 0 else 1.0


@dataclass(frozen=True, slots=True)
class Level:
    """Where lines of one slope stand at x = 0.

    Attributes:
        value: the median.
        error: its standard error; runs that differ by more than their values' scatter count as so many.
        variance: of a single value, widened by the correlation.
    """

    value: float
    error: float
    variance: float


def level_of(runs: Sequence[tuple[Values, Values]], slope: Slope) -> Level:
    """The level of runs whose slope is known.

    Args:
        runs: x and y of each, at least one value in all.
    """
    rests = [y - slope.value * x for x, y in runs]
    levels = [middle(rest) for rest in rests]
    rest = np.concatenate(rests)
    about = np.concatenate([part - level for part, level in zip(rests, levels, strict=True)])
    variance = float(about @ about) / max(len(rest) - len(runs) - 1, 1) * widening(runs, slope.correlation)
    between = float(np.var(levels, ddof=1)) / len(levels) if len(levels) > 1 else 0.0
    return Level(middle(rest), sqrt(max(variance / len(rest), between)), variance)
