"""What entries are driven in."""

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from fleet_rival.db.tables import Combination, Entry, Lap
from fleet_rival.services.base import Actor
from fleet_rival.services.plan.followed import combinations_of

__all__ = ["combination_of", "entered_combinations"]


def combination_of(session: Session, actor: Actor, row: Entry) -> Combination | None:
    """What one entry is driven in; None where its week has no combination."""
    return entered_combinations(session, actor, [row]).get(row.id)


def entered_combinations(session: Session, actor: Actor, rows: Sequence[Entry]) -> dict[int, Combination]:
    """What each entry is driven in, by its inner key: the car that is entered, else the one of the week's in which the driver has most laps.

    In three queries, however many there are.
    """
    places = {entry: {int(key) for key in keys} for entry, keys in combinations_of(session, actor, {row.id for row in rows}).items()}
    known = {key for keys in places.values() for key in keys}
    own = (Lap.team_id == actor.team_id, Lap.combination_id.in_(known), Lap.driver_id.in_({row.driver_id for row in rows}))
    query = select(Lap.combination_id, Lap.driver_id, func.count()).where(*own).group_by(Lap.combination_id, Lap.driver_id)
    laps = {(combination, driver): count for combination, driver, count in session.execute(query)}
    found = {row.id: row for row in session.scalars(select(Combination).where(Combination.team_id == actor.team_id, Combination.id.in_(known)))}
    chosen = {row.id: min(places.get(row.id, ()), key=lambda key: (-laps.get((key, row.driver_id), 0), key), default=None) for row in rows}
    return {entry: found[key] for entry, key in chosen.items() if key is not None}
