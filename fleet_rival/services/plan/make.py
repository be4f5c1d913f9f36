"""Make the plan: choose and place blocks, and write down what became of it."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.planning.problem import Placed
from fleet_rival.core.planning.room import possible_starts
from fleet_rival.core.planning.solve import Effort, Plan, plan_week
from fleet_rival.db.tables import PlanBlock, PlanMade
from fleet_rival.services.find.overview.fresh import up_to_date
from fleet_rival.services.find.overview.load import Loaded
from fleet_rival.services.plan.followed import LAPS
from fleet_rival.services.plan.problem import WeekToPlan, plain, week_to_plan
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, begin_change
from fleet_rival.wording.plan import block_words
from fleet_rival.wording.work import LOOKING_WHAT_IS_OPEN, PLACING, WRITING_PLAN

__all__ = ["PlanTold", "make_plan", "moment_of", "named", "planned_week"]

Clock = Callable[[], datetime]
_MOST_TOLD: Final = 40
"""Changes against the plan before that are named."""


@dataclass(frozen=True, slots=True)
class PlanTold:
    """How many blocks found a place, and how many none."""

    placed: int
    left: int


def moment_of(day: date | None, clock: Clock) -> datetime:
    """The moment whose weeks are meant: now, or noon of a day to come."""
    now = clock()
    return now if day is None or day <= now.date() else datetime(day.year, day.month, day.day, 12, tzinfo=UTC)


def planned_week(
    sessions: sessionmaker[Session],
    session: Session,
    actor: Actor,
    day: date | None,
    clock: Clock,
    only: Collection[UUID] | None = None,
    adapt: Callable[[Loaded], None] = lambda _: None,
) -> tuple[WeekToPlan, str]:
    """The week to be planned on a day, and the name under which its plan is kept: the day on which the first of its
    series' weeks begins.

    Args:
        adapt: changes what was loaded, to see what the week would be then.
    """
    moment = moment_of(day, clock)
    loaded = up_to_date(sessions, actor, moment)
    adapt(loaded)
    begins = min((week.facts.begins for week in loaded.shown), default=moment.date())
    # All of a week to come, and what is left of one that runs.
    now = clock()
    since = max(now, min((week.window[0] for week in loaded.shown), default=moment))
    return week_to_plan(sessions, session, actor, loaded, now, since, only), begins.isoformat()


def make_plan(
    sessions: sessionmaker[Session],
    actor: Actor,
    day: date | None = None,
    only: Collection[UUID] | None = None,
    work: Work = UNWATCHED,
    clock: Clock = now,
    effort: Effort | None = None,
) -> None:
    """Make the plan of a day's weeks anew: what is locked stays, and what was planned moves only where that brings
    something.

    Args:
        only: drivers whose blocks are placed; everybody's where missing.
    """
    work.step(0.05, LOOKING_WHAT_IS_OPEN)
    with sessions() as session:
        week, name = planned_week(sessions, session, actor, day, clock, only)
    work.step(0.3, PLACING)
    plan = plan_week(week.problem, replace(effort or Effort(), stop=lambda: work.cancel_wanted))
    work.step(0.9, WRITING_PLAN)
    with sessions.begin() as session:
        whose = (
            ""
            if only is None
            else " for " + ", ".join(sorted(week.drivers[key].name for key in only if key in week.drivers))
        )
        begin_change(session, actor, "plan.make", f"Made the practice plan{whose}")
        changed = _write(session, actor, week, plan)
        made = session.scalars(
            select(PlanMade).where(PlanMade.team_id == actor.team_id, PlanMade.name == name).with_for_update()
        ).first()
        told = {
            "made_at": clock(),
            "value_us": plan.value,
            "bound_us": plan.bound,
            "proven": plan.proven,
            "left_out": _left(week, plan),
        }
        if made is None:
            made = PlanMade(team_id=actor.team_id, name=name, **told)
            session.add(made)
        for field, value in {**told, "changed": changed[:_MOST_TOLD]}.items():
            setattr(made, field, value)
        work.finish(session, PlanTold(len(plan.placed), len(made.left_out)))


def _write(session: Session, actor: Actor, week: WeekToPlan, plan: Plan) -> list[dict[str, Any]]:
    """Change rows to what was planned; what somebody changed while it was planned stays as they left it.

    Returns:
        What is other than before: `words`, and `begins_at` of what goes somewhere else.
    """
    placed = {item.key: item for item in plan.placed}
    own = (PlanBlock.team_id == actor.team_id, PlanBlock.id.in_([row.id for row in week.blocks.values()]))
    rows = (
        {row.id: row for row in session.scalars(select(PlanBlock).where(*own).with_for_update())} if week.blocks else {}
    )
    told: list[dict[str, Any]] = []
    for key, old in week.blocks.items():
        row = rows.get(old.id)
        if row is None or row.version != old.version or key in week.problem.locked:
            continue
        there = placed.get(key)
        about = named(week, key)
        if there is None:
            # What is over isn't taken out, only what was still to come.
            if old.begins_at >= week.problem.begins:
                told.append({"words": f"{about} is out.", "begins_at": None})
                session.delete(row)
            continue
        if there.begins != row.begins_at:
            told.append({"words": f"{about} goes to", "begins_at": there.begins.isoformat()})
        _set(row, week, key, there)
    for key, there in placed.items():
        if key not in week.blocks and key in week.needed:
            entered, block = week.needed[key]
            row = PlanBlock(
                team_id=actor.team_id,
                driver_id=week.drivers[entered.driver.id].id,
                entry_id=week.entry_keys[entered.entry.id],
                kind=block.kind,
                about=block.about,
                locked=False,
            )
            _set(row, week, key, there)
            session.add(row)
            if week.blocks:
                told.append({"words": f"{named(week, key)} is new:", "begins_at": there.begins.isoformat()})
    return told


def _set(row: PlanBlock, week: WeekToPlan, key: str, there: Placed) -> None:
    _, block = week.needed[key]
    want = next(item for item in week.problem.wanted if item.key == key)
    values: Mapping[str, Any] = {
        "begins_at": there.begins,
        "minutes": block.minutes,
        "rig_id": week.resources[there.rig].id if there.rig else None,
        "coach_id": week.resources[want.coach].id if want.coach else None,
        "gain_us": round(block.gain_us),
        "why": block.why,
        "numbers": {**plain(block.numbers), **({LAPS: float(block.laps)} if block.laps else {})},
    }
    for name, value in values.items():
        if getattr(row, name) != value:
            setattr(row, name, value)


def named(week: WeekToPlan, key: str) -> str:
    """Whose block it is, and what it is for."""
    if key in week.needed:
        entered, block = week.needed[key]
        return f"{entered.driver.name}, {block_words(block.kind, block.about)}"
    row = week.blocks[key]
    driver = next(item.name for item in week.drivers.values() if item.id == row.driver_id)
    return f"{driver}, {block_words(row.kind, row.about)}"


def _left(week: WeekToPlan, plan: Plan) -> list[dict[str, Any]]:
    """What found no place, the most valuable first."""
    out: list[dict[str, Any]] = []
    for item in week.problem.wanted:
        if item.key in plan.keys:
            continue
        entered, block = week.needed[item.key]
        missing: Sequence[str] = [key for key in item.needs if key not in plan.keys]
        reason = "no-room" if not possible_starts(week.problem, item) else "needs" if missing else "crowded"
        out.append(
            {
                "key": item.key,
                "driver_id": str(entered.driver.id),
                "driver": entered.driver.name,
                "kind": block.kind,
                "about": block.about,
                "minutes": block.minutes,
                "gain_us": round(block.gain_us),
                "worth_us": item.gain,
                "why": block.why,
                "numbers": plain(block.numbers),
                "reason": reason,
            }
        )
    return sorted(out, key=lambda item: -item["worth_us"])
