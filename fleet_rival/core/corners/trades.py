"""Trades: neighbouring parts of which one pays for what is won in the other."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import atanh, sqrt, tanh

import numpy as np

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import Z_95

__all__ = ["Trade", "trades_of"]


@dataclass(frozen=True, slots=True)
class Trade:
    """Two parts that follow each other: the correlation of their losses over passes without a slip, with its 95 %
    interval.
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

    Slips and what they brought about are left out: they say nothing of what is won and paid back on purpose. The
        interval is Fisher's, by the
    inverse hyperbolic tangent.

    Args:
        codes: parts in the order of the lap.
        losses_us: of passes, by part and lap.
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
        one, other = (np.asarray([losses_us[code][index] for index in kept], dtype=float) for code in (first, second))
        if not one.std() or not other.std():
            continue
        correlation = float(np.clip(np.corrcoef(one, other)[0, 1], -0.999999, 0.999999))
        reach = Z_95 / sqrt(len(kept) - 3)
        low, high = tanh(atanh(correlation) - reach), tanh(atanh(correlation) + reach)
        if high < 0:
            found.append(Trade(first, second, correlation, low, high, len(kept)))
    return found
