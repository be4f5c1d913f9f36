"""Laps in from files: a look first, then one transaction, nothing half imported and nothing lost."""

import hashlib
import json
import zlib
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from types import MappingProxyType
from typing import Any, Literal
from uuid import UUID

import orjson
from sqlalchemy import delete, insert, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.merge import Merge
from fleet_rival.db.laps import StoredLap, lap_values, laps_of
from fleet_rival.db.recording import plain_row
from fleet_rival.db.tables import Car, ChangeSet, Combination, Driver, Lap, LapFileRow, Layout, PracticeSession
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.laps import LapFile, read_laps
from fleet_rival.services.base import UNWATCHED, Actor, Work, begin_change, find_row, note_changes
from fleet_rival.services.errors import Conflict, NotThere, Refused
from fleet_rival.services.lap_preview import Preview, driver_keys, merged_with, preview_of
from fleet_rival.services.revisions import raise_revisions
from fleet_rival.services.track import load_track

__all__ = [
    "LARGE_FROM_BYTES",
    "MAX_BYTES",
    "ImportResult",
    "Wishes",
    "check",
    "confirm",
    "discard",
    "export_laps",
    "look",
    "name_of",
    "preview",
    "session_ids",
    "upload",
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
    differences: Literal["keep", "take"] = "keep"
    apart: frozenset[str] = frozenset()
    """Sessions of the file that are other sessions than those of the same label."""


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


def upload(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, name: str, content: bytes) -> UUID:
    """Keep a file, to be looked at. Nothing is imported yet.

    Returns:
        The file's id: `preview` says what would happen.

    Raises:
        Refused: the file can't be used at all; it isn't kept then. Of a large one `look` tells.
    """
    if len(content) > MAX_BYTES:
        raise Refused(
            f"The file has {len(content) / 1e6:.0f} MB; up to {MAX_BYTES // 1_000_000} MB are taken. Split it by session and add the parts."
        )
    with sessions.begin() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        if len(content) <= LARGE_FROM_BYTES:
            _read(content, session, actor, row)
        session.execute(
            delete(LapFileRow).where(
                LapFileRow.team_id == actor.team_id, LapFileRow.state == "preview", LapFileRow.created_at < datetime.now(UTC) - _KEEP_PREVIEWS
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
        )
        session.add(kept)
        session.flush()
        return kept.public_id


def preview(sessions: sessionmaker[Session], actor: Actor, file_id: UUID, apart: frozenset[str] = frozenset()) -> Preview | dict[str, Any] | None:
    """Look again, against the laps that are there now.

    Returns:
        What would happen; None where that takes long and hasn't been found out yet: `look` does.
    """
    with sessions() as session:
        kept = _file(session, actor, file_id)
        row = session.get_one(Combination, kept.combination_id)
        if kept.size <= LARGE_FROM_BYTES:
            return preview_of(session, actor, row, kept, _read(zlib.decompress(kept.content), session, actor, row), apart)
        looked = kept.look
        # A stored look is right as long as nothing that it compared with has changed.
        return looked["preview"] if looked and looked["state"] == _state(row, kept, apart) else None


def name_of(sessions: sessionmaker[Session], actor: Actor, file_id: UUID) -> str:
    """The name under which a file came."""
    with sessions() as session:
        return _file(session, actor, file_id).name


def look(sessions: sessionmaker[Session], actor: Actor, file_id: UUID, apart: frozenset[str], work: Work = UNWATCHED) -> None:
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
            file = _read(zlib.decompress(kept.content), session, actor, row)
        except Refused as error:
            unusable = error
            if kept.state == "preview":
                session.delete(kept)
        else:
            work.step(0.6, f"comparing {file.rows:,} rows with what is there")
            seen = preview_of(session, actor, row, kept, file, apart)
            kept.look = {"state": _state(row, kept, apart), "preview": json.loads(orjson.dumps(seen, default=list))}
            work.finish(session, {"file_id": str(file_id)})
    if unusable:
        raise unusable


def _state(row: Combination, kept: LapFileRow, apart: frozenset[str]) -> list[Any]:
    return [row.revision, kept.state, sorted(apart)]


def discard(sessions: sessionmaker[Session], actor: Actor, file_id: UUID) -> None:
    """Forget a file that was looked at.

    Raises:
        Conflict: it is imported already.
    """
    with sessions.begin() as session:
        kept = _file(session, actor, file_id, lock=True)
        if kept.state != "preview":
            raise Conflict("This file was imported; it stays as the record of where its laps came from. You can take the import back.")
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


def confirm(sessions: sessionmaker[Session], actor: Actor, file_id: UUID, wishes: Wishes, work: Work = UNWATCHED) -> ImportResult:
    """Import a file that was looked at, in one transaction.

    Raises:
        Conflict: it is imported already, or laps were added since the person looked.
    """
    work.step(0.02, "reading")
    with sessions.begin() as session:
        kept = _file(session, actor, file_id, lock=True)
        # The lock lets one import at a time into a combination, so that what the person saw is what happens.
        row = session.scalars(
            select(Combination).where(Combination.team_id == actor.team_id, Combination.id == kept.combination_id).with_for_update()
        ).one()
        _check(kept, row, wishes)
        file = _read(zlib.decompress(kept.content), session, actor, row)
        work.step(0.3, f"comparing {file.rows:,} rows with what is there")
        stored, merged = merged_with(session, actor, row, file, wishes.apart)
        drivers = driver_keys(session, actor)
        unknown = Counter(lap.driver for lap in merged.laps if lap.driver not in drivers)
        added_drivers = tuple(sorted(name for name in unknown if name not in wishes.leave_out))
        change_set = begin_change(session, actor, "laps.import", f"Imported {kept.name}", row)
        for name in added_drivers:
            guest = all("guest" in lap.flags for lap in merged.laps if lap.driver == name)
            driver = Driver(team_id=actor.team_id, name=name, guest=guest)
            session.add(driver)
            session.flush()
            drivers[name] = driver.id
        coming = [merged.laps[index] for index in merged.new if merged.laps[index].driver in drivers]
        begun = {lap.session: lap.session_local for lap in reversed(coming) if lap.session_local}
        labels = session_ids(session, actor, row, {lap.session for lap in coming}, begun)
        keys = {"team_id": actor.team_id, "combination_id": row.id, "change_set_id": change_set.id}
        values = [{**lap_values(lap), **keys, "session_id": labels[lap.session], "driver_id": drivers[lap.driver]} for lap in coming]
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
        kept.state = "imported"
        kept.change_set_id = change_set.id
        kept.result = {name: getattr(result, name) for name in result.__slots__}
        work.finish(session, {**kept.result, "combination_id": str(row.public_id)})
        return result


def _check(kept: LapFileRow, row: Combination, wishes: Wishes) -> None:
    if kept.state == "imported":
        raise Conflict("This file is imported already.")
    if row.revision != wishes.revision:
        raise Conflict("Laps or settings of this combination were changed since you looked. Look at the preview again, then confirm.")


def _take_differences(session: Session, change_set: ChangeSet, stored: list[StoredLap], merged: Merge) -> int:
    """Write the file's facts over those that are there, keeping what was."""
    changes = []
    for difference in merged.different:
        old, new = stored[difference.stored], merged.laps[difference.incoming]
        before, after = lap_values(old.lap), lap_values(replace(new, set_aside=old.lap.set_aside, alone=old.lap.alone))
        session.execute(update(Lap).where(Lap.team_id == change_set.team_id, Lap.id == old.id).values(**after, version=old.version + 1))
        changes.append({"table_name": "lap", "row_id": old.id, "version": old.version + 1, "before": plain_row(before), "after": plain_row(after)})
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


def _read(content: bytes, session: Session, actor: Actor, row: Combination) -> LapFile:
    try:
        file = read_laps(content, load_track(session, session.get_one(Layout, row.layout_id), centreline=False))
    except UnusableFile as error:
        raise Refused(str(error)) from error
    if not actor.sees_all:
        own = session.scalar(select(Driver.name).where(Driver.team_id == actor.team_id, Driver.id == actor.driver_id))
        others = sorted({lap.driver for _, lap in file.laps} - {own})
        if others:
            whose = f"You add laps of {own} here" if own else "You aren't matched with a driver yet, so you can't add laps"
            raise Refused(f"This file has laps of {', '.join(others[:3])}. {whose}; ask a manager or coach to add the rest.")
    return file


def session_ids(
    session: Session, actor: Actor, row: Combination, labels: set[str], begun: Mapping[str, datetime] = MappingProxyType({})
) -> dict[str, int]:
    """Keys of the sessions of these labels, made where they aren't there.

    Args:
        begun: date and time of day inside the simulation at which they began, where that is known.
    """
    own = (PracticeSession.team_id == actor.team_id, PracticeSession.combination_id == row.id)
    known = {label: key for label, key in session.execute(select(PracticeSession.label, PracticeSession.id).where(*own))}
    for label in sorted(labels - known.keys()):
        inside = begun[label].isoformat() if label in begun else None
        made = PracticeSession(team_id=actor.team_id, combination_id=row.id, label=label, session_local=inside)
        session.add(made)
        session.flush()
        known[label] = made.id
    return known
