"""Series and their weeks: what is on, made by hand or from a file; the past stays readable and editable."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.starts import BadStarts
from fleet_rival.core.season.weeks import SeriesWeek, overlaps
from fleet_rival.core.season.zones import BadZone, known_zone
from fleet_rival.db.tables import Entry, Series, SeriesWeekCar, SeriesWeekRow
from fleet_rival.formats.seasons import week_warnings
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row, named
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.week.points import count_points
from fleet_rival.services.week.rows import CarChoice, LoadedWeek, core_week, load_weeks, write_week
from fleet_rival.wording.week import counting_words, layout_unknown

__all__ = [
    "SeriesView",
    "WeekView",
    "add_series",
    "add_week",
    "change_series",
    "change_week",
    "remove_series",
    "remove_week",
    "series",
    "set_counting",
    "week",
    "weeks",
]


@dataclass(frozen=True, slots=True)
class SeriesView:
    """A series in a list."""

    id: UUID
    version: int
    name: str
    note: str | None
    weeks: int
    begins: date | None
    ends: date | None


@dataclass(frozen=True, slots=True)
class WeekView:
    """A week of a series, its start times, and what is odd about it."""

    id: UUID
    version: int
    series_id: UUID
    facts: SeriesWeek
    layout_id: UUID | None
    """None where no layout of this name is known."""
    cars: tuple[CarChoice, ...]
    begins_at: datetime
    ends_at: datetime
    start_times: tuple[datetime, ...]
    warnings: tuple[str, ...]


def series(sessions: sessionmaker[Session], actor: Actor) -> list[SeriesView]:
    """The team's series, by name."""
    own = (SeriesWeekRow.team_id == Series.team_id) & (SeriesWeekRow.series_id == Series.id)
    counts: Any = (
        select(Series, func.count(SeriesWeekRow.id), func.min(SeriesWeekRow.begins), func.max(SeriesWeekRow.ends))
        .join(SeriesWeekRow, own, isouter=True)
        .where(Series.team_id == actor.team_id)
        .group_by(Series.id)
        .order_by(Series.name)
    )
    with sessions() as session:
        return [
            SeriesView(row.public_id, row.version, row.name, row.note, *rest) for row, *rest in session.execute(counts)
        ]


def add_series(sessions: sessionmaker[Session], actor: Actor, name: str, note: str | None = None) -> SeriesView:
    """Make a series; its weeks come later.

    Raises:
        Conflict: there is one of this name.
    """
    try:
        with sessions.begin() as session:
            change_set = begin_change(session, actor, "series.add", f"Added the series {named(name, 'series')}")
            row = Series(team_id=actor.team_id, name=named(name, "series"), note=_text(note))
            session.add(row)
            session.flush()
            about(session, change_set, row)
            return SeriesView(row.public_id, row.version, row.name, row.note, 0, None, None)
    except IntegrityError as error:
        raise Conflict(f"There is a series called {name.strip()} already.") from error


def change_series(
    sessions: sessionmaker[Session], actor: Actor, series_id: UUID, version: int, name: str, note: str | None
) -> None:
    """Rename a series, or change its note.

    Raises:
        Outdated: somebody changed it meanwhile.
        Conflict: the name is taken.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Series, actor, series_id, "series", lock=True)
            check_version(row, version, "series")
            begin_change(session, actor, "series.change", f"Changed the series {row.name}", row)
            row.name, row.note = named(name, "series"), _text(note)
    except IntegrityError as error:
        raise Conflict(f"There is a series called {name.strip()} already.") from error


def set_counting(
    sessions: sessionmaker[Session],
    actor: Actor,
    series_id: UUID,
    version: int,
    best_weeks: int | None,
    starts_count: str = "best",
) -> None:
    """Say how many weeks of a series count, the best ones, None: all; and what a week brings that has several starts.

    Args:
        starts_count: `best`, `sum` or `mean` of the starts' points.

    Raises:
        Outdated: somebody changed the series meanwhile.
    """
    with sessions.begin() as session:
        row = find_row(session, Series, actor, series_id, "series", lock=True)
        check_version(row, version, "series")
        told = counting_words(row.name, best_weeks, starts_count)
        begin_change(session, actor, "series.counting", told, row)
        row.best_weeks, row.starts_count = best_weeks, starts_count
        session.flush()
        weeks = select(SeriesWeekRow.id).where(
            SeriesWeekRow.team_id == actor.team_id, SeriesWeekRow.series_id == row.id
        )
        count_points(
            session,
            actor,
            session.scalars(select(Entry).where(Entry.team_id == actor.team_id, Entry.week_id.in_(weeks))).all(),
        )


def remove_series(sessions: sessionmaker[Session], actor: Actor, series_id: UUID) -> None:
    """Remove a series with all its weeks.

    Raises:
        Conflict: somebody is entered in one of them, or what was learned is tied to it.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Series, actor, series_id, "series", lock=True)
            begin_change(session, actor, "series.remove", f"Removed the series {row.name}", row)
            for found in session.scalars(
                select(SeriesWeekRow).where(SeriesWeekRow.team_id == actor.team_id, SeriesWeekRow.series_id == row.id)
            ):
                _remove(session, actor, found, row.name)
            session.flush()
            session.delete(row)
    except IntegrityError as error:
        raise Conflict("What was learned is tied to this series. Tie it to something else first.") from error


def weeks(sessions: sessionmaker[Session], actor: Actor, series_id: UUID) -> list[WeekView]:
    """All weeks of a series, in order."""
    with sessions() as session:
        row = find_row(session, Series, actor, series_id, "series")
        return _views(session, actor, SeriesWeekRow.series_id == row.id)


def week(sessions: sessionmaker[Session], actor: Actor, week_id: UUID) -> WeekView:
    """One week of a series.

    Raises:
        NotThere: the team has none like it.
    """
    with sessions() as session:
        found = _views(session, actor, SeriesWeekRow.public_id == week_id)
        if not found:
            raise NotThere("This week doesn't exist, or no longer does.")
        return found[0]


def add_week(sessions: sessionmaker[Session], actor: Actor, series_id: UUID, facts: SeriesWeek) -> WeekView:
    """Add a week to a series; its cars are made where they aren't known, and the combinations that it brings.

    Raises:
        Refused: it ends before it begins, overlaps with another week, or its start times can't be read.
        Conflict: the series has a week of this number.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Series, actor, series_id, "series", lock=True)
            facts = replace(facts, series=row.name)
            _check_facts(facts, _others(session, actor, row, None))
            change_set = begin_change(session, actor, "week.add", f"Added week {facts.week} of {row.name}")
            made = write_week(session, actor, row, None, facts)
            about(session, change_set, made)
            public_id = made.public_id
    except IntegrityError as error:
        raise Conflict(f"This series has a week {facts.week} already.") from error
    return week(sessions, actor, public_id)


def change_week(
    sessions: sessionmaker[Session], actor: Actor, week_id: UUID, version: int, facts: SeriesWeek
) -> WeekView:
    """Write a week anew.

    Raises:
        Outdated: somebody changed it meanwhile.
        Refused, Conflict: as `add_week`.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, SeriesWeekRow, actor, week_id, "week", lock=True)
            check_version(row, version, "week")
            of = session.get_one(Series, row.series_id)
            facts = replace(facts, series=of.name)
            _check_facts(facts, _others(session, actor, of, row.id))
            begin_change(session, actor, "week.change", f"Changed week {row.number} of {of.name}", row)
            write_week(session, actor, of, row, facts)
    except IntegrityError as error:
        raise Conflict(f"This series has a week {facts.week} already.") from error
    return week(sessions, actor, week_id)


def remove_week(sessions: sessionmaker[Session], actor: Actor, week_id: UUID) -> None:
    """Remove a week that nobody is entered in.

    Raises:
        Conflict: somebody is.
    """
    with sessions.begin() as session:
        row = find_row(session, SeriesWeekRow, actor, week_id, "week", lock=True)
        name = session.get_one(Series, row.series_id).name
        begin_change(session, actor, "week.remove", f"Removed week {row.number} of {name}", row)
        _remove(session, actor, row, name)


def _check_facts(facts: SeriesWeek, others: Iterable[SeriesWeek]) -> None:
    """Say what can't be meant.

    Raises:
        Refused: it ends before it begins, overlaps with another week, or zone or start times can't be read.
    """
    if facts.ends <= facts.begins:
        raise Refused(f"The week ends on {facts.ends}, which isn't after it begins on {facts.begins}.")
    for other in others:
        if overlaps(facts, other):
            raise Refused(
                f"The week overlaps with week {other.week}, which goes from {other.begins} to {other.ends}. Change one "
                "of the two."
            )
    try:
        # A week without starts has a zone as well.
        known_zone(facts.zone)
        facts.expanded()
    except BadZone as error:
        raise Refused(f"{error}.") from error
    except BadStarts as error:
        raise Refused(f"The start times can't be read: {error}.") from error


def _views(session: Session, actor: Actor, *which: Any) -> list[WeekView]:
    return [_view(loaded) for loaded in load_weeks(session, actor, *which)]


def _view(loaded: LoadedWeek) -> WeekView:
    facts, row = loaded.facts, loaded.row
    warnings = week_warnings(facts)
    if loaded.layout_id is None and facts.track and facts.layout:
        warnings.insert(0, layout_unknown(facts.track, facts.layout))
    begins_at, ends_at = facts.window
    starts = facts.expanded().starts
    return WeekView(
        row.public_id,
        row.version,
        loaded.series_id,
        facts,
        loaded.layout_id,
        loaded.cars,
        begins_at,
        ends_at,
        starts,
        tuple(warnings),
    )


def _others(session: Session, actor: Actor, of: Series, but: int | None) -> list[SeriesWeek]:
    rows = session.scalars(
        select(SeriesWeekRow).where(SeriesWeekRow.team_id == actor.team_id, SeriesWeekRow.series_id == of.id)
    )
    return [core_week(row, of.name, ()) for row in rows if row.id != but]


def _remove(session: Session, actor: Actor, row: SeriesWeekRow, name: str) -> None:
    if session.scalar(
        select(func.count()).select_from(Entry).where(Entry.team_id == actor.team_id, Entry.week_id == row.id)
    ):
        raise Conflict(f"Somebody is entered in week {row.number} of {name}. Take the entries out first.")
    for link in session.scalars(
        select(SeriesWeekCar).where(SeriesWeekCar.team_id == actor.team_id, SeriesWeekCar.week_id == row.id)
    ):
        session.delete(link)
    session.flush()
    session.delete(row)


def _text(text: str | None) -> str | None:
    return (text or "").strip() or None
