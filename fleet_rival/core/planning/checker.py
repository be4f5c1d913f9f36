"""Whether a plan keeps every hard rule: written apart from the solver, from the rules' words, so that one can't
repeat the other's mistakes.
"""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from fleet_rival.core.planning.problem import Person, Placed, Problem, Wanted, days_of
from fleet_rival.core.season.availability import Span

__all__ = ["Broken", "broken_rules"]


@dataclass(frozen=True, slots=True)
class Broken:
    """A rule that a block breaks.

    Attributes:
        rule: `outside`, `late`, `early`, `twice`, `busy`, `rig`, `rig-closed`, `coach`, `coach-closed`, `order`,
            `alone`, `seat`, `break`, `day`, or `moved`.
        key: of the block; `other`: of the one that it meets, or what it needs.
    """

    rule: str
    key: str
    other: str | None = None


def broken_rules(problem: Problem, plan: Sequence[Placed]) -> list[Broken]:
    """Every rule that is broken, block by block. Nothing is broken by what isn't planned, but a lock that is missing
    or moved.

    >>> from datetime import UTC, datetime
    >>> from zoneinfo import ZoneInfo
    >>> from fleet_rival.core.planning.problem import Person, Placed, Problem, Wanted
    >>> hours = [datetime(2031, 3, 4, hour, tzinfo=UTC) for hour in (18, 20)]
    >>> ada = Person("Ada", ZoneInfo("UTC"), ())
    >>> problem = Problem(hours[0], hours[1], (ada,), (Wanted("run", "Ada", "long", 45, 900, hours[1]),))
    >>> [item.rule for item in broken_rules(problem, [Placed("run", hours[0], hours[1])])]
    ['outside', 'seat']
    """
    wanted = {item.key: item for item in problem.wanted}
    placed = {item.key: item for item in plan}
    out: list[Broken] = []
    for item in plan:
        out += _alone(problem, wanted[item.key], item)
    for one, other in _pairs(plan):
        out += _together(wanted, one, other)
    for item in plan:
        want = wanted[item.key]
        out += [
            Broken("order", key, item.key) for key in want.after if key in placed and placed[key].ends > item.begins
        ]
        out += [Broken("alone", item.key, key) for key in want.needs if key not in placed]
    for person in problem.people:
        out += _seat(
            person,
            [
                (item, wanted[item.key])
                for item in plan
                if wanted[item.key].person == person.name and wanted[item.key].driving
            ],
        )
    for item in problem.fixed():
        there = placed.get(item.key)
        if there is None or (there.begins, there.ends, there.rig) != (item.begins, item.ends, item.rig):
            out.append(Broken("moved", item.key))
    return out


def _alone(problem: Problem, want: Wanted, item: Placed) -> list[Broken]:
    person = problem.person(want.person)
    out = []
    if item.begins < problem.begins:
        out.append(Broken("early", item.key))
    if item.ends > want.ends_by:
        out.append(Broken("late", item.key))
    if not _within(person.free, item):
        out.append(Broken("outside", item.key))
    if any(start < item.ends and item.begins < end for start, end in person.busy):
        out.append(Broken("busy", item.key))
    if want.rigs and (item.rig not in want.rigs or not _within(problem.rigs.get(item.rig or "", ()), item)):
        out.append(Broken("rig-closed", item.key))
    if want.coach is not None and not _within(problem.coaches.get(want.coach, ()), item):
        out.append(Broken("coach-closed", item.key))
    return out


def _within(spans: Iterable[Span], item: Placed) -> bool:
    return any(start <= item.begins and item.ends <= end for start, end in spans)


def _pairs(plan: Sequence[Placed]) -> Iterable[tuple[Placed, Placed]]:
    """Blocks that share a moment."""
    ordered = sorted(plan, key=lambda item: item.begins)
    for index, one in enumerate(ordered):
        for other in ordered[index + 1 :]:
            if other.begins >= one.ends:
                break
            yield one, other


def _together(wanted: dict[str, Wanted], one: Placed, other: Placed) -> list[Broken]:
    first, second = wanted[one.key], wanted[other.key]
    out = []
    if first.person == second.person:
        out.append(Broken("twice", other.key, one.key))
    if one.rig is not None and one.rig == other.rig:
        out.append(Broken("rig", other.key, one.key))
    if first.coach is not None and first.coach == second.coach:
        out.append(Broken("coach", other.key, one.key))
    return out


def _seat(person: Person, driven: Sequence[tuple[Placed, Wanted]]) -> list[Broken]:
    """Seat limit, breaks and day limit."""
    out: list[Broken] = []
    care = person.care
    since: datetime | None = None
    last: Placed | None = None
    pause = timedelta(0)
    for item, want in sorted(driven, key=lambda pair: pair[0].begins):
        rested = last is None or item.begins - last.ends >= pause
        if since is None or rested:
            since = item.begins
        at_seat = (item.ends - since).total_seconds() / 60
        if at_seat > care.seat_limit_minutes and not (want.rehearsal and since == item.begins):
            out.append(
                Broken(
                    "break" if last is not None and since != item.begins else "seat",
                    item.key,
                    last.key if last else None,
                )
            )
        longer = max(1.0, (item.ends - item.begins).total_seconds() / 60 / care.seat_limit_minutes)
        pause = timedelta(minutes=care.break_minutes * longer)
        last = item
    by_day: dict[int, list[Placed]] = defaultdict(list)
    for item, _ in driven:
        [(day, _), *_] = days_of(person, [(item.begins, item.ends)])
        by_day[day].append(item)
    for items in by_day.values():
        minutes = 0.0
        for item in sorted(items, key=lambda item: item.begins):
            minutes += (item.ends - item.begins).total_seconds() / 60
            if minutes > care.day_limit_minutes:
                out.append(Broken("day", item.key))
    return out
