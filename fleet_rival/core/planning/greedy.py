"""A plan as a careful person would write it down: what brings most a minute first, each at the latest place that is
free.
"""

from collections.abc import Collection, Iterator
from datetime import datetime, timedelta

from fleet_rival.core.planning.problem import STEP, Placed, Problem, Wanted, days_of, rest_minutes
from fleet_rival.core.planning.room import Room, possible_starts

__all__ = ["greedy_plan"]


def greedy_plan(problem: Problem, without: Collection[str] = ()) -> tuple[Placed, ...]:
    """Place blocks one after the other and never take one back; it keeps all rules that the solver keeps.

    What a block needs, and what has to come before it, is placed before it; then the latest beginning at which nothing
    is in the way is taken.

    >>> from datetime import UTC, datetime
    >>> from zoneinfo import ZoneInfo
    >>> from fleet_rival.core.planning.problem import Person, Problem, Wanted
    >>> hours = [datetime(2031, 3, 4, hour, tzinfo=UTC) for hour in (18, 20)]
    >>> ada = Person("Ada", ZoneInfo("UTC"), ((hours[0], hours[1]),))
    >>> problem = Problem(hours[0], hours[1], (ada,), (Wanted("run", "Ada", "long", 45, 900, hours[1]),))
    >>> [item.begins.hour for item in greedy_plan(problem)]
    [19]
    """
    wanted = {item.key: item for item in problem.wanted}
    placed = {item.key: item for item in problem.fixed()}
    turned_down: set[str] = set(without)

    def place(item: Wanted) -> None:
        if item.key in placed or item.key in turned_down:
            return
        for key in item.needs:
            if key in wanted:
                place(wanted[key])
        there = None if any(key not in placed for key in item.needs) else _latest(problem, wanted, placed, item)
        if there is None:
            turned_down.add(item.key)
        else:
            placed[item.key] = there

    for item in sorted(problem.wanted, key=lambda item: (-item.gain / item.minutes, item.key)):
        place(item)
    return tuple(sorted(placed.values(), key=lambda item: (item.begins, item.key)))


def _latest(problem: Problem, wanted: dict[str, Wanted], placed: dict[str, Placed], item: Wanted) -> Placed | None:
    rooms = possible_starts(problem, item)
    for begins, room in sorted(_beginnings(rooms), key=lambda pair: (pair[0], pair[1].rig or ""), reverse=True):
        made = Placed(item.key, begins, begins + timedelta(minutes=item.minutes), room.rig)
        if _fits(problem, wanted, placed, item, made, room.day):
            return made
    return None


def _beginnings(rooms: list[Room]) -> Iterator[tuple[datetime, Room]]:
    for room in rooms:
        for first, last in room.windows:
            at = first
            while at <= last:
                yield at, room
                at += STEP


def _fits(
    problem: Problem, wanted: dict[str, Wanted], placed: dict[str, Placed], item: Wanted, made: Placed, day: int
) -> bool:
    person = problem.person(item.person)
    driven: float = item.minutes if item.driving else 0
    for key, there in placed.items():
        other = wanted[key]
        if other.person == item.person:
            both = item.driving and other.driving
            behind = timedelta(minutes=rest_minutes(other, person.care) if both else 0.0)
            before = timedelta(minutes=rest_minutes(item, person.care) if both else 0.0)
            if made.begins < there.ends + behind and there.begins < made.ends + before:
                return False
            if both and days_of(person, [(there.begins, there.ends)])[0][0] == day:
                driven += (there.ends - there.begins).total_seconds() / 60
        if (
            made.begins < there.ends
            and there.begins < made.ends
            and (
                (made.rig is not None and made.rig == there.rig)
                or (item.coach is not None and item.coach == other.coach)
            )
        ):
            return False
        if (key in item.after and there.ends > made.begins) or (item.key in other.after and made.ends > there.begins):
            return False
    return not item.driving or driven <= person.care.day_limit_minutes
