"""Cars, drivers and what they share, and combinations of a car and a layout."""

from typing import Any

from sqlalchemy import JSON, BigInteger, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import Base, Id, Key, Label, Public, Quantity, Word, table_args, within_team

__all__ = ["Car", "CarDriver", "Combination", "Driver", "Resource"]


class Car(Public, Base):
    """A car, and what is known of it."""

    __tablename__ = "car"
    __table_args__ = table_args(UniqueConstraint("team_id", "name"), UniqueConstraint("team_id", "id"))
    recorded = True
    shared = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    name: Mapped[Label]
    car_class: Mapped[Label | None]
    drive: Mapped[Label | None]
    gears: Mapped[int | None]
    limiter_rpm: Mapped[int | None]
    shift_rpm: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """Where to shift up: from first to second gear, from second to third, and so on."""
    assists: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """Names of the assists that it has."""
    settings: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """Name, unit, low, high, step, default and what it does, of each."""
    traits: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """How it behaves, in sentences."""
    cold_laps: Mapped[int | None]
    tank_l: Mapped[Quantity | None]
    battery_kwh: Mapped[Quantity | None]
    note: Mapped[str | None] = mapped_column(Text)
    restricted: Mapped[bool] = mapped_column(default=False)
    """Whether only the drivers in `car_driver` may drive it."""
    edition: Mapped[int] = mapped_column(default=0)
    """Rises when those drivers change, so that its version does."""


class CarDriver(Base):
    """That a driver may drive a car that isn't open to all."""

    __tablename__ = "car_driver"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "car_id", "driver_id"),
        UniqueConstraint("team_id", "id"),
        within_team("car_id", "car"),
        within_team("driver_id", "driver"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    car_id: Mapped[Key]
    driver_id: Mapped[Key]


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
    nickname: Mapped[Label | None]
    zone: Mapped[str | None] = mapped_column(String(64))
    assists: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """How `abs`, `traction`, `shifting` and `line` are set, in a few words each."""
    controls: Mapped[str | None] = mapped_column(String(500))
    view: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """`field_of_view_deg`, `screens` and `words`: references depend on what can be seen."""
    preferences: Mapped[str | None] = mapped_column(Text)
    units: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    availability: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """`weekly`, `off` and `extra`, in wall times of `zone`."""
    care: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """`seat_limit_minutes`, `break_minutes`, `day_limit_minutes`, `quiet_from` and `quiet_to`: where they are other
    than usual.
    """


class Resource(Public, Base):
    """What drivers share: a rig, or the coach's time."""

    __tablename__ = "resource"
    __table_args__ = table_args(UniqueConstraint("team_id", "name"), UniqueConstraint("team_id", "id"))
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    name: Mapped[Label]
    kind: Mapped[Word]
    """`rig` or `coach`."""
    zone: Mapped[str | None] = mapped_column(String(64))
    availability: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    note: Mapped[str | None] = mapped_column(Text)


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
    shared = True
    unrecorded_columns = frozenset({"revision"})
    id: Mapped[Id]
    team_id: Mapped[Key]
    layout_id: Mapped[Key]
    car_id: Mapped[Key]
    settings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    note: Mapped[str | None] = mapped_column(Text)
    target: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """`rule`, `time_us` and `per_cent`."""
    benchmark: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """`time_us`, `whose`, `source` and `conditions`."""
    strike_limit: Mapped[int | None]
    incident_limit: Mapped[int | None]
    revision: Mapped[int] = mapped_column(BigInteger, default=1)
