"""Lists of a team in words, for a spreadsheet: as CSV and as XLSX."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from sqlalchemy import func, select
from sqlalchemy.orm import Session, aliased, sessionmaker

from fleet_rival.db.tables import (
    Car,
    Combination,
    Driver,
    Entry,
    Lap,
    Layout,
    LayoutCorner,
    PlanBlock,
    PracticeSession,
    RaceResult,
    ReferenceRow,
    Run,
    Series,
    SeriesWeekRow,
    TrackRow,
)
from fleet_rival.formats.sheets import write_table, write_workbook
from fleet_rival.services.log.lessons import lessons
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week.rows import load_weeks

__all__ = ["LISTS", "list_csv", "list_xlsx"]

Rows = tuple[Sequence[str], Sequence[Sequence[Any]]]
"""Names of the columns, each with its unit, and rows."""
_MOST_ROWS: Final = 1_000_000
"""A sheet takes no more."""


def list_csv(sessions: sessionmaker[Session], actor: Actor, name: str) -> bytes:
    """A list as CSV.

    Args:
        name: after `LISTS`.
    """
    return write_table(*_rows(sessions, actor, name))


def list_xlsx(sessions: sessionmaker[Session], actor: Actor, name: str) -> bytes:
    """A list as a workbook of one sheet."""
    return write_workbook(name, *_rows(sessions, actor, name))


def _rows(sessions: sessionmaker[Session], actor: Actor, name: str) -> Rows:
    with sessions() as session:
        columns, rows = LISTS[name](sessions, session, actor)
        return columns, rows[:_MOST_ROWS]


def _own(actor: Actor, query: Any, driver: Any) -> Any:
    """A driver sees the own rows alone."""
    return query if actor.sees_all else query.where(driver == (actor.driver_id or 0))


def _in_week(query: Any) -> Any:
    """Entries with their week and series."""
    return query.join(
        SeriesWeekRow, (SeriesWeekRow.team_id == Entry.team_id) & (SeriesWeekRow.id == Entry.week_id)
    ).join(Series, (Series.team_id == Entry.team_id) & (Series.id == SeriesWeekRow.series_id))


def _entries(_: sessionmaker[Session], session: Session, actor: Actor) -> Rows:
    query = (
        select(
            Series.name,
            SeriesWeekRow.number,
            SeriesWeekRow.begins,
            Driver.name,
            Entry.importance,
            Entry.starts,
            Car.name,
            Entry.points,
            Entry.note,
        )
        .select_from(Entry)
        .join(Driver, (Driver.team_id == Entry.team_id) & (Driver.id == Entry.driver_id))
        .join(Car, (Car.team_id == Entry.team_id) & (Car.id == Entry.car_id), isouter=True)
        .where(Entry.team_id == actor.team_id)
        .order_by(SeriesWeekRow.begins, Series.name, Driver.name)
    )
    rows = [
        (series, number, begins, driver, importance, " ".join(starts), car, points, note)
        for series, number, begins, driver, importance, starts, car, points, note in session.execute(
            _in_week(_own(actor, query, Entry.driver_id))
        )
    ]
    return ("series", "week", "begins", "driver", "importance", "starts_utc", "car", "points", "note"), rows


def _results(_: sessionmaker[Session], session: Session, actor: Actor) -> Rows:
    query: Any = (
        select(Series.name, SeriesWeekRow.number, Driver.name, RaceResult)
        .select_from(RaceResult)
        .join(Entry, (Entry.team_id == RaceResult.team_id) & (Entry.id == RaceResult.entry_id))
        .join(Driver, (Driver.team_id == Entry.team_id) & (Driver.id == Entry.driver_id))
        .where(RaceResult.team_id == actor.team_id)
        .order_by(RaceResult.starts_at, Driver.name)
    )
    rows = []
    for series, number, driver, row in session.execute(_in_week(_own(actor, query, Entry.driver_id))):
        incidents = " ".join(f"{item['what']}:{item.get('corner') or ''}" for item in row.incidents)
        stops = " ".join(str(item["lap"]) for item in row.stops)
        facts = (
            row.starts_at,
            row.qualifying_us,
            row.grid,
            row.finish,
            row.laps,
            stops,
            incidents,
            row.points,
            row.note,
        )
        rows.append((series, number, driver, *facts))
    names = (
        "starts_at_utc",
        "qualifying_us",
        "grid",
        "finish",
        "laps",
        "stops_behind_lap",
        "incidents",
        "points",
        "note",
    )
    return ("series", "week", "driver", *names), rows


_PLACE: Final = (TrackRow.name, Layout.name, Car.name)


def _placed(query: Any, table: Any) -> Any:
    return (
        query.join(Combination, (Combination.team_id == table.team_id) & (Combination.id == table.combination_id))
        .join(Layout, (Layout.team_id == table.team_id) & (Layout.id == Combination.layout_id))
        .join(TrackRow, (TrackRow.team_id == table.team_id) & (TrackRow.id == Layout.track_id))
        .join(Car, (Car.team_id == table.team_id) & (Car.id == Combination.car_id))
        .join(Driver, (Driver.team_id == table.team_id) & (Driver.id == table.driver_id))
    )


_LAP: Final = (
    "run",
    "number",
    "session_kind",
    "started_at",
    "kind",
    "valid",
    "time_us",
    "strikes",
    "incidents",
    "flags",
    "company",
    "tyre_set",
)
_LAP_REST: Final = (
    "compound",
    "tyre_age",
    "fuel_l",
    "energy_kwh",
    "track_temp_c",
    "air_temp_c",
    "wetness",
    "purpose",
    "setup",
    "mistakes",
    "note",
)


def _laps(_: sessionmaker[Session], session: Session, actor: Actor) -> Rows:
    names = (*_LAP, *_LAP_REST)
    query: Any = select(*_PLACE, Driver.name, PracticeSession.label, *(getattr(Lap, name) for name in names))
    query = _placed(query, Lap).join(
        PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id)
    )
    query = query.where(Lap.team_id == actor.team_id).order_by(
        Lap.combination_id, Lap.session_id, Lap.driver_id, Lap.run, Lap.number
    )
    return ("track", "layout", "car", "driver", "session", *names), [
        tuple(row) for row in session.execute(_own(actor, query, Lap.driver_id))
    ]


def _runs(_: sessionmaker[Session], session: Session, actor: Actor) -> Rows:
    names = (
        "number",
        "session_kind",
        "purpose",
        "tyre_set",
        "compound",
        "fuel_l",
        "energy_kwh",
        "setup",
        "company",
        "official",
        "options",
        "note",
    )
    query: Any = select(*_PLACE, Driver.name, PracticeSession.label, *(getattr(Run, name) for name in names))
    query = _placed(query, Run).join(
        PracticeSession, (PracticeSession.team_id == Run.team_id) & (PracticeSession.id == Run.session_id), isouter=True
    )
    query = query.where(Run.team_id == actor.team_id).order_by(Run.id)
    return ("track", "layout", "car", "driver", "session", *names), [
        tuple(row) for row in session.execute(_own(actor, query, Run.driver_id))
    ]


def _blocks(_: sessionmaker[Session], session: Session, actor: Actor) -> Rows:
    query = (
        select(
            Driver.name,
            Series.name,
            SeriesWeekRow.number,
            PlanBlock.begins_at,
            PlanBlock.minutes,
            PlanBlock.kind,
            PlanBlock.about,
            PlanBlock.said,
        )
        .select_from(PlanBlock)
        .join(Entry, (Entry.team_id == PlanBlock.team_id) & (Entry.id == PlanBlock.entry_id))
        .join(Driver, (Driver.team_id == PlanBlock.team_id) & (Driver.id == PlanBlock.driver_id))
        .where(PlanBlock.team_id == actor.team_id)
        .order_by(PlanBlock.begins_at, Driver.name)
    )
    rows = [tuple(row) for row in session.execute(_in_week(_own(actor, query, PlanBlock.driver_id)))]
    return ("driver", "series", "week", "begins_at_utc", "minutes", "kind", "about", "said"), rows


def _weeks(_: sessionmaker[Session], session: Session, actor: Actor) -> Rows:
    names = (
        "series",
        "week",
        "zone",
        "begins",
        "ends",
        "cars",
        "track",
        "layout",
        "race_laps",
        "race_minutes",
        "starts",
        "compounds",
        "stops_min",
    )
    rows = []
    for item in load_weeks(session, actor):
        facts = item.facts
        compounds = " ".join(f"{one.name}{'*' if one.must else ''}" for one in facts.compounds)
        plain: Mapping[str, Any] = {"cars": ", ".join(facts.cars), "compounds": compounds}
        rows.append(tuple(plain.get(name, getattr(facts, name)) for name in names))
    return names, rows


def _references(_: sessionmaker[Session], session: Session, actor: Actor) -> Rows:
    names = (
        "point",
        "kind",
        "thing",
        "side",
        "offset_m",
        "at_m",
        "gear",
        "brake_peak_pct",
        "throttle",
        "lasts",
        "variant",
        "state",
        "sure",
        "note",
    )
    whose = aliased(Driver)
    query: Any = (
        select(
            TrackRow.name,
            Layout.name,
            LayoutCorner.code,
            LayoutCorner.name,
            Car.name,
            whose.name,
            *(getattr(ReferenceRow, name) for name in names),
        )
        .join(
            LayoutCorner, (LayoutCorner.team_id == ReferenceRow.team_id) & (LayoutCorner.id == ReferenceRow.corner_id)
        )
        .join(Layout, (Layout.team_id == ReferenceRow.team_id) & (Layout.id == ReferenceRow.layout_id))
        .join(TrackRow, (TrackRow.team_id == ReferenceRow.team_id) & (TrackRow.id == Layout.track_id))
        .join(Car, (Car.team_id == ReferenceRow.team_id) & (Car.id == ReferenceRow.car_id), isouter=True)
        .join(whose, (whose.team_id == ReferenceRow.team_id) & (whose.id == ReferenceRow.driver_id), isouter=True)
        .where(ReferenceRow.team_id == actor.team_id)
        .order_by(TrackRow.name, Layout.name, LayoutCorner.start_m, ReferenceRow.id)
    )
    if not actor.sees_all:
        query = query.where(func.coalesce(ReferenceRow.driver_id, actor.driver_id or 0) == (actor.driver_id or 0))
    return ("track", "layout", "corner", "corner_name", "car", "driver", *names), [
        tuple(row) for row in session.execute(query)
    ]


def _lessons(sessions: sessionmaker[Session], session: Session, actor: Actor) -> Rows:
    names = (
        "text",
        "place",
        "corner",
        "car",
        "series",
        "driver",
        "condition",
        "by",
        "written_at",
        "confirmed_by",
        "confirmed_at",
    )
    return names, [tuple(getattr(item, name) for name in names) for item in lessons(sessions, actor)]


LISTS: Final[Mapping[str, Callable[[sessionmaker[Session], Session, Actor], Rows]]] = {
    "weeks": _weeks,
    "entries": _entries,
    "results": _results,
    "laps": _laps,
    "runs": _runs,
    "blocks": _blocks,
    "references": _references,
    "lessons": _lessons,
}
"""Every list by its name."""
