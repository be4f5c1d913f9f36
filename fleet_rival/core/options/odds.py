"""An option that comes off or doesn't: how often, what it wins then, and what it costs when it doesn't."""

from dataclasses import dataclass
from math import log, pi, sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.special import betaincinv

__all__ = ["Odds", "odds_of"]

Values = NDArray[np.float64]
_ROUNDS: Final = 200
_LEAST: Final = 12
"""Passes of which two kinds can be told at all."""
_LEAST_OF_EACH: Final = 3
_BIC: Final = 6.0
"""Strong evidence (Kass and Raftery, 1995)."""
_SHARE_OF_SAFE: Final = 0.8
"""How much of the safe option's scatter either kind has at least: a component narrower than what the driver can do is a
handful of passes that happen to be alike."""
_SURE: Final = 2.0
"""Standard errors by which what comes off has to be faster than the safe one, and what doesn't slower."""


@dataclass(frozen=True, slots=True)
class Odds:
    """How often an option comes off.

    Attributes:
        label: of the option.
        comes_off, low, high: share of its passes, with Jeffreys' 95 % interval.
        won_us, lost_us: slower than the safe option when it comes off, and when it doesn't; the first is negative.
    """

    label: str
    comes_off: float
    low: float
    high: float
    won_us: float
    lost_us: float


def odds_of(label: str, risky_us: Values, safe_us: Values, failed: NDArray[np.bool_] | None = None) -> Odds | None:
    """Whether an option's passes are of two kinds, one faster and one slower than the safe option.

    Two normal components with one deviation, by expectation and maximisation (Dempster, Laird and Rubin, 1977), are
    held against a single one by the Bayesian information criterion.

    Args:
        risky_us, safe_us: passes of either, microseconds.
        failed: which of the risky ones failed in somebody's eyes; these didn't come off, whatever they took.

    Returns:
        None where one kind tells the passes as well, or the two don't lie on either side of the safe option.

    >>> rng = np.random.default_rng(1)
    >>> risky = np.where(np.arange(60) % 3 == 0, -70e3, 300e3) + rng.normal(0, 20e3, 60)
    >>> odds = odds_of("late", risky, rng.normal(0, 20e3, 60))
    >>> round(odds.comes_off, 2), round(odds.won_us / 1e3), round(odds.lost_us / 1e3)
    (0.33, -72, 298)
    """
    if len(risky_us) < _LEAST or len(safe_us) < _LEAST_OF_EACH:
        return None
    middle = float(np.median(safe_us))
    least = max(_SHARE_OF_SAFE * float(np.std(safe_us)), 500.0)
    values = np.sort(risky_us)
    fast, means, deviation, gain = _two(values, least)
    if gain < _BIC:
        return None
    came_off = risky_us <= values[fast - 1]
    if failed is not None:
        came_off &= ~failed
    count, tries = int(came_off.sum()), len(risky_us)
    if min(count, tries - count) < _LEAST_OF_EACH:
        return None
    won, lost = (float(mean) - middle for mean in means)
    error = sqrt(float(np.var(safe_us)) / len(safe_us) + deviation**2 / count)
    if won > -_SURE * error or lost < _SURE * error:
        return None
    low, high = (float(betaincinv(count + 0.5, tries - count + 0.5, end)) for end in (0.025, 0.975))
    return Odds(label, count / tries, low, high, won, lost)


def _two(values: Values, least: float) -> tuple[int, tuple[float, float], float, float]:
    """How many of ascending values are of the faster kind, both means, their deviation, and how much better two kinds
    are than one.
    """
    count = len(values)
    best: tuple[float, Values, float, float, float] | None = None
    for cut in np.unique(np.linspace(_LEAST_OF_EACH, count - _LEAST_OF_EACH, 12).astype(int)).tolist():
        share = np.where(np.arange(count) < cut, 0.95, 0.05)
        likely = -np.inf
        for _ in range(_ROUNDS):
            weight = np.asarray([share.sum(), count - share.sum()]) + 1e-9
            means = np.asarray([(share * values).sum(), ((1 - share) * values).sum()]) / weight
            squares = (values[None, :] - means[:, None]) ** 2
            variance = max(float((share * squares[0] + (1 - share) * squares[1]).sum()) / count, least**2)
            density = np.log(weight / count)[:, None] - 0.5 * np.log(2 * pi * variance) - squares / (2 * variance)
            whole = np.logaddexp(density[0], density[1])
            share = np.exp(density[0] - whole)
            before, likely = likely, float(whole.sum())
            if likely - before < 1e-6:
                break
        if best is None or likely > best[0]:
            best = likely, share, float(means[0]), float(means[1]), sqrt(variance)
    assert best is not None
    likely, share, first, second, deviation = best
    single = max(float(values.var()), least**2)
    one = -0.5 * count * log(2 * pi * single) - float(((values - values.mean()) ** 2).sum()) / (2 * single)
    # Two figures more: a second mean and a share.
    gain = 2 * (likely - one) - 2 * log(count)
    return max(int((share > 0.5).sum()), 1), (min(first, second), max(first, second)), deviation, gain
