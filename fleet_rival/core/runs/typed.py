"""Laps as people type them: a few digits, completed from the lap before, with letters for what happened.

A line is a lap time or its sectors, then marks: `92114`, `1:32.114`, `32.1`, `30114 40200 21800`, `92114 t`, `92114 s5
    n braked late`.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.laps.lap import Incident
from fleet_rival.core.times import MICROSECONDS, NotATime, format_time, parse_time
from fleet_rival.core.track import Track
from fleet_rival.core.words import PART_FLAGS

__all__ = ["LETTERS", "CantRead", "TypedLap", "read_typed"]

LETTERS: Final = {
    "o": ("kind", "out", "out lap"),
    "i": ("kind", "in", "in lap"),
    "v": ("said", "invalid", "void: the lap doesn't count"),
    "w": ("flag", "tow", "a slipstream helped (in the wake); at one corner alone: w5"),
    "t": ("flag", "traffic", "others were in the way; at one corner alone: t5"),
    "y": ("flag", "yellow", "yellow flag; at one corner alone: y5"),
    "p": ("flag", "pit", "touched the pit lane"),
    "c": ("flag", "cool", "slow on purpose"),
    "e": ("said", "practice_only", "an experiment: no evidence against the driver"),
    "s": ("incident", "spin", "spin, with its corner: s5"),
    "k": ("incident", "contact", "contact, with its corner: k5"),
    "d": ("incident", "slide", "slide, with its corner: d5"),
    "l": ("strike", "", "track limits, with the corner: l5"),
}
"""Letter to what it sets, to which value, and what it says."""

_WHOLE_DIGITS: Final = 5
"""From so many digits on they are a whole time; fewer are the last ones of it."""
_LEAST_DIGITS: Final = 3
"""The decimals at least."""
_DIGITS = re.compile(r"[0-9]{1,8}")
_SHORT = re.compile(r"([0-9]{1,2})[.,]([0-9]{1,3})")
_MARK = re.compile(r"([a-z])([0-9][0-9a-z]*)?")
_LEAST_US: Final = MICROSECONDS


class CantRead(ValueError):
    """A line that isn't a lap; the message says why and what to type, as a sentence."""


@dataclass(frozen=True, slots=True)
class TypedLap:
    """What a line says of a lap. Times are microseconds."""

    time_us: int
    sectors: dict[str, int]
    kind: str = "flying"
    valid: bool = True
    flags: frozenset[str] = frozenset()
    incidents: tuple[Incident, ...] = ()
    strikes: tuple[str, ...] = ()
    practice_only: bool = False
    note: str | None = None


def read_typed(line: str, track: Track, last_us: int | None = None) -> TypedLap:
    """Read one typed line.

    Digits alone are milliseconds: five or more are a whole time (`92114` and `132114` are both 1:32.114 where the lap
        before was
    close to it), fewer are its last digits, completed so that the lap comes closest to the one before. `32.1` is
    completed by the minutes in the same way. As many times as the track has sectors are its sectors; one more is the
    lap time behind them.

    Args:
        line: as typed; blanks between its pieces.
        track: gives the sectors and the corners.
        last_us: the lap before of this driver, in microseconds, or any lap to be expected; without it nothing is
            completed.

    Raises:
        CantRead: with the piece that can't be read and what to type.

    >>> from fleet_rival.core.example import TRACK
    >>> read_typed("1:00.5", TRACK).time_us
    60500000
    """
    body, _, note = _split_note(line)
    pieces = body.split()
    times = [piece for piece in pieces if piece[0].isdecimal()]
    marks = [piece.casefold() for piece in pieces if not piece[0].isdecimal()]
    if not times:
        raise CantRead("A lap begins with its time: type 92114 for 1:32.114.")
    sectors: dict[str, int] = {}
    codes = [sector.code for sector in track.sectors]
    if len(times) == 1:
        time_us = _time(times[0], last_us)
    elif len(times) in (len(codes), len(codes) + 1):
        sectors = {code: _sector(piece) for code, piece in zip(codes, times, strict=False)}
        time_us = sum(sectors.values())
        if len(times) > len(codes):
            whole = _time(times[-1], time_us)
            if abs(whole - time_us) > 1000 * len(codes):
                raise CantRead(
                    f"The sectors sum to {format_time(time_us)}, the lap is {format_time(whole)}. One of them is "
                    "mistyped."
                )
            time_us = whole
    else:
        expected = f"{len(codes)} sectors" if len(codes) > 1 else "no sectors"
        raise CantRead(
            f"{len(times)} times: type the lap alone, or all of this track's {expected} with blanks between."
        )
    if not _LEAST_US <= time_us < 36_000 * MICROSECONDS:
        raise CantRead(
            f"{times[0]} would be a lap of {format_time(time_us)}. Type all of its digits: 92114 for 1:32.114."
        )
    return _with_marks(TypedLap(time_us, sectors, note=note or None), marks, track)


def _split_note(line: str) -> tuple[str, str, str]:
    """The text behind a lone `n` is a note in the typist's own words."""
    found = re.search(r"(?:^|\s)[nN]\s+(.*)$", line.strip())
    return (line.strip()[: found.start()], "n", found[1].strip()[:2000]) if found else (line.strip(), "", "")


def _time(piece: str, last_us: int | None) -> int:
    if _DIGITS.fullmatch(piece):
        return _of_digits(piece, last_us)
    if (short := _SHORT.fullmatch(piece)) is not None and last_us is not None:
        seconds, decimals = short[1], short[2]
        typed = int(seconds) * MICROSECONDS + int(decimals.ljust(6, "0"))
        if int(seconds) >= 60:
            return typed
        return _completed(typed, 60 if len(seconds) == 2 else 10, last_us)
    try:
        return parse_time(piece).microseconds
    except NotATime:
        raise CantRead(f"{piece} is not a time: type 92114, 1:32.114, or 32.1 after another lap.") from None


def _sector(piece: str) -> int:
    """A sector is typed whole: 9114 is 9.114 s."""
    return int(piece) * 1000 if _DIGITS.fullmatch(piece) and len(piece) == _WHOLE_DIGITS - 1 else _time(piece, None)


def _of_digits(piece: str, last_us: int | None) -> int:
    if len(piece) < _WHOLE_DIGITS:
        if len(piece) < _LEAST_DIGITS:
            raise CantRead(f"{piece} could be many laps: type at least its last three digits, or 32.1.")
        if last_us is None:
            raise CantRead(f"{piece} is too short for a first lap: type all of its digits, 92114 for 1:32.114.")
        return _completed(int(piece) * 1000, 10 ** (len(piece) - _LEAST_DIGITS), last_us)
    candidates = [int(piece) * 1000]
    # The same digits with minutes before them: 132114 is 1:32.114.
    minutes, seconds, rest = piece[:-5], int(piece[-5:-3]), int(piece[-3:])
    if minutes and seconds < 60:
        candidates.append((int(minutes) * 60 + seconds) * MICROSECONDS + rest * 1000)
    if last_us is None:
        return candidates[-1]
    return min(candidates, key=lambda time: abs(time - last_us))


def _completed(typed_us: int, period_s: int, last_us: int) -> int:
    """The time with these last digits that is closest to the lap before."""
    period = period_s * MICROSECONDS
    base = last_us - last_us % period + typed_us
    return min(
        (base + shift for shift in (-period, 0, period) if base + shift > 0), key=lambda time: abs(time - last_us)
    )


def _with_marks(lap: TypedLap, marks: Sequence[str], track: Track) -> TypedLap:
    corners = {corner.code.casefold(): corner.code for corner in track.corners}
    values: dict[str, object] = {}
    flags: set[str] = set()
    incidents: list[Incident] = []
    strikes: list[str] = []
    for mark in marks:
        found = _MARK.fullmatch(mark)
        if found is None or found[1] not in LETTERS:
            raise CantRead(f"{mark} is not a mark: press ? for the letters.")
        what, value, _ = LETTERS[found[1]]
        where = _corner(found[2], corners) if found[2] else None
        if what in ("incident", "strike"):
            if where is None:
                raise CantRead(f"Type the corner behind {found[1]}: {found[1]}5 for the fifth.")
            if what == "incident":
                incidents.append(Incident(value, where))
            else:
                strikes.append(where)
        elif where is not None and value in PART_FLAGS:
            flags.add(f"{value}:{where}")
        elif where is not None:
            raise CantRead(f"{mark}: {found[1]} is about the whole lap and takes no corner.")
        elif what == "kind":
            values["kind"] = "outin" if values.get("kind", value) != value else value
        elif what == "flag":
            flags.add(value)
        elif value == "invalid":
            values["valid"] = False
        else:
            values["practice_only"] = True
    return TypedLap(
        lap.time_us,
        lap.sectors,
        kind=str(values.get("kind", "flying")),
        valid=bool(values.get("valid", True)),
        flags=frozenset(flags),
        incidents=tuple(incidents),
        strikes=tuple(dict.fromkeys(strikes)),
        practice_only=bool(values.get("practice_only", False)),
        note=lap.note,
    )


def _corner(text: str, corners: dict[str, str]) -> str:
    code = corners.get(text) or corners.get(f"t{text}")
    if code is None:
        raise CantRead(f"This layout has no corner {text}.")
    return code
