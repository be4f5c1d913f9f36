"""The track book: references, the pictures of them, and questions that are open."""

from datetime import datetime

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import MEDIUMBLOB
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import (
    WRITTEN,
    Base,
    Id,
    Key,
    Label,
    Metres,
    Public,
    Quantity,
    Word,
    Written,
    full_text,
    table_args,
    within_team,
)

__all__ = ["BookPicture", "OpenQuestion", "ReferenceRow"]


class ReferenceRow(Public, Base):
    """What drivers go by for one point of a corner."""

    __tablename__ = "reference_point"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        within_team("layout_id", "layout"),
        within_team("corner_id", "layout_corner"),
        within_team("car_id", "car"),
        within_team("driver_id", "driver"),
        within_team("picture_id", "book_picture"),
        Index(None, "team_id", "layout_id"),
        full_text("reference_point", "thing", "offset_words", "note"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    layout_id: Mapped[Key]
    corner_id: Mapped[Key]
    point: Mapped[Word]
    kind: Mapped[Word]
    thing: Mapped[str] = mapped_column(String(200, collation=WRITTEN))
    side: Mapped[Word | None]
    offset_m: Mapped[Metres | None]
    offset_words: Mapped[str] = mapped_column(String(200, collation=WRITTEN))
    at_m: Mapped[Metres | None]
    """Where it lies on the lap, in metres from the line."""
    gear: Mapped[int | None]
    brake_peak_pct: Mapped[Quantity | None]
    throttle: Mapped[Word | None]
    harder_than: Mapped[Label | None]
    """Code of a corner at which one brakes less hard."""
    lasts: Mapped[Word | None]
    """Where somebody says otherwise than its kind does."""
    car_id: Mapped[Key | None]
    driver_id: Mapped[Key | None]
    variant: Mapped[Word]
    state: Mapped[Word]
    sure: Mapped[Word]
    note: Mapped[Written | None]
    proposed_by: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    settled_by: Mapped[Key | None] = mapped_column(ForeignKey("person.id"))
    """Who confirmed or declined it."""
    settled_at: Mapped[datetime | None]
    picture_id: Mapped[Key | None]


class BookPicture(Public, Base):
    """A picture as it is kept: made anew from what was sent, so that nothing else comes with it."""

    __tablename__ = "book_picture"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    width: Mapped[int]
    height: Mapped[int]
    content: Mapped[bytes] = mapped_column(MEDIUMBLOB, deferred=True)


class OpenQuestion(Public, Base):
    """Something that somebody asks about a corner, or the whole layout."""

    __tablename__ = "open_question"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        within_team("layout_id", "layout"),
        within_team("corner_id", "layout_corner"),
        within_team("reference_id", "reference_point"),
        Index(None, "team_id", "layout_id"),
        full_text("open_question", "text", "answer"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    layout_id: Mapped[Key]
    corner_id: Mapped[Key | None]
    text: Mapped[str] = mapped_column(String(500, collation=WRITTEN))
    asked_by: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    answer: Mapped[str | None] = mapped_column(String(1000, collation=WRITTEN))
    answered_by: Mapped[Key | None] = mapped_column(ForeignKey("person.id"))
    answered_at: Mapped[datetime | None]
    closed_at: Mapped[datetime | None]
    became: Mapped[Word | None]
    """`note` or `reference`: what the answer was made into."""
    reference_id: Mapped[Key | None]
