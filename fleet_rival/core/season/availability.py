"""When somebody or something has time: weekly windows, days off, and single slots, in wall times of a zone."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from fleet_rival.core.season.zones import NoSuchTime, instant

__all__ = ["Availability", "BadAvailability", "DayOff", "Slot", "Span", "Window", "covers", "free_spans", "is_known"]

Span = tuple[datetime, datetime]
"""Two instants in UTC; the second is not in it."""


class BadAvailability(ValueError):
    """A window that nobody can mean; the message is the reason."""


@dataclass(frozen=True, slots=True)
class Window:
    """The same hours on some weekdays; one that ends at or before its beginning goes past midnight."""

    days: tuple[int, ...]
    """Weekdays from Monday, 0."""
    begins: time
    ends: time


@dataclass(frozen=True, slots=True)
class DayOff:
    """Days, the last one included, on which no weekly window counts."""

    first: date
    last: date
    why: str = ""


@dataclass(frozen=True, slots=True)
class Slot:
    """A single stretch besides the weekly windows; wall times."""

    begins: datetime
    ends: datetime


@dataclass(frozen=True, slots=True)
class Availability:
    """Weekly windows, except on days off, and single slots in any case."""

    weekly: tuple[Window, ...] = ()
    off: tuple[DayOff, ...] = ()
    extra: tuple[Slot, ...] = ()

    def check(self) -> None:
        """Say what can't be meant.

        Raises:
            BadAvailability: a window without a day, days off or a slot that end before they begin.
        """
        for window in self.weekly:
            if not window.days or any(day not in range(7) for day in window.days):
                raise BadAvailability(
                    f"the window {window.begins:%H:%M} to {window.ends:%H:%M} is on no day of the week"
                )
        for off in self.off:
            if off.last < off.first:
                raise BadAvailability(f"the days off from {off.first} end before they begin")
        for slot in self.extra:
            if slot.ends <= slot.begins:
                raise BadAvailability(f"the slot at {slot.begins:%Y-%m-%d %H:%M} ends before it begins")


def is_known(availability: Availability) -> bool:
    """Whether anything was said; who said nothing is not taken for somebody without time.

    >>> is_known(Availability())
    False
    """
    return bool(availability.weekly or availability.extra)


def free_spans(availability: Availability, zone: ZoneInfo, begins: datetime, ends: datetime) -> tuple[Span, ...]:
    """The stretches of free time between two instants, in order, none touching another.

    A window whose edge the clocks jump over begins or ends at the jump.
    """
    day, last = begins.astimezone(zone).date() - timedelta(days=1), ends.astimezone(zone).date()
    spans: list[Span] = []
    while day <= last:
        if not any(off.first <= day <= off.last for off in availability.off):
            for window in availability.weekly:
                if day.weekday() in window.days:
                    past_midnight = window.ends <= window.begins
                    spans.append(
                        (
                            _edge(datetime.combine(day, window.begins), zone),
                            _edge(datetime.combine(day + timedelta(days=past_midnight), window.ends), zone),
                        )
                    )
        day += timedelta(days=1)
    spans += [(_edge(slot.begins, zone), _edge(slot.ends, zone)) for slot in availability.extra]
    return _joined((max(start, begins), min(end, ends)) for start, end in spans if start < ends and end > begins)


def covers(spans: Sequence[Span], begins: datetime, ends: datetime) -> bool:
    """Whether one of the stretches holds all of another one.

    >>> hours = [datetime(2031, 3, 4, hour) for hour in (18, 19, 20, 22)]
    >>> covers([(hours[0], hours[3])], hours[1], hours[2])
    True
    """
    return any(start <= begins and ends <= end for start, end in spans)


def _edge(wall: datetime, zone: ZoneInfo) -> datetime:
    """The instant of a wall time; where the clocks jump over it, the moment of the jump: the first that exists
    behind it.
    """
    while True:
        try:
            return instant(wall, zone)
        except NoSuchTime:
            wall += timedelta(minutes=1)


def _joined(spans: Iterable[Span]) -> tuple[Span, ...]:
    out: list[Span] = []
    for start, end in sorted(spans):
        if start >= end:
            continue
        if out and start <= out[-1][1]:
            out[-1] = (out[-1][0], max(out[-1][1], end))
        else:
            out.append((start, end))
    return tuple(out)
