"""Trades: neighbouring parts of which one pays for what is won in the other."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import atanh, sqrt, tanh

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import Z_95

__all__ = ["Trade", "trades_of"]


@dataclass(frozen=True, slots=True)
class Trade:
    """Two parts that follow each other: the correlation of what is left of their losses over passes without a slip,
    with its 95 % interval.
    """

    first: str
    second: str
    correlation: float
    low: float
    high: float
    n: int


def trades_of(
    codes: Sequence[str],
    losses_us: Mapping[str, Mapping[int, float]],
    spoilt: frozenset[tuple[int, str]],
    judged: Sequence[JudgedLap],
    settings: Settings,
) -> list[Trade]:
    """Neighbours whose losses go against each other.

    Slips and what they brought about are left out: they say nothing of what is won and paid back on purpose. So is what
    tyres do to a part over a run, whatever to each. The interval is Fisher's, by the inverse hyperbolic tangent. Of a
    lap with forty corners each pair is a test of its own: one is told that stands out by `trade_deviations`.

    Args:
        codes: parts in the order of the lap.
        losses_us: of passes, by part and lap; the level of their run, setups and options taken out.
        spoilt: slips and their knock-on, by lap and part.
    """
    found = []
    for first, second in pairwise(codes):
        both = sorted(losses_us.get(first, {}).keys() & losses_us.get(second, {}).keys())
        # Whoever takes times by hand presses once for both: what one part gains the other loses.
        kept = [
            index
            for index in both
            if judged[index].lap.plus_minus_us is None
            and (index, first) not in spoilt
            and (index, second) not in spoilt
        ]
        if len(kept) < settings.trade_passes:
            continue
        one, other = (_without_age(losses_us[code], kept, judged) for code in (first, second))
        if not one.std() or not other.std():
            continue
        correlation = float(np.clip(np.corrcoef(one, other)[0, 1], -0.999999, 0.999999))
        # The slope that was taken out is one figure less to tell by.
        error = 1 / sqrt(len(kept) - 4)
        reach = Z_95 * error
        low, high = tanh(atanh(correlation) - reach), tanh(atanh(correlation) + reach)
        if atanh(correlation) < -settings.trade_deviations * error:
            found.append(Trade(first, second, correlation, low, high, len(kept)))
    return found


def _without_age(
    losses_us: Mapping[int, float], kept: Sequence[int], judged: Sequence[JudgedLap]
) -> NDArray[np.float64]:
    """Losses without what a lap more of a run does to them: one slope for all runs, read within each."""
    losses = np.asarray([losses_us[index] for index in kept], dtype=np.float64)
    ages = np.asarray([judged[index].lap.number for index in kept], dtype=np.float64)
    keys = [(judged[index].lap.session, judged[index].lap.run) for index in kept]
    runs = np.unique([keys.index(key) for key in keys], return_inverse=True)[1]
    count = np.bincount(runs)
    since = ages - (np.bincount(runs, ages) / count)[runs]
    about = losses - (np.bincount(runs, losses) / count)[runs]
    spread = float(since @ since)
    return losses - since * (float(since @ about) / spread if spread else 0.0)
