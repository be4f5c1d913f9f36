"""How an installation gets its first team and its first people."""

import secrets

from sqlalchemy import func, insert, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.tables import Invitation, Membership, Person, Team
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.services.people.invitations import INVITATION_LIFE
from fleet_rival.services.people.passwords import hash_password
from fleet_rival.services.people.sign_in import hash_of, sign_in_name
from fleet_rival.services.shared.base import Actor, begin_change

__all__ = ["add_person", "first_link", "give_password", "make_team", "person_called", "team_link"]

FIRST_TEAM = "Our team"
_WHOEVER = ""
"""Nobody's name: the link is for whoever has it."""


def make_team(sessions: sessionmaker[Session], name: str, manager: str) -> Actor:
    """Make a team with its first manager, who can't sign in before there is a password."""
    with sessions.begin() as session:
        team_id = _new_team(session, name)
        return _enter(session, team_id, manager, "manager", None)


def add_person(
    sessions: sessionmaker[Session], actor: Actor, name: str, role: str, driver_id: int | None = None
) -> Actor:
    """Put somebody into a team without an invitation, as the demo does."""
    with sessions.begin() as session:
        return _enter(session, actor.team_id, name, role, driver_id)


def give_password(sessions: sessionmaker[Session], person_id: int, name: str, password: str) -> None:
    """Let somebody sign in, from the installation's own side."""
    with sessions.begin() as session:
        person = session.get_one(Person, person_id)
        person.sign_in_name, person.password_hash = sign_in_name(name), hash_password(password)


def person_called(sessions: sessionmaker[Session], name: str) -> Actor | None:
    """The first member with this name, in the oldest team."""
    with sessions() as session:
        called = (
            select(Membership)
            .join(Person, Person.id == Membership.person_id)
            .where(Person.name == name)
            .order_by(Membership.id)
        )
        row = session.scalar(for_all_teams(called))
        return Actor(row.team_id, row.person_id, row.role, row.driver_id) if row else None


def first_link(sessions: sessionmaker[Session]) -> str | None:
    """The token of a link by which the first manager comes in; None once somebody can sign in.

    Each call makes a new one and withdraws the last, since a token can't be read back.
    """
    with sessions() as session:
        if session.scalar(select(func.count()).select_from(Person).where(Person.password_hash.is_not(None))):
            return None
        name = session.scalar(select(Team.name).order_by(Team.id).limit(1))
    return team_link(sessions, name or FIRST_TEAM)


def team_link(sessions: sessionmaker[Session], name: str) -> str:
    """The token of a link by which a manager comes into a team, which is made where none is called so.

    Whoever runs the installation lets the first manager of a team in with it, or one who lost every way in. An earlier
    link
    of this kind that nobody took up is withdrawn.
    """
    with sessions.begin() as session:
        team_id = session.scalar(select(Team.id).where(Team.name == name).order_by(Team.id).limit(1)) or _new_team(
            session, name
        )
        own = (
            Invitation.team_id == team_id,
            Invitation.name == _WHOEVER,
            Invitation.used_at.is_(None),
            Invitation.withdrawn_at.is_(None),
        )
        session.execute(update(Invitation).where(*own).values(withdrawn_at=now()))
        token = secrets.token_urlsafe(32)
        session.add(
            Invitation(
                team_id=team_id,
                token_hash=hash_of(token),
                name=_WHOEVER,
                role="manager",
                expires_at=now() + INVITATION_LIFE,
            )
        )
        return token


def _new_team(session: Session, name: str) -> int:
    # Not by the unit of work: a team's first row comes before any change set can.
    key: int = session.execute(insert(Team).values(name=name)).inserted_primary_key[0]  # type: ignore[attr-defined]
    return key


def _enter(session: Session, team_id: int, name: str, role: str, driver_id: int | None) -> Actor:
    person = Person(name=name)
    session.add(person)
    session.flush()
    actor = Actor(team_id, person.id, role, driver_id)
    begin_change(session, actor, "people.join", f"{name} joined as {role}")
    session.add(Membership(team_id=team_id, person_id=person.id, role=role, driver_id=driver_id))
    return actor
