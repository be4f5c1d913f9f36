"""The setups that the demo's people wrote for the cars of the series where setups are open."""

from typing import Final

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.services.fix import setups
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week import cars
from fleet_rival.simulator.garage import CAR_SHEETS, SETUPS

__all__ = ["load_setups"]

_COLUMNS: Final = ("name", "value", "unit", "corner")


def load_setups(sessions: sessionmaker[Session], coach: Actor) -> None:
    """Write them, version by version, for each car with a rear bar to set."""
    open_cars = {
        name for name, sheet in CAR_SHEETS.items() if any(setting["name"] == "Rear bar" for setting in sheet.settings)
    }
    for car in cars.cars(sessions, coach):
        if car.name not in open_cars:
            continue
        for written in SETUPS:
            lines = [dict(zip(_COLUMNS, line, strict=True)) for line in written.lines]
            values = {"values": lines, "purpose": written.purpose, "assists": written.assists, "reason": written.reason}
            there = next((item for item in setups.setups(sessions, coach, car.id) if item.name == written.name), None)
            if there is None:
                setups.add_setup(sessions, coach, car.id, written.name, values)
            else:
                setups.add_version(sessions, coach, there.id, there.versions[0].number, values)
