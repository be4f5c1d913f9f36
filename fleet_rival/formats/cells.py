"""Single cells of a lap file: what each column accepts, and the reason when it doesn't."""

import math
import re
from collections.abc import Callable, Mapping
from datetime import datetime
from typing import Any

from fleet_rival.core.dates import read_moment, read_wall_clock
from fleet_rival.core.laps.lap import Incident
from fleet_rival.core.texts import BadText, tidy
from fleet_rival.core.words import (
    COMPANIES,
    FLAGS,
    INCIDENTS,
    LAP_KINDS,
    MISTAKES,
    PART_FLAGS,
    PURPOSES,
    SESSION_KINDS,
    WETNESSES,
)
from fleet_rival.formats.spreadsheet_text import plain

__all__ = ["BadCell", "Cell", "column_readers"]

_WHOLE = re.compile(r"([0-9]{1,9})(?:[.,]0+)?")
_DECIMAL = re.compile(r"[+-]?[0-9]{1,9}(?:[.,][0-9]{1,12})?")
_LABEL_LENGTH = 120
_NOTE_LENGTH = 2000
_TOKENS_LENGTH = 450


class BadCell(ValueError):
    """A cell that can't be read; the message is the reason."""


Cell = Callable[[str], Any]


def column_readers(corner_codes: Mapping[str, str], sector_codes: Mapping[str, str]) -> dict[str, Cell]:
    """One reader a column, from the stripped, non-empty text of a cell to its value.

    Args:
        corner_codes: the track's segment codes by their folded spelling; `sector_codes`: those of its sectors.
    """

    corner, incident, mistake, option = _of_corners(corner_codes)
    read_flags = tokens(_flag({**sector_codes, **corner_codes}))
    return {
        "driver": label,
        "car": label,
        "session": label,
        "session_kind": one_of(SESSION_KINDS),
        "session_local": time_inside,
        "run": whole,
        "lap": whole,
        "started_at": moment,
        "kind": one_of(LAP_KINDS),
        "valid": yes_or_no,
        "strikes": tokens(corner),
        "incidents": tokens(incident),
        "flags": lambda text: frozenset(read_flags(text)),
        "company": one_of(COMPANIES),
        "tyre_set": label,
        "compound": label,
        "tyre_age": not_negative,
        "fuel_l": not_negative,
        "energy_kwh": not_negative,
        "track_temp_c": decimal,
        "air_temp_c": decimal,
        "wetness": one_of(WETNESSES),
        "purpose": one_of(PURPOSES),
        "setup": label,
        "assists": label,
        "options": tokens(option),
        "mistakes": tokens(mistake),
        "plus_minus_ms": lambda text: round(not_negative(text) * 1000),
        "note": note,
    }


def _flag(part_codes: Mapping[str, str]) -> Callable[[str], str]:
    whole_lap = one_of(FLAGS)

    def read(token: str) -> str:
        name, sign, where = token.partition(":")
        if not sign:
            return str(whole_lap(token))
        if name.casefold() not in PART_FLAGS:
            raise BadCell(f"{token} names a part: only {', '.join(PART_FLAGS)} may")
        if where.casefold() not in part_codes:
            raise BadCell(f"{where} is not a part of this track")
        return f"{name.casefold()}:{part_codes[where.casefold()]}"

    return read


def _of_corners(
    codes: Mapping[str, str],
) -> tuple[
    Callable[[str], str], Callable[[str], Incident], Callable[[str], tuple[str, str]], Callable[[str], tuple[str, str]]
]:
    """Readers of one token that names a corner: itself, an incident, a mistake, an option."""

    def corner(text: str) -> str:
        code = codes.get(text.casefold())
        if code is None:
            raise BadCell(f"{text} is not a corner of this track")
        return code

    def incident(token: str) -> Incident:
        what, sign, where = token.partition(":")
        if not sign or what.casefold() not in INCIDENTS:
            raise BadCell(f"{token} is not an incident such as spin:T5 ({', '.join(INCIDENTS)})")
        return Incident(what.casefold(), corner(where))

    def mistake(token: str) -> tuple[str, str]:
        where, sign, kind = token.partition(":")
        if not sign or kind.casefold() not in MISTAKES:
            raise BadCell(f"{token} is not a mistake such as T5:late-throttle")
        return corner(where), kind.casefold()

    def option(token: str) -> tuple[str, str]:
        where, sign, label = token.partition("=")
        if not sign or not where or not label:
            raise BadCell(f"{token} is not an option such as T1=high")
        return codes.get(where.casefold(), where), label

    return corner, incident, mistake, option


def tokens(one: Callable[[str], Any]) -> Cell:
    """Reads several, with blanks between them."""

    def read(text: str) -> tuple[Any, ...]:
        if len(text) > _TOKENS_LENGTH:
            raise BadCell(f"longer than {_TOKENS_LENGTH} characters")
        return tuple(one(token) for token in text.split())

    return read


def one_of(accepted: tuple[str, ...]) -> Cell:
    """A word out of a list, in any case."""

    def read(text: str) -> str:
        word = text.casefold()
        if word not in accepted:
            raise BadCell(f"not one of {', '.join(accepted)}")
        return word

    return read


def whole(text: str) -> int:
    """A whole number of 0 or more."""
    found = _WHOLE.fullmatch(text)
    if found is None:
        raise BadCell("not a whole number")
    return int(found[1])


def decimal(text: str) -> float:
    """A number with `.` or `,` as its decimal sign."""
    if _DECIMAL.fullmatch(text) is None:
        raise BadCell("not a number")
    value = float(text.replace(",", "."))
    if not math.isfinite(value):
        raise BadCell("not a number")
    return value


def not_negative(text: str) -> float:
    value = decimal(text)
    if value < 0:
        raise BadCell("must be 0 or more")
    return value


def yes_or_no(text: str) -> bool:
    word = text.casefold()
    if word in ("1", "true", "yes"):
        return True
    if word in ("0", "false", "no"):
        return False
    raise BadCell("not one of 1, 0, true, false, yes, no")


def moment(text: str) -> datetime:
    """An ISO 8601 moment; without an offset it is taken as UTC."""
    try:
        return read_moment(text)
    except ValueError as error:
        raise BadCell("not a date and time such as 2031-03-04T18:17:10Z") from error


def time_inside(text: str) -> datetime:
    """Date and time of day inside a simulation: it has no zone."""
    try:
        value = read_wall_clock(text)
    except ValueError as error:
        raise BadCell("not a date and time of day such as 2031-06-14T21:30") from error
    if value.tzinfo is not None:
        raise BadCell("the time inside the simulation has no time zone; write 2031-06-14T21:30")
    return value


def label(text: str) -> str:
    made = _seen(text)
    if len(made) > _LABEL_LENGTH:
        raise BadCell(f"longer than {_LABEL_LENGTH} characters")
    if not made.isprintable():
        raise BadCell("holds a control character")
    return made


def note(text: str) -> str:
    made = _seen(text)
    if len(made) > _NOTE_LENGTH:
        raise BadCell(f"longer than {_NOTE_LENGTH} characters")
    return made


def _seen(text: str) -> str:
    """Text as it is kept, of a cell as it was written so that no spreadsheet runs it."""
    try:
        made = tidy(plain(text)).strip()
    except BadText as error:
        raise BadCell(str(error)) from error
    if not made:
        raise BadCell("holds nothing that can be seen")
    return made
