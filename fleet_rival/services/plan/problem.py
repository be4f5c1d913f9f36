"""The week to be planned as the core takes it: who has time, what would help, what stays."""

from collections import Counter, defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, time, timedelta
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.planning.blocks import BlockKind
from fleet_rival.core.planning.follow import OPEN, Followed
from fleet_rival.core.planning.needs import NeededBlock, needed_blocks
from fleet_rival.core.planning.problem import STEP, Care, Locked, Person, Problem, Wanted, without
from fleet_rival.core.planning.readiness import Evidence
from fleet_rival.core.season.availability import Availability, Span, Window, free_spans
from fleet_rival.core.season.zones import known_zone
from fleet_rival.core.settings import Planning
from fleet_rival.db.tables import Driver, Entry, PlanBlock, Resource
from fleet_rival.services.find.overview.cells import cell, minutes_of
from fleet_rival.services.find.overview.load import DriverState, Loaded, WeekState
from fleet_rival.services.fix.work import helped_by_kind
from fleet_rival.services.plan.evidence import driven_runs, evidence_of
from fleet_rival.services.plan.followed import became_of
from fleet_rival.services.plan.rules import OwnRules, own_rules
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week.entries import EntryView

__all__ = ["Entered", "PlannedWeek", "WeekToPlan", "care_of", "key_of_block", "plain", "practice_time", "week_to_plan"]

_A_DAY: Final = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Entered:
    """A driver's entry with what is known before it."""

    entry: EntryView
    week: WeekState
    driver: DriverState
    evidence: Evidence
    needed: tuple[NeededBlock, ...]
    race_at: datetime
    """Before which practice has to be over."""


@dataclass(frozen=True, slots=True)
class PlannedWeek:
    """A series' week for which practice is planned."""

    id: UUID
    series: str
    place: str


@dataclass(frozen=True, slots=True)
class WeekToPlan:
    """The problem, and what its keys mean."""

    problem: Problem
    entered: tuple[Entered, ...]
    needed: Mapping[str, tuple[Entered, NeededBlock]]
    blocks: Mapping[str, PlanBlock]
    """What is planned now and still to come, by key."""
    behind: Mapping[str, PlanBlock]
    """What is settled: done, cut short, replaced or missed; by key and a number behind it."""
    became: Mapping[int, Followed]
    """What became of each block, by the key of its row."""
    rules: OwnRules
    weeks: Sequence[PlannedWeek]
    resources: Mapping[str, Resource]
    """Rigs and coaches, by public id."""
    drivers: Mapping[UUID, Driver]
    entry_keys: Mapping[UUID, int]


def key_of_block(entry_id: UUID, kind: str, about: str) -> str:
    """Names a block in this plan and in later ones."""
    return f"{entry_id}/{kind}/{about}"


def care_of(row: Driver, planning: Planning) -> tuple[Care, tuple[time, time]]:
    """A driver's limits and quiet hours: the own ones, else the usual."""
    told = row.care or {}
    own = {
        name: float(told[name]) for name in ("seat_limit_minutes", "break_minutes", "day_limit_minutes") if name in told
    }
    care = replace(Care.usual(planning), **own)
    quiet = tuple(
        time.fromisoformat(told[name]) if name in told else usual
        for name, usual in zip(("quiet_from", "quiet_to"), planning.quiet, strict=True)
    )
    return care, (quiet[0], quiet[1])


def week_to_plan(
    sessions: sessionmaker[Session],
    session: Session,
    actor: Actor,
    loaded: Loaded,
    now: datetime,
    since: datetime,
    only: Collection[UUID] | None = None,
) -> WeekToPlan:
    """Everything that the plan of the weeks that are shown stands on.

    Args:
        now: by when blocks have become what they are.
        since: nothing is planned before; of a week to come, its beginning.
        only: drivers whose blocks may be placed anew; what the others have stays where it is.
    """
    drivers = {row.public_id: row for row in session.scalars(select(Driver).where(Driver.team_id == actor.team_id))}
    shared = select(Resource).where(Resource.team_id == actor.team_id)
    resources = {str(row.public_id): row for row in session.scalars(shared)}
    by_key = {row.id: str(row.public_id) for row in resources.values()}
    rules = own_rules(session, actor)
    begins = _next_step(since)
    ends = max((week.window[1] for week in loaded.shown), default=since + timedelta(days=7))
    entry_keys = {row.public_id: row.id for row in session.scalars(select(Entry).where(Entry.team_id == actor.team_id))}
    rows = session.execute(
        select(PlanBlock, Entry.public_id)
        .join(Entry, (Entry.team_id == PlanBlock.team_id) & (Entry.id == PlanBlock.entry_id))
        .where(PlanBlock.team_id == actor.team_id, PlanBlock.begins_at < ends)
    ).all()
    own = {entry.id for week in loaded.shown for entry in week.entries.values()}
    became = became_of(session, actor, [row for row, entry_id in rows if entry_id in own], now)
    planned = [(key_of_block(entry_id, row.kind, row.about), row) for row, entry_id in rows if entry_id in own]
    blocks, behind = _open_and_behind(planned, became)
    done = Counter((entry_id, row.kind) for row, entry_id in rows if entry_id in own and became[row.id].state == "done")
    entered = _entered(sessions, session, actor, loaded, drivers, since, rules, done)
    elsewhere = _taken([row for row, entry_id in rows if entry_id not in own])
    coach = next((str(row.public_id) for row in resources.values() if row.kind == "coach"), None)
    gathered = _Gathered({}, [], {}, {})
    for item in entered:
        mine = {key: row for key, row in blocks.items() if key.startswith(f"{item.entry.id}/")}
        _gather(gathered, item, mine, begins, by_key, coach, rules, may_move=only is None or item.driver.id in only)
        for key, row in behind.items():
            # What was driven today counts for the day, and for the break behind it.
            stands = became[row.id].state in OPEN or (became[row.id].laps and row.begins_at >= begins - _A_DAY)
            if key.startswith(f"{item.entry.id}/") and stands:
                gathered.stays(key, item, row)
    rows_of = [(item, drivers[item.id]) for item in loaded.drivers]
    people = tuple(
        _person(item, loaded, row, begins, ends, elsewhere.drivers[row.id], rules.planning) for item, row in rows_of
    )
    problem = Problem(
        begins,
        ends,
        people,
        tuple(gathered.wanted),
        rigs=_open(loaded, resources, "rig", elsewhere, begins, ends),
        coaches=_open(loaded, resources, "coach", elsewhere, begins, ends),
        locked=gathered.locked,
        before=gathered.before,
        planning=rules.planning,
    )
    weeks = [PlannedWeek(week.row.public_id, week.facts.series, week.facts.place) for week in loaded.shown]
    return WeekToPlan(
        problem, tuple(entered), gathered.needed, blocks, behind, became, rules, weeks, resources, drivers, entry_keys
    )


def _open_and_behind(
    planned: Sequence[tuple[str, PlanBlock]], became: Mapping[int, Followed]
) -> tuple[dict[str, PlanBlock], dict[str, PlanBlock]]:
    """Blocks that are still to be driven, by their keys, and the others, by keys of their own."""
    blocks: dict[str, PlanBlock] = {}
    behind: dict[str, PlanBlock] = {}
    for key, row in planned:
        # Who brings a missed block back although its like is planned anew has two of them: one is the plan's, the other
        # stays where it was put.
        if became[row.id].state in OPEN and key not in blocks:
            blocks[key] = row
        else:
            behind[f"{key}#{row.id}"] = row
    return blocks, behind


@dataclass(frozen=True, slots=True)
class _Gathered:
    """What is wanted of the week, by keys of blocks."""

    needed: dict[str, tuple[Entered, NeededBlock]]
    wanted: list[Wanted]
    locked: dict[str, Locked]
    before: dict[str, datetime]

    def stays(self, key: str, item: Entered, row: PlanBlock) -> None:
        """A block that is behind, or that somebody put: it takes its time."""
        rehearses = row.kind == "rehearsal"
        self.wanted.append(Wanted(key, item.driver.name, row.kind, row.minutes, 0, item.race_at, rehearsal=rehearses))
        self.locked[key] = Locked(row.begins_at, None, row.minutes)


def _gather(
    out: _Gathered,
    item: Entered,
    mine: Mapping[str, PlanBlock],
    begins: datetime,
    rigs: Mapping[int, str],
    coach: str | None,
    rules: OwnRules,
    *,
    may_move: bool,
) -> None:
    """Gather what an entry needs.

    Args:
        mine: the entry's blocks that are still to be driven.
        begins: nothing is planned before.
        rigs: their keys in the plan, by those of their rows.
        may_move: whether its blocks may be placed anew.
    """
    asked = {key_of_block(item.entry.id, block.kind, block.about): block for block in item.needed} if may_move else {}
    for key, row in mine.items():
        if row.locked or row.begins_at < begins or not may_move:
            out.locked[key] = Locked(
                row.begins_at, rigs.get(row.rig_id) if row.rig_id is not None else None, row.minutes
            )
            asked.setdefault(
                key, NeededBlock(row.kind, row.about, row.minutes, 0, float(row.gain_us), row.why, row.numbers)
            )
        elif key in asked:
            out.before[key] = row.begins_at
        # Else what it was for is done, or gone: its time is free.
    for key, block in asked.items():
        out.needed[key] = (item, block)
        out.wanted.append(_wanted(item, key, block, asked, coach, rules))


@dataclass(frozen=True, slots=True)
class _Taken:
    """What other weeks' plans hold, by the keys of drivers and of rigs and coaches."""

    drivers: Mapping[int, list[Span]]
    resources: Mapping[int, list[Span]]


def _taken(rows: Sequence[PlanBlock]) -> _Taken:
    out = _Taken(defaultdict(list), defaultdict(list))
    for row in rows:
        span = (row.begins_at, row.begins_at + timedelta(minutes=row.minutes))
        out.drivers[row.driver_id].append(span)
        for key in (row.rig_id, row.coach_id):
            if key is not None:
                out.resources[key].append(span)
    return out


def _next_step(now: datetime) -> datetime:
    whole = now.replace(minute=0, second=0, microsecond=0)
    return whole + STEP * -(-(now - whole) // STEP)


def _spans(hours: Sequence[Span] | None, begins: datetime, ends: datetime) -> tuple[Span, ...]:
    """Free time; who said nothing isn't taken for somebody without any."""
    return ((begins, ends),) if hours is None else tuple(hours)


def _entered(
    sessions: sessionmaker[Session],
    session: Session,
    actor: Actor,
    loaded: Loaded,
    drivers: Mapping[UUID, Driver],
    now: datetime,
    rules: OwnRules,
    done: Mapping[tuple[UUID, str], int],
) -> list[Entered]:
    driven = driven_runs(session, actor)
    helped = helped_by_kind(sessions, actor)
    out = []
    for week in loaded.shown:
        for driver in loaded.drivers:
            entry = week.entries.get(driver.id)
            if entry is None:
                continue
            evidence = evidence_of(sessions, actor, loaded, week, driver, cell(loaded, week, driver), driven, helped)
            starts = [start for start in entry.starts if start > now]
            race_at = min(starts, default=week.window[1])
            care, _ = care_of(drivers[driver.id], rules.planning)
            driven_own = {kind: count for (entry_id, kind), count in done.items() if entry_id == entry.id}
            needed = needed_blocks(evidence, care, rules.library, driven_own, rules.planning) if race_at > now else ()
            out.append(Entered(entry, week, driver, evidence, tuple(needed), race_at))
    return out


def _wanted(
    item: Entered,
    key: str,
    block: NeededBlock,
    asked: Mapping[str, NeededBlock],
    coach: str | None,
    rules: OwnRules,
) -> Wanted:
    # A kind that was taken out of the library while it was planned comes last.
    kinds = {other: rules.library.get(one.kind) or BlockKind(one.kind, 1, 0, 9) for other, one in asked.items()}
    kind = kinds[key]
    earlier = tuple(other for other, one in kinds.items() if one.rank < kind.rank and kind.driving and one.driving)
    walk = tuple(other for other, one in asked.items() if one.kind == "walk" and other != key)
    return Wanted(
        key,
        item.driver.name,
        block.kind,
        block.minutes,
        round(block.gain_us * rules.planning.weight(item.entry.importance)),
        item.race_at,
        driving=kind.driving,
        rigs=(str(item.entry.resource_id),) if item.entry.resource_id and kind.driving else (),
        coach=coach if kind.coached else None,
        after=earlier,
        needs=walk if kind.driving else (),
        rehearsal=block.kind == "rehearsal",
    )


def _open(
    loaded: Loaded, resources: Mapping[str, Resource], kind: str, elsewhere: _Taken, begins: datetime, ends: datetime
) -> dict[str, tuple[Span, ...]]:
    """When each rig or coach has time, by public id."""
    return {
        key: tuple(without(_spans(item.hours, begins, ends), elsewhere.resources[row.id]))
        for key, row in resources.items()
        if row.kind == kind and (item := loaded.resources.get(row.public_id)) is not None
    }


def _person(
    driver: DriverState,
    loaded: Loaded,
    row: Driver,
    begins: datetime,
    ends: datetime,
    elsewhere: Sequence[Span],
    planning: Planning,
) -> Person:
    care, quiet = care_of(row, planning)
    busy = [
        (start, start + timedelta(minutes=minutes_of(loaded, week)))
        for week in loaded.weeks
        if (entry := week.entries.get(driver.id)) is not None
        for start in entry.starts
    ]
    free = practice_time(driver.free, row, quiet, begins, ends)
    return Person(driver.name, known_zone(row.zone or "UTC"), free, tuple(sorted([*busy, *elsewhere])), care)


def practice_time(
    free: Sequence[Span] | None, row: Driver, quiet: tuple[time, time], begins: datetime, ends: datetime
) -> tuple[Span, ...]:
    """A driver's free time in a stretch, without quiet hours; who said nothing isn't taken for somebody without any."""
    waking = free_spans(
        Availability((Window(tuple(range(7)), quiet[1], quiet[0]),)), known_zone(row.zone or "UTC"), begins, ends
    )
    return tuple(
        (max(a, c), min(b, d)) for a, b in _spans(free, begins, ends) for c, d in waking if max(a, c) < min(b, d)
    )


def plain(numbers: Mapping[str, Any]) -> dict[str, Any]:
    """Numbers as they are kept."""
    return {name: value if isinstance(value, str) else float(value) for name, value in numbers.items()}
