"""One search over everything that people wrote: of laps and runs, tracks and cars, races and weeks, work and
lessons.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import UTC, datetime
from functools import cache
from typing import Any, Final
from uuid import UUID

from sqlalchemy import and_, func, null, or_, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.words import WrittenKind
from fleet_rival.db.tables import (
    Assignment,
    Car,
    Combination,
    CorrectionRow,
    Driver,
    Entry,
    Exercise,
    Lap,
    Layout,
    LayoutCorner,
    Lesson,
    OpenQuestion,
    Person,
    PracticeSession,
    RaceResult,
    ReferenceRow,
    Remark,
    Run,
    Series,
    SeriesWeekRow,
    Setup,
    SetupVersion,
    TrackRow,
)
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.full_text import holding, words_of

__all__ = ["WrittenView", "written"]

_EACH: Final = 60
_MOST: Final = 200
_LONG_AGO: Final = datetime(1970, 1, 1, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class WrittenView:
    """Something that somebody wrote, and where it stands.

    Attributes:
        id: of what it is written about, where that has a page of its own: an entry, a week, a series, a setup, a car;
            else None.
        text: as it was written, its parts one after the other.
        session, session_id, run: of what was written after driving.
    """

    kind: WrittenKind
    id: UUID | None
    text: str
    by: str | None
    at: datetime | None
    layout_id: UUID | None
    place: str | None
    corner: str | None
    car_id: UUID | None
    car: str | None
    combination_id: UUID | None
    driver_id: UUID | None
    driver: str | None
    session: str | None
    session_id: UUID | None
    run: int | None


_OF_ROW: Final = tuple(item.name for item in fields(WrittenView) if item.name not in ("kind", "text"))


@dataclass(frozen=True, slots=True)
class _List:
    """A column that holds a list of objects, and the texts in each of them."""

    title: str
    column: Any
    names: tuple[str, ...]

    @property
    def texts(self) -> tuple[Any, ...]:
        return tuple(func.json_extract(self.column, f"$[*].{name}") for name in self.names)

    def parts(self, rows: Sequence[Mapping[str, Any]]) -> list[str]:
        """Each object as a text."""
        told = (", ".join(str(row[name]) for name in self.names if row.get(name)) for row in rows)
        return [f"{self.title}: {words}" for words in told if words]


@dataclass(frozen=True, slots=True)
class _Source:
    """Where one kind of text stands.

    Attributes:
        texts: columns, or what is read from them.
        joins: tables besides its own, with what they hang on.
        layout, car, combination, driver, person: keys; by the combination where it has one.
        session: `PracticeSession`, where it is one of the joins.
        own: whether it is the driver's own business, so that other drivers don't see it.
        lists: columns that hold more texts in JSON.
    """

    kind: WrittenKind
    table: Any
    texts: tuple[Any, ...]
    joins: tuple[tuple[Any, Any], ...] = ()
    lists: tuple[_List, ...] = ()
    indexed: bool = False
    id: Any = None
    layout: Any = None
    car: Any = None
    combination: Any = None
    driver: Any = None
    person: Any = None
    corner: Any = None
    at: Any = None
    session: Any = None
    run: Any = None
    own: bool = False
    seen: Any = None
    """What else has to hold for a driver to see it, of the actor's key."""


def _same(one: Any, key: str, other: Any) -> tuple[Any, Any]:
    """A table that another one refers to, and how."""
    return one, and_(one.team_id == other.team_id, one.id == getattr(other, key))


def _of_lap(kind: WrittenKind, table: Any, texts: tuple[Any, ...], lap: Any = None, **more: Any) -> _Source:
    """What is written of a lap, which is its driver's own business.

    Args:
        lap: key of the lap, where the table isn't that of laps.
    """
    to_lap = () if lap is None else ((Lap, and_(Lap.team_id == table.team_id, Lap.id == lap)),)
    joins = (*to_lap, _same(PracticeSession, "session_id", Lap))
    own: dict[str, Any] = {
        "combination": table.combination_id,
        "driver": Lap.driver_id,
        "session": PracticeSession,
        "run": Lap.run,
        "own": True,
    }
    return _Source(kind, table, texts, joins, indexed=True, **own, **more)


@cache
def _sources() -> tuple[_Source, ...]:
    return (*_of_driving(), *_of_the_track(), *_of_races(), *_of_cars())


def _of_driving() -> tuple[_Source, ...]:
    """What was written of laps, runs and drivers' work, and what was learned."""
    said = CorrectionRow
    return (
        _Source(
            "lesson",
            Lesson,
            (Lesson.text,),
            indexed=True,
            layout=Lesson.layout_id,
            car=Lesson.car_id,
            driver=Lesson.driver_id,
            person=Lesson.person_id,
            corner=Lesson.corner,
            own=True,
            seen=lambda actor: or_(Lesson.confirmed_at.is_not(None), Lesson.person_id == actor.person_id),
        ),
        _of_lap("remark", Remark, (Remark.text,), Remark.lap_id, person=Remark.person_id, corner=Remark.corner),
        _of_lap("correction", said, (said.remark,), said.lap_id, person=said.person_id, corner=said.corner),
        _of_lap("lap", Lap, (Lap.note,), at=Lap.started_at),
        _Source(
            "run",
            Run,
            (Run.note,),
            (_same(PracticeSession, "session_id", Run),),
            indexed=True,
            combination=Run.combination_id,
            driver=Run.driver_id,
            session=PracticeSession,
            run=Run.number,
            own=True,
        ),
        _Source(
            "work",
            Assignment,
            (Assignment.title, Assignment.work),
            combination=Assignment.combination_id,
            driver=Assignment.driver_id,
            person=Assignment.person_id,
            corner=Assignment.corner,
            own=True,
        ),
        _Source("combination", Combination, (Combination.note,), combination=Combination.id),
    )


def _of_the_track() -> tuple[_Source, ...]:
    """What stands in the track book."""
    corner = LayoutCorner
    return (
        _Source(
            "corner",
            corner,
            (corner.move, corner.note),
            lists=(
                _List("road", corner.traits, ("where",)),
                _List("kerb", corner.kerbs, ("where", "why")),
                _List("limit", corner.limits, ("where", "part")),
                _List("passing", corner.passing, ("wrong", "yield_when")),
                _List("lane", corner.lanes, ("where", "why")),
            ),
            layout=corner.layout_id,
            corner=corner.code,
        ),
        _Source(
            "reference",
            ReferenceRow,
            (ReferenceRow.thing, ReferenceRow.offset_words, ReferenceRow.note),
            (_same(corner, "corner_id", ReferenceRow),),
            indexed=True,
            layout=ReferenceRow.layout_id,
            car=ReferenceRow.car_id,
            driver=ReferenceRow.driver_id,
            person=ReferenceRow.proposed_by,
            corner=corner.code,
        ),
        _Source(
            "question",
            OpenQuestion,
            (OpenQuestion.text, OpenQuestion.answer),
            (_same(corner, "corner_id", OpenQuestion),),
            indexed=True,
            layout=OpenQuestion.layout_id,
            person=OpenQuestion.asked_by,
            corner=corner.code,
        ),
        _Source("track", Layout, (Layout.pit_entry_note, Layout.pit_exit_note), layout=Layout.id),
    )


def _of_races() -> tuple[_Source, ...]:
    """What was written of seasons, entries and results."""
    return (
        _Source(
            "result",
            RaceResult,
            (RaceResult.note,),
            (_same(Entry, "entry_id", RaceResult), _same(SeriesWeekRow, "week_id", Entry)),
            lists=(_List("incident", RaceResult.incidents, ("note",)),),
            id=Entry.public_id,
            layout=SeriesWeekRow.layout_id,
            car=Entry.car_id,
            driver=Entry.driver_id,
            person=RaceResult.person_id,
            at=RaceResult.starts_at,
            own=True,
        ),
        _Source(
            "race",
            Entry,
            (Entry.note, func.json_value(Entry.race, "$.remember"), func.json_value(Entry.race, "$.early")),
            (_same(SeriesWeekRow, "week_id", Entry),),
            id=Entry.public_id,
            layout=SeriesWeekRow.layout_id,
            car=Entry.car_id,
            driver=Entry.driver_id,
            own=True,
        ),
        _Source(
            "week", SeriesWeekRow, (SeriesWeekRow.note,), id=SeriesWeekRow.public_id, layout=SeriesWeekRow.layout_id
        ),
        _Source("series", Series, (Series.note,), id=Series.public_id),
    )


def _of_cars() -> tuple[_Source, ...]:
    """What was written of cars, setups and exercises."""
    return (
        _Source("setup", Setup, (Setup.note,), id=Setup.public_id, car=Setup.car_id),
        _Source(
            "version",
            SetupVersion,
            (SetupVersion.reason,),
            (_same(Setup, "setup_id", SetupVersion),),
            id=Setup.public_id,
            car=Setup.car_id,
            person=SetupVersion.person_id,
        ),
        _Source("exercise", Exercise, (Exercise.title, Exercise.cause, Exercise.feel, Exercise.work)),
        _Source("car", Car, (Car.note,), id=Car.public_id, car=Car.id),
    )


def written(
    sessions: sessionmaker[Session],
    actor: Actor,
    text: str,
    *,
    kind: WrittenKind | None = None,
    layout_id: UUID | None = None,
    car_id: UUID | None = None,
    driver_id: UUID | None = None,
) -> list[WrittenView]:
    """What holds every word of a text, the newest first; nothing without a word.

    A driver finds what everybody may read, and of what was written of driving the own alone.
    """
    words = words_of(text)
    if not words:
        return []
    found: list[WrittenView] = []
    with sessions() as session:
        for source in _sources():
            if kind in (None, source.kind):
                query = _query(actor, source, {Layout: layout_id, Car: car_id, Driver: driver_id})
                if query is None:
                    continue
                query = holding(
                    query,
                    words,
                    *source.texts,
                    *(text for item in source.lists for text in item.texts),
                    indexed=source.indexed,
                )
                found += [_view(source, row) for row in session.execute(query.limit(_EACH))]
    found.sort(key=lambda item: item.at or _LONG_AGO, reverse=True)
    return found[:_MOST]


def _query(actor: Actor, source: _Source, wanted: Mapping[Any, UUID | None]) -> Any:
    """What of a source somebody may see, the newest first; None where it knows nothing of what is wanted.

    Args:
        wanted: by table, the row that it has to be of.
    """
    table, team = source.table, source.table.team_id
    keys: dict[Any, Any] = {
        Combination: source.combination,
        Layout: source.layout if source.combination is None else Combination.layout_id,
        Car: source.car if source.combination is None else Combination.car_id,
        Driver: source.driver,
        Person: source.person,
    }

    def of(other: Any, column: Any) -> Any:
        """A column of another table, where the source knows a row of it."""
        return None if keys[other] is None else column

    columns = {
        "at": source.at if source.at is not None else table.created_at,
        "id": source.id,
        "corner": source.corner,
        "session": None if source.session is None else source.session.label,
        "session_id": None if source.session is None else source.session.public_id,
        "run": source.run,
        "layout_id": of(Layout, Layout.public_id),
        "place": of(Layout, func.concat(TrackRow.name, ", ", Layout.name)),
        "car_id": of(Car, Car.public_id),
        "car": of(Car, Car.name),
        "combination_id": of(Combination, Combination.public_id),
        "driver_id": of(Driver, Driver.public_id),
        "driver": of(Driver, Driver.name),
        "by": of(Person, Person.name),
    }
    query = select(
        *(column.label(f"text_{place}") for place, column in enumerate(source.texts)),
        *(item.column.label(f"list_{place}") for place, item in enumerate(source.lists)),
        *((null() if column is None else column).label(name) for name, column in columns.items()),
    ).select_from(table)
    for other, how in source.joins:
        query = query.join(other, how, isouter=True)
    for other, key in keys.items():
        if key is not None and other is not table:
            within = other.id == key if other is Person else and_(other.team_id == team, other.id == key)
            query = query.join(other, within, isouter=True)
    if keys[Layout] is not None:
        query = query.join(TrackRow, and_(TrackRow.team_id == team, TrackRow.id == Layout.track_id), isouter=True)
    query = query.where(team == actor.team_id).order_by(table.id.desc())
    for other, public_id in wanted.items():
        if public_id is not None:
            if keys[other] is None:
                return None
            query = query.where(other.public_id == public_id)
    if not actor.sees_all:
        if source.own:
            query = query.where(or_(source.driver.is_(None), source.driver == (actor.driver_id or 0)))
        if source.seen is not None:
            query = query.where(source.seen(actor))
    return query


def _view(source: _Source, row: Any) -> WrittenView:
    told = row._mapping
    parts = [told[f"text_{place}"] for place in range(len(source.texts))]
    for place, item in enumerate(source.lists):
        parts += item.parts(told[f"list_{place}"])
    text = " · ".join(part for part in parts if part)
    return WrittenView(source.kind, text=text, **{name: told[name] for name in _OF_ROW})
