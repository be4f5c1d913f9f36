"""Tables for a spreadsheet, as CSV and as the only sheet of an XLSX: numbers stay numbers, text is never a formula."""

import csv
import io
from collections.abc import Iterable, Sequence
from datetime import UTC, date, datetime
from typing import Any

from fleet_rival.formats.figures_export import safe_cell

__all__ = ["write_table", "write_workbook"]


def write_table(columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> bytes:
    """Rows as CSV after RFC 4180; moments in UTC, yes and no in words, text that begins like a formula behind an
    apostrophe.
    """
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(columns)
    writer.writerows([safe_cell(_plain(value)) for value in row] for row in rows)
    return out.getvalue().encode()


def write_workbook(title: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> bytes:
    """Rows as the only sheet of an XLSX, the head staying in view."""
    # Imported where used: few requests need it.
    from openpyxl import Workbook  # noqa: PLC0415
    from openpyxl.cell import WriteOnlyCell  # noqa: PLC0415

    book = Workbook(write_only=True)
    sheet = book.create_sheet(title)
    sheet.freeze_panes = "A2"
    sheet.append(list(columns))
    for row in rows:
        cells = []
        for value in row:
            cell = WriteOnlyCell(
                sheet, value=value.astimezone(UTC).replace(tzinfo=None) if isinstance(value, datetime) else value
            )
            if isinstance(value, str):
                cell.data_type = "s"
            cells.append(cell)
        sheet.append(cells)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _plain(value: Any) -> Any:
    if isinstance(value, datetime):
        return f"{value.astimezone(UTC):%Y-%m-%dT%H:%M:%SZ}"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return value.isoformat() if isinstance(value, date) else value
