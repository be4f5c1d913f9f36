"""Limits as a budget: the chance of reaching the limit of strikes or incidents in a race, by corner, from practised
rates.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

__all__ = ["Budget", "CornerRate", "limit_budget"]

_PRIOR = (0.5, 20.0)
"""What is supposed of a corner before anything is driven: as much as half a strike in twenty passes."""


@dataclass(frozen=True, slots=True)
class CornerRate:
    """Strikes at a corner in practice, of so many passes."""

    strikes: int
    passes: int


@dataclass(frozen=True, slots=True)
class Budget:
    """A race's limit.

    Attributes:
        expected: strikes in the race.
        chance: of reaching the limit.
        by_corner: expected strikes.
        without: chance of reaching the limit if a corner's rate were half of what it is: where a little care buys most
            comes first.
    """

    expected: float
    chance: float
    by_corner: Mapping[str, float]
    halved: Mapping[str, float]


def limit_budget(corners: Mapping[str, CornerRate], laps: int, limit: int) -> Budget:
    """The chance of reaching a limit, beta-binomial by corner: how often somebody errs is itself known from some
    passes only.

    Args:
        limit: strikes at which the penalty comes.

    Raises:
        ValueError: no laps, or a limit below one.
    """
    if laps < 1 or limit < 1:
        raise ValueError("a race has laps, and a limit is one at least")
    own = {name: _distribution(rate, laps, limit, 1.0) for name, rate in corners.items()}
    whole = _together(list(own.values()), limit)
    halved = {
        name: float(
            _together(
                [_distribution(rate, laps, limit, 0.5), *(item for other, item in own.items() if other != name)], limit
            )[limit]
        )
        for name, rate in corners.items()
    }
    expected = {name: laps * _rate(rate) for name, rate in corners.items()}
    return Budget(
        sum(expected.values()),
        float(whole[limit]),
        expected,
        dict(sorted(halved.items(), key=lambda item: (item[1], item[0]))),
    )


def _rate(rate: CornerRate) -> float:
    return (rate.strikes + _PRIOR[0]) / (rate.passes + _PRIOR[1])


def _distribution(rate: CornerRate, laps: int, limit: int, share: float) -> np.ndarray:
    """Chances of 0, 1, … strikes, the last one of `limit` or more.

    Args:
        share: of the rate, with the same sureness.
    """
    from scipy import stats  # noqa: PLC0415  takes a second to import; not every process needs it

    mean, weight = _rate(rate) * share, rate.passes + _PRIOR[1]
    chances = stats.betabinom.pmf(np.arange(limit), laps, mean * weight, (1 - mean) * weight)
    return np.append(chances, max(0.0, 1.0 - float(chances.sum())))


def _together(parts: list[np.ndarray], limit: int) -> np.ndarray:
    whole = np.zeros(limit + 1)
    whole[0] = 1.0
    for part in parts:
        both = np.convolve(whole, part)
        whole = np.append(both[:limit], both[limit:].sum())
    return whole
