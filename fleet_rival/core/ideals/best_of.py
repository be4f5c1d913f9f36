"""The likely best of n laps.

With F the distribution of a driver's clean laps and q the share of laps that don't count, the best of n laps is at most T with
probability 1 − (q + (1 − q)(1 − F(T)))ⁿ. F is the empirical distribution, interpolated between the laps at the positions
(i − ½)/n (Hazen 1914) and never beyond the fastest and slowest lap: no lap is promised that nobody has come near.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

import numpy as np

from fleet_rival.core.statistics import median

__all__ = ["LAP_COUNTS", "BestOf", "Place", "best_of", "best_of_run", "odds_of"]

LAP_COUNTS: Final = (1, 2, 3, 5, 10)
_PERCENTILES: Final = (0.1, 0.5, 0.9)


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
    """
    ordered = np.sort(np.asarray(clean_us, dtype=np.int64))
    failure = 1 - clean_rate
    results = []
    for laps in LAP_COUNTS:
        values: list[float | None] = []
        for share in _PERCENTILES:
            if share > 1 - failure**laps:
                values.append(None)
                continue
            wanted = min((1 - (1 - share) ** (1 / laps)) / clean_rate, 1.0)
            values.append(float(ordered[0]) + float(np.quantile((ordered - ordered[0]).astype(np.float64), wanted, method="hazen")))
        results.append(BestOf(laps, *values))
    return results


def odds_of(clean_us: Sequence[int], clean_rate: float, laps: int, target_us: int) -> float:
    """The chance that the best of so many warm laps is at the target or better.

    >>> odds_of([90, 91, 92], 1.0, 1, 92)
    1.0
    """
    reached = float(_distribution(clean_us, np.asarray([target_us], dtype=np.float64))[0])
    failure = 1 - clean_rate
    return 1 - (failure + clean_rate * (1 - reached)) ** laps


def best_of_run(places: Sequence[Place]) -> list[BestOf]:
    """The best of the first 1, 2, 3, … laps behind an out lap, each place with a distribution and a failure rate of its own.

    Args:
        places: one for each lap of the run, in order, each with at least one time.
    """
    results = []
    for laps in LAP_COUNTS:
        if laps > len(places):
            break
        used = places[:laps]
        grid = np.unique(np.concatenate([np.asarray(place.times_us, dtype=np.float64) for place in used]))
        none_yet = np.ones_like(grid)
        for place in used:
            none_yet *= place.failure + (1 - place.failure) * (1 - _distribution(place.times_us, grid))
        reached = np.maximum.accumulate(1 - none_yet)
        values = [float(np.interp(share, reached, grid)) if reached[-1] >= share else None for share in _PERCENTILES]
        results.append(BestOf(laps, *values))
    return results


def moved(times_us: Sequence[int], offset_us: Fraction) -> tuple[int, ...]:
    """Warm laps moved by the driver's cold offset, for a place with too few laps of its own."""
    return tuple(round(time + offset_us) for time in times_us)


def cold_offset(cold_us: Sequence[int], warm_us: Sequence[int]) -> Fraction:
    """Median cold lap minus median warm lap."""
    return median(cold_us) - median(warm_us)


def _distribution(times_us: Sequence[int], at: np.ndarray) -> np.ndarray:
    ordered = np.sort(np.asarray(times_us, dtype=np.float64))
    positions = (np.arange(len(ordered)) + 0.5) / len(ordered)
    inside = np.interp(at, ordered, positions, left=0.0, right=1.0)
    return np.where(at >= ordered[-1], 1.0, np.where(at < ordered[0], 0.0, inside))
