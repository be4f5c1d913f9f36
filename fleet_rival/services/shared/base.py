"""What services share: who acts, the record of a change, finding a team's own rows."""

from dataclasses import dataclass
from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from fleet_rival.core.words import Role
from fleet_rival.db.events import announce
from fleet_rival.db.recording import open_change_set
from fleet_rival.db.tables import Base, Change, ChangeSet
from fleet_rival.services.shared.errors import NotThere, Outdated, Refused
from fleet_rival.services.shared.roles import ROLES, SEE_ALL, may

__all__ = [
    "UNWATCHED",
    "Actor",
    "Work",
    "about",
    "begin_change",
    "check_version",
    "find_row",
    "known_role",
    "named",
    "note_changes",
]

Row = TypeVar("Row", bound=Base)


@dataclass(frozen=True, slots=True)
class Actor:
    """Who acts, in which team, in which role."""

    team_id: int
    person_id: int
    role: str
    driver_id: int | None = None
    """Which driver of the team this person is."""
    rig_token_id: int | None = None
    """Set where a rig delivers in the person's name."""

    @property
    def sees_all(self) -> bool:
        """Whether every driver's laps are this person's business."""
        return self.may(SEE_ALL)

    def may(self, permission: str) -> bool:
        """Whether this person's role allows something; the names stand in `roles`."""
        return may(self.role, permission)


class Work:
    """What a service tells of long work while it does it. This one tells nobody; `jobs` has one that does."""

    cancel_wanted = False
    """Whether somebody wants it to end; known within a second or two, whatever it is at."""

    def step(self, share: float, doing: str) -> None:
        """Say how far it has come; raises where somebody wants it to end.

        Args:
            share: of the whole, 0 to 1.
            doing: what is being done, in a few words.
        """

    def look(self) -> None:
        """Raise where somebody wants it to end, without having anything to say."""

    def finish(self, session: Session, told: object) -> None:
        """Say in the work's own transaction that it is done, so that the two are true together or not at all.

        Args:
            told: what the work says of itself, of the type that its kind of job names.
        """


UNWATCHED = Work()


def begin_change(session: Session, actor: Actor, action: str, summary: str, subject: Any = None) -> ChangeSet:
    """Open the record of one act; what is changed in this transaction from here on belongs to it.

    Args:
        action: a stable name, e.g. `combination.change`.
        summary: what was done, as a sentence without its subject.
        subject: the row that the act is about, where it exists already; `about` names one that is made later.
    """
    change_set = ChangeSet(
        team_id=actor.team_id,
        person_id=actor.person_id,
        rig_token_id=actor.rig_token_id,
        action=action,
        summary=summary[:300],
    )
    session.add(change_set)
    session.flush()
    open_change_set(session, change_set)
    if subject is None:
        announce(session, actor.team_id, action)
    else:
        about(session, change_set, subject)
    return change_set


def about(session: Session, change_set: ChangeSet, subject: Any) -> None:
    """Say which row an act is about."""
    change_set.subject_table, change_set.subject_id = subject.__tablename__, subject.id
    announce(session, change_set.team_id, change_set.action, subject.public_id)


def note_changes(session: Session, change_set: ChangeSet, rows: list[dict[str, Any]]) -> None:
    """Keep rows that are changed in bulk, past the unit of work: `table_name`, `row_id`, `version`, `before`,
    `after` of each.
    """
    if rows:
        keys = {"team_id": change_set.team_id, "change_set_id": change_set.id}
        session.connection().execute(insert(Change), [{**row, **keys} for row in rows])


def check_version(row: Any, version: int | None, what: str) -> None:
    """Refuse to write over what somebody else wrote meanwhile.

    Args:
        version: the version that the person looked at.

    Raises:
        Outdated: the row has moved on.
    """
    if version is not None and row.version != version:
        raise Outdated(f"Somebody changed this {what} while you were looking at it. Nothing of yours is written yet.")


def find_row(
    session: Session, table: type[Row], actor: Actor, public_id: UUID, what: str, *, lock: bool = False
) -> Row:
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


def known_role(role: str) -> Role:
    """A role by its name.

    Raises:
        Refused: there is none.
    """
    for known in ROLES:
        if role == known:
            return known
    raise Refused(f"There is no role {role}.")


def named(text: str, what: str) -> str:
    """A name that people gave, without blanks around it.

    Raises:
        Refused: empty, or too long.
    """
    name = " ".join(text.split())
    if not 1 <= len(name) <= 120:
        raise Refused(f"Give the {what} a name of 1 to 120 characters.")
    return name
