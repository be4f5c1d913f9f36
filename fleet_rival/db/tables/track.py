"""Tracks and their layouts."""

from typing import Any

from sqlalchemy import ForeignKey, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import Base, Code, Id, Key, Label, Metres, Public, Word, table_args, within_team

__all__ = ["Layout", "LayoutCorner", "LayoutSector", "TrackRow"]


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
