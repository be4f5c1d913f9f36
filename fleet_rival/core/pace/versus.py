"""Push or save: two ways to drive a run, side by side, lap by lap and over a distance."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

import numpy as np

from fleet_rival.core.pace.runs import PaceRun
from fleet_rival.core.pace.slope import level_of, pooled_slope
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import Z_95, median

__all__ = ["Projection", "Step", "Versus", "longest_of_both", "project", "versus"]


@dataclass(frozen=True, slots=True)
class Projection:
    """Time over a distance, in microseconds, with a 95 % interval; `error_us` is its standard error."""

    total_us: float
    low_us: float
    high_us: float
    error_us: float


@dataclass(frozen=True, slots=True)
class Step:
    """One lap of the run: what each took on it (the median over their runs), and how far the second is behind since
    the first such lap.
    """

    lap: int
    first_us: float
    second_us: float
    behind_us: float


@dataclass(frozen=True, slots=True)
class Versus:
    """Two ways side by side.

    Attributes:
        steps: laps of the run that both have.
        crossing: lap of the run from which on the one that was behind is ahead, and stays so; None: never.
        first, second: projections over the distance.
        difference: second less first, over the distance.
        laps: the distance.
        verdict: `first`, `second`, `equal` where the interval says so for practical purposes, or `not_yet`.
        reason: why there is no projection; empty where there is one.
    """

    steps: tuple[Step, ...]
    crossing: int | None
    laps: int
    first: Projection | None = None
    second: Projection | None = None
    difference: Projection | None = None
    verdict: str | None = None
    reason: str = ""


def versus(
    first: Sequence[PaceRun],
    second: Sequence[PaceRun],
    laps: int,
    settings: Settings,
    *,
    stops: int = 0,
    stop_us: int = 0,
) -> Versus:
    """Compare two runs, or all runs driven in one way with those driven in the other.

    Args:
        first, second: runs of clean laps, each at least one.
        laps: distance of the race.
        stops: stops on the way, at even distances; each makes the tyres new.
        stop_us: what a stop costs, the same for both.

    >>> versus([], [], 20, Settings()).reason
    'a run of 5 clean laps is needed on either side'
    """
    one, other = _by_lap(first), _by_lap(second)
    steps: list[Step] = []
    behind = 0.0
    for lap in sorted(one.keys() & other.keys()):
        behind += other[lap] - one[lap]
        steps.append(Step(lap, one[lap], other[lap], behind))
    crossing = _crossing(steps)
    projections = [project(runs, laps, settings, stops=stops, stop_us=stop_us) for runs in (first, second)]
    left, right = projections
    if left is None or right is None:
        return Versus(
            tuple(steps),
            crossing,
            laps,
            left,
            right,
            reason=f"a run of {settings.min_clean_laps} clean laps is needed on either side",
        )
    total, error = right.total_us - left.total_us, sqrt(left.error_us**2 + right.error_us**2)
    difference = Projection(total, total - Z_95 * error, total + Z_95 * error, error)
    equal_us = settings.equal_pct / 100 * min(left.total_us, right.total_us)
    return Versus(tuple(steps), crossing, laps, left, right, difference, _verdict(difference, equal_us))


def _verdict(difference: Projection, equal_us: float) -> str:
    if -equal_us <= difference.low_us and difference.high_us <= equal_us:
        return "equal"
    if difference.low_us <= 0 <= difference.high_us:
        return "not_yet"
    return "first" if difference.total_us > 0 else "second"


def longest_of_both(first: Sequence[PaceRun], second: Sequence[PaceRun]) -> int:
    """Clean laps of the longest run that was driven both ways: as far as both are known.

    >>> longest_of_both([], [])
    1
    """
    return max(1, min(max((len(run.laps) for run in runs), default=1) for runs in (first, second)))


def _by_lap(runs: Sequence[PaceRun]) -> dict[int, float]:
    found: dict[int, list[int]] = defaultdict(list)
    for run in runs:
        for number, time in zip(run.numbers, run.times_us, strict=True):
            found[round(number)].append(time)
    return {lap: float(median(times)) for lap, times in found.items()}


def _crossing(steps: Sequence[Step]) -> int | None:
    """The lap from which on the sign of the sum is the other one than on the first lap, to the end."""
    if not steps or steps[0].behind_us == 0:
        return None
    begins = steps[0].behind_us > 0
    changed = None
    for step in steps:
        if step.behind_us == 0 or (step.behind_us > 0) == begins:
            changed = None
        elif changed is None:
            changed = step.lap
    return changed


def project(
    runs: Sequence[PaceRun], laps: int, settings: Settings, *, stops: int = 0, stop_us: int = 0
) -> Projection | None:
    """Time over a distance at the pace of runs: their median level and their common slope, from the tyres' first lap
    on, anew after each stop.

    Args:
        runs: of clean laps; those of fewer than `min_clean_laps` don't take part.
        laps: distance.

    Returns:
        None where no run is long enough.
    """
    usable = [run for run in runs if len(run.laps) >= settings.min_clean_laps]
    arrays = [(np.asarray(run.numbers), np.asarray(run.times_us, dtype=np.float64)) for run in usable]
    slope = pooled_slope(arrays)
    if slope is None:
        return None
    level = level_of(arrays, slope)
    stints = [laps // (stops + 1) + (number < laps % (stops + 1)) for number in range(stops + 1)]
    steps = sum(length * (length - 1) / 2 for length in stints)
    total = laps * level.value + slope.value * steps + stops * stop_us
    everywhere = float(np.concatenate([x for x, _ in arrays]).mean())
    spread = sum(float(((x - x.mean()) ** 2).sum()) for x, _ in arrays)
    error = laps * sqrt(level.error**2 + (steps / laps - everywhere) ** 2 * level.variance / spread)
    return Projection(total, total - Z_95 * error, total + Z_95 * error, error)
