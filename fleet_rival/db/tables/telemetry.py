"""Traces, the files that hold them, uploads that are coming, and what rigs have sent."""

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import MEDIUMBLOB
from sqlalchemy.orm import Mapped, mapped_column

from fleet_rival.clock import now
from fleet_rival.db.tables.base import Base, Id, Key, Public, Quantity, Word, table_args, within_team

__all__ = ["FeedEntry", "TraceFile", "TraceRow", "Upload"]


class TraceFile(Base):
    """A file of traces in the store, one row group a lap. Never changed; swept when no trace has been in it for
    long.
    """

    __tablename__ = "trace_file"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"), UniqueConstraint("team_id", "sha256"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    sha256: Mapped[str] = mapped_column(String(64))
    size: Mapped[int] = mapped_column(BigInteger)
    made_at: Mapped[datetime] = mapped_column(default=now)


class TraceRow(Base):
    """A lap's trace: where its samples are, and what was read from them. It hangs on its lap: goes with it and comes
    back with it.
    """

    __tablename__ = "trace"
    __table_args__ = table_args(
        UniqueConstraint("team_id", "id"),
        UniqueConstraint("team_id", "lap_id"),
        Index(None, "team_id", "combination_id"),
        within_team("combination_id", "combination"),
        within_team("lap_id", "lap"),
        within_team("file_id", "trace_file"),
    )
    recorded = True
    id: Mapped[Id]
    team_id: Mapped[Key]
    combination_id: Mapped[Key]
    lap_id: Mapped[Key]
    file_id: Mapped[Key]
    row_group: Mapped[int]
    samples: Mapped[int]
    rate_hz: Mapped[Quantity]
    channels: Mapped[list[Any]] = mapped_column(JSON)
    stretches: Mapped[list[Any]] = mapped_column(JSON)
    """What can't be used: `reason`, `start_m`, `end_m`, `time_holds`, `channels`."""
    crossings: Mapped[dict[str, Any]] = mapped_column(JSON)
    """Code of the part that begins at a boundary to speed and offset there; `line` is the end of the lap."""
    pulls: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    """By segment the longest stretch at full throttle: number of the first place, speeds. None: read before this was
    looked for.
    """


class Upload(Public, Base):
    """A large file that is coming in pieces, or has come: telemetry, or a team's package."""

    __tablename__ = "upload"
    __table_args__ = table_args(UniqueConstraint("team_id", "id"), within_team("combination_id", "combination"))
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    combination_id: Mapped[Key | None]
    """None: of a layout that isn't known yet."""
    person_id: Mapped[Key] = mapped_column(ForeignKey("person.id"))
    name: Mapped[str] = mapped_column(String(255))
    size: Mapped[int] = mapped_column(BigInteger)
    received: Mapped[int] = mapped_column(BigInteger, default=0)
    state: Mapped[Word] = mapped_column(default="coming")
    """`coming`, `whole`, `read` or `unusable`."""
    names: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    """Who its drivers are: name in the file to the driver's name in the team."""
    result: Mapped[dict[str, Any] | None]


class FeedEntry(Base):
    """One line that a rig has sent and that is acknowledged. It is taken into laps right after; its key stays, so
    that it is never taken twice.
    """

    __tablename__ = "feed_entry"
    __table_args__ = table_args(
        UniqueConstraint("rig_token_id", "entry_key"),
        UniqueConstraint("team_id", "id"),
        Index(None, "state", "kind", "due_at"),
        Index(None, "rig_token_id", "lap_key"),
    )
    id: Mapped[Id]
    team_id: Mapped[Key] = mapped_column(ForeignKey("team.id"))
    rig_token_id: Mapped[Key] = mapped_column(ForeignKey("rig_token.id"))
    entry_key: Mapped[str] = mapped_column(String(80))
    kind: Mapped[Word]
    """`lap` or `samples`."""
    lap_key: Mapped[str] = mapped_column(String(64))
    """Digest of what tells the lap from others: samples wait for their lap, and for each other."""
    parts: Mapped[int] = mapped_column(default=1)
    """In how many lines a lap's samples come."""
    due_at: Mapped[datetime] = mapped_column(default=now)
    """From when on it is worth trying (again) to take it."""
    state: Mapped[Word] = mapped_column(default="waiting")
    """`waiting`, `taken` or `refused`."""
    reason: Mapped[str | None] = mapped_column(String(300))
    content: Mapped[bytes | None] = mapped_column(MEDIUMBLOB)
    """The line as it came, until it is taken."""
    came_at: Mapped[datetime] = mapped_column(default=now)
