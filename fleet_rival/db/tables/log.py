"""What races brought, and what was learned."""

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import (
    WRITTEN,
    Base,
    Code,
    Id,
    Key,
    Public,
    Quantity,
    Word,
    full_text,
    table_args,
    within_team,
)

__all__ = ["Lesson", "RaceResult"]


class Lesson(Public, Base):
    """A short entry, tied to where it holds: whatever isn't named may be anything."""

    __tablename__ = "lesson"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        within_team("layout_id", "layout"),
        within_team("car_id", "car"),
        within_team("series_id", "series"),
        within_team("driver_id", "driver"),
        full_text("lesson", "text"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    text: Mapped[str] = mapped_column(String(500, collation=WRITTEN))
    layout_id: Mapped[Key | None]
    corner: Mapped[Code | None]
    car_id: Mapped[Key | None]
    series_id: Mapped[Key | None]
    driver_id: Mapped[Key | None]
    condition: Mapped[Word | None]
    """One of `services.log.lessons.CONDITIONS`."""
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    """Who wrote it."""
    confirmed_by_id: Mapped[Key | None] = mapped_column(ForeignKey("person.id"))
    confirmed_at: Mapped[datetime | None]


class RaceResult(Public, Base):
    """What one start of an entry brought."""

    __tablename__ = "race_result"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        UniqueConstraint("team_id", "entry_id", "starts_at"),
        within_team("entry_id", "entry"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    entry_id: Mapped[Key]
    starts_at: Mapped[datetime]
    qualifying_us: Mapped[int | None] = mapped_column(BigInteger)
    grid: Mapped[int | None]
    finish: Mapped[int | None]
    """None: not classified, or nobody said."""
    laps: Mapped[int | None]
    stops: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """Of each: the `lap` behind which it was, its `seconds` and the `compound` that was taken, where they are known."""
    incidents: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """Of each, as the driver saw it: `corner`, `what`, `fault`, `lap` and `note`."""
    points: Mapped[Quantity | None]
    note: Mapped[str | None] = mapped_column(Text)
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    """Who wrote it down."""
