"""Ways in for people who came with a team."""

import re
import secrets
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from itertools import count
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Membership, Person
from fleet_rival.services.people.team import give_password
from fleet_rival.services.shared.base import Actor, begin_change

__all__ = ["Brought", "WayIn", "enter_team", "let_in", "members_of"]


@dataclass(frozen=True, slots=True)
class Brought:
    """A team that came in.

    Attributes:
        rows: in all.
        members: its people, managers first.
        newcomers: keys of people who weren't known here before, and can't sign in yet.
    """

    team_id: int
    public_id: UUID
    name: str
    rows: int
    members: tuple[Actor, ...]
    newcomers: frozenset[int]


@dataclass(frozen=True, slots=True)
class WayIn:
    """What somebody signs in with; the password can't be seen again."""

    name: str
    role: str
    sign_in_name: str
    password: str


def let_in(sessions: sessionmaker[Session], members: Sequence[Actor], newcomers: Collection[int]) -> list[WayIn]:
    """Ways in for everybody who came with a team and wasn't known here: packages hold none.

    Whoever was here before keeps their own, or is let in by their own team: a package of somebody's making must not
        open their door. Nobody gets a
    second one.

    Args:
        members: of the team, after `Brought`.
        newcomers: keys of people who came with it.
    """
    out = []
    for member in members:
        if member.person_id in newcomers:
            with sessions() as session:
                person = session.get_one(Person, member.person_id)
                name = person.name
                if person.sign_in_name is not None:
                    continue
            way = WayIn(name, member.role, _free_name(sessions, name), secrets.token_urlsafe(12))
            give_password(sessions, member.person_id, way.sign_in_name, way.password)
            out.append(way)
    return out


def members_of(session: Session, team_id: int) -> tuple[Actor, ...]:
    """A team's people, managers first."""
    people = session.scalars(
        select(Membership).where(Membership.team_id == team_id).order_by(Membership.role != "manager", Membership.id)
    )
    return tuple(Actor(team_id, row.person_id, row.role, row.driver_id) for row in people)


def _free_name(sessions: sessionmaker[Session], name: str) -> str:
    """A name to sign in with that nobody has."""
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "member"
    with sessions() as session:
        taken = set(
            session.scalars(select(Person.sign_in_name).where(Person.sign_in_name.startswith(base, autoescape=True)))
        )
    return next(one for number in count(1) if (one := base if number == 1 else f"{base}-{number}") not in taken)


def enter_team(session: Session, team_id: int, who: Actor) -> None:
    """Whoever brings a team in manages it."""
    own = session.scalar(select(Membership).where(Membership.team_id == team_id, Membership.person_id == who.person_id))
    if own is None:
        actor = Actor(team_id, who.person_id, "manager")
        begin_change(session, actor, "people.join", "Brought the team in")
        session.add(Membership(team_id=team_id, person_id=who.person_id, role="manager", driver_id=None))
        session.flush()
