"""Where people write: each column of text, with what tells where it belongs."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

from sqlalchemy import and_, func, or_

from fleet_rival.core.words import WrittenKind
from fleet_rival.db.tables import (
    Assignment,
    Car,
    Combination,
    CorrectionRow,
    Entry,
    Exercise,
    Lap,
    Layout,
    LayoutCorner,
    Lesson,
    OpenQuestion,
    PracticeSession,
    RaceResult,
    ReferenceRow,
    Remark,
    Run,
    Series,
    SeriesWeekRow,
    Setup,
    SetupVersion,
)

__all__ = ["Source", "sources"]


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
class Source:
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


def _of_lap(kind: WrittenKind, table: Any, texts: tuple[Any, ...], lap: Any = None, **more: Any) -> Source:
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
    return Source(kind, table, texts, joins, indexed=True, **own, **more)


@cache
def sources() -> tuple[Source, ...]:
    """Every place in which people write, and how it is looked through."""
    return (*_of_driving(), *_of_the_track(), *_of_races(), *_of_cars())


def _of_driving() -> tuple[Source, ...]:
    """What was written of laps, runs and drivers' work, and what was learned."""
    said = CorrectionRow
    return (
        Source(
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
        Source(
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
        Source(
            "work",
            Assignment,
            (Assignment.title, Assignment.work),
            combination=Assignment.combination_id,
            driver=Assignment.driver_id,
            person=Assignment.person_id,
            corner=Assignment.corner,
            own=True,
        ),
        Source("combination", Combination, (Combination.note,), combination=Combination.id),
    )


def _of_the_track() -> tuple[Source, ...]:
    """What stands in the track book."""
    corner = LayoutCorner
    return (
        Source(
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
        Source(
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
        Source(
            "question",
            OpenQuestion,
            (OpenQuestion.text, OpenQuestion.answer),
            (_same(corner, "corner_id", OpenQuestion),),
            indexed=True,
            layout=OpenQuestion.layout_id,
            person=OpenQuestion.asked_by,
            corner=corner.code,
        ),
        Source("track", Layout, (Layout.pit_entry_note, Layout.pit_exit_note), layout=Layout.id),
    )


def _of_races() -> tuple[Source, ...]:
    """What was written of seasons, entries and results."""
    return (
        Source(
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
        Source(
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
        Source(
            "week", SeriesWeekRow, (SeriesWeekRow.note,), id=SeriesWeekRow.public_id, layout=SeriesWeekRow.layout_id
        ),
        Source("series", Series, (Series.note,), id=Series.public_id),
    )


def _of_cars() -> tuple[Source, ...]:
    """What was written of cars, setups and exercises."""
    return (
        Source("setup", Setup, (Setup.note,), id=Setup.public_id, car=Setup.car_id),
        Source(
            "version",
            SetupVersion,
            (SetupVersion.reason,),
            (_same(Setup, "setup_id", SetupVersion),),
            id=Setup.public_id,
            car=Setup.car_id,
            person=SetupVersion.person_id,
        ),
        Source("exercise", Exercise, (Exercise.title, Exercise.cause, Exercise.feel, Exercise.work)),
        Source("car", Car, (Car.note,), id=Car.public_id, car=Car.id),
    )
