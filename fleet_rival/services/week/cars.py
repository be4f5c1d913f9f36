"""Cars: what is known of each, who may drive it, and what it was seen to use."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median
from typing import Any, Final
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import (
    Car,
    CarDriver,
    Combination,
    Driver,
    Layout,
    SeriesWeekCar,
    SeriesWeekRow,
    StandingRow,
    TrackRow,
)
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row, named
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.services.week.stretches import ALL_TIME

__all__ = ["CarRow", "CarView", "add_car", "car", "cars", "change_car", "remove_car"]

_TEXTS: Final = ("car_class", "drive", "note")
_NUMBERS: Final = ("gears", "limiter_rpm", "cold_laps", "tank_l", "battery_kwh")
_LISTS: Final = ("shift_rpm", "assists", "settings", "traits")


@dataclass(frozen=True, slots=True)
class CarRow:
    """A car in a list."""

    id: UUID
    name: str
    car_class: str | None
    drive: str | None
    traits: tuple[str, ...]
    restricted: bool
    drivers: int
    """How many may drive it, where it isn't open to all."""
    combinations: int


@dataclass(frozen=True, slots=True)
class Consumption:
    """What laps of a car used on a layout: the median over drivers, from lap to lap."""

    track: str
    layout: str
    fuel_l_per_lap: float | None
    energy_kwh_per_lap: float | None
    drivers: int


@dataclass(frozen=True, slots=True)
class CarWeek:
    """A series' week in which the car may be driven."""

    id: UUID
    series: str
    number: int
    begins: str
    place: str | None


@dataclass(frozen=True, slots=True)
class CarPlace:
    """A combination with this car."""

    id: UUID
    track: str
    layout: str


@dataclass(frozen=True, slots=True)
class CarView:
    """A car's page."""

    id: UUID
    version: int
    name: str
    car_class: str | None
    drive: str | None
    gears: int | None
    limiter_rpm: int | None
    shift_rpm: tuple[int, ...]
    assists: tuple[str, ...]
    settings: tuple[dict[str, Any], ...]
    traits: tuple[str, ...]
    cold_laps: int | None
    tank_l: float | None
    battery_kwh: float | None
    note: str | None
    restricted: bool
    driver_ids: tuple[UUID, ...]
    """Who may drive it, where it isn't open to all."""
    consumption: tuple[Consumption, ...]
    places: tuple[CarPlace, ...]
    weeks: tuple[CarWeek, ...]


def cars(sessions: sessionmaker[Session], actor: Actor) -> list[CarRow]:
    """All cars of the team, by name."""
    team = actor.team_id
    drivers: Any = select(CarDriver.car_id, func.count()).where(CarDriver.team_id == team).group_by(CarDriver.car_id)
    places: Any = (
        select(Combination.car_id, func.count()).where(Combination.team_id == team).group_by(Combination.car_id)
    )
    with sessions() as session:
        allowed: dict[int, int] = dict(session.execute(drivers).all())
        where: dict[int, int] = dict(session.execute(places).all())
        rows = session.scalars(select(Car).where(Car.team_id == team).order_by(Car.name))
        return [
            CarRow(
                row.public_id,
                row.name,
                row.car_class,
                row.drive,
                tuple(row.traits),
                row.restricted,
                allowed.get(row.id, 0),
                where.get(row.id, 0),
            )
            for row in rows
        ]


def car(sessions: sessionmaker[Session], actor: Actor, car_id: UUID) -> CarView:
    """One car with what was seen of it."""
    with sessions() as session:
        row = find_row(session, Car, actor, car_id, "car")
        allowed = session.scalars(
            select(Driver.public_id)
            .join(CarDriver, (CarDriver.team_id == Driver.team_id) & (CarDriver.driver_id == Driver.id))
            .where(CarDriver.team_id == actor.team_id, CarDriver.car_id == row.id)
            .order_by(Driver.name)
        )
        places = session.execute(
            select(Combination.id, Combination.public_id, TrackRow.name, Layout.name.label("layout"))
            .join(Layout, (Layout.team_id == Combination.team_id) & (Layout.id == Combination.layout_id))
            .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
            .where(Combination.team_id == actor.team_id, Combination.car_id == row.id)
            .order_by(TrackRow.name, Layout.name)
        ).all()
        return CarView(
            row.public_id,
            row.version,
            row.name,
            row.car_class,
            row.drive,
            row.gears,
            row.limiter_rpm,
            tuple(row.shift_rpm),
            tuple(row.assists),
            tuple(row.settings),
            tuple(row.traits),
            row.cold_laps,
            row.tank_l,
            row.battery_kwh,
            row.note,
            row.restricted,
            tuple(allowed),
            _consumption(session, actor, [(key, track, layout) for key, _, track, layout in places]),
            tuple(CarPlace(public_id, track, layout) for _, public_id, track, layout in places),
            _weeks(session, actor, row),
        )


def add_car(sessions: sessionmaker[Session], actor: Actor, name: str) -> CarView:
    """Make a car by its name; the rest is written on its page.

    Raises:
        Conflict: there is one of this name.
    """
    try:
        with sessions.begin() as session:
            change_set = begin_change(session, actor, "car.add", f"Added the car {named(name, 'car')}")
            row = Car(team_id=actor.team_id, name=named(name, "car"))
            session.add(row)
            session.flush()
            about(session, change_set, row)
            public_id = row.public_id
    except IntegrityError as error:
        raise Conflict(f"There is a car called {name.strip()} already.") from error
    return car(sessions, actor, public_id)


def change_car(
    sessions: sessionmaker[Session],
    actor: Actor,
    car_id: UUID,
    version: int,
    values: Mapping[str, Any],
    driver_ids: Sequence[UUID],
) -> CarView:
    """Write what is known of a car.

    Args:
        values: the fields of `CarView` that people write.
        driver_ids: who may drive it; counts where `restricted` is set.

    Raises:
        Outdated: somebody changed it meanwhile.
        Conflict: the name is taken.
        Refused: a setting's range is empty or its default outside of it.
    """
    _check_settings(values["settings"])
    try:
        with sessions.begin() as session:
            row = find_row(session, Car, actor, car_id, "car", lock=True)
            check_version(row, version, "car")
            begin_change(session, actor, "car.change", f"Changed the car {row.name}", row)
            wanted = {
                "name": named(values["name"], "car"),
                "restricted": values["restricted"],
                **{name: (values[name] or "").strip() or None for name in _TEXTS},
                **{name: values[name] for name in _NUMBERS},
                **{name: list(values[name]) for name in _LISTS},
            }
            for name, value in wanted.items():
                if getattr(row, name) != value:
                    setattr(row, name, value)
            _set_drivers(session, actor, row, driver_ids if row.restricted else ())
            session.flush()
    except IntegrityError as error:
        raise Conflict(f"There is a car called {values['name'].strip()} already.") from error
    return car(sessions, actor, car_id)


def remove_car(sessions: sessionmaker[Session], actor: Actor, car_id: UUID) -> None:
    """Remove a car that nothing refers to.

    Raises:
        Conflict: weeks or combinations do.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Car, actor, car_id, "car", lock=True)
            begin_change(session, actor, "car.remove", f"Removed the car {row.name}", row)
            _set_drivers(session, actor, row, ())
            session.flush()
            session.delete(row)
    except IntegrityError as error:
        raise Conflict("Weeks, entries or combinations have this car. Take it out of them first.") from error


def _set_drivers(session: Session, actor: Actor, row: Car, driver_ids: Sequence[UUID]) -> None:
    wanted = {
        key: public
        for public, key in session.execute(select(Driver.public_id, Driver.id).where(Driver.team_id == actor.team_id))
    }
    keys = {key for key, public in wanted.items() if public in set(driver_ids)}
    if len(keys) < len(set(driver_ids)):
        raise NotThere("One of these drivers doesn't exist, or no longer does.")
    there = {
        link.driver_id: link
        for link in session.scalars(
            select(CarDriver).where(CarDriver.team_id == actor.team_id, CarDriver.car_id == row.id)
        )
    }
    if there.keys() != keys:
        row.edition += 1
    for key in there.keys() - keys:
        session.delete(there[key])
    session.add_all(
        CarDriver(team_id=actor.team_id, car_id=row.id, driver_id=key) for key in sorted(keys - there.keys())
    )


def _check_settings(settings: Sequence[Mapping[str, Any]]) -> None:
    names = [item["name"].casefold() for item in settings]
    for item in settings:
        low, high, default = item.get("low"), item.get("high"), item.get("default")
        if low is not None and high is not None and not low < high:
            raise Refused(f"{item['name']} has an empty range, {low:g} to {high:g}.")
        if default is not None and ((low is not None and default < low) or (high is not None and default > high)):
            raise Refused(f"{item['name']} is {default:g} by default, outside of its range.")
        if names.count(item["name"].casefold()) > 1:
            raise Refused(f"{item['name']} stands there twice.")


def _consumption(session: Session, actor: Actor, places: Sequence[tuple[int, str, str]]) -> tuple[Consumption, ...]:
    """From what the board keeps of each driver over all laps."""
    rows = session.execute(
        select(StandingRow.combination_id, StandingRow.driver_id, StandingRow.figures)
        .join(Driver, (Driver.team_id == StandingRow.team_id) & (Driver.id == StandingRow.driver_id))
        .where(
            StandingRow.team_id == actor.team_id,
            StandingRow.combination_id.in_([key for key, _, _ in places]),
            StandingRow.since == ALL_TIME.since,
            Driver.guest.is_(False),
        )
    ).all()
    out = []
    for key, track, layout in places:
        seen = {row.driver_id: row.figures[0] for row in rows if row.combination_id == key and row.figures}
        fuel, energy = (
            sorted(value for item in seen.values() if (value := item[name]) is not None)
            for name in ("fuel_l_per_lap", "energy_kwh_per_lap")
        )
        if fuel or energy:
            out.append(Consumption(track, layout, _middle(fuel), _middle(energy), max(len(fuel), len(energy))))
    return tuple(out)


def _middle(values: Sequence[float]) -> float | None:
    return median(values) if values else None


def _weeks(session: Session, actor: Actor, row: Car) -> tuple[CarWeek, ...]:
    own = select(SeriesWeekCar.week_id).where(SeriesWeekCar.team_id == actor.team_id, SeriesWeekCar.car_id == row.id)
    weeks = sorted(load_weeks(session, actor, SeriesWeekRow.id.in_(own)), key=lambda week: week.facts.begins)
    return tuple(
        CarWeek(
            week.row.public_id,
            week.facts.series,
            week.facts.week,
            week.facts.begins.isoformat(),
            week.facts.place or None,
        )
        for week in weeks
    )
