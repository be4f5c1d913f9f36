"""Tokens with which rigs deliver laps."""

import secrets
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.tables import Person, RigToken
from fleet_rival.services.people.sign_in import hash_of
from fleet_rival.services.shared.base import Actor, begin_change, find_row, named

__all__ = ["Rig", "make_rig_token", "revoke_rig_token", "rigs"]


@dataclass(frozen=True, slots=True)
class Rig:
    """A rig that may deliver."""

    id: UUID
    name: str
    made_by: str
    made_at: datetime
    used_at: datetime | None
    revoked: bool


def rigs(sessions: sessionmaker[Session], actor: Actor) -> list[Rig]:
    """The rigs' tokens, newest first."""
    query = select(RigToken, Person.name).join(Person, Person.id == RigToken.person_id)
    with sessions() as session:
        rows = session.execute(query.where(RigToken.team_id == actor.team_id).order_by(RigToken.id.desc()))
        return [
            Rig(row.public_id, row.name, person, row.created_at, row.used_at, row.revoked_at is not None)
            for row, person in rows
        ]


def make_rig_token(sessions: sessionmaker[Session], actor: Actor, name: str) -> tuple[UUID, str]:
    """Let a rig deliver laps.

    Returns:
        Its id, and the token: it can't be seen again.
    """
    token = f"rig_{secrets.token_urlsafe(32)}"
    with sessions.begin() as session:
        row = RigToken(
            team_id=actor.team_id, person_id=actor.person_id, name=named(name, "rig"), token_hash=hash_of(token)
        )
        session.add(row)
        session.flush()
        begin_change(session, actor, "people.rig", f"Let the rig {row.name} deliver laps", row)
        return row.public_id, token


def revoke_rig_token(sessions: sessionmaker[Session], actor: Actor, rig_id: UUID) -> None:
    """Let a rig deliver no more.

    Raises:
        NotThere: the team has no such rig.
    """
    with sessions.begin() as session:
        row = find_row(session, RigToken, actor, rig_id, "rig", lock=True)
        if row.revoked_at is None:
            begin_change(session, actor, "people.rig.revoke", f"Shut the rig {row.name} out", row)
            row.revoked_at = now()
