"""A week between the core's value and its rows: loaded, written, and linked to layout, cars and combinations."""

from collections.abc import Sequence
from dataclasses import dataclass, fields
from datetime import datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.clock import now
from fleet_rival.core.season.weeks import Changeable, Compound, SeriesWeek
from fleet_rival.db.tables import Car, Combination, Layout, Series, SeriesWeekCar, SeriesWeekRow, TrackRow
from fleet_rival.services.shared.base import Actor

__all__ = [
    "CarChoice",
    "LoadedWeek",
    "combinations_for",
    "core_week",
    "link_layouts",
    "load_weeks",
    "series_called",
    "week_begun_last",
    "write_week",
]

_SAME: Final = tuple(
    item.name
    for item in fields(SeriesWeek)
    if item.name
    not in ("series", "week", "cars", "compounds", "changeable", "session_local")  # these are written another way
)
"""Fields that the core and the table hold alike."""


@dataclass(frozen=True, slots=True)
class CarChoice:
    """A car that may be driven in a week."""

    key: int
    id: UUID
    name: str


@dataclass(frozen=True, slots=True)
class LoadedWeek:
    """A week as services work with it; its start times aren't expanded yet."""

    row: SeriesWeekRow
    facts: SeriesWeek
    series_id: UUID
    layout_id: UUID | None
    cars: tuple[CarChoice, ...]

    def has_car(self, key: int) -> bool:
        return any(car.key == key for car in self.cars)


def week_begun_last(session: Session, team_id: int, layout_id: int) -> SeriesWeekRow | None:
    """The week, of any series, that was the last one to begin on a layout; None before the first."""
    return session.scalar(
        select(SeriesWeekRow)
        .where(
            SeriesWeekRow.team_id == team_id, SeriesWeekRow.layout_id == layout_id, SeriesWeekRow.begins <= now().date()
        )
        .order_by(SeriesWeekRow.begins.desc(), SeriesWeekRow.id.desc())
        .limit(1)
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
        LoadedWeek(
            row,
            core_week(row, name, [car.name for car in cars.get(row.id, ())]),
            series_id,
            layout_id,
            tuple(cars.get(row.id, ())),
        )
        for row, name, series_id, layout_id in rows
    ]


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


def write_week(
    session: Session, actor: Actor, of: Series, row: SeriesWeekRow | None, facts: SeriesWeek
) -> SeriesWeekRow:
    """Write a week's facts into its row, which is made where there is none; cars and combinations are made where
    they are missing.
    """
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
        links = {
            link.car_id: link
            for link in session.scalars(select(SeriesWeekCar).where(*own).order_by(SeriesWeekCar.place))
        }
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
        Combination(team_id=actor.team_id, layout_id=layout_id, car_id=key, settings={})
        for key in dict.fromkeys(car_ids)
        if key not in there
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
        cars = session.scalars(
            select(SeriesWeekCar.car_id).where(SeriesWeekCar.team_id == actor.team_id, SeriesWeekCar.week_id == row.id)
        )
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
