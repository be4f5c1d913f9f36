"""Fuel or energy for a race: what laps used, and with how much one starts so as not to run out but for a chosen
risk.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from typing import Final

import numpy as np
from scipy.special import stdtrit

__all__ = ["Consumption", "Load", "consumption_of", "litre_cost", "start_load"]

_LEAST_LAPS: Final = 3


@dataclass(frozen=True, slots=True)
class Consumption:
    """What a lap uses, in litres or kilowatt-hours.

    Attributes:
        mean, deviation: over the laps.
        between: deviation of runs' means beyond what laps make of it: weather, traffic, the hand of the day.
        laps, runs: that tell.
    """

    mean: float
    deviation: float
    between: float
    laps: int
    runs: int


@dataclass(frozen=True, slots=True)
class Load:
    """What to start with.

    Attributes:
        amount: with the margin.
        margin: beyond what the laps use on average.
        risk: of running out, as it was chosen.
    """

    amount: float
    margin: float
    risk: float


def consumption_of(runs: Sequence[Sequence[float]]) -> Consumption | None:
    """What laps use, from the laps of some runs; None where fewer than three tell.

    A run's laps lie nearer to each other than to another run's, so that a race, which is one run, may use more than the
    scatter of laps alone
    tells: one-way analysis of variance, by moments (Searle, Linear models, 1971, section 9.5).

    >>> consumption_of([[2.0, 2.1, 1.9], [2.0, 2.2]])
    Consumption(mean=2.04, deviation=0.11547005383792526, between=0.0, laps=5, runs=2)
    """
    kept = [np.asarray(run, dtype=np.float64) for run in runs if len(run)]
    laps = sum(len(run) for run in kept)
    if laps < _LEAST_LAPS:
        return None
    together = np.concatenate(kept)
    mean = float(together.mean())
    freedom = laps - len(kept)
    within = (
        sum(float(((run - run.mean()) ** 2).sum()) for run in kept) / freedom
        if freedom > 0
        else float(together.var(ddof=1))
    )
    between = 0.0
    if len(kept) > 1:
        spread = sum(len(run) * (float(run.mean()) - mean) ** 2 for run in kept) / (len(kept) - 1)
        typical = (laps - sum(len(run) ** 2 for run in kept) / laps) / (len(kept) - 1)
        between = sqrt(max(0.0, (spread - within) / typical))
    return Consumption(mean, sqrt(within), between, laps, len(kept))


def start_load(used: Consumption, laps: float, risk: float = 0.05, formation: float = 0.0, saving: float = 0.0) -> Load:
    """What to start with, so that a race of so many laps runs out with the chosen risk at most.

    The race's use is normal around the mean, known from so many laps only: Student's distribution, with the scatter of
    laps, of runs, and of the mean itself.

    Args:
        formation: laps driven slowly before the start, as a share of what a lap uses.
        saving: share that is saved on every lap; 0: none.

    >>> round(start_load(consumption_of([[2.0, 2.1, 1.9], [2.0, 2.2]]), 20).amount, 2)
    43.52
    """
    if not 0 < risk < 1 or laps <= 0:
        raise ValueError("a risk lies between 0 and 1, and a race has laps")
    mean = used.mean * (laps * (1 - saving) + formation)
    variance = laps * used.deviation**2 + (laps * used.between) ** 2
    known = used.deviation**2 / used.laps + used.between**2 / used.runs
    spread = sqrt(variance + laps**2 * known)
    # Of one run nothing tells how far runs lie apart; of several, they are what is known least.
    freedom = used.runs - 1 if used.between > 0 else used.laps - used.runs
    margin = float(stdtrit(max(1, freedom), 1 - risk)) * spread * (1 - saving)
    return Load(mean + margin, margin, risk)


def litre_cost(per_lap: float, driven_us: float | None, tyres_us: float | None) -> float | None:
    """What a litre more costs a lap, in microseconds: how much faster a lap gets by what it burns; None where the
    two falloffs aren't known apart.

    Args:
        per_lap: litres.
        driven_us: falloff a lap as driven, in which the car gets lighter; `tyres_us`: the tyres' alone.

    >>> litre_cost(2.0, driven_us=10_000, tyres_us=50_000)
    20000.0
    """
    if driven_us is None or tyres_us is None or per_lap <= 0:
        return None
    return max(0.0, (tyres_us - driven_us) / per_lap)
