"""Laps in from files: a look first, then one transaction, nothing half imported and nothing lost."""

import hashlib
import json
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any
from uuid import UUID

import orjson
from sqlalchemy import delete
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.laps import laps_of
from fleet_rival.db.tables import Car, Combination, Driver, LapFileRow, Layout
from fleet_rival.formats.archives import members
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.services.drive.lap_preview import Preview, preview_of, unread
from fleet_rival.services.drive.lap_reading import (
    Reading,
    content_of,
    first_reading,
    mended,
    read_beginning,
    read_file,
    told_reading,
)
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, find_row
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.shared.space import see_to_room
from fleet_rival.services.track.tracks import load_track
from fleet_rival.wording.work import comparing

__all__ = [
    "LARGE_FROM_BYTES",
    "MAX_BYTES",
    "Unpacked",
    "again",
    "discard",
    "export_laps",
    "first_look",
    "look",
    "mend",
    "name_of",
    "own_file",
    "preview",
    "say_how",
    "upload",
    "upload_archive",
]

MAX_BYTES = 50_000_000
LARGE_FROM_BYTES = 150_000
"""From here on (some 1,500 laps) reading and comparing take long enough to be done in the background."""
_KEEP_PREVIEWS = timedelta(days=7)


@dataclass(frozen=True, slots=True)
class Unpacked:
    """A file of a zip: kept to be looked at, or refused."""

    name: str
    id: UUID | None
    refused: str | None


@dataclass(frozen=True, slots=True)
class Looked:
    """A file was looked at."""

    file_id: UUID


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
        kept = own_file(session, actor, file_id)
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
        kept = own_file(session, actor, file_id, lock=True)
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
        kept = own_file(session, actor, file_id, lock=True)
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
        kept = own_file(session, actor, file_id)
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
        kept = own_file(session, actor, file_id)
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
        return own_file(session, actor, file_id).name


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
        kept = own_file(session, actor, file_id)
        row = session.get_one(Combination, kept.combination_id)
        try:
            file = read_file(content_of(kept), kept, session, actor, row)
        except Refused as error:
            unusable = error
            if kept.state == "preview":
                session.delete(kept)
        else:
            work.step(0.6, comparing(file.rows))
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
        kept = own_file(session, actor, file_id, lock=True)
        if kept.state != "preview":
            raise Conflict(
                "This file was imported; it stays as the record of where its laps came from. You can take the import "
                "back."
            )
        session.delete(kept)


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


def own_file(session: Session, actor: Actor, file_id: UUID, *, lock: bool = False) -> LapFileRow:
    """A lap file; another person's isn't there for who doesn't see all."""
    kept = find_row(session, LapFileRow, actor, file_id, "file", lock=lock)
    if not actor.sees_all and kept.person_id != actor.person_id:
        raise NotThere("This file doesn't exist, or no longer does.")
    return kept
