"""The ideal laps of one driver in one group."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from fleet_rival.core.ideals.linked import Joins, linked_path
from fleet_rival.core.ideals.table import NEVER, PartTable, part_table
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track

__all__ = ["Ideal", "Ideals", "PartTime", "ideals_of"]


@dataclass(frozen=True, slots=True)
class PartTime:
    """A part's time and the lap that it came from."""

    code: str
    time_us: int
    lap: Lap


@dataclass(frozen=True, slots=True)
class Ideal:
    """An ideal lap and the parts it is made of, in the order in which they would be driven."""

    time_us: int
    parts: tuple[PartTime, ...]


@dataclass(frozen=True, slots=True)
class Ideals:
    """The five ideals by name, and for each one that can't be had the reason."""

    values: Mapping[str, Ideal]
    reasons: Mapping[str, str]
    tables: Mapping[str, PartTable] = field(default_factory=dict, compare=False, repr=False)
    """What they were made from: by `sectors` and `segments`."""

    def time_us(self, name: str) -> int | None:
        ideal = self.values.get(name)
        return ideal.time_us if ideal else None


def ideals_of(
    track: Track, judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings | None = None
) -> Ideals:
    """Compute the five ideals of a group.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> ideals = ideals_of(TRACK, judge(TRACK, LAPS, Settings()), range(len(LAPS)))
    >>> min(lap.time_us for lap in LAPS), ideals.values["segment"].time_us
    (59920000, 59920000)
    """
    sectors = part_table(track, judged, members, "sectors")
    segments = part_table(track, judged, members, "segments")
    values: dict[str, Ideal] = {}
    reasons: dict[str, str] = {}
    for name, table, what in (("sector", sectors, "sector"), ("segment", segments, "segment")):
        if table.complete:
            values[name] = _along([int(row) for row in table.times.argmin(axis=0)], table)
        else:
            reasons[name] = _why_incomplete(table, what)
    unbroken = _unbroken(sectors)
    if unbroken:
        values["unbroken"] = unbroken
    else:
        reasons["unbroken"] = (
            "no full circuit without a break in which every sector counts"
            if sectors.complete
            else _why_incomplete(sectors, "sector")
        )
    linked = segments if segments.complete else sectors
    settings = settings or Settings()
    joins = Joins(track.closed_boundaries(linked.parts), settings.join_tolerance_kmh, settings.join_offset_m)
    for name, race in (("linked_qualifying", False), ("linked_race", True)):
        path = linked_path(linked, joins, race=race)
        if path is not None:
            values[name] = _along(path, linked)
        elif not linked.complete:
            reasons[name] = _why_incomplete(linked, "sector")
        else:
            reasons[name] = "no laps that can be joined"
    return Ideals(values, reasons, {"sectors": sectors, "segments": segments})


def _why_incomplete(table: PartTable, what: str) -> str:
    if not table.parts:
        return f"the track has no {what}s"
    if not any(item.lap.sectors if what == "sector" else item.lap.segments for item in table.laps):
        return f"no {what} times in these laps"
    return f"no counting time in {', '.join(table.missing_parts())}"


def _along(path: Sequence[int], table: PartTable) -> Ideal:
    parts = tuple(
        PartTime(part.code, int(table.times[row, column]), table.laps[row].lap)
        for column, (part, row) in enumerate(zip(table.parts, path, strict=True))
    )
    return Ideal(sum(part.time_us for part in parts), parts)


def _unbroken(table: PartTable) -> Ideal | None:
    """The fastest full circuit without a break, wherever it starts: the end of a lap and the start of the one that
    followed.
    """
    columns = len(table.parts)
    if not columns or not len(table.times):
        return None
    # From each part of a lap to its end, and from the line to before it: whole circuits are sums of two of these.
    tails = table.times[:, ::-1].cumsum(axis=1)[:, ::-1]
    heads = table.times.cumsum(axis=1) - table.times
    following = np.array([-1 if after is None else after for after in table.next_row])
    totals = tails + heads[following]
    totals[following < 0, 1:] = NEVER
    row, start = (int(place) for place in np.unravel_index(int(totals.argmin()), totals.shape))
    best_sum, after = int(totals[row, start]), table.next_row[row]
    if best_sum >= NEVER:
        return None
    driven = [(row, column) for column in range(start, columns)] + [
        (after, column) for column in range(start) if after is not None
    ]
    parts = tuple(
        PartTime(table.parts[column].code, int(table.times[lap, column]), table.laps[lap].lap)
        for lap, column in driven
        if lap is not None
    )
    return Ideal(best_sum, parts)
