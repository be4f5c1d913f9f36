"""What an entry is driven in."""

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from fleet_rival.db.tables import Combination, Entry, Lap
from fleet_rival.services.base import Actor
from fleet_rival.services.plan.followed import combinations_of

__all__ = ["combination_of"]


def combination_of(session: Session, actor: Actor, row: Entry) -> Combination | None:
    """What is driven: in the car that is entered, else in the one of the week's in which the driver has most laps."""
    keys = {int(key) for key in combinations_of(session, actor, {row.id}).get(row.id, ())}
    own = (Lap.team_id == row.team_id, Lap.driver_id == row.driver_id, Lap.combination_id.in_(keys))
    laps = {key: count for key, count in session.execute(select(Lap.combination_id, func.count()).where(*own).group_by(Lap.combination_id))}
    chosen = min(keys, key=lambda key: (-laps.get(key, 0), key), default=None)
    return session.get(Combination, chosen) if chosen is not None else None
