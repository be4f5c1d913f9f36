"""Columns of what was tried: which passes an option bears on, in its corner and in the two parts behind it."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.effects.passes import Passes
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.options.samples import FOLLOWED, LEAST_PASSES, label_of

__all__ = ["Tried", "tried_in", "under_trial"]


@dataclass(frozen=True, slots=True)
class Tried:
    """One way to drive a place, as it bears on one part.

    Attributes:
        label: its name; None where nobody said which it was.
        against: the way that was driven most.
        part: number of the part.
        behind: how many parts behind the corner it lies; 0 for the whole lap.
        column: 1 on laps that were driven with it, shape (laps,).
    """

    where: str
    label: str | None
    against: str | None
    part: int
    behind: int
    column: NDArray[np.float64]


def under_trial(passes: Passes, judged: Sequence[JudgedLap]) -> NDArray[np.bool_]:
    """Passes that were to find out: driven in a way that was named, through a corner that was driven otherwise too;
    and all of a lap driven in a way of which there are too few to tell what it is worth. Shape (laps, parts).
    """
    laps = [judged[index].lap for index in passes.positions.tolist()]
    out = np.zeros(passes.times_us.shape, dtype=np.bool_)
    for where in {where for lap in laps for where, _ in lap.options} - {"setup"}:
        labels = [label_of(lap, where) for lap in laps]
        counts = Counter(labels)
        if len(counts) < 2:
            continue
        if where in passes.codes:
            out[:, passes.codes.index(where)] |= [label is not None for label in labels]
        else:
            out |= np.asarray([label is not None and counts[label] < LEAST_PASSES for label in labels])[:, None]
    return out


def tried_in(passes: Passes, judged: Sequence[JudgedLap]) -> list[Tried]:
    """What was tried, by the parts on which it bears: of a corner's option also across the line, on the lap behind.

    Each place's most driven way is what the others are held against; laps of which nobody said how they were driven
    are a way of their own.
    """
    laps = [judged[index].lap for index in passes.positions.tolist()]
    places = sorted({where for lap in laps for where, _ in lap.options} - {"setup"})
    row_before = _row_before(passes, judged)
    out: list[Tried] = []
    for where in places:
        labels = [label_of(lap, where) for lap in laps]
        counts = Counter(labels)
        against, *others = sorted(counts, key=lambda label: (-counts[label], label or ""))
        for label in others:
            if counts[label] < LEAST_PASSES:
                continue
            here = np.asarray([value == label for value in labels], dtype=np.float64)
            before = np.where(row_before >= 0, here[row_before], 0.0)
            if where not in passes.codes:
                out += [Tried(where, label, against, part, 0, here) for part in range(len(passes.codes))]
                continue
            at = passes.codes.index(where)
            for behind in range(min(FOLLOWED, len(passes.codes) - 1) + 1):
                part = at + behind
                column, part = (here, part) if part < len(passes.codes) else (before, part - len(passes.codes))
                out.append(Tried(where, label, against, part, behind, column))
    return out


def _row_before(passes: Passes, judged: Sequence[JudgedLap]) -> NDArray[np.int64]:
    """Row of the lap before each in its run; -1 where there is none."""
    rows = {index: row for row, index in enumerate(passes.positions.tolist())}
    before = np.full(len(rows), -1, dtype=np.int64)
    for index, row in rows.items():
        following = judged[index].next_lap
        if following in rows:
            before[rows[following]] = row
    return before
