"""Season files out, as CSV or XLSX, one row a series week: `read_season` reads them back as the same."""

import csv
import io
from collections.abc import Iterable
from datetime import date, datetime
from typing import Any, Final

from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell

from fleet_rival.core.season.weeks import SeriesWeek, write_changeables
from fleet_rival.formats.seasons import COLUMNS

__all__ = ["write_season", "write_season_sheet"]

_FORMULA_STARTS: Final = ("=", "+", "-", "@")


def write_season(weeks: Iterable[SeriesWeek]) -> bytes:
    """Write series weeks as CSV. Text that a spreadsheet would run as a formula gets an apostrophe in front."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    writer.writerows([_safe(cell) for cell in _cells(week)] for week in weeks)
    return out.getvalue().encode()


def write_season_sheet(weeks: Iterable[SeriesWeek]) -> bytes:
    """Write series weeks as the only sheet of an XLSX. Cells are text or numbers, never formulas."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet("Season")
    sheet.freeze_panes = "A2"
    sheet.append(list(COLUMNS))
    for week in weeks:
        row = []
        for value in _cells(week):
            cell = WriteOnlyCell(sheet, value=value)
            if isinstance(value, str):
                cell.data_type = "s"
            row.append(cell)
        sheet.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


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


def _safe(cell: str | float | int) -> str | float | int:
    return f"'{cell}" if isinstance(cell, str) and cell.startswith(_FORMULA_STARTS) else cell
