"""The starts that an entry may choose from, and which of them fit."""

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.availability import covers
from fleet_rival.core.season.clashes import occupied
from fleet_rival.db.tables import SeriesWeekRow
from fleet_rival.services.find.overview.cells import minutes_of
from fleet_rival.services.find.overview.load import load
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week.entries import entry
from fleet_rival.services.week.rows import load_weeks

__all__ = ["StartChoice", "start_choices"]


@dataclass(frozen=True, slots=True)
class StartChoice:
    """A start on offer."""

    start: datetime
    in_time: bool | None
    """Whether it lies whole in the driver's free time; None where nobody said when that is."""
    busy: bool
    """Whether the driver has another start at the same time, in this week or another series."""


def start_choices(sessions: sessionmaker[Session], actor: Actor, entry_id: UUID) -> list[StartChoice]:
    """All starts of an entry's week."""
    own = entry(sessions, actor, entry_id)
    with sessions() as session:
        key = session.scalars(
            select(SeriesWeekRow.id).where(
                SeriesWeekRow.team_id == actor.team_id, SeriesWeekRow.public_id == own.week_id
            )
        ).one()
        (of,) = load_weeks(session, actor, SeriesWeekRow.id == key)
        loaded = load(session, actor, of.facts.window[0])
    week = next(item for item in loaded.shown if item.row.id == key)
    driver = next(item for item in loaded.drivers if item.id == own.driver_id)
    minutes = minutes_of(loaded, week)
    others = [
        occupied(start, minutes_of(loaded, item))
        for item in {item.row.id: item for step in (loaded.shown, *loaded.coming) for item in step}.values()
        if (theirs := item.entries.get(driver.id)) and theirs.id != own.id
        for start in theirs.starts
    ]
    out = []
    for start in week.starts:
        begins, ends = occupied(start, minutes)
        in_time = covers(driver.free, begins, ends) if driver.free is not None else None
        out.append(StartChoice(start, in_time, any(first < ends and begins < last for first, last in others)))
    return out
