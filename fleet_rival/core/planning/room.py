"""Where a block could be: stretches of free time in which it can begin, clear of all that can't be moved."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from fleet_rival.core.planning.problem import STEP, Problem, Wanted, days_of, joined, rest_minutes, without
from fleet_rival.core.season.availability import Span

__all__ = ["Room", "possible_starts"]


@dataclass(frozen=True, slots=True)
class Room:
    """One stretch of a person's free time, on one rig.

    Attributes:
        day: its ordinal, as `days_of` counts.
        span: the free stretch, cut where the day turns.
        windows: first and last possible beginnings on whole steps, the last included.
    """

    day: int
    span: Span
    rig: str | None
    windows: tuple[Span, ...]


def possible_starts(problem: Problem, item: Wanted) -> list[Room]:
    """Every stretch in which a block can begin, whatever else is planned; none where it can't be planned.

    >>> from datetime import UTC, datetime
    >>> from zoneinfo import ZoneInfo
    >>> from fleet_rival.core.planning.problem import Person, Problem, Wanted
    >>> hours = [datetime(2031, 3, 4, hour, tzinfo=UTC) for hour in (18, 20)]
    >>> ada = Person("Ada", ZoneInfo("UTC"), ((hours[0], hours[1]),))
    >>> problem = Problem(hours[0], hours[1], (ada,), (Wanted("run", "Ada", "long", 45, 900, hours[1]),))
    >>> [len(room.windows) for room in possible_starts(problem, problem.wanted[0])]
    [1]
    """
    person = problem.person(item.person)
    length = timedelta(minutes=item.minutes)
    rest = timedelta(minutes=rest_minutes(item, person.care))
    wanted = {other.key: other for other in problem.wanted}
    fixed = [(wanted[placed.key], placed) for placed in problem.fixed()]
    own = [
        (placed.begins, placed.ends + timedelta(minutes=rest_minutes(other, person.care) if item.driving else 0.0))
        for other, placed in fixed
        if other.person == person.name
    ]
    out = []
    for day, span in days_of(person, person.free):
        for rig in item.rigs or (None,):
            windows = [span]
            if rig is not None:
                windows = without(
                    _common(windows, problem.rigs.get(rig, ())),
                    [(placed.begins, placed.ends) for _, placed in fixed if placed.rig == rig],
                )
            if item.coach is not None:
                taken = [(placed.begins, placed.ends) for other, placed in fixed if other.coach == item.coach]
                windows = without(_common(windows, problem.coaches.get(item.coach, ())), taken)
            # Who has driven rests before the next thing that can't be moved, a race too.
            starts = _starts(problem, windows, [*person.busy, *own], length, rest, item.ends_by)
            if starts:
                out.append(Room(day, span, rig, tuple(starts)))
    return out


def _common(windows: Sequence[Span], others: Iterable[Span]) -> list[Span]:
    return [(max(a, c), min(b, d)) for a, b in windows for c, d in others if max(a, c) < min(b, d)]


def _starts(
    problem: Problem,
    windows: Sequence[Span],
    obstacles: Sequence[Span],
    length: timedelta,
    rest: timedelta,
    ends_by: datetime,
) -> list[Span]:
    """First and last possible beginnings on whole steps."""
    out: list[Span] = []
    for start, end in windows:
        free = [(max(start, problem.begins), min(end, ends_by, problem.ends) - length)]
        for blocked, clear in joined(obstacles):
            free = [
                piece
                for a, b in free
                for piece in ((a, min(b, blocked - length - rest)), (max(a, clear), b))
                if piece[0] <= piece[1]
            ]
        for a, b in free:
            first, last = _on_step(problem, a, up=True), _on_step(problem, b, up=False)
            if first <= last:
                out.append((first, last))
    return out


def _on_step(problem: Problem, moment: datetime, *, up: bool) -> datetime:
    whole, left = divmod(moment - problem.begins, STEP)
    return problem.begins + STEP * (whole + (up and left > timedelta(0)))
