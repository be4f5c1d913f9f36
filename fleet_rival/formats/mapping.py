"""How a table's columns are to be read as laps: told by a person once, or guessed from names and values, shown, and
confirmed.
"""

import hashlib
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, Final

from fleet_rival.core.times import NotATime, parse_milliseconds, parse_time
from fleet_rival.core.track import Track
from fleet_rival.core.words import SPLITS, TABLE_ROWS, TIME_UNITS

__all__ = [
    "Along",
    "BadMapping",
    "ColumnMapping",
    "ColumnUse",
    "Guess",
    "check_mapping",
    "guess_mapping",
    "in_microseconds",
    "signature",
    "targets",
]

_TIME_TARGETS: Final = ("time", "sector_time")
_WORDS: Final = {
    "driver": ("driver", "driver_name", "name", "pilot", "racer", "who", "person"),
    "car": ("car", "car_name", "vehicle", "model"),
    "session": ("session", "session_id", "session_name", "event"),
    "session_kind": ("session_kind", "session_type"),
    "run": ("run", "stint", "run_no", "run_number", "stint_no", "stint_number"),
    "lap": ("lap", "lap_no", "lap_nr", "lap_number", "lapno", "no", "nr", "number", "lap_#", "#", "round", "lap_count"),
    "time": (
        "time",
        "lap_time",
        "laptime",
        "time_of_lap",
        "total",
        "total_time",
        "duration",
        "lap_s",
        "time_s",
        "laptime_s",
    ),
    "started_at": (
        "started_at",
        "start",
        "started",
        "start_time",
        "date",
        "datetime",
        "date_time",
        "timestamp",
        "when",
    ),
    "kind": ("kind", "lap_kind", "lap_type", "type"),
    "valid": ("valid", "is_valid", "ok", "counts", "validity"),
    "flags": ("flags",),
    "incidents": ("incidents",),
    "strikes": ("strikes",),
    "company": ("company",),
    "tyre_set": ("tyre_set", "tire_set", "set"),
    "compound": ("compound", "tyre", "tire", "tyres", "tires", "tyre_compound", "tire_compound", "rubber"),
    "tyre_age": ("tyre_age", "tire_age", "laps_on_tyres", "tyre_laps", "tire_laps"),
    "fuel_l": ("fuel_l", "fuel", "fuel_litres", "fuel_liters", "fuel_load"),
    "energy_kwh": ("energy_kwh", "energy", "battery_kwh", "charge_kwh"),
    "track_temp_c": ("track_temp_c", "track_temp", "track_temperature", "ttemp", "road_temp"),
    "air_temp_c": ("air_temp_c", "air_temp", "air_temperature", "atemp", "ambient", "ambient_temp"),
    "wetness": ("wetness", "weather", "conditions"),
    "purpose": ("purpose",),
    "setup": ("setup", "setup_name", "setup_version"),
    "assists": ("assists", "aids"),
    "note": ("note", "notes", "comment", "comments", "remark", "remarks"),
    "sector": ("sector", "sector_no", "sector_number", "split", "split_no", "section"),
    "sector_time": ("sector_time", "split_time", "section_time"),
}
"""What columns are called, by what they mean; names are compared in small letters with underscores."""
_NUMBERED: Final = re.compile(
    r"(?:sector|sec|sect|split|s|section|int|intermediate|part|lap_split)_?([0-9]{1,2})(?:_time|_split)?"
)


_NEARLY_ALL: Final = 0.6
"""Of the values of a column: a few unreadable cells hide nothing."""


class BadMapping(ValueError):
    """A mapping that can't be used; the message is a sentence."""


@dataclass(frozen=True, slots=True)
class ColumnUse:
    """What a column is read as."""

    target: str
    """A column of the lap format, a sector or corner code, `sector` or `sector_time`."""
    unit: str = "time"


@dataclass(frozen=True, slots=True)
class ColumnMapping:
    """How a table is read."""

    columns: Mapping[str, ColumnUse]
    """By the column's name as it stands; what isn't named is not used."""
    splits: str = "times"
    rows: str = "laps"
    constants: Mapping[str, str] = field(default_factory=dict)
    """What no column says and all rows share: `driver`, `session`."""

    def as_plain(self) -> dict[str, Any]:
        return {
            "columns": {name: {"target": use.target, "unit": use.unit} for name, use in self.columns.items()},
            "splits": self.splits,
            "rows": self.rows,
            "constants": dict(self.constants),
        }

    @classmethod
    def from_plain(cls, plain: Mapping[str, Any]) -> "ColumnMapping":
        """A mapping from what was kept of it."""
        columns = {name: ColumnUse(use["target"], use.get("unit", "time")) for name, use in plain["columns"].items()}
        return cls(columns, plain.get("splits", "times"), plain.get("rows", "laps"), dict(plain.get("constants", {})))


@dataclass(slots=True)
class Along:
    """What is noted of rows while they are put together to laps; filled as they are read."""

    behind: dict[int, list[int]] = field(default_factory=dict)
    """Line of a lap's first row to the lines of its other rows."""
    bad: dict[int, tuple[str, str, str]] = field(default_factory=dict)
    """Line to column, cell and reason, of rows that can't be part of any lap."""


@dataclass(frozen=True, slots=True)
class Guess:
    """How a table is probably to be read, and what was seen that says so."""

    mapping: ColumnMapping
    seen: tuple[str, ...]
    """Sentences: `lap_time holds whole milliseconds`."""
    missing: tuple[str, ...]
    """What a lap needs and nothing was found for: `driver`, `lap`, `time`."""


def signature(header: Sequence[str]) -> str:
    """What tells one source of tables from another: the names of its columns, in their order."""
    return hashlib.sha256("\x1f".join(_folded(name) for name in header).encode()).hexdigest()


def targets(track: Track) -> tuple[str, ...]:
    """Everything that a column can be read as on a track, in the order in which it is offered."""
    parts = [part.code for part in (*track.sector_parts, *track.segment_parts)]
    known = [name for name in _WORDS if name not in ("sector", "sector_time")]
    return (*known, "options", "mistakes", "session_local", "plus_minus_ms", *parts, "sector", "sector_time")


def guess_mapping(header: Sequence[str], rows: Sequence[Sequence[str]], track: Track) -> Guess:
    """Guess how a table is to be read, from the names of its columns and the values in its first rows."""
    sectors = [part.code for part in track.sector_parts]
    codes = {part.code.casefold(): part.code for part in (*track.sector_parts, *track.segment_parts)}
    columns: dict[str, ColumnUse] = {}
    used: set[str] = set()
    seen: list[str] = []
    for place, name in enumerate(header):
        if name in columns or not name.strip():
            continue
        values = [row[place].strip() for row in rows if place < len(row) and row[place].strip()]
        target, said_ms = _target(name, codes, sectors)
        if target is None or target in used:
            continue
        if target == "driver" and values and all(value.isdecimal() for value in values):
            continue
        unit = "time"
        if target in _TIME_TARGETS or target in codes.values():
            unit = "ms" if said_ms else _unit(values)
            if not said_ms and unit != "time":
                seen.append(f"{name.strip()} holds {'whole milliseconds' if unit == 'ms' else 'parts of a day'}")
        used.add(target)
        columns[name] = ColumnUse(target, unit)
    by_rows = "sector" in used and "sector_time" in used
    if "sector" in used and "time" in used and "sector_time" not in used and _repeats(header, rows, columns):
        # Of each sector's own row, the time is the sector's.
        columns = {
            name: ColumnUse("sector_time", use.unit) if use.target == "time" else use for name, use in columns.items()
        }
        used = {use.target for use in columns.values()}
        by_rows = True
    if by_rows:
        seen.append("each row is a sector, and the rows of a lap belong together")
    else:
        columns = {name: use for name, use in columns.items() if use.target not in ("sector", "sector_time")}
        used = {use.target for use in columns.values()}
    cumulative = not by_rows and _are_cumulative(header, rows, columns, sectors)
    if cumulative:
        seen.append("the split times rise along the lap, so each sector is the step to the next")
    if any(
        "," in row[place] and re.fullmatch(r"(?:[0-9]+:)?[0-9]+,[0-9]+", row[place].strip())
        for row in rows
        for place in range(len(row))
    ):
        seen.append("decimals are written with a comma")
    needed = {"driver", "lap"} | (set() if by_rows or set(sectors) <= used else {"time"})
    missing = tuple(name for name in ("driver", "lap", "time") if name in needed - used)
    return Guess(
        ColumnMapping(columns, "cumulative" if cumulative else "times", "sectors" if by_rows else "laps"),
        tuple(seen),
        missing,
    )


def _folded(name: str) -> str:
    return re.sub(r"[\s\-./()\[\]]+", "_", name.strip().casefold()).strip("_")


def _target(name: str, codes: Mapping[str, str], sectors: Sequence[str]) -> tuple[str | None, bool]:
    """What a column's name says that it is, and whether it says milliseconds."""
    folded = _folded(name)
    base = re.sub(r"_(?:ms|msec|milliseconds|millis)$", "", folded)
    said_ms = base != folded
    base = re.sub(r"_(?:s|sec|seconds)$", "", base) if base not in codes else base
    for target, words in _WORDS.items():
        if folded in words or base in words:
            return target, said_ms
    if base in codes:
        return codes[base], said_ms
    found = _NUMBERED.fullmatch(base)
    if found is not None and 1 <= int(found[1]) <= len(sectors):
        return sectors[int(found[1]) - 1], said_ms
    return None, said_ms


def _unit(values: Sequence[str]) -> str:
    """Of a column of times: milliseconds where nearly all are whole and too large for seconds, days where nearly all
    are tiny.
    """
    numbers = [number for value in values if (number := _number(value)) is not None]
    if len(numbers) < max(1.0, _NEARLY_ALL * len(values)):
        return "time"
    if sum(number.is_integer() and number >= 1000 for number in numbers) >= _NEARLY_ALL * len(values):
        return "ms"
    return "days" if sum(0 < number < 0.05 for number in numbers) >= _NEARLY_ALL * len(values) else "time"


def _number(text: str) -> float | None:
    try:
        return float(text.replace(",", "."))
    except ValueError:
        return None


def _repeats(header: Sequence[str], rows: Sequence[Sequence[str]], columns: Mapping[str, ColumnUse]) -> bool:
    """Whether the same lap of the same driver stands in several rows."""
    places = [
        place
        for place, name in enumerate(header)
        if name in columns and columns[name].target in ("driver", "session", "run", "lap")
    ]
    laps = Counter(tuple(row[place] for place in places) for row in rows if len(row) == len(header))
    return bool(laps) and max(laps.values()) > 1


def _are_cumulative(
    header: Sequence[str], rows: Sequence[Sequence[str]], columns: Mapping[str, ColumnUse], sectors: Sequence[str]
) -> bool:
    """Whether the splits rise along the lap, up to the lap time where that is known."""
    by_target = {use.target: (header.index(name), use.unit) for name, use in columns.items()}
    splits = [by_target[code] for code in sectors if code in by_target]
    if len(splits) < 2:
        return False
    rising = told = 0
    for row in rows:
        if len(row) < len(header):
            continue
        times = [in_microseconds(row[place], unit) for place, unit in splits]
        known = [time for time in times if time is not None]
        if len(known) < len(splits):
            continue
        told += 1
        place, unit = by_target.get("time", (-1, "time"))
        whole = in_microseconds(row[place], unit) if place >= 0 else None
        up = all(before < after for before, after in pairwise(known))
        rising += up and (
            known[-1] <= whole * 1.002 and sum(known) > whole * 1.2 if whole else sum(known[:-1]) > known[-1] * 0.9
        )
    return told > 0 and rising >= _NEARLY_ALL * told


def in_microseconds(cell: str, unit: str) -> int | None:
    try:
        return _read(cell, unit)
    except NotATime:
        return None


def _read(cell: str, unit: str) -> int:
    if unit == "ms":
        return parse_milliseconds(cell).microseconds
    if unit == "days":
        try:
            return round(float(cell.replace(",", ".")) * 86_400_000) * 1000
        except (ValueError, OverflowError):
            raise NotATime("not a part of a day") from None
    return parse_time(cell).microseconds


def check_mapping(mapping: ColumnMapping, header: Sequence[str], track: Track) -> None:
    """Refuse a mapping that can't be used for this table.

    Raises:
        BadMapping: as a sentence.
    """
    offered = set(targets(track))
    for name, use in mapping.columns.items():
        if name not in header:
            raise BadMapping(f"The file has no column {name!r}.")
        if use.target not in offered or use.unit not in TIME_UNITS:
            raise BadMapping(f"{use.target} is nothing that a column can be read as on this track.")
    counted = Counter(use.target for use in mapping.columns.values())
    if several := [target for target, times in counted.items() if times > 1]:
        raise BadMapping(f"Two columns are read as {several[0]}. Choose one of them.")
    if (
        mapping.splits not in SPLITS
        or mapping.rows not in TABLE_ROWS
        or not mapping.constants.keys() <= {"driver", "session"}
    ):
        raise BadMapping("The mapping can't be read.")
    have = set(counted) | {name for name, value in mapping.constants.items() if value.strip()}
    sectors = {part.code for part in track.sector_parts}
    times = {"sector", "sector_time"} <= have if mapping.rows == "sectors" else "time" in have or sectors <= have
    missing = [name for name in ("driver", "lap") if name not in have] + ([] if times else ["time"])
    if missing:
        raise BadMapping(
            f"Say which column holds {' and '.join(missing)}; a driver can also be named for the whole file."
        )
