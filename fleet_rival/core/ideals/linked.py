"""The linked ideals: the best sum over parts in which laps are joined only where it is physically possible.

A shortest path through (part, lap). Moving on within one lap is free. Moving to another lap is allowed where both
speeds at the boundary
are known and the second lap came no faster than the first one left, and their offsets, where known, lie close together;
where a speed is
unknown, where the boundary is open. The path is exact: `tests/core/test_ideals.py` and `tests/core/test_telemetry.py`
hold it against
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
Rows = NDArray[np.intp]


@dataclass(frozen=True, slots=True)
class Joins:
    """Where two laps may be joined.

    Attributes:
        closed: boundaries at which laps can't be joined for want of speeds, by the index of the part behind them; 0 is
            the line.
        tolerance_kmh: how much faster the second lap may come than the first one left.
        offset_m: how far apart they may be across the road.
    """

    closed: Set[int]
    tolerance_kmh: float = 1.0
    offset_m: float = 1.5

    def at(self, table: PartTable, left: int, entered: int) -> "Boundary":
        """Which lap may be left for which.

        Args:
            left, entered: columns of the boundary in the one lap and in the other; they differ at the line alone.
        """
        is_open = entered not in self.closed
        none = np.zeros(0, dtype=np.intp)
        if table.speeds is None or table.offsets is None:
            return Boundary(is_open, none, none, np.zeros((0, 0), dtype=bool))
        leaving, entering = (
            np.flatnonzero(np.isfinite(table.speeds[:, left])),
            np.flatnonzero(np.isfinite(table.speeds[:, entered])),
        )
        faster = table.speeds[None, entering, entered] - table.speeds[leaving, left, None]
        apart = np.abs(table.offsets[leaving, left, None] - table.offsets[None, entering, entered])
        # Where an offset is unknown, nothing is apart.
        return Boundary(is_open, leaving, entering, (faster <= self.tolerance_kmh) & ~(apart > self.offset_m))


@dataclass(frozen=True, slots=True)
class Boundary:
    """A boundary: which laps' speeds are known there, and which of those may be joined. Laps without a trace cost
    nothing here.

    Attributes:
        is_open: whether laps may be joined where a speed is unknown.
        leaving, entering: rows whose speed is known on the way out and in, ascending.
        fits: shape (leaving, entering).
    """

    is_open: bool
    leaving: Rows
    entering: Rows
    fits: Mask

    def forward(self, cost: Costs) -> tuple[Costs, Rows]:
        """What each lap is entered for at least, from which lap: the earliest of the cheapest."""
        rows = len(cost)
        reached, came = np.full(rows, NEVER), np.arange(rows)
        if self.is_open:
            cheapest = int(cost.argmin())
            reached[:], came[:] = cost[cheapest], cheapest
            if len(self.entering):
                # Who comes at a known speed may follow those whose speed is unknown, and of the others those that fit.
                unknown = np.setdiff1d(np.arange(rows), self.leaving)
                reached[self.entering], came[self.entering] = NEVER, self.entering
                if len(unknown):
                    cheapest = int(unknown[cost[unknown].argmin()])
                    reached[self.entering], came[self.entering] = cost[cheapest], cheapest
        if len(self.leaving) and len(self.entering):
            allowed = np.where(self.fits, cost[self.leaving, None], NEVER)
            place = allowed.argmin(axis=0)
            best, source = allowed[place, np.arange(len(self.entering))], self.leaving[place]
            here = reached[self.entering]
            better = (best < here) | ((best == here) & (best < NEVER) & (source < came[self.entering]))
            chosen = self.entering[better]
            reached[chosen], came[chosen] = best[better], source[better]
        return reached, came

    def backward(self, cost: Costs) -> Costs:
        """What goes on at least from each lap, given what it costs to enter each."""
        rows = len(cost)
        onward = np.full(rows, cost.min() if self.is_open else NEVER)
        if len(self.leaving) and len(self.entering):
            fitting = np.where(self.fits, cost[None, self.entering], NEVER).min(axis=1)
            if self.is_open:
                unknown = np.setdiff1d(np.arange(rows), self.entering)
                fitting = np.minimum(fitting, cost[unknown].min(initial=NEVER))
            onward[self.leaving] = fitting
        return onward

    def left_for(self, row: int, rows: int) -> Mask:
        """Which laps may be left for one. Shape (laps,)."""
        out = np.full(rows, self.is_open)
        place = np.searchsorted(self.entering, row)
        if place < len(self.entering) and self.entering[place] == row:
            out[self.leaving] = self.fits[:, place]
        return out

    @property
    def always(self) -> bool:
        """Whether each lap may be left for each."""
        return self.is_open and not self.fits.size


def linked_path(table: PartTable, joins: Joins, *, race: bool) -> list[int] | None:
    """Rows of the laps that the best linked lap is made of, one a part; None where no lap can be joined.

    Args:
        table: counting times, laps in order.
        joins: where laps can be joined.
        race: whether the end must allow the start: the last part's lap is followed by the first part's lap, or can be
            left for it.
    """
    if not table.complete:
        return None
    rows, columns = table.times.shape
    steps = [joins.at(table, column, column) for column in range(1, columns)]
    closing = joins.at(table, columns, 0)
    if not race or closing.always:
        return _shortest(table.times, steps)
    followed_by: dict[int, list[int]] = {}
    for row, after in enumerate(table.next_row):
        if after is not None:
            followed_by.setdefault(after, []).append(row)
    # What the rest costs from each first lap on, whatever the end: from there on no first lap can do better.
    least = _completion(table.times, steps)
    best: list[int] | None = None
    best_sum = int(NEVER)
    for first in np.lexsort((np.arange(rows), least)):
        if least[first] >= best_sum:
            break
        ends = closing.left_for(int(first), rows)
        ends[followed_by.get(int(first), [])] = True
        if not ends.any():
            continue
        path = _shortest(table.times, steps, first=int(first), ends=ends)
        if path is not None and (total := int(table.times[path, range(columns)].sum())) < best_sum:
            best, best_sum = path, total
    return best


def _completion(times: Costs, steps: list[Boundary]) -> Costs:
    """For each lap what the whole lap costs at least when it begins there. Shape (laps,)."""
    cost = times[:, -1]
    for column in range(times.shape[1] - 2, -1, -1):
        onward = np.minimum(steps[column].backward(cost), cost)
        cost = np.minimum(times[:, column] + onward, NEVER)
    return cost


def _shortest(
    times: Costs, steps: list[Boundary], first: int | None = None, ends: Mask | None = None
) -> list[int] | None:
    """Shortest path over the columns; `first` fixes the lap of the beginning, `ends` says with which laps it may
    end.
    """
    rows, columns = times.shape
    own = np.arange(rows)
    cost = times[:, 0].copy()
    if first is not None:
        cost[own != first] = NEVER
    came: list[Rows] = []
    for column in range(1, columns):
        reached, source = steps[column - 1].forward(cost)
        # Staying in one's own lap where that costs the same, so a path breaks no lap needlessly.
        came.append(np.where(cost <= reached, own, source))
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
