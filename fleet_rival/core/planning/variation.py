"""What if: a week's plan beside the one of a week with something changed; and what would make room for a block."""

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import Final

from fleet_rival.core.planning.checker import broken_rules
from fleet_rival.core.planning.model import gain_of
from fleet_rival.core.planning.problem import Person, Placed, Problem, joined, without
from fleet_rival.core.planning.solve import Effort, Plan, apart, plan_week
from fleet_rival.core.season.availability import Span
from fleet_rival.core.words import RoomKind

__all__ = ["SHORT", "Beside", "RoomMaker", "beside", "room_makers", "with_less_time", "with_more_time"]

SHORT: Final = Effort(units=3.0)
"""For questions asked beside a plan."""


@dataclass(frozen=True, slots=True)
class Beside:
    """Two plans of the same week beside each other, of the people whom the change can touch.

    Attributes:
        people: whom it can touch.
        gained: what the second brings more, in microseconds a lap, weighted.
        added, dropped: keys of blocks that stand in one of them alone.
        moved: keys of those that begin at another time.
        proven: both are the best ones.
    """

    people: frozenset[str]
    before: Plan
    after: Plan
    gained: int
    added: tuple[str, ...]
    dropped: tuple[str, ...]
    moved: tuple[str, ...]
    proven: bool


@dataclass(frozen=True, slots=True)
class RoomMaker:
    """What would make room.

    Attributes:
        kind: `evening`: the person's own time; `rig`: another rig; `coach`: the coach's time.
        span: from when to when; None for a rig.
        gained: by the plan as a whole, in microseconds a lap, weighted.
    """

    kind: RoomKind
    span: Span | None
    gained: int


def with_more_time(problem: Problem, name: str, spans: Iterable[Span]) -> Problem:
    """The week in which a person has more time; not where a race is.

    >>> from datetime import UTC, datetime
    >>> from zoneinfo import ZoneInfo
    >>> from fleet_rival.core.planning.problem import Person
    >>> hours = [datetime(2031, 3, 4, hour, tzinfo=UTC) for hour in (18, 20)]
    >>> ada = Person("Ada", ZoneInfo("UTC"), ())
    >>> problem = Problem(hours[0], hours[1], (ada,), ())
    >>> len(with_more_time(problem, "Ada", [(hours[0], hours[1])]).person("Ada").free)
    1
    """
    more = tuple(spans)
    return _with_person(problem, name, lambda person: replace(person, free=tuple(joined([*person.free, *more]))))


def with_less_time(problem: Problem, name: str, spans: Iterable[Span]) -> Problem:
    """The week in which a person isn't there at some times.

    >>> from datetime import UTC, datetime
    >>> from zoneinfo import ZoneInfo
    >>> from fleet_rival.core.planning.problem import Person
    >>> hours = [datetime(2031, 3, 4, hour, tzinfo=UTC) for hour in (18, 20)]
    >>> ada = Person("Ada", ZoneInfo("UTC"), ((hours[0], hours[1]),))
    >>> problem = Problem(hours[0], hours[1], (ada,), ())
    >>> len(with_less_time(problem, "Ada", [(hours[0], hours[1])]).person("Ada").free)
    0
    """
    gone = sorted(spans)
    return _with_person(problem, name, lambda person: replace(person, free=tuple(without(person.free, gone))))


def _with_person(problem: Problem, name: str, change: Callable[[Person], Person]) -> Problem:
    return replace(
        problem, people=tuple(change(person) if person.name == name else person for person in problem.people)
    )


def beside(problem: Problem, other: Problem, touched: Collection[str], effort: Effort = SHORT) -> Beside:
    """Plan a week as it is and as it would be.

    What the plan before says of times counts in both, so that nothing moves that needn't.

    Args:
        touched: names of the people whose week is changed.
    """
    people = _touched(problem, other, touched)
    before = plan_week(_only(problem, people), effort)
    # The week as it would be begins from what is best as it is: only what the change brings is other.
    after = plan_week(
        replace(_only(other, people), before={**other.before, **{item.key: item.begins for item in before.placed}}),
        effort,
    )
    # Where a search was cut short, the other's plan may be the better one here too.
    if gain_of(other, after.placed) < gain_of(problem, before.placed) and _fits(_only(other, people), before):
        after = replace(after, placed=before.placed)
    elif gain_of(problem, before.placed) < gain_of(other, after.placed) and _fits(_only(problem, people), after):
        before = replace(before, placed=after.placed)
    at: Mapping[str, Placed] = {item.key: item for item in before.placed}
    return Beside(
        people,
        before,
        after,
        gain_of(other, after.placed) - gain_of(problem, before.placed),
        tuple(item.key for item in after.placed if item.key not in at),
        tuple(item.key for item in before.placed if item.key not in after.keys),
        tuple(item.key for item in after.placed if item.key in at and at[item.key].begins != item.begins),
        before.proven and after.proven,
    )


def room_makers(problem: Problem, key: str, effort: Effort = SHORT) -> list[RoomMaker]:
    """What would make room for a block that found none, what brings most first; only what gives the block its place.

    Tried are one more evening of the person's own on each day before the race, another rig, and one more evening of the
    coach.

    Args:
        key: of a block that is wanted.
    """
    item = next(one for one in problem.wanted if one.key == key)
    person = problem.person(item.person)
    out = []
    tried: list[tuple[RoomKind, Span | None, Problem]] = []
    evenings = list(_evenings(problem, person, item.ends_by))
    tried += [
        ("evening", span, with_more_time(problem, person.name, [span]))
        for span in evenings
        if _is_new(person.free, span)
    ]
    if item.rigs:
        freed = tuple(replace(one, rigs=()) if one.person == person.name else one for one in problem.wanted)
        tried.append(("rig", None, replace(problem, wanted=freed)))
    if item.coach is not None:
        own = problem.coaches.get(item.coach, ())
        tried += [
            ("coach", span, replace(problem, coaches={**problem.coaches, item.coach: tuple(joined([*own, span]))}))
            for span in evenings
            if _is_new(own, span)
        ]
    for kind, span, other in tried:
        found = beside(problem, other, [person.name], effort)
        if key in found.added and found.gained > 0:
            out.append(RoomMaker(kind, span, found.gained))
    return sorted(out, key=lambda one: (-one.gained, one.kind, one.span or (problem.ends, problem.ends)))


def _fits(problem: Problem, plan: Plan) -> bool:
    """Whether a week could be driven by another week's plan."""
    return plan.keys <= {item.key for item in problem.wanted} and not broken_rules(problem, plan.placed)


def _touched(problem: Problem, other: Problem, touched: Collection[str]) -> frozenset[str]:
    """Everybody whom a change of some people's weeks can reach: who shares a rig or the coach with them, and so on."""
    pieces = [frozenset(person.name for person in piece.people) for week in (problem, other) for piece in apart(week)]
    reached = frozenset(touched)
    while True:
        more = reached.union(*(piece for piece in pieces if piece & reached))
        if more == reached:
            return reached
        reached = more


def _only(problem: Problem, people: Collection[str]) -> Problem:
    wanted = tuple(item for item in problem.wanted if item.person in people)
    keys = {item.key for item in wanted}
    return replace(
        problem,
        people=tuple(person for person in problem.people if person.name in people),
        wanted=wanted,
        locked={key: lock for key, lock in problem.locked.items() if key in keys},
    )


def _evenings(problem: Problem, person: Person, until: datetime) -> Iterable[Span]:
    """Evenings of a person's days that aren't over, before a moment."""
    day: date = problem.begins.astimezone(person.zone).date()
    while True:
        begins, ends = (
            datetime.combine(day, at, person.zone).astimezone(problem.begins.tzinfo) for at in problem.planning.evening
        )
        if begins >= min(until, problem.ends):
            return
        if max(begins, problem.begins) < min(ends, until):
            yield max(begins, problem.begins), min(ends, until)
        day += timedelta(days=1)


def _is_new(free: Collection[Span], span: Span) -> bool:
    return bool(without([span], list(free)))
