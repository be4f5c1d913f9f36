"""The race that is ahead of an entry, from the driver's own laps and what people know of it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Final
from uuid import UUID

import orjson
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.analysis import DriverAnalysis
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.db.tables import Car, Combination, Driver, Entry, Layout, PracticeSession, Run, SeriesWeekRow
from fleet_rival.services.find.analyses import analysed, without_intervals
from fleet_rival.services.find.look import asked_look
from fleet_rival.services.find.pace import driver_pace
from fleet_rival.services.fix.clinic import driver_clinic
from fleet_rival.services.race.wish import RaceWish, wish_of
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week import entries
from fleet_rival.services.week.entered import combination_of
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.wording.runs import run_place

__all__ = ["Ahead", "ahead_of", "races"]

_MOST_READINGS: Final = 5


@dataclass(frozen=True, slots=True)
class Ahead:
    """Everything that the race's figures stand on."""

    entry: Entry
    week_id: UUID
    driver: Driver
    facts: SeriesWeek
    combination: Combination | None
    layout: Layout | None
    car: Car | None
    wish: RaceWish
    found: DriverAnalysis | None
    target_us: int | None
    race_at: datetime | None
    clinic: Mapping[str, Any]
    """The driver's corner clinic of the week; empty where there is none."""
    trials: Sequence[Mapping[str, Any]]
    """Options that were tried, with what came of it; after `services.pace`."""
    eaters: str | None
    """Where on the lap the tyres go, in words."""
    hot: Sequence[Mapping[str, Any]]
    """Hot pressures that were read after runs, the last ones first: by wheel, with when, how, and the track's
    temperature then.
    """


def races(sessions: sessionmaker[Session], actor: Actor, clock: Callable[[], datetime] = now) -> list[dict[str, Any]]:
    """Entries of each series' week that runs, or begins within seven days; the next start first; a driver's own
    alone.
    """
    now = clock()
    with sessions() as session:
        near = [
            item
            for item in load_weeks(session, actor)
            if item.facts.window[0] < now + timedelta(days=7) and item.facts.window[1] > now
        ]
        # Of each series the week that runs, else the next.
        first = {item.series_id: item for item in sorted(near, key=lambda item: item.facts.window, reverse=True)}
        weeks = list(first.values())
        by_id = {item.row.public_id: item for item in weeks}
        out = []
        for entry in entries.entries_of_weeks(session, actor, [item.row.id for item in weeks]):
            facts = by_id[entry.week_id].facts
            coming = [start for start in entry.starts if start > now]
            out.append(
                {
                    "entry_id": entry.id,
                    "driver_id": entry.driver_id,
                    "driver": entry.driver,
                    "series": facts.series,
                    "place": facts.place,
                    "importance": entry.importance,
                    "race_at": min(coming, default=None),
                }
            )
    return sorted(out, key=lambda item: (item["race_at"] is None, item["race_at"] or now, item["driver"]))


def ahead_of(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, clock: Callable[[], datetime] = now
) -> Ahead:
    """Load what is known before an entry's race.

    Raises:
        NotThere: no such entry, or not the actor's.
    """
    view = entries.entry(sessions, actor, entry_id)
    with sessions() as session:
        row = session.scalars(select(Entry).where(Entry.team_id == actor.team_id, Entry.public_id == entry_id)).one()
        week = next(item for item in load_weeks(session, actor, SeriesWeekRow.id == row.week_id))
        driver = session.get_one(Driver, row.driver_id)
        combination = combination_of(session, actor, row)
        layout = session.get(Layout, week.row.layout_id) if week.row.layout_id else None
        car = session.get_one(Car, combination.car_id) if combination else None
        race_at = min((start for start in view.starts if start > clock()), default=max(view.starts, default=None))
        found = None
        if combination is not None and layout is not None:
            look = asked_look(sessions, actor, combination.public_id, week.row.public_id)
            track, settings = (
                load_track(session, layout, centreline=False),
                without_intervals(look.settings(combination)),
            )
            found = analysed(track, look.laps(session, actor, combination, [driver.id]), settings).drivers.get(
                driver.name
            )
        week_id = week.row.public_id
        hot = _hot_pressures(session, actor, combination, driver) if combination else ()
        session.expunge_all()
    clinic: Mapping[str, Any] = {}
    trials: Sequence[Mapping[str, Any]] = ()
    goal, eaters = None, None
    if found is not None and combination is not None:
        which = (sessions, actor, combination.public_id, driver.public_id, week_id)
        # The target may be a share of the team's best ideal, which everybody's laps make.
        clinic, told = orjson.loads(driver_clinic(*which)[0]), orjson.loads(driver_pace(*which)[0])
        goal, trials, eaters = told["target_us"], told["options"], told["eaters"]
    return Ahead(
        row,
        week_id,
        driver,
        week.facts,
        combination,
        layout,
        car,
        wish_of(row),
        found,
        goal,
        race_at,
        clinic,
        trials,
        eaters,
        hot,
    )


def _hot_pressures(session: Session, actor: Actor, combination: Combination, driver: Driver) -> list[dict[str, Any]]:
    own = (Run.team_id == actor.team_id, Run.combination_id == combination.id, Run.driver_id == driver.id)
    query = (
        select(Run, PracticeSession.label)
        .join(
            PracticeSession,
            (PracticeSession.team_id == Run.team_id) & (PracticeSession.id == Run.session_id),
            isouter=True,
        )
        .where(*own)
        .order_by(Run.id.desc())
    )
    out = []
    for run, label in session.execute(query):
        for reading in reversed(run.readings):
            hot = {
                wheel: value for wheel, value in (reading.get("hot_pressure_kpa") or {}).items() if value is not None
            }
            if hot:
                where = run_place(label, run.number)
                out.append(
                    {
                        "where": where,
                        **{name: reading.get(name) for name in ("when", "how", "track_temp_c")},
                        "hot_kpa": hot,
                    }
                )
    return out[:_MOST_READINGS]
