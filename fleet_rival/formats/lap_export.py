"""Lap files out: what was stored, in the format that `read_laps` reads."""

import csv
import io
from collections.abc import Sequence
from functools import lru_cache
from typing import Final

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.order import in_order
from fleet_rival.core.times import format_time
from fleet_rival.core.track import Track
from fleet_rival.formats.figures_export import safe_cell

__all__ = ["write_laps"]

_COLUMNS: Final = (
    *(
        "driver",
        "car",
        "session",
        "session_kind",
        "session_local",
        "run",
        "lap",
        "time",
        "started_at",
        "kind",
        "valid",
        "strikes",
    ),
    *(
        "incidents",
        "flags",
        "company",
        "tyre_set",
        "compound",
        "tyre_age",
        "fuel_l",
        "energy_kwh",
        "track_temp_c",
        "air_temp_c",
    ),
    *("wetness", "purpose", "setup", "assists", "options", "mistakes", "note", "plus_minus_ms"),
)


def write_laps(laps: Sequence[Lap], track: Track) -> bytes:
    """Write laps as a lap file, in their order, with times to the microsecond where they have them.

    A text that begins like a spreadsheet formula gets an apostrophe in front, so that opening the file runs nothing.
    """
    parts = [part.code for part in (*track.sector_parts, *track.segment_parts)]
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([*_COLUMNS, *parts])
    for lap in in_order(laps):
        times = {**lap.sectors, **lap.segments}
        cells = {
            "lap": lap.number,
            "time": _time(lap.time_us),
            "started_at": lap.started_at.isoformat().replace("+00:00", "Z") if lap.started_at else "",
            "session_local": lap.session_local.isoformat() if lap.session_local else "",
            "valid": int(lap.valid),
            "plus_minus_ms": None if lap.plus_minus_us is None else f"{lap.plus_minus_us / 1000:g}",
            "strikes": " ".join(lap.strikes),
            "incidents": " ".join(f"{what}:{corner}" for what, corner in lap.incidents),
            "flags": " ".join(sorted(lap.flags)),
            "options": " ".join(f"{where}={label}" for where, label in lap.options),
            "mistakes": " ".join(f"{corner}:{kind}" for corner, kind in lap.mistakes),
        }
        row = [cells[name] if name in cells else getattr(lap, name) for name in _COLUMNS]
        writer.writerow(
            [safe_cell(value) for value in row] + [_time(times[code]) if code in times else "" for code in parts]
        )
    return out.getvalue().encode()


@lru_cache(maxsize=100_000)
def _time(microseconds: int) -> str:
    return format_time(microseconds, 3 if microseconds % 1000 == 0 else 6)
