"""What was learned: short entries that a person confirms, and that come back when their track, car, series or driver
does.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session, aliased, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.words import LESSON_CONDITIONS
from fleet_rival.db.tables import (
    Car,
    Driver,
    Entry,
    Layout,
    LayoutCorner,
    Lesson,
    Person,
    Series,
    SeriesWeekCar,
    SeriesWeekRow,
    TrackRow,
)
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.shared.full_text import holding, words_of

__all__ = ["LessonView", "add_lesson", "change_lesson", "confirm_lesson", "lessons", "lessons_of_week", "remove_lesson"]

_TIES: Final[Mapping[str, tuple[Any, str]]] = {
    "layout_id": (Layout, "layout"),
    "car_id": (Car, "car"),
    "series_id": (Series, "series"),
    "driver_id": (Driver, "driver"),
}
_LONGEST: Final = 500
_MOST: Final = 300


@dataclass(frozen=True, slots=True)
class LessonView:
    """A lesson in a list, with the names of what it is tied to."""

    id: UUID
    version: int
    text: str
    layout_id: UUID | None
    place: str | None
    corner: str | None
    car_id: UUID | None
    car: str | None
    series_id: UUID | None
    series: str | None
    driver_id: UUID | None
    driver: str | None
    condition: str | None
    by: str
    written_at: datetime
    confirmed_by: str | None
    confirmed_at: datetime | None
    own: bool
    """Whether the actor wrote it."""


def lessons(sessions: sessionmaker[Session], actor: Actor, words: str = "", **ties: UUID | None) -> list[LessonView]:
    """All lessons that the actor may see, the newest first; what isn't confirmed before what is.

    Args:
        words: every one of them begins a word of the text; found by MariaDB's full text.
        ties: `layout_id`, `car_id`, `series_id`, `driver_id`: only those tied to it.
    """
    with sessions() as session:
        query = _query(actor)
        for name, (table, _) in _TIES.items():
            if ties.get(name) is not None:
                columns: Any = table
                query = query.where(columns.public_id == ties[name])
        if found := words_of(words):
            query = holding(query, found, Lesson.text, indexed=True)
        return [_view(actor, row) for row in session.execute(query.limit(_MOST))]


def lessons_of_week(sessions: sessionmaker[Session], actor: Actor, week_id: UUID) -> list[LessonView]:
    """Confirmed lessons that come back in a series' week: every tie that they have is one of the week's track, cars,
    series and drivers, and one of track, car or series is among them.

    Raises:
        NotThere: no such week.
    """
    with sessions() as session:
        week = find_row(session, SeriesWeekRow, actor, week_id, "week")
        cars = select(SeriesWeekCar.car_id).where(
            SeriesWeekCar.team_id == actor.team_id, SeriesWeekCar.week_id == week.id
        )
        drivers = select(Entry.driver_id).where(Entry.team_id == actor.team_id, Entry.week_id == week.id)
        query = _query(actor).where(
            Lesson.confirmed_at.is_not(None),
            or_(Lesson.layout_id.is_(None), Lesson.layout_id == week.layout_id),
            or_(Lesson.car_id.is_(None), Lesson.car_id.in_(cars)),
            or_(Lesson.series_id.is_(None), Lesson.series_id == week.series_id),
            or_(Lesson.driver_id.is_(None), Lesson.driver_id.in_(drivers)),
            or_(Lesson.layout_id.is_not(None), Lesson.car_id.is_not(None), Lesson.series_id.is_not(None)),
        )
        return [_view(actor, row) for row in session.execute(query.limit(_MOST))]


def add_lesson(sessions: sessionmaker[Session], actor: Actor, values: Mapping[str, Any]) -> UUID:
    """Write down what was learned. Who leads confirms it by writing it; a driver proposes.

    Raises:
        Refused: no text, tied to nothing, a corner without its track, a condition that there isn't, or another
            driver's.
    """
    with sessions.begin() as session:
        told = _checked(session, actor, values)
        change_set = begin_change(session, actor, "lesson.add", f"Wrote down: {told['text'][:120]}")
        row = Lesson(team_id=actor.team_id, person_id=actor.person_id, confirmed_by_id=None, confirmed_at=None, **told)
        if actor.sees_all:
            row.confirmed_by_id, row.confirmed_at = actor.person_id, now()
        session.add(row)
        session.flush()
        about(session, change_set, row)
        return row.public_id


def change_lesson(
    sessions: sessionmaker[Session], actor: Actor, lesson_id: UUID, version: int, values: Mapping[str, Any]
) -> None:
    """Change a lesson; a driver the own ones that aren't confirmed yet.

    Raises:
        Outdated: somebody changed it meanwhile.
        NotThere: no such lesson, or not the actor's.
    """
    with sessions.begin() as session:
        row = _own(session, actor, lesson_id)
        check_version(row, version, "lesson")
        told = _checked(session, actor, values)
        begin_change(session, actor, "lesson.change", f"Changed: {told['text'][:120]}", row)
        for name, value in told.items():
            if getattr(row, name) != value:
                setattr(row, name, value)


def confirm_lesson(sessions: sessionmaker[Session], actor: Actor, lesson_id: UUID, version: int) -> None:
    """Confirm a lesson: it comes back from now on.

    Raises:
        Outdated: somebody changed it meanwhile.
    """
    with sessions.begin() as session:
        row = find_row(session, Lesson, actor, lesson_id, "lesson", lock=True)
        check_version(row, version, "lesson")
        begin_change(session, actor, "lesson.confirm", f"Confirmed: {row.text[:120]}", row)
        row.confirmed_by_id, row.confirmed_at = actor.person_id, now()


def remove_lesson(sessions: sessionmaker[Session], actor: Actor, lesson_id: UUID, version: int) -> None:
    """Take a lesson out; a driver the own ones that aren't confirmed yet."""
    with sessions.begin() as session:
        row = _own(session, actor, lesson_id)
        check_version(row, version, "lesson")
        begin_change(session, actor, "lesson.remove", f"Took out: {row.text[:120]}", row)
        session.delete(row)


def _own(session: Session, actor: Actor, lesson_id: UUID) -> Lesson:
    row = find_row(session, Lesson, actor, lesson_id, "lesson", lock=True)
    if not actor.sees_all and (row.person_id != actor.person_id or row.confirmed_at is not None):
        raise NotThere("This lesson doesn't exist, or isn't yours to change.")
    return row


def _checked(session: Session, actor: Actor, values: Mapping[str, Any]) -> dict[str, Any]:
    words = " ".join(str(values.get("text") or "").split())
    if not 1 <= len(words) <= _LONGEST:
        raise Refused(f"Write what was learned in 1 to {_LONGEST} characters.")
    condition = values.get("condition")
    if condition is not None and condition not in LESSON_CONDITIONS:
        raise Refused(f"{condition} is no condition.")
    keys: dict[str, int | None] = {}
    for name, (table, what) in _TIES.items():
        named: Any = find_row(session, table, actor, values[name], what) if values.get(name) else None
        keys[name] = named.id if named is not None else None
    if not actor.sees_all and keys["driver_id"] not in (None, actor.driver_id):
        raise Refused("What another driver learned is theirs to say.")
    corner = values.get("corner") or None
    if corner is not None:
        of = (
            LayoutCorner.team_id == actor.team_id,
            LayoutCorner.layout_id == keys["layout_id"],
            LayoutCorner.code == corner,
        )
        if session.scalar(select(LayoutCorner.id).where(*of)) is None:
            raise Refused("The track has no such corner.")
    if not any(value is not None for value in keys.values()):
        raise Refused("Say where it holds: a track, a car, a series or a driver.")
    return {"text": words, "corner": corner, "condition": condition, **keys}


def _query(actor: Actor) -> Any:
    writer, confirmer = aliased(Person), aliased(Person)
    query = (
        select(
            Lesson,
            Layout.public_id.label("layout"),
            func.concat(TrackRow.name, ", ", Layout.name).label("place"),
            Car.public_id.label("car_id"),
            Car.name.label("car"),
            Series.public_id.label("series_id"),
            Series.name.label("series"),
            Driver.public_id.label("driver_id"),
            Driver.name.label("driver"),
            writer.name.label("by"),
            confirmer.name.label("confirmed_by"),
        )
        .join(writer, writer.id == Lesson.person_id)
        .join(confirmer, confirmer.id == Lesson.confirmed_by_id, isouter=True)
        .join(Layout, (Layout.team_id == Lesson.team_id) & (Layout.id == Lesson.layout_id), isouter=True)
        .join(TrackRow, (TrackRow.team_id == Lesson.team_id) & (TrackRow.id == Layout.track_id), isouter=True)
        .join(Car, (Car.team_id == Lesson.team_id) & (Car.id == Lesson.car_id), isouter=True)
        .join(Series, (Series.team_id == Lesson.team_id) & (Series.id == Lesson.series_id), isouter=True)
        .join(Driver, (Driver.team_id == Lesson.team_id) & (Driver.id == Lesson.driver_id), isouter=True)
        .where(Lesson.team_id == actor.team_id)
        .order_by(Lesson.confirmed_at.is_not(None), Lesson.id.desc())
    )
    if not actor.sees_all:
        # What is another driver's is theirs; what nobody has confirmed is its writer's.
        query = query.where(
            or_(Lesson.driver_id.is_(None), Lesson.driver_id == (actor.driver_id or 0)),
            or_(Lesson.confirmed_at.is_not(None), Lesson.person_id == actor.person_id),
        )
    return query


def _view(actor: Actor, found: Any) -> LessonView:
    row: Lesson = found[0]
    return LessonView(
        row.public_id,
        row.version,
        row.text,
        found.layout,
        found.place,
        row.corner,
        found.car_id,
        found.car,
        found.series_id,
        found.series,
        found.driver_id,
        found.driver,
        row.condition,
        found.by,
        row.created_at,
        found.confirmed_by,
        row.confirmed_at,
        row.person_id == actor.person_id,
    )
