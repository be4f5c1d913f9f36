"""How many laps a race given in minutes has."""

from dataclasses import dataclass
from math import ceil, floor
from typing import Final

__all__ = ["Distance", "timed_race"]

_SMALL: Final = 1e-9
"""Of a lap: less is rounding."""


@dataclass(frozen=True, slots=True)
class Distance:
    """A race's laps.

    Attributes:
        laps: that are driven for certain, by these lap times.
        close: whether a little more or less pace of the leader makes it another number: the last lap begins within two
            per cent of a lap of the end.
        leader_laps: of who crosses the line first.
    """

    laps: int
    close: bool
    leader_laps: int


def timed_race(
    minutes: float, lap_seconds: float, leader_seconds: float | None = None, lost_seconds: float = 0.0
) -> Distance:
    """Laps of a timed race: when the time is over, the leader finishes the lap that has begun, and everybody else
    theirs.

    Args:
        leader_seconds: a lap of who leads; the own one where nobody knows.
        lost_seconds: in all, at the start and in stops of one's own.

    Raises:
        ValueError: a lap or a race that takes no time.

    >>> timed_race(20, 61.0)
    Distance(laps=20, close=False, leader_laps=20)
    >>> timed_race(20, 63.0, leader_seconds=61.0).laps
    20
    """
    leader = leader_seconds if leader_seconds is not None else lap_seconds
    if min(minutes, lap_seconds, leader) <= 0:
        raise ValueError("a race and its laps take time")
    exactly = minutes * 60 / leader
    leader_laps = ceil(exactly - _SMALL)
    ends = leader_laps * leader
    own = ceil((ends - lost_seconds) / lap_seconds - _SMALL)
    part = exactly - floor(exactly)
    return Distance(
        max(1, min(own, leader_laps)) if leader_seconds is not None else max(1, own),
        min(part, 1 - part) < 0.02,
        leader_laps,
    )
