"""How alike laps are, run by run and lap by lap of the run."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import (
    MAD_TO_SD,
    adjusted_deviation,
    median,
    median_abs_deviation,
    middle,
    theil_sen_slope,
)

__all__ = ["LapOfRun", "RunScatter", "by_lap_of_run", "by_run"]


@dataclass(frozen=True, slots=True)
class RunScatter:
    """One run's clean laps.

    Attributes:
        positions: of its clean laps among the driver's laps; empty where none is.
        median_us: None likewise.
        slope_us: Theil-Sen, microseconds a lap; None in runs of fewer than `min_clean_laps`.
        line_us: the trend at the first and at the last clean lap.
        adjusted_us: scatter about that line; None likewise.
        flying: flying laps of the run, clean or not.
    """

    session: str
    run: int | None
    positions: tuple[int, ...]
    median_us: float | None
    slope_us: float | None
    line_us: tuple[float, float] | None
    adjusted_us: float | None
    flying: int


@dataclass(frozen=True, slots=True)
class LapOfRun:
    """Clean laps at one place in the run, against their own run's median.

    Attributes:
        lap: of the run, from 0 at its first lap of any kind.
        offset_us: median distance from the run's median.
        spread_us: robust deviation of that; None for a single lap.
    """

    lap: int
    n: int
    offset_us: float
    spread_us: float | None


def by_run(judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings) -> list[RunScatter]:
    """Each run with a flying lap, in the order of driving."""
    flying: dict[tuple[str, int | None], int] = defaultdict(int)
    for index in members:
        flying[judged[index].lap.session, judged[index].lap.run] += 1
    clean = {(run.session, run.run): run for run in clean_runs(judged, members, 1)}
    out = []
    for key, count in flying.items():
        run = clean.get(key)
        if run is None:
            out.append(RunScatter(*key, (), None, None, None, None, count))
            continue
        numbers, times = [lap.number for lap in run.laps], run.times_us
        slope = line = adjusted = None
        if len(times) >= settings.min_clean_laps:
            slope = theil_sen_slope(numbers, times)
            level = middle(np.asarray(times, dtype=np.float64) - slope * np.asarray(numbers))
            line = (level + slope * numbers[0], level + slope * numbers[-1])
            adjusted = adjusted_deviation([(numbers, times)])
        out.append(RunScatter(*key, run.positions, float(median(times)), slope, line, adjusted, count))
    return out


def by_lap_of_run(judged: Sequence[JudgedLap], members: Sequence[int]) -> list[LapOfRun]:
    """Where in a run laps are faster or slower than the run's median, and where they scatter; runs of three clean
    laps or more.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> by_lap_of_run(judge(TRACK, LAPS, Settings()), range(len(LAPS)))[0]
    LapOfRun(lap=2, n=1, offset_us=0.0, spread_us=None)
    """
    found: dict[int, list[int]] = defaultdict(list)
    for run in clean_runs(judged, members, 3):
        middle = median(run.times_us)
        for number, time in zip(run.numbers, run.times_us, strict=True):
            found[round(number)].append(round(time - middle))
    return [
        LapOfRun(
            lap,
            len(values),
            float(median(values)),
            MAD_TO_SD * float(median_abs_deviation(values)) if len(values) > 1 else None,
        )
        for lap, values in sorted(found.items())
    ]
