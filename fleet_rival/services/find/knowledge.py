"""What do we know? Earlier laps on the same track and with the same car, from every series, with dates and the notes
that come back.

Earlier data stand apart: nothing of them goes into a week's own figures.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.verdict import Use
from fleet_rival.core.season.conditions import Conditions, like
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.core.settings import Settings
from fleet_rival.core.words import RELATIONS
from fleet_rival.db.tables import (
    Car,
    ChangeSet,
    Combination,
    Driver,
    Lap,
    LapVerdict,
    Layout,
    PracticeSession,
    SeriesWeekRow,
    TrackRow,
)
from fleet_rival.services.drive.verdicts import counts_for, settle
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.week.combinations import settings_of
from fleet_rival.services.week.rows import LoadedWeek, load_weeks
from fleet_rival.services.week.stretches import stretch_of

__all__ = ["Earlier", "EarlierLaps", "Knowledge", "knowledge"]


@dataclass(frozen=True, slots=True)
class EarlierLaps:
    """A driver's earlier laps in one combination and one weather."""

    driver_id: UUID
    driver: str
    wetness: str
    laps: int
    runs: int
    first_at: datetime | None
    last_at: datetime | None
    best_us: int | None
    """The fastest lap that may be the best."""
    track_temp_c: float | None
    like: bool
    """Whether weather and temperatures were like the race's."""


@dataclass(frozen=True, slots=True)
class Earlier:
    """What is known from one combination."""

    relation: str
    combination_id: UUID
    track: str
    layout: str
    car: str
    weeks: tuple[str, ...]
    """Series' weeks that were driven in it."""
    notes: tuple[str, ...]
    laps: tuple[EarlierLaps, ...]


@dataclass(frozen=True, slots=True)
class Knowledge:
    """What is known for a week."""

    week_id: UUID
    since: datetime
    """Laps of the week's own combination count as earlier before this; where cars differ, the first."""
    items: tuple[Earlier, ...]


def knowledge(sessions: sessionmaker[Session], actor: Actor, week_id: UUID) -> Knowledge:
    """All that is known for a week, nearest first; a driver's own laps alone for who doesn't see all."""
    with sessions() as session:
        row = find_row(session, SeriesWeekRow, actor, week_id, "week")
        weeks = load_weeks(session, actor)
        related = _related(session, actor, next(item for item in weeks if item.row.id == row.id))
    settle(sessions, actor, [head.id for head in related.values()])
    with sessions() as session:
        row = find_row(session, SeriesWeekRow, actor, week_id, "week")
        weeks = load_weeks(session, actor)
        this = next(item for item in weeks if item.row.id == row.id)
        begins, _ = this.facts.window
        heads = _related(session, actor, this)
        stretches = {
            key: stretch_of(this, head.car_key, weeks, head.settings)
            for key, head in heads.items()
            if head.relation == "same"
        }
        laps = _laps(session, actor, heads, {key: stretch.since for key, stretch in stretches.items()}, this.facts)
        items = []
        for key, head in heads.items():
            before = [
                item for item in weeks if item.row.layout_id == head.layout_key and item.facts.window[1] <= begins
            ]
            driven = [item for item in before if item.has_car(head.car_key)]
            notes = tuple(filter(None, (head.note, *(item.facts.note for item in driven))))
            if laps.get(key) or (notes and head.relation != "car"):
                names = tuple(f"{item.facts.series}, week {item.facts.week}" for item in reversed(driven))
                items.append(
                    Earlier(
                        head.relation,
                        head.id,
                        head.track,
                        head.layout,
                        head.car,
                        names,
                        notes,
                        tuple(laps.get(key, ())),
                    )
                )
        items.sort(key=lambda item: (RELATIONS.index(item.relation), item.track, item.layout, item.car))
        since = min(
            (stretch.since for stretch in stretches.values()), default=begins - timedelta(days=Settings().lead_days)
        )
        return Knowledge(week_id, since, tuple(items))


@dataclass(frozen=True, slots=True)
class _Head:
    relation: str
    id: UUID
    layout_key: int
    car_key: int
    track: str
    layout: str
    car: str
    note: str | None
    settings: Settings


def _related(session: Session, actor: Actor, this: LoadedWeek) -> dict[int, _Head]:
    """The combinations that have something to do with a week."""
    query: Any = (
        select(Combination, Layout.track_id, TrackRow.name, Layout.name.label("layout"), Car.name.label("car"))
        .join(Layout, (Layout.team_id == Combination.team_id) & (Layout.id == Combination.layout_id))
        .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
        .join(Car, (Car.team_id == Combination.team_id) & (Car.id == Combination.car_id))
        .where(Combination.team_id == actor.team_id)
    )
    rows = session.execute(query).all()
    track_key = next((track for row, track, *_ in rows if row.layout_id == this.row.layout_id), None)
    out = {}
    for row, track, name, layout, car in rows:
        here, there = row.layout_id == this.row.layout_id, track == track_key
        ours = this.has_car(row.car_id)
        relation = "same" if here and ours else "layout" if here else "track" if there else "car" if ours else None
        if relation:
            out[row.id] = _Head(
                relation, row.public_id, row.layout_id, row.car_id, name, layout, car, row.note, settings_of(row)
            )
    return out


def _laps(
    session: Session, actor: Actor, heads: Mapping[int, _Head], since: Mapping[int, datetime], race: SeriesWeek
) -> dict[int, list[EarlierLaps]]:
    """Laps by combination, driver and weather: of the week's own combinations those before its stretch, of others
    all until it ends.

    Args:
        since: when the week's own laps begin, by the key of the combination.
    """
    counts = func.count().label("laps")
    # As everywhere: what somebody said of a session's weather counts, and temperatures where a lap has none of its own.
    wetness = func.coalesce(PracticeSession.wetness, Lap.wetness)
    # A lap that doesn't say when it was driven was there when it came in.
    moment = func.coalesce(Lap.started_at, ChangeSet.made_at)
    own = [and_(Lap.combination_id == key, moment < begins) for key, begins in since.items()]
    query: Any = (
        select(
            Lap.combination_id,
            Driver.public_id,
            Driver.name,
            wetness,
            counts,
            func.count(func.distinct(func.concat(Lap.session_id, ":", Lap.run))),
            func.min(Lap.started_at),
            func.max(Lap.started_at),
            func.min(func.if_(counts_for(Use.BEST), Lap.time_us, None)),
            func.avg(func.coalesce(Lap.track_temp_c, PracticeSession.track_temp_c)),
            func.avg(func.coalesce(Lap.air_temp_c, PracticeSession.air_temp_c)),
            func.max(PracticeSession.session_local),
        )
        .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
        .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
        .join(ChangeSet, (ChangeSet.team_id == Lap.team_id) & (ChangeSet.id == Lap.change_set_id))
        .outerjoin(LapVerdict, (LapVerdict.team_id == Lap.team_id) & (LapVerdict.lap_id == Lap.id))
        .where(Lap.team_id == actor.team_id, Lap.combination_id.in_(heads), Driver.guest.is_(False))
        .where(or_(and_(Lap.combination_id.in_(heads.keys() - since.keys()), moment < race.window[1]), *own))
        .group_by(Lap.combination_id, Driver.id, wetness)
        .order_by(Driver.name, counts.desc())
    )
    if not actor.sees_all:
        query = query.where(Driver.id == actor.driver_id)
    official = Conditions(race.session_local, race.air_temp_c, race.track_temp_c, race.wetness)
    out: dict[int, list[EarlierLaps]] = {}
    for key, driver_id, name, weather, laps, runs, first, last, best, track_c, air_c, inside in (
        session.execute(query) if heads else ()
    ):
        practised = Conditions(datetime.fromisoformat(inside) if inside else None, air_c, track_c, weather)
        same = like(practised, official, heads[key].settings)
        out.setdefault(key, []).append(
            EarlierLaps(driver_id, name, weather, laps, runs, first, last, best, track_c, same)
        )
    return out
