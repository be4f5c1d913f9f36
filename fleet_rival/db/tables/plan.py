"""The practice plan: blocks in drivers' weeks, what was said when it was made, and the team's own rules."""

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.db.tables.base import Base, Id, Key, Label, Public, Quantity, Word, table_args, within_team

__all__ = ["PlanBlock", "PlanMade", "PlanRules"]


class PlanBlock(Public, Base):
    """A block of practice in a driver's plan for an entry."""

    __tablename__ = "plan_block"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        Index(None, "team_id", "begins_at"),
        within_team("driver_id", "driver"),
        within_team("entry_id", "entry"),
        within_team("rig_id", "resource"),
        within_team("coach_id", "resource"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    driver_id: Mapped[Key]
    entry_id: Mapped[Key]
    kind: Mapped[Word]
    about: Mapped[str] = mapped_column(String(120))
    """So that the same block is known again when the plan is made anew: a corner and a kind of mistake, an option;
    else empty.
    """
    minutes: Mapped[int]
    begins_at: Mapped[datetime]
    rig_id: Mapped[Key | None]
    coach_id: Mapped[Key | None]
    locked: Mapped[bool] = mapped_column(default=False)
    said: Mapped[Word | None]
    """`done` or `missed`, where somebody said what became of it; None: as the laps tell."""
    gain_us: Mapped[int]
    """A lap, not weighted."""
    why: Mapped[Word]
    numbers: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """How the gain came about, after `core.planning.needs`."""


class PlanMade(Public, Base):
    """The last time that a plan was made for a stretch of days: what it is worth, and what found no room."""

    __tablename__ = "plan_made"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"), UniqueConstraint("team_id", "name"))
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    name: Mapped[Label]
    """The first day of the week, ISO."""
    made_at: Mapped[datetime]
    value_us: Mapped[Quantity]
    bound_us: Mapped[Quantity]
    proven: Mapped[bool]
    left_out: Mapped[list[Any]] = mapped_column(JSON, default=list)
    changed: Mapped[list[Any]] = mapped_column(JSON, default=list)
    """What became other than before: `words`, and `begins_at` of what goes somewhere else."""


class PlanRules(Public, Base):
    """A team's own rules of readiness and own blocks, where they are other than usual."""

    __tablename__ = "plan_rules"
    __table_args__ = table_args(UniqueConstraint("team_id"), UniqueConstraint("team_id", "id"))
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    readiness: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """Check to what meets it and what is close."""
    weights: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """Check to its weight in the total."""
    blocks: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """Kind of block to what is other than usual in it; kinds that the team has added in full."""
    planning: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    """Setting of planning to its value, where it is other than usual."""
