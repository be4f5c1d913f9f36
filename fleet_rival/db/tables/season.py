"""Series, their weeks, who drives in them, and what comes in or goes out of it."""

from datetime import date, datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Date, ForeignKey, Index, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import Base, Id, Key, Label, Public, Quantity, Word, table_args, within_team

__all__ = ["CalendarAddress", "Entry", "SeasonFileRow", "Series", "SeriesWeekCar", "SeriesWeekRow"]


class Series(Public, Base):
    """A series; its weeks hang on it."""

    __tablename__ = "series"
    __table_args__ = table_args(UniqueConstraint("team_id", "name"), UniqueConstraint("team_id", "id"))
    recorded = True
    shared = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    name: Mapped[Label]
    note: Mapped[str | None] = mapped_column(Text)
    best_weeks: Mapped[int | None]
    """So many weeks count, the best ones; None: all."""
    starts_count: Mapped[Word] = mapped_column(default="best")
    """What a week brings where it has several starts: the `best`, the `sum`, or the `mean` of their points."""


class SeriesWeekRow(Public, Base):
    """A week of a series, with the fields of a season file."""

    __tablename__ = "series_week"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "series_id", "number"),
        UniqueConstraint("team_id", "id"),
        within_team("series_id", "series"),
        within_team("layout_id", "layout"),
        Index(None, "team_id", "begins", "ends"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    series_id: Mapped[Key]
    number: Mapped[int]
    zone: Mapped[str] = mapped_column(String(64))
    begins: Mapped[date] = mapped_column(Date)
    ends: Mapped[date] = mapped_column(Date)
    track: Mapped[Label | None]
    layout: Mapped[Label | None]
    """As they were written; `layout_id` is the layout of this name, once there is one."""
    layout_id: Mapped[Key | None]
    race_laps: Mapped[int | None]
    race_minutes: Mapped[Quantity | None]
    starts: Mapped[str | None] = mapped_column(Text)
    start: Mapped[Word | None]
    setup: Mapped[Word | None]
    cautions: Mapped[bool | None]
    practice_minutes: Mapped[Quantity | None]
    qualifying_minutes: Mapped[Quantity | None]
    qualifying_laps: Mapped[int | None]
    fuel_rate: Mapped[Quantity | None]
    tyre_rate: Mapped[Quantity | None]
    compounds: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """Pairs of a compound's name and whether it must be used."""
    stops_min: Mapped[int | None]
    damage: Mapped[Label | None]
    repairs: Mapped[Label | None]
    grid: Mapped[int | None]
    strike_limit: Mapped[int | None]
    incident_limit: Mapped[int | None]
    boost: Mapped[Label | None]
    session_local: Mapped[str | None] = mapped_column(String(26))
    """ISO date and time of day inside the simulation, without a zone."""
    air_temp_c: Mapped[Quantity | None]
    track_temp_c: Mapped[Quantity | None]
    wetness: Mapped[Word | None]
    limits_rule: Mapped[Label | None]
    note: Mapped[str | None] = mapped_column(Text)
    changeable: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """What may be changed in the car: name, default, low, high, step, unit of each."""
    edition: Mapped[int] = mapped_column(default=0)
    """Rises when its cars change, so that its version does."""


class SeriesWeekCar(Base):
    """A car that may be driven in a series' week."""

    __tablename__ = "series_week_car"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "week_id", "car_id"),
        UniqueConstraint("team_id", "id"),
        within_team("week_id", "series_week"),
        within_team("car_id", "car"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    week_id: Mapped[Key]
    car_id: Mapped[Key]
    place: Mapped[int]
    """In the order of the file."""


class Entry(Public, Base):
    """That a driver drives in a series' week, when, and how much it matters."""

    __tablename__ = "entry"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "week_id", "driver_id"),
        UniqueConstraint("team_id", "id"),
        within_team("week_id", "series_week"),
        within_team("driver_id", "driver"),
        within_team("car_id", "car"),
        within_team("resource_id", "resource"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    week_id: Mapped[Key]
    driver_id: Mapped[Key]
    importance: Mapped[Word]
    """`must`, `want`, or `if_ready`."""
    starts: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """ISO instants in UTC, in order."""
    car_id: Mapped[Key | None]
    resource_id: Mapped[Key | None]
    note: Mapped[str | None] = mapped_column(Text)
    points: Mapped[Quantity | None]
    """What the week brought; None: not driven yet, or nobody said."""
    race: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """What people know and choose of its race: after `services.race.wish.RaceWish`."""


class SeasonFileRow(Public, Base):
    """A season file as it came, looked at and perhaps imported."""

    __tablename__ = "season_file"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"), within_team("change_set_id", "change_set"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    name: Mapped[str] = mapped_column(String(255))
    size: Mapped[int] = mapped_column(BigInteger)
    content: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True)
    state: Mapped[Word] = mapped_column(default="preview")
    """`preview`, `imported`, or `taken_back`."""
    change_set_id: Mapped[Key | None]


class CalendarAddress(Public, Base):
    """A private address under which a calendar program reads one person's calendar, until it is revoked."""

    __tablename__ = "calendar_address"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    name: Mapped[Label]
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    used_at: Mapped[datetime | None]
    revoked_at: Mapped[datetime | None]
