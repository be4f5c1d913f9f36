"""Drivers and what they share: how each drives and sees, and when each, a rig or the coach has time."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.availability import Availability, BadAvailability, DayOff, Slot, Window
from fleet_rival.core.season.zones import BadZone, known_zone
from fleet_rival.core.words import RESOURCE_KINDS
from fleet_rival.db.tables import Car, CarDriver, Driver, Resource
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row, named
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.shared.planning import usual_care

__all__ = [
    "CarAllowed",
    "DriverProfile",
    "ResourceView",
    "add_driver",
    "add_resource",
    "availability_of",
    "change_profile",
    "change_resource",
    "profile",
    "profiles",
    "remove_driver",
    "remove_resource",
    "resources",
]

_TEXTS: Final = ("nickname", "controls", "preferences")
_MAPPINGS: Final = ("assists", "view", "units", "care")


@dataclass(frozen=True, slots=True)
class CarAllowed:
    """A car that isn't open to all, and that this driver may drive."""

    id: UUID
    name: str


@dataclass(frozen=True, slots=True)
class DriverProfile:
    """A driver as the team prepares them."""

    id: UUID
    version: int
    name: str
    guest: bool
    nickname: str | None
    zone: str | None
    assists: dict[str, str]
    controls: str | None
    view: dict[str, Any]
    preferences: str | None
    units: dict[str, str]
    availability: dict[str, Any]
    care: dict[str, Any]
    """The own limits at the seat, and quiet hours."""
    usual_care: dict[str, Any]
    """What the team's plans go by where the driver says nothing."""
    cars: tuple[CarAllowed, ...]


@dataclass(frozen=True, slots=True)
class ResourceView:
    """A shared rig, or the coach."""

    id: UUID
    version: int
    name: str
    kind: str
    zone: str | None
    availability: dict[str, Any]
    note: str | None


def profiles(sessions: sessionmaker[Session], actor: Actor) -> list[DriverProfile]:
    """The team's drivers, by name; a driver's own self alone for who doesn't see all."""
    query = select(Driver).where(Driver.team_id == actor.team_id).order_by(Driver.name)
    if not actor.sees_all:
        query = query.where(Driver.id == actor.driver_id)
    links = (
        select(CarDriver.driver_id, Car.public_id, Car.name)
        .join(Car, (Car.team_id == CarDriver.team_id) & (Car.id == CarDriver.car_id))
        .where(CarDriver.team_id == actor.team_id, Car.restricted)
        .order_by(Car.name)
    )
    with sessions() as session:
        cars: dict[int, list[CarAllowed]] = {}
        for key, public_id, name in session.execute(links):
            cars.setdefault(key, []).append(CarAllowed(public_id, name))
        usual = usual_care(session, actor.team_id)
        return [_profile(row, usual, tuple(cars.get(row.id, ()))) for row in session.scalars(query)]


def profile(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> DriverProfile:
    """One driver.

    Raises:
        NotThere: no such driver, or not the actor's business.
    """
    for item in profiles(sessions, actor):
        if item.id == driver_id:
            return item
    raise NotThere("This driver doesn't exist, or no longer does.")


def add_driver(sessions: sessionmaker[Session], actor: Actor, name: str) -> DriverProfile:
    """Make a driver who has no laps yet.

    Raises:
        Conflict: there is one of this name.
    """
    try:
        with sessions.begin() as session:
            change_set = begin_change(session, actor, "driver.add", f"Added the driver {named(name, 'driver')}")
            row = Driver(team_id=actor.team_id, name=named(name, "driver"), guest=False)
            session.add(row)
            session.flush()
            about(session, change_set, row)
            return _profile(row, usual_care(session, actor.team_id), ())
    except IntegrityError as error:
        raise Conflict(f"The team has a driver called {name.strip()} already.") from error


def change_profile(
    sessions: sessionmaker[Session], actor: Actor, driver_id: UUID, version: int, values: Mapping[str, Any]
) -> DriverProfile:
    """Write how a driver drives, sees and has time; a driver writes the own profile alone.

    Args:
        values: fields of `DriverProfile`, those that are to be written.

    Raises:
        Outdated: somebody changed it meanwhile.
        Refused: an unknown zone, or windows that nobody can mean.
    """
    with sessions.begin() as session:
        row = find_row(session, Driver, actor, driver_id, "driver", lock=True)
        if not actor.sees_all and row.id != actor.driver_id:
            raise NotThere("This driver doesn't exist, or no longer does.")
        check_version(row, version, "driver")
        begin_change(session, actor, "driver.profile", f"Changed the profile of {row.name}", row)
        for name, value in values.items():
            new = ((value or "").strip() or None) if name in _TEXTS else _checked(name, value)
            if getattr(row, name) != new:
                setattr(row, name, new)
    return profile(sessions, actor, driver_id)


def remove_driver(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> None:
    """Remove a driver who has no laps and no entries.

    Raises:
        Conflict: something hangs on them.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Driver, actor, driver_id, "driver", lock=True)
            begin_change(session, actor, "driver.remove", f"Removed the driver {row.name}", row)
            for link in session.scalars(
                select(CarDriver).where(CarDriver.team_id == actor.team_id, CarDriver.driver_id == row.id)
            ):
                session.delete(link)
            session.flush()
            session.delete(row)
    except IntegrityError as error:
        raise Conflict(
            "This driver has laps, entries or an account. Somebody who left stays with their laps; say that they are a "
            "guest."
        ) from error


def resources(sessions: sessionmaker[Session], actor: Actor) -> list[ResourceView]:
    """Shared rigs and coaches, by name."""
    with sessions() as session:
        rows = session.scalars(
            select(Resource).where(Resource.team_id == actor.team_id).order_by(Resource.kind.desc(), Resource.name)
        )
        return [_resource(row) for row in rows]


def add_resource(sessions: sessionmaker[Session], actor: Actor, name: str, kind: str) -> ResourceView:
    """Name something that drivers share.

    Raises:
        Conflict: there is one of this name.
        Refused: neither a rig nor a coach.
    """
    if kind not in RESOURCE_KINDS:
        raise Refused(f"{kind} is not one of {', '.join(RESOURCE_KINDS)}.")
    try:
        with sessions.begin() as session:
            change_set = begin_change(session, actor, "resource.add", f"Added the {kind} {named(name, kind)}")
            row = Resource(team_id=actor.team_id, name=named(name, kind), kind=kind)
            session.add(row)
            session.flush()
            about(session, change_set, row)
            return _resource(row)
    except IntegrityError as error:
        raise Conflict(f"There is something called {name.strip()} already.") from error


def change_resource(
    sessions: sessionmaker[Session], actor: Actor, resource_id: UUID, version: int, values: Mapping[str, Any]
) -> ResourceView:
    """Write a shared thing anew.

    Raises:
        Outdated: somebody changed it meanwhile.
        Conflict: the name is taken.
        Refused: an unknown zone, or windows that nobody can mean.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Resource, actor, resource_id, row_kind := "rig or coach", lock=True)
            check_version(row, version, row_kind)
            begin_change(session, actor, "resource.change", f"Changed the {row.kind} {row.name}", row)
            row.name = named(values["name"], row.kind)
            row.zone = _checked("zone", values["zone"])
            row.availability = _checked("availability", values["availability"])
            row.note = (values["note"] or "").strip() or None
            session.flush()
            return _resource(row)
    except IntegrityError as error:
        raise Conflict(f"There is something called {values['name'].strip()} already.") from error


def remove_resource(sessions: sessionmaker[Session], actor: Actor, resource_id: UUID) -> None:
    """Remove a shared thing that no entry needs.

    Raises:
        Conflict: one does.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Resource, actor, resource_id, "rig or coach", lock=True)
            begin_change(session, actor, "resource.remove", f"Removed the {row.kind} {row.name}", row)
            session.delete(row)
    except IntegrityError as error:
        raise Conflict("Entries are booked on it. Change them first.") from error


def availability_of(plain: Mapping[str, Any]) -> Availability:
    """Windows as the core knows them, from how they are kept: `weekly`, `off` and `extra`, with ISO days and times."""
    return Availability(
        tuple(
            Window(tuple(item["days"]), time.fromisoformat(item["begins"]), time.fromisoformat(item["ends"]))
            for item in plain.get("weekly") or ()
        ),
        tuple(
            DayOff(date.fromisoformat(item["first"]), date.fromisoformat(item["last"]), item.get("why") or "")
            for item in plain.get("off") or ()
        ),
        tuple(
            Slot(datetime.fromisoformat(item["begins"]), datetime.fromisoformat(item["ends"]))
            for item in plain.get("extra") or ()
        ),
    )


def _checked(name: str, value: Any) -> Any:
    try:
        if name == "zone":
            return known_zone(value).key if value else None
        if name == "availability":
            availability_of(value).check()
    except BadZone as error:
        raise Refused(f"{error}.") from error
    except (BadAvailability, ValueError) as error:
        raise Refused(f"These hours can't be meant: {error}.") from error
    return {key: item for key, item in value.items() if item not in (None, "")} if name in _MAPPINGS else value


def _profile(row: Driver, usual: dict[str, Any], cars: tuple[CarAllowed, ...]) -> DriverProfile:
    return DriverProfile(
        row.public_id,
        row.version,
        row.name,
        row.guest,
        row.nickname,
        row.zone,
        row.assists or {},
        row.controls,
        row.view or {},
        row.preferences,
        row.units or {},
        {"weekly": [], "off": [], "extra": [], **(row.availability or {})},
        row.care or {},
        usual,
        cars,
    )


def _resource(row: Resource) -> ResourceView:
    return ResourceView(
        row.public_id,
        row.version,
        row.name,
        row.kind,
        row.zone,
        {"weekly": [], "off": [], "extra": [], **(row.availability or {})},
        row.note,
    )
