"""Background work: its row is the truth, a message only wakes a worker.

A worker takes a job by a lease that it renews while it works. A lease that runs out (the worker was killed, the machine
went down) makes the job free for the next one; the attempt's number keeps the first from finishing what the second
began.
"""

import logging
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import and_, or_, select, update
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.events import announce
from fleet_rival.db.tables import Job, Membership, Person
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import Conflict, NotThere, ServiceError
from fleet_rival.services.shared.lease import LEASE, Asked, Cancelled, Kind, Kinds, Leased, Lost
from fleet_rival.services.shared.space import is_full
from fleet_rival.wording.work import BROKE, CANCELLED, LEFT_TEAM, WAITING_FOR_ROOM, broken_off

__all__ = ["JobView", "cancel", "due", "job", "jobs", "retry", "run", "start"]

log = logging.getLogger(__name__)
_MOST_ATTEMPTS = 5
_WOKEN_WITHIN = timedelta(seconds=3)
"""A waiting job that is older wasn't heard: its message was lost."""
_SHOWN = 50


@dataclass(frozen=True, slots=True)
class JobView:
    """A job in the list of background work."""

    id: UUID
    kind: str
    name: str
    person: str
    state: str
    progress: float
    doing: str | None
    cancel_asked: bool
    result: dict[str, Any] | None
    trouble: str | None
    made_at: datetime
    ended_at: datetime | None


def start(sessions: sessionmaker[Session], actor: Actor, kind: Kind[Asked, Any], name: str, asked: Asked) -> JobView:
    """Note a job. Whoever calls wakes a worker after that; if that fails, the job is found all the same.

    Raises:
        Conflict: the same work is under way.
    """
    arguments = kind.given.dump_python(asked, mode="json")
    with sessions.begin() as session:
        same = session.scalars(
            select(Job)
            .where(Job.team_id == actor.team_id, Job.kind == kind.name, Job.state.in_(("waiting", "running")))
            .with_for_update()
        )
        if any(row.arguments == arguments for row in same):
            raise Conflict(f"{name}: this is under way already.")
        row = Job(
            team_id=actor.team_id, person_id=actor.person_id, kind=kind.name, name=name[:300], arguments=arguments
        )
        session.add(row)
        session.flush()
        _tell(session, row)
        return _view(session, row)


def jobs(sessions: sessionmaker[Session], actor: Actor) -> list[JobView]:
    """The last jobs, newest first: the team's for who sees all, else one's own."""
    with sessions() as session:
        query = select(Job, Person.name).join(Person, Person.id == Job.person_id).where(Job.team_id == actor.team_id)
        if not actor.sees_all:
            query = query.where(Job.person_id == actor.person_id)
        return [_viewed(row, person) for row, person in session.execute(query.order_by(Job.id.desc()).limit(_SHOWN))]


def job(sessions: sessionmaker[Session], actor: Actor, job_id: UUID) -> JobView:
    """One piece of background work.

    Raises:
        NotThere: the team has none like it, or it isn't for this person to see.
    """
    with sessions() as session:
        return _view(session, _own(session, actor, job_id))


def cancel(sessions: sessionmaker[Session], actor: Actor, job_id: UUID) -> JobView:
    """End a job: at once where it waits, at its next step where it runs.

    Raises:
        Conflict: it has ended already.
    """
    with sessions.begin() as session:
        row = _own(session, actor, job_id, lock=True)
        if row.state == "waiting":
            row.state, row.ended_at = "cancelled", now()
        elif row.state == "running":
            row.cancel_asked = True
        else:
            raise Conflict("This has ended already.")
        _tell(session, row)
        session.flush()
        return _view(session, row)


def retry(sessions: sessionmaker[Session], actor: Actor, job_id: UUID) -> JobView:
    """Put a job that failed or was cancelled back into the queue.

    Raises:
        Conflict: it runs, waits, or is done.
    """
    with sessions.begin() as session:
        row = _own(session, actor, job_id, lock=True)
        if row.state not in ("failed", "cancelled"):
            raise Conflict("Only what failed or was cancelled can be tried again.")
        row.state, row.progress, row.doing, row.cancel_asked, row.trouble, row.ended_at = (
            "waiting",
            0.0,
            None,
            False,
            None,
            None,
        )
        row.attempt, row.created_at = 0, now()
        _tell(session, row)
        session.flush()
        return _view(session, row)


def due(sessions: sessionmaker[Session]) -> list[int]:
    """Keys of jobs that should be running and aren't: their message was lost, or their worker."""
    with sessions() as session:
        moment = now()
        unheard = and_(Job.state == "waiting", Job.created_at < moment - _WOKEN_WITHIN)
        orphaned = and_(Job.state == "running", Job.lease_until < moment)
        return list(session.scalars(for_all_teams(select(Job.id).where(or_(unheard, orphaned)).order_by(Job.id))))


def key_of(sessions: sessionmaker[Session], job_id: UUID) -> int:
    """The inner key of a job that was just made, for the message that wakes a worker: it says nothing to whoever
    asks.
    """
    with sessions() as session:
        return session.scalars(for_all_teams(select(Job.id).where(Job.public_id == job_id))).one()


def run(sessions: sessionmaker[Session], key: int, kinds: Kinds) -> None:
    """Do a job if it is free. Whatever happens stands in its row afterwards, unless the database itself is away."""
    taken = _take(sessions, key)
    if taken is None:
        return
    name, actor, arguments, work = taken
    try:
        with work.renewed():
            try:
                kind = kinds[name]
                work.kind = kind
                kind.do(sessions, actor, kind.given.validate_python(arguments), work)
            finally:
                work.settle()
    except Cancelled:
        work.end("cancelled", CANCELLED)
    except ServiceError as error:
        work.end("failed", str(error))
    except Lost:
        log.warning("job %s was taken over", key)
    except DBAPIError as error:
        # A database that is down or was in the way: the lease runs out, and the job is tried again.
        log.warning("job %s met the database's trouble and is left for another attempt: %s", key, type(error).__name__)
    except Exception:
        log.exception("job %s broke", key)
        work.end("failed", BROKE)


def _take(sessions: sessionmaker[Session], key: int) -> "tuple[str, Actor, dict[str, Any], Leased] | None":
    if is_full():
        # It stays where it is, and is found again when there is room.
        with sessions.begin() as session:
            session.execute(update(Job).where(Job.id == key, Job.state == "waiting").values(doing=WAITING_FOR_ROOM))
        return None
    with sessions.begin() as session:
        row = session.scalar(select(Job).where(Job.id == key).with_for_update())
        free = row is not None and (
            row.state == "waiting"
            or (row.state == "running" and row.lease_until is not None and row.lease_until < now())
        )
        if row is None or not free:
            return None
        _tell(session, row)
        if row.cancel_asked or row.attempt >= _MOST_ATTEMPTS:
            row.state, row.ended_at = ("cancelled" if row.cancel_asked else "failed"), now()
            row.trouble = None if row.cancel_asked else broken_off(row.attempt)
            return None
        member = session.scalar(
            select(Membership).where(Membership.team_id == row.team_id, Membership.person_id == row.person_id)
        )
        if member is None:
            row.state, row.ended_at, row.trouble = "failed", now(), LEFT_TEAM
            return None
        row.state, row.attempt, row.lease_until, row.progress = "running", row.attempt + 1, now() + LEASE, 0.0
        actor = Actor(row.team_id, row.person_id, member.role, member.driver_id)
        return row.kind, actor, row.arguments, Leased(sessions, row.id, row.attempt, row.team_id, row.public_id)


def _own(session: Session, actor: Actor, job_id: UUID, *, lock: bool = False) -> Job:
    row = find_row(session, Job, actor, job_id, "job", lock=lock)
    if not actor.sees_all and row.person_id != actor.person_id:
        raise NotThere("This job doesn't exist, or no longer does.")
    return row


def _tell(session: Session, row: Job) -> None:
    announce(session, row.team_id, "job", row.public_id)


def _view(session: Session, row: Job) -> JobView:
    return _viewed(row, session.get_one(Person, row.person_id).name)


def _viewed(row: Job, person: str) -> JobView:
    return JobView(
        row.public_id,
        row.kind,
        row.name,
        person,
        row.state,
        row.progress,
        row.doing,
        row.cancel_asked,
        row.result,
        row.trouble,
        row.created_at,
        row.ended_at,
    )
