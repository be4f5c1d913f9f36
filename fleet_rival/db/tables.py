"""The tables. Every row but a person belongs to a team, and foreign keys between a team's rows include the team."""

from datetime import UTC, datetime
from typing import Annotated, Any
from uuid import UUID

from sqlalchemy import JSON, BigInteger, ForeignKey, ForeignKeyConstraint, Index, MetaData, String, Text, UniqueConstraint, Uuid
from sqlalchemy.dialects.mysql import DOUBLE, LONGBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column
from uuid6 import uuid7

from fleet_rival.db.types import UtcDateTime

__all__ = [
    "Base",
    "Car",
    "Change",
    "ChangeSet",
    "Combination",
    "Driver",
    "Lap",
    "LapFileRow",
    "Layout",
    "LayoutCorner",
    "LayoutSector",
    "Membership",
    "Person",
    "PracticeSession",
    "StoredAnalysis",
    "Team",
    "TrackRow",
]

Id = Annotated[int, mapped_column(BigInteger, primary_key=True, autoincrement=True)]
Key = Annotated[int, mapped_column(BigInteger)]
Label = Annotated[str, mapped_column(String(120))]
Code = Annotated[str, mapped_column(String(40))]
Word = Annotated[str, mapped_column(String(16))]
Metres = Annotated[float, mapped_column(DOUBLE(asdecimal=False))]
Quantity = Annotated[float, mapped_column(DOUBLE(asdecimal=False))]


def now() -> datetime:
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """Conventions for all tables: names of constraints, exact comparison of text, InnoDB."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {datetime: UtcDateTime, dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012
    __table_args__: Any = {  # noqa: RUF012
        "mysql_engine": "InnoDB",
        "mysql_charset": "utf8mb4",
        "mysql_collate": "utf8mb4_nopad_bin",
    }


def table_args(*constraints: Any) -> tuple[Any, ...]:
    """Constraints of a table, with the conventions of all tables behind them."""
    return (*constraints, Base.__table_args__)


def within_team(column: str, table: str, **options: Any) -> ForeignKeyConstraint:
    """A reference to another row of the same team."""
    return ForeignKeyConstraint(["team_id", column], [f"{table}.team_id", f"{table}.id"], **options)


class Public:
    """A row that the outside may name, and that tells when it was changed."""

    public_id: Mapped[UUID] = mapped_column(Uuid, default=uuid7, unique=True)
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)

    @declared_attr.directive
    def __mapper_args__(cls) -> dict[str, Any]:
        return {"version_id_col": cls.version}


class Team(Public, Base):
    """The unit to which everything belongs."""

    __tablename__ = "team"
    id: Mapped[Id]
    name: Mapped[Label]


class Person(Public, Base):
    """Somebody who acts; a member of one team or several."""

    __tablename__ = "person"
    id: Mapped[Id]
    name: Mapped[Label]


class Membership(Base):
    """A person's role in a team."""

    __tablename__ = "membership"
    __table_args__ = table_args(UniqueConstraint("team_id", "person_id"), UniqueConstraint("team_id", "id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    role: Mapped[Word]


class ChangeSet(Base):
    """One act of one person: who, when, what for, and what it takes back."""

    __tablename__ = "change_set"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"), within_team("takes_back_id", "change_set"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    public_id: Mapped[UUID] = mapped_column(Uuid, default=uuid7, unique=True)
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    made_at: Mapped[datetime] = mapped_column(default=now)
    action: Mapped[Code]
    summary: Mapped[str] = mapped_column(String(300))
    takes_back_id: Mapped[Key | None]


class Change(Base):
    """One row before and after a change set. Rows that came in bulk name their change set instead."""

    __tablename__ = "change"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"), within_team("change_set_id", "change_set"))
    id: Mapped[Id]
    team_id: Mapped[Key]
    change_set_id: Mapped[Key]
    table_name: Mapped[Code]
    row_id: Mapped[Key]
    version: Mapped[int | None]
    """Of the row after the change: taking back is refused where it has changed since. None for rows that were made."""
    before: Mapped[dict[str, Any] | None]
    after: Mapped[dict[str, Any] | None]


class TrackRow(Public, Base):
    """A track; its layouts hang on it."""

    __tablename__ = "track"
    __table_args__ = table_args(UniqueConstraint("team_id", "name"), UniqueConstraint("team_id", "id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    name: Mapped[Label]


class Layout(Public, Base):
    """One layout of a track: what laps are driven on."""

    __tablename__ = "layout"
    __table_args__ = table_args(UniqueConstraint("team_id", "track_id", "name"), UniqueConstraint("team_id", "id"), within_team("track_id", "track"))
    id: Mapped[Id]
    team_id: Mapped[Key]
    track_id: Mapped[Key]
    name: Mapped[Label]
    kind: Mapped[Code]
    length_m: Mapped[Metres]
    centreline_step_m: Mapped[Metres | None]
    centreline_xy_m: Mapped[list[Any] | None]


class LayoutSector(Base):
    """A sector of a layout."""

    __tablename__ = "layout_sector"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "layout_id", "code"), UniqueConstraint("team_id", "id"), within_team("layout_id", "layout")
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    layout_id: Mapped[Key]
    code: Mapped[Label]
    start_m: Mapped[Metres]


class LayoutCorner(Base):
    """A corner of a layout."""

    __tablename__ = "layout_corner"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "layout_id", "code"), UniqueConstraint("team_id", "id"), within_team("layout_id", "layout")
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    layout_id: Mapped[Key]
    code: Mapped[Label]
    name: Mapped[Label | None]
    start_m: Mapped[Metres]
    apex_m: Mapped[Metres]
    end_m: Mapped[Metres]
    direction: Mapped[Word | None]
    linked_to_next: Mapped[bool]


class Car(Public, Base):
    """A car."""

    __tablename__ = "car"
    __table_args__ = table_args(UniqueConstraint("team_id", "name"), UniqueConstraint("team_id", "id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    name: Mapped[Label]


class Driver(Public, Base):
    """A driver of the team, or a guest whose laps are kept for comparison."""

    __tablename__ = "driver"
    __table_args__ = table_args(UniqueConstraint("team_id", "name"), UniqueConstraint("team_id", "id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    name: Mapped[Label]
    guest: Mapped[bool] = mapped_column(default=False)


class Combination(Public, Base):
    """A car on a layout, with its settings. The revision rises whenever something changes that figures depend on."""

    __tablename__ = "combination"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "layout_id", "car_id"),
        UniqueConstraint("team_id", "id"),
        within_team("layout_id", "layout"),
        within_team("car_id", "car"),
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    layout_id: Mapped[Key]
    car_id: Mapped[Key]
    settings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    revision: Mapped[int] = mapped_column(BigInteger, default=1)


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
    result: Mapped[dict[str, Any] | None]
    change_set_id: Mapped[Key | None]


class PracticeSession(Public, Base):
    """A session in which laps were driven; its label is the file's, with a number behind it where that was taken."""

    __tablename__ = "practice_session"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "combination_id", "label"), UniqueConstraint("team_id", "id"), within_team("combination_id", "combination")
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    label: Mapped[str] = mapped_column(String(140))


class Lap(Base):
    """A lap's facts. What follows from them is computed and kept in `analysis`."""

    __tablename__ = "lap"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "session_id", "driver_id", "run", "number"),
        UniqueConstraint("team_id", "id"),
        Index(None, "team_id", "combination_id"),
        within_team("combination_id", "combination"),
        within_team("session_id", "practice_session"),
        within_team("driver_id", "driver"),
        within_team("change_set_id", "change_set"),
    )
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
    flags: Mapped[str | None] = mapped_column(String(80))
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
    note: Mapped[str | None] = mapped_column(Text)
    set_aside: Mapped[bool] = mapped_column(default=False)
    sectors: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    segments: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))


class StoredAnalysis(Base):
    """An answer kept until what it depends on changes: the combination's revision, its settings, or the core's version."""

    __tablename__ = "analysis"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "combination_id", "about"), UniqueConstraint("team_id", "id"), within_team("combination_id", "combination")
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    about: Mapped[str] = mapped_column(String(60))
    """`summary`, or `driver:` and the driver's public id."""
    stamp: Mapped[str] = mapped_column(String(64))
    body: Mapped[bytes] = mapped_column(LONGBLOB)
    made_at: Mapped[datetime] = mapped_column(default=now)
