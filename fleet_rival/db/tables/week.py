"""Cars, drivers, and combinations of a car and a layout."""

from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import Base, Id, Key, Label, Public, table_args, within_team

__all__ = ["Car", "Combination", "Driver"]


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
