"""Large files that come in pieces, telemetry and packages of teams, so that one that breaks off goes on from where
it was.
"""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Combination, Upload
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import Conflict, NoRoom, NotThere, Refused
from fleet_rival.services.shared.space import see_to_room
from fleet_rival.telemetry.store import DiskFull, store

__all__ = [
    "MOST_BYTES",
    "TelemetryRead",
    "UploadView",
    "add_piece",
    "begin_upload",
    "discard_upload",
    "own_upload",
    "upload",
    "uploads",
]

MOST_BYTES: Final = 2 * 1024**3
_MOST_COMING: Final = 20
"""Uploads of one person that aren't whole; more are refused until some are discarded."""


@dataclass(frozen=True, slots=True)
class TelemetryRead:
    """What became of a telemetry file: numbers of laps, where nothing else is said.

    Attributes:
        matched: got their traces, `filled` of them times that they lacked.
        added: known from traces alone.
        there: had theirs before.
        holed: have a stretch that can't be used.
        differs, twice, ambiguous, short, others: not used: of another time, there twice and not alike, of more laps
            than one, not whole, or colleagues'.
        told: sentences about single laps; `untold` more of the same kinds.
        lost_samples: samples without driver, session or lap.
        ignored: columns that aren't known.
    """

    matched: int = 0
    filled: int = 0
    added: int = 0
    there: int = 0
    holed: int = 0
    differs: int = 0
    twice: int = 0
    ambiguous: int = 0
    short: int = 0
    others: int = 0
    unknown_drivers: tuple[str, ...] = ()
    told: tuple[str, ...] = ()
    untold: int = 0
    lost_samples: int = 0
    ignored: tuple[str, ...] = ()


_KEPT: Final = TypeAdapter(TelemetryRead)


@dataclass(frozen=True, slots=True)
class UploadView:
    """A file that is coming or has come."""

    id: UUID
    combination_id: UUID | None
    name: str
    size: int
    received: int
    state: str
    names: dict[str, Any]
    read: TelemetryRead | None
    found: dict[str, Any] | None
    began_at: datetime


def begin_upload(
    sessions: sessionmaker[Session], actor: Actor, combination_id: UUID | None, name: str, size: int
) -> UploadView:
    """Make room for a file.

    Args:
        combination_id: whose laps it is of; None where its layout isn't known yet.

    Raises:
        Refused: it is empty, or larger than what is taken.
        Conflict: too many are coming already.
    """
    if not 1 <= size <= MOST_BYTES:
        raise Refused(
            f"The file has {size / 1e6:,.0f} MB; from 1 byte to {MOST_BYTES // 1024**2:,} MB are taken. Telemetry can "
            "be split by session; a package is smaller without traces."
        )
    with sessions.begin() as session:
        row = find_row(session, Combination, actor, combination_id, "combination") if combination_id else None
        mine = (Upload.team_id == actor.team_id, Upload.person_id == actor.person_id, Upload.state == "coming")
        if len(session.scalars(select(Upload.id).where(*mine)).all()) >= _MOST_COMING:
            raise Conflict(f"{_MOST_COMING} files are coming already. Let some of them end, or discard them.")
        see_to_room(session, actor, size)
        plain = name.replace("\\", "/").rsplit("/", 1)[-1][:255] or "telemetry"
        made = Upload(
            team_id=actor.team_id,
            combination_id=row.id if row else None,
            person_id=actor.person_id,
            name=plain,
            size=size,
            names={},
        )
        session.add(made)
        session.flush()
        return _view(made, combination_id)


def add_piece(
    sessions: sessionmaker[Session], actor: Actor, upload_id: UUID, offset: int, source: Callable[[int], bytes]
) -> UploadView:
    """Take the next bytes of a file, as many as come.

    Args:
        source: gives up to so many bytes; none at the end.

    Raises:
        Conflict: the file goes on elsewhere, or is whole.
    """
    with sessions() as session:
        row = own_upload(session, actor, upload_id)
        _check(row, offset)
        missing = row.size - offset
    # Not within a transaction: bytes come as slowly as somebody's line is.
    place = store()
    try:
        piece, count = place.write_piece(str(upload_id), source, missing)
    except DiskFull as error:
        raise NoRoom(
            "The disk of this installation is full. What had come of the file is kept; it goes on from there when "
            "there is room."
        ) from error
    with sessions.begin() as session:
        row = own_upload(session, actor, upload_id, lock=True)
        try:
            _check(row, offset)
        except Conflict:
            place.drop_piece(piece)
            raise
        if count:
            place.settle_piece(str(upload_id), piece, offset)
            row.received = offset + count
            if row.received == row.size:
                row.state = "whole"
        else:
            place.drop_piece(piece)
        session.flush()
        return _view(row, _combination(session, row))


def _check(row: Upload, offset: int) -> None:
    if row.state != "coming" or row.received != offset:
        raise Conflict(f"{row.name} goes on at {row.received:,} bytes, not at {offset:,}.")


def upload(sessions: sessionmaker[Session], actor: Actor, upload_id: UUID) -> UploadView:
    """How far a file has come, and what became of it."""
    with sessions() as session:
        row = own_upload(session, actor, upload_id)
        return _view(row, _combination(session, row))


def uploads(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> list[UploadView]:
    """A combination's telemetry files, newest first; a person who doesn't see all sees the own ones."""
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        query = select(Upload).where(Upload.team_id == actor.team_id, Upload.combination_id == row.id)
        if not actor.sees_all:
            query = query.where(Upload.person_id == actor.person_id)
        return [_view(item, row.public_id) for item in session.scalars(query.order_by(Upload.id.desc()).limit(50))]


def discard_upload(sessions: sessionmaker[Session], actor: Actor, upload_id: UUID) -> None:
    """Forget a file. Traces that were read from it stay."""
    with sessions.begin() as session:
        session.delete(own_upload(session, actor, upload_id, lock=True))
    store().remove_upload(str(upload_id))


def own_upload(session: Session, actor: Actor, upload_id: UUID, *, lock: bool = False) -> Upload:
    """A telemetry file's row: of the person's own, or of anybody in the team for who sees all.

    Raises:
        NotThere: it doesn't exist for this person.
    """
    row = find_row(session, Upload, actor, upload_id, "upload", lock=lock)
    if not actor.sees_all and row.person_id != actor.person_id:
        raise NotThere("This upload doesn't exist, or no longer does.")
    return row


def _combination(session: Session, row: Upload) -> UUID | None:
    return session.get_one(Combination, row.combination_id).public_id if row.combination_id is not None else None


def _view(row: Upload, combination_id: UUID | None) -> UploadView:
    kept = row.result or {}
    return UploadView(
        row.public_id,
        combination_id,
        row.name,
        row.size,
        row.received,
        row.state,
        row.names,
        _KEPT.validate_python(kept) if row.state == "read" else None,
        kept.get("found"),
        row.created_at,
    )
