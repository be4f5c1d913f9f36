"""Afterwards: what a race was like beside what was expected of it, corners under race pressure, and how good
expectations are over a season.
"""

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.special import ndtri

from fleet_rival.core.race.consumption import Consumption
from fleet_rival.core.words import COUNTING

__all__ = [
    "FIGURES",
    "Calibration",
    "Compared",
    "CornerPressure",
    "Expected",
    "Repeated",
    "Taught",
    "calibrated",
    "compared",
    "counted",
    "expected_count",
    "expected_use",
    "repeated",
    "under_pressure",
    "wider",
]

FIGURES: Final = ("qualifying_us", "race_lap_us", "falloff_us", "fuel_l", "energy_kwh", "slips", "strikes")
"""What is expected before a race and known after it, in the order of the day."""
_RELATIVE: Final = frozenset({"qualifying_us", "race_lap_us", "fuel_l", "energy_kwh"})
"""Figures of which a share that they are off says something on another track, too."""
_NINE_IN_TEN: Final = 0.9
_LEAST_STARTS: Final = 2
"""Starts in which the same happened at the same corner before that is more than once."""
_PRIOR_RACES: Final = 4.0
"""So many races without any difference are supposed before the first one is known."""
_ODD: Final = 0.1
"""Odds by chance below which a corner is told to be another one in the race."""
_LEAST_PASSES: Final = 5
_LEAST_HALF: Final = 0.001
_NARROWEST: Final = 0.5
_WIDEST: Final = 20.0


@dataclass(frozen=True, slots=True)
class Expected:
    """A figure before the race.

    Attributes:
        value: in the unit that its name says.
        low, high: ends of the interval.
        share: of races in which the figure should lie within it.
    """

    value: float
    low: float
    high: float
    share: float


@dataclass(frozen=True, slots=True)
class Taught:
    """What earlier races taught of a figure.

    Attributes:
        shift: share by which races were other than practice foretold.
        widen: by which their intervals were too narrow; below 1: too wide.
    """

    shift: float = 0.0
    widen: float = 1.0


@dataclass(frozen=True, slots=True)
class Repeated:
    """What happened at one corner in several starts.

    Attributes:
        laps: of each of those starts, where it happened; None: nobody said.
        of: starts in all.
    """

    corner: str
    what: str
    laps: tuple[int | None, ...]
    of: int

    @property
    def at_start(self) -> bool:
        """Whether it was on the first lap each time."""
        return all(lap == 1 for lap in self.laps)


@dataclass(frozen=True, slots=True)
class Compared:
    """A figure before the race and after it."""

    figure: str
    expected: Expected
    happened: float

    @property
    def inside(self) -> bool:
        """Whether it came as it was expected to."""
        return self.expected.low <= self.happened <= self.expected.high

    @property
    def off(self) -> float | None:
        """By which share of the value it was off, positive: more than expected; None where shares say nothing
        elsewhere.
        """
        if self.figure not in _RELATIVE or self.expected.value <= 0:
            return None
        return self.happened / self.expected.value - 1


@dataclass(frozen=True, slots=True)
class CornerPressure:
    """A corner in practice and in the race.

    Attributes:
        chance: odds of a difference as large by chance alone, both ways (Fisher's exact test).
    """

    corner: str
    practice_slips: int
    practice_passes: int
    race_slips: int
    race_passes: int
    chance: float

    @property
    def more(self) -> bool:
        """Whether it went wrong more often in the race."""
        return self.race_slips * self.practice_passes > self.practice_slips * self.race_passes

    @property
    def told(self) -> bool:
        """Whether that is more than chance."""
        return self.chance < _ODD


@dataclass(frozen=True, slots=True)
class Calibration:
    """How good what is expected of one figure was over a season.

    Attributes:
        races: that were compared.
        inside: of them as expected.
        due: that should have been, if the intervals are right.
        off: mean share by which it was off; None where shares say nothing elsewhere.
        shift: what is taken into account from here on: that share, drawn to nothing as long as few races are known.
        widen: by which intervals are made wider or narrower from here on, drawn to 1 as long as few races are known.
    """

    figure: str
    races: int
    inside: int
    due: float
    off: float | None
    shift: float
    widen: float = 1.0

    @property
    def taught(self) -> Taught:
        return Taught(self.shift, self.widen)

    @property
    def odd(self) -> bool:
        """Whether so few, or so many, inside would be odd if the intervals were right."""
        if not self.races:
            return False
        from scipy import stats  # noqa: PLC0415  takes a second to import; not every process needs it

        share = min(max(self.due / self.races, 1e-9), 1 - 1e-9)
        return float(stats.binomtest(self.inside, self.races, share).pvalue) < _ODD


def wider(value: float, end: float, widen: float) -> float:
    """An end of an interval around a value, made wider.

    >>> wider(62.0, 61.0, 1.5)
    60.5
    """
    return value + (end - value) * widen


def expected_count(mean: float) -> Expected:
    """A number of single events, with the interval of nine races in ten by Poisson.

    >>> expected_count(2.0)
    Expected(value=2.0, low=0.0, high=5.0, share=0.9)
    """
    from scipy import stats  # noqa: PLC0415  takes a second to import; not every process needs it

    low, high = stats.poisson.interval(_NINE_IN_TEN, mean) if mean > 0 else (0.0, 0.0)
    return Expected(mean, float(low), float(high), _NINE_IN_TEN)


def expected_use(used: Consumption, laps: int) -> Expected:
    """The mean of what a race's laps use: how races differ, and what is left of laps' own scatter over the distance;
    nine races in ten.

    >>> from fleet_rival.core.race.consumption import consumption_of
    >>> expected_use(consumption_of([[2.0, 2.1, 1.9], [2.0, 2.2]]), 10).value
    2.04
    """
    spread = math.sqrt(used.between**2 + used.deviation**2 / laps)
    half = float(ndtri(0.5 + _NINE_IN_TEN / 2)) * spread
    return Expected(used.mean, used.mean - half, used.mean + half, _NINE_IN_TEN)


def compared(expected: Mapping[str, Expected], happened: Mapping[str, float | None]) -> tuple[Compared, ...]:
    """Figures that are known before and after, in the order of the day.

    >>> compared({"strikes": expected_count(2.0)}, {"strikes": 7.0})
    (Compared(figure='strikes', expected=Expected(value=2.0, low=0.0, high=5.0, share=0.9), happened=7.0),)
    """
    out = []
    for figure in FIGURES:
        before, after = expected.get(figure), happened.get(figure)
        if before is not None and after is not None:
            out.append(Compared(figure, before, after))
    return tuple(out)


def under_pressure(
    practice: Mapping[str, tuple[int, int]], race: Mapping[str, tuple[int, int]]
) -> tuple[CornerPressure, ...]:
    """Corners that went wrong in practice or in the race, the least likely by chance first.

    Args:
        practice, race: slips and passes of each corner; corners with fewer than five passes in either are left out.

    >>> found = under_pressure({"T1": (2, 100), "T2": (0, 100)}, {"T1": (6, 20), "T2": (0, 20)})
    >>> [(item.corner, item.chance < 0.001) for item in found]
    [('T1', True)]
    """
    from scipy import stats  # noqa: PLC0415  takes a second to import; not every process needs it

    out = []
    for corner in practice.keys() & race.keys():
        (before, tries), (after, laps) = practice[corner], race[corner]
        if min(tries, laps) < _LEAST_PASSES or before + after == 0:
            continue
        chance = float(stats.fisher_exact(np.array([[before, tries - before], [after, laps - after]])).pvalue)
        out.append(CornerPressure(corner, before, tries, after, laps, min(1.0, chance)))
    return tuple(sorted(out, key=lambda item: (item.chance, item.corner)))


def repeated(starts: Sequence[Iterable[tuple[str, str, int | None]]]) -> tuple[Repeated, ...]:
    """What happened at one corner in at least two starts, by corner and word.

    Args:
        starts: of each its incidents: corner, what happened, lap. The same twice in one start counts once, where it was
            first.
    """
    found: dict[tuple[str, str], list[int | None]] = defaultdict(list)
    for incidents in starts:
        once: dict[tuple[str, str], int | None] = {}
        for corner, what, lap in incidents:
            once.setdefault((corner, what), lap)
        for key, lap in once.items():
            found[key].append(lap)
    return tuple(
        Repeated(*key, tuple(laps), len(starts)) for key, laps in sorted(found.items()) if len(laps) >= _LEAST_STARTS
    )


def calibrated(races: Iterable[Sequence[Compared]]) -> tuple[Calibration, ...]:
    """How good expectations were, by figure, over some races."""
    by_figure: dict[str, list[Compared]] = defaultdict(list)
    for items in races:
        for item in items:
            by_figure[item.figure].append(item)
    out = []
    for figure in FIGURES:
        if own := by_figure.get(figure):
            offs = [item.off for item in own if item.off is not None]
            off = float(np.mean(offs)) if offs else None
            shift = sum(offs) / (len(offs) + _PRIOR_RACES)
            inside, due = sum(item.inside for item in own), sum(item.expected.share for item in own)
            out.append(Calibration(figure, len(own), inside, due, off, shift, _widened(own, shift)))
    return tuple(out)


def _widened(items: Sequence[Compared], shift: float) -> float:
    """Root of the mean square of how many deviations races were off, once the shift is taken into account."""
    squares = []
    for item in items:
        before, by = item.expected, 1 + (shift if item.figure in _RELATIVE else 0.0)
        # An interval of no width says that laps didn't differ, not that races can't.
        half = max((before.high - before.low) / 2, _LEAST_HALF * abs(before.value))
        middle = (before.low + before.high) / 2
        if half > 0:
            deviation = half / float(ndtri(0.5 + before.share / 2))
            squares.append(((item.happened - by * middle) / deviation) ** 2)
    wide = math.sqrt((_PRIOR_RACES + math.fsum(squares)) / (_PRIOR_RACES + len(squares)))
    return min(max(wide, _NARROWEST), _WIDEST)


def counted(points: Sequence[float], rule: str) -> float | None:
    """What a week brought, from the points of its starts; None where no start has any.

    Args:
        rule: one of `COUNTING`.

    Raises:
        ValueError: another rule.

    >>> counted([20, 35], "best"), counted([20, 35], "mean"), counted([], "sum")
    (35, 27.5, None)
    """
    if rule not in COUNTING:
        raise ValueError(f"{rule} is no rule for several starts")
    if not points:
        return None
    return max(points) if rule == "best" else sum(points) / (len(points) if rule == "mean" else 1)
