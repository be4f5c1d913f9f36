"""Who drives now: each driver's run as its laps arrive, against its purpose and its pass mark; and what a rig has to know before it drives."""

from collections import defaultdict
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any, Final
from uuid import UUID

from sqlalchemy import func, select, tuple_
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.lap import Incident
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.runs.pass_mark import pass_mark
from fleet_rival.core.season.targets import Benchmark, Target, target_us
from fleet_rival.core.track import Track
from fleet_rival.db.tables import (
    Car,
    Combination,
    Driver,
    Entry,
    Lap,
    Layout,
    PracticeSession,
    Run,
    SeriesWeekCar,
    SeriesWeekRow,
    StandingRow,
    TraceRow,
    now,
)
from fleet_rival.formats.tracks import write_track
from fleet_rival.services.base import Actor
from fleet_rival.services.errors import NotThere
from fleet_rival.services.runs.context import context_of
from fleet_rival.services.runs.declare import WAITING
from fleet_rival.services.runs.places import track_of
from fleet_rival.services.track import load_track
from fleet_rival.services.week import settings_of
from fleet_rival.wording.runs import pass_mark_words

__all__ = ["Brief", "LiveLap", "LiveRun", "LiveView", "brief", "driving_now"]

_SHOWN_FOR: Final = timedelta(hours=3)
_AHEAD: Final = timedelta(hours=12)
_MOST_LAPS: Final = 60
"""Of a run, the last ones."""
_STILL_DRIVING: Final = 2.5
"""Laps' times without a lap after which a run is taken to be over."""
_CONDITIONS: Final = ("wetness", "air_temp_c", "track_temp_c", "session_local")
_DECLARED: Final = ("purpose", "tyre_set", "compound", "tyre_age", "fuel_l", "energy_kwh", "setup", "company")
_COLUMNS: Final = (
    *(Lap.id, Lap.driver_id, Lap.session_id, Lap.run, Lap.number, Lap.kind, Lap.time_us, Lap.valid, Lap.started_at, Lap.purpose),
    *(Lap.strikes, Lap.incidents, Lap.flags, Lap.said, Lap.sectors, Lap.segments),
)
_AT_LEAST: Final = timedelta(seconds=45)


@dataclass(frozen=True, slots=True)
class LiveLap:
    """A lap as it is shown while somebody drives."""

    number: int
    kind: str
    time_us: int
    valid: bool
    incident: str | None
    flags: tuple[str, ...]
    has_trace: bool
    ended_at: datetime | None


@dataclass(frozen=True, slots=True)
class LiveRun:
    """A driver's run."""

    driver_id: UUID
    driver: str
    combination_id: UUID
    track: str
    layout: str
    car: str
    session_id: UUID
    session: str
    number: int
    purpose: str | None
    declared: bool
    watch: tuple[str, ...]
    laps: tuple[LiveLap, ...]
    earlier: int
    """Laps of the run before those that are shown."""
    best_us: int | None
    target_us: int | None
    mark: dict[str, Any]
    mark_words: str
    driving: bool
    last_at: datetime | None


@dataclass(frozen=True, slots=True)
class WaitingRun:
    """A run that was declared and has no lap yet."""

    driver_id: UUID
    driver: str
    combination_id: UUID
    track: str
    layout: str
    car: str
    purpose: str | None
    declared_at: datetime


@dataclass(frozen=True, slots=True)
class LiveView:
    """What the live page shows."""

    runs: tuple[LiveRun, ...]
    waiting: tuple[WaitingRun, ...]


@dataclass(frozen=True, slots=True)
class Brief:
    """What a rig has to know: where it drives, for whom, and what was declared of the run."""

    driver: str
    car: str
    track: bytes
    """The track file."""
    conditions: dict[str, Any]
    """Of the week that it is driven in: `wetness`, temperatures, date and time of day inside the simulation; None where nobody said."""
    declared: dict[str, Any] | None


def driving_now(sessions: sessionmaker[Session], actor: Actor) -> LiveView:
    """The last run of each driver who drove in the last hours, and runs that wait; a driver's own alone for who doesn't see all."""
    with sessions() as session:
        since = now() - _SHOWN_FOR
        # A stand-in that drives faster than time is ahead of it.
        own = [Lap.team_id == actor.team_id, Lap.started_at > since, Lap.started_at < now() + _AHEAD]
        if not actor.sees_all:
            own.append(Lap.driver_id == (actor.driver_id or 0))
        # Each driver's last lap tells the run.
        ends = select(Lap.driver_id, func.max(Lap.started_at).label("at")).where(*own).group_by(Lap.driver_id).subquery()
        last = select(Lap.driver_id, Lap.session_id, Lap.run).join(ends, (ends.c.driver_id == Lap.driver_id) & (ends.c.at == Lap.started_at))
        latest = {row.driver_id: (row.session_id, row.run) for row in session.execute(last.where(*own).order_by(Lap.id))}
        runs = _runs(session, actor, latest)
        return LiveView(tuple(sorted(runs, key=lambda run: (not run.driving, run.driver))), _waiting(session, actor))


def _runs(session: Session, actor: Actor, latest: dict[int, tuple[int, int]]) -> list[LiveRun]:
    if not latest:
        return []
    keys = [(driver_id, session_id, number) for driver_id, (session_id, number) in latest.items()]
    rows: dict[tuple[int, int, int], list[Any]] = defaultdict(list)
    of_runs = tuple_(Lap.driver_id, Lap.session_id, Lap.run).in_(keys)
    for lap in session.execute(select(*_COLUMNS).where(Lap.team_id == actor.team_id, of_runs).order_by(Lap.number)):
        rows[lap.driver_id, lap.session_id, lap.run].append(lap)
    of_declared = tuple_(Run.driver_id, Run.session_id, Run.number).in_(keys)
    declared = {
        (run.driver_id, run.session_id, run.number): run for run in session.scalars(select(Run).where(Run.team_id == actor.team_id, of_declared))
    }
    lap_ids = [lap.id for laps in rows.values() for lap in laps]
    traced = set(session.scalars(select(TraceRow.lap_id).where(TraceRow.team_id == actor.team_id, TraceRow.lap_id.in_(lap_ids))))
    places = _Places(session, actor)
    drivers = {row.id: row for row in session.scalars(select(Driver).where(Driver.team_id == actor.team_id, Driver.id.in_(latest)))}
    wanted = {session_id for session_id, _ in latest.values()}
    practices = {row.id: row for row in session.scalars(select(PracticeSession).where(PracticeSession.id.in_(wanted)))}
    out = []
    for (driver_id, session_id, number), laps in rows.items():
        driver, practice = drivers[driver_id], practices[session_id]
        combination, layout, car, track, target = places.of(practice.combination_id)
        run = declared.get((driver_id, session_id, number))
        purpose = run.purpose if run is not None and run.declared else next((lap.purpose for lap in laps if lap.purpose), None)
        mark = pass_mark(track, [_core(lap, driver.name) for lap in laps], purpose, target, settings_of(combination))
        best = min((lap.time_us for lap in laps if lap.kind == "flying" and lap.valid and not lap.incidents), default=None)
        ended = [lap.started_at + timedelta(microseconds=lap.time_us) for lap in laps if lap.started_at is not None]
        pause = max(_AT_LEAST, _STILL_DRIVING * timedelta(microseconds=laps[-1].time_us))
        out.append(
            LiveRun(
                driver.public_id,
                driver.name,
                combination.public_id,
                track.name,
                layout.name,
                car.name,
                practice.public_id,
                practice.label,
                number,
                purpose,
                run is not None and run.declared,
                tuple(run.watch) if run is not None else (),
                tuple(_live(lap, lap.id in traced) for lap in laps[-_MOST_LAPS:]),
                max(0, len(laps) - _MOST_LAPS),
                best,
                target,
                asdict(mark),
                pass_mark_words(mark, target),
                bool(ended) and laps[-1].kind not in ("in", "outin") and max(ended) > now() - pause,
                max(ended, default=None),
            )
        )
    return out


class _Places:
    """Combinations with what belongs to them, each loaded once."""

    def __init__(self, session: Session, actor: Actor) -> None:
        self._session, self._actor = session, actor
        self._known: dict[int, tuple[Combination, Layout, Car, Track, int | None]] = {}

    def of(self, key: int) -> tuple[Combination, Layout, Car, Track, int | None]:
        if key not in self._known:
            session = self._session
            row = session.get_one(Combination, key)
            layout = session.get_one(Layout, row.layout_id)
            self._known[key] = (row, layout, session.get_one(Car, row.car_id), track_of(session, row), self._target(row))
        return self._known[key]

    def _target(self, row: Combination) -> int | None:
        own = (StandingRow.team_id == self._actor.team_id, StandingRow.combination_id == row.id, StandingRow.driver_id.is_(None))
        figures = self._session.scalar(select(StandingRow.figures).where(*own).order_by(StandingRow.until.desc()).limit(1))
        ideal = figures[0]["ideal_us"] if figures else None
        return target_us(Target(**row.target) if row.target else None, Benchmark(**row.benchmark) if row.benchmark else None, ideal)


def _core(lap: Any, driver: str) -> CoreLap:
    tokens = (lap.incidents or "").split()
    return CoreLap(
        driver,
        lap.number,
        lap.time_us,
        run=lap.run,
        kind=lap.kind,
        valid=lap.valid,
        strikes=tuple((lap.strikes or "").split()),
        incidents=tuple(Incident(*token.split(":", 1)) for token in tokens),
        flags=frozenset((lap.flags or "").split()),
        said={mark: stands for mark, stands in (lap.said or {}).items() if isinstance(stands, bool)},
        sectors=lap.sectors or {},
        segments=lap.segments or {},
    )


def _live(lap: Any, has_trace: bool) -> LiveLap:
    ended = lap.started_at + timedelta(microseconds=lap.time_us) if lap.started_at is not None else None
    return LiveLap(lap.number, lap.kind, lap.time_us, lap.valid, lap.incidents, tuple((lap.flags or "").split()), has_trace, ended)


def _waiting(session: Session, actor: Actor) -> tuple[WaitingRun, ...]:
    query = (
        select(Run, Driver, Combination)
        .join(Driver, (Driver.team_id == Run.team_id) & (Driver.id == Run.driver_id))
        .join(Combination, (Combination.team_id == Run.team_id) & (Combination.id == Run.combination_id))
        .where(Run.team_id == actor.team_id, Run.session_id.is_(None), Run.created_at > now() - WAITING)
        .order_by(Run.id)
    )
    if not actor.sees_all:
        query = query.where(Run.driver_id == (actor.driver_id or 0))
    places = _Places(session, actor)
    out = []
    for run, driver, row in session.execute(query):
        _, layout, car, track, _ = places.of(row.id)
        out.append(WaitingRun(driver.public_id, driver.name, row.public_id, track.name, layout.name, car.name, run.purpose, run.created_at))
    return tuple(out)


def brief(sessions: sessionmaker[Session], actor: Actor, driver: str) -> Brief:
    """Where a driver's next run is driven: as it was declared last, else in the running week's car and place, else where they drove last.

    Raises:
        NotThere: no such driver, or nothing that they could drive.
    """
    with sessions() as session:
        who = session.scalar(select(Driver).where(Driver.team_id == actor.team_id, Driver.name == driver))
        if who is None:
            names = session.scalars(select(Driver.name).where(Driver.team_id == actor.team_id, ~Driver.guest).order_by(Driver.name)).all()
            raise NotThere(f"The team has no driver called {driver}. It has {', '.join(names)}.")
        row, run = _next(session, actor, who)
        if row is None:
            raise NotThere(f"{driver} has no declared run, no entry in this week and no lap yet. Declare a run first.")
        track = load_track(session, session.get_one(Layout, row.layout_id))
        week = session.scalar(
            select(SeriesWeekRow)
            .where(SeriesWeekRow.team_id == actor.team_id, SeriesWeekRow.layout_id == row.layout_id, SeriesWeekRow.begins <= now().date())
            .order_by(SeriesWeekRow.begins.desc(), SeriesWeekRow.id.desc())
            .limit(1)
        )
        told = context_of(run) if run is not None else None
        return Brief(
            who.name,
            session.get_one(Car, row.car_id).name,
            write_track(track),
            {name: getattr(week, name, None) for name in _CONDITIONS},
            {name: getattr(told, name) for name in _DECLARED} if told is not None else None,
        )


def _next(session: Session, actor: Actor, who: Driver) -> tuple[Combination | None, Run | None]:
    run = session.scalar(
        select(Run)
        .where(Run.team_id == actor.team_id, Run.driver_id == who.id, Run.session_id.is_(None), Run.created_at > now() - WAITING)
        .order_by(Run.id.desc())
        .limit(1)
    )
    if run is not None:
        return session.get_one(Combination, run.combination_id), run
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
    last = session.scalar(select(Lap.combination_id).where(Lap.team_id == actor.team_id, Lap.driver_id == who.id).order_by(Lap.id.desc()).limit(1))
    return (session.get_one(Combination, last), None) if last is not None else (None, None)
