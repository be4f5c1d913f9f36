"""Who did what, and the rows before and after."""

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint, Uuid
from sqlalchemy.orm import Mapped, mapped_column
from uuid6 import uuid7

from fleet_rival.clock import now
from fleet_rival.db.tables.base import Base, Code, Id, Key, Word, table_args, within_team

__all__ = ["BROUGHT", "Change", "ChangeSet"]

BROUGHT = "brought"


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
    """`undo` or `redo`; None for what somebody did first; `brought` for what came with a team from elsewhere, of
    which no row before is known.
    """
    standing: Mapped[bool] = mapped_column(default=True, server_default="1")
    """Of an original: whether what it did is in force now."""


class Change(Base):
    """One row before and after a change set. Rows that came in bulk name their change set instead."""

    __tablename__ = "change"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        within_team("change_set_id", "change_set"),
        Index(None, "team_id", "table_name", "row_id"),
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
