"""Season files out, as CSV or XLSX, one row a series week: `read_season` reads them back as the same."""

from collections.abc import Iterable
from datetime import date, datetime
from typing import Any

from fleet_rival.core.season.weeks import SeriesWeek, write_changeables
from fleet_rival.formats.seasons import COLUMNS
from fleet_rival.formats.sheets import write_table, write_workbook

__all__ = ["write_season", "write_season_sheet"]


def write_season(weeks: Iterable[SeriesWeek]) -> bytes:
    """Write series weeks as CSV. Text that a spreadsheet would run as a formula gets an apostrophe in front."""
    return write_table(list(COLUMNS), map(_cells, weeks))


def write_season_sheet(weeks: Iterable[SeriesWeek]) -> bytes:
    """Write series weeks as the only sheet of an XLSX. Cells are text or numbers, never formulas."""
    return write_workbook("Season", list(COLUMNS), map(_cells, weeks))


def _cells(week: SeriesWeek) -> list[str | float | int]:
    special: dict[str, Any] = {
        "from": week.begins,
        "to": week.ends,
        "car": "|".join(week.cars),
        "starts_utc": week.starts,
        "compounds": "|".join(f"{item.name}*" if item.must else item.name for item in week.compounds),
        "cautions": None if week.cautions is None else int(week.cautions),
        "changeable": write_changeables(week.changeable),
    }
    return [_cell(special[name] if name in special else getattr(week, name)) for name in COLUMNS]


def _cell(value: Any) -> str | float | int:
    if value is None:
        return ""
    if isinstance(value, datetime):
        return value.isoformat(timespec="auto" if value.second or value.microsecond else "minutes")
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        return int(value)
    return value  # type: ignore[no-any-return]
