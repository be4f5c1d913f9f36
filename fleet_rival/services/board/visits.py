"""When somebody last looked at the board: what changed since is marked."""

from datetime import datetime, timedelta
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.tables import BoardVisit, Person
from fleet_rival.services.shared.base import Actor

__all__ = ["visit"]

_APART: Final = timedelta(minutes=30)
"""Who comes back after this long without looking begins another visit."""


def visit(sessions: sessionmaker[Session], actor: Actor) -> datetime | None:
    """Note that somebody looks at the board.

    Returns:
        When the visit before this one ended; None where this is the first.
    """
    moment = now()
    with sessions.begin() as session:
        # The person's own row is the lock: two browsers of theirs may begin at once.
        session.get_one(Person, actor.person_id, with_for_update=True)
        row = session.scalar(
            select(BoardVisit).where(BoardVisit.team_id == actor.team_id, BoardVisit.person_id == actor.person_id)
        )
        if row is None:
            session.add(BoardVisit(team_id=actor.team_id, person_id=actor.person_id, seen_at=moment))
            return None
        if moment - row.seen_at > _APART:
            row.before_at = row.seen_at
        row.seen_at = moment
        return row.before_at
