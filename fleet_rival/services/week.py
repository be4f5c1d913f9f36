"""Combinations: which car is prepared on which layout."""

from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.settings import Settings
from fleet_rival.db.tables import Car, Combination, Driver, Lap, Layout, TrackRow
from fleet_rival.services.base import Actor, begin_change, find_row
from fleet_rival.services.errors import Conflict, Refused

__all__ = ["CombinationView", "DriverView", "add_combination", "combination", "combinations"]


@dataclass(frozen=True, slots=True)
class DriverView:
    """A driver with laps in a combination."""

    id: UUID
    name: str
    guest: bool
    laps: int


@dataclass(frozen=True, slots=True)
class CombinationView:
    """A combination in a list or at the head of its page."""

    id: UUID
    car: str
    track: str
    layout: str
    layout_id: UUID
    length_m: float
    laps: int
    revision: int
    drivers: tuple[DriverView, ...]


def add_combination(sessions: sessionmaker[Session], actor: Actor, layout_id: UUID, car_name: str) -> CombinationView:
    """Make a combination of a layout and a car; the car is made where it isn't known.

    Raises:
        Refused: no name for the car.
        Conflict: the combination exists.
        NotThere: no such layout.
    """
    name = " ".join(car_name.split())
    if not name or len(name) > 120:
        raise Refused("Give the car a name of 1 to 120 characters.")
    try:
        with sessions.begin() as session:
            layout = find_row(session, Layout, actor, layout_id, "layout")
            car = session.scalar(select(Car).where(Car.team_id == actor.team_id, Car.name == name))
            if car is None:
                car = Car(team_id=actor.team_id, name=name)
                session.add(car)
                session.flush()
            row = Combination(team_id=actor.team_id, layout_id=layout.id, car_id=car.id, settings={})
            session.add(row)
            session.flush()
            begin_change(session, actor, "combination.add", f"Added {name} on {layout.name}")
            public_id = row.public_id
    except IntegrityError as error:
        raise Conflict(f"{name} on this layout is already there. Open it and add the laps to it.") from error
    return combination(sessions, actor, public_id)


def combinations(sessions: sessionmaker[Session], actor: Actor) -> list[CombinationView]:
    """All combinations of the team, newest first."""
    with sessions() as session:
        rows = session.scalars(select(Combination).where(Combination.team_id == actor.team_id).order_by(Combination.id.desc()))
        return [_view(session, row) for row in rows]


def combination(sessions: sessionmaker[Session], actor: Actor, public_id: UUID) -> CombinationView:
    with sessions() as session:
        return _view(session, find_row(session, Combination, actor, public_id, "combination"))


def settings_of(row: Combination) -> Settings:
    """The combination's settings: the defaults, and what the manager changed."""
    return Settings.from_mapping(row.settings)


def _view(session: Session, row: Combination) -> CombinationView:
    car, layout = session.get_one(Car, row.car_id), session.get_one(Layout, row.layout_id)
    track = session.get_one(TrackRow, layout.track_id)
    counts = session.execute(
        select(Driver.public_id, Driver.name, Driver.guest, func.count())
        .join(Lap, (Lap.team_id == Driver.team_id) & (Lap.driver_id == Driver.id))
        .where(Lap.team_id == row.team_id, Lap.combination_id == row.id)
        .group_by(Driver.id)
        .order_by(Driver.name)
    )
    drivers = tuple(DriverView(*count) for count in counts)
    return CombinationView(
        row.public_id,
        car.name,
        track.name,
        layout.name,
        layout.public_id,
        layout.length_m,
        sum(driver.laps for driver in drivers),
        row.revision,
        drivers,
    )
