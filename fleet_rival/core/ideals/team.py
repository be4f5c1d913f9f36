"""The team ideal: each part's best from any driver of the same car, layout and conditions."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fleet_rival.core.ideals.table import NEVER, PartTable
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.order import in_order

__all__ = ["TeamIdeal", "TeamPart", "team_ideal"]


@dataclass(frozen=True, slots=True)
class TeamPart:
    """The team's best time of one part, and the lap of the driver who drove it."""

    code: str
    time_us: int
    lap: Lap


@dataclass(frozen=True, slots=True)
class TeamIdeal:
    """Sums of the best parts; None where a part has no counting time from anybody."""

    sector_us: int | None
    segment_us: int | None
    parts: tuple[TeamPart, ...]
    """Of segments where those are known, else of sectors."""


def team_ideal(tables: Mapping[str, Sequence[PartTable]]) -> TeamIdeal:
    """Join the drivers' tables.

    Args:
        tables: under `sectors` and `segments` one table a driver, all of one group.
    """
    sectors, segments = (_best_parts(tables[depth]) for depth in ("sectors", "segments"))
    return TeamIdeal(
        sum(part.time_us for part in sectors) if sectors else None,
        sum(part.time_us for part in segments) if segments else None,
        tuple(segments or sectors or ()),
    )


def _best_parts(tables: Sequence[PartTable]) -> list[TeamPart] | None:
    if not tables or not tables[0].parts:
        return None
    best: list[TeamPart] = []
    for column, part in enumerate(tables[0].parts):
        fastest = min((int(table.times[:, column].min()) for table in tables if table.laps), default=int(NEVER))
        if fastest >= NEVER:
            return None
        reached = [table.laps[row].lap for table in tables for row in np.flatnonzero(table.times[:, column] == fastest)]
        best.append(TeamPart(part.code, fastest, in_order(reached)[0]))
    return best
