"""One search over everything that can be gone to: drivers, combinations, weeks, tracks, cars, corners, runs."""

import re
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from sqlalchemy import Select, and_, collate, func, or_, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.words import FoundKind
from fleet_rival.db.tables import (
    WRITTEN,
    Car,
    Combination,
    Driver,
    Lap,
    Layout,
    LayoutCorner,
    PracticeSession,
    Series,
    SeriesWeekRow,
    TrackRow,
)
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.full_text import holding

__all__ = ["Found", "search"]

_EACH = 8
_NUMBERED = re.compile(r"\b(run(?= +\d{1,6}\b)|session) +(\S+)", re.IGNORECASE)
_WORDS = 6


@dataclass(frozen=True, slots=True)
class Found:
    """Something to go to."""

    kind: FoundKind
    title: str
    more: str
    combination_id: UUID | None
    driver_id: UUID | None = None
    corner: str | None = None
    session: str | None = None
    run: int | None = None
    week_id: UUID | None = None
    car_id: UUID | None = None
    layout_id: UUID | None = None


def search(sessions: sessionmaker[Session], actor: Actor, text: str) -> list[Found]:
    """What holds every word of a text, in any order; drivers first, then combinations, weeks, tracks, cars, corners,
    runs.

    A driver who doesn't see all finds the own runs alone.
    """
    # "run 2" asks for that run, not for whatever holds a 2.
    numbered = {what.lower(): value for what, value in _NUMBERED.findall(text)}
    words = (_NUMBERED.sub(" ", text) if numbered else text).split()[:_WORDS]
    if not words and not numbered:
        return []
    with sessions() as session:
        runs = _runs(session, actor, words, numbered)
        if numbered:
            return runs
        return [
            *_drivers(session, actor, words),
            *_combinations(session, actor, words),
            *_weeks(session, actor, words),
            *_tracks(session, actor, words),
            *_cars(session, actor, words),
            *_corners(session, actor, words),
            *runs,
        ]


def _matching(query: Any, words: list[str], *texts: Any) -> Any:
    return holding(query, words, *texts, indexed=False).limit(_EACH)


def _placed(actor: Actor, *columns: Any) -> Select[Any]:
    """Combinations with their track and car."""
    return (
        select(*columns)
        .select_from(Combination)
        .join(Car, and_(Car.team_id == Combination.team_id, Car.id == Combination.car_id))
        .join(Layout, and_(Layout.team_id == Combination.team_id, Layout.id == Combination.layout_id))
        .join(TrackRow, and_(TrackRow.team_id == Layout.team_id, TrackRow.id == Layout.track_id))
        .where(Combination.team_id == actor.team_id)
    )


def _drivers(session: Session, actor: Actor, words: list[str]) -> list[Found]:
    newest = (
        select(func.max(Lap.combination_id))
        .where(Lap.team_id == Driver.team_id, Lap.driver_id == Driver.id)
        .correlate(Driver)
        .scalar_subquery()
    )
    query = (
        select(
            Driver.public_id,
            Driver.name,
            Driver.guest,
            Combination.public_id.label("combination"),
            TrackRow.name.label("track"),
            Car.name,
        )
        .select_from(Driver)
        .join(Combination, and_(Combination.team_id == Driver.team_id, Combination.id == newest), isouter=True)
        .join(Layout, and_(Layout.team_id == Combination.team_id, Layout.id == Combination.layout_id), isouter=True)
        .join(TrackRow, and_(TrackRow.team_id == Layout.team_id, TrackRow.id == Layout.track_id), isouter=True)
        .join(Car, and_(Car.team_id == Combination.team_id, Car.id == Combination.car_id), isouter=True)
        .where(Driver.team_id == actor.team_id)
        .order_by(Driver.name)
    )
    if not actor.sees_all:
        query = query.where(Driver.id == actor.driver_id)
    return [
        Found(
            "driver",
            name,
            f"{'guest' if guest else 'driver'}{f', last on {track}, {car}' if track else ', no laps yet'}",
            where,
            key,
        )
        for key, name, guest, where, track, car in session.execute(_matching(query, words, Driver.name))
    ]


def _combinations(session: Session, actor: Actor, words: list[str]) -> list[Found]:
    query = _placed(actor, Combination.public_id, TrackRow.name, Layout.name, Car.name).order_by(Combination.id.desc())
    rows = session.execute(_matching(query, words, TrackRow.name, Layout.name, Car.name))
    return [Found("combination", f"{track}, {layout}", car, key) for key, track, layout, car in rows]


def _weeks(session: Session, actor: Actor, words: list[str]) -> list[Found]:
    """Those that run or come first."""
    today = now().date()
    query = (
        select(
            SeriesWeekRow.public_id,
            Series.name,
            SeriesWeekRow.number,
            SeriesWeekRow.track,
            SeriesWeekRow.layout,
            SeriesWeekRow.begins,
        )
        .join(Series, and_(Series.team_id == SeriesWeekRow.team_id, Series.id == SeriesWeekRow.series_id))
        .where(SeriesWeekRow.team_id == actor.team_id)
        .order_by(SeriesWeekRow.ends <= today, func.abs(func.datediff(SeriesWeekRow.begins, today)), Series.name)
    )
    rows = session.execute(
        _matching(
            query,
            words,
            Series.name,
            func.concat("week ", SeriesWeekRow.number),
            SeriesWeekRow.track,
            SeriesWeekRow.layout,
        )
    )
    return [
        Found(
            "week",
            f"{series}, week {number}",
            f"{', '.join(filter(None, (track, layout))) or 'track not known'}, from {begins}",
            None,
            week_id=key,
        )
        for key, series, number, track, layout, begins in rows
    ]


def _tracks(session: Session, actor: Actor, words: list[str]) -> list[Found]:
    query = (
        select(Layout.public_id, TrackRow.name, Layout.name, Layout.kind)
        .join(TrackRow, and_(TrackRow.team_id == Layout.team_id, TrackRow.id == Layout.track_id))
        .where(Layout.team_id == actor.team_id)
        .order_by(TrackRow.name, Layout.name)
    )
    rows = session.execute(_matching(query, words, TrackRow.name, Layout.name))
    return [
        Found("track", f"{track}, {layout}", f"track book, {kind}", None, layout_id=key)
        for key, track, layout, kind in rows
    ]


def _cars(session: Session, actor: Actor, words: list[str]) -> list[Found]:
    query = select(Car.public_id, Car.name, Car.car_class).where(Car.team_id == actor.team_id).order_by(Car.name)
    return [
        Found("car", name, kind or "car", None, car_id=key)
        for key, name, kind in session.execute(_matching(query, words, Car.name, Car.car_class))
    ]


def _corners(session: Session, actor: Actor, words: list[str]) -> list[Found]:
    query = (
        _placed(
            actor, Combination.public_id, LayoutCorner.code, LayoutCorner.name, TrackRow.name, Layout.name, Car.name
        )
        .join(LayoutCorner, and_(LayoutCorner.team_id == Layout.team_id, LayoutCorner.layout_id == Layout.id))
        .order_by(Combination.id.desc(), LayoutCorner.start_m)
    )
    # The place narrows it down, but naming a place alone doesn't ask for all its corners.
    own = collate(func.concat_ws(" ", LayoutCorner.code, LayoutCorner.name), WRITTEN)
    query = query.where(or_(*(own.contains(word, autoescape=True) for word in words)))
    rows = session.execute(
        _matching(query, words, LayoutCorner.code, LayoutCorner.name, TrackRow.name, Layout.name, Car.name)
    )
    return [
        Found("corner", " ".join(filter(None, (code, name))), f"{track}, {layout}, {car}", key, corner=code)
        for key, code, name, track, layout, car in rows
    ]


def _runs(session: Session, actor: Actor, words: list[str], numbered: dict[str, str]) -> list[Found]:
    # Grouped along the unique key of laps, so that the laps themselves aren't read.
    runs = (
        select(Lap.session_id, Lap.driver_id, Lap.run)
        .where(Lap.team_id == actor.team_id)
        .group_by(Lap.session_id, Lap.driver_id, Lap.run)
    )
    if not actor.sees_all:
        runs = runs.where(Lap.driver_id == actor.driver_id)
    each = runs.subquery()
    query = (
        _placed(
            actor,
            Combination.public_id,
            Driver.public_id,
            Driver.name,
            PracticeSession.label,
            each.c.run,
            TrackRow.name,
            Layout.name,
            Car.name,
        )
        .join(
            PracticeSession,
            and_(PracticeSession.team_id == Combination.team_id, PracticeSession.combination_id == Combination.id),
        )
        .join(each, each.c.session_id == PracticeSession.id)
        .join(Driver, and_(Driver.team_id == actor.team_id, Driver.id == each.c.driver_id))
        .order_by(PracticeSession.id.desc(), Driver.name, each.c.run)
    )
    if "run" in numbered:
        query = query.where(each.c.run == int(numbered["run"]))
    if "session" in numbered:
        # Labels may go on after a blank, as those of a rig do.
        label = collate(PracticeSession.label, WRITTEN)
        query = query.where(
            or_(label == numbered["session"], label.startswith(f"{numbered['session']} ", autoescape=True))
        )
    texts = (
        Driver.name,
        func.concat("session ", PracticeSession.label),
        func.concat("run ", each.c.run),
        TrackRow.name,
        Layout.name,
        Car.name,
    )
    return [
        Found(
            "run",
            f"{driver}, session {label}, run {run}",
            f"{track}, {layout}, {car}",
            where,
            key,
            session=label,
            run=run,
        )
        for where, key, driver, label, run, track, layout, car in session.execute(_matching(query, words, *texts))
    ]
