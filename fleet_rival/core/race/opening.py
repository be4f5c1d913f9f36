"""Push or save at the start: what seconds that are won on the first laps of a stint cost on its later ones.

Runs of a session are compared with each other alone, as some days everything is quick. Laps scatter by chance too,
which makes runs look as if they had started differently: what is found is divided by the share of these differences
that chance doesn't explain (errors
    in variables; Fuller 1987,
Measurement Error Models, section 1.1).
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from fleet_rival.core.pace.runs import PaceRun
from fleet_rival.core.words import OpeningVerdict

__all__ = ["FIRST_LAPS", "Opening", "opening"]

_Values = NDArray[np.float64]

FIRST_LAPS: Final = 3
"""Laps of a stint that count as its start."""
_LEAST_FIRST: Final = 2
_LEAST_LATER: Final = 4
_LEAST_FREEDOM: Final = 3
_LEAST_RELIABLE: Final = 0.5
"""Share of the differences between starts that chance must not explain."""
_INTERVAL: Final = 0.95


@dataclass(frozen=True, slots=True)
class Opening:
    """Push or save at the start of a stint.

    Attributes:
        laps: of the stint.
        even: what a second won on each of the first laps may cost on each later lap, in seconds, so that it is neither
            won nor lost in the end.
        cost, low, high: what it did cost in practice, with a 95 % interval; None: nothing tells.
        runs: that tell.
        verdict: `push`, `save`, or None where practice doesn't tell.
        reason: why it doesn't tell; empty where it does.
    """

    laps: int
    even: float
    runs: int
    cost: float | None = None
    low: float | None = None
    high: float | None = None
    verdict: OpeningVerdict | None = None
    reason: str = ""


def opening(runs: Sequence[PaceRun], falloff_us: float, laps: int) -> Opening | None:
    """Whether it pays to push at the start.

    Args:
        runs: of clean laps on like tyres, in the order in which they were driven.
        falloff_us: what laps lose by the lap in any case, in microseconds.
        laps: of the stint.

    Returns:
        None of a stint that is no longer than its start.
    """
    if laps <= FIRST_LAPS:
        return None
    even = FIRST_LAPS / (laps - FIRST_LAPS)
    sessions: dict[str, list[tuple[float, float]]] = defaultdict(list)
    scatter = []
    for run in runs:
        times = np.array(run.times_us, float) - falloff_us * np.array(run.numbers)
        is_first = np.array(run.numbers) <= FIRST_LAPS
        first, later = times[is_first], times[~is_first]
        if len(first) >= _LEAST_FIRST and len(later) >= _LEAST_LATER:
            sessions[run.session].append((float(first.mean()), float(later.mean())))
            scatter.append((float(later.var(ddof=1)), len(later) - 1, len(first)))
    alone = sum(len(own) == 1 for own in sessions.values())
    several = [own for own in sessions.values() if len(own) > 1]
    count = sum(len(own) for own in several)
    freedom = count - len(several) - 2
    if freedom < _LEAST_FREEDOM:
        more = f"; {alone} more stood alone in their sessions" if alone else ""
        return Opening(laps, even, count, reason=f"only {count} long runs have another one in their session{more}")
    # Within its session: where a run stands in it (a track comes in, a driver learns), and how it began.
    order, begun, went_on = (np.concatenate(parts) for parts in zip(*(_within(own) for own in several), strict=True))
    apart = begun - _explained(begun, order)
    spread = float(apart @ apart)
    slope = float(apart @ went_on) / spread if spread else 0.0
    pooled = sum(variance * own for variance, own, _ in scatter) / sum(own for _, own, _ in scatter)
    by_chance = pooled * float(np.mean([1 / first for *_, first in scatter]))
    varied = spread / (count - len(several) - 1)
    reliable = 1 - by_chance / varied if varied else 0.0
    if reliable < _LEAST_RELIABLE:
        return Opening(laps, even, count, reason=f"the {count} long runs began too much alike")
    left = went_on - slope * apart - _explained(went_on, order)
    error = float(np.sqrt(left @ left / freedom / spread))
    half = float(stdtrit(freedom, 0.5 + _INTERVAL / 2)) * error
    cost, low, high = (-slope / reliable, (-slope - half) / reliable, (-slope + half) / reliable)
    verdict: OpeningVerdict | None = "push" if high < even else "save" if low > even else None
    return Opening(
        laps, even, count, cost, low, high, verdict, "" if verdict else f"{count} long runs don't tell it firmly enough"
    )


def _within(own: Sequence[tuple[float, float]]) -> tuple[_Values, _Values, _Values]:
    """Order, start and later laps of a session's runs, each less the session's mean."""
    order = np.arange(len(own), dtype=float)
    begun, went_on = np.array(own).T
    return order - order.mean(), begun - begun.mean(), went_on - went_on.mean()


def _explained(values: _Values, order: _Values) -> _Values:
    """What of values goes along with the order."""
    return order * float(order @ values / (order @ order))
