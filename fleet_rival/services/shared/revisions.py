"""Which figures are out of date after a change: a combination's revision rises with everything that its figures
depend on.
"""

from collections.abc import Iterable

from sqlalchemy import Select, select, update
from sqlalchemy.orm import Session

from fleet_rival.db.tables import Combination, Lap

__all__ = ["combinations_of_driver", "raise_revisions"]


def raise_revisions(session: Session, team_id: int, combination_ids: Iterable[int]) -> None:
    """Say that figures of combinations are out of date."""
    keys = sorted(combination_ids)
    if keys:
        statement = update(Combination).where(Combination.team_id == team_id, Combination.id.in_(keys))
        session.execute(
            statement.values(revision=Combination.revision + 1), execution_options={"synchronize_session": False}
        )


def combinations_of_driver(team_id: int, driver_id: int) -> Select[int]:
    """Combinations in which a driver has laps."""
    return select(Lap.combination_id).where(Lap.team_id == team_id, Lap.driver_id == driver_id).distinct()
