"""Laps in from files: a look first, then one transaction, nothing half imported and nothing lost."""

import hashlib
import json
import zlib
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import datetime, timedelta
from types import MappingProxyType
from typing import Any
from uuid import UUID

import orjson
from sqlalchemy import delete, insert, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.merge import Merge, unknown
from fleet_rival.core.words import Differences
from fleet_rival.db.laps import StoredLap, lap_values, laps_of
from fleet_rival.db.recording import plain_row
from fleet_rival.db.tables import Car, ChangeSet, Combination, Driver, Lap, LapFileRow, Layout, PracticeSession, Run
from fleet_rival.formats.archives import members
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.services.drive.lap_preview import Preview, driver_keys, merged_with, preview_of, unread
from fleet_rival.services.drive.lap_reading import (
    Reading,
    content_of,
    first_reading,
    mended,
    read_beginning,
    read_file,
    remember,
    told_reading,
)
from fleet_rival.services.drive.runs.arrive import declared_for
from fleet_rival.services.drive.runs.context import context_of, with_context
from fleet_rival.services.drive.runs.declare import waiting_runs
from fleet_rival.services.drive.runs.places import Place
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, begin_change, find_row, note_changes
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.services.shared.space import see_to_room
from fleet_rival.services.track.tracks import load_track

__all__ = [
    "LARGE_FROM_BYTES",
    "MAX_BYTES",
    "ImportResult",
    "Unpacked",
    "Wishes",
    "again",
    "check",
    "confirm",
    "discard",
    "export_laps",
    "first_look",
    "look",
    "mend",
    "name_of",
    "preview",
    "say_how",
    "session_ids",
    "upload",
    "upload_archive",
]

MAX_BYTES = 50_000_000
LARGE_FROM_BYTES = 150_000
"""From here on (some 1,500 laps) reading and comparing take long enough to be done in the background."""
_KEEP_PREVIEWS = timedelta(days=7)
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
class Unpacked:
    """A file of a zip: kept to be looked at, or refused."""

    name: str
    id: UUID | None
    refused: str | None


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
class Looked:
    """A file was looked at."""

    file_id: UUID


@dataclass(frozen=True, slots=True)
class Imported(ImportResult):
    """What an import did, and where."""

    combination_id: UUID


def upload(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, name: str, content: bytes) -> UUID:
    """Keep a file, to be looked at. Nothing is imported yet.

    Returns:
        The file's id: `preview` says what would happen.

    Raises:
        Refused: the file can't be used at all; it isn't kept then. Of a large one `look` tells.
    """
    if len(content) > MAX_BYTES:
        raise Refused(
            f"The file has {len(content) / 1e6:.0f} MB; up to {MAX_BYTES // 1_000_000} MB are taken. Split it by "
            "session and add the parts."
        )
    with sessions.begin() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        see_to_room(session, actor, len(content))
        reading = first_reading(session, actor, row, name, content)
        session.execute(
            delete(LapFileRow).where(
                LapFileRow.team_id == actor.team_id,
                LapFileRow.state == "preview",
                LapFileRow.created_at < now() - _KEEP_PREVIEWS,
            )
        )
        kept = LapFileRow(
            team_id=actor.team_id,
            combination_id=row.id,
            person_id=actor.person_id,
            name=name[-255:] or "laps.csv",
            sha256=hashlib.sha256(content).hexdigest(),
            size=len(content),
            content=zlib.compress(content, 1),
            mapping=reading.as_plain() if reading != Reading() else None,
        )
        if len(content) <= LARGE_FROM_BYTES and reading.confirmed:
            read_file(content, kept, session, actor, row)
        session.add(kept)
        session.flush()
        return kept.public_id


def upload_archive(
    sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, content: bytes
) -> list[Unpacked]:
    """Keep the files of a zip, each to be looked at like one that came alone.

    Raises:
        Refused: the zip as a whole can't be taken.
    """
    if len(content) > MAX_BYTES:
        raise Refused(
            f"The zip has {len(content) / 1e6:.0f} MB; up to {MAX_BYTES // 1_000_000} MB are taken. Add its files in "
            "parts."
        )
    try:
        found = members(content)
    except UnusableFile as error:
        raise Refused(str(error)) from error
    out = []
    for member in found:
        try:
            out.append(
                Unpacked(member.name, upload(sessions, actor, combination_id, member.name, member.content), None)
            )
        except Refused as error:
            out.append(Unpacked(member.name, None, str(error)))
    return out


def again(sessions: sessionmaker[Session], actor: Actor, file_id: UUID) -> UUID:
    """Read a kept file once more, with what was told and mended of it: what was set aside can go in after all.

    Returns:
        The id under which it is looked at.
    """
    with sessions.begin() as session:
        kept = _file(session, actor, file_id)
        see_to_room(session, actor, kept.size)
        values = {
            name: getattr(kept, name)
            for name in ("team_id", "combination_id", "name", "sha256", "size", "content", "mapping", "mends")
        }
        made = LapFileRow(**values, person_id=actor.person_id)
        session.add(made)
        session.flush()
        return made.public_id


def say_how(
    sessions: sessionmaker[Session],
    actor: Actor,
    file_id: UUID,
    table: Mapping[str, Any] | None,
    names: Mapping[str, UUID],
    *,
    confirmed: bool = True,
) -> None:
    """Say how a file's columns are to be read, and who its drivers are in the team. It is remembered for its source
    with the import.

    Args:
        confirmed: False to see first what would come of it.

    Raises:
        Conflict: the file is imported already.
        Refused: a mapping that can't be used for it.
    """
    with sessions.begin() as session:
        kept = _file(session, actor, file_id, lock=True)
        _still_open(kept)
        row = session.get_one(Combination, kept.combination_id)
        drivers = {name: find_row(session, Driver, actor, key, "driver") for name, key in names.items()}
        told = told_reading(session, row, kept, table, {name: driver.name for name, driver in drivers.items()})
        kept.mapping = replace(told, confirmed=confirmed).as_plain()
        kept.look = None


def mend(sessions: sessionmaker[Session], actor: Actor, file_id: UUID, line: int, cells: Sequence[str] | None) -> None:
    """Put other cells in the place of a line's own; None: as it came. The file itself stays as it is.

    Raises:
        Conflict: the file is imported already; `again` opens it once more.
    """
    with sessions.begin() as session:
        kept = _file(session, actor, file_id, lock=True)
        _still_open(kept)
        kept.mends = mended(kept, line, cells)
        kept.look = None


def _still_open(kept: LapFileRow) -> None:
    if kept.state != "preview":
        raise Conflict("This file was imported. Read it again to mend what was set aside.")


def preview(
    sessions: sessionmaker[Session], actor: Actor, file_id: UUID, apart: frozenset[str] = frozenset()
) -> Preview | dict[str, Any] | None:
    """Look again, against the laps that are there now.

    Returns:
        What would happen; None where that takes long and hasn't been found out yet: `look` does.
    """
    with sessions() as session:
        kept = _file(session, actor, file_id)
        row = session.get_one(Combination, kept.combination_id)
        if not (reading := Reading.from_plain(kept.mapping)).confirmed:
            return _unconfirmed(session, actor, row, kept, apart)
        if kept.size <= LARGE_FROM_BYTES:
            try:
                file = read_file(content_of(kept), kept, session, actor, row)
            except Refused as error:
                if reading.table is None and not reading.names:
                    raise
                return unread(session, row, kept, str(error))
            return preview_of(session, actor, row, kept, file, apart)
        looked = kept.look
        # A stored look is right as long as nothing that it compared with has changed.
        return looked["preview"] if looked and looked["state"] == _state(row, kept, apart) else None


def first_look(sessions: sessionmaker[Session], actor: Actor, file_id: UUID) -> Preview:
    """The beginning of a large file, at once: its columns, and its first laps as they are read. Nothing is compared
    yet.

    Raises:
        Refused: the file can't be used at all.
    """
    with sessions() as session:
        kept = _file(session, actor, file_id)
        row = session.get_one(Combination, kept.combination_id)
        return preview_of(
            session, actor, row, kept, read_beginning(content_of(kept), kept, session, row), frozenset(), partial=True
        )


def _unconfirmed(session: Session, actor: Actor, row: Combination, kept: LapFileRow, apart: frozenset[str]) -> Preview:
    """A file of which nobody has confirmed yet how it is read: as it looks, so that it can be seen before it is
    said.
    """
    try:
        if kept.size > LARGE_FROM_BYTES:
            return preview_of(
                session, actor, row, kept, read_beginning(content_of(kept), kept, session, row), apart, partial=True
            )
        return preview_of(session, actor, row, kept, read_file(content_of(kept), kept, session, actor, row), apart)
    except Refused as error:
        return unread(session, row, kept, str(error))


def name_of(sessions: sessionmaker[Session], actor: Actor, file_id: UUID) -> str:
    """The name under which a file came."""
    with sessions() as session:
        return _file(session, actor, file_id).name


def look(
    sessions: sessionmaker[Session], actor: Actor, file_id: UUID, apart: frozenset[str], work: Work = UNWATCHED
) -> None:
    """Make the preview of a large file, and keep it until something changes.

    Raises:
        Refused: the file can't be used at all; it isn't kept then.
    """
    work.step(0.05, "reading")
    unusable: Refused | None = None
    with sessions.begin() as session:
        kept = _file(session, actor, file_id)
        row = session.get_one(Combination, kept.combination_id)
        try:
            file = read_file(content_of(kept), kept, session, actor, row)
        except Refused as error:
            unusable = error
            if kept.state == "preview":
                session.delete(kept)
        else:
            work.step(0.6, f"comparing {file.rows:,} rows with what is there")
            seen = preview_of(session, actor, row, kept, file, apart)
            kept.look = {"state": _state(row, kept, apart), "preview": json.loads(orjson.dumps(seen, default=list))}
            work.finish(session, Looked(file_id))
    if unusable:
        raise unusable


def _state(row: Combination, kept: LapFileRow, apart: frozenset[str]) -> list[Any]:
    return [row.revision, kept.state, sorted(apart), kept.mapping, kept.mends]


def discard(sessions: sessionmaker[Session], actor: Actor, file_id: UUID) -> None:
    """Forget a file that was looked at.

    Raises:
        Conflict: it is imported already.
    """
    with sessions.begin() as session:
        kept = _file(session, actor, file_id, lock=True)
        if kept.state != "preview":
            raise Conflict(
                "This file was imported; it stays as the record of where its laps came from. You can take the import "
                "back."
            )
        session.delete(kept)


def check(sessions: sessionmaker[Session], actor: Actor, file_id: UUID, wishes: Wishes) -> tuple[str, UUID]:
    """Whether a file could be imported as it was seen; its name and combination, for the job that does it.

    Raises:
        Conflict: it is imported already, or laps were added since the person looked.
    """
    with sessions() as session:
        kept = _file(session, actor, file_id)
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
        kept = _file(session, actor, file_id, lock=True)
        # The lock lets one import at a time into a combination, so that what the person saw is what happens.
        row = session.scalars(
            select(Combination)
            .where(Combination.team_id == actor.team_id, Combination.id == kept.combination_id)
            .with_for_update()
        ).one()
        _check(kept, row, wishes)
        file = read_file(content_of(kept), kept, session, actor, row)
        work.step(0.3, f"comparing {file.rows:,} rows with what is there")
        stored, merged = merged_with(session, actor, row, file, wishes.apart)
        drivers = driver_keys(session, actor)
        unknown = Counter(lap.driver for lap in merged.laps if lap.driver not in drivers)
        added_drivers = (
            tuple(sorted(name for name in unknown if name not in wishes.leave_out)) if actor.sees_all else ()
        )
        change_set = begin_change(session, actor, "laps.import", f"Imported {kept.name}", row)
        for name in added_drivers:
            guest = name in wishes.guests or all("guest" in lap.flags for lap in merged.laps if lap.driver == name)
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
            work.step(0.45 + 0.5 * start / len(values), f"{start:,} of {len(values):,} laps are written")
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


def export_laps(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> bytes:
    """All laps of a combination as a lap file; text that a spreadsheet would run as a formula is escaped."""
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
        car = session.get_one(Car, row.car_id).name
        # A driver takes the own laps along, not the colleagues'.
        drivers = None if actor.sees_all else [actor.driver_id or 0]
        laps = [replace(item.lap, car=item.lap.car or car) for item in laps_of(session, actor.team_id, row.id, drivers)]
    return write_laps(laps, track)


def _file(session: Session, actor: Actor, file_id: UUID, *, lock: bool = False) -> LapFileRow:
    """A lap file; another person's isn't there for who doesn't see all."""
    kept = find_row(session, LapFileRow, actor, file_id, "file", lock=lock)
    if not actor.sees_all and kept.person_id != actor.person_id:
        raise NotThere("This file doesn't exist, or no longer does.")
    return kept


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
