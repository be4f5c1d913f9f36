"""Laps that arrive one by one, from fingers, eyes or a rig: which run they belong to, and what they take over from
its declaration.
"""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session

from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.db.events import announce
from fleet_rival.db.laps import lap_values
from fleet_rival.db.recording import open_change_set
from fleet_rival.db.tables import ChangeSet, Lap, Run
from fleet_rival.services.drive.runs.context import context_of, with_context
from fleet_rival.services.drive.runs.declare import waiting_runs
from fleet_rival.services.drive.runs.places import Place, run_row
from fleet_rival.services.shared.base import Actor, begin_change
from fleet_rival.services.shared.revisions import raise_revisions

__all__ = ["act_of", "declared_for", "keep_laps"]


def declared_for(
    session: Session, actor: Actor, place: Place, change_set: ChangeSet, began: datetime | None = None
) -> Run | None:
    """What was declared of a run; the last declaration of the driver that waits becomes this run's, where none is
    its own.

    Args:
        change_set: the act in which laps arrive.
        began: when the run began: it can't have been declared after that.
    """
    found = run_row(session, place)
    if found is not None:
        return found
    waiting = [
        item
        for item in waiting_runs(session, actor, place.combination, place.driver.id)
        if began is None or item.created_at <= began
    ]
    if not waiting:
        return None
    # Who declared twice before driving meant the second.
    row = waiting[-1]
    open_change_set(session, change_set)
    row.session_id, row.number = place.practice.id, place.number
    session.flush()
    return row


def act_of(session: Session, actor: Actor, place: Place, action: str, summary: str) -> ChangeSet:
    """The act to which the laps of one run belong that one person puts in one by one, so that they are taken back as
    one.
    """
    last = (
        select(Lap.change_set_id)
        .where(
            Lap.team_id == actor.team_id,
            Lap.session_id == place.practice.id,
            Lap.driver_id == place.driver.id,
            Lap.run == place.number,
        )
        .order_by(Lap.number.desc())
        .limit(1)
    )
    query = select(ChangeSet).where(
        ChangeSet.team_id == actor.team_id,
        ChangeSet.id == last.scalar_subquery(),
        ChangeSet.action == action,
        ChangeSet.person_id == actor.person_id,
        ChangeSet.standing,
        ChangeSet.turn.is_(None),
    )
    found = session.scalar(query)
    return found if found is not None else begin_change(session, actor, action, summary, place.combination)


def keep_laps(
    session: Session,
    actor: Actor,
    place: Place,
    laps: Sequence[CoreLap],
    change_set: ChangeSet,
    began: datetime | None = None,
    places: Sequence[int | None] = (),
    *,
    maybe_declared: bool = True,
) -> None:
    """Write laps of one run that aren't there yet, with what was declared of it.

    Args:
        places: of each lap in the run, from 0, where whoever delivers knows; else they are counted as they come.
        maybe_declared: False where it is known that nobody declared anything here.
    """
    run = declared_for(session, actor, place, change_set, began) if maybe_declared else None
    own = (
        Lap.team_id == actor.team_id,
        Lap.session_id == place.practice.id,
        Lap.driver_id == place.driver.id,
        Lap.run == place.number,
    )
    if run is not None:
        there = session.scalar(select(func.count()).where(*own)) or 0
        context = context_of(run)
        told = [*places, *([None] * len(laps))]
        laps = [
            with_context(lap, context, there + index if (at := told[index]) is None else at)
            for index, lap in enumerate(laps)
        ]
    keys: dict[str, Any] = {
        "team_id": actor.team_id,
        "combination_id": place.combination.id,
        "session_id": place.practice.id,
        "driver_id": place.driver.id,
        "change_set_id": change_set.id,
    }
    session.connection().execute(insert(Lap.__table__), [{**lap_values(lap), **keys} for lap in laps])  # type: ignore[arg-type]
    if place.combination.id not in (raised := session.info.setdefault("raised", set())):
        # Once in a transaction is enough, however many drivers' laps come in it.
        raised.add(place.combination.id)
        raise_revisions(session, actor.team_id, [place.combination.id])
    announce(session, actor.team_id, "laps.deliver", place.combination.public_id)
