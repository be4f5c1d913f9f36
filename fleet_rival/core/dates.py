"""Days and moments as text, within the years that calendars, zones and databases agree on."""

from datetime import UTC, date, datetime
from typing import Final, TypeVar

__all__ = ["FIRST_YEAR", "LAST_YEAR", "OutOfReach", "read_day", "read_moment", "read_wall_clock", "within_reach"]

FIRST_YEAR: Final = 1900
LAST_YEAR: Final = 2199
"""Beyond, an offset or a step to the next week can leave the years that there are."""
Day = TypeVar("Day", date, datetime)


class OutOfReach(ValueError):
    """A day of a year that nobody drives in."""


def within_reach(value: Day) -> Day:
    """The same day or moment.

    Raises:
        OutOfReach: its year is before 1900 or after 2199.

    >>> within_reach(date(2031, 3, 4))
    datetime.date(2031, 3, 4)
    """
    if not FIRST_YEAR <= value.year <= LAST_YEAR:
        raise OutOfReach(f"lies outside the years {FIRST_YEAR} to {LAST_YEAR}")
    return value


def read_moment(text: str) -> datetime:
    """An ISO 8601 moment, in UTC; without an offset it is taken as UTC.

    Raises:
        ValueError: it is none, or out of reach.

    >>> read_moment("2031-03-04T20:17:10+02:00").isoformat()
    '2031-03-04T18:17:10+00:00'
    """
    value = within_reach(datetime.fromisoformat(text))
    return value.astimezone(UTC) if value.tzinfo else value.replace(tzinfo=UTC)


def read_wall_clock(text: str) -> datetime:
    """Date and time of day without a zone, as inside a simulation; an offset stays, to be refused by who takes none.

    Raises:
        ValueError: it is none, or out of reach.

    >>> read_wall_clock("2031-03-04T18:05")
    datetime.datetime(2031, 3, 4, 18, 5)
    """
    return within_reach(datetime.fromisoformat(text))


def read_day(text: str) -> date:
    """An ISO 8601 day.

    Raises:
        ValueError: it is none, or out of reach.

    >>> read_day("2031-03-04")
    datetime.date(2031, 3, 4)
    """
    return within_reach(date.fromisoformat(text))
