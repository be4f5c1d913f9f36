"""How many laps tyres take to warm up, read from the shape of runs: the first ones lie above the line of the others."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.verdict import failed, was_free
from fleet_rival.core.statistics import MAD_TO_SD

__all__ = ["Warming", "warming_of"]

Values = NDArray[np.float64]
_MOST: Final = 6
"""Laps that tyres take to warm up at most: what is slower after more of them is no cold."""
_LEAST_RUNS: Final = 2
_LEAST_BEHIND: Final = 3
"""Laps of a run behind the one that is looked at, to say that it lies above them."""
_LEAST_SHARE: Final = 0.001
"""Of a lap: less isn't worth a setting."""
_ERRORS: Final = 1.65
"""Standard errors: slower in 95 of 100, on one side."""
_BISQUARE: Final = 4.685
_ROUNDS: Final = 6


@dataclass(frozen=True, slots=True)
class Warming:
    """What the first laps of runs are slower than the line of those behind.

    Attributes:
        laps: how many are cold.
        excess_us: of each of them, in order.
        number: which lap of a run the first of them is; 2 behind an out lap.
    """

    laps: int
    excess_us: tuple[float, ...]
    number: int


def warming_of(judged: Sequence[JudgedLap], members: Sequence[int]) -> Warming | None:
    """How many laps tyres take to warm up.

    Lap by lap from the pits: as long as the next one lies above the line of those behind it (one slope, a level for
    each run, bisquare weights after Beaton and Tukey, 1974), by more than chance and by a thousandth of a lap, it is
    cold.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.

    Returns:
        None where fewer than two runs tell it, or the first lap is as fast as the others already.

    >>> from fleet_rival.core.example import TRACK, lap
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> cold = {2: 1.1, 3: 0.7, 4: 0.2}
    >>> laps = [
    ...     lap(number, cold.get(number, 0.0), run=run, kind="flying" if number > 1 else "out")
    ...     for run in (1, 2, 3)
    ...     for number in range(1, 15)
    ... ]
    >>> judged = judge(TRACK, laps, Settings())
    >>> warming_of(judged, [index for index, item in enumerate(judged) if item.flying]).laps
    3
    """
    runs = _runs(judged, members)
    if len(runs) < _LEAST_RUNS:
        return None
    excess: list[float] = []
    while len(excess) < _MOST:
        found = _above_the_rest(runs, len(excess))
        if found is None:
            break
        excess.append(found)
    return Warming(len(excess), tuple(excess), runs[0][0]) if excess else None


def _runs(judged: Sequence[JudgedLap], members: Sequence[int]) -> list[tuple[int, dict[int, float]]]:
    """Of runs from the pits: the number of the first flying lap within the run, and times by laps since it."""
    first: dict[tuple[str, int | None], tuple[int, bool]] = {}
    for item in judged:
        key = (item.lap.session, item.lap.run)
        if item.lap.number < first.get(key, (item.lap.number + 1, False))[0]:
            first[key] = item.lap.number, item.lap.kind in ("out", "outin")
    times: dict[tuple[str, int | None], dict[int, float]] = {}
    for index in members:
        item = judged[index]
        key = (item.lap.session, item.lap.run)
        number, from_pits = first[key]
        if was_free(item) and not failed(item):
            times.setdefault(key, {})[item.lap.number - number - from_pits] = float(item.lap.time_us)
    return [(2 if first[key][1] else 1, run) for key, run in times.items()]


def _above_the_rest(runs: Sequence[tuple[int, dict[int, float]]], place: int) -> float | None:
    """By how much laps at a place of their runs lie above the line of those behind them; None: not beyond chance."""
    used = [run for _, run in runs if place in run and sum(other > place for other in run) >= _LEAST_BEHIND]
    if len(used) < _LEAST_RUNS:
        return None
    number = np.concatenate([np.full(sum(at > place for at in run), which) for which, run in enumerate(used)])
    x = np.asarray([at for run in used for at in run if at > place], dtype=np.float64)
    y = np.asarray([time for run in used for at, time in run.items() if at > place], dtype=np.float64)
    slope, levels, scale, slope_error = _line(x, y, number)
    looked_at = np.asarray([run[place] for run in used]) - levels - slope * place
    excess = float(looked_at.mean())
    far = float(np.bincount(number, x).sum() / len(x)) - place
    behind = np.bincount(number)
    error = sqrt(scale**2 / len(used) + scale**2 * float((1 / behind).mean()) / len(used) + (slope_error * far) ** 2)
    least = _LEAST_SHARE * float(np.median(y))
    return excess if excess > max(_ERRORS * error, least) else None


def _line(x: Values, y: Values, run: NDArray[np.int64]) -> tuple[float, Values, float, float]:
    """Slope, level of each run, scatter and the slope's error."""
    weights = np.ones(len(x))
    slope, levels, scale, spread = 0.0, np.zeros(run.max() + 1), 1.0, 1.0
    for _ in range(_ROUNDS):
        total = np.maximum(np.bincount(run, weights), 1e-9)
        mean_x, mean_y = np.bincount(run, weights * x) / total, np.bincount(run, weights * y) / total
        about_x, about_y = x - mean_x[run], y - mean_y[run]
        spread = float((weights * about_x**2).sum())
        slope = float((weights * about_x * about_y).sum()) / spread if spread > 0 else 0.0
        levels = mean_y - slope * mean_x
        rest = y - levels[run] - slope * x
        scale = max(MAD_TO_SD * float(np.median(np.abs(rest))), 1000.0)
        weights = np.clip(1 - (rest / (_BISQUARE * scale)) ** 2, 0.0, 1.0) ** 2
    return slope, levels, scale, scale / sqrt(spread) if spread > 0 else 0.0
