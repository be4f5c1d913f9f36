"""Whether an exercise is passed: of so many passes in a row so many without the mistake, in runs that began after it
was given.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from fleet_rival.core.corners.slips import Slip
from fleet_rival.core.laps.marks import JudgedLap

__all__ = ["NOT_DRIVEN", "Judged", "judge_exercise"]


@dataclass(frozen=True, slots=True)
class Judged:
    """How far an exercise has come.

    Attributes:
        driven: passes since it was given.
        best: most passes without the mistake among so many in a row, and `of` how many.
        last: the latest passes, oldest first: whether each was without it.
        before: passes until it was given.
        failed_before, failed_since: passes with the mistake, until it was given and since.
    """

    driven: int
    best: int
    of: int
    passed: bool
    last: tuple[bool, ...]
    before: int
    failed_before: int
    failed_since: int

    @property
    def rate_before(self) -> float | None:
        """Share of passes with the mistake until it was given; None without passes."""
        return self.failed_before / self.before if self.before else None

    @property
    def rate_since(self) -> float | None:
        """Share of passes with the mistake since; None without passes."""
        return self.failed_since / self.driven if self.driven else None


NOT_DRIVEN: Final = Judged(0, 0, 0, False, (), 0, 0, 0)


def judge_exercise(
    passes: Sequence[int],
    slips: Sequence[Slip],
    corner: str,
    kind: str,
    judged: Sequence[JudgedLap],
    since: datetime,
    of: int,
    good: int,
) -> Judged:
    """Judge an exercise by the laps that were driven.

    Args:
        passes: positions of the laps whose way through the corner is a pass, in order.
        slips: the driver's slips.
        since: runs whose first known lap began from here on count.
        of, good: so many without it of so many in a row.
    """
    begins: dict[tuple[str, int | None], datetime] = {}
    for item in judged:
        if item.lap.started_at is not None:
            key = (item.lap.session, item.lap.run)
            begins[key] = min(begins.get(key, item.lap.started_at), item.lap.started_at)
    failed = {slip.lap for slip in slips if slip.cause_corner == corner and slip.kind == kind}
    later = {run for run, moment in begins.items() if moment >= since}
    new = [index for index in passes if (judged[index].lap.session, judged[index].lap.run) in later]
    old = [index for index in passes if index not in set(new)]
    without = [index not in failed for index in new]
    windows = [sum(without[start : start + of]) for start in range(max(1, len(without) - of + 1))]
    best = max(windows, default=0)
    return Judged(
        driven=len(new),
        best=best,
        of=min(of, len(new)),
        passed=len(new) >= of and best >= good,
        last=tuple(without[-of:]),
        before=len(old),
        failed_before=sum(index in failed for index in old),
        failed_since=len(without) - sum(without),
    )
