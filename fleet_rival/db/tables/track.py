"""Tracks and their layouts."""

from typing import Any

from sqlalchemy import JSON, ForeignKey, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import (
    Base,
    Code,
    Id,
    Key,
    Label,
    Metres,
    Public,
    Quantity,
    Word,
    table_args,
    within_team,
)

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
    __table_args__ = table_args(
        UniqueConstraint("team_id", "track_id", "name"),
        UniqueConstraint("team_id", "id"),
        within_team("track_id", "track"),
        within_team("derived_from_id", "layout"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    track_id: Mapped[Key]
    name: Mapped[Label]
    kind: Mapped[Code]
    length_m: Mapped[Metres]
    centreline_step_m: Mapped[Metres | None]
    centreline_xy_m: Mapped[list[Any] | None] = mapped_column(deferred=True)
    derived_from_id: Mapped[Key | None]
    derivation: Mapped[Word | None]
    """`reversed` or `shortened`, of the layout that it was made from."""
    pit_entry_m: Mapped[Metres | None]
    pit_exit_m: Mapped[Metres | None]
    pit_side: Mapped[Word | None]
    pit_limit_kmh: Mapped[Quantity | None]
    pit_entry_note: Mapped[str | None] = mapped_column(Text)
    pit_exit_note: Mapped[str | None] = mapped_column(Text)
    edition: Mapped[int] = mapped_column(default=0)
    """Rises when its sectors or corners get other boundaries, so that its version does."""


class LayoutSector(Base):
    """A sector of a layout."""

    __tablename__ = "layout_sector"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "layout_id", "code"),
        UniqueConstraint("team_id", "id"),
        within_team("layout_id", "layout"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    layout_id: Mapped[Key]
    code: Mapped[Label]
    start_m: Mapped[Metres]


class LayoutCorner(Public, Base):
    """A corner of a layout, and what is written of it."""

    __tablename__ = "layout_corner"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "layout_id", "code"),
        UniqueConstraint("team_id", "id"),
        within_team("layout_id", "layout"),
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
    other_names: Mapped[list[Any]] = mapped_column(JSON, default=list)
    move: Mapped[Label | None]
    """A name for corners that are one move."""
    given_up_for: Mapped[Label | None]
    """Code of the corner for which time is given up here; for the next one `linked_to_next` says so."""
    importance: Mapped[Word | None]
    """What people say; None where the derived one stands."""
    traits: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """`kind` and `where` of each."""
    kerbs: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """`where`, `use` and `why` of each piece."""
    limits: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """`where`, `part`, `cost` and `rules` of each."""
    passing: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """`side`, `risk`, `wrong` and `yield_when` of each."""
    lanes: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """`phase`, `lane`, `where` and `why` of each."""
    note: Mapped[str | None] = mapped_column(Text)
