"""A team's people: who is in it in which role, which driver they are, and what each person likes."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.units import resolved
from fleet_rival.core.words import Role
from fleet_rival.db.tables import Driver, Membership, Person, SignIn, Team
from fleet_rival.services.people import guessing, sign_in
from fleet_rival.services.people.guessing import Wrong
from fleet_rival.services.people.passwords import check_password_rules, hash_password, password_is
from fleet_rival.services.people.sign_in import Signed
from fleet_rival.services.shared.base import Actor, begin_change, check_version, find_row, known_role, named
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.shared.revisions import combinations_of_driver, raise_revisions
from fleet_rival.services.shared.roles import permissions_of

__all__ = [
    "DriverRow",
    "Me",
    "Member",
    "change_driver",
    "change_member",
    "change_password",
    "change_team",
    "drivers",
    "me",
    "members",
    "prefer",
    "remove_member",
]


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
    units: dict[str, str]
    """In which quantities are told to this person."""
    team_units: dict[str, str]
    """In which where they choose nothing."""
    role: str
    may: tuple[str, ...]
    """What the role allows, by name."""
    driver_id: UUID | None
    teams: tuple[TeamChoice, ...]
    preferences: dict[str, Any]
    wrong_passwords: Wrong | None


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
class DriverRow:
    """A driver of the team, or a guest."""

    id: UUID
    version: int
    name: str
    guest: bool


def me(sessions: sessionmaker[Session], actor: Actor, key: bytes) -> Me:
    """Who is signed in, where, and what they should know.

    Args:
        key: the installation's secret, under which wrong passwords were counted.
    """
    with sessions() as session:
        person, team = session.get_one(Person, actor.person_id), session.get_one(Team, actor.team_id)
        driver = session.scalar(select(Driver).where(Driver.team_id == team.id, Driver.id == actor.driver_id))
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
            resolved(person.preferences, driver.units if driver else None, team.units),
            resolved(driver.units if driver else None, team.units),
            actor.role,
            tuple(sorted(permissions_of(actor.role))),
            driver.public_id if driver else None,
            tuple(TeamChoice(*row) for row in teams),
            person.preferences or {},
            guessing.wrong_ones(session, key, person.sign_in_name or ""),
        )


def prefer(sessions: sessionmaker[Session], actor: Actor, preferences: dict[str, Any]) -> dict[str, Any]:
    """Keep what a person likes: units, time zone, theme, density. Checked at the border; a matter of one's own, so
    no history.
    """
    with sessions.begin() as session:
        # Two choices at once, from two browsers, are both kept.
        person = session.get_one(Person, actor.person_id, with_for_update=True)
        person.preferences = {**(person.preferences or {}), **preferences}
        return person.preferences


def change_password(
    sessions: sessionmaker[Session], signed: Signed, old: str, new: str, browser: str, key: bytes
) -> str:
    """Change one's password, and sign out everywhere.

    Args:
        key: the installation's secret, under which wrong ones are counted.

    Returns:
        A new token for the browser in which this was done.

    Raises:
        Refused: the old one is wrong, or the new one is too easy.
        TooMany: tried too early after wrong ones.
    """
    subject = guessing.begin(sessions, key, f"change:{signed.person_id}")
    with sessions() as session:
        before = session.get_one(Person, signed.person_id)
    if not password_is(before.password_hash, old, known=True):
        raise Refused("The present password isn't right.")
    guessing.forget(sessions, subject)
    check_password_rules(new, before.name, before.sign_in_name or "")
    made = hash_password(new, known=True)
    with sessions.begin() as session:
        person = session.get_one(Person, signed.person_id, with_for_update=True)
        if person.password_hash != before.password_hash:
            raise Refused("The password was changed meanwhile in another browser.")
        person.password_hash = made
        team_id = session.get_one(SignIn, signed.sign_in_id).team_id
        sign_in.end_all(session, person.id)
        return sign_in.start(session, person.id, team_id or 0, browser)


def change_team(
    sessions: sessionmaker[Session], actor: Actor, version: int, name: str, open_ranking: bool, units: Mapping[str, str]
) -> None:
    """Rename the team, open the drivers' figures to each other, or choose the units of who chose none.

    Raises:
        Outdated: somebody changed it meanwhile.
    """
    with sessions.begin() as session:
        row = session.scalars(select(Team).where(Team.id == actor.team_id).with_for_update()).one()
        check_version(row, version, "team")
        begin_change(session, actor, "team.change", "Changed the team's name or settings", row)
        row.name, row.open_ranking = named(name, "team"), open_ranking
        row.units = resolved(units)


def members(sessions: sessionmaker[Session], actor: Actor) -> list[Member]:
    """Everybody in the team, by name."""
    own = select(Membership.person_id).where(Membership.team_id == actor.team_id)
    seen = (
        select(SignIn.person_id, func.max(SignIn.used_at).label("seen_at"))
        .where(SignIn.person_id.in_(own))
        .group_by(SignIn.person_id)
        .subquery()
    )
    query = (
        select(
            Membership, Person.name, Person.sign_in_name, Driver.public_id, Driver.name.label("driver"), seen.c.seen_at
        )
        .join(Person, Person.id == Membership.person_id)
        .join(Driver, (Driver.team_id == Membership.team_id) & (Driver.id == Membership.driver_id), isouter=True)
        .join(seen, seen.c.person_id == Person.id, isouter=True)
        .where(Membership.team_id == actor.team_id)
        .order_by(Person.name)
    )
    with sessions() as session:
        return [
            Member(
                row.public_id,
                row.version,
                person,
                name,
                row.role,
                driver_id,
                driver,
                seen_at,
                row.person_id == actor.person_id,
            )
            for row, person, name, driver_id, driver, seen_at in session.execute(query)
        ]


def change_member(
    sessions: sessionmaker[Session], actor: Actor, member_id: UUID, version: int, role: Role, driver_id: UUID | None
) -> None:
    """Change somebody's role, or say which driver they are.

    Raises:
        Conflict: the team would be left without a manager.
        Outdated: somebody changed it meanwhile.
    """
    with sessions.begin() as session:
        row = find_row(session, Membership, actor, member_id, "person", lock=True)
        check_version(row, version, "person's role")
        person = session.get_one(Person, row.person_id).name
        begin_change(
            session,
            actor,
            "people.change",
            f"Made {person} {role}" if role != row.role else f"Changed which driver {person} is",
            row,
        )
        row.role = known_role(role)
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


def drivers(sessions: sessionmaker[Session], actor: Actor) -> list[DriverRow]:
    """The team's drivers and guests, by name; a driver's own self alone for who doesn't see all."""
    with sessions() as session:
        query = select(Driver).where(Driver.team_id == actor.team_id).order_by(Driver.name)
        if not actor.sees_all:
            query = query.where(Driver.id == actor.driver_id)
        return [DriverRow(row.public_id, row.version, row.name, row.guest) for row in session.scalars(query)]


def change_driver(
    sessions: sessionmaker[Session], actor: Actor, driver_id: UUID, version: int, name: str, guest: bool
) -> DriverRow:
    """Rename a driver, or say that they are a guest.

    Raises:
        Outdated: somebody changed it meanwhile.
        Conflict: the name is taken.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Driver, actor, driver_id, "driver", lock=True)
            check_version(row, version, "driver")
            old, new = row.name, named(name, "driver")
            begin_change(
                session, actor, "driver.change", f"Renamed {old} to {new}" if old != new else f"Changed {old}", row
            )
            row.name, row.guest = new, guest
            session.flush()
            raise_revisions(session, actor.team_id, session.scalars(combinations_of_driver(actor.team_id, row.id)))
            return DriverRow(row.public_id, row.version, row.name, row.guest)
    except IntegrityError as error:
        raise Conflict(f"The team has a driver called {name.strip()} already.") from error


def _keep_a_manager(session: Session, actor: Actor) -> None:
    if not session.scalar(
        select(func.count())
        .select_from(Membership)
        .where(Membership.team_id == actor.team_id, Membership.role == "manager")
    ):
        raise Conflict("A team needs a manager. Make somebody else a manager first.")
