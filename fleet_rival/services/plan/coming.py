"""The blocks that are still to come, without asking why they are there: for first pages and calendars."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.db.tables import Driver, Entry, PlanBlock, Resource, SeriesWeekRow
from fleet_rival.services.base import Actor
from fleet_rival.services.series_rows import load_weeks
from fleet_rival.wording.plan import block_words, gain_words

__all__ = ["ComingBlock", "coming_blocks"]


@dataclass(frozen=True, slots=True)
class ComingBlock:
    """A block of a driver's plan."""

    id: UUID
    version: int
    driver: str
    begins_at: datetime
    ends_at: datetime
    kind: str
    words: str
    why: str
    series: str
    place: str
    rig: str | None
    coach: str | None


def coming_blocks(session: Session, actor: Actor, since: datetime) -> Sequence[ComingBlock]:
    """Blocks that end after a moment, in the order of time; a driver's own alone for who doesn't see all."""
    query = (
        select(PlanBlock, Driver.name, Entry.week_id)
        .join(Driver, (Driver.team_id == PlanBlock.team_id) & (Driver.id == PlanBlock.driver_id))
        .join(Entry, (Entry.team_id == PlanBlock.team_id) & (Entry.id == PlanBlock.entry_id))
        .where(PlanBlock.team_id == actor.team_id, PlanBlock.begins_at > since - timedelta(hours=10))
        .order_by(PlanBlock.begins_at, PlanBlock.id)
    )
    if not actor.sees_all:
        query = query.where(PlanBlock.driver_id == actor.driver_id)
    rows = [(row, name, week) for row, name, week in session.execute(query) if row.begins_at + timedelta(minutes=row.minutes) > since]
    if not rows:
        return ()
    weeks = {item.row.id: item.facts for item in load_weeks(session, actor, SeriesWeekRow.id.in_({week for _, _, week in rows}))}
    names = {key: name for key, name in session.execute(select(Resource.id, Resource.name).where(Resource.team_id == actor.team_id))}
    return [
        ComingBlock(
            row.public_id,
            row.version,
            name,
            row.begins_at,
            row.begins_at + timedelta(minutes=row.minutes),
            row.kind,
            block_words(row.kind, row.about),
            gain_words(row.why, row.numbers, row.gain_us),
            weeks[week].series,
            weeks[week].place,
            names.get(row.rig_id) if row.rig_id is not None else None,
            names.get(row.coach_id) if row.coach_id is not None else None,
        )
        for row, name, week in rows
    ]
