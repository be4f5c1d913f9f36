"""A lap file that was looked at goes in: whole or not at all."""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, replace
from datetime import datetime
from types import MappingProxyType
from uuid import UUID

from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.merge import Merge, unknown
from fleet_rival.core.laps.verdict import is_guests
from fleet_rival.core.words import Differences
from fleet_rival.db.laps import StoredLap, lap_values
from fleet_rival.db.recording import plain_row
from fleet_rival.db.tables import ChangeSet, Combination, Driver, Lap, LapFileRow, PracticeSession, Run
from fleet_rival.services.drive.files import own_file
from fleet_rival.services.drive.lap_preview import driver_keys, merged_with
from fleet_rival.services.drive.lap_reading import (
    Reading,
    content_of,
    read_file,
    remember,
)
from fleet_rival.services.drive.runs.arrive import declared_for
from fleet_rival.services.drive.runs.context import context_of, with_context
from fleet_rival.services.drive.runs.declare import waiting_runs
from fleet_rival.services.drive.runs.places import Place
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, begin_change, note_changes
from fleet_rival.services.shared.errors import Conflict
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.wording.work import comparing, counted

__all__ = ["ImportResult", "Imported", "Wishes", "check", "confirm", "session_ids"]

_BATCH = 10_000


@dataclass(frozen=True, slots=True)
class Wishes:
    """What the person decided in the preview."""

    revision: int
    leave_out: frozenset[str] = frozenset()
    """Unknown drivers that aren't to be added; their laps stay out."""
    differences: Differences = "keep"
    apart: frozenset[str] = frozenset()
    """Sessions of the file that are other sessions than those of the same label."""
    guests: frozenset[str] = frozenset()
    """Unknown drivers that are added as guests: their laps are for comparison only."""


@dataclass(frozen=True, slots=True)
class ImportResult:
    """What an import did."""

    added: int
    changed: int
    kept: int
    same: int
    set_aside: int
    left_out: int
    drivers_added: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Imported(ImportResult):
    """What an import did, and where."""

    combination_id: UUID


def check(sessions: sessionmaker[Session], actor: Actor, file_id: UUID, wishes: Wishes) -> tuple[str, UUID]:
    """Whether a file could be imported as it was seen; its name and combination, for the job that does it.

    Raises:
        Conflict: it is imported already, or laps were added since the person looked.
    """
    with sessions() as session:
        kept = own_file(session, actor, file_id)
        row = session.get_one(Combination, kept.combination_id)
        _check(kept, row, wishes)
        return kept.name, row.public_id


def confirm(
    sessions: sessionmaker[Session], actor: Actor, file_id: UUID, wishes: Wishes, work: Work = UNWATCHED
) -> ImportResult:
    """Import a file that was looked at, in one transaction.

    Raises:
        Conflict: it is imported already, or laps were added since the person looked.
    """
    work.step(0.02, "reading")
    with sessions.begin() as session:
        kept = own_file(session, actor, file_id, lock=True)
        # The lock lets one import at a time into a combination, so that what the person saw is what happens.
        row = session.scalars(
            select(Combination)
            .where(Combination.team_id == actor.team_id, Combination.id == kept.combination_id)
            .with_for_update()
        ).one()
        _check(kept, row, wishes)
        file = read_file(content_of(kept), kept, session, actor, row)
        work.step(0.3, comparing(file.rows))
        stored, merged = merged_with(session, actor, row, file, wishes.apart)
        drivers = driver_keys(session, actor)
        unknown = Counter(lap.driver for lap in merged.laps if lap.driver not in drivers)
        added_drivers = (
            tuple(sorted(name for name in unknown if name not in wishes.leave_out)) if actor.sees_all else ()
        )
        change_set = begin_change(session, actor, "laps.import", f"Imported {kept.name}", row)
        for name in added_drivers:
            guest = name in wishes.guests or all(is_guests(lap) for lap in merged.laps if lap.driver == name)
            driver = Driver(team_id=actor.team_id, name=name, guest=guest)
            session.add(driver)
            session.flush()
            drivers[name] = driver.id
        coming = [merged.laps[index] for index in merged.new if merged.laps[index].driver in drivers]
        begun = {lap.session: lap.session_local for lap in reversed(coming) if lap.session_local}
        labels = session_ids(session, actor, row, {lap.session for lap in coming}, begun)
        keys = {"team_id": actor.team_id, "combination_id": row.id, "change_set_id": change_set.id}
        coming = _with_declarations(
            session, actor, row, change_set, coming, (item.lap for item in stored), drivers, labels
        )
        values = [
            {**lap_values(lap), **keys, "session_id": labels[lap.session], "driver_id": drivers[lap.driver]}
            for lap in coming
        ]
        for start in range(0, len(values), _BATCH):
            work.step(0.45 + 0.5 * start / len(values), counted(start, len(values), "laps are written"))
            # Core, not the ORM: one statement a batch, whatever is unknown in which row.
            session.connection().execute(insert(Lap.__table__), values[start : start + _BATCH])  # type: ignore[arg-type]
        changed = _take_differences(session, change_set, stored, merged) if wishes.differences == "take" else 0
        result = ImportResult(
            added=len(values),
            changed=changed,
            kept=len(merged.different) - changed,
            same=len(merged.same),
            set_aside=len(file.set_aside),
            left_out=len(merged.new) - len(values),
            drivers_added=added_drivers,
        )
        if values or changed:
            raise_revisions(session, actor.team_id, [row.id])
        remember(session, actor, kept)
        kept.state = "imported"
        kept.change_set_id = change_set.id
        kept.result = {name: getattr(result, name) for name in result.__slots__}
        work.finish(session, Imported(**kept.result, combination_id=row.public_id))
        return result


def _check(kept: LapFileRow, row: Combination, wishes: Wishes) -> None:
    if kept.state == "imported":
        raise Conflict("This file is imported already.")
    if not Reading.from_plain(kept.mapping).confirmed:
        raise Conflict("Nobody has said yet how the columns of this file are to be read. Confirm it first.")
    if row.revision != wishes.revision:
        raise Conflict(
            "Laps or settings of this combination were changed since you looked. Look at the preview again, then "
            "confirm."
        )


def _take_differences(session: Session, change_set: ChangeSet, stored: list[StoredLap], merged: Merge) -> int:
    """Write the file's facts over those that are there, keeping what was."""
    changes = []
    for difference in merged.different:
        old, new = stored[difference.stored], merged.laps[difference.incoming]
        # What the file doesn't say stays as it is.
        kept = {field.name: getattr(old.lap, field.name) for field in fields(CoreLap) if unknown(new, field.name)}
        before, after = lap_values(old.lap), lap_values(replace(new, **{**kept, "said": old.lap.said}))
        session.execute(
            update(Lap)
            .where(Lap.team_id == change_set.team_id, Lap.id == old.id)
            .values(**after, version=old.version + 1)
        )
        changes.append(
            {
                "table_name": "lap",
                "row_id": old.id,
                "version": old.version + 1,
                "before": plain_row(before),
                "after": plain_row(after),
            }
        )
    note_changes(session, change_set, changes)
    return len(changes)


def _with_declarations(
    session: Session,
    actor: Actor,
    row: Combination,
    change_set: ChangeSet,
    laps: list[CoreLap],
    there: Iterable[CoreLap],
    drivers: Mapping[str, int],
    labels: Mapping[str, int],
) -> list[CoreLap]:
    """Laps of a file with what was declared of their runs: of those whose laps are there in part, and of those that
    wait for some.

    Args:
        there: the laps that the combination has already.
    """
    own = (Run.team_id == actor.team_id, Run.combination_id == row.id)
    declared = set(
        session.execute(
            select(Run.session_id, Run.driver_id, Run.number).where(*own, Run.session_id.is_not(None))
        ).tuples()
    )
    waiting = {run.driver_id for run in waiting_runs(session, actor, row)}
    if not declared and not waiting:
        return laps
    runs: dict[tuple[str, str, int], list[int]] = {}
    for index, lap in enumerate(laps):
        key, driver_key = (lap.driver, lap.session, lap.run or 0), drivers[lap.driver]
        # A file that says what its runs were for needs no declaration that waits.
        if (labels[lap.session], driver_key, lap.run) in declared or (driver_key in waiting and lap.purpose is None):
            runs.setdefault(key, []).append(index)
    driven = Counter((lap.driver, lap.session, lap.run or 0) for lap in there)
    new = Counter(name for name, label, number in runs if (labels[label], drivers[name], number) not in declared)
    out = list(laps)
    for (name, label, number), indices in runs.items():
        first = laps[indices[0]].started_at
        if (labels[label], drivers[name], number) not in declared and first is None and new[name] > 1:
            continue  # which of them was declared, nothing tells
        place = Place(
            row, session.get_one(PracticeSession, labels[label]), session.get_one(Driver, drivers[name]), number
        )
        run = declared_for(session, actor, place, change_set, first)
        if run is not None:
            context, before = context_of(run), driven[name, label, number]
            for step, index in enumerate(indices):
                out[index] = with_context(laps[index], context, before + step)
    return out


def session_ids(
    session: Session,
    actor: Actor,
    row: Combination,
    labels: set[str],
    begun: Mapping[str, datetime] = MappingProxyType({}),
) -> dict[str, int]:
    """Keys of the sessions of these labels, made where they aren't there.

    Args:
        begun: date and time of day inside the simulation at which they began, where that is known.
    """
    own = (PracticeSession.team_id == actor.team_id, PracticeSession.combination_id == row.id)
    known = {
        label: key for label, key in session.execute(select(PracticeSession.label, PracticeSession.id).where(*own))
    }
    for label in sorted(labels - known.keys()):
        inside = begun[label].isoformat() if label in begun else None
        made = PracticeSession(team_id=actor.team_id, combination_id=row.id, label=label, session_local=inside)
        session.add(made)
        session.flush()
        known[label] = made.id
    return known
