"""Figures out, as CSV for a spreadsheet: one table a file, units in the column names, nothing in a cell that a
spreadsheet would run.
"""

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from fleet_rival.formats.spreadsheet_text import escaped

__all__ = ["flat", "safe_cell", "write_figures"]


def safe_cell(value: Any) -> Any:
    """A value as a cell: text that a spreadsheet would take for a formula is told to be text."""
    if isinstance(value, str):
        return escaped(value)
    return "" if value is None else value


def flat(values: Mapping[str, Any], before: str = "") -> dict[str, Any]:
    """Nested values with dotted names; microseconds become seconds, exactly, and `_us` at the end of a name becomes
    `_s`.

    Lists are left out: they are tables of their own.

    >>> flat({"best_us": 61234500, "laps": {"clean": 3}, "sure": "thin"})
    {'best_s': '61.234500', 'laps.clean': 3, 'sure': 'thin'}
    """
    out: dict[str, Any] = {}
    for name, value in values.items():
        if isinstance(value, Mapping):
            out |= flat(value, f"{before}{name}.")
        elif not isinstance(value, list | tuple):
            timed = name.endswith("_us")
            out[before + (f"{name[:-3]}_s" if timed else name)] = _seconds(value) if timed else value
    return out


def _seconds(value_us: float | None) -> str | None:
    if value_us is None:
        return None
    whole = round(value_us)
    sign = "-" if whole < 0 else ""
    return f"{sign}{abs(whole) // 1_000_000}.{abs(whole) % 1_000_000:06d}"


def write_figures(rows: Iterable[Mapping[str, Any]], first: Sequence[str] = ()) -> bytes:
    """Rows as CSV; the columns are all that any row has, in the order in which they come.

    Args:
        first: columns that stand first, and stand even where no row has them.
    """
    known = list(rows)
    columns = list(dict.fromkeys([*first, *(name for row in known for name in row)]))
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([safe_cell(name) for name in columns])
    for row in known:
        # A negative number is no formula.
        writer.writerow([value if _is_number(value := row.get(name)) else safe_cell(value) for name in columns])
    return out.getvalue().encode()


def _is_number(value: Any) -> bool:
    if isinstance(value, bool):
        return False
    if isinstance(value, int | float):
        return True
    return isinstance(value, str) and value[:1] == "-" and value[1:].replace(".", "", 1).isdecimal()
