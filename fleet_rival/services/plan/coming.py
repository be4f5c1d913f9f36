"""The blocks of people's weeks, without asking why they are there: for first pages, the board and calendars."""

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.core.planning.follow import OPEN
from fleet_rival.db.tables import Combination, Driver, Entry, PlanBlock, Resource, SeriesWeekRow
from fleet_rival.services.plan.followed import became_of
from fleet_rival.services.plan.rules import own_rules
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week.entered import combinations_of
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.wording.plan import became_words, block_words, gain_words, pass_words

__all__ = ["ComingBlock", "Practice", "coming_blocks", "practice_of"]


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
    driver_id: UUID
    combination_id: UUID | None
    """Where a run for it is declared; None: nobody knows yet."""
    state: str
    became: str
    pass_mark: str


@dataclass(frozen=True, slots=True)
class Practice:
    """How an entry's practice stands: blocks done, missed, and to come."""

    done: int
    missed: int
    coming: int
    next_at: datetime | None


def practice_of(session: Session, actor: Actor, entries: Sequence[UUID], now: datetime) -> dict[UUID, Practice]:
    """How the practice stands that was planned for some entries; those without a plan are missing."""
    query = (
        select(PlanBlock, Entry.public_id)
        .join(Entry, (Entry.team_id == PlanBlock.team_id) & (Entry.id == PlanBlock.entry_id))
        .where(PlanBlock.team_id == actor.team_id, Entry.public_id.in_(entries))
    )
    rows: dict[UUID, list[PlanBlock]] = defaultdict(list)
    for row, entry_id in session.execute(query) if entries else ():
        rows[entry_id].append(row)
    became = became_of(session, actor, [row for own in rows.values() for row in own], now)
    out = {}
    for entry_id, own in rows.items():
        states = Counter(became[row.id].state for row in own)
        coming = [row.begins_at for row in own if became[row.id].state in OPEN]
        # What was replaced or cut short is not what was planned; whether that is bad is for people to say.
        missed = states["missed"] + states["replaced"] + states["short"]
        out[entry_id] = Practice(states["done"], missed, len(coming), min(coming, default=None))
    return out


def coming_blocks(session: Session, actor: Actor, since: datetime, now: datetime) -> Sequence[ComingBlock]:
    """Blocks that end after a moment, in the order of time; a driver's own alone for who doesn't see all."""
    query = (
        select(PlanBlock, Driver.name, Driver.public_id, Entry.week_id)
        .join(Driver, (Driver.team_id == PlanBlock.team_id) & (Driver.id == PlanBlock.driver_id))
        .join(Entry, (Entry.team_id == PlanBlock.team_id) & (Entry.id == PlanBlock.entry_id))
        .where(PlanBlock.team_id == actor.team_id, PlanBlock.begins_at > since - timedelta(hours=10))
        .order_by(PlanBlock.begins_at, PlanBlock.id)
    )
    if not actor.sees_all:
        query = query.where(PlanBlock.driver_id == actor.driver_id)
    found = [(row, name, driver_id, week) for row, name, driver_id, week in session.execute(query)]
    rows = [item for item in found if item[0].begins_at + timedelta(minutes=item[0].minutes) > since]
    if not rows:
        return ()
    weeks = {
        item.row.id: item.facts
        for item in load_weeks(session, actor, SeriesWeekRow.id.in_({week for *_, week in rows}))
    }
    became = became_of(session, actor, [row for row, *_ in rows], now)
    places = combinations_of(session, actor, {row.entry_id for row, *_ in rows})
    own = select(Combination.id, Combination.public_id).where(Combination.team_id == actor.team_id)
    public = {key: public_id for key, public_id in session.execute(own)}
    library = own_rules(session, actor).library
    names = {
        key: name
        for key, name in session.execute(select(Resource.id, Resource.name).where(Resource.team_id == actor.team_id))
    }
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
            driver_id,
            public[int(min(places[row.entry_id]))] if places.get(row.entry_id) else None,
            became[row.id].state,
            became_words(became[row.id].state, became[row.id].laps, became[row.id].purpose),
            pass_words(
                row.kind,
                {**row.numbers, "gain_us": row.gain_us},
                library[row.kind].pass_mark if row.kind in library else "",
            ),
        )
        for row, name, driver_id, week in rows
    ]
