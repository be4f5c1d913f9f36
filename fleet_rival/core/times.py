"""Exact durations: whole microseconds, read from and written as text.

No lap time is ever a float; a duration is an `int` of microseconds from the file to the screen.
"""

import re
from typing import Final, NamedTuple

__all__ = ["MICROSECONDS", "NotATime", "ParsedTime", "format_time", "parse_milliseconds", "parse_time"]

MICROSECONDS: Final = 1_000_000
"""Microseconds in a second."""

_TIME = re.compile(
    r"(?:(?:(?P<hours>[0-9]{1,3}):(?=[0-5][0-9]:))?(?P<minutes>[0-9]{1,4}):(?=[0-5][0-9](?![0-9])))?(?P<seconds>[0-9]{1,6})(?:[.,](?P<decimals>[0-9]{1,6}))?"
)
_WHOLE = re.compile(r"([0-9]{1,12})(?:[.,]0+)?")


class NotATime(ValueError):
    """The text is no duration in any of the accepted forms."""


class ParsedTime(NamedTuple):
    """A duration and how finely it was given."""

    microseconds: int
    decimals: int
    """Decimal places of the second in the text, 0 to 6."""


def parse_time(text: str) -> ParsedTime:
    """Read `ss.fff`, `m:ss.fff` or `h:mm:ss.fff`, with `.` or `,` and up to six decimals.

    Args:
        text: the cell as it stands; blanks around it are ignored.

    Raises:
        NotATime: anything else: signs, more than six decimals, 60 or more seconds behind a colon, zero.

    >>> parse_time("1:32.114")
    ParsedTime(microseconds=92114000, decimals=3)
    >>> parse_time("1:02:03,5").microseconds
    3723500000
    """
    found = _TIME.fullmatch(text.strip())
    if found is None:
        raise NotATime("not a time")
    decimals = found["decimals"] or ""
    seconds = int(found["seconds"]) + 60 * int(found["minutes"] or 0) + 3600 * int(found["hours"] or 0)
    microseconds = seconds * MICROSECONDS + int(decimals.ljust(6, "0"))
    if microseconds == 0:
        raise NotATime("a time must be more than zero")
    return ParsedTime(microseconds, len(decimals))


def parse_milliseconds(text: str) -> ParsedTime:
    """Read a whole number of milliseconds, as columns whose name ends in `_ms` hold.

    Raises:
        NotATime: no whole number, or zero.

    >>> parse_milliseconds("92114")
    ParsedTime(microseconds=92114000, decimals=3)
    """
    found = _WHOLE.fullmatch(text.strip())
    if found is None:
        raise NotATime("not a whole number of milliseconds")
    microseconds = int(found[1]) * 1000
    if microseconds == 0:
        raise NotATime("a time must be more than zero")
    return ParsedTime(microseconds, 3)


def format_time(microseconds: int, decimals: int = 3) -> str:
    """Write a duration as `ss.fff`, `m:ss.fff` or `h:mm:ss.fff`, rounded half to even.

    >>> format_time(92_114_000)
    '1:32.114'
    >>> format_time(9_500_000, 1)
    '9.5'
    """
    sign = "-" if microseconds < 0 else ""
    unit = 10 ** (6 - decimals)
    whole, rest = divmod(abs(microseconds), unit)
    if 2 * rest > unit or (2 * rest == unit and whole % 2):
        whole += 1
    seconds, fraction = divmod(whole, 10**decimals)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    tail = f".{fraction:0{decimals}d}" if decimals else ""
    if hours:
        return f"{sign}{hours}:{minutes:02d}:{seconds:02d}{tail}"
    if minutes:
        return f"{sign}{minutes}:{seconds:02d}{tail}"
    return f"{sign}{seconds}{tail}"
