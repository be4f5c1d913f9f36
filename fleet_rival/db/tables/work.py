"""What follows from facts or passes by: kept answers, jobs, events."""

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, String, UniqueConstraint, Uuid
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.clock import now
from fleet_rival.db.tables.base import Base, Code, Id, Key, Label, Public, Quantity, Word, table_args, within_team

__all__ = ["Event", "Job", "LapVerdict", "StandingRow", "StoredAnalysis"]


class StoredAnalysis(Base):
    """An answer kept until what it depends on changes: the combination's revision, its settings, or the core's
    version.
    """

    __tablename__ = "analysis"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "combination_id", "about"),
        UniqueConstraint("team_id", "id"),
        within_team("combination_id", "combination", ondelete="CASCADE"),
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    about: Mapped[str] = mapped_column(String(100))
    """`summary`, or `driver:` and the driver's public id; behind `@` from when to when, where not all laps are
    meant.
    """
    stamp: Mapped[str] = mapped_column(String(64))
    body: Mapped[bytes] = mapped_column(LONGBLOB)
    made_at: Mapped[datetime] = mapped_column(default=now)


class StandingRow(Base):
    """Where a driver stands in a combination, over the laps of a stretch of time: what the board shows. Written anew
    when figures change.
    """

    __tablename__ = "standing"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "combination_id", "since", "until", "driver_id"),
        UniqueConstraint("team_id", "id"),
        within_team("combination_id", "combination", ondelete="CASCADE"),
        within_team("driver_id", "driver", ondelete="CASCADE"),
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    driver_id: Mapped[Key | None]
    """None: the team as a whole, which is there even where nobody has laps."""
    since: Mapped[datetime]
    until: Mapped[datetime]
    laps: Mapped[int]
    stamp: Mapped[str] = mapped_column(String(64))
    figures: Mapped[list[Any]] = mapped_column(JSON)
    """Of each group of laps, the main one first; of the team, its best lap and linked ideal."""
    changed_at: Mapped[datetime] = mapped_column(default=now)
    """When the figures last became others."""


class LapVerdict(Base):
    """For what a lap counts, as `core.laps.verdict` says: for lists and queries that don't load laps. Right once it
    was settled.
    """

    __tablename__ = "lap_verdict"
    __table_args__ = table_args(
        Index(None, "team_id", "combination_id"), within_team("lap_id", "lap", ondelete="CASCADE")
    )
    lap_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    uses: Mapped[int]
    marks: Mapped[str | None] = mapped_column(String(160))
    """Why not, with blanks between them."""


class Job(Public, Base):
    """Work in the background. The row is the truth; a message only wakes a worker."""

    __tablename__ = "job"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        Index(None, "team_id", "person_id", "id"),
        Index(None, "state", "lease_until"),
    )
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    kind: Mapped[Code]
    name: Mapped[str] = mapped_column(String(300))
    arguments: Mapped[dict[str, Any]] = mapped_column(JSON)
    state: Mapped[Word] = mapped_column(default="waiting")
    """`waiting`, `running`, `done`, `failed`, or `cancelled`."""
    progress: Mapped[Quantity] = mapped_column(default=0.0)
    """Share that is done, 0 to 1."""
    doing: Mapped[Label | None]
    cancel_asked: Mapped[bool] = mapped_column(default=False)
    attempt: Mapped[int] = mapped_column(default=0)
    """Rises with each start; a worker that lost its lease finds another number and gives up."""
    lease_until: Mapped[datetime | None]
    result: Mapped[dict[str, Any] | None]
    trouble: Mapped[str | None] = mapped_column(String(500))
    ended_at: Mapped[datetime | None]


class Event(Base):
    """That something changed: a name of what, never the content. Read by id, in order, and thrown away after a day."""

    __tablename__ = "event"
    __table_args__ = table_args(Index(None, "team_id", "id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    person_id: Mapped[Key | None] = mapped_column(ForeignKey("person.id"))
    """For whom alone, or None for the whole team."""
    topic: Mapped[Code]
    about: Mapped[UUID | None] = mapped_column(Uuid)
    made_at: Mapped[datetime] = mapped_column(default=now, index=True)
