"""Season files (`*.season.csv`) out, one row a series week."""

import csv
import io
from collections.abc import Iterable, Mapping

__all__ = ["COLUMNS", "write_season"]

COLUMNS = (
    "series",
    "week",
    "zone",
    "from",
    "to",
    "car",
    "track",
    "layout",
    "race_laps",
    "race_minutes",
    "starts_utc",
    "start",
    "setup",
    "compounds",
    "session_local",
    "air_temp_c",
    "track_temp_c",
    "wetness",
    "note",
)
"""Columns that are written; the format knows more, and each may be missing."""


def write_season(rows: Iterable[Mapping[str, object]]) -> bytes:
    """Write series weeks as a season file; what is missing or None is left empty."""
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, COLUMNS, restval="", extrasaction="raise", lineterminator="\r\n")
    writer.writeheader()
    writer.writerows({name: "" if value is None else value for name, value in row.items()} for row in rows)
    return out.getvalue().encode()
