"""The race from own laps: thousands of races drawn from what a driver drove, and what one mistake less is worth."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

__all__ = ["OwnRace", "RaceLap", "places", "race_from_laps"]

_BLOCK: Final = 4
"""Laps that are drawn together: a bad lap is seldom alone."""
_LEAST_LAPS: Final = 10
_NINE_IN_TEN: Final = 1.6448536269514722
"""Deviations from the middle of a normal distribution to the ends of an interval of nine in ten."""


@dataclass(frozen=True, slots=True)
class RaceLap:
    """A lap of practice as the race may bring it again.

    Attributes:
        time_us: with falloff taken off: as on new tyres.
        slip_us: what slips and their knock-on cost in it; 0: none.
        strike: a strike or incident was in it.
    """

    time_us: float
    slip_us: float = 0.0
    strike: bool = False


@dataclass(frozen=True, slots=True)
class OwnRace:
    """What a race is likely to take.

    Attributes:
        median_us, low_us, high_us: of the time over the distance, with the interval of nine races in ten.
        slips, strikes: a race, on average.
        one_less_us: what one slip less is worth, on average.
        draws: races that were drawn.
    """

    median_us: float
    low_us: float
    high_us: float
    slips: float
    strikes: float
    one_less_us: float
    draws: int


def race_from_laps(
    laps: Sequence[RaceLap],
    distance: int,
    falloff_us: float = 0.0,
    stint: int | None = None,
    draws: int = 2000,
    seed: int = 1,
) -> OwnRace | None:
    """Races of so many laps, drawn from practice in blocks of neighbours (moving-block bootstrap, Künsch 1989); None
    of fewer than ten laps.

    Args:
        falloff_us: a lap and lap of the stint.
        stint: laps of a stint; None: the whole race on one set.

    Raises:
        ValueError: no distance.
    """
    if distance < 1:
        raise ValueError("a race has laps")
    if len(laps) < _LEAST_LAPS:
        return None
    rng = np.random.default_rng(seed)
    times, slips = np.array([lap.time_us for lap in laps]), np.array([lap.slip_us for lap in laps])
    struck = np.array([lap.strike for lap in laps])
    blocks = -(-distance // _BLOCK)
    begins = rng.integers(0, len(laps), size=(draws, blocks))
    # Round the end, so that each lap is as likely as any other.
    chosen = ((begins[:, :, None] + np.arange(_BLOCK)) % len(laps)).reshape(draws, -1)[:, :distance]
    ages = np.arange(distance) % (stint or distance)
    whole = times[chosen].sum(axis=1) + falloff_us * ages.sum()
    low, middle, high = np.quantile(whole, [0.05, 0.5, 0.95])
    had = (slips > 0)[chosen].sum(axis=1)
    cost = float(slips[slips > 0].mean()) if (slips > 0).any() else 0.0
    return OwnRace(
        float(middle), float(low), float(high), float(had.mean()), float(struck[chosen].sum(axis=1).mean()), cost, draws
    )


def places(own: OwnRace, rivals_us: Sequence[float]) -> tuple[float, float]:
    """The place that is likely among rivals, on average, and the one with a slip less.

    Args:
        own: of which the spread is taken to be normal between the ends of its interval.
        rivals_us: what each rival's race takes; how far they differ from race to race nobody knows, so that they are
            taken as they are.

    >>> race = race_from_laps([RaceLap(60e6 + 1e5 * (number % 5)) for number in range(20)], 10)
    >>> [round(place, 1) for place in places(race, [590e6, 620e6])]
    [2.0, 2.0]
    """
    from scipy.special import ndtr  # noqa: PLC0415  takes a third of a second to import; not every process needs it

    deviation = max((own.high_us - own.low_us) / (2 * _NINE_IN_TEN), 1.0)
    rivals = np.asarray(rivals_us, dtype=np.float64)
    ahead = [
        1 + float(ndtr((middle - rivals) / deviation).sum())
        for middle in (own.median_us, own.median_us - own.one_less_us)
    ]
    return ahead[0], ahead[1]
