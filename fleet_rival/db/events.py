"""Tells that something changed: rows in `event`, written at the end of the transaction that changed it."""

from collections.abc import Callable, Sequence
from datetime import timedelta
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import delete, event, func, insert, select
from sqlalchemy.orm import Session

from fleet_rival.clock import now
from fleet_rival.db.tables import Event
from fleet_rival.db.tenancy import for_all_teams

__all__ = ["KEPT_FOR", "Happened", "announce", "events_after", "is_gone", "last_event", "on_commit", "sweep", "watch"]

KEPT_FOR = timedelta(days=1)
_told: list[Callable[[], None]] = []


class Happened(NamedTuple):
    """An event, and who may hear of it."""

    id: int
    team_id: int
    person_id: int | None
    topic: str
    about: UUID | None


def announce(
    session: Session, team_id: int, topic: str, about: UUID | None = None, person_id: int | None = None
) -> None:
    """Tell of a change once this transaction is through; nothing is told of one that is rolled back.

    Args:
        topic: what happened, e.g. `laps.import`; never what was written.
        about: public id of the thing.
        person_id: for whom alone; the whole team where missing.
    """
    row = {"team_id": team_id, "topic": topic, "about": about, "person_id": person_id}
    waiting = session.info.setdefault("events", [])
    if row not in waiting:
        waiting.append(row)


def on_commit(tell: Callable[[], None]) -> None:
    """Have `tell` called after each commit that brought events; it must not raise, and must be quick."""
    if tell not in _told:
        _told.append(tell)


def events_after(session: Session, after: int, limit: int = 500) -> Sequence[Happened]:
    """Events of all teams with a higher id, oldest first."""
    rows = session.execute(
        for_all_teams(
            select(Event.id, Event.team_id, Event.person_id, Event.topic, Event.about)
            .where(Event.id > after)
            .order_by(Event.id)
            .limit(limit)
        )
    )
    return [Happened(*row) for row in rows]


def last_event(session: Session) -> int:
    return session.scalar(for_all_teams(select(func.max(Event.id)))) or 0


def is_gone(session: Session, after: int) -> bool:
    """Whether events after this one were thrown away already."""
    first = session.scalar(for_all_teams(select(func.min(Event.id))))
    return after > 0 if first is None else after < first - 1


def sweep(session: Session) -> None:
    """Throw away what nobody will resume from any more."""
    session.execute(for_all_teams(delete(Event).where(Event.made_at < now() - KEPT_FOR)))


def watch(session_class: type[Session]) -> None:
    """Write and tell the events of all sessions of a class."""
    event.listen(session_class, "before_commit", _write)
    event.listen(session_class, "after_commit", _tell)
    event.listen(session_class, "after_transaction_end", _forget)


def _write(session: Session) -> None:
    waiting = session.info.pop("events", None)
    if waiting:
        # Last of all, so that ids are seen nearly in the order of the commits.
        session.flush()
        moment = now()
        session.connection().execute(insert(Event), [{**row, "made_at": moment} for row in waiting])
        session.info["told"] = True


def _tell(session: Session) -> None:
    if session.info.pop("told", False):
        for tell in _told:
            tell()


def _forget(session: Session, transaction: Any) -> None:
    if transaction.parent is None:
        session.info.pop("events", None)
        session.info.pop("told", None)
