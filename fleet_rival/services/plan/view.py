"""The plan as it stands, with the rules that it breaks; and everybody's readiness."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import date, datetime, timedelta
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.planning.checker import broken_rules
from fleet_rival.core.planning.problem import Placed
from fleet_rival.core.planning.readiness import Check, readiness, total
from fleet_rival.db.tables import PlanMade
from fleet_rival.services.plan.coming import ComingBlock, coming_blocks
from fleet_rival.services.plan.make import Clock, planned_week
from fleet_rival.services.plan.problem import Entered, WeekToPlan
from fleet_rival.services.shared.base import Actor
from fleet_rival.wording.plan import (
    BLOCK_WORDS,
    RULE_WORDS,
    became_words,
    block_words,
    check_words,
    gain_words,
    pass_words,
)
from fleet_rival.wording.plan_reasons import LEFT_OUT

__all__ = ["blocks_to_come", "plan_of", "readiness_of"]

_LOOK_BACK: Final = timedelta(days=2)


def plan_of(
    sessions: sessionmaker[Session], actor: Actor, day: date | None = None, clock: Clock = now
) -> dict[str, Any]:
    """The plan of a day's weeks: lanes by driver, blocks, what was left out; a driver's own lane alone for who
    doesn't see all.
    """
    with sessions() as session:
        week, name = planned_week(sessions, session, actor, day, clock)
        made = session.scalars(select(PlanMade).where(PlanMade.team_id == actor.team_id, PlanMade.name == name)).first()
        shown = {item.entry.driver_id for item in week.entered}
        lanes = [_lane(week, driver_id) for driver_id in sorted(shown, key=lambda key: week.drivers[key].name)]
        by_id = {row.id: key for key, row in week.resources.items()}
        broken = _broken(week)
        blocks = [
            _block(week, key, row, broken.get(key, ()), by_id)
            for key, row in sorted(
                {**week.blocks, **week.behind}.items(), key=lambda pair: (pair[1].begins_at, pair[0])
            )
            if key.split("/")[0] in {str(item.entry.id) for item in week.entered}
        ]
        left = (
            []
            if made is None
            else [_left(item) for item in made.left_out if actor.sees_all or UUID(item["driver_id"]) in shown]
        )
        return {
            "name": name,
            "begins_at": min([week.problem.begins, *(row.begins_at for row in week.behind.values())]),
            "ends_at": week.problem.ends,
            "made_at": made.made_at if made else None,
            "value_us": made.value_us if made else None,
            "bound_us": made.bound_us if made else None,
            "proven": made.proven if made else False,
            "changed": [{**item, "begins_at": _read(item["begins_at"])} for item in made.changed]
            if made and actor.sees_all
            else [],
            "lanes": lanes,
            "blocks": blocks,
            "left": left,
            "weeks": [{"id": item.id, "series": item.series, "place": item.place} for item in week.weeks],
            "drivers": [{"id": key, "name": row.name} for key, row in week.drivers.items() if not row.guest]
            if actor.sees_all
            else [],
            "rigs": [{"id": key, "name": row.name} for key, row in week.resources.items() if row.kind == "rig"],
        }


def _read(text: str | None) -> datetime | None:
    return datetime.fromisoformat(text) if text else None


def _lane(week: WeekToPlan, driver_id: UUID) -> dict[str, Any]:
    row = week.drivers[driver_id]
    person = week.problem.person(row.name)
    own = [item for item in week.entered if item.entry.driver_id == driver_id]
    return {
        "id": driver_id,
        "name": row.name,
        "zone": row.zone or "UTC",
        "free": [{"begins_at": start, "ends_at": end} for start, end in person.free],
        "races": [
            {"at": start, "what": f"{item.week.facts.series}, {item.week.facts.place}"}
            for item in own
            for start in item.entry.starts
            if start >= week.problem.begins
        ],
        "care": asdict(person.care),
    }


def _broken(week: WeekToPlan) -> dict[str, list[str]]:
    """What each block that is planned breaks, in words."""
    by_id = {row.id: key for key, row in week.resources.items()}
    known = {item.key for item in week.problem.wanted}
    placed = []
    for key, row in week.blocks.items():
        if key in known:
            ends = row.begins_at + timedelta(minutes=row.minutes)
            placed.append(Placed(key, row.begins_at, ends, by_id.get(row.rig_id) if row.rig_id else None, row.locked))
    out: dict[str, list[str]] = {}
    for item in broken_rules(week.problem, placed):
        # What is over can't be mended.
        if item.rule not in ("moved", "early"):
            out.setdefault(item.key, []).append(RULE_WORDS[item.rule])
    return out


def _block(week: WeekToPlan, key: str, row: Any, broken: Sequence[str], by_id: Mapping[int, str]) -> dict[str, Any]:
    entered = next(item for item in week.entered if key.startswith(f"{item.entry.id}/"))
    rig = by_id.get(row.rig_id) if row.rig_id else None
    coach = by_id.get(row.coach_id) if row.coach_id else None
    combination = _combination(entered)
    became = week.became[row.id]
    kind = week.rules.library.get(row.kind)
    return {
        "id": row.public_id,
        "version": row.version,
        "key": key,
        "driver_id": entered.driver.id,
        "entry_id": entered.entry.id,
        "week_id": entered.entry.week_id,
        "combination_id": combination,
        "place": entered.week.facts.place,
        "series": entered.week.facts.series,
        "kind": row.kind,
        "about": row.about,
        "words": block_words(row.kind, row.about),
        "why": gain_words(row.why, row.numbers, row.gain_us),
        "gain_us": row.gain_us,
        "minutes": row.minutes,
        "begins_at": row.begins_at,
        "rig": {"id": rig, "name": week.resources[rig].name} if rig else None,
        "coach": week.resources[coach].name if coach else None,
        "locked": row.locked,
        "said": row.said,
        "state": became.state,
        "became": became_words(became.state, became.laps, became.purpose),
        "pass_mark": pass_words(row.kind, {**row.numbers, "gain_us": row.gain_us}, kind.pass_mark if kind else ""),
        "needed": key in week.behind or key in week.needed,
        "broken": list(broken),
    }


def _combination(entered: Entered) -> UUID | None:
    own = [item for item in entered.week.combinations if entered.entry.car_id is None or item.car_key == _car(entered)]
    return own[0].id if own else None


def _car(entered: Entered) -> int | None:
    return next((car.key for car in entered.week.cars if car.id == entered.entry.car_id), None)


def _left(item: Mapping[str, Any]) -> dict[str, Any]:
    plain = {name: value for name, value in item.items() if name != "numbers"}
    why = gain_words(item["why"], item["numbers"], item["gain_us"])
    return {**plain, "words": block_words(item["kind"], item["about"]), "why": why, "reason": LEFT_OUT[item["reason"]]}


def blocks_to_come(sessions: sessionmaker[Session], actor: Actor, clock: Clock = now) -> list[ComingBlock]:
    """What is planned from now on, and what became of the last evenings'; a driver's own."""
    now = clock()
    with sessions() as session:
        return list(coming_blocks(session, actor, now - _LOOK_BACK, now))


def _check(check: Check) -> dict[str, Any]:
    title, words = check_words(check)
    return {
        **asdict(check),
        "closed_by": BLOCK_WORDS[check.block] if check.block else None,
        "title": title,
        "words": words,
    }


def readiness_of(
    sessions: sessionmaker[Session], actor: Actor, day: date | None = None, clock: Clock = now
) -> dict[str, Any]:
    """Each entry's checks, what is open first."""
    with sessions() as session:
        week, _ = planned_week(sessions, session, actor, day, clock)
    items = []
    for item in week.entered:
        checks = readiness(item.evidence, week.rules.readiness)
        items.append(
            {
                "entry_id": item.entry.id,
                "driver_id": item.driver.id,
                "driver": item.driver.name,
                "series": item.week.facts.series,
                "place": item.week.facts.place,
                "combination_id": _combination(item),
                "race_at": item.race_at,
                "importance": item.entry.importance,
                "total": total(checks, week.rules.readiness),
                "open": sum(check.state == "open" for check in checks),
                "checks": [_check(check) for check in checks],
            }
        )
    return {"items": sorted(items, key=lambda item: (-item["open"], item["driver"]))}
