"""What people say of passes, the team's exercises, and who works on what."""

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import MEDIUMBLOB
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.clock import now
from fleet_rival.db.tables.base import (
    WRITTEN,
    Base,
    Code,
    Id,
    Key,
    Label,
    Public,
    Word,
    full_text,
    table_args,
    within_team,
)

__all__ = ["Assignment", "CorrectionRow", "Exercise", "LapCurve", "LikeKind", "Setup", "SetupVersion"]


class LapCurve(Base):
    """A lap's trace at even metres, made when somebody asked first. Follows from the trace; swept when that is gone."""

    __tablename__ = "lap_curve"
    __table_args__ = table_args(UniqueConstraint("team_id", "lap_id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    lap_id: Mapped[Key]
    file_id: Mapped[Key]
    row_group: Mapped[int]
    body: Mapped[bytes] = mapped_column(MEDIUMBLOB, deferred=True)
    made_at: Mapped[datetime] = mapped_column(default=now)


class CorrectionRow(Public, Base):
    """What somebody said of one pass, over all rules."""

    __tablename__ = "correction"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        UniqueConstraint("team_id", "lap_id", "corner"),
        Index(None, "team_id", "combination_id"),
        within_team("combination_id", "combination"),
        within_team("lap_id", "lap"),
        full_text("correction", "remark"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    lap_id: Mapped[Key]
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    corner: Mapped[Code]
    kind: Mapped[Word | None]
    """Of the vocabulary of mistakes; None: as the rules say."""
    cause_corner: Mapped[Code | None]
    no_mistake: Mapped[bool] = mapped_column(default=False)
    remark: Mapped[str | None] = mapped_column(String(500, collation=WRITTEN))


class LikeKind(Public, Base):
    """The kind that somebody gave to all of a driver's passes at a corner that rules take for another."""

    __tablename__ = "like_kind"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        UniqueConstraint("team_id", "combination_id", "driver_id", "corner", "rule_kind"),
        within_team("combination_id", "combination"),
        within_team("driver_id", "driver"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    driver_id: Mapped[Key]
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    corner: Mapped[Code]
    rule_kind: Mapped[Word]
    kind: Mapped[Word]


class Exercise(Public, Base):
    """An exercise of the team's own, or one that ships, as the team changed it."""

    __tablename__ = "exercise"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"), UniqueConstraint("team_id", "code"))
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    code: Mapped[Code]
    """Of the one that ships and stands here changed; else one of its own."""
    kind: Mapped[Word]
    title: Mapped[Label]
    cause: Mapped[str] = mapped_column(Text)
    feel: Mapped[str] = mapped_column(Text)
    work: Mapped[str] = mapped_column(Text)
    of_passes: Mapped[int]
    good_passes: Mapped[int]


class Assignment(Public, Base):
    """A driver's work on one mistake: the exercise as it was when it was given."""

    __tablename__ = "assignment"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        Index(None, "team_id", "combination_id", "driver_id"),
        within_team("combination_id", "combination"),
        within_team("driver_id", "driver"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    driver_id: Mapped[Key]
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    corner: Mapped[Code]
    kind: Mapped[Word]
    title: Mapped[Label]
    work: Mapped[str] = mapped_column(Text)
    of_passes: Mapped[int]
    good_passes: Mapped[int]
    begins_at: Mapped[datetime]
    """Runs that begin from here on judge it."""
    ended_at: Mapped[datetime | None]


class Setup(Public, Base):
    """A setup of a car, by name; what it is stands in its versions."""

    __tablename__ = "setup"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"), UniqueConstraint("team_id", "car_id", "name"), within_team("car_id", "car")
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    car_id: Mapped[Key]
    name: Mapped[Label]
    note: Mapped[str | None] = mapped_column(Text)


class SetupVersion(Public, Base):
    """A version of a setup. Never changed: another one is written."""

    __tablename__ = "setup_version"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        UniqueConstraint("team_id", "setup_id", "number"),
        within_team("setup_id", "setup"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    setup_id: Mapped[Key]
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    number: Mapped[int]
    purpose: Mapped[Word]
    assists: Mapped[Label | None]
    reason: Mapped[str | None] = mapped_column(Text)
    lines: Mapped[list[Any]] = mapped_column(JSON)
    """`name`, `value`, `unit` and `corner` of each."""
