"""The linked ideals: the best sum over parts in which laps are joined only where it is physically possible.

A shortest path through (part, lap). Moving on within one lap is free; moving to another lap is allowed where the boundary is
open. The path is exact: `tests/core/test_linked.py` holds it against brute force.
"""

from collections.abc import Set

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.ideals.table import NEVER, PartTable

__all__ = ["linked_path"]


def linked_path(table: PartTable, closed: Set[int], *, race: bool) -> list[int] | None:
    """Rows of the laps that the best linked lap is made of, one a part; None where no lap can be joined.

    Args:
        table: counting times, laps in order.
        closed: boundaries at which laps can't be joined, by the index of the part behind them; 0 is the line.
        race: whether the end must allow the start: where the line is closed, the last part's lap must be followed by the
            first part's lap.
    """
    if not table.complete:
        return None
    if not race or 0 not in closed:
        return _shortest(table.times, closed)
    best: list[int] | None = None
    best_sum = NEVER
    for last, first in enumerate(table.next_row):
        if first is None:
            continue
        path = _shortest(table.times, closed, first=first, last=last)
        if path is not None:
            total = table.times[path, range(len(path))].sum()
            if total < best_sum:
                best, best_sum = path, total
    return best


def _shortest(times: NDArray[np.int64], closed: Set[int], first: int | None = None, last: int | None = None) -> list[int] | None:
    """Shortest path over the columns; `first` and `last` fix the laps of the ends."""
    rows, columns = times.shape
    own = np.arange(rows)
    cost = times[:, 0].copy()
    if first is not None:
        cost[own != first] = NEVER
    came: list[NDArray[np.int64]] = []
    for column in range(1, columns):
        if column in closed:
            came.append(own)
        else:
            # The earliest of the cheapest; staying in one's own lap where that costs the same, so a path breaks no lap needlessly.
            cheapest = int(cost.argmin())
            came.append(np.where(cost == cost[cheapest], own, cheapest))
            cost = np.full(rows, cost[cheapest])
        cost = np.minimum(cost + times[:, column], NEVER)
    if last is not None:
        cost[own != last] = NEVER
    row = int(cost.argmin())
    if cost[row] >= NEVER:
        return None
    path = [row]
    for column in range(columns - 1, 0, -1):
        row = int(came[column - 1][row])
        path.append(row)
    return path[::-1]
