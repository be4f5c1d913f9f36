"""Better than it looks: what a change of setup is worth when the tyres' age is taken out."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import sqrt

import numpy as np

from fleet_rival.core.pace.runs import PaceRun
from fleet_rival.core.pace.slope import Slope, level_of
from fleet_rival.core.statistics import Z_95

__all__ = ["SetupChange", "is_hidden", "setup_changes"]


@dataclass(frozen=True, slots=True)
class SetupChange:
    """Runs with one setup against those with the one before.

    Attributes:
        before, after: labels.
        raw_us: median lap after less median lap before, as the clock says.
        gain_us, low_us, high_us: what the change brought at equal tyre age, positive is faster, with a 95 % interval;
            None where it can't be told.
        age_before, age_after: median tyre age in laps.
        by: `tyre_age` where it is known of all laps, else `lap_of_run`.
        hidden: whether the clock alone would have said something else.
        runs: how many before and after.
    """

    before: str
    after: str
    raw_us: float
    gain_us: float | None
    low_us: float | None
    high_us: float | None
    age_before: float
    age_after: float
    by: str
    hidden: bool
    runs: tuple[int, int]
    reason: str = ""
    """Why what it brought can't be told."""


def setup_changes(runs: Sequence[PaceRun], net: Slope) -> list[SetupChange]:
    """Each change from one setup to the next, in the order of driving.

    Args:
        runs: of clean laps, in the order of driving, each with one setup.
        net: what a lap of age costs.

    >>> setup_changes([], Slope(0.0, -1.0, 1.0, 0.0, 10, 2))
    []
    """
    by_age = all(run.ages is not None for run in runs)
    blocks: dict[str, list[PaceRun]] = defaultdict(list)
    order: list[str] = []
    for run in runs:
        labels = {lap.setup for lap in run.laps}
        label = next(iter(labels)) if len(labels) == 1 else None
        if label:
            blocks[label].append(run)
            if label not in order:
                order.append(label)
    found = []
    for before, after in pairwise(order):
        told = [_told(blocks[label], net, by_age=by_age) for label in (before, after)]
        (level, error, raw, age), (level_after, error_after, raw_after, age_after) = told
        gain = level - level_after
        reach = Z_95 * sqrt(error**2 + error_after**2 + ((age - age_after) * (net.high - net.low) / 2 / Z_95) ** 2)
        by_clock = raw_after - raw
        low, high = gain - reach, gain + reach
        count = (len(blocks[before]), len(blocks[after]))
        found.append(
            SetupChange(
                before,
                after,
                by_clock,
                gain,
                low,
                high,
                age,
                age_after,
                "tyre_age" if by_age else "lap_of_run",
                is_hidden(by_clock, gain, low, high),
                count,
            )
        )
    return found


def is_hidden(by_clock_us: float, gain_us: float, low_us: float, high_us: float) -> bool:
    """Whether the clock alone would have said something else than what a change brought.

    >>> is_hidden(0.0, 100e3, 50e3, 150e3), is_hidden(-100e3, 100e3, 50e3, 150e3)
    (True, False)
    """
    return (low_us > 0 and by_clock_us > -gain_us / 2) or (high_us < 0 and by_clock_us < -gain_us / 2)


def _told(runs: Sequence[PaceRun], net: Slope, *, by_age: bool) -> tuple[float, float, float, float]:
    """Level at age 0 and its error, median lap, median age."""
    arrays = [
        (np.asarray(run.ages if by_age else run.numbers, dtype=np.float64), np.asarray(run.times_us, dtype=np.float64))
        for run in runs
    ]
    level = level_of(arrays, net)
    ages, times = (np.concatenate(values) for values in zip(*arrays, strict=True))
    return level.value, level.error, float(np.median(times)), float(np.median(ages))
