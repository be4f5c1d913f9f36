"""Background work: its row is the truth, whoever is killed or cancelled meanwhile."""

import threading
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.confined import call
from fleet_rival.db.tables import Car, Job, Membership
from fleet_rival.services.people.team import add_person, make_team
from fleet_rival.services.shared import jobs, lease
from fleet_rival.services.shared.base import Actor, Work, begin_change
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from tests.conftest import manager_of

Sessions = sessionmaker[Session]
Doing = Callable[[Sessions, Actor, dict[str, Any], Work], None]


def nothing(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    raise AssertionError("never done")


def kind_of(doing: Doing) -> lease.Kind[dict[str, Any], dict[str, Any]]:
    return lease.Kind("test", dict[str, Any], dict[str, Any], doing)


class Queue:
    def __init__(self, sessions: Sessions) -> None:
        self.sessions = sessions
        self.actor = manager_of(sessions)
        self.key = 0

    def begin(self, name: str = "Work", **arguments: Any) -> UUID:
        job_id = jobs.start(self.sessions, self.actor, kind_of(nothing), name, arguments).id
        self.key = jobs.key_of(self.sessions, job_id)
        return job_id

    def run(self, doing: Doing) -> None:
        jobs.run(self.sessions, self.key, {"test": kind_of(doing)})

    def look(self, job_id: UUID) -> jobs.JobView:
        return jobs.job(self.sessions, self.actor, job_id)

    def set(self, **values: Any) -> None:
        with self.sessions.begin() as session:
            session.execute(update(Job).where(Job.id == self.key).values(**values))

    def cars(self) -> list[str]:
        with self.sessions() as session:
            return list(session.scalars(select(Car.name).order_by(Car.id)))


def add_car(name: str, halfway: Callable[[], None] = lambda: None) -> Doing:
    def do(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
        work.step(0.5, "half of it")
        with sessions.begin() as session:
            begin_change(session, actor, "car.add", f"Added {name}")
            session.add(Car(team_id=actor.team_id, name=name))
            session.flush()
            halfway()
            work.step(0.7, "the other half")
            work.finish(session, {"car": name})

    return do


@pytest.fixture
def queue(sessions: Sessions) -> Queue:
    return Queue(sessions)


def test_a_job_is_done_once_and_says_what_it_did(queue: Queue) -> None:
    job_id = queue.begin()
    assert (queue.look(job_id).state, queue.cars()) == ("waiting", [])
    queue.run(add_car("Once"))
    queue.run(add_car("Twice"))
    seen = queue.look(job_id)
    assert (seen.state, seen.progress, seen.result, queue.cars()) == ("done", 1.0, {"car": "Once"}, ["Once"])


def test_a_job_of_a_worker_that_was_killed_is_free_when_its_lease_is_over_and_the_late_one_changes_nothing(
    queue: Queue,
) -> None:
    job_id = queue.begin()

    def killed_and_taken_over() -> None:
        assert jobs.due(queue.sessions) == []
        queue.set(lease_until=now() - lease.LEASE)
        assert jobs.due(queue.sessions) == [queue.key]
        queue.run(add_car("Second"))

    queue.run(add_car("First", killed_and_taken_over))
    assert (queue.look(job_id).state, queue.cars()) == ("done", ["Second"])


def test_a_message_that_got_lost_is_found_by_looking(queue: Queue) -> None:
    queue.begin()
    assert jobs.due(queue.sessions) == []
    queue.set(created_at=now() - lease.LEASE)
    assert jobs.due(queue.sessions) == [queue.key]


def test_cancelling_ends_a_waiting_job_at_once_and_a_running_one_at_its_next_step(queue: Queue) -> None:
    waiting = queue.begin()
    assert jobs.cancel(queue.sessions, queue.actor, waiting).state == "cancelled"
    queue.run(add_car("Never"))
    running = queue.begin()
    queue.run(add_car("Half", lambda: jobs.cancel(queue.sessions, queue.actor, running) and None))
    seen = queue.look(running)
    assert (seen.state, queue.cars()) == ("cancelled", []) and "nothing of it is kept" in (seen.trouble or "")
    with pytest.raises(Conflict, match="ended already"):
        jobs.cancel(queue.sessions, queue.actor, running)
    assert jobs.retry(queue.sessions, queue.actor, running).state == "waiting"
    queue.run(add_car("Whole"))
    assert (queue.look(running).state, queue.cars()) == ("done", ["Whole"])
    with pytest.raises(Conflict, match="tried again"):
        jobs.retry(queue.sessions, queue.actor, running)


def test_what_goes_wrong_stands_in_the_job_and_nothing_else_stays(queue: Queue) -> None:
    def refuse() -> None:
        raise Refused("This can't be.")

    def stumble() -> None:
        raise ZeroDivisionError

    refused = queue.begin("One")
    queue.run(add_car("Refused", refuse))
    assert (queue.look(refused).state, queue.look(refused).trouble) == ("failed", "This can't be.")
    broken = queue.begin("Two")
    queue.run(add_car("Broken", stumble))
    assert queue.look(broken).state == "failed" and "error of the server's own" in (queue.look(broken).trouble or "")
    assert queue.cars() == []


def test_a_database_that_is_away_leaves_the_job_for_another_attempt_but_not_for_ever(queue: Queue) -> None:
    def away() -> None:
        raise OperationalError("gone", None, ConnectionError("gone"))

    job_id = queue.begin()
    for attempt in range(1, 6):
        queue.run(add_car("Never", away))
        assert queue.look(job_id).state == "running"
        queue.set(lease_until=now() - lease.LEASE)
        with queue.sessions() as session:
            assert session.scalars(select(Job.attempt)).one() == attempt
    queue.run(add_car("Never"))
    seen = queue.look(job_id)
    assert (seen.state, queue.cars()) == ("failed", []) and "begun 5 times" in (seen.trouble or "")


@pytest.mark.parametrize("doing", ["computing", "waiting for a process"])
def test_cancelling_ends_work_that_never_asks(queue: Queue, monkeypatch: pytest.MonkeyPatch, doing: str) -> None:
    """A file whose reading takes minutes, say: it ends within a few looks, and nothing of it stays."""
    monkeypatch.setattr(lease, "_RENEW_SECONDS", 0.05)
    job_id = queue.begin()
    begun = threading.Event()

    def for_ever(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
        begun.set()
        with sessions.begin() as session:
            begin_change(session, actor, "car.add", "Added one")
            session.add(Car(team_id=actor.team_id, name="Half"))
            session.flush()
            if doing == "computing":
                while sum(range(1000)):
                    pass
            call(time.sleep, 60.0)

    worker = threading.Thread(target=queue.run, args=(for_ever,))
    worker.start()
    assert begun.wait(5)
    jobs.cancel(queue.sessions, queue.actor, job_id)
    worker.join(10)
    assert not worker.is_alive()
    assert (queue.look(job_id).state, queue.cars()) == ("cancelled", [])


def test_what_is_done_is_done_however_late_somebody_cancels(queue: Queue, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lease, "_RENEW_SECONDS", 0.01)
    job_id = queue.begin()

    def finished(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
        with sessions.begin() as session:
            begin_change(session, actor, "car.add", "Added one")
            session.add(Car(team_id=actor.team_id, name="Whole"))
            work.finish(session, {})
        with suppress(Conflict):
            jobs.cancel(sessions, actor, job_id)
        threading.Event().wait(0.3)

    queue.run(finished)
    assert (queue.look(job_id).state, queue.cars()) == ("done", ["Whole"])


def test_the_lease_is_renewed_while_a_long_step_lasts(queue: Queue, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lease, "_RENEW_SECONDS", 0.02)
    renewed = threading.Event()

    def wait() -> None:
        queue.set(lease_until=now())
        for _ in range(200):
            with queue.sessions() as session:
                if session.scalars(select(Job.lease_until)).one() > now() + lease.LEASE / 2:
                    return renewed.set()
            threading.Event().wait(0.02)

    queue.begin()
    queue.run(lambda sessions, actor, arguments, work: wait())
    assert renewed.is_set()


def test_the_same_work_is_not_begun_twice_and_belongs_to_who_asked(queue: Queue) -> None:
    job_id = queue.begin("Import", file=1)
    with pytest.raises(Conflict, match="under way already"):
        queue.begin("Import", file=1)
    driver = add_person(queue.sessions, queue.actor, "Ysolde Farrand", "driver")
    stranger = make_team(queue.sessions, "Elsewhere", "Somebody Else")
    for other in (driver, stranger):
        with pytest.raises(NotThere):
            jobs.cancel(queue.sessions, other, job_id)
        assert jobs.jobs(queue.sessions, other) == []
    with queue.sessions.begin() as session:
        begin_change(session, queue.actor, "people.remove", "Removed")
        session.delete(session.scalars(select(Membership).where(Membership.person_id == queue.actor.person_id)).one())
    queue.run(add_car("Never"))
    with queue.sessions() as session:
        assert session.scalars(select(Job.trouble)).one() == "Whoever asked for it is no longer in the team."
