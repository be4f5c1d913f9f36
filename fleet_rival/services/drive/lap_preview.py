"""What an import would do: a lap file against the laps that are there."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.merge import Merge, OtherPace, SessionMatch, merge, other_pace
from fleet_rival.db.laps import StoredLap, laps_of
from fleet_rival.db.tables import Car, Combination, Driver, LapFileRow
from fleet_rival.formats.laps import LapFile, RowWarning, SetAside
from fleet_rival.services.drive.lap_reading import MappingView, mapping_view
from fleet_rival.services.shared.base import Actor

__all__ = [
    "DifferenceView",
    "DriverCount",
    "Preview",
    "SampleLap",
    "driver_keys",
    "merged_with",
    "preview_of",
    "unread",
]

_SHOWN: Final = 500
_SAMPLED: Final = 8
"""Rows of each kind that a preview lists; the counts are of all."""


@dataclass(frozen=True, slots=True)
class DifferenceView:
    """A lap that is there already with other facts."""

    line: int
    driver: str
    session: str
    run: int
    lap: int
    stored_us: int
    file_us: int
    fields: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class DriverCount:
    """A driver in the file, and how many laps."""

    name: str
    laps: int


@dataclass(frozen=True, slots=True)
class SampleLap:
    """A lap as it was read, to be compared with the file by eye."""

    driver: str
    session: str
    run: int | None
    number: int
    time_us: int
    kind: str
    sectors: Mapping[str, int]
    segments: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class Preview:
    """What would happen if the file were imported now."""

    id: UUID
    combination_id: UUID
    name: str
    state: str
    revision: int
    """Of the combination when the preview was made; `confirm` wants it back."""
    separator: str
    rows: int
    new: int
    same: int
    different: tuple[DifferenceView, ...]
    different_count: int
    set_aside: tuple[SetAside, ...]
    set_aside_count: int
    warnings: tuple[RowWarning, ...]
    warnings_count: int
    drivers: tuple[DriverCount, ...]
    unknown_drivers: tuple[str, ...]
    sessions: tuple[SessionMatch, ...]
    other_cars: tuple[str, ...]
    unused_columns: tuple[str, ...]
    missing_parts: tuple[str, ...]
    other_pace: OtherPace | None
    """The laps look as if they were driven on another track."""
    runs_inferred: bool
    imported_before: datetime | None
    """When the same content was imported into this combination."""
    sample: tuple[SampleLap, ...]
    mapping: MappingView
    problem: str | None
    """Why the file can't be read like this; nothing is counted then."""
    header: tuple[str, ...]
    cells: dict[str, tuple[str, ...]]
    """Of rows set aside, by line: as they stand, to be mended."""
    mended: int
    partial: bool = False
    """Only the beginning was read; the rest takes longer."""


def preview_of(
    session: Session,
    actor: Actor,
    row: Combination,
    kept: LapFileRow,
    file: LapFile,
    apart: frozenset[str],
    *,
    partial: bool = False,
) -> Preview:
    """What would happen if the file were imported now.

    Args:
        partial: `file` is the beginning alone: nothing is compared with what is there.
    """
    stored, merged = (
        ([], merge([], [lap for _, lap in file.laps])) if partial else merged_with(session, actor, row, file, apart)
    )
    known = driver_keys(session, actor)
    drivers = Counter(lap.driver for lap in merged.laps)
    return Preview(
        id=kept.public_id,
        combination_id=row.public_id,
        name=kept.name,
        state=kept.state,
        revision=row.revision,
        separator=file.separator,
        rows=file.rows,
        new=len(merged.new),
        same=len(merged.same),
        different=_different(file, stored, merged),
        different_count=len(merged.different),
        set_aside=file.set_aside[:_SHOWN],
        set_aside_count=len(file.set_aside),
        warnings=file.warnings[:_SHOWN],
        warnings_count=len(file.warnings),
        drivers=tuple(DriverCount(name, laps) for name, laps in sorted(drivers.items())),
        unknown_drivers=tuple(sorted(drivers.keys() - known.keys())),
        sessions=merged.sessions,
        other_cars=tuple(sorted({lap.car for lap in merged.laps if lap.car})),
        unused_columns=file.unused_columns,
        missing_parts=file.missing_parts,
        other_pace=other_pace([item.lap for item in stored], merged.laps),
        runs_inferred=file.runs_inferred,
        imported_before=_imported_before(session, row, kept),
        sample=tuple(_sample(lap) for lap in merged.laps[:_SAMPLED]),
        mapping=mapping_view(session, row, kept),
        problem=None,
        header=file.header,
        cells={str(line): cells for line, cells in file.cells.items()},
        mended=len(kept.mends or {}),
        partial=partial,
    )


def _different(file: LapFile, stored: list[StoredLap], merged: Merge) -> tuple[DifferenceView, ...]:
    """The first laps that are there with other facts."""
    out = []
    for difference in merged.different[:_SHOWN]:
        lap, old = merged.laps[difference.incoming], stored[difference.stored].lap
        line, _ = file.laps[difference.incoming]
        where = (lap.driver, lap.session, lap.run or 0, lap.number)
        out.append(DifferenceView(line, *where, old.time_us, lap.time_us, difference.fields))
    return tuple(out)


def _imported_before(session: Session, row: Combination, kept: LapFileRow) -> datetime | None:
    """When the same content came in last."""
    same = (
        LapFileRow.team_id == row.team_id,
        LapFileRow.combination_id == row.id,
        LapFileRow.sha256 == kept.sha256,
        LapFileRow.state == "imported",
        LapFileRow.id != kept.id,
    )
    return session.scalar(select(LapFileRow.created_at).where(*same).order_by(LapFileRow.id.desc()).limit(1))


def _sample(lap: CoreLap) -> SampleLap:
    where = (lap.driver, lap.session, lap.run, lap.number)
    return SampleLap(*where, lap.time_us, lap.kind, dict(lap.sectors), dict(lap.segments))


def unread(session: Session, row: Combination, kept: LapFileRow, problem: str) -> Preview:
    """A file that can't be read as its columns are mapped now."""
    empty: dict[str, Any] = {
        name: ()
        for name in (
            "different",
            "set_aside",
            "warnings",
            "drivers",
            "unknown_drivers",
            "sessions",
            "other_cars",
            "unused_columns",
            "missing_parts",
        )
    }
    empty |= dict.fromkeys(("rows", "new", "same", "different_count", "set_aside_count", "warnings_count"), 0)
    return Preview(
        id=kept.public_id,
        combination_id=row.public_id,
        name=kept.name,
        state=kept.state,
        revision=row.revision,
        separator="",
        **empty,
        other_pace=None,
        runs_inferred=False,
        imported_before=None,
        sample=(),
        mapping=mapping_view(session, row, kept),
        problem=problem,
        header=(),
        cells={},
        mended=0,
    )


def merged_with(
    session: Session, actor: Actor, row: Combination, file: LapFile, apart: frozenset[str]
) -> tuple[list[StoredLap], Merge]:
    """Compare the file with what is there. The combination's own car goes without saying."""
    car = session.get_one(Car, row.car_id).name
    incoming = [replace(lap, car=None) if lap.car == car else lap for _, lap in file.laps]
    stored = laps_of(session, actor.team_id, row.id)
    return stored, merge([item.lap for item in stored], incoming, apart)


def driver_keys(session: Session, actor: Actor) -> dict[str, int]:
    """Keys of the team's drivers, by name."""
    return {
        name: key
        for name, key in session.execute(select(Driver.name, Driver.id).where(Driver.team_id == actor.team_id))
    }
