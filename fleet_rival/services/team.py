"""The team and its people. Until people sign in, one fixed manager acts for one fixed team."""

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Membership, Person, Team
from fleet_rival.services.base import Actor

__all__ = ["FIRST_TEAM", "TeamView", "first_actor", "team_of"]

FIRST_TEAM = "Farhaven Racing"
FIRST_MANAGER = "Maren Holloway"


@dataclass(frozen=True, slots=True)
class TeamView:
    """What the head of each page shows."""

    team: str
    person: str
    role: str


def first_actor(sessions: sessionmaker[Session]) -> Actor:
    """The fixed manager of the first team; both are made where there is none yet."""
    with sessions.begin() as session:
        member = session.scalar(select(Membership).where(Membership.role == "manager").order_by(Membership.id).limit(1))
        if member is None:
            team, person = Team(name=FIRST_TEAM), Person(name=FIRST_MANAGER)
            session.add_all([team, person])
            session.flush()
            member = Membership(team_id=team.id, person_id=person.id, role="manager")
            session.add(member)
            session.flush()
        return Actor(member.team_id, member.person_id, member.role)


def team_of(sessions: sessionmaker[Session], actor: Actor) -> TeamView:
    with sessions() as session:
        team, person = session.get_one(Team, actor.team_id), session.get_one(Person, actor.person_id)
        return TeamView(team.name, person.name, actor.role)
