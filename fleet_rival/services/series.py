"""Series and their weeks: what is on, made by hand or from a file; the past stays readable and editable."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields, replace
from datetime import date, datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.starts import BadStarts
from fleet_rival.core.season.weeks import Changeable, Compound, SeriesWeek, overlaps
from fleet_rival.core.season.zones import BadZone
from fleet_rival.db.tables import Car, Combination, Entry, Layout, Series, SeriesWeekCar, SeriesWeekRow, TrackRow
from fleet_rival.formats.seasons import week_warnings
from fleet_rival.services.base import Actor, about, begin_change, check_version, find_row, named
from fleet_rival.services.errors import Conflict, NotThere, Refused

__all__ = [
    "CarChoice",
    "LoadedWeek",
    "SeriesView",
    "WeekView",
    "add_series",
    "add_week",
    "change_series",
    "change_week",
    "combinations_for",
    "core_week",
    "link_layouts",
    "load_weeks",
    "remove_series",
    "remove_week",
    "series",
    "series_called",
    "week",
    "weeks",
    "write_week",
]

_SAME: Final = tuple(
    item.name
    for item in fields(SeriesWeek)
    if item.name not in ("series", "week", "cars", "compounds", "changeable", "session_local")  # these are written another way
)
"""Fields that the core and the table hold alike."""


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
class CarChoice:
    """A car that may be driven in a week."""

    key: int
    id: UUID
    name: str


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


@dataclass(frozen=True, slots=True)
class LoadedWeek:
    """A week as services work with it; its start times aren't expanded yet."""

    row: SeriesWeekRow
    facts: SeriesWeek
    series_id: UUID
    layout_id: UUID | None
    cars: tuple[CarChoice, ...]


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
        return [SeriesView(row.public_id, row.version, row.name, row.note, *rest) for row, *rest in session.execute(counts)]


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


def change_series(sessions: sessionmaker[Session], actor: Actor, series_id: UUID, version: int, name: str, note: str | None) -> None:
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


def remove_series(sessions: sessionmaker[Session], actor: Actor, series_id: UUID) -> None:
    """Remove a series with all its weeks.

    Raises:
        Conflict: somebody is entered in one of them.
    """
    with sessions.begin() as session:
        row = find_row(session, Series, actor, series_id, "series", lock=True)
        begin_change(session, actor, "series.remove", f"Removed the series {row.name}", row)
        for found in session.scalars(select(SeriesWeekRow).where(SeriesWeekRow.team_id == actor.team_id, SeriesWeekRow.series_id == row.id)):
            _remove(session, actor, found, row.name)
        session.flush()
        session.delete(row)


def weeks(sessions: sessionmaker[Session], actor: Actor, series_id: UUID) -> list[WeekView]:
    """All weeks of a series, in order."""
    with sessions() as session:
        row = find_row(session, Series, actor, series_id, "series")
        return _views(session, actor, SeriesWeekRow.series_id == row.id)


def week(sessions: sessionmaker[Session], actor: Actor, week_id: UUID) -> WeekView:
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
            check_facts(facts, _others(session, actor, row, None))
            change_set = begin_change(session, actor, "week.add", f"Added week {facts.week} of {row.name}")
            made = write_week(session, actor, row, None, facts)
            about(session, change_set, made)
            public_id = made.public_id
    except IntegrityError as error:
        raise Conflict(f"This series has a week {facts.week} already.") from error
    return week(sessions, actor, public_id)


def change_week(sessions: sessionmaker[Session], actor: Actor, week_id: UUID, version: int, facts: SeriesWeek) -> WeekView:
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
            check_facts(facts, _others(session, actor, of, row.id))
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


def check_facts(facts: SeriesWeek, others: Iterable[SeriesWeek]) -> None:
    """Say what can't be meant.

    Raises:
        Refused: it ends before it begins, overlaps with another week, or zone or start times can't be read.
    """
    if facts.ends <= facts.begins:
        raise Refused(f"The week ends on {facts.ends}, which isn't after it begins on {facts.begins}.")
    for other in others:
        if overlaps(facts, other):
            raise Refused(f"The week overlaps with week {other.week}, which goes from {other.begins} to {other.ends}. Change one of the two.")
    try:
        facts.expanded()
    except (BadStarts, BadZone) as error:
        raise Refused(f"The start times can't be read: {error}.") from error


def write_week(session: Session, actor: Actor, of: Series, row: SeriesWeekRow | None, facts: SeriesWeek) -> SeriesWeekRow:
    """Write a week's facts into its row, which is made where there is none; cars and combinations are made where they are missing."""
    layout = _layout_called(session, actor, facts.track, facts.layout)
    values = {name: getattr(facts, name) for name in _SAME} | {
        "number": facts.week,
        "compounds": [[item.name, item.must] for item in facts.compounds],
        "changeable": [_plain(item) for item in facts.changeable],
        "session_local": facts.session_local.isoformat() if facts.session_local else None,
        "layout_id": layout.id if layout else None,
    }
    cars = [_car_called(session, actor, name) for name in facts.cars]
    links: dict[int, SeriesWeekCar] = {}
    if row is None:
        row = SeriesWeekRow(team_id=actor.team_id, series_id=of.id, **values)
        session.add(row)
    else:
        own = (SeriesWeekCar.team_id == actor.team_id, SeriesWeekCar.week_id == row.id)
        links = {link.car_id: link for link in session.scalars(select(SeriesWeekCar).where(*own).order_by(SeriesWeekCar.place))}
        values["edition"] = row.edition + (list(links) != [car.id for car in cars])
        for name, value in values.items():
            # Only what differs, so that the record shows what was changed.
            if getattr(row, name) != value:
                setattr(row, name, value)
    session.flush()
    for place, car in enumerate(cars):
        if link := links.pop(car.id, None):
            link.place = place
        else:
            session.add(SeriesWeekCar(team_id=actor.team_id, week_id=row.id, car_id=car.id, place=place))
    for link in links.values():
        session.delete(link)
    session.flush()
    if layout is not None:
        combinations_for(session, actor, layout.id, [car.id for car in cars])
    return row


def combinations_for(session: Session, actor: Actor, layout_id: int, car_ids: Sequence[int]) -> None:
    """Make the combinations of a layout and cars that aren't there yet."""
    own = (Combination.team_id == actor.team_id, Combination.layout_id == layout_id)
    there = set(session.scalars(select(Combination.car_id).where(*own)))
    session.add_all(
        Combination(team_id=actor.team_id, layout_id=layout_id, car_id=key, settings={}) for key in dict.fromkeys(car_ids) if key not in there
    )
    session.flush()


def link_layouts(session: Session, actor: Actor, layout: Layout, track: str) -> None:
    """Let weeks that name a layout point to it now that it is there, and make their combinations."""
    waiting = select(SeriesWeekRow).where(
        SeriesWeekRow.team_id == actor.team_id,
        SeriesWeekRow.layout_id.is_(None),
        SeriesWeekRow.track == track,
        SeriesWeekRow.layout == layout.name,
    )
    for row in session.scalars(waiting).all():
        row.layout_id = layout.id
        cars = session.scalars(select(SeriesWeekCar.car_id).where(SeriesWeekCar.team_id == actor.team_id, SeriesWeekCar.week_id == row.id))
        combinations_for(session, actor, layout.id, cars.all())
    session.flush()


def series_called(session: Session, actor: Actor, name: str) -> Series:
    """The series of this name, made where there is none."""
    row = session.scalar(select(Series).where(Series.team_id == actor.team_id, Series.name == name))
    if row is None:
        row = Series(team_id=actor.team_id, name=name)
        session.add(row)
        session.flush()
    return row


def core_week(row: SeriesWeekRow, name: str, cars: Sequence[str]) -> SeriesWeek:
    """A week as the core knows it."""
    return SeriesWeek(
        series=name,
        week=row.number,
        cars=tuple(cars),
        compounds=tuple(Compound(*pair) for pair in row.compounds),
        changeable=tuple(Changeable(**item) for item in row.changeable),
        session_local=datetime.fromisoformat(row.session_local) if row.session_local else None,
        **{name: getattr(row, name) for name in _SAME},
    )


def load_weeks(session: Session, actor: Actor, *which: Any) -> list[LoadedWeek]:
    """Weeks with their cars, in two queries however many there are, in order of series and days."""
    query: Any = (
        select(SeriesWeekRow, Series.name, Series.public_id, Layout.public_id.label("layout"))
        .join(Series, (Series.team_id == SeriesWeekRow.team_id) & (Series.id == SeriesWeekRow.series_id))
        .join(Layout, (Layout.team_id == SeriesWeekRow.team_id) & (Layout.id == SeriesWeekRow.layout_id), isouter=True)
        .where(SeriesWeekRow.team_id == actor.team_id, *which)
        .order_by(Series.name, SeriesWeekRow.begins, SeriesWeekRow.number)
    )
    rows = session.execute(query).all()
    links: Any = (
        select(SeriesWeekCar.week_id, Car.id, Car.public_id, Car.name)
        .join(Car, (Car.team_id == SeriesWeekCar.team_id) & (Car.id == SeriesWeekCar.car_id))
        .where(SeriesWeekCar.team_id == actor.team_id, SeriesWeekCar.week_id.in_([row[0].id for row in rows]))
        .order_by(SeriesWeekCar.week_id, SeriesWeekCar.place)
    )
    cars: dict[int, list[CarChoice]] = {}
    for week_key, *rest in session.execute(links) if rows else ():
        cars.setdefault(week_key, []).append(CarChoice(*rest))
    return [
        LoadedWeek(row, core_week(row, name, [car.name for car in cars.get(row.id, ())]), series_id, layout_id, tuple(cars.get(row.id, ())))
        for row, name, series_id, layout_id in rows
    ]


def _views(session: Session, actor: Actor, *which: Any) -> list[WeekView]:
    return [_view(loaded) for loaded in load_weeks(session, actor, *which)]


def _view(loaded: LoadedWeek) -> WeekView:
    facts, row = loaded.facts, loaded.row
    warnings = week_warnings(facts)
    if loaded.layout_id is None and facts.track and facts.layout:
        warnings.insert(0, f"{facts.track}, {facts.layout} isn't known yet: add its track file")
    begins_at, ends_at = facts.window
    starts = facts.expanded().starts
    return WeekView(row.public_id, row.version, loaded.series_id, facts, loaded.layout_id, loaded.cars, begins_at, ends_at, starts, tuple(warnings))


def _others(session: Session, actor: Actor, of: Series, but: int | None) -> list[SeriesWeek]:
    rows = session.scalars(select(SeriesWeekRow).where(SeriesWeekRow.team_id == actor.team_id, SeriesWeekRow.series_id == of.id))
    return [core_week(row, of.name, ()) for row in rows if row.id != but]


def _remove(session: Session, actor: Actor, row: SeriesWeekRow, name: str) -> None:
    if session.scalar(select(func.count()).select_from(Entry).where(Entry.team_id == actor.team_id, Entry.week_id == row.id)):
        raise Conflict(f"Somebody is entered in week {row.number} of {name}. Take the entries out first.")
    for link in session.scalars(select(SeriesWeekCar).where(SeriesWeekCar.team_id == actor.team_id, SeriesWeekCar.week_id == row.id)):
        session.delete(link)
    session.flush()
    session.delete(row)


def _layout_called(session: Session, actor: Actor, track: str | None, layout: str | None) -> Layout | None:
    query = (
        select(Layout)
        .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
        .where(Layout.team_id == actor.team_id, TrackRow.name == track, Layout.name == layout)
    )
    return session.scalar(query) if track and layout else None


def _car_called(session: Session, actor: Actor, name: str) -> Car:
    row = session.scalar(select(Car).where(Car.team_id == actor.team_id, Car.name == name))
    if row is None:
        row = Car(team_id=actor.team_id, name=name)
        session.add(row)
        session.flush()
    return row


def _plain(item: Changeable) -> dict[str, Any]:
    return {name.name: getattr(item, name.name) for name in fields(item)}


def _text(text: str | None) -> str | None:
    return (text or "").strip() or None
