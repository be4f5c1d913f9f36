"""A week to be planned: who has time when, what could be practised, and what stays where it is."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, time, timedelta
from typing import Final
from zoneinfo import ZoneInfo

from fleet_rival.core.season.availability import Span
from fleet_rival.core.settings import Planning

__all__ = [
    "STEP",
    "Care",
    "Locked",
    "Person",
    "Placed",
    "Problem",
    "Wanted",
    "days_of",
    "joined",
    "rest_minutes",
    "steps_of",
    "without",
]

STEP: Final = timedelta(minutes=15)
"""Blocks begin and end on whole steps since the problem's beginning."""
_USUAL: Final = Planning()
_DAY_TURNS: Final = time(4)
"""A day of practice goes from 4 in the morning to 4 in the morning: an evening that goes on past midnight is one
evening.
"""


@dataclass(frozen=True, slots=True)
class Care:
    """What a person's seat time may be.

    Attributes:
        seat_limit_minutes: driven without a break; a rehearsal may last as long as its race.
        break_minutes: after it.
        day_limit_minutes: driven in a day.
    """

    seat_limit_minutes: float = _USUAL.seat_limit_minutes
    break_minutes: float = _USUAL.break_minutes
    day_limit_minutes: float = _USUAL.day_limit_minutes

    @classmethod
    def usual(cls, planning: Planning) -> "Care":
        """What the team's settings say for who hasn't said anything."""
        return cls(planning.seat_limit_minutes, planning.break_minutes, planning.day_limit_minutes)


@dataclass(frozen=True, slots=True)
class Person:
    """A driver's time.

    Attributes:
        free: stretches in which practice may be, without quiet hours, in order.
        busy: races and whatever else can't be moved.
    """

    name: str
    zone: ZoneInfo
    free: tuple[Span, ...]
    busy: tuple[Span, ...] = ()
    care: Care = Care()


@dataclass(frozen=True, slots=True)
class Wanted:
    """A block that could be planned.

    Attributes:
        key: names it in this problem and in later ones.
        minutes: at the seat, or with the coach.
        gain: what it is worth, in microseconds a lap, weighted by how much the entry matters.
        ends_by: when it must be over: a race starts.
        driving: False for a review without driving.
        rigs: shared rigs, one of which it needs; none where the driver has an own one.
        coach: who leads it; None: nobody.
        after: keys of blocks that come before it, where both are planned.
        needs: keys of blocks without which it makes no sense.
        rehearsal: may last longer than the seat limit.
    """

    key: str
    person: str
    kind: str
    minutes: int
    gain: int
    ends_by: datetime
    driving: bool = True
    rigs: tuple[str, ...] = ()
    coach: str | None = None
    after: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    rehearsal: bool = False


@dataclass(frozen=True, slots=True)
class Locked:
    """Where somebody put a block: it stays, also where it breaks a rule.

    Attributes:
        minutes: how long somebody made it; None: as long as it is wanted.
    """

    begins: datetime
    rig: str | None = None
    minutes: int | None = None


@dataclass(frozen=True, slots=True)
class Placed:
    """A block in a plan."""

    key: str
    begins: datetime
    ends: datetime
    rig: str | None = None
    locked: bool = False


@dataclass(frozen=True, slots=True)
class Problem:
    """What is to be planned.

    Attributes:
        begins: on a whole quarter of an hour, in UTC; nothing is placed before.
        rigs, coaches: when each has time.
        locked: by the key of the block.
        before: the plan that this one follows: where each block began, by key.
    """

    begins: datetime
    ends: datetime
    people: tuple[Person, ...]
    wanted: tuple[Wanted, ...]
    rigs: Mapping[str, tuple[Span, ...]] = field(default_factory=dict)
    coaches: Mapping[str, tuple[Span, ...]] = field(default_factory=dict)
    locked: Mapping[str, Locked] = field(default_factory=dict)
    before: Mapping[str, datetime] = field(default_factory=dict)
    planning: Planning = _USUAL

    def person(self, name: str) -> Person:
        return next(item for item in self.people if item.name == name)

    def fixed(self) -> tuple[Placed, ...]:
        """Blocks that are locked, where they stand."""
        out = []
        for item in self.wanted:
            if (lock := self.locked.get(item.key)) is not None:
                minutes = lock.minutes if lock.minutes is not None else item.minutes
                out.append(
                    Placed(item.key, lock.begins, lock.begins + timedelta(minutes=minutes), lock.rig, locked=True)
                )
        return tuple(out)


def steps_of(minutes: float) -> int:
    """Whole steps that hold so many minutes.

    >>> steps_of(25)
    2
    """
    return -(-int(minutes * 60) // int(STEP.total_seconds()))


def rest_minutes(item: Wanted, care: Care) -> float:
    """The break that a block at the seat asks for behind it; a rehearsal beyond the seat limit a longer one, in
    proportion.

    >>> rest_minutes(Wanted("a", "Ada", "long", 50, 1, datetime(2031, 3, 4)), Care())
    10.0
    """
    if not item.driving:
        return 0.0
    return care.break_minutes * max(1.0, item.minutes / care.seat_limit_minutes)


def days_of(person: Person, spans: Iterable[Span]) -> list[tuple[int, Span]]:
    """Stretches cut where the person's day turns, each with the ordinal of its day.

    >>> from datetime import UTC
    >>> evening = (datetime(2031, 3, 4, 23, tzinfo=UTC), datetime(2031, 3, 5, 1, tzinfo=UTC))
    >>> len(list(days_of(Person("Ada", ZoneInfo("UTC"), ()), [evening])))
    1
    """
    out = []
    for start, end in spans:
        at = start
        while at < end:
            day = (at.astimezone(person.zone) - timedelta(hours=_DAY_TURNS.hour)).date()
            turn = datetime.combine(day + timedelta(days=1), _DAY_TURNS, person.zone).astimezone(at.tzinfo)
            out.append((day.toordinal(), (at, min(turn, end))))
            at = min(turn, end)
    return out


def joined(spans: Sequence[Span]) -> list[Span]:
    """Stretches in order, those that touch made one.

    >>> days = [datetime(2031, 3, 4, hour) for hour in (18, 19, 20)]
    >>> joined([(days[1], days[2]), (days[0], days[1])]) == [(days[0], days[2])]
    True
    """
    out: list[Span] = []
    for start, end in sorted(spans):
        if out and start <= out[-1][1]:
            out[-1] = (out[-1][0], max(out[-1][1], end))
        else:
            out.append((start, end))
    return out


def without(spans: Sequence[Span], taken: Sequence[Span]) -> list[Span]:
    """What is left of stretches once others are taken out.

    >>> hours = [datetime(2031, 3, 4, hour) for hour in (18, 19, 20)]
    >>> without([(hours[0], hours[2])], [(hours[0], hours[1])]) == [(hours[1], hours[2])]
    True
    """
    out = list(spans)
    for start, end in joined(taken):
        out = [piece for a, b in out for piece in ((a, min(b, start)), (max(a, end), b)) if piece[0] < piece[1]]
    return out
