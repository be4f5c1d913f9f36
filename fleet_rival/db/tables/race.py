"""Sheets for the day of the race."""

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import Base, Id, Key, Public, table_args, within_team

__all__ = ["RaceSheet"]


class RaceSheet(Public, Base):
    """A sheet as it was handed out for an entry; the next one has the next number."""

    __tablename__ = "race_sheet"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        UniqueConstraint("team_id", "entry_id", "number"),
        within_team("entry_id", "entry"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    entry_id: Mapped[Key]
    number: Mapped[int]
    lines: Mapped[list[Any]] = mapped_column(JSON)
    """Of each: `part`, `words`, and whether it is one of the `seat`'s."""
    expected: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """Figures as they were expected then, after `services.log.expected`; None: handed out before they were kept."""
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    """Who handed it out."""
    read_at: Mapped[datetime | None]
    """When the driver said that they have read it."""
