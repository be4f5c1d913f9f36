"""Links that let one person into a team, once."""

import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.words import Role
from fleet_rival.db.tables import Driver, Invitation, Membership, Person, SignIn, Team
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.services.people import sign_in
from fleet_rival.services.people.passwords import check_password_rules, hash_password
from fleet_rival.services.people.sign_in import Signed, hash_of
from fleet_rival.services.shared.base import Actor, begin_change, find_row, known_role, named
from fleet_rival.services.shared.errors import Conflict, NotThere

__all__ = ["INVITATION_LIFE", "Invited", "Welcome", "accept", "invitations", "invite", "join", "welcome", "withdraw"]

INVITATION_LIFE = timedelta(days=7)


@dataclass(frozen=True, slots=True)
class Invited:
    """An invitation that is open."""

    id: UUID
    name: str
    role: str
    driver: str | None
    expires_at: datetime


@dataclass(frozen=True, slots=True)
class Welcome:
    """What an invitation says to whom opens it."""

    team: str
    name: str
    role: str
    expires_at: datetime


def invite(
    sessions: sessionmaker[Session], actor: Actor, name: str, role: Role, driver_id: UUID | None
) -> tuple[Invited, str]:
    """Make a link that lets one person in, once, within a week.

    Returns:
        The invitation, and the token of its link: it can't be seen again.
    """
    token = secrets.token_urlsafe(32)
    with sessions.begin() as session:
        driver = find_row(session, Driver, actor, driver_id, "driver") if driver_id else None
        row = Invitation(
            team_id=actor.team_id,
            token_hash=hash_of(token),
            name=named(name, "person"),
            role=known_role(role),
            driver_id=driver.id if driver else None,
            expires_at=now() + INVITATION_LIFE,
        )
        session.add(row)
        session.flush()
        begin_change(session, actor, "people.invite", f"Invited {row.name} as {role}", row)
        return Invited(row.public_id, row.name, row.role, driver.name if driver else None, row.expires_at), token


def invitations(sessions: sessionmaker[Session], actor: Actor) -> list[Invited]:
    """The invitations that can still be taken up."""
    query = (
        select(Invitation, Driver.name)
        .join(Driver, (Driver.team_id == Invitation.team_id) & (Driver.id == Invitation.driver_id), isouter=True)
        .where(Invitation.team_id == actor.team_id, *_OPEN, Invitation.expires_at > now())
        .order_by(Invitation.id.desc())
    )
    with sessions() as session:
        return [
            Invited(row.public_id, row.name, row.role, driver, row.expires_at) for row, driver in session.execute(query)
        ]


def withdraw(sessions: sessionmaker[Session], actor: Actor, invitation_id: UUID) -> None:
    """Make an invitation's link useless.

    Raises:
        Conflict: it was taken up already.
    """
    with sessions.begin() as session:
        row = find_row(session, Invitation, actor, invitation_id, "invitation", lock=True)
        if row.used_at:
            raise Conflict("This invitation was taken up already. Remove the person instead.")
        begin_change(
            session,
            actor,
            "people.invite.withdraw",
            f"Withdrew the invitation of {row.name or 'whoever has the link'}",
            row,
        )
        row.withdrawn_at = now()


def welcome(sessions: sessionmaker[Session], token: str) -> Welcome:
    """What an invitation says.

    Raises:
        NotThere: it never was, was taken up, was withdrawn, or is too old: which isn't told.
    """
    with sessions() as session:
        row = _open_invitation(session, token)
        return Welcome(session.get_one(Team, row.team_id).name, row.name, row.role, row.expires_at)


def accept(sessions: sessionmaker[Session], token: str, name: str, chosen: str, password: str, browser: str) -> str:
    """Take an invitation up as somebody new.

    Returns:
        A token for the browser: the person is signed in.

    Raises:
        NotThere: the invitation can't be taken up.
        Refused: a name or password that won't do.
        Conflict: somebody signs in with this name already.
    """
    stored_name = sign_in.sign_in_name(chosen)
    check_password_rules(password, name, stored_name)
    with sessions() as session:
        # Looked for first: who has no link costs no hash.
        _open_invitation(session, token)
    password_hash = hash_password(password)
    try:
        with sessions.begin() as session:
            row = _open_invitation(session, token, lock=True)
            person = Person(name=named(name, "person"), sign_in_name=stored_name, password_hash=password_hash)
            session.add(person)
            session.flush()
            _enter(session, row, person)
            return sign_in.start(session, person.id, row.team_id, browser)
    except IntegrityError as error:
        raise Conflict(
            "Somebody signs in with this name already. If that's you, sign in first, then open the link again."
        ) from error


def join(sessions: sessionmaker[Session], signed: Signed, token: str) -> None:
    """Take an invitation up as somebody who is signed in; the browser goes to the new team.

    Raises:
        NotThere: the invitation can't be taken up.
        Conflict: the person is in this team already.
    """
    try:
        with sessions.begin() as session:
            row = _open_invitation(session, token, lock=True)
            _enter(session, row, session.get_one(Person, signed.person_id))
            session.get_one(SignIn, signed.sign_in_id).team_id = row.team_id
    except IntegrityError as error:
        raise Conflict("You are in this team already.") from error


_OPEN = (Invitation.used_at.is_(None), Invitation.withdrawn_at.is_(None))


def _open_invitation(session: Session, token: str, *, lock: bool = False) -> Invitation:
    query = for_all_teams(
        select(Invitation).where(Invitation.token_hash == hash_of(token), *_OPEN, Invitation.expires_at > now())
    )
    row = session.scalar(query.with_for_update() if lock else query)
    if row is None:
        raise NotThere(
            "This link can't be used: it was used before, withdrawn, or is older than a week. Ask for a new one."
        )
    return row


def _enter(session: Session, row: Invitation, person: Person) -> None:
    begin_change(session, Actor(row.team_id, person.id, row.role), "people.join", f"{person.name} joined as {row.role}")
    session.add(Membership(team_id=row.team_id, person_id=person.id, role=row.role, driver_id=row.driver_id))
    row.used_at = now()
    session.flush()
