"""Entries: who drives in which week, at which starts, and how much it matters. Clashes are pointed out elsewhere,
never forbidden.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.words import IMPORTANCES
from fleet_rival.db.tables import Car, Driver, Entry, PlanBlock, RaceResult, RaceSheet, Resource, Series, SeriesWeekRow
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused

__all__ = ["EntryView", "change_entry", "enter", "entries_of_weeks", "entry", "move_entry", "remove_entries"]

_MOST_AT_ONCE: Final = 2000


@dataclass(frozen=True, slots=True)
class EntryView:
    """A driver in a series' week."""

    id: UUID
    version: int
    week_id: UUID
    driver_id: UUID
    driver: str
    importance: str
    starts: tuple[datetime, ...]
    car_id: UUID | None
    resource_id: UUID | None
    note: str | None
    points: float | None = None
    """What the week brought; None: not driven yet, or nobody said."""


def entries_of_weeks(session: Session, actor: Actor, week_keys: Sequence[int]) -> list[EntryView]:
    """The entries of some weeks, in the order of the drivers' names; a driver's own alone for who doesn't see all."""
    query = _query(actor).where(Entry.week_id.in_(week_keys))
    if not actor.sees_all:
        query = query.where(Entry.driver_id == actor.driver_id)
    return [_view(*row) for row in session.execute(query)] if week_keys else []


def entry(sessions: sessionmaker[Session], actor: Actor, entry_id: UUID) -> EntryView:
    """One entry.

    Raises:
        NotThere: the team has none like it.
    """
    with sessions() as session:
        row = session.execute(_query(actor).where(Entry.public_id == entry_id)).first()
        if row is None or (not actor.sees_all and row[0].driver_id != actor.driver_id):
            raise NotThere("This entry doesn't exist, or no longer does.")
        return _view(*row)


def enter(
    sessions: sessionmaker[Session], actor: Actor, week_ids: Sequence[UUID], driver_ids: Sequence[UUID], importance: str
) -> int:
    """Enter drivers in weeks, all in one act; who is entered already stays as they are.

    Returns:
        How many entries were made.

    Raises:
        Refused: an importance that there isn't, or more at once than anybody can mean.
    """
    _known(importance)
    if len(week_ids) * len(driver_ids) > _MOST_AT_ONCE:
        raise Refused(f"That would be more than {_MOST_AT_ONCE} entries at once.")
    with sessions.begin() as session:
        weeks = [find_row(session, SeriesWeekRow, actor, key, "week") for key in dict.fromkeys(week_ids)]
        drivers = [find_row(session, Driver, actor, key, "driver") for key in dict.fromkeys(driver_ids)]
        own = (Entry.team_id == actor.team_id, Entry.week_id.in_([week.id for week in weeks]))
        there = {(week, driver) for week, driver in session.execute(select(Entry.week_id, Entry.driver_id).where(*own))}
        wanted = [(week, driver) for week in weeks for driver in drivers if (week.id, driver.id) not in there]
        if not wanted:
            return 0
        change_set = begin_change(session, actor, "entry.add", _entered(session, weeks, drivers, len(wanted)))
        rows = [
            Entry(team_id=actor.team_id, week_id=week.id, driver_id=driver.id, importance=importance, starts=[])
            for week, driver in wanted
        ]
        session.add_all(rows)
        session.flush()
        about(session, change_set, rows[0])
        return len(rows)


def change_entry(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, version: int, values: Mapping[str, Any]
) -> EntryView:
    """Change when and how a driver drives. A driver chooses the own starts and writes the own note; the rest is the
    manager's.

    Args:
        values: `importance`, `starts`, `car_id`, `resource_id`, `note`, and `points`, what the week brought; what is
            missing stays.

    Raises:
        Outdated: somebody changed it meanwhile.
        NotThere: no such entry, or not the actor's.
    """
    with sessions.begin() as session:
        row = find_row(session, Entry, actor, entry_id, "entry", lock=True)
        if not actor.sees_all:
            if row.driver_id != actor.driver_id:
                raise NotThere("This entry doesn't exist, or no longer does.")
            if not values.keys() <= {"starts", "note"}:
                raise Refused("You choose your own starts here; the rest is for a manager or coach to change.")
        check_version(row, version, "entry")
        driver = session.get_one(Driver, row.driver_id).name
        begin_change(
            session, actor, "entry.change", f"Changed the entry of {driver} in {_week_name(session, row.week_id)}", row
        )
        for name, value in _stored(session, actor, values).items():
            if getattr(row, name) != value:
                setattr(row, name, value)
    return entry(sessions, actor, entry_id)


def move_entry(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, version: int, week_id: UUID, driver_id: UUID
) -> EntryView:
    """Hand an entry over to another driver, or take it to another week. Starts, car and rig stay where the week stays.

    Raises:
        Outdated: somebody changed it meanwhile.
        Conflict: the driver is entered there already.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Entry, actor, entry_id, "entry", lock=True)
            check_version(row, version, "entry")
            week, driver = (
                find_row(session, SeriesWeekRow, actor, week_id, "week"),
                find_row(session, Driver, actor, driver_id, "driver"),
            )
            old = session.get_one(Driver, row.driver_id).name
            whose = f"{old}'s entry" if driver.name == old else f"{old}'s entry to {driver.name}"
            begin_change(session, actor, "entry.move", f"Moved {whose}, {_week_name(session, week.id)}", row)
            _drop_what_hangs_on(session, [row])
            if row.week_id != week.id:
                row.starts, row.car_id, row.resource_id, row.race = [], None, None, None
            row.week_id, row.driver_id = week.id, driver.id
    except IntegrityError as error:
        raise Conflict("This driver is entered there already.") from error
    return entry(sessions, actor, entry_id)


def remove_entries(sessions: sessionmaker[Session], actor: Actor, entry_ids: Sequence[UUID]) -> None:
    """Take entries out, all in one act."""
    with sessions.begin() as session:
        rows = [find_row(session, Entry, actor, key, "entry", lock=True) for key in sorted(set(entry_ids))]
        if not rows:
            return
        names = {
            key: name
            for key, name in session.execute(select(Driver.id, Driver.name).where(Driver.team_id == actor.team_id))
        }
        if len(rows) == 1:
            told = f"Took out the entry of {names[rows[0].driver_id]} in {_week_name(session, rows[0].week_id)}"
        else:
            told = f"Took out {len(rows)} entries"
        begin_change(session, actor, "entry.remove", told, rows[0])
        _drop_what_hangs_on(session, rows)
        for row in rows:
            session.delete(row)


def _drop_what_hangs_on(session: Session, rows: Sequence[Entry]) -> None:
    """Nobody practises for an entry that is gone, or another driver's, nor drives by its race sheet.

    Raises:
        Conflict: one of them has a result: who drove it did.
    """
    keys = [row.id for row in rows]
    if (
        session.scalar(
            select(RaceResult.id).where(RaceResult.team_id == rows[0].team_id, RaceResult.entry_id.in_(keys)).limit(1)
        )
        is not None
    ):
        raise Conflict(
            "A result is written down for this entry: it stays with who drove it. Take the result out first."
        )
    for table in (PlanBlock, RaceSheet):
        for item in session.scalars(select(table).where(table.team_id == rows[0].team_id, table.entry_id.in_(keys))):
            session.delete(item)
    session.flush()


def _query(actor: Actor) -> Any:
    return (
        select(
            Entry,
            SeriesWeekRow.public_id.label("week"),
            Driver.public_id.label("driver"),
            Driver.name,
            Car.public_id.label("car"),
            Resource.public_id.label("resource"),
        )
        .join(SeriesWeekRow, (SeriesWeekRow.team_id == Entry.team_id) & (SeriesWeekRow.id == Entry.week_id))
        .join(Driver, (Driver.team_id == Entry.team_id) & (Driver.id == Entry.driver_id))
        .join(Car, (Car.team_id == Entry.team_id) & (Car.id == Entry.car_id), isouter=True)
        .join(Resource, (Resource.team_id == Entry.team_id) & (Resource.id == Entry.resource_id), isouter=True)
        .where(Entry.team_id == actor.team_id)
        .order_by(Driver.name, Entry.id)
    )


def _view(
    row: Entry, week_id: UUID, driver_id: UUID, driver: str, car_id: UUID | None, resource_id: UUID | None
) -> EntryView:
    starts = tuple(datetime.fromisoformat(start) for start in row.starts)
    return EntryView(
        row.public_id,
        row.version,
        week_id,
        driver_id,
        driver,
        row.importance,
        starts,
        car_id,
        resource_id,
        row.note,
        row.points,
    )


def _stored(session: Session, actor: Actor, values: Mapping[str, Any]) -> dict[str, Any]:
    out: dict[str, Any] = {}
    if "importance" in values:
        out["importance"] = _known(values["importance"])
    if "starts" in values:
        out["starts"] = [start.isoformat() for start in sorted({start.astimezone(UTC) for start in values["starts"]})]
    if "car_id" in values:
        out["car_id"] = find_row(session, Car, actor, values["car_id"], "car").id if values["car_id"] else None
    if "resource_id" in values:
        out["resource_id"] = (
            find_row(session, Resource, actor, values["resource_id"], "rig").id if values["resource_id"] else None
        )
    if "points" in values:
        out["points"] = values["points"]
    if "note" in values:
        out["note"] = (values["note"] or "").strip() or None
    return out


def _known(importance: str) -> str:
    if importance not in IMPORTANCES:
        raise Refused(f"{importance} is not one of {', '.join(IMPORTANCES)}.")
    return importance


def _week_name(session: Session, week_key: int) -> str:
    row = session.get_one(SeriesWeekRow, week_key)
    return f"{session.get_one(Series, row.series_id).name}, week {row.number}"


def _entered(session: Session, weeks: Sequence[SeriesWeekRow], drivers: Sequence[Driver], count: int) -> str:
    who = drivers[0].name if len(drivers) == 1 else f"{len(drivers)} drivers"
    where = _week_name(session, weeks[0].id) if len(weeks) == 1 else f"{len(weeks)} weeks"
    return (
        f"Entered {who} in {where}"
        if count == len(weeks) * len(drivers)
        else f"Entered {who} in {where}, where they weren't yet"
    )
