"""The likely best of n laps.

With F the distribution of a driver's clean laps and q the share of laps that don't count, the best of n laps is at most
T with
probability 1 − (q + (1 − q)(1 − F(T)))ⁿ. F is the distribution of the laps, smoothed: each lap stands for laps around
it, normally, as far as is
usual for so many (Silverman 1986), and all are drawn together so that the spread stays (Silverman and Young 1987). What
is told lies between the
fastest and the slowest lap: no lap is promised that nobody has come near.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from math import pi, sqrt
from typing import Final

import numpy as np

from fleet_rival.core.statistics import MAD_TO_SD, median, median_abs_deviation

__all__ = ["LAP_COUNTS", "BestOf", "Place", "best_of", "best_of_run", "odds_of"]

LAP_COUNTS: Final = (1, 2, 3, 5, 10)
_PERCENTILES: Final = (0.1, 0.5, 0.9)
_WIDTH: Final = 1.06
_SMOOTHED_FROM: Final = 8
"""Laps from which on their distribution is smoothed."""
_POINTS: Final = 512
_OF_MEDIAN: Final = sqrt(pi / 2)
"""Standard error of a median over that of a mean."""
_NODES, _WEIGHTS = np.polynomial.hermite_e.hermegauss(7)
_WEIGHTS /= _WEIGHTS.sum()


@dataclass(frozen=True, slots=True)
class BestOf:
    """Percentiles of the best of `laps` laps in microseconds; None where it is too likely that no lap counts."""

    laps: int
    p10_us: float | None
    p50_us: float | None
    p90_us: float | None


@dataclass(frozen=True, slots=True)
class Place:
    """What is known of one place in a run (the first lap after the out lap, the second, …)."""

    times_us: tuple[int, ...]
    """Times of laps that count there."""
    failure: float
    """Share of laps that don't count."""


def best_of(clean_us: Sequence[int], clean_rate: float) -> list[BestOf]:
    """The best of 1, 2, 3, 5 and 10 warm laps.

    Args:
        clean_us: at least one clean lap time.
        clean_rate: clean laps over eligible laps, more than 0.

    >>> [best.laps for best in best_of([61_000_000, 61_200_000, 61_500_000], clean_rate=0.9)]
    [1, 2, 3, 5, 10]
    """
    fastest, slowest = min(clean_us), max(clean_us)
    grid, reached = _curve(clean_us)
    failure = 1 - clean_rate
    results = []
    for laps in LAP_COUNTS:
        values: list[float | None] = []
        for share in _PERCENTILES:
            if share > 1 - failure**laps:
                values.append(None)
                continue
            wanted = min((1 - (1 - share) ** (1 / laps)) / clean_rate, 1.0)
            values.append(float(np.clip(np.interp(wanted, reached, grid), fastest, slowest)))
        results.append(BestOf(laps, *values))
    return results


def odds_of(clean_us: Sequence[int], clean_rate: float, laps: int, target_us: int, correlation: float = 0.0) -> float:
    """The chance that the best of so many warm laps, driven one after the other, is at the target or better.

    Laps that resemble their neighbours say less than so many independent ones: who missed the target on one lap is
        likelier to miss it on the
    next. A lap depends on the one before alone, and both are normal where their correlation is told (Owen 1956). The
    odds are the mean over where the middle of the laps may truly lie: what is known from few laps isn't told as if it
    were known from many. 0 is the
        formula of the module.

    Args:
        correlation: of neighbouring laps' times, trend taken out, 0 or more.

    >>> odds_of([90, 91, 92], 1.0, 1, 92)
    1.0
    """
    if target_us >= max(clean_us):
        return 1 - (1 - clean_rate) ** laps
    if correlation <= 0:
        return float(1 - (1 - clean_rate * _distribution(clean_us, np.asarray([float(target_us)]))[0]) ** laps)
    from scipy.special import ndtri, owens_t  # noqa: PLC0415  takes a third of a second to import; not every process needs it

    # Where the middle of the driver's laps truly lies isn't known better than so many laps that resemble each other
    # tell.
    spread = MAD_TO_SD * float(median_abs_deviation(clean_us))
    error = _OF_MEDIAN * spread * sqrt((1 + correlation) / (1 - correlation) / len(clean_us))
    reached = _distribution(clean_us, target_us + error * _NODES)
    missed = 1 - clean_rate * reached
    inner = np.clip(reached, 1e-12, 1 - 1e-12)
    both = reached - 2 * owens_t(ndtri(inner), sqrt((1 - correlation) / (1 + correlation)))
    # Beyond all laps, one is like the other.
    both = np.where((reached > 0) & (reached < 1), both, reached)
    twice_missed = 1 - 2 * clean_rate * reached + clean_rate**2 * both
    again = np.divide(twice_missed, missed, out=np.zeros_like(missed), where=missed > 0)
    return float((1 - missed * again ** (laps - 1)) @ _WEIGHTS)


def best_of_run(places: Sequence[Place]) -> list[BestOf]:
    """The best of the first 1, 2, 3, … laps behind an out lap, each place with a distribution and a failure rate of
    its own.

    Args:
        places: one for each lap of the run, in order, each with at least one time.
    """
    results = []
    # Most places are the same warm laps: their distribution is made once.
    curves = {times: _curve(times) for times in {place.times_us for place in places}}
    arrays = {times: np.asarray(times, dtype=np.float64) for times in curves}
    for laps in LAP_COUNTS:
        if laps > len(places):
            break
        used = places[:laps]
        times = np.concatenate([arrays[times] for times in dict.fromkeys(place.times_us for place in used)])
        grid = np.unique(np.concatenate([np.linspace(times.min(), times.max(), _POINTS), times]))
        shares = {times: _share_at(curves[times], grid) for times in {place.times_us for place in used}}
        none_yet = np.ones_like(grid)
        for place in used:
            none_yet *= place.failure + (1 - place.failure) * (1 - shares[place.times_us])
        reached = np.maximum.accumulate(1 - none_yet)
        values = [float(np.interp(share, reached, grid)) if reached[-1] >= share else None for share in _PERCENTILES]
        results.append(BestOf(laps, *values))
    return results


def moved(times_us: Sequence[int], offset_us: Fraction) -> tuple[int, ...]:
    """Warm laps moved by the driver's cold offset, for a place with too few laps of its own."""
    whole = round(offset_us)
    return tuple(time + whole for time in times_us)


def cold_offset(cold_us: Sequence[int], warm_us: Sequence[int]) -> Fraction:
    """Median cold lap minus median warm lap."""
    return median(cold_us) - median(warm_us)


def _curve(times_us: Sequence[int]) -> tuple[np.ndarray, np.ndarray]:
    """Times, and the share of laps that are at most so slow: both ascending."""
    # Laps that were moved by an offset have the same one, moved.
    grid, reached = _kept_curve(tuple(time - times_us[0] for time in times_us))
    return grid + times_us[0], reached


@lru_cache(maxsize=16)
def _kept_curve(times_us: tuple[int, ...]) -> tuple[np.ndarray, np.ndarray]:
    """Kept for a while: the best of several laps, the same behind an out lap, and each of the odds go by the same
    one.
    """
    grid, reached = _made_curve(times_us)
    grid.flags.writeable = reached.flags.writeable = False
    return grid, reached


def _made_curve(times_us: tuple[int, ...]) -> tuple[np.ndarray, np.ndarray]:
    from scipy.special import ndtr  # noqa: PLC0415  takes a third of a second to import; not every process needs it

    ordered = np.sort(np.asarray(times_us, dtype=np.float64))
    spread = MAD_TO_SD * float(median_abs_deviation(times_us))
    if spread <= 0 or len(ordered) < _SMOOTHED_FROM:
        return ordered, (np.arange(len(ordered)) + 0.5) / len(ordered)
    share = _WIDTH * len(ordered) ** -0.2
    middle = float(np.median(ordered))
    drawn = middle + (ordered - middle) * np.sqrt(1 - share**2)
    grid = np.linspace(ordered[0] - 4 * share * spread, ordered[-1] + 4 * share * spread, _POINTS)
    # In one array of some megabytes: two or three of them take half as long again.
    reached = np.subtract.outer(grid / (share * spread), drawn / (share * spread))
    ndtr(reached, out=reached)
    return grid, np.maximum.accumulate(reached.mean(axis=1))


def _distribution(times_us: Sequence[int], at: np.ndarray) -> np.ndarray:
    return _share_at(_curve(times_us), at)


def _share_at(curve: tuple[np.ndarray, np.ndarray], at: np.ndarray) -> np.ndarray:
    grid, reached = curve
    inside = np.interp(at, grid, reached)
    return np.where(at >= grid[-1], 1.0, np.where(at < grid[0], 0.0, inside))
