"""Setup sheets as files: CSV for a spreadsheet, JSON with everything. What goes out comes in again as the same."""

import csv
import io
import json
from typing import Any, Final

from fleet_rival.core.runs.setups import BadSetup, SetupSheet, SetupValue
from fleet_rival.core.texts import BadText, tidy
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.figures_export import safe_cell
from fleet_rival.formats.spreadsheet_text import plain

__all__ = ["read_setup", "setup_csv", "setup_json"]

_COLUMNS: Final = ("name", "value", "unit", "corner")
_MOST_BYTES: Final = 1_000_000
_MOST_LINES: Final = 1_000


def setup_csv(sheet: SetupSheet) -> bytes:
    """The sheet's lines as CSV: name, value, unit, corner."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for item in sheet.values:
        writer.writerow(
            [
                safe_cell(item.name),
                safe_cell(item.value) if item.number is None else item.value,
                item.unit or "",
                item.corner or "",
            ]
        )
    return out.getvalue().encode()


def setup_json(sheet: SetupSheet) -> bytes:
    """The whole sheet as JSON."""
    values = [{name: getattr(item, name) for name in _COLUMNS} for item in sheet.values]
    told: dict[str, Any] = {
        "format": "fleet-rival/setup",
        "version": 1,
        "name": sheet.name,
        "number": sheet.number,
        "purpose": sheet.purpose,
    }
    told |= {"assists": sheet.assists, "reason": sheet.reason, "values": values}
    return (json.dumps(told, ensure_ascii=False, indent=1) + "\n").encode()


def read_setup(content: bytes, name: str) -> SetupSheet:
    """A sheet from a file of either form, told apart by what stands in it.

    Args:
        name: what the sheet is called where the file doesn't say.

    Raises:
        UnusableFile: it is neither, or contradicts itself.
    """
    if len(content) > _MOST_BYTES:
        raise UnusableFile("A setup of more than a megabyte can't be one.")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise UnusableFile("The file isn't UTF-8 text.") from error
    try:
        return _from_json(text, name) if text.lstrip().startswith("{") else _from_csv(text, name)
    except BadSetup as error:
        raise UnusableFile(f"The setup can't be so: {error}.") from error


def _from_json(text: str, name: str) -> SetupSheet:
    try:
        told = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise UnusableFile("The file isn't valid JSON.") from error
    if told.get("format") != "fleet-rival/setup" or not isinstance(told.get("values"), list):
        raise UnusableFile("The file holds no setup: it needs the format fleet-rival/setup and its values.")
    values = [_value(item) for item in told["values"][: _MOST_LINES + 1]]
    texts = {
        key: told[key] if isinstance(told.get(key), str) else None for key in ("name", "purpose", "assists", "reason")
    }
    return _sheet(texts["name"] or name, values, texts["purpose"] or "any", texts["assists"], texts["reason"])


def _from_csv(text: str, name: str) -> SetupSheet:
    first = text.split("\n", 1)[0]
    separator = max((",", ";", "\t"), key=first.count)
    rows = list(csv.DictReader(io.StringIO(text), delimiter=separator))
    if not rows or not {"name", "value"} <= {(key or "").strip().lower() for key in rows[0]}:
        raise UnusableFile("The table needs the columns name and value; unit and corner may follow.")
    values = [
        _value({(key or "").strip().lower(): plain(cell or "") for key, cell in row.items() if key})
        for row in rows[: _MOST_LINES + 1]
    ]
    return _sheet(name, values, "any", None, None)


def _value(item: Any) -> SetupValue:
    if not isinstance(item, dict):
        raise UnusableFile("Each value needs a name and a value.")
    try:
        told = {key: tidy(str(item.get(key) if item.get(key) is not None else "")).strip() for key in _COLUMNS}
    except BadText as error:
        raise UnusableFile(f"A value of the setup {error}.") from error
    return SetupValue(told["name"][:120], told["value"][:120], told["unit"][:40] or None, told["corner"][:40] or None)


def _sheet(name: str, values: list[SetupValue], purpose: str, assists: str | None, reason: str | None) -> SetupSheet:
    if len(values) > _MOST_LINES:
        raise UnusableFile(f"A setup has at most {_MOST_LINES} values.")
    if not values:
        raise UnusableFile("There is no value in it.")
    return SetupSheet(name, 1, tuple(values), purpose, (assists or "")[:120] or None, (reason or "")[:2000] or None)
