"""The linked ideals: the best sum over parts in which laps are joined only where it is physically possible.

A shortest path through (part, lap). Moving on within one lap is free. Moving to another lap is allowed where both speeds at the boundary
are known and the second lap came no faster than the first one left, and their offsets, where known, lie close together; where a speed is
unknown, where the boundary is open. The path is exact: `tests/core/test_ideals.py` and `tests/core/test_crossings.py` hold it against
brute force.
"""

from collections.abc import Set
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.ideals.table import NEVER, PartTable

__all__ = ["Joins", "linked_path"]

Mask = NDArray[np.bool_]
Costs = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Joins:
    """Where two laps may be joined.

    Attributes:
        closed: boundaries at which laps can't be joined for want of speeds, by the index of the part behind them; 0 is the line.
        tolerance_kmh: how much faster the second lap may come than the first one left.
        offset_m: how far apart they may be across the road.
    """

    closed: Set[int]
    tolerance_kmh: float = 1.0
    offset_m: float = 1.5

    def at(self, table: PartTable, left: int, entered: int) -> Mask | None:
        """Which lap may be left for which.

        Args:
            left, entered: columns of the boundary in the one lap and in the other; they differ at the line alone.

        Returns:
            Shape (laps, laps), from row to column; None where each may be left for each.
        """
        rows = len(table.laps)
        is_open = entered not in self.closed
        if table.speeds is None or table.offsets is None:
            return None if is_open else np.eye(rows, dtype=bool) if left == entered else np.zeros((rows, rows), dtype=bool)
        leaving, entering = table.speeds[:, left, None], table.speeds[None, :, entered]
        away, near = table.offsets[:, left, None], table.offsets[None, :, entered]
        fits = (entering <= leaving + self.tolerance_kmh) & ~(np.abs(away - near) > self.offset_m)
        known = np.isfinite(leaving) & np.isfinite(entering)
        joins = np.where(known, fits, is_open)
        if left == entered:
            np.fill_diagonal(joins, val=True)
        return joins


def linked_path(table: PartTable, joins: Joins, *, race: bool) -> list[int] | None:
    """Rows of the laps that the best linked lap is made of, one a part; None where no lap can be joined.

    Args:
        table: counting times, laps in order.
        joins: where laps can be joined.
        race: whether the end must allow the start: the last part's lap is followed by the first part's lap, or can be left for it.
    """
    if not table.complete:
        return None
    columns = table.times.shape[1]
    steps = [joins.at(table, column, column) for column in range(1, columns)]
    closing = joins.at(table, columns, 0) if race else None
    if closing is None:
        return _shortest(table.times, steps)
    followed = closing.copy()
    for row, after in enumerate(table.next_row):
        if after is not None:
            followed[row, after] = True
    # What the rest costs from each first lap on, whatever the end: from there on no first lap can do better.
    least = _completion(table.times, steps)
    best: list[int] | None = None
    best_sum = int(NEVER)
    for first in np.lexsort((np.arange(len(least)), least)):
        if least[first] >= best_sum:
            break
        path = _shortest(table.times, steps, first=int(first), ends=followed[:, first])
        if path is not None and (total := int(table.times[path, range(columns)].sum())) < best_sum:
            best, best_sum = path, total
    return best


def _completion(times: Costs, steps: list[Mask | None]) -> Costs:
    """For each lap what the whole lap costs at least when it begins there. Shape (laps,)."""
    cost = times[:, -1]
    for column in range(times.shape[1] - 2, -1, -1):
        step = steps[column]
        onward = np.full(len(cost), cost.min()) if step is None else np.where(step, cost[None, :], NEVER).min(axis=1)
        cost = np.minimum(times[:, column] + onward, NEVER)
    return cost


def _shortest(times: Costs, steps: list[Mask | None], first: int | None = None, ends: Mask | None = None) -> list[int] | None:
    """Shortest path over the columns; `first` fixes the lap of the beginning, `ends` says with which laps it may end."""
    rows, columns = times.shape
    own = np.arange(rows)
    cost = times[:, 0].copy()
    if first is not None:
        cost[own != first] = NEVER
    came: list[NDArray[np.int64]] = []
    for column in range(1, columns):
        step = steps[column - 1]
        if step is None:
            cheapest = np.full(rows, int(cost.argmin()))
            reached = cost[cheapest]
        else:
            allowed = np.where(step, cost[:, None], NEVER)
            cheapest = allowed.argmin(axis=0)
            reached = allowed[cheapest, own]
        # The earliest of the cheapest; staying in one's own lap where that costs the same, so a path breaks no lap needlessly.
        came.append(np.where(cost <= reached, own, cheapest))
        cost = np.minimum(np.minimum(cost, reached) + times[:, column], NEVER)
    if ends is not None:
        cost = np.where(ends, cost, NEVER)
    row = int(cost.argmin())
    if cost[row] >= NEVER:
        return None
    path = [row]
    for column in range(columns - 1, 0, -1):
        row = int(came[column - 1][row])
        path.append(row)
    return path[::-1]
