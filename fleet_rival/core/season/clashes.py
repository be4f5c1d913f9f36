"""What is wrong with who drives when: pointed out, never forbidden."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import combinations

from fleet_rival.core.season.availability import Span, covers

__all__ = ["Clash", "Entry", "clashes", "occupied", "starts_in_time"]


@dataclass(frozen=True, slots=True)
class Entry:
    """A driver in a series' week, as far as clashes are concerned."""

    key: str
    driver: str
    starts: tuple[datetime, ...]
    """Those chosen."""
    offered: frozenset[datetime]
    """All starts of the week."""
    minutes: float
    """How long a start keeps the driver busy: practice, qualifying and race."""
    cars: tuple[str, ...]
    """Those that may be driven, or the one chosen."""
    resource: str | None = None
    """The shared rig that is needed."""


@dataclass(frozen=True, slots=True)
class Clash:
    """Something that can't be so, or should not."""

    kind: str
    """`two_starts`, `no_time`, `not_offered`, `no_car`, `no_start`, `rig_taken` or `rig_closed`."""
    entry: str
    start: datetime | None = None
    other: str | None = None
    """The other entry, of two that are in each other's way."""

    def is_ahead(self, now: datetime) -> bool:
        """Whether somebody can still change it: it is of a start to come, or of none."""
        return self.start is None or self.start > now


def occupied(start: datetime, minutes: float) -> Span:
    """From when to when a start keeps somebody busy.

    >>> occupied(datetime(2031, 3, 4, 18), 45)[1]
    datetime.datetime(2031, 3, 4, 18, 45)
    """
    return start, start + timedelta(minutes=minutes)


def starts_in_time(offered: Sequence[datetime], minutes: float, free: Sequence[Span]) -> list[datetime]:
    """The starts that fit whole into free time.

    >>> hours = [datetime(2031, 3, 4, hour) for hour in (18, 20, 22)]
    >>> starts_in_time(hours[:2], 45, [(hours[1], hours[2])]) == [hours[1]]
    True
    """
    return [start for start in offered if covers(free, *occupied(start, minutes))]


def clashes(
    entries: Sequence[Entry],
    free: Mapping[str, Sequence[Span] | None],
    may_drive: Mapping[str, frozenset[str]],
    open_hours: Mapping[str, Sequence[Span] | None],
) -> tuple[Clash, ...]:
    """All clashes, entry by entry.

    Args:
        free: a driver's free time; None where nothing is known.
        may_drive: of a car that somebody made a list for, the drivers on it; a car without a list is open to all.
        open_hours: of a shared rig, when it may be used; None where nothing is known.
    """
    out: list[Clash] = []
    for entry in entries:
        free_time = free.get(entry.driver)
        for start in entry.starts:
            if start not in entry.offered:
                out.append(Clash("not_offered", entry.key, start))
            if free_time is not None and not covers(free_time, *occupied(start, entry.minutes)):
                out.append(Clash("no_time", entry.key, start))
            hours = open_hours.get(entry.resource) if entry.resource else None
            if hours is not None and not covers(hours, *occupied(start, entry.minutes)):
                out.append(Clash("rig_closed", entry.key, start))
        if (
            not entry.starts
            and entry.offered
            and free_time is not None
            and not starts_in_time(sorted(entry.offered), entry.minutes, free_time)
        ):
            out.append(Clash("no_start", entry.key))
        if entry.cars and all(car in may_drive and entry.driver not in may_drive[car] for car in entry.cars):
            out.append(Clash("no_car", entry.key))
    for kind, owner in (("two_starts", "driver"), ("rig_taken", "resource")):
        out += _overlapping(entries, kind, owner)
    return tuple(out)


def _overlapping(entries: Sequence[Entry], kind: str, owner: str) -> list[Clash]:
    """Pairs of starts of one driver, or on one rig, that overlap; told at both."""
    by_owner: dict[str, list[tuple[Span, Entry]]] = defaultdict(list)
    for entry in entries:
        if key := getattr(entry, owner):
            by_owner[key] += [(occupied(start, entry.minutes), entry) for start in entry.starts]
    out = []
    for busy in by_owner.values():
        for (first, one), (second, other) in combinations(busy, 2):
            # A driver's own overlap is told as such, not again as the rig's.
            if kind == "rig_taken" and one.driver == other.driver:
                continue
            if first[0] < second[1] and second[0] < first[1]:
                out += [Clash(kind, one.key, first[0], other.key), Clash(kind, other.key, second[0], one.key)]
    return out
