"""The season ahead: hours that preparation needs against hours that people have, and when to begin."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

__all__ = ["Ahead", "look_ahead"]

_SHORT: Final = 1e-9
"""Hours that are none."""


@dataclass(frozen=True, slots=True)
class Ahead:
    """One of a driver's weeks to come.

    Attributes:
        needed: hours that its races need.
        there: hours that the driver has in it.
        begin: place of the week in which preparation has to begin; its own place where that is early enough.
        short: hours that aren't there even so, whatever is begun when.
    """

    needed: float
    there: float
    begin: int
    short: float


def look_ahead(needed: Sequence[float], there: Sequence[float]) -> list[Ahead]:
    """When a driver has to begin with each of the weeks to come.

    What doesn't fit into a week of its own goes into the weeks before it, the latest first, since what is learned
    fades. Hours count once: the week that comes first has the first claim, and what it takes of earlier weeks is gone
    for those behind it.

    Args:
        needed: hours by week, in order; the first is the week that runs.
        there: hours by week, of equal length.

    >>> [ahead.begin for ahead in look_ahead([2.0, 5.0], [4.0, 4.0])]
    [0, 0]
    """
    spare = list(there)
    out = []
    for place, hours in enumerate(needed):
        left, begin = hours, place
        for week in range(place, -1, -1):
            taken = min(left, spare[week])
            if taken > _SHORT:
                spare[week] -= taken
                left -= taken
                begin = week
            if left <= _SHORT:
                break
        out.append(Ahead(hours, there[place], begin, left if left > _SHORT else 0.0))
    return out
