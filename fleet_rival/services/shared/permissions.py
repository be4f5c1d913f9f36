"""Which acts belong to which role: asked anew of whoever takes something back or does it again, by the role they
have then.
"""

from typing import Any, Final

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from fleet_rival.db.tables import Base, Change, ChangeSet, Lap
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.roles import ALL, permissions_of

__all__ = ["acts_of", "bears_on_others", "may_act"]

_ENTRY_FIELDS_OF_DRIVERS: Final = frozenset({"starts", "note", "version"})


def may_act(actor: Actor, action: str) -> bool:
    """Whether somebody may do acts of this kind at all, by the role they have now; acts of earlier versions are for
    who may everything else.
    """
    return action not in _refused(actor)


def acts_of(actor: Actor) -> Any:
    """The same as a condition on change sets."""
    return ChangeSet.action.not_in(sorted(_refused(actor)))


def _refused(actor: Actor) -> frozenset[str]:
    return ALL - permissions_of(actor.role)


def bears_on_others(session: Session, actor: Actor, row: ChangeSet) -> bool:
    """Whether an act wrote something that isn't this person's to write: another driver's rows, or what a driver
    doesn't decide of an entry.

    Who is in charge writes everybody's.
    """
    if actor.sees_all:
        return False
    own = actor.driver_id or 0
    team = actor.team_id
    if (
        session.scalar(
            select(Lap.id).where(Lap.team_id == team, Lap.change_set_id == row.id, Lap.driver_id != own).limit(1)
        )
        is not None
    ):
        return True
    rows = func.coalesce(Change.after, Change.before)
    whole = func.coalesce(Change.before, Change.after)

    def named(name: str) -> Any:
        # A row that was changed names in its change only what changed; whose it is stands in the row itself.
        return func.coalesce(func.json_value(rows, f"$.{name}"), func.json_value(whole, f"$.{name}"))

    found = session.execute(
        select(
            Change.table_name,
            Change.row_id,
            Change.before,
            Change.after,
            named("driver_id").label("driver"),
            named("lap_id").label("lap"),
        )
        .where(Change.team_id == team, Change.change_set_id == row.id)
        .distinct()
    )
    drivers: set[int] = set()
    laps: set[int] = set()
    rows_of: dict[str, set[int]] = {}
    for table, key, before, after, driver, lap in found:
        if driver is not None:
            drivers.add(int(driver))
        if lap is not None:
            laps.add(int(lap))
        rows_of.setdefault(table, set()).add(key)
        if (
            table == "entry"
            and before is not None
            and after is not None
            and not after.keys() <= _ENTRY_FIELDS_OF_DRIVERS
        ):
            return True
        if table == "driver":
            drivers.add(key)
    for name, keys in rows_of.items():
        columns = Base.metadata.tables[name].columns
        for column, told in (("driver_id", drivers), ("lap_id", laps)):
            if column in columns:
                told |= {
                    value
                    for value in session.scalars(select(columns[column]).where(columns.id.in_(keys)).distinct())
                    if value is not None
                }
    if laps:
        drivers |= set(session.scalars(select(Lap.driver_id).where(Lap.team_id == team, Lap.id.in_(laps)).distinct()))
    return bool(drivers - {own})
