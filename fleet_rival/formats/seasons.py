"""Season files (`*.season.csv`, or the same table as XLSX): one row a series week, nothing dropped in silence."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Any, Final
from zoneinfo import ZoneInfo

from dateutil.tz import datetime_exists

from fleet_rival.core.dates import read_day
from fleet_rival.core.season.starts import BadStarts, read_starts
from fleet_rival.core.season.weeks import BadChangeable, Compound, SeriesWeek, overlaps, read_changeables
from fleet_rival.core.season.zones import BadZone, known_zone
from fleet_rival.core.words import SETUP_RULES, START_KINDS, WETNESSES
from fleet_rival.formats.cells import (
    BadCell,
    Cell,
    decimal,
    label,
    not_negative,
    note,
    one_of,
    time_inside,
    whole,
    yes_or_no,
)
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.grids import read_table
from fleet_rival.formats.rows import RowWarning, SetAside
from fleet_rival.formats.spreadsheet_text import plain

__all__ = ["COLUMNS", "SeasonFile", "read_season", "week_warnings"]

_REQUIRED: Final = ("series", "week", "from", "to")
_FIELDS: Final = {"from": "begins", "to": "ends", "car": "cars", "starts_utc": "starts"}
"""Fields of `SeriesWeek` that aren't called like their column."""


@dataclass(frozen=True, slots=True)
class SeasonFile:
    """What a season file holds."""

    weeks: tuple[tuple[int, SeriesWeek], ...]
    """Line number and week, in the order of the file."""
    set_aside: tuple[SetAside, ...]
    warnings: tuple[RowWarning, ...]
    unused_columns: tuple[str, ...]
    rows: int
    """Rows with at least one cell, the header not counted."""


def read_season(content: bytes) -> SeasonFile:
    """Read a season file.

    Args:
        content: CSV in UTF-8 with comma, semicolon or tab, or an XLSX whose first sheet is the table.

    Raises:
        UnusableFile: empty, no table, no header, or a required column missing.
    """
    table = read_table(content, "season file")
    names = [cell.strip().casefold().replace(" ", "_").replace("-", "_") for cell in table.header]
    if missing := [name for name in _REQUIRED if name not in names]:
        raise UnusableFile(
            f"The season file has no column {' and '.join(missing)}. Its first line must name at least "
            f"{', '.join(_REQUIRED)}."
        )
    if twice := next((name for name in names if name in COLUMNS and names.count(name) > 1), None):
        raise UnusableFile(f"Two columns of the season file are named {twice}. Rename one of them and try again.")
    weeks: list[tuple[int, SeriesWeek]] = []
    set_aside = list(table.set_aside)
    warnings: list[RowWarning] = []
    for line, cells in table.rows:
        made = _row(line, names, cells)
        made = _fits(line, made, weeks) if isinstance(made, SeriesWeek) else made
        if isinstance(made, SetAside):
            set_aside.append(made)
            continue
        weeks.append((line, made))
        warnings += [RowWarning(line, reason) for reason in week_warnings(made)]
    return SeasonFile(
        tuple(weeks),
        tuple(sorted(set_aside, key=lambda row: row.line)),
        tuple(warnings),
        tuple(cell.strip() for cell, name in zip(table.header, names, strict=True) if name and name not in COLUMNS),
        len(table.rows) + len(table.set_aside),
    )


def week_warnings(week: SeriesWeek) -> list[str]:
    """What is odd about a week that stands all the same."""
    out = []
    if not week.track or not week.layout:
        out.append("has no track and layout yet" if not week.track else f"has no layout of {week.track} yet")
    if not week.cars:
        out.append("has no car yet")
    for what, day in (("from", week.begins), ("to", week.ends)):
        if not datetime_exists(datetime.combine(day, time(), ZoneInfo(week.zone))):
            out.append(
                f"{what} {day}: midnight doesn't exist in {week.zone} on that day; the first moment after it is taken"
            )
    expanded = week.expanded()
    out += expanded.warnings
    if week.starts and not expanded.starts:
        out.append(f"the start rule never fires within the week: {week.starts}")
    return out


def _row(line: int, names: Sequence[str], cells: Sequence[str]) -> SeriesWeek | SetAside:
    values: dict[str, Any] = {}
    for name, cell in zip(names, cells, strict=True):
        text = plain(cell.strip())
        if not text or name not in COLUMNS:
            continue
        try:
            values[_FIELDS.get(name, name)] = COLUMNS[name](text)
        except BadCell as error:
            return SetAside(line, name, cell, str(error))
    for name in _REQUIRED:
        if _FIELDS.get(name, name) not in values:
            return SetAside(line, name, "", "missing")
    values.setdefault("zone", "UTC")
    if values["ends"] <= values["begins"]:
        return SetAside(
            line,
            "to",
            str(values["ends"]),
            f"the week ends on {values['ends']}, not after it begins on {values['begins']}",
        )
    return SeriesWeek(**values)


def _fits(line: int, week: SeriesWeek, before: Sequence[tuple[int, SeriesWeek]]) -> SeriesWeek | SetAside:
    """The week, unless an earlier row says the same or overlaps with it."""
    for at, other in before:
        if other.series != week.series:
            continue
        if other.week == week.week:
            return SetAside(line, None, None, f"repeats line {at}", at, other != week)
        if overlaps(other, week):
            return SetAside(
                line, "from", str(week.begins), f"overlaps with week {other.week} of the same series in line {at}"
            )
    return week


def _day(text: str) -> date:
    try:
        return read_day(text[:10] if text[10:] in ("T00:00:00", " 00:00:00") else text)
    except ValueError as error:
        raise BadCell("not a date such as 2031-04-07") from error


def _zone(text: str) -> str:
    try:
        return known_zone(text).key
    except BadZone as error:
        raise BadCell(str(error)) from error


def _starts(text: str) -> str:
    if len(text) > 10_000:
        raise BadCell("longer than 10,000 characters")
    try:
        read_starts(text)
    except BadStarts as error:
        raise BadCell(str(error)) from error
    return " ".join(text.split())


def _labels(text: str) -> tuple[str, ...]:
    names = tuple(dict.fromkeys(label(name.strip()) for name in text.split("|") if name.strip()))
    if not names:
        raise BadCell("names nothing")
    return names


def _compounds(text: str) -> tuple[Compound, ...]:
    return tuple(Compound(name.replace("*", "").strip(), "*" in name) for name in _labels(text))


def _changeable(text: str) -> Any:
    try:
        return read_changeables(note(text))
    except BadChangeable as error:
        raise BadCell(str(error)) from error


def _positive(text: str) -> float:
    value = not_negative(text)
    if value == 0:
        raise BadCell("must be more than 0")
    return value


def _positive_whole(text: str) -> int:
    value = whole(text)
    if value == 0:
        raise BadCell("must be more than 0")
    return value


COLUMNS: Final[dict[str, Cell]] = {
    "series": label,
    "week": whole,
    "zone": _zone,
    "from": _day,
    "to": _day,
    "car": _labels,
    "track": label,
    "layout": label,
    "race_laps": _positive_whole,
    "race_minutes": _positive,
    "starts_utc": _starts,
    "start": one_of(START_KINDS),
    "setup": one_of(SETUP_RULES),
    "cautions": yes_or_no,
    "practice_minutes": not_negative,
    "qualifying_minutes": not_negative,
    "qualifying_laps": whole,
    "fuel_rate": not_negative,
    "tyre_rate": not_negative,
    "compounds": _compounds,
    "stops_min": whole,
    "damage": label,
    "repairs": label,
    "grid": whole,
    "strike_limit": whole,
    "incident_limit": whole,
    "boost": label,
    "session_local": time_inside,
    "air_temp_c": decimal,
    "track_temp_c": decimal,
    "wetness": one_of(WETNESSES),
    "limits_rule": label,
    "note": note,
    "changeable": _changeable,
}
"""The format's columns in their order, and what each accepts. `changeable` is ours beside those of the contract."""
