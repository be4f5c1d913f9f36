"""What services share: who acts, the record of a change, finding a team's own rows."""

from dataclasses import dataclass
from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.db.tables import Base, Change, ChangeSet
from fleet_rival.services.errors import NotThere

__all__ = ["Actor", "begin_change", "find_row", "note_change"]

Row = TypeVar("Row", bound=Base)


@dataclass(frozen=True, slots=True)
class Actor:
    """Who acts, in which team, in which role."""

    team_id: int
    person_id: int
    role: str


def begin_change(session: Session, actor: Actor, action: str, summary: str) -> ChangeSet:
    """Open the record of one act; written in the transaction of the change itself."""
    change_set = ChangeSet(team_id=actor.team_id, person_id=actor.person_id, action=action, summary=summary[:300])
    session.add(change_set)
    session.flush()
    return change_set


def note_change(
    session: Session,
    change_set: ChangeSet,
    table: str,
    row_id: int,
    before: dict[str, Any] | None,
    after: dict[str, Any] | None,
    version: int | None = None,
) -> None:
    """Keep one row as it was and as it is now; `before` is None for a row that was made."""
    keys = {"team_id": change_set.team_id, "change_set_id": change_set.id}
    session.add(Change(**keys, table_name=table, row_id=row_id, version=version, before=before, after=after))


def find_row(session: Session, table: type[Row], actor: Actor, public_id: UUID, what: str, *, lock: bool = False) -> Row:
    """A row of the actor's team by its public id.

    Raises:
        NotThere: it doesn't exist, or belongs to another team: which of the two isn't told.
    """
    columns: Any = table
    query = select(table).where(columns.team_id == actor.team_id, columns.public_id == public_id)
    row = session.scalar(query.with_for_update() if lock else query)
    if row is None:
        raise NotThere(f"This {what} doesn't exist, or no longer does.")
    return row
