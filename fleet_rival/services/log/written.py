"""One search over everything that people wrote: of laps and runs, tracks and cars, races and weeks, work and
lessons.
"""

from collections.abc import Mapping
from dataclasses import dataclass, fields
from datetime import UTC, datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import and_, func, null, or_, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.words import WrittenKind
from fleet_rival.db.tables import (
    Car,
    Combination,
    Driver,
    Layout,
    Person,
    TrackRow,
)
from fleet_rival.services.log.written_sources import Source, sources
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
        for source in sources():
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


def _query(actor: Actor, source: Source, wanted: Mapping[Any, UUID | None]) -> Any:
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


def _view(source: Source, row: Any) -> WrittenView:
    told = row._mapping
    parts = [told[f"text_{place}"] for place in range(len(source.texts))]
    for place, item in enumerate(source.lists):
        parts += item.parts(told[f"list_{place}"])
    text = " · ".join(part for part in parts if part)
    return WrittenView(source.kind, text=text, **{name: told[name] for name in _OF_ROW})
