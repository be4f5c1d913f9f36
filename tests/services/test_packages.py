"""Exchange packages in the background: with progress, cancelled without a trace, fetched by whoever manages, and
brought from what was sent.
"""

import io
from dataclasses import replace
from typing import Any
from uuid import UUID, uuid4

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.tables import Base, Job, Membership, Person, Team, Upload
from fleet_rival.jobs.kinds import BRING, KINDS, PACKAGE, AskedPackage, AskedUpload
from fleet_rival.services.drive.traces import uploads
from fleet_rival.services.exchange.export import export_team
from fleet_rival.services.exchange.packages import BRINGING, MAKING, package_file, ways_in
from fleet_rival.services.people.team import add_person, make_team
from fleet_rival.services.shared import jobs, lease, trace_files
from fleet_rival.services.shared.base import Actor, begin_change
from fleet_rival.services.shared.errors import Conflict, NotThere
from fleet_rival.telemetry.store import store
from tests.conftest import manager_of
from tests.services.test_exchange import out, wipe
from tests.services.test_plan import Team as Desk

Sessions = sessionmaker[Session]


@pytest.fixture
def actor(sessions: Sessions) -> Actor:
    return Desk(sessions, manager_of(sessions)).actor


def begun(sessions: Sessions, actor: Actor, kind: lease.Kind[Any, Any], asked: Any) -> UUID:
    return jobs.start(sessions, actor, kind, "A package", asked).id


def done(sessions: Sessions, actor: Actor, job_id: UUID) -> jobs.JobView:
    jobs.run(sessions, jobs.key_of(sessions, job_id), KINDS)
    return jobs.job(sessions, actor, job_id)


def sent(sessions: Sessions, actor: Actor, content: bytes) -> UUID:
    made = uploads.begin_upload(sessions, actor, None, "team.package.zip", len(content))
    half = len(content) // 2
    for start, piece in ((0, content[:half]), (half, content[half:])):
        uploads.add_piece(sessions, actor, made.id, start, io.BytesIO(piece).read)
    return made.id


def test_a_package_is_made_fetched_and_swept(sessions: Sessions, actor: Actor) -> None:
    job_id = begun(sessions, actor, PACKAGE, AskedPackage(telemetry=True))
    with pytest.raises(Conflict, match="isn't done"):
        package_file(sessions, actor, job_id)
    view = done(sessions, actor, job_id)
    assert view.state == "done" and view.result is not None and view.result["rows"] > 8
    name, file = package_file(sessions, actor, job_id)
    with file:
        content = file.read()
    assert len(content) == view.result["bytes"] and name.endswith(".package.zip")
    same = io.BytesIO()
    export_team(sessions, actor, same, telemetry=True)
    assert content == same.getvalue(), "the same as by command"

    other = make_team(sessions, "Others", "Keziah Marl")
    with pytest.raises(NotThere):
        package_file(sessions, other, job_id)
    trace_files.sweep(sessions, now())
    package_file(sessions, actor, job_id)[1].close()
    store().sweep_packages(now().timestamp() + 60)
    with pytest.raises(NotThere, match="kept for a day"):
        package_file(sessions, actor, job_id)


def test_a_cancelled_package_leaves_nothing(sessions: Sessions, actor: Actor, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fleet_rival.services.exchange.export._TOLD_EVERY", 5)
    job_id = begun(sessions, actor, PACKAGE, AskedPackage())

    def halfway(sessions: Sessions, actor: Actor, asked: Any, work: Any) -> None:
        steps = []
        step = work.step

        def watched(share: float, doing: str) -> None:
            steps.append(share)
            if len(steps) == 3:
                jobs.cancel(sessions, actor, job_id)
            step(share, doing)

        work.step = watched
        PACKAGE.do(sessions, actor, asked, work)

    jobs.run(sessions, jobs.key_of(sessions, job_id), {MAKING: replace(PACKAGE, do=halfway)})
    view = jobs.job(sessions, actor, job_id)
    assert view.state == "cancelled" and 0 < view.progress < 1
    with pytest.raises(Conflict):
        package_file(sessions, actor, job_id)
    # Tried again, it is whole.
    jobs.retry(sessions, actor, job_id)
    assert done(sessions, actor, job_id).state == "done"


def test_who_does_not_manage_any_more_gets_no_package(sessions: Sessions, actor: Actor) -> None:
    coach = add_person(sessions, actor, "Idrik Fenwold", "coach")
    view = done(sessions, coach, begun(sessions, coach, PACKAGE, AskedPackage()))
    assert view.state == "failed" and view.trouble is not None and "those who manage" in view.trouble


def test_a_team_comes_in_from_what_was_sent_and_newcomers_are_let_in_once(sessions: Sessions, actor: Actor) -> None:
    content = out(sessions, actor)
    wipe(sessions)
    who = make_team(sessions, "Elsewhere", "Tove Ransby")
    upload_id = sent(sessions, who, content)
    job_id = begun(sessions, who, BRING, AskedUpload(upload_id))
    with pytest.raises(Conflict, match="isn't in yet"):
        ways_in(sessions, who, job_id)
    view = done(sessions, who, job_id)
    assert view.state == "done" and view.result is not None
    with sessions() as session:
        team = session.scalars(select(Team).where(Team.public_id == UUID(view.result["team_id"]))).one()
        assert team.name == view.result["team"] and session.scalar(select(func.count()).select_from(Upload)) == 0
        newcomers = {str(key) for key in session.scalars(select(Person.public_id).where(Person.id != who.person_id))}
    assert set(view.result["newcomers"]) == newcomers and "password" not in str(view.result)

    colleague = add_person(sessions, who, "Somebody Else", "manager")
    for stranger in (colleague, make_team(sessions, "Third", "Keziah Marl")):
        with pytest.raises(NotThere):
            ways_in(sessions, stranger, job_id)
    with pytest.raises(NotThere):
        ways_in(sessions, who, uuid4())
    with sessions() as session:
        one = session.scalars(
            select(Person).where(
                Person.id != who.person_id, Person.id != colleague.person_id, Person.name != "Keziah Marl"
            )
        ).first()
        assert one is not None
    joined = Membership(team_id=who.team_id, person_id=one.id, role="coach", driver_id=None)
    with sessions.begin() as session:
        begin_change(session, who, "people.join", "Joined")
        session.add(joined)
    early = ways_in(sessions, who, job_id)
    assert one.name not in [way.name for way in early], "in another team by now"
    with sessions.begin() as session:
        begin_change(session, who, "people.leave", "Left")
        session.delete(session.merge(joined))
    ways = early + ways_in(sessions, who, job_id)
    assert len(ways) == len(newcomers) and all(len(way.password) >= 12 for way in ways)
    assert ways_in(sessions, who, job_id) == [], "each is told once"


def test_a_package_of_somebodys_making_opens_no_door_of_who_was_here(sessions: Sessions, actor: Actor) -> None:
    """Whoever is here without a way in yet, as somebody invited, gets none by a package that names them."""
    content = out(sessions, actor)
    with sessions.begin() as session:
        for table in reversed(Base.metadata.sorted_tables):
            if table.name != "person":
                session.execute(table.delete())
    who = make_team(sessions, "Elsewhere", "Tove Ransby")
    job_id = begun(sessions, who, BRING, AskedUpload(sent(sessions, who, content)))
    assert done(sessions, who, job_id).state == "done" and ways_in(sessions, who, job_id) == []


def test_what_is_no_package_and_a_team_that_is_here_leave_nothing(sessions: Sessions, actor: Actor) -> None:
    broken = sent(sessions, actor, b"nothing of the kind")
    view = done(sessions, actor, begun(sessions, actor, BRING, AskedUpload(broken)))
    assert view.state == "failed" and "isn't an exchange package" in str(view.trouble)
    with pytest.raises(NotThere):
        uploads.upload(sessions, actor, broken)
    again = sent(sessions, actor, out(sessions, actor))
    view = done(sessions, actor, begun(sessions, actor, BRING, AskedUpload(again)))
    assert view.state == "failed" and "is here already" in str(view.trouble)
    with sessions() as session:
        assert session.scalar(select(func.count()).select_from(Team)) == 1


def test_a_team_that_is_not_wanted_any_more_does_not_come_in(
    sessions: Sessions, actor: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    content = out(sessions, actor)
    wipe(sessions)
    who = make_team(sessions, "Elsewhere", "Tove Ransby")
    job_id = begun(sessions, who, BRING, AskedUpload(sent(sessions, who, content)))

    def late(sessions: Sessions, actor: Actor, asked: Any, work: Any) -> None:
        step = work.step

        def watched(share: float, doing: str) -> None:
            if doing.startswith("lap:"):
                jobs.cancel(sessions, actor, job_id)
            step(share, doing)

        work.step = watched
        BRING.do(sessions, actor, asked, work)

    jobs.run(sessions, jobs.key_of(sessions, job_id), {BRINGING: replace(BRING, do=late)})
    assert jobs.job(sessions, who, job_id).state == "cancelled"
    with sessions() as session:
        assert (
            list(session.scalars(select(Team.name))) == ["Elsewhere"]
            and session.scalar(select(func.count()).select_from(Job)) == 1
        )
    jobs.retry(sessions, who, job_id)
    assert done(sessions, who, job_id).state == "done"
