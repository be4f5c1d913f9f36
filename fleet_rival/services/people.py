"""A team's people: who is in it in which role, who is invited, which rigs may deliver, and what each person likes."""

import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Driver, Invitation, Membership, Person, RigToken, SignIn, Team, now
from fleet_rival.services import sign_in
from fleet_rival.services.base import ROLES, Actor, Role, begin_change, check_version, find_row
from fleet_rival.services.errors import Conflict, NotThere, Refused
from fleet_rival.services.revisions import combinations_of_driver, raise_revisions
from fleet_rival.services.sign_in import Signed, hash_of

__all__ = [
    "DriverRow",
    "Invited",
    "Me",
    "Member",
    "Rig",
    "Welcome",
    "accept",
    "change_driver",
    "change_member",
    "change_password",
    "change_team",
    "drivers",
    "invitations",
    "invite",
    "join",
    "make_rig_token",
    "me",
    "members",
    "prefer",
    "remove_member",
    "revoke_rig_token",
    "rigs",
    "welcome",
    "withdraw",
]

INVITATION_LIFE = timedelta(days=7)


@dataclass(frozen=True, slots=True)
class TeamChoice:
    """A team that a person is in."""

    id: UUID
    name: str
    role: str


@dataclass(frozen=True, slots=True)
class Me:
    """Who is signed in, where, and what they like."""

    person: str
    sign_in_name: str
    team_id: UUID
    team_version: int
    team: str
    open_ranking: bool
    role: str
    driver_id: UUID | None
    teams: tuple[TeamChoice, ...]
    preferences: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Member:
    """A person in the team."""

    id: UUID
    version: int
    person: str
    sign_in_name: str | None
    role: str
    driver_id: UUID | None
    driver: str | None
    seen_at: datetime | None
    yourself: bool


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


@dataclass(frozen=True, slots=True)
class Rig:
    """A rig that may deliver."""

    id: UUID
    name: str
    made_by: str
    made_at: datetime
    used_at: datetime | None
    revoked: bool


@dataclass(frozen=True, slots=True)
class DriverRow:
    """A driver of the team, or a guest."""

    id: UUID
    version: int
    name: str
    guest: bool


def me(sessions: sessionmaker[Session], actor: Actor) -> Me:
    with sessions() as session:
        person, team = session.get_one(Person, actor.person_id), session.get_one(Team, actor.team_id)
        teams = session.execute(
            select(Team.public_id, Team.name, Membership.role)
            .join(Membership, Membership.team_id == Team.id)
            .where(Membership.person_id == person.id)
            .order_by(Team.name)
        )
        return Me(
            person.name,
            person.sign_in_name or "",
            team.public_id,
            team.version,
            team.name,
            team.open_ranking,
            actor.role,
            session.scalar(select(Driver.public_id).where(Driver.team_id == team.id, Driver.id == actor.driver_id)),
            tuple(TeamChoice(*row) for row in teams),
            person.preferences or {},
        )


def prefer(sessions: sessionmaker[Session], actor: Actor, preferences: dict[str, Any]) -> dict[str, Any]:
    """Keep what a person likes: units, time zone, theme, density. Checked at the border; a matter of one's own, so no history."""
    with sessions.begin() as session:
        person = session.get_one(Person, actor.person_id)
        person.preferences = {**(person.preferences or {}), **preferences}
        return person.preferences


def change_password(sessions: sessionmaker[Session], signed: Signed, old: str, new: str, browser: str) -> str:
    """Change one's password, and sign out everywhere.

    Returns:
        A new token for the browser in which this was done.

    Raises:
        Refused: the old one is wrong, or the new one is too easy.
    """
    with sessions.begin() as session:
        person = session.get_one(Person, signed.person_id)
        if not sign_in.password_fits(session, person.id, old):
            raise Refused("The present password isn't right.")
        sign_in.check_password_rules(new, person.name, person.sign_in_name or "")
        person.password_hash = sign_in.hash_password(new)
        team_id = session.get_one(SignIn, signed.sign_in_id).team_id
        sign_in.end_all(session, person.id)
        return sign_in.start(session, person.id, team_id or 0, browser)


def change_team(sessions: sessionmaker[Session], actor: Actor, version: int, name: str, open_ranking: bool) -> None:
    """Rename the team, or open the drivers' figures to each other.

    Raises:
        Outdated: somebody changed it meanwhile.
    """
    with sessions.begin() as session:
        row = session.scalars(select(Team).where(Team.id == actor.team_id).with_for_update()).one()
        check_version(row, version, "team")
        begin_change(session, actor, "team.change", "Changed the team's name or settings", row)
        row.name, row.open_ranking = _named(name, "team"), open_ranking


def members(sessions: sessionmaker[Session], actor: Actor) -> list[Member]:
    """Everybody in the team, by name."""
    seen = select(SignIn.person_id, func.max(SignIn.used_at).label("seen_at")).group_by(SignIn.person_id).subquery()
    query = (
        select(Membership, Person.name, Person.sign_in_name, Driver.public_id, Driver.name.label("driver"), seen.c.seen_at)
        .join(Person, Person.id == Membership.person_id)
        .join(Driver, (Driver.team_id == Membership.team_id) & (Driver.id == Membership.driver_id), isouter=True)
        .join(seen, seen.c.person_id == Person.id, isouter=True)
        .where(Membership.team_id == actor.team_id)
        .order_by(Person.name)
    )
    with sessions() as session:
        return [
            Member(row.public_id, row.version, person, name, row.role, driver_id, driver, seen_at, row.person_id == actor.person_id)
            for row, person, name, driver_id, driver, seen_at in session.execute(query)
        ]


def change_member(sessions: sessionmaker[Session], actor: Actor, member_id: UUID, version: int, role: Role, driver_id: UUID | None) -> None:
    """Change somebody's role, or say which driver they are.

    Raises:
        Conflict: the team would be left without a manager.
        Outdated: somebody changed it meanwhile.
    """
    with sessions.begin() as session:
        row = find_row(session, Membership, actor, member_id, "person", lock=True)
        check_version(row, version, "person's role")
        person = session.get_one(Person, row.person_id).name
        begin_change(session, actor, "people.change", f"Made {person} {role}" if role != row.role else f"Changed which driver {person} is", row)
        row.role = _known(role)
        row.driver_id = find_row(session, Driver, actor, driver_id, "driver").id if driver_id else None
        session.flush()
        _keep_a_manager(session, actor)


def remove_member(sessions: sessionmaker[Session], actor: Actor, member_id: UUID) -> None:
    """Let somebody go: they are out at once, what they did stays.

    Raises:
        Conflict: the team would be left without a manager.
    """
    with sessions.begin() as session:
        row = find_row(session, Membership, actor, member_id, "person", lock=True)
        person = session.get_one(Person, row.person_id).name
        begin_change(session, actor, "people.remove", f"Removed {person} from the team", row)
        session.delete(row)
        session.flush()
        _keep_a_manager(session, actor)


def invite(sessions: sessionmaker[Session], actor: Actor, name: str, role: Role, driver_id: UUID | None) -> tuple[Invited, str]:
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
            name=_named(name, "person"),
            role=_known(role),
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
        return [Invited(row.public_id, row.name, row.role, driver, row.expires_at) for row, driver in session.execute(query)]


def withdraw(sessions: sessionmaker[Session], actor: Actor, invitation_id: UUID) -> None:
    """Make an invitation's link useless.

    Raises:
        Conflict: it was taken up already.
    """
    with sessions.begin() as session:
        row = find_row(session, Invitation, actor, invitation_id, "invitation", lock=True)
        if row.used_at:
            raise Conflict("This invitation was taken up already. Remove the person instead.")
        begin_change(session, actor, "people.invite.withdraw", f"Withdrew the invitation of {row.name}", row)
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
    sign_in.check_password_rules(password, name, stored_name)
    password_hash = sign_in.hash_password(password)
    try:
        with sessions.begin() as session:
            row = _open_invitation(session, token, lock=True)
            person = Person(name=_named(name, "person"), sign_in_name=stored_name, password_hash=password_hash)
            session.add(person)
            session.flush()
            _enter(session, row, person)
            return sign_in.start(session, person.id, row.team_id, browser)
    except IntegrityError as error:
        raise Conflict("Somebody signs in with this name already. If that's you, sign in first, then open the link again.") from error


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


def rigs(sessions: sessionmaker[Session], actor: Actor) -> list[Rig]:
    """The rigs' tokens, newest first."""
    query = select(RigToken, Person.name).join(Person, Person.id == RigToken.person_id)
    with sessions() as session:
        rows = session.execute(query.where(RigToken.team_id == actor.team_id).order_by(RigToken.id.desc()))
        return [Rig(row.public_id, row.name, person, row.created_at, row.used_at, row.revoked_at is not None) for row, person in rows]


def make_rig_token(sessions: sessionmaker[Session], actor: Actor, name: str) -> tuple[UUID, str]:
    """Let a rig deliver laps.

    Returns:
        Its id, and the token: it can't be seen again.
    """
    token = f"rig_{secrets.token_urlsafe(32)}"
    with sessions.begin() as session:
        row = RigToken(team_id=actor.team_id, person_id=actor.person_id, name=_named(name, "rig"), token_hash=hash_of(token))
        session.add(row)
        session.flush()
        begin_change(session, actor, "people.rig", f"Let the rig {row.name} deliver laps", row)
        return row.public_id, token


def revoke_rig_token(sessions: sessionmaker[Session], actor: Actor, rig_id: UUID) -> None:
    with sessions.begin() as session:
        row = find_row(session, RigToken, actor, rig_id, "rig", lock=True)
        if row.revoked_at is None:
            begin_change(session, actor, "people.rig.revoke", f"Shut the rig {row.name} out", row)
            row.revoked_at = now()


def drivers(sessions: sessionmaker[Session], actor: Actor) -> list[DriverRow]:
    """The team's drivers and guests, by name; a driver's own self alone for who doesn't see all."""
    with sessions() as session:
        query = select(Driver).where(Driver.team_id == actor.team_id).order_by(Driver.name)
        if not actor.sees_all:
            query = query.where(Driver.id == actor.driver_id)
        return [DriverRow(row.public_id, row.version, row.name, row.guest) for row in session.scalars(query)]


def change_driver(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID, version: int, name: str, guest: bool) -> DriverRow:
    """Rename a driver, or say that they are a guest.

    Raises:
        Outdated: somebody changed it meanwhile.
        Conflict: the name is taken.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Driver, actor, driver_id, "driver", lock=True)
            check_version(row, version, "driver")
            old, new = row.name, _named(name, "driver")
            begin_change(session, actor, "driver.change", f"Renamed {old} to {new}" if old != new else f"Changed {old}", row)
            row.name, row.guest = new, guest
            session.flush()
            raise_revisions(session, actor.team_id, session.scalars(combinations_of_driver(actor.team_id, row.id)))
            return DriverRow(row.public_id, row.version, row.name, row.guest)
    except IntegrityError as error:
        raise Conflict(f"The team has a driver called {name.strip()} already.") from error


_OPEN = (Invitation.used_at.is_(None), Invitation.withdrawn_at.is_(None))


def _open_invitation(session: Session, token: str, *, lock: bool = False) -> Invitation:
    query = select(Invitation).where(Invitation.token_hash == hash_of(token), *_OPEN, Invitation.expires_at > now())
    row = session.scalar(query.with_for_update() if lock else query)
    if row is None:
        raise NotThere("This link can't be used: it was used before, withdrawn, or is older than a week. Ask for a new one.")
    return row


def _enter(session: Session, row: Invitation, person: Person) -> None:
    begin_change(session, Actor(row.team_id, person.id, row.role), "people.join", f"{person.name} joined as {row.role}")
    session.add(Membership(team_id=row.team_id, person_id=person.id, role=row.role, driver_id=row.driver_id))
    row.used_at = now()
    session.flush()


def _keep_a_manager(session: Session, actor: Actor) -> None:
    if not session.scalar(select(func.count()).select_from(Membership).where(Membership.team_id == actor.team_id, Membership.role == "manager")):
        raise Conflict("A team needs a manager. Make somebody else a manager first.")


def _known(role: str) -> Role:
    for known in ROLES:
        if role == known:
            return known
    raise Refused(f"There is no role {role}.")


def _named(text: str, what: str) -> str:
    name = " ".join(text.split())
    if not 1 <= len(name) <= 120:
        raise Refused(f"Give the {what} a name of 1 to 120 characters.")
    return name
