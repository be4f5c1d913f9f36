"""Teams, people, and how they come in."""

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint, Uuid
from sqlalchemy.orm import Mapped, mapped_column
from uuid6 import uuid7

from fleet_rival.clock import now
from fleet_rival.db.tables.base import Base, Id, Key, Label, Public, Word, table_args, within_team

__all__ = ["BoardVisit", "Invitation", "Membership", "Person", "RigToken", "SignIn", "SignInAttempt", "Team"]


class Team(Public, Base):
    """The unit to which everything belongs."""

    __tablename__ = "team"
    recorded = True
    id: Mapped[Id]
    name: Mapped[Label]
    open_ranking: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Whether drivers see each other's figures."""
    units: Mapped[dict[str, Any] | None]
    """Units by quantity for who chose none."""


class Person(Public, Base):
    """Somebody who signs in; a member of one team or several."""

    __tablename__ = "person"
    id: Mapped[Id]
    name: Mapped[Label]
    sign_in_name: Mapped[Label | None] = mapped_column(unique=True)
    password_hash: Mapped[str | None] = mapped_column(String(255))
    preferences: Mapped[dict[str, Any] | None]
    reaction: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """How they press a key when something crosses a line: `offset_us`, `spread_us`, `presses`, and when it was
    measured.
    """


class Membership(Public, Base):
    """A person's role in a team, and which driver they are."""

    __tablename__ = "membership"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "person_id"), UniqueConstraint("team_id", "id"), within_team("driver_id", "driver")
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    role: Mapped[Word]
    """`manager`, `coach`, or `driver`."""
    driver_id: Mapped[Key | None]


class SignIn(Base):
    """A browser in which a person is signed in; ended by deleting the row."""

    __tablename__ = "sign_in"
    id: Mapped[Id]
    public_id: Mapped[UUID] = mapped_column(Uuid, default=uuid7, unique=True)
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    team_id: Mapped[Key | None] = mapped_column(ForeignKey("team.id"))
    """The team whose desk is open in this browser."""
    browser: Mapped[Label]
    began_at: Mapped[datetime] = mapped_column(default=now)
    used_at: Mapped[datetime] = mapped_column(default=now)


class SignInAttempt(Base):
    """A failed attempt to sign in, kept for the length of the limit, by a keyed hash of whom or whence."""

    __tablename__ = "sign_in_attempt"
    __table_args__ = table_args(Index(None, "subject", "failed_at"))
    id: Mapped[Id]
    subject: Mapped[str] = mapped_column(String(64))
    failed_at: Mapped[datetime] = mapped_column(default=now)


class Invitation(Public, Base):
    """A link that lets one person into a team, once."""

    __tablename__ = "invitation"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"), within_team("driver_id", "driver"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    name: Mapped[Label]
    role: Mapped[Word]
    driver_id: Mapped[Key | None]
    expires_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
    withdrawn_at: Mapped[datetime | None]


class RigToken(Public, Base):
    """What a rig shows to deliver laps; it can do nothing else."""

    __tablename__ = "rig_token"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    """Who made it, and answers for what it delivers."""
    name: Mapped[Label]
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    used_at: Mapped[datetime | None]
    revoked_at: Mapped[datetime | None]


class BoardVisit(Base):
    """When a person last looked at the board: what changed since is marked."""

    __tablename__ = "board_visit"
    __table_args__ = table_args(UniqueConstraint("team_id", "person_id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    seen_at: Mapped[datetime]
    """When the board was last looked at."""
    before_at: Mapped[datetime | None]
    """When the visit before the last one ended: marks are against this."""
