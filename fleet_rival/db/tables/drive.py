"""Laps, the files and the sessions that they came in."""

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import (
    WRITTEN,
    Base,
    Code,
    Id,
    Key,
    Label,
    Public,
    Quantity,
    Word,
    Written,
    full_text,
    table_args,
    within_team,
)

__all__ = ["FileMapping", "Lap", "LapFileRow", "PracticeSession", "Remark", "Run"]


class LapFileRow(Public, Base):
    """A lap file as it came, looked at and perhaps imported."""

    __tablename__ = "lap_file"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        within_team("combination_id", "combination"),
        within_team("change_set_id", "change_set"),
        Index(None, "team_id", "combination_id", "sha256"),
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    name: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(String(64))
    size: Mapped[int] = mapped_column(BigInteger)
    content: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True)
    state: Mapped[Word] = mapped_column(default="preview")
    """`preview`, `imported`, or `taken_back`."""
    look: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), deferred=True)
    """What a preview of a large file said, kept with the state it was made from."""
    mapping: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """How its columns are to be read, where their names don't say it."""
    mends: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """Rows that somebody mended: the line's number to its cells. The content stays as it came."""
    result: Mapped[dict[str, Any] | None]
    change_set_id: Mapped[Key | None]


class FileMapping(Base):
    """How columns of a source are read: remembered by the names that they have."""

    __tablename__ = "file_mapping"
    __table_args__ = table_args(UniqueConstraint("team_id", "signature"), UniqueConstraint("team_id", "id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    signature: Mapped[str] = mapped_column(String(64))
    """Digest of the header."""
    mapping: Mapped[dict[str, Any]] = mapped_column(JSON)
    used_at: Mapped[datetime]


class PracticeSession(Public, Base):
    """A session in which laps were driven; its label is the file's, with a number behind it where that was taken."""

    __tablename__ = "practice_session"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "combination_id", "label"),
        UniqueConstraint("team_id", "id"),
        within_team("combination_id", "combination"),
    )
    recorded = True
    shared = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    label: Mapped[str] = mapped_column(String(140))
    session_local: Mapped[str | None] = mapped_column(String(26))
    """ISO date and time of day inside the simulation when it began, without a zone."""
    air_temp_c: Mapped[Quantity | None]
    track_temp_c: Mapped[Quantity | None]
    wetness: Mapped[Word | None]
    """What somebody said of the session as a whole; None: as its laps say."""
    weather: Mapped[list[Any] | None] = mapped_column(JSON(none_as_null=True))
    """Where it changed within the session: `minute` and `wetness`, in the order of time."""
    by_hand: Mapped[bool] = mapped_column(default=False)
    """Whether it was opened for laps that are typed or timed by hand."""


class Run(Public, Base):
    """A run as it was declared, and what was said of it afterwards. Before its first lap it belongs to no session
    yet.
    """

    __tablename__ = "run"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "session_id", "driver_id", "number"),
        UniqueConstraint("team_id", "id"),
        within_team("combination_id", "combination"),
        within_team("session_id", "practice_session"),
        within_team("driver_id", "driver"),
        full_text("run", "note"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    driver_id: Mapped[Key]
    session_id: Mapped[Key | None]
    number: Mapped[int | None] = mapped_column(BigInteger)
    declared: Mapped[bool] = mapped_column(default=True)
    """Whether somebody said what it was; False: only how it felt, or what was read."""
    session_kind: Mapped[Word]
    purpose: Mapped[Word | None]
    tyre_set: Mapped[Label | None]
    compound: Mapped[Label | None]
    tyre_age: Mapped[Quantity | None]
    fuel_l: Mapped[Quantity | None]
    energy_kwh: Mapped[Quantity | None]
    setup: Mapped[Label | None]
    settings: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    assists: Mapped[Label | None]
    company: Mapped[Word | None]
    official: Mapped[bool | None]
    options: Mapped[str | None] = mapped_column(String(500))
    watch: Mapped[list[Any]] = mapped_column(JSON, default=list)
    checks: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """Of the check before it: `key`, `why`, and whether it was `done`; the others were skipped."""
    handling: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """By speed of corner and phase from -3 (pushes) to 3 (loose), and the two apex tests."""
    readings: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """Measured values, each with when and how."""
    note: Mapped[Written | None]


class Remark(Public, Base):
    """What somebody said of a lap after the run."""

    __tablename__ = "remark"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        Index(None, "team_id", "combination_id"),
        within_team("combination_id", "combination"),
        within_team("lap_id", "lap"),
        full_text("remark", "text"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    lap_id: Mapped[Key]
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    corner: Mapped[Code | None]
    kind: Mapped[Word | None]
    """Of the vocabulary of mistakes."""
    cause_corner: Mapped[Code | None]
    """Where it began; None: at the corner itself."""
    because: Mapped[Word | None]
    """`traffic`, `yellow`, `tow`, `cool` or `practice_only`: what it came from, which is a mark of the lap then."""
    text: Mapped[str | None] = mapped_column(String(500, collation=WRITTEN))


class Lap(Base):
    """A lap's facts. What follows from them is computed and kept in `analysis`."""

    __tablename__ = "lap"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "session_id", "driver_id", "run", "number"),
        UniqueConstraint("team_id", "id"),
        Index(None, "team_id", "combination_id", "driver_id"),
        Index(None, "team_id", "started_at"),
        within_team("combination_id", "combination"),
        within_team("session_id", "practice_session"),
        within_team("driver_id", "driver"),
        within_team("change_set_id", "change_set"),
        full_text("lap", "note"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    session_id: Mapped[Key]
    driver_id: Mapped[Key]
    change_set_id: Mapped[Key]
    version: Mapped[int] = mapped_column(default=1)
    run: Mapped[int] = mapped_column(BigInteger)
    number: Mapped[int] = mapped_column(BigInteger)
    time_us: Mapped[int] = mapped_column(BigInteger)
    car: Mapped[Label | None]
    session_kind: Mapped[Word]
    started_at: Mapped[datetime | None]
    kind: Mapped[Word]
    valid: Mapped[bool]
    strikes: Mapped[str | None] = mapped_column(String(500))
    incidents: Mapped[str | None] = mapped_column(String(500))
    flags: Mapped[str | None] = mapped_column(String(500))
    company: Mapped[Word | None]
    tyre_set: Mapped[Label | None]
    compound: Mapped[Label | None]
    tyre_age: Mapped[Quantity | None]
    fuel_l: Mapped[Quantity | None]
    energy_kwh: Mapped[Quantity | None]
    track_temp_c: Mapped[Quantity | None]
    air_temp_c: Mapped[Quantity | None]
    wetness: Mapped[Word]
    purpose: Mapped[Word | None]
    setup: Mapped[Label | None]
    assists: Mapped[Label | None]
    options: Mapped[str | None] = mapped_column(String(500))
    mistakes: Mapped[str | None] = mapped_column(String(500))
    note: Mapped[Written | None]
    said: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """What people said of its marks afterwards: mark to whether it stands; `damage` to what was answered."""
    plus_minus_us: Mapped[int | None] = mapped_column(BigInteger)
    """Of a hand-timed lap: how far it may be off."""
    sectors: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    segments: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
