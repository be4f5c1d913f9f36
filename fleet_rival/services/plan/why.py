"""Why this block, why not that one: answered by planning again with it or without it, and comparing."""

from datetime import date, datetime
from typing import Any, Final

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.planning.model import gain_of
from fleet_rival.core.planning.room import possible_starts
from fleet_rival.core.planning.solve import Effort, plan_week
from fleet_rival.services.plan.make import Clock, named, planned_week
from fleet_rival.services.plan.problem import WeekToPlan
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.wording.plan import gain_words
from fleet_rival.wording.plan_reasons import LOCKED, NOT_WITH_LOCKED, brings_words, counts_words, no_time_words

__all__ = ["why"]

_EFFORT: Final = Effort(units=3.0, seconds=20.0)


def why(
    sessions: sessionmaker[Session], actor: Actor, key: str, day: date | None = None, clock: Clock = now
) -> dict[str, Any]:
    """What speaks for a block and against it, in numbers.

    Args:
        key: of the block, as the plan names it.

    Raises:
        NotThere: nobody wants such a block any more.
    """
    with sessions() as session:
        week, _ = planned_week(sessions, session, actor, day, clock)
    item = next((one for one in week.problem.wanted if one.key == key), None)
    if item is None or (
        not actor.sees_all and week.needed[key][0].driver.id not in {one.driver.id for one in week.entered}
    ):
        raise NotThere("This block isn't wanted any more.")
    _, block = week.needed[key]
    told = [gain_words(block.why, block.numbers, block.gain_us)]
    told.append(counts_words(item.gain))
    if key in week.problem.locked:
        told.append(LOCKED)
        return _out(week, key, told)
    if not possible_starts(week.problem, item):
        told.append(no_time_words(item.minutes))
        return _out(week, key, told)
    with_it = plan_week(week.problem, _EFFORT, forced=[key])
    without = plan_week(week.problem, _EFFORT, without=[key])
    if with_it.bound < 0:
        told.append(NOT_WITH_LOCKED)
        return _out(week, key, told)
    gained = gain_of(week.problem, with_it.placed) - gain_of(week.problem, without.placed)
    out = sorted(without.keys - with_it.keys)
    told.append(brings_words(gained, [named(week, one) for one in out]))
    place = next(one for one in with_it.placed if one.key == key)
    return _out(week, key, told, gained, place.begins)


def _out(
    week: WeekToPlan, key: str, told: list[str], gained: int | None = None, best_at: datetime | None = None
) -> dict[str, Any]:
    return {"key": key, "title": named(week, key), "words": told, "gained_us": gained, "best_at": best_at}
