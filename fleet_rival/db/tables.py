"""The tables. What a team enters or gets belongs to it, and foreign keys between a team's rows include the team.

Classes with `recorded` set are what people enter: `fleet_rival.db.recording` keeps each change of their rows.
"""

from datetime import UTC, datetime
from typing import Annotated, Any, ClassVar
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
    "Event",
    "Invitation",
    "Job",
    "Lap",
    "LapFileRow",
    "Layout",
    "LayoutCorner",
    "LayoutSector",
    "Membership",
    "Person",
    "PracticeSession",
    "RigToken",
    "SignIn",
    "SignInAttempt",
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
    recorded: ClassVar[bool] = False
    """Whether each change of a row is kept in `change`; needs an open change set."""
    unrecorded_columns: ClassVar[frozenset[str]] = frozenset()
    """Of what isn't kept when it changes by itself, since it follows from other things."""
    shared: ClassVar[bool] = False
    """Made in passing by whoever names it first: stays when that is taken back and others bear on it."""
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
    recorded = True
    id: Mapped[Id]
    name: Mapped[Label]
    open_ranking: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Whether drivers see each other's figures."""


class Person(Public, Base):
    """Somebody who signs in; a member of one team or several."""

    __tablename__ = "person"
    id: Mapped[Id]
    name: Mapped[Label]
    sign_in_name: Mapped[Label | None] = mapped_column(unique=True)
    password_hash: Mapped[str | None] = mapped_column(String(255))
    preferences: Mapped[dict[str, Any] | None]


class Membership(Public, Base):
    """A person's role in a team, and which driver they are."""

    __tablename__ = "membership"
    __table_args__ = table_args(UniqueConstraint("team_id", "person_id"), UniqueConstraint("team_id", "id"), within_team("driver_id", "driver"))
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


class ChangeSet(Base):
    """One act of one person: who, when, what for, what it is about, and what it takes back."""

    __tablename__ = "change_set"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        within_team("takes_back_id", "change_set"),
        within_team("original_id", "change_set"),
        within_team("rig_token_id", "rig_token"),
        Index(None, "team_id", "person_id", "id"),
        Index(None, "team_id", "subject_table", "subject_id"),
    )
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    public_id: Mapped[UUID] = mapped_column(Uuid, default=uuid7, unique=True)
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    rig_token_id: Mapped[Key | None]
    made_at: Mapped[datetime] = mapped_column(default=now)
    action: Mapped[Code]
    summary: Mapped[str] = mapped_column(String(300))
    subject_table: Mapped[Code | None]
    subject_id: Mapped[Key | None]
    takes_back_id: Mapped[Key | None]
    """The change set of which this one is the reverse."""
    original_id: Mapped[Key | None]
    """What somebody did first, of which this one is an undo or a redo."""
    turn: Mapped[Word | None]
    """`undo` or `redo`; None for what somebody did first."""
    standing: Mapped[bool] = mapped_column(default=True, server_default="1")
    """Of an original: whether what it did is in force now."""


class Change(Base):
    """One row before and after a change set. Rows that came in bulk name their change set instead."""

    __tablename__ = "change"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"), within_team("change_set_id", "change_set"), Index(None, "team_id", "table_name", "row_id")
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    change_set_id: Mapped[Key]
    table_name: Mapped[Code]
    row_id: Mapped[Key]
    version: Mapped[int | None]
    """Of the row after the change: taking back is refused where it has changed since. None where rows have none."""
    before: Mapped[dict[str, Any] | None]
    after: Mapped[dict[str, Any] | None]


class TrackRow(Public, Base):
    """A track; its layouts hang on it."""

    __tablename__ = "track"
    __table_args__ = table_args(UniqueConstraint("team_id", "name"), UniqueConstraint("team_id", "id"))
    recorded = True
    shared = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    name: Mapped[Label]


class Layout(Public, Base):
    """One layout of a track: what laps are driven on."""

    __tablename__ = "layout"
    __table_args__ = table_args(UniqueConstraint("team_id", "track_id", "name"), UniqueConstraint("team_id", "id"), within_team("track_id", "track"))
    recorded = True
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
    recorded = True
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
    recorded = True
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
    recorded = True
    shared = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    name: Mapped[Label]


class Driver(Public, Base):
    """A driver of the team, or a guest whose laps are kept for comparison."""

    __tablename__ = "driver"
    __table_args__ = table_args(UniqueConstraint("team_id", "name"), UniqueConstraint("team_id", "id"))
    recorded = True
    shared = True
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
    recorded = True
    unrecorded_columns = frozenset({"revision"})
    id: Mapped[Id]
    team_id: Mapped[Key]
    layout_id: Mapped[Key]
    car_id: Mapped[Key]
    settings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    note: Mapped[str | None] = mapped_column(Text)
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
    look: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), deferred=True)
    """What a preview of a large file said, kept with the state it was made from."""
    result: Mapped[dict[str, Any] | None]
    change_set_id: Mapped[Key | None]


class PracticeSession(Public, Base):
    """A session in which laps were driven; its label is the file's, with a number behind it where that was taken."""

    __tablename__ = "practice_session"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "combination_id", "label"), UniqueConstraint("team_id", "id"), within_team("combination_id", "combination")
    )
    recorded = True
    shared = True
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
        UniqueConstraint("team_id", "combination_id", "about"),
        UniqueConstraint("team_id", "id"),
        within_team("combination_id", "combination", ondelete="CASCADE"),
    )
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    about: Mapped[str] = mapped_column(String(60))
    """`summary`, or `driver:` and the driver's public id."""
    stamp: Mapped[str] = mapped_column(String(64))
    body: Mapped[bytes] = mapped_column(LONGBLOB)
    made_at: Mapped[datetime] = mapped_column(default=now)


class Job(Public, Base):
    """Work in the background. The row is the truth; a message only wakes a worker."""

    __tablename__ = "job"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"), Index(None, "team_id", "person_id", "id"), Index(None, "state", "lease_until"))
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
