"""What the demo's running week had planned: blocks of the evenings that are over, driven and missed."""

from datetime import datetime, timedelta
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.planning.blocks import BLOCKS
from fleet_rival.core.planning.follow import DrivenRun
from fleet_rival.db.tables import Entry, PlanBlock, SeriesWeekRow
from fleet_rival.services.plan.followed import LAPS, driven_runs_since
from fleet_rival.services.shared.base import Actor, begin_change
from fleet_rival.services.week.entered import combinations_of

__all__ = ["load_plan"]

_KINDS: Final = {"build": "build", "long": "long", "qualifying": "qualifying"}
_EACH: Final = 2
"""Blocks of an entry that were driven."""
_MISSED_OF: Final = 3
"""Of so many drivers one has a block that nobody drove."""
_LAP_US: Final = 70_000_000
_STEP: Final = timedelta(minutes=15)


def load_plan(sessions: sessionmaker[Session], coach: Actor, moment: datetime) -> None:
    """Write the blocks down from which the evenings behind came about, as they were planned at the beginning of the
    week.
    """
    with sessions.begin() as session:
        query = (
            select(Entry)
            .join(SeriesWeekRow, (SeriesWeekRow.team_id == Entry.team_id) & (SeriesWeekRow.id == Entry.week_id))
            .where(
                Entry.team_id == coach.team_id,
                SeriesWeekRow.begins <= moment.date(),
                SeriesWeekRow.ends >= moment.date(),
            )
            .order_by(Entry.driver_id, Entry.week_id)
        )
        entries = list(session.scalars(query))
        if not entries:
            return
        places = combinations_of(session, coach, {entry.id for entry in entries})
        runs = driven_runs_since(session, coach, moment - timedelta(days=6), {entry.driver_id for entry in entries})
        begin_change(session, coach, "plan.make", "Made the practice plan at the beginning of the week")
        planned: set[int] = set()
        for entry in entries:
            if entry.driver_id in planned:
                continue
            own = [
                run
                for run in runs
                if run.person == str(entry.driver_id) and run.combination in places.get(entry.id, set()) and run.laps
            ]
            driven = sorted((run for run in own if run.purpose in _KINDS), key=lambda run: run.begins)[:_EACH]
            for run in driven:
                session.add(_block(coach, entry, _KINDS[run.purpose or ""], _on_step(run.begins)))
            if driven and len(planned) % _MISSED_OF == 0:
                session.add(_block(coach, entry, "qualifying", _free_hour(driven[0], own)))
            if driven:
                planned.add(entry.driver_id)


def _block(coach: Actor, entry: Entry, kind: str, begins: datetime) -> PlanBlock:
    share = BLOCKS[kind].share
    return PlanBlock(
        team_id=coach.team_id,
        driver_id=entry.driver_id,
        entry_id=entry.id,
        kind=kind,
        about="",
        minutes=30 if kind != "long" else 35,
        begins_at=begins,
        rig_id=None,
        coach_id=None,
        locked=False,
        gain_us=round(share * _LAP_US),
        why="supposed",
        numbers={"share": share, LAPS: float(BLOCKS[kind].laps)},
    )


def _free_hour(run: DrivenRun, own: list[DrivenRun]) -> datetime:
    """An hour of the same evening in which the driver drove nothing."""
    hour = run.begins.replace(minute=0, second=0, microsecond=0)
    while any(hour - _STEP < other.ends and other.begins < hour + timedelta(minutes=45) for other in own):
        hour += timedelta(hours=1)
    return hour


def _on_step(moment: datetime) -> datetime:
    return moment.replace(minute=moment.minute // 15 * 15, second=0, microsecond=0)
