"""What became of planned blocks, from the runs that were declared and driven."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any, Final

from sqlalchemy import case, func, or_, select
from sqlalchemy.orm import Session

from fleet_rival.core.planning.blocks import BLOCKS
from fleet_rival.core.planning.follow import DrivenRun, Followed, PlannedBlock, follow
from fleet_rival.db.tables import ChangeSet, Lap, PlanBlock, Run
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.planning import team_planning
from fleet_rival.services.week.entered import combinations_of

__all__ = ["LAPS", "became_of", "driven_runs_since"]

_BEFORE: Final = timedelta(days=1)
LAPS: Final = "laps_planned"
"""Under which the flying laps of a block are kept with the numbers of its gain."""


def became_of(session: Session, actor: Actor, rows: Sequence[PlanBlock], now: datetime) -> dict[int, Followed]:
    """What became of each of some blocks, by its key; in a fixed number of queries."""
    if not rows:
        return {}
    places = combinations_of(session, actor, {row.entry_id for row in rows})
    planned = [
        PlannedBlock(
            str(row.id),
            str(row.driver_id),
            frozenset(places[row.entry_id]),
            row.kind,
            row.about.partition(":")[0] if row.kind == "corner" else "",
            row.begins_at,
            row.begins_at + timedelta(minutes=row.minutes),
            _laps(row),
            row.said,
        )
        for row in rows
    ]
    runs = driven_runs_since(
        session, actor, min(row.begins_at for row in rows) - _BEFORE, {row.driver_id for row in rows}
    )
    planning = team_planning(session, actor.team_id)
    return {int(key): became for key, became in follow(planned, runs, now, planning).items()}


def _laps(row: PlanBlock) -> int:
    kept = row.numbers.get(LAPS)
    return (
        int(kept)
        if kept is not None
        else BLOCKS[row.kind].laps or int(BLOCKS[row.kind].driving)
        if row.kind in BLOCKS
        else 1
    )


def driven_runs_since(session: Session, actor: Actor, since: datetime, drivers: set[int]) -> list[DrivenRun]:
    """Runs of some drivers with a lap after a moment, and those that are declared and have none yet.

    Laps without a time count from when they came in.
    """
    query = _runs_with_laps(actor, since, drivers)
    declared = select(Run).where(Run.team_id == actor.team_id, Run.driver_id.in_(drivers), Run.declared)
    said = {
        (row.session_id, row.driver_id, row.number): row
        for row in session.scalars(declared.where(Run.session_id.is_not(None)))
    }
    out = []
    for combination, driver, practice, number, written, begins, ends, laps, wet_laps, count in session.execute(query):
        run = said.get((practice, driver, number))
        watch = tuple(run.watch) if run is not None else ()
        purpose = (run.purpose if run is not None else None) or written
        key = f"{practice}:{driver}:{number}"
        whose, wet = (key, str(driver), str(combination)), 2 * int(wet_laps or 0) > count
        out.append(DrivenRun(*whose, purpose, watch, begins, ends, int(laps or 0), wet=wet))
    for run in session.scalars(declared.where(Run.session_id.is_(None), Run.created_at >= since)):
        whose = (f"run:{run.id}", str(run.driver_id), str(run.combination_id))
        out.append(DrivenRun(*whose, run.purpose, tuple(run.watch), run.created_at, run.created_at, 0))
    return out


def _runs_with_laps(actor: Actor, since: datetime, drivers: set[int]) -> Any:
    """Combination, driver, session and number of each run, its purpose as its laps say, when its first and last lap
    began, how many are flying and wet, and all of them.
    """
    at = func.coalesce(Lap.started_at, ChangeSet.made_at)
    flying, wet = (func.sum(case((what, 1), else_=0)) for what in (Lap.kind == "flying", Lap.wetness != "dry"))
    run = (Lap.combination_id, Lap.driver_id, Lap.session_id, Lap.run)
    return (
        select(*run, func.max(Lap.purpose), func.min(at), func.max(at), flying, wet, func.count())
        .join(ChangeSet, (ChangeSet.team_id == Lap.team_id) & (ChangeSet.id == Lap.change_set_id))
        .where(
            Lap.team_id == actor.team_id,
            Lap.driver_id.in_(drivers),
            or_(Lap.started_at >= since, Lap.started_at.is_(None)),
            at >= since,
        )
        .group_by(*run)
    )
