"""The times that count, as one array of laps by parts."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.lap import LINE_END
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.track import Part, Track

__all__ = ["NEVER", "PartTable", "part_table"]

NEVER: Final = np.int64(1) << 50
"""Stands for a time that is unknown or doesn't count: longer than any sum of real ones, small enough to be added up."""


@dataclass(frozen=True, slots=True)
class PartTable:
    """Counting times of one group of laps in one depth (sectors or segments)."""

    parts: tuple[Part, ...]
    laps: tuple[JudgedLap, ...]
    """In order, so that the first of equals is the earliest."""
    times: NDArray[np.int64]
    """Shape (laps, parts), microseconds; `NEVER` where a time is unknown or doesn't count."""
    next_row: tuple[int | None, ...]
    """For each row the row of the lap that followed in the same run, if it is in the table."""
    speeds: NDArray[np.float64] | None = None
    offsets: NDArray[np.float64] | None = None
    """Shape (laps, parts + 1), km/h and metres at the start of each part and at the end of the lap, NaN where
    unknown; None without any trace.
    """

    @property
    def complete(self) -> bool:
        """Whether each part has at least one counting time."""
        return bool(self.parts) and bool(self.laps) and bool((self.times.min(axis=0) < NEVER).all())

    def missing_parts(self) -> list[str]:
        """Codes of the parts without any counting time."""
        return [
            part.code for column, part in enumerate(self.parts) if not self.laps or self.times[:, column].min() >= NEVER
        ]


def part_table(track: Track, judged: Sequence[JudgedLap], members: Sequence[int], depth: str) -> PartTable:
    """Collect the counting times of a group.

    Args:
        judged: all laps of the driver.
        members: positions of the group's flying laps in `judged`, in order.
        depth: `sectors` or `segments`.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> table = part_table(TRACK, judge(TRACK, LAPS, Settings()), range(len(LAPS)), "segments")
    >>> [part.code for part in table.parts]
    ['L0', 'T1', 'T2', 'T3']
    """
    parts = track.sector_parts if depth == "sectors" else track.segment_parts
    overlaps = [track.segments_of(part) for part in parts]
    codes = [part.code for part in parts]
    rows = {index: row for row, index in enumerate(members)}
    never = int(NEVER)
    counting = [judged[index] if judged[index].parts_count else None for index in members]
    known = [
        None if item is None else item.lap.sectors if depth == "sectors" else item.lap.segments for item in counting
    ]
    listed = [[never] * len(codes) if of is None else [of.get(code, never) for code in codes] for of in known]
    times = np.asarray(listed, dtype=np.int64).reshape(len(members), len(parts))
    for row, item in enumerate(counting):
        if item is not None and (taken := item.taken.segments):
            times[row, [bool(taken & overlap) for overlap in overlaps]] = NEVER
    next_row = tuple(None if (after := judged[index].next_lap) is None else rows.get(after) for index in members)
    return PartTable(
        parts, tuple(judged[index] for index in members), times, next_row, *_crossings(parts, judged, members)
    )


def _crossings(
    parts: Sequence[Part], judged: Sequence[JudgedLap], members: Sequence[int]
) -> tuple[NDArray[np.float64], NDArray[np.float64]] | tuple[None, None]:
    if not any(judged[index].lap.crossings for index in members):
        return None, None
    codes = [*(part.code for part in parts), LINE_END]
    speeds, offsets = (np.full((len(members), len(codes)), np.nan) for _ in range(2))
    for row, index in enumerate(members):
        known = judged[index].lap.crossings
        for column, code in enumerate(codes):
            if (crossing := known.get(code)) is not None:
                speeds[row, column] = crossing.speed_kmh
                if crossing.offset_m is not None:
                    offsets[row, column] = crossing.offset_m
    return speeds, offsets
