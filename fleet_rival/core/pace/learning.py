"""The learning curve: how run medians come down with the laps done, and how many laps remain to a target."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, log
from typing import Any, Final

import numpy as np

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.statistics import MAD_TO_SD, median
from fleet_rival.core.times import MICROSECONDS

__all__ = ["LearningCurve", "Point", "learning_curve", "learning_points"]

_LEAST_RUNS: Final = 4
_LEAST_LAPS: Final = 3
_BETTER_BY: Final = 2.0
"""By how much a curve must be better than no curve, in BIC."""
_ROUNDS: Final = 3
_POWERS: Final = (0.2, 0.4, 0.6, 0.8, 1.0, 1.3)
_NO_BETTER: Final = 1e-6
_INNER: Final = 1e-3
_NEAR_ENOUGH: Final[dict[str, Any]] = {"method": "dogbox", "ftol": 1e-5, "xtol": 1e-5, "gtol": 1e-5, "max_nfev": 20}
"""Far below what laps scatter."""
_MOST_LAPS: Final = 2000


@dataclass(frozen=True, slots=True)
class Point:
    """A run: laps done at its middle, and its median in microseconds."""

    laps_done: float
    median_us: float


@dataclass(frozen=True, slots=True)
class LearningCurve:
    """T = T∞ + A · n^(−b).

    Attributes:
        points: what it goes through.
        floor_us, amount_us, power: T∞, A and b; None where it can't be told.
        remain: laps that remain to the target; 0: reached; None: not by practice alone, or not to be told.
        reason: why something can't be told; empty where all is.
    """

    points: tuple[Point, ...]
    floor_us: float | None = None
    amount_us: float | None = None
    power: float | None = None
    remain: int | None = None
    reason: str = ""

    def at(self, laps_done: float) -> float | None:
        """The time that the curve expects after so many laps."""
        if self.floor_us is None or self.amount_us is None or self.power is None:
            return None
        return float(self.floor_us + self.amount_us * max(laps_done, 1.0) ** -self.power)


def learning_points(judged: Sequence[JudgedLap], members: Sequence[int]) -> list[Point]:
    """Runs of three clean laps or more: their medians over all laps done until the run's middle, of any kind and in
    any group.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> learning_points(judge(TRACK, LAPS, Settings()), range(len(LAPS)))
    [Point(laps_done=9.0, median_us=60020000.0)]
    """
    return [
        Point(float(run.positions[len(run.positions) // 2] + 1), float(median(run.times_us)))
        for run in clean_runs(judged, members, _LEAST_LAPS)
    ]


def learning_curve(points: Sequence[Point], target_us: int | None) -> LearningCurve:
    """Fit the curve to run medians: bounded, and robust against a run that went wrong.

    Args:
        points: of runs in the order in which they were driven, laps done ascending.
        target_us: a run median to be reached.

    >>> learning_curve([], None)
    LearningCurve(points=(), floor_us=None, amount_us=None, power=None, remain=None, reason='0 runs, 4 are needed')
    """
    from scipy.optimize import least_squares  # noqa: PLC0415  takes half a second to import; not every process needs it

    if len(points) < _LEAST_RUNS:
        return LearningCurve(tuple(points), reason=f"{len(points)} runs, {_LEAST_RUNS} are needed")
    done = np.maximum(np.asarray([point.laps_done for point in points]), 1.0)
    seconds = np.asarray([point.median_us for point in points]) / MICROSECONDS
    spread = max(float(np.median(np.abs(np.diff(seconds)))), 1e-3)
    lowest, span = float(seconds.min()), float(np.ptp(seconds)) + spread

    def rest(values: np.ndarray) -> np.ndarray:
        floor, amount, power = values
        return np.asarray(floor + amount * done**-power - seconds)

    def slopes(values: np.ndarray) -> np.ndarray:
        _, amount, power = values
        falling = done**-power
        return np.column_stack([np.ones_like(done), falling, -amount * np.log(done) * falling])

    bounds = ([lowest - span, 0.0, 0.1], [lowest + span, 20 * span, 1.5])
    begin = _begin(done, seconds, np.array(bounds))
    best = least_squares(rest, begin, slopes, bounds=bounds, loss="soft_l1", f_scale=spread, **_NEAR_ENOUGH)
    for _ in range(_ROUNDS):
        # The scale is told by the residuals' middle, so that a run that went wrong is known as one.
        scale = max(MAD_TO_SD * float(np.median(np.abs(best.fun))), 1e-3)
        again = least_squares(rest, best.x, slopes, bounds=bounds, loss="cauchy", f_scale=scale, **_NEAR_ENOUGH)
        before, after = (float(np.abs(item.fun).sum()) for item in (best, again))
        if after < before:
            best = again
        if after > (1 - _NO_BETTER) * before:
            break
    flat = float(np.abs(seconds - np.median(seconds)).sum())
    curved = float(np.abs(rest(best.x)).sum())
    count = len(points)
    # Laplace likelihoods, since a run that went wrong must not decide.
    gain = 2 * count * log(flat / max(curved, 1e-9)) - 2 * log(count) if flat > 0 else 0.0
    if gain < _BETTER_BY or best.x[1] <= 0:
        return LearningCurve(tuple(points), reason="can't tell: the run medians don't come down along a curve")
    floor, amount, power = (float(value) for value in best.x)
    curve = LearningCurve(tuple(points), floor * MICROSECONDS, amount * MICROSECONDS, power)
    remain, reason = _remaining(curve, float(done[-1]), target_us)
    return LearningCurve(curve.points, curve.floor_us, curve.amount_us, curve.power, remain, reason)


def _begin(done: np.ndarray, seconds: np.ndarray, bounds: np.ndarray) -> np.ndarray:
    """Where the fit begins: of several powers that with the smallest residuals, whose floor and amount are those of
    a line through the medians.
    """
    tried = []
    for power in _POWERS:
        falling = done**-power
        apart = falling - falling.mean()
        spread = float(apart @ apart)
        amount = float(apart @ seconds) / spread if spread > 0 else 0.0
        floor = float(seconds.mean() - amount * falling.mean())
        # Not at the edge, from where a bounded fit doesn't move.
        inner = np.clip(
            [floor, amount, power],
            bounds[0] + _INNER * (bounds[1] - bounds[0]),
            bounds[1] - _INNER * (bounds[1] - bounds[0]),
        )
        tried.append((float(np.abs(inner[0] + inner[1] * falling - seconds).sum()), inner))
    return min(tried, key=lambda item: item[0])[1]


def _remaining(curve: LearningCurve, done: float, target_us: int | None) -> tuple[int | None, str]:
    if target_us is None:
        return None, "no target is set"
    assert curve.floor_us is not None and curve.amount_us is not None and curve.power is not None
    now = curve.at(done)
    if now is not None and now <= target_us:
        return 0, ""
    if target_us <= curve.floor_us:
        return None, "not by practice alone: the curve levels out above the target"
    needed = (curve.amount_us / (target_us - curve.floor_us)) ** (1 / curve.power)
    if needed - done > _MOST_LAPS:
        return None, f"more than {_MOST_LAPS:,} laps: not by practice alone"
    return ceil(needed - done), ""
