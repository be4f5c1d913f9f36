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

_LEAST = 6
"""Passes from which a correlation has an error at all, with a slope taken out."""


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
        if len(kept) < max(settings.trade_passes, _LEAST):
            continue
        one, other = _without_age(
            np.asarray([[losses_us[first][at], losses_us[second][at]] for at in kept]), kept, judged
        )
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
    losses_us: NDArray[np.float64], kept: Sequence[int], judged: Sequence[JudgedLap]
) -> NDArray[np.float64]:
    """Losses without what a lap more of a run does to them: one slope for all runs, read within each.

    Args:
        losses_us: shape (laps, parts).

    Returns:
        Shape (parts, laps).
    """
    numbers: dict[tuple[str, int | None], int] = {}
    runs = np.asarray(
        [numbers.setdefault((judged[at].lap.session, judged[at].lap.run), len(numbers)) for at in kept], dtype=np.int64
    )
    count = np.bincount(runs)
    ages = np.asarray([judged[at].lap.number for at in kept], dtype=np.float64)
    since = ages - (np.bincount(runs, ages) / count)[runs]
    spread = float(since @ since)
    # The ages are about the middle of each run, so that the runs' levels take no part.
    slopes = since @ losses_us / spread if spread else np.zeros(losses_us.shape[1])
    return np.asarray((losses_us - np.outer(since, slopes)).T, dtype=np.float64)
