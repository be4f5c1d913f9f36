"""Start times of a week: a list of moments, or a rule that repeats, expanded by `dateutil`.

A rule reads `every 90min from 00:20`, with `to 23:00` and `on sat sun` behind it where it isn't the whole day or the
whole
week, or `at 18:00 20:30`. Its times are UTC; `in Europe/Oslo` at the end makes them wall times of that zone, which stay
the
same when the clocks change. A rule begins anew each day.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Final

from dateutil.rrule import DAILY, MINUTELY, rrule, weekday

from fleet_rival.core.dates import read_moment
from fleet_rival.core.season.zones import BadZone, NoSuchTime, instant, known_zone

__all__ = ["BadStarts", "Expanded", "StartRule", "expand", "read_starts"]

WEEKDAYS: Final = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_SHORTEST_MINUTES: Final = 5
_MOST_MOMENTS: Final = 500
_CLOCK = r"(?:[01]?[0-9]|2[0-3]):[0-5][0-9]"
_DAY = rf"(?:{'|'.join(WEEKDAYS)})[a-z]*"
_TAIL = rf"(?:\s+on\s+(?P<days>{_DAY}(?:[\s,]+{_DAY})*))?(?:\s+in\s+(?P<zone>[A-Za-z0-9_+\-/]+))?"
_EVERY = re.compile(
    rf"every\s+(?P<step>[0-9]{{1,4}})\s*(?P<unit>min|mins|minutes|h|hour|hours)\s+from\s+(?P<first>{_CLOCK})(?:\s+to\s+(?P<last>{_CLOCK}))?{_TAIL}",
    re.IGNORECASE,
)
_AT = re.compile(rf"(?:daily\s+)?at\s+(?P<times>{_CLOCK}(?:[\s,]+{_CLOCK})*){_TAIL}", re.IGNORECASE)


class BadStarts(ValueError):
    """The text is neither start times nor a rule; the message is the reason."""


@dataclass(frozen=True, slots=True)
class StartRule:
    """Start times as they were written: either moments, or times of day on some weekdays."""

    moments: tuple[datetime, ...] = ()
    """In UTC."""
    times: tuple[time, ...] = ()
    """Wall times on each of the days, in order."""
    days: tuple[int, ...] = ()
    """Weekdays from Monday, 0."""
    zone: str = "UTC"


@dataclass(frozen=True, slots=True)
class Expanded:
    """The start times of one week, and what was wrong with some of them."""

    starts: tuple[datetime, ...]
    """Instants in UTC, in order, each once."""
    warnings: tuple[str, ...]


def read_starts(text: str) -> StartRule:
    """Read start times as a season file holds them.

    Raises:
        BadStarts: neither moments nor a rule, or more than anybody can mean.

    >>> read_starts("every 8h from 00:20 on sat").times
    (datetime.time(0, 20), datetime.time(8, 20), datetime.time(16, 20))
    """
    text = " ".join(text.split())
    if not text:
        raise BadStarts("no start time")
    if found := _EVERY.fullmatch(text):
        step = timedelta(minutes=int(found["step"]) * (60 if found["unit"].lower().startswith("h") else 1))
        if step < timedelta(minutes=_SHORTEST_MINUTES):
            raise BadStarts(f"starts every {found['step']} {found['unit']} are closer than {_SHORTEST_MINUTES} minutes")
        first, last = _clock(found["first"]), _clock(found["last"] or "23:59")
        if last < first:
            raise BadStarts(f"never fires: {found['last']} comes before {found['first']}")
        # Any day serves: times of day are what is wanted.
        day = date(2000, 1, 1)
        stamps = rrule(
            MINUTELY,
            interval=int(step.total_seconds() // 60),
            dtstart=datetime.combine(day, first),
            until=datetime.combine(day, last),
        )
        return StartRule(
            times=tuple(stamp.time() for stamp in stamps), days=_days(found["days"]), zone=_zone(found["zone"])
        )
    if found := _AT.fullmatch(text):
        times = sorted({_clock(item) for item in re.split(r"[\s,]+", found["times"])})
        return StartRule(times=tuple(times), days=_days(found["days"]), zone=_zone(found["zone"]))
    return StartRule(moments=_moments(text.split()))


def expand(rule: StartRule, begins: datetime, ends: datetime) -> Expanded:
    """The instants at which a week's races start.

    Args:
        begins, ends: of the week, instants; the end is not in it.

    >>> from datetime import UTC
    >>> monday = datetime(2031, 3, 3, tzinfo=UTC)
    >>> [start.hour for start in expand(read_starts("at 18:00 20:00"), monday, monday + timedelta(days=1)).starts]
    [18, 20]
    """
    if rule.moments:
        inside = tuple(sorted({moment for moment in rule.moments if begins <= moment < ends}))
        outside = [moment for moment in rule.moments if not begins <= moment < ends]
        return Expanded(inside, tuple(f"{moment:%Y-%m-%dT%H:%MZ} lies outside the week" for moment in outside))
    zone = known_zone(rule.zone)
    days = rrule(
        DAILY,
        dtstart=datetime.combine(begins.astimezone(zone).date(), time()),
        until=datetime.combine(ends.astimezone(zone).date(), time()),
        byweekday=[weekday(day) for day in rule.days],
    )
    starts, warnings = set(), []
    for day in days:
        for at in rule.times:
            try:
                moment = instant(datetime.combine(day.date(), at), zone)
            except NoSuchTime as error:
                warnings.append(str(error))
                continue
            if begins <= moment < ends:
                starts.add(moment)
    return Expanded(tuple(sorted(starts)), tuple(warnings))


def _clock(text: str) -> time:
    hours, minutes = text.split(":")
    return time(int(hours), int(minutes))


def _days(text: str | None) -> tuple[int, ...]:
    if not text:
        return tuple(range(7))
    return tuple(sorted({WEEKDAYS.index(word[:3].lower()) for word in re.split(r"[\s,]+", text)}))


def _zone(name: str | None) -> str:
    try:
        return known_zone(name or "UTC").key
    except BadZone as error:
        raise BadStarts(str(error)) from error


def _moments(words: Sequence[str]) -> tuple[datetime, ...]:
    if len(words) > _MOST_MOMENTS:
        raise BadStarts(f"more than {_MOST_MOMENTS} start times; write a rule such as every 90min from 00:20")
    moments = []
    for word in words:
        try:
            value = read_moment(word)
        except ValueError as error:
            raise BadStarts(
                f"{word} is neither a moment such as 2031-04-07T18:20Z nor part of a rule such as every 90min from "
                "00:20 or at 18:00 20:30 on sat"
            ) from error
        if "T" not in word.upper():
            raise BadStarts(f"{word} has no time of day; write 2031-04-07T18:20Z")
        moments.append(value)
    return tuple(sorted(set(moments)))
