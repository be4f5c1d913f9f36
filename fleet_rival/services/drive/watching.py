"""Who drives now: each driver's run as its laps arrive, against its purpose and its pass mark."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any, Final, NamedTuple
from uuid import UUID

from sqlalchemy import func, select, tuple_
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.runs.pass_mark import pass_mark
from fleet_rival.core.track import Track
from fleet_rival.db.laps import StoredLap, laps_of
from fleet_rival.db.tables import (
    Car,
    Combination,
    Driver,
    Lap,
    Layout,
    PracticeSession,
    Run,
    StandingRow,
    TraceRow,
    TrackRow,
)
from fleet_rival.services.drive.runs.declare import waiting_runs
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week.combinations import settings_of, target_of
from fleet_rival.wording.runs import pass_mark_words

__all__ = ["LiveLap", "LiveRun", "LiveView", "driving_now"]

_SHOWN_FOR: Final = timedelta(hours=3)
_AHEAD: Final = timedelta(hours=12)
_MOST_LAPS: Final = 60
"""Of a run, the last ones."""
_STILL_DRIVING: Final = 2.5
"""Laps' times without a lap after which a run is taken to be over."""
_AT_LEAST: Final = timedelta(seconds=45)

_RunKey = tuple[int, int, int]
"""Keys of driver and session, and the run's number."""


@dataclass(frozen=True, slots=True)
class LiveLap:
    """A lap as it is shown while somebody drives."""

    number: int
    kind: str
    time_us: int
    valid: bool
    counts: bool
    """Clean, as far as the run tells so far."""
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


class _Place(NamedTuple):
    """A combination, and what it is called."""

    row: Combination
    layout: Layout
    track: str
    car: str


def driving_now(sessions: sessionmaker[Session], actor: Actor) -> LiveView:
    """The last run of each driver who drove in the last hours, and runs that wait; a driver's own alone for who
    doesn't see all.
    """
    with sessions() as session:
        latest = _latest(session, actor)
        practices = _by_key(session, PracticeSession, {session_id for _, session_id, _ in latest})
        waiting = waiting_runs(session, actor, driver_id=None if actor.sees_all else actor.driver_id or 0)
        drivers = _by_key(
            session, Driver, {driver_id for driver_id, _, _ in latest} | {run.driver_id for run in waiting}
        )
        places = _places(session, actor, {row.combination_id for row in (*practices.values(), *waiting)})
        runs = _runs(session, actor, latest, practices, drivers, places)
        return LiveView(
            tuple(sorted(runs, key=lambda run: (not run.driving, run.driver))),
            tuple(_waiting(run, drivers[run.driver_id], places[run.combination_id]) for run in waiting),
        )


def _latest(session: Session, actor: Actor) -> list[_RunKey]:
    """Each driver's last lap tells the run."""
    moment = now()
    # A stand-in that drives faster than time is ahead of it.
    own = [Lap.team_id == actor.team_id, Lap.started_at > moment - _SHOWN_FOR, Lap.started_at < moment + _AHEAD]
    if not actor.sees_all:
        own.append(Lap.driver_id == (actor.driver_id or 0))
    ends = select(Lap.driver_id, func.max(Lap.started_at).label("at")).where(*own).group_by(Lap.driver_id).subquery()
    last = select(Lap.driver_id, Lap.session_id, Lap.run).join(
        ends, (ends.c.driver_id == Lap.driver_id) & (ends.c.at == Lap.started_at)
    )
    return list(
        {
            driver_id: (driver_id, session_id, run)
            for driver_id, session_id, run in session.execute(last.where(*own).order_by(Lap.id))
        }.values()
    )


def _by_key(session: Session, table: Any, keys: Collection[int]) -> dict[int, Any]:
    return {row.id: row for row in session.scalars(select(table).where(table.id.in_(keys)))} if keys else {}


def _places(session: Session, actor: Actor, keys: Collection[int]) -> dict[int, _Place]:
    query = (
        select(Combination, Layout, TrackRow.name, Car.name)
        .join(Layout, (Layout.team_id == Combination.team_id) & (Layout.id == Combination.layout_id))
        .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
        .join(Car, (Car.team_id == Combination.team_id) & (Car.id == Combination.car_id))
        .where(Combination.team_id == actor.team_id, Combination.id.in_(keys))
    )
    return {found[0].id: _Place(*found) for found in session.execute(query)} if keys else {}


def _runs(
    session: Session,
    actor: Actor,
    latest: Collection[_RunKey],
    practices: Mapping[int, PracticeSession],
    drivers: Mapping[int, Driver],
    places: Mapping[int, _Place],
) -> Iterable[LiveRun]:
    if not latest:
        return
    of_declared = tuple_(Run.driver_id, Run.session_id, Run.number).in_(latest)
    declared = {
        (run.driver_id, run.session_id, run.number): run
        for run in session.scalars(select(Run).where(Run.team_id == actor.team_id, of_declared))
    }
    by_combination: dict[int, list[_RunKey]] = defaultdict(list)
    for key in latest:
        by_combination[practices[key[1]].combination_id].append(key)
    ideals = ideals_at(session, actor.team_id, by_combination, now())
    for combination_id, keys in by_combination.items():
        place = places[combination_id]
        track = load_track(session, place.layout, centreline=False)
        row = place.row
        target = target_of(row, ideals.get(row.id))
        laps: dict[tuple[str, str, int | None], list[StoredLap]] = defaultdict(list)
        for item in laps_of(session, actor.team_id, combination_id, runs=keys, as_said=True):
            laps[item.lap.driver, item.lap.session, item.lap.run].append(item)
        ids = [item.id for some in laps.values() for item in some]
        traced = set(
            session.scalars(select(TraceRow.lap_id).where(TraceRow.team_id == actor.team_id, TraceRow.lap_id.in_(ids)))
        )
        for driver_id, session_id, number in keys:
            driver, practice = drivers[driver_id], practices[session_id]
            if some := laps.get((driver.name, practice.label, number)):
                run = declared.get((driver_id, session_id, number))
                yield _live_run(place, track, driver, practice, number, some, run, target, traced)


def _live_run(
    place: _Place,
    track: Track,
    driver: Driver,
    practice: PracticeSession,
    number: int,
    laps: list[StoredLap],
    run: Run | None,
    target: int | None,
    traced: Collection[int],
) -> LiveRun:
    settings = settings_of(place.row)
    judged = judge(track, [item.lap for item in laps], settings)
    judged.sort(key=lambda item: item.lap.number)
    ids = {item.lap.number: item.id for item in laps}
    purpose = (
        run.purpose
        if run is not None and run.declared
        else next((item.lap.purpose for item in judged if item.lap.purpose), None)
    )
    mark = pass_mark(judged, purpose, target, settings)
    last = judged[-1].lap
    last_at = max((ended for item in judged if (ended := _ended(item.lap)) is not None), default=None)
    pause = max(_AT_LEAST, _STILL_DRIVING * timedelta(microseconds=last.time_us))
    return LiveRun(
        driver_id=driver.public_id,
        driver=driver.name,
        combination_id=place.row.public_id,
        track=place.track,
        layout=place.layout.name,
        car=place.car,
        session_id=practice.public_id,
        session=practice.label,
        number=number,
        purpose=purpose,
        declared=run is not None and run.declared,
        watch=tuple(run.watch) if run is not None else (),
        laps=tuple(_live(item, ids[item.lap.number] in traced) for item in judged[-_MOST_LAPS:]),
        earlier=max(0, len(judged) - _MOST_LAPS),
        best_us=min((item.lap.time_us for item in judged if item.may_be_best), default=None),
        target_us=target,
        mark=asdict(mark),
        mark_words=pass_mark_words(mark, target),
        driving=last_at is not None and last.kind not in ("in", "outin") and last_at > now() - pause,
        last_at=last_at,
    )


def _ended(lap: CoreLap) -> datetime | None:
    return lap.started_at + timedelta(microseconds=lap.time_us) if lap.started_at is not None else None


def _live(item: JudgedLap, has_trace: bool) -> LiveLap:
    lap = item.lap
    return LiveLap(lap.number, lap.kind, lap.time_us, item.stands, item.clean, has_trace, _ended(lap))


def _waiting(run: Run, driver: Driver, place: _Place) -> WaitingRun:
    names = (driver.public_id, driver.name, place.row.public_id, place.track, place.layout.name, place.car)
    return WaitingRun(*names, run.purpose, run.created_at)


def ideals_at(
    session: Session, team_id: int, combination_ids: Iterable[int], moment: datetime
) -> dict[int, int | None]:
    """The team's best linked ideal in combinations, as it was kept last: of the week that runs at the moment, else
    of all time.
    """
    own = (
        StandingRow.team_id == team_id,
        StandingRow.combination_id.in_(set(combination_ids)),
        StandingRow.driver_id.is_(None),
    )
    query = select(StandingRow.combination_id, StandingRow.figures).where(
        *own, StandingRow.since <= moment, StandingRow.until > moment
    )
    # The week that began last stands over all time, which began before everything.
    return {
        key: figures[0].get("ideal_us")
        for key, figures in session.execute(query.order_by(StandingRow.since))
        if figures
    }
