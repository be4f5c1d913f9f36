"""What entries are driven in."""

from collections import defaultdict
from collections.abc import Sequence

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from fleet_rival.db.tables import Combination, Entry, Lap, SeriesWeekCar, SeriesWeekRow
from fleet_rival.services.shared.base import Actor

__all__ = ["combination_of", "combinations_of", "entered_combinations"]


def combination_of(session: Session, actor: Actor, row: Entry) -> Combination | None:
    """What one entry is driven in; None where its week has no combination."""
    return entered_combinations(session, actor, [row]).get(row.id)


def entered_combinations(session: Session, actor: Actor, rows: Sequence[Entry]) -> dict[int, Combination]:
    """What each entry is driven in, by its inner key: the car that is entered, else the one of the week's in which
    the driver has most laps.

    In three queries, however many there are.
    """
    places = {
        entry: {int(key) for key in keys}
        for entry, keys in combinations_of(session, actor, {row.id for row in rows}).items()
    }
    known = {key for keys in places.values() for key in keys}
    own = (
        Lap.team_id == actor.team_id,
        Lap.combination_id.in_(known),
        Lap.driver_id.in_({row.driver_id for row in rows}),
    )
    query = (
        select(Lap.combination_id, Lap.driver_id, func.count()).where(*own).group_by(Lap.combination_id, Lap.driver_id)
    )
    laps = {(combination, driver): count for combination, driver, count in session.execute(query)}
    found = {
        row.id: row
        for row in session.scalars(
            select(Combination).where(Combination.team_id == actor.team_id, Combination.id.in_(known))
        )
    }
    chosen = {
        row.id: min(places.get(row.id, ()), key=lambda key: (-laps.get((key, row.driver_id), 0), key), default=None)
        for row in rows
    }
    return {entry: found[key] for entry, key in chosen.items() if key is not None}


def combinations_of(session: Session, actor: Actor, entries: set[int]) -> dict[int, set[str]]:
    """Combinations in which an entry may be practised: those of its week's layout and cars, of its own car alone
    where one is entered.
    """
    query = (
        select(Entry.id, Combination.id)
        .join(SeriesWeekRow, (SeriesWeekRow.team_id == Entry.team_id) & (SeriesWeekRow.id == Entry.week_id))
        .join(SeriesWeekCar, (SeriesWeekCar.team_id == Entry.team_id) & (SeriesWeekCar.week_id == Entry.week_id))
        .join(
            Combination,
            (Combination.team_id == Entry.team_id)
            & (Combination.layout_id == SeriesWeekRow.layout_id)
            & (Combination.car_id == SeriesWeekCar.car_id),
        )
        .where(
            Entry.team_id == actor.team_id,
            Entry.id.in_(entries),
            or_(Entry.car_id.is_(None), Entry.car_id == SeriesWeekCar.car_id),
        )
    )
    out: dict[int, set[str]] = defaultdict(set)
    for entry, combination in session.execute(query):
        out[entry].add(str(combination))
    return out
