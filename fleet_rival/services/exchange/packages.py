"""Exchange packages in the background: made and kept for a day, and teams that come in from what was sent in pieces."""

import io
import tempfile
from collections.abc import Collection
from dataclasses import dataclass
from typing import IO, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker
from uuid6 import uuid7

from fleet_rival.clock import now
from fleet_rival.db.tables import Job, Membership, Person, Team
from fleet_rival.services.drive.traces.uploads import discard_upload, own_upload
from fleet_rival.services.exchange.bring import bring_team
from fleet_rival.services.exchange.export import export_team, package_name
from fleet_rival.services.exchange.let_in import WayIn, let_in, members_of
from fleet_rival.services.shared.base import Actor, Work, find_row
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.telemetry.store import store

__all__ = ["BRINGING", "MAKING", "Packed", "bring_upload", "forget_packages", "make_package", "package_file", "ways_in"]

MAKING: Final = "team.package"
"""The kind of job that makes a package."""
BRINGING: Final = "team.bring"
"""The kind of job that brings a team in."""


@dataclass(frozen=True, slots=True)
class Packed:
    """A package that is kept to be fetched.

    Attributes:
        package: its key in the store.
        file: what it is called.
        telemetry: whether traces are in it.
    """

    package: str
    file: str
    rows: int
    bytes: int
    telemetry: bool


def make_package(
    sessions: sessionmaker[Session], actor: Actor, week_ids: Collection[UUID] | None, work: Work, *, telemetry: bool
) -> None:
    """Make a team's package and keep it to be fetched.

    Raises:
        Refused: whoever asked for it doesn't manage the team any more.
    """
    _check_manages(actor)
    name = str(uuid7())
    # Written where one can go back in it, whatever place packages are kept in: so that it is the same as one made by
    # command.
    with tempfile.TemporaryFile() as file:
        rows = export_team(sessions, actor, file, week_ids, telemetry=telemetry, work=work)
        size = file.tell()
        file.seek(0)
        work.step(0.95, "being put away")
        store().keep_package(name, file)
    with sessions.begin() as session:
        team = session.scalars(select(Team.name).where(Team.id == actor.team_id)).one()
        work.finish(session, Packed(name, package_name(team, now()), rows, size, telemetry))


def package_file(sessions: sessionmaker[Session], actor: Actor, job_id: UUID) -> tuple[str, IO[bytes]]:
    """A package that was made in the background, to be read, and what it is called.

    Raises:
        NotThere: no such work in this team, or its package isn't kept any more.
        Conflict: it isn't done.
    """
    with sessions() as session:
        job = find_row(session, Job, actor, job_id, "job")
        if job.kind != MAKING:
            raise NotThere("This work makes no package.")
        if job.state != "done" or job.result is None:
            raise Conflict("The package isn't done yet.")
        told = job.result
    try:
        return str(told["file"]), store().open_package(str(told["package"]))
    except FileNotFoundError as error:
        raise NotThere("The package was kept for a day. Make it again.") from error


def bring_upload(sessions: sessionmaker[Session], actor: Actor, upload_id: UUID, work: Work) -> None:
    """Make another team from a package that was sent.

    Raises:
        Conflict: it isn't whole yet, or the team is here already.
        Refused: it isn't a package, or a cell of it can't be; or whoever brings it doesn't manage a team any more.
    """
    _check_manages(actor)
    with sessions() as session:
        row = own_upload(session, actor, upload_id)
        if row.state == "coming":
            raise Conflict(f"{row.name} isn't whole yet: {row.received:,} of {row.size:,} bytes have come.")
    try:
        with store().open_upload(str(upload_id)) as pieces:
            bring_team(sessions, io.BufferedReader(pieces, 1 << 20), actor, work)
    except Refused:
        # It won't be another one the next time.
        discard_upload(sessions, actor, upload_id)
        raise
    discard_upload(sessions, actor, upload_id)


def ways_in(sessions: sessionmaker[Session], actor: Actor, job_id: UUID) -> list[WayIn]:
    """Ways in for those who came with a team in the background; each is told once, to whoever brought the team.

    Whoever is in another team by now is let in by that one.

    Raises:
        NotThere: no such work, or not the actor's.
        Conflict: it isn't done.
    """
    with sessions() as session:
        job = find_row(session, Job, actor, job_id, "job")
        if job.person_id != actor.person_id or job.kind != BRINGING:
            raise NotThere("This isn't a team that you brought in.")
        if job.state != "done" or job.result is None:
            raise Conflict("The team isn't in yet.")
        team = session.scalar(select(Team.id).where(Team.public_id == UUID(job.result["team_id"])))
        newcomers = set(
            session.scalars(
                select(Person.id).where(Person.public_id.in_([UUID(key) for key in job.result["newcomers"]]))
            )
        )
        elsewhere = select(Membership.person_id).where(Membership.team_id != team)
        newcomers -= set(session.scalars(elsewhere.where(Membership.person_id.in_(newcomers))))
        members = members_of(session, team) if team is not None else ()
    return let_in(sessions, members, newcomers)


def forget_packages(sessions: sessionmaker[Session], actor: Actor) -> None:
    """Throw away what is kept of a team's packages, before their day is over."""
    with sessions() as session:
        made = session.scalars(
            select(Job.result).where(Job.team_id == actor.team_id, Job.kind == MAKING, Job.state == "done")
        )
        names = [str(told["package"]) for told in made if told]
    for name in names:
        store().remove_package(name)


def _check_manages(actor: Actor) -> None:
    if not actor.may("team.package"):
        raise Refused("Whole teams are taken along and brought in by those who manage them.")
