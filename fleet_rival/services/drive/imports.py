"""Imports that were made."""

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import ChangeSet, Combination, LapFileRow, Person
from fleet_rival.services.shared.base import Actor, find_row

__all__ = ["ImportView", "imports"]


@dataclass(frozen=True, slots=True)
class ImportView:
    """A file that was imported, and perhaps taken back."""

    id: UUID
    change_id: UUID
    """In the history: what takes it back, or does it again."""
    name: str
    state: str
    imported_at: datetime
    person: str
    added: int
    changed: int
    set_aside: int


def imports(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> list[ImportView]:
    """The files imported into a combination, newest first; a driver's own alone for who doesn't see all."""
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        query = (
            select(LapFileRow, ChangeSet, Person.name)
            .join(ChangeSet, (ChangeSet.team_id == LapFileRow.team_id) & (ChangeSet.id == LapFileRow.change_set_id))
            .join(Person, Person.id == ChangeSet.person_id)
            .where(
                LapFileRow.team_id == actor.team_id, LapFileRow.combination_id == row.id, LapFileRow.state != "preview"
            )
            .order_by(ChangeSet.id.desc())
        )
        if not actor.sees_all:
            query = query.where(ChangeSet.person_id == actor.person_id)
        return [_view(file, change_set, person) for file, change_set, person in session.execute(query)]


def _view(file: LapFileRow, made: ChangeSet, person: str) -> ImportView:
    result = file.result or {}
    counts = [result.get(name, 0) for name in ("added", "changed", "set_aside")]
    return ImportView(file.public_id, made.public_id, file.name, file.state, made.made_at, person, *counts)
