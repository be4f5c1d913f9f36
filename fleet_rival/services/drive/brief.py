"""What a rig has to know before a driver drives: where, in which car, in which weather, and what was declared of the
run.
"""

from dataclasses import dataclass
from typing import Any, Final

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.tables import Car, Combination, Driver, Entry, Lap, Layout, Run, SeriesWeekCar, SeriesWeekRow
from fleet_rival.formats.tracks import write_track
from fleet_rival.services.drive.runs.context import context_of
from fleet_rival.services.drive.runs.declare import waiting_runs
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week.rows import week_begun_last

__all__ = ["Brief", "brief"]

_CONDITIONS: Final = ("wetness", "air_temp_c", "track_temp_c", "session_local")
_DECLARED: Final = ("purpose", "tyre_set", "compound", "tyre_age", "fuel_l", "energy_kwh", "setup", "company")


@dataclass(frozen=True, slots=True)
class Brief:
    """What a rig has to know: where it drives, for whom, and what was declared of the run."""

    driver: str
    car: str
    track: bytes
    """The track file."""
    conditions: dict[str, Any]
    """Of the week that it is driven in: `wetness`, temperatures, date and time of day inside the simulation; None
    where nobody said.
    """
    declared: dict[str, Any] | None


def brief(sessions: sessionmaker[Session], actor: Actor, driver: str) -> Brief:
    """Where a driver's next run is driven: as it was declared last, else in the running week's car and place, else
    where they drove last.

    Raises:
        NotThere: no such driver, or nothing that they could drive.
    """
    with sessions() as session:
        who = session.scalar(select(Driver).where(Driver.team_id == actor.team_id, Driver.name == driver))
        if who is None:
            names = session.scalars(
                select(Driver.name).where(Driver.team_id == actor.team_id, ~Driver.guest).order_by(Driver.name)
            ).all()
            raise NotThere(f"The team has no driver called {driver}. It has {', '.join(names)}.")
        row, run = _next(session, actor, who)
        if row is None:
            raise NotThere(f"{driver} has no declared run, no entry in this week and no lap yet. Declare a run first.")
        track = load_track(session, session.get_one(Layout, row.layout_id))
        week = week_begun_last(session, actor.team_id, row.layout_id)
        told = context_of(run) if run is not None else None
        return Brief(
            who.name,
            session.get_one(Car, row.car_id).name,
            write_track(track),
            {name: getattr(week, name, None) for name in _CONDITIONS},
            {name: getattr(told, name) for name in _DECLARED} if told is not None else None,
        )


def _next(session: Session, actor: Actor, who: Driver) -> tuple[Combination | None, Run | None]:
    if waiting := waiting_runs(session, actor, driver_id=who.id):
        # Who declared twice before driving meant the second.
        return session.get_one(Combination, waiting[-1].combination_id), waiting[-1]
    today = now().date()
    week, car = SeriesWeekRow, SeriesWeekCar
    entered = session.scalar(
        select(Combination)
        .join(week, (week.team_id == Combination.team_id) & (week.layout_id == Combination.layout_id))
        .join(car, (car.team_id == week.team_id) & (car.week_id == week.id) & (car.car_id == Combination.car_id))
        .join(Entry, (Entry.team_id == week.team_id) & (Entry.week_id == week.id))
        .where(Combination.team_id == actor.team_id, Entry.driver_id == who.id, week.begins <= today, week.ends > today)
        .order_by(week.id)
        .limit(1)
    )
    if entered is not None:
        return entered, None
    last = session.scalar(
        select(Lap.combination_id)
        .where(Lap.team_id == actor.team_id, Lap.driver_id == who.id)
        .order_by(Lap.id.desc())
        .limit(1)
    )
    return (session.get_one(Combination, last), None) if last is not None else (None, None)
