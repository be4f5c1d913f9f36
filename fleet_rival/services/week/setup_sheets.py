"""The sheets of setups that the team has of a car."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.core.runs.context import RunContext
from fleet_rival.core.runs.setups import SetupSheet, SetupValue, label_of, warnings_of
from fleet_rival.db.tables import Combination, Setup, SetupVersion

__all__ = ["setup_labels", "setup_warnings", "sheet_of"]


def sheet_of(name: str, row: SetupVersion) -> SetupSheet:
    """A version as the core knows it."""
    values = tuple(SetupValue(item["name"], item["value"], item["unit"], item["corner"]) for item in row.lines)
    return SetupSheet(name, row.number, values, row.purpose, row.assists, row.reason)


def _of_car(session: Session, row: Combination) -> dict[str, SetupSheet]:
    """All versions that a combination's car has, by what runs call them, the latest first."""
    found = session.execute(
        select(Setup.name, SetupVersion)
        .join(Setup, (Setup.team_id == SetupVersion.team_id) & (Setup.id == SetupVersion.setup_id))
        .where(Setup.team_id == row.team_id, Setup.car_id == row.car_id)
        .order_by(SetupVersion.id.desc())
    )
    return {label_of(name, item.number): sheet_of(name, item) for name, item in found}


def setup_labels(session: Session, row: Combination) -> tuple[str, ...]:
    """What runs of a combination can call their setup, the latest first."""
    return tuple(_of_car(session, row))


def setup_warnings(session: Session, row: Combination, context: RunContext, wetness: str | None) -> list[str]:
    """What speaks against the setup that a run names, where the team has a sheet of it.

    Args:
        wetness: in which the week is driven; None: nobody said.
    """
    sheet = _of_car(session, row).get(context.setup) if context.setup else None
    return warnings_of(sheet, context, wetness) if sheet else []
