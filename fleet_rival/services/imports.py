"""Imports that were made: the list of them, and taking one back as a whole."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import delete, exists, func, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Change, ChangeSet, Combination, Driver, Lap, LapFileRow, Person, PracticeSession
from fleet_rival.services.base import Actor, begin_change, find_row
from fleet_rival.services.errors import Conflict

__all__ = ["ImportView", "TakenBack", "imports", "take_back"]


@dataclass(frozen=True, slots=True)
class ImportView:
    """A file that was imported, and perhaps taken back."""

    id: UUID
    name: str
    state: str
    imported_at: datetime
    person: str
    added: int
    changed: int


@dataclass(frozen=True, slots=True)
class TakenBack:
    """What taking an import back did."""

    name: str
    removed: int
    restored: int


def imports(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> list[ImportView]:
    """The files imported into a combination, newest first."""
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        rows = session.execute(
            select(LapFileRow, ChangeSet.made_at, Person.name)
            .join(ChangeSet, (ChangeSet.team_id == LapFileRow.team_id) & (ChangeSet.id == LapFileRow.change_set_id))
            .join(Person, Person.id == ChangeSet.person_id)
            .where(LapFileRow.team_id == actor.team_id, LapFileRow.combination_id == row.id, LapFileRow.state != "preview")
            .order_by(ChangeSet.id.desc())
        )
        return [_view(file, made_at, person) for file, made_at, person in rows]


def _view(file: LapFileRow, made_at: datetime, person: str) -> ImportView:
    result = file.result or {}
    return ImportView(file.public_id, file.name, file.state, made_at, person, result.get("added", 0), result.get("changed", 0))


def take_back(sessions: sessionmaker[Session], actor: Actor, file_id: UUID) -> TakenBack:
    """Take an import back as a whole: its laps go, what it changed is as before, names it brought go if nothing else bears them.

    Raises:
        Conflict: it isn't imported, or laps of it were changed since by something else.
    """
    with sessions.begin() as session:
        file = find_row(session, LapFileRow, actor, file_id, "file", lock=True)
        if file.state != "imported" or file.change_set_id is None:
            raise Conflict("This file isn't imported, so there is nothing to take back.")
        row = session.scalars(
            select(Combination).where(Combination.team_id == actor.team_id, Combination.id == file.combination_id).with_for_update()
        ).one()
        own = (Lap.team_id == actor.team_id, Lap.change_set_id == file.change_set_id)
        changes = session.scalars(select(Change).where(Change.team_id == actor.team_id, Change.change_set_id == file.change_set_id)).all()
        changed = [change for change in changes if change.table_name == "lap"]
        _refuse_where_changed_since(session, actor, own, changed)
        removed = session.scalar(select(func.count()).select_from(Lap).where(*own)) or 0
        session.execute(delete(Lap).where(*own))
        for change in changed:
            before = {**(change.before or {})}
            if before.get("started_at"):
                before["started_at"] = datetime.fromisoformat(before["started_at"])
            session.execute(update(Lap).where(Lap.team_id == actor.team_id, Lap.id == change.row_id).values(**before, version=Lap.version + 1))
        made = [change.row_id for change in changes if change.table_name == "driver"]
        unused = ~exists().where(Lap.team_id == actor.team_id, Lap.driver_id == Driver.id)
        session.execute(delete(Driver).where(Driver.team_id == actor.team_id, Driver.id.in_(made), unused))
        empty = ~exists().where(Lap.team_id == actor.team_id, Lap.session_id == PracticeSession.id)
        session.execute(delete(PracticeSession).where(PracticeSession.team_id == actor.team_id, PracticeSession.combination_id == row.id, empty))
        undoing = begin_change(session, actor, "laps.import.take_back", f"Took back {file.name}")
        undoing.takes_back_id = file.change_set_id
        file.state = "taken_back"
        row.revision += 1
        return TakenBack(file.name, removed, len(changed))


def _refuse_where_changed_since(session: Session, actor: Actor, own: Any, changed: list[Change]) -> None:
    """What somebody changed after this import isn't overwritten unasked."""
    later = session.scalar(select(func.count()).select_from(Lap).where(*own, Lap.version > 1)) or 0
    versions = {change.row_id: change.version for change in changed}
    now = session.execute(select(Lap.id, Lap.version).where(Lap.team_id == actor.team_id, Lap.id.in_(versions)))
    still = {key for key, version in now if version == versions[key]}
    later += len(versions) - len(still)
    if later:
        raise Conflict(f"{later} of its laps were changed since by another import. Take that one back first.")
