"""What if a driver had another evening, or none, or another race: the plan beside the present one; and what would
make room for a block.

Nothing of it is kept: it is looked at, and what pleases is entered where it belongs.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from typing import Final
from uuid import UUID, uuid4

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.planning.solve import Plan
from fleet_rival.core.planning.variation import SHORT, Beside, beside, room_makers, with_less_time, with_more_time
from fleet_rival.core.season.availability import Span
from fleet_rival.core.season.clashes import starts_in_time
from fleet_rival.core.words import PlanChange, RoomKind, WhatIfKind
from fleet_rival.db.tables import Driver
from fleet_rival.services.find.overview.cells import minutes_of
from fleet_rival.services.find.overview.load import Loaded
from fleet_rival.services.plan.make import Clock, named, planned_week
from fleet_rival.services.plan.problem import WeekToPlan
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, find_row
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.week.entries import EntryView
from fleet_rival.wording.clinic import seconds
from fleet_rival.wording.plan import beside_words, room_words
from fleet_rival.wording.plan_reasons import UNPROVEN, dropped_words
from fleet_rival.wording.work import LOOKING_WHAT_IS_OPEN, PLANNING_BOTH, TRYING_EVENINGS

__all__ = ["Change", "PlansBeside", "RoomFor", "what_if", "what_makes_room"]

_MOST: Final = 10


@dataclass(frozen=True, slots=True)
class Change:
    """One thing that would be other.

    Attributes:
        kind: one of `CHANGES`.
        begins_at, ends_at: of the time that is there or isn't.
        week_id: of the series' week in which the driver is entered too.
    """

    kind: WhatIfKind
    driver_id: UUID
    begins_at: datetime | None = None
    ends_at: datetime | None = None
    week_id: UUID | None = None


@dataclass(frozen=True, slots=True)
class BlockBeside:
    """A block of one plan, beside the other."""

    driver: str
    words: str
    place: str
    begins_at: datetime
    minutes: int
    state: PlanChange


@dataclass(frozen=True, slots=True)
class PlansBeside:
    """Both plans of those whom a change touches.

    Attributes:
        gained_us: by the plan as a whole, a lap, weighted.
        words: what is other, in sentences.
    """

    gained_us: int
    words: tuple[str, ...]
    before: tuple[BlockBeside, ...]
    after: tuple[BlockBeside, ...]


@dataclass(frozen=True, slots=True)
class Room:
    """One thing that would make room for a block; from when to when, or None for a rig."""

    kind: RoomKind
    words: str
    gained_us: int
    driver_id: UUID
    begins_at: datetime | None
    ends_at: datetime | None


@dataclass(frozen=True, slots=True)
class RoomFor:
    """What would make room for a block, what brings most first."""

    key: str
    title: str
    items: tuple[Room, ...]


def what_if(
    sessions: sessionmaker[Session],
    actor: Actor,
    changes: Sequence[Change],
    day: date | None = None,
    work: Work = UNWATCHED,
    clock: Clock = now,
) -> PlansBeside:
    """The plan as it would be, beside the best one as things are.

    Raises:
        Refused: nothing is changed, too much, a time that ends before it begins, or an entry that is there already.
        NotThere: no such driver, or no such week among those that are planned.
    """
    if not 1 <= len(changes) <= _MOST:
        raise Refused(f"Say one thing that would be other, and {_MOST} at most.")
    work.step(0.05, LOOKING_WHAT_IS_OPEN)
    with sessions() as session:
        names = {
            change.driver_id: find_row(session, Driver, actor, change.driver_id, "driver").name for change in changes
        }
        now, _ = planned_week(sessions, session, actor, day, clock)
        then = now
        entered = [change for change in changes if change.kind == "entry"]
        if entered:
            then, _ = planned_week(sessions, session, actor, day, clock, adapt=lambda loaded: _enter(loaded, entered))
    problem = then.problem
    for change in changes:
        if change.kind != "entry":
            ask = with_more_time if change.kind == "more_time" else with_less_time
            problem = ask(problem, names[change.driver_id], [_span(change)])
    work.step(0.3, PLANNING_BOTH)
    found = beside(now.problem, problem, set(names.values()), replace(SHORT, stop=lambda: work.cancel_wanted))
    told = _told(now, then, found)
    with sessions.begin() as session:
        work.finish(session, told)
    return told


def what_makes_room(
    sessions: sessionmaker[Session],
    actor: Actor,
    key: str,
    day: date | None = None,
    work: Work = UNWATCHED,
    clock: Clock = now,
) -> RoomFor:
    """What would make room for a block that found none, what brings most first.

    Raises:
        NotThere: nobody wants such a block any more.
    """
    work.step(0.05, LOOKING_WHAT_IS_OPEN)
    with sessions() as session:
        week, _ = planned_week(sessions, session, actor, day, clock)
    if key not in week.needed:
        raise NotThere("This block isn't wanted any more.")
    work.step(0.3, TRYING_EVENINGS)
    driver = week.needed[key][0].driver
    items = tuple(
        Room(
            maker.kind,
            room_words(maker.kind, maker.gained),
            maker.gained,
            driver.id,
            *(maker.span or (None, None)),
        )
        for maker in room_makers(week.problem, key, replace(SHORT, stop=lambda: work.cancel_wanted))
    )
    told = RoomFor(key, named(week, key), items)
    with sessions.begin() as session:
        work.finish(session, told)
    return told


def _span(change: Change) -> Span:
    if change.begins_at is None or change.ends_at is None or change.begins_at >= change.ends_at:
        raise Refused("Say from when to when; the end lies behind the beginning.")
    if change.ends_at - change.begins_at > timedelta(days=8):
        raise Refused("That is longer than a week.")
    return change.begins_at.astimezone(UTC), change.ends_at.astimezone(UTC)


def _enter(loaded: Loaded, changes: Sequence[Change]) -> None:
    """Enter drivers in weeks as they were loaded, at the last start that their time allows; nothing is written."""
    for change in changes:
        week = next((item for item in loaded.shown if item.row.public_id == change.week_id), None)
        driver = next((item for item in loaded.drivers if item.id == change.driver_id), None)
        if week is None or driver is None:
            raise NotThere("This week isn't among those that are planned.")
        if driver.id in week.entries:
            raise Refused(f"{driver.name} is entered there already.")
        coming = [start for start in week.starts if start > loaded.moment]
        fitting = coming if driver.free is None else starts_in_time(coming, minutes_of(loaded, week), driver.free)
        starts = tuple((fitting or coming)[-1:])
        week.entries[driver.id] = EntryView(
            uuid4(), 1, week.row.public_id, driver.id, driver.name, "want", starts, None, None, None
        )


def _told(now: WeekToPlan, then: WeekToPlan, found: Beside) -> PlansBeside:
    """Both plans of those whom the change touches, block by block, and what is other."""
    other: dict[str, PlanChange] = {**dict.fromkeys(found.added, "added"), **dict.fromkeys(found.moved, "moved")}

    def blocks(week: WeekToPlan, plan: Plan, states: dict[str, PlanChange]) -> list[BlockBeside]:
        return [
            BlockBeside(
                week.needed[item.key][0].driver.name,
                named(week, item.key).partition(", ")[2],
                week.needed[item.key][0].week.facts.place,
                item.begins,
                round((item.ends - item.begins).total_seconds() / 60),
                states.get(item.key, "same"),
            )
            for item in plan.placed
            if item.key in week.needed
        ]

    dropped: dict[str, PlanChange] = {**dict.fromkeys(found.dropped, "dropped"), **dict.fromkeys(found.moved, "moved")}
    drivers = {
        item.driver
        for item in (*blocks(now, found.before, dropped), *blocks(then, found.after, other))
        if item.state != "same"
    }
    before = tuple(item for item in blocks(now, found.before, dropped) if item.driver in drivers)
    after = tuple(item for item in blocks(then, found.after, other) if item.driver in drivers)
    words = [beside_words(found.gained, len(found.added), len(found.dropped), len(found.moved))]
    if not found.proven:
        words.append(UNPROVEN)
    if found.dropped:
        words.append(dropped_words([named(now, key) for key in found.dropped]))
    if found.added:
        gains = {item.key: item.gain for item in then.problem.wanted}
        words.append(
            "New would be: " + "; ".join(f"{named(then, key)} ({seconds(gains[key])})" for key in found.added) + "."
        )
    return PlansBeside(found.gained, tuple(words), before, after)
