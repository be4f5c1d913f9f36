"""What was learned."""

from datetime import datetime

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import Base, Code, Id, Key, Public, Word, table_args, within_team

__all__ = ["Lesson"]


class Lesson(Public, Base):
    """A short entry, tied to where it holds: whatever isn't named may be anything."""

    __tablename__ = "lesson"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        within_team("layout_id", "layout"),
        within_team("car_id", "car"),
        within_team("series_id", "series"),
        within_team("driver_id", "driver"),
        Index("ix_lesson_text", "text", mariadb_prefix="FULLTEXT"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    text: Mapped[str] = mapped_column(String(500, collation="utf8mb4_unicode_nopad_ci"))
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
