"""Moments in time zones: from wall times to instants, over the days on which clocks change."""

from datetime import UTC, date, datetime, time
from zoneinfo import ZoneInfo

from dateutil.tz import datetime_exists, resolve_imaginary

__all__ = ["BadZone", "NoSuchTime", "day_begins", "instant", "known_zone"]


class BadZone(ValueError):
    """No time zone of this name is known."""


class NoSuchTime(ValueError):
    """A wall time that the clocks jump over."""


def known_zone(name: str) -> ZoneInfo:
    """A time zone by its name, such as `Europe/Oslo` or `UTC`.

    Raises:
        BadZone: there is none.

    >>> known_zone("Europe/Oslo").key
    'Europe/Oslo'
    >>> known_zone("Nowhere/Land")
    Traceback (most recent call last):
        ...
    fleet_rival.core.season.zones.BadZone: Nowhere/Land is not a time zone such as Europe/Oslo
    """
    try:
        return ZoneInfo(name)
    except (ValueError, OSError, KeyError) as error:
        raise BadZone(f"{name} is not a time zone such as Europe/Oslo") from error


def instant(wall: datetime, zone: ZoneInfo) -> datetime:
    """The instant, in UTC, of a wall time in a zone; of a time that the clocks show twice, the first.

    Raises:
        NoSuchTime: the clocks jump over it on that day.

    >>> instant(datetime(2031, 7, 1, 20, 0), known_zone("Europe/Oslo")).isoformat()
    '2031-07-01T18:00:00+00:00'
    >>> instant(datetime(2031, 3, 30, 2, 30), known_zone("Europe/Oslo"))  # doctest: +ELLIPSIS
    Traceback (most recent call last):
    fleet_rival.core.season.zones.NoSuchTime: 2031-03-30 02:30 doesn't exist in Europe/Oslo: ...
    """
    if not datetime_exists(wall, zone):
        raise NoSuchTime(f"{wall:%Y-%m-%d %H:%M} doesn't exist in {zone.key}: the clocks are put forward then")
    return wall.replace(tzinfo=zone).astimezone(UTC)


def day_begins(day: date, zone: ZoneInfo) -> datetime:
    """The instant, in UTC, at which a day begins in a zone: midnight, or the first moment after it where there is
    none.

    >>> day_begins(date(2031, 3, 4), ZoneInfo("Europe/Oslo"))
    datetime.datetime(2031, 3, 3, 23, 0, tzinfo=datetime.timezone.utc)
    """
    midnight = datetime.combine(day, time(), zone)
    return resolve_imaginary(midnight).astimezone(UTC)
