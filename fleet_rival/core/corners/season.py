"""Mistakes over a season: which came, which were closed, which returned."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from fleet_rival.core.words import RecurringState

__all__ = ["SeasonMistake", "over_season"]


@dataclass(frozen=True, slots=True)
class SeasonMistake:
    """One kind of mistake over the weeks that were driven.

    Attributes:
        costs_us: what it cost a lap in each week; 0: it didn't recur, None: too little was driven to tell.
        closed: times that it recurred in a week and not in the next one that tells.
        returned: times that it came again after that.
        state: of the last week that tells: `open`, `closed`, or `returned`.
    """

    kind: str
    costs_us: tuple[float | None, ...]
    closed: int
    returned: int
    state: RecurringState


def over_season(weeks: Sequence[Mapping[str, float] | None]) -> tuple[SeasonMistake, ...]:
    """Kinds that recurred in any of some weeks, those that cost most in the last week first, then by what they cost
    in all.

    Args:
        weeks: in order; of each what its recurring mistakes cost a lap, by kind; None: too little was driven to tell.

    >>> over_season([{"T1:early": 0.1}, None, {"T1:early": 0.06}])
    (SeasonMistake(kind='T1:early', costs_us=(0.1, None, 0.06), closed=0, returned=0, state='open'),)
    """
    out = []
    for kind in sorted({kind for week in weeks if week is not None for kind in week}):
        costs = tuple(None if week is None else week.get(kind, 0.0) for week in weeks)
        told = [cost > 0 for cost in costs if cost is not None]
        closed = sum(before and not after for before, after in pairwise(told))
        came = sum(after and not before for before, after in pairwise(told)) + told[0]
        returned = max(0, came - 1)
        state: RecurringState = "closed" if not told[-1] else "returned" if returned else "open"
        out.append(SeasonMistake(kind, costs, closed, returned, state))
    return tuple(sorted(out, key=lambda item: (-_last(item), -sum(cost or 0.0 for cost in item.costs_us), item.kind)))


def _last(item: SeasonMistake) -> float:
    return next((cost for cost in reversed(item.costs_us) if cost is not None), 0.0)
