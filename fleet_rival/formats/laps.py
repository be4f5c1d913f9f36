"""Lap files (`*.laps.csv`): read row by row, nothing dropped in silence, nothing guessed."""

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import islice
from operator import getitem
from typing import Any, Final, NamedTuple

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.order import Repeat, identify
from fleet_rival.core.times import MICROSECONDS, NotATime, ParsedTime, format_time, parse_milliseconds, parse_time
from fleet_rival.core.track import Track
from fleet_rival.formats.cells import BadCell, column_readers
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.grids import open_grid
from fleet_rival.formats.mapped import apply_mapping
from fleet_rival.formats.mapping import Along, ColumnMapping
from fleet_rival.formats.rows import RowWarning, SetAside, misfit

__all__ = ["ForeignParts", "LapFile", "RowWarning", "SetAside", "peek", "read_laps", "reads_by_names"]

_SHOWN_ASIDE: Final = 500
"""Rows set aside whose cells are kept to be mended."""
_NO_SECONDS: Final = 10_000
"""From here on a whole number is no lap in seconds."""
_PEEKED: Final = 200_000
"""Bytes of a text that are looked at first."""

_NAMES = {"lap": "number", "plus_minus_ms": "plus_minus_us"}


@dataclass(frozen=True, slots=True)
class LapFile:
    """What a lap file holds."""

    laps: tuple[tuple[int, Lap], ...]
    """Line number and lap, in the order of the file, runs told apart."""
    set_aside: tuple[SetAside, ...]
    warnings: tuple[RowWarning, ...]
    separator: str
    """What separates the cells, or the kind of file where nothing does."""
    unused_columns: tuple[str, ...]
    missing_parts: tuple[str, ...]
    """Sectors and segments of the track that the file has no column for, though it has some for others."""
    runs_inferred: bool
    rows: int
    """Rows with at least one cell, the header not counted."""
    header: tuple[str, ...] = ()
    """As it stands in the file."""
    cells: Mapping[int, tuple[str, ...]] = field(default_factory=dict)
    """The cells of the first rows that were set aside, by line, to be mended."""


class ForeignParts(UnusableFile):
    """The file has times of parts that the track doesn't have: it is another track's."""


class _Column(NamedTuple):
    name: str
    """As reasons name it: the contract's name, with `_ms` where the file has that."""
    target: str
    """Field of `Lap`, or code of the sector or segment."""
    group: str
    """`field`, `time`, `sectors` or `segments`."""
    read: Callable[[str], Any]


class _Cells(dict[str, Any]):
    """The cells of one column by their text. A lap file repeats most of them, so each is read once."""

    def __init__(self, column: _Column | None) -> None:
        super().__init__({"": None})
        self.column = column
        self.decimals: int | None = None
        """Of a column of times: the finest decimal place that was given."""

    def __missing__(self, cell: str) -> Any:
        value = None
        text = cell.strip()
        if self.column is not None and text:
            value = self.column.read(text)
            if isinstance(value, ParsedTime):
                self.decimals = max(self.decimals or 0, value.decimals)
                value = value.microseconds
        self[cell] = value
        return value


class _Reader:
    """One file on its way in."""

    def __init__(self, track: Track, columns: Sequence[_Column | None]) -> None:
        self.track = track
        self.cells = [_Cells(column) for column in columns]
        self.set_aside: list[SetAside] = []
        self.laps: list[tuple[int, Lap]] = []
        self._fields = self._places("field", "time")
        self._sectors = self._places("sectors")
        self._segments = self._places("segments")

    def _places(self, *groups: str) -> list[tuple[int, str]]:
        return [
            (place, cells.column.target)
            for place, cells in enumerate(self.cells)
            if cells.column and cells.column.group in groups
        ]

    def row(self, line: int, row: Sequence[str]) -> None:
        """Take one row in, or set it aside with its first unreadable cell."""
        try:
            read = list(map(getitem, self.cells, row))
        except (BadCell, NotATime):
            self.set_aside.append(self._first_bad_cell(line, row))
            return
        values = {target: value for place, target in self._fields if (value := read[place]) is not None}
        sectors = {code: value for place, code in self._sectors if (value := read[place]) is not None}
        segments = {code: value for place, code in self._segments if (value := read[place]) is not None}
        for column, target in (("driver", "driver"), ("lap", "number")):
            if target not in values:
                self.set_aside.append(SetAside(line, column, "", "missing"))
                return
        if "time_us" not in values:
            if len(sectors) < len(self.track.sectors):
                self.set_aside.append(SetAside(line, "time", "", "missing, and not all sectors are there"))
                return
            values["time_us"] = sum(sectors.values())
        self.laps.append((line, Lap(sectors=sectors, segments=segments, **values)))

    def _first_bad_cell(self, line: int, row: Sequence[str]) -> SetAside:
        for cells, cell in zip(self.cells, row, strict=False):
            try:
                cells[cell]
            except (BadCell, NotATime) as error:
                return SetAside(line, cells.column.name if cells.column else None, cell, str(error))
        raise AssertionError("a row without an unreadable cell")


def read_laps(
    content: bytes, track: Track, mapping: ColumnMapping | None = None, mends: Mapping[int, Sequence[str]] | None = None
) -> LapFile:
    """Read a lap file against its track.

    Args:
        content: the file's bytes: CSV or TSV in UTF-8, XLSX, ODS, JSON lines or Parquet.
        track: gives the codes of sectors and segments.
        mapping: how its columns are to be read; by their names where missing.
        mends: cells that somebody put in the place of a line's own.

    Raises:
        UnusableFile: the file as a whole can't be used: empty, no table, no header, a required column missing, or times
            of parts that the track doesn't have.
    """
    if content.lstrip(b"\xef\xbb\xbf \r\n\t").startswith(b"{") and b"fleet-rival/track" in content[:2000]:
        raise UnusableFile("This is a track file. Add it under New combination; laps come as CSV, one row a lap.")
    grid = open_grid(content, "lap file")
    through = _Through(mends or {})
    source = through.rows(grid.rows)
    if mapping is None:
        header, rows, along = list(grid.header), source, Along()
    else:
        header, rows, along = apply_mapping(mapping, grid.header, source, track)
    columns, unused = _columns(header, track)
    reader = _Reader(track, columns)
    for line, cells, closed in rows:
        if not any(cell.strip() for cell in cells):
            continue
        if line in along.bad:
            reader.set_aside.append(SetAside(line, *along.bad[line]))
        elif reason := misfit(cells, len(header), closed=closed):
            reader.set_aside.append(SetAside(line, None, None, reason))
        else:
            reader.row(line, cells)
    warnings = _check_sums(reader)
    identified = identify([lap for _, lap in reader.laps])
    line_of = [line for line, _ in reader.laps]
    repeats = [_repeating(repeat, line_of) for repeat in identified.repeats]
    gone = {row.line for row in repeats}
    aside = _with_their_others([*reader.set_aside, *repeats], along)
    return LapFile(
        laps=tuple((line_of[index], lap) for index, lap in identified.laps),
        set_aside=tuple(aside),
        warnings=tuple(warning for warning in warnings if warning.line not in gone),
        separator=grid.kind,
        unused_columns=tuple(
            unused
            if mapping is None
            else [name for name in grid.header if name.strip() and name not in mapping.columns]
        ),
        missing_parts=_missing_parts(columns, track),
        runs_inferred=any(lap.run is None for _, lap in reader.laps),
        rows=through.count,
        header=grid.header,
        cells=_cells_of(content, [row.line for row in aside[:_SHOWN_ASIDE]], mends or {}),
    )


def _repeating(repeat: Repeat, line_of: Sequence[int]) -> SetAside:
    first = line_of[repeat.repeats]
    return SetAside(line_of[repeat.index], None, None, f"repeats line {first}", first, repeat.differs)


def _with_their_others(aside: list[SetAside], along: Along) -> list[SetAside]:
    """Rows that are set aside, in order, each with the other rows of its lap, which go with the first one."""
    others = [
        SetAside(other, None, None, f"belongs to the lap of line {row.line}")
        for row in aside
        for other in along.behind.get(row.line, ())
    ]
    return sorted([*aside, *others], key=lambda row: row.line)


def reads_by_names(header: Sequence[str], rows: Sequence[Sequence[str]], track: Track) -> bool:
    """Whether a table's columns are named as the lap format names them, and its times are plausible as such.

    Args:
        rows: the first ones.

    Raises:
        UnusableFile: it has times of parts that the track doesn't have.
    """
    try:
        columns, _ = _columns(header, track)
    except ForeignParts:
        raise
    except UnusableFile:
        return False
    place = next(
        (
            at
            for at, column in enumerate(columns)
            if column and column.target == "time_us" and column.read is parse_time
        ),
        None,
    )
    cells = [row[place].strip() for row in rows if place is not None and place < len(row) and row[place].strip()]
    # Whole numbers that would be laps of hours are milliseconds under a name that doesn't say so.
    return not (cells and all(cell.isdecimal() and int(cell) >= _NO_SECONDS for cell in cells))


def peek(content: bytes, rows: int = 200) -> tuple[tuple[str, ...], list[tuple[int, list[str]]]]:
    """The header and the first rows of a file, without reading the rest of a large one.

    Raises:
        UnusableFile: it is no table.
    """
    grid = open_grid(_first_part(content), "lap file")
    found = [
        (line, cells)
        for line, cells, closed in islice(grid.rows, rows)
        if closed and any(cell.strip() for cell in cells)
    ]
    return grid.header, found


def _first_part(content: bytes) -> bytes:
    """The beginning of a text, to the end of a line; sheets and Parquet are needed whole."""
    if len(content) <= _PEEKED or content.startswith((b"PK\x03\x04", b"PAR1")) or content.lstrip()[:1] == b"[":
        return content
    end = content.rfind(b"\n", 0, _PEEKED)
    return content[: end + 1] if end > 0 else content


class _Through:
    """Rows on their way in: counted, and mended where somebody mended them."""

    def __init__(self, mends: Mapping[int, Sequence[str]]) -> None:
        self.count = 0
        """Rows with at least one cell."""
        self._mends = mends

    def rows(self, source: Iterator[tuple[int, list[str], bool]]) -> Iterator[tuple[int, list[str], bool]]:
        for line, cells, closed in source:
            mended = self._mends.get(line)
            if mended is None and not any(cell.strip() for cell in cells):
                continue
            self.count += 1
            yield (line, list(mended), True) if mended is not None else (line, cells, closed)


def _cells_of(content: bytes, lines: Sequence[int], mends: Mapping[int, Sequence[str]]) -> dict[int, tuple[str, ...]]:
    """Cells of lines, as many as there are columns at least; giant ones are cut. The file is read again up to the
    last of them.
    """
    if not lines:
        return {}
    grid, wanted, last, out = open_grid(content, "lap file"), set(lines), max(lines), {}
    for line, cells, _ in _Through(mends).rows(grid.rows):
        if line in wanted:
            shown = [cell[:300] for cell in cells[: len(grid.header) + 20]]
            out[line] = tuple(shown + [""] * (len(grid.header) - len(shown)))
        if line >= last:
            break
    return out


def _columns(header: Sequence[str], track: Track) -> tuple[list[_Column | None], list[str]]:
    """Match the header's names to what a lap file may hold."""
    segment_codes = {part.code.casefold(): part.code for part in track.segment_parts}
    sector_codes = {part.code.casefold(): part.code for part in track.sector_parts}
    readers = column_readers(segment_codes, sector_codes)
    columns: list[_Column | None] = []
    unused: list[str] = []
    foreign: list[str] = []
    for cell in header:
        name = cell.strip().casefold().replace(" ", "_").replace("-", "_")
        base, in_milliseconds = (name[:-3], True) if name.endswith("_ms") else (name, False)
        read_time = parse_milliseconds if in_milliseconds else parse_time
        suffix = "_ms" if in_milliseconds else ""
        column: _Column | None = None
        if base == "time":
            column = _Column(f"time{suffix}", "time_us", "time", read_time)
        elif name in readers:
            column = _Column(name, _NAMES.get(name, name), "field", readers[name])
        else:
            # Codes are compared as they stand, and with blanks and hyphens as underscores, as all names in a header
            # are.
            for group, codes in (("sectors", sector_codes), ("segments", segment_codes)):
                code = next(
                    (code for folded, code in codes.items() if folded.replace(" ", "_").replace("-", "_") == base), None
                )
                if code:
                    column = _Column(f"{code}{suffix}", code, group, read_time)
        if column is None and name:
            unused.append(cell.strip())
            if base[:1] in "stl" and base[1:].isdecimal():
                foreign.append(cell.strip())
        columns.append(column)
    names = Counter((column.group, column.target) for column in columns if column)
    if not {("field", "driver"), ("field", "number"), ("time", "time_us")} & names.keys():
        raise UnusableFile(
            "The lap file has no header: its first line must name the columns, at least driver, lap and time."
        )
    for (_, target), times in names.items():
        if times > 1:
            raise UnusableFile(
                f"Two columns of the lap file are named {target.removesuffix('_us')}. Rename one of them and try again."
            )
    for target, shown in (("driver", "driver"), ("number", "lap")):
        if ("field", target) not in names:
            raise UnusableFile(f'The lap file has no column "{shown}". Name it in the first line and try again.')
    if foreign:
        raise ForeignParts(
            f"The lap file has times for {', '.join(foreign)}, which {track.name}, {track.layout} doesn't have. "
            "Choose the combination on the track where these laps were driven, or add its track file first."
        )
    if ("time", "time_us") not in names and any(("sectors", sector.code) not in names for sector in track.sectors):
        raise UnusableFile('The lap file has neither a column "time" nor all sectors of the track.')
    return columns, unused


def _missing_parts(columns: Sequence[_Column | None], track: Track) -> tuple[str, ...]:
    """Parts without a column, of the depths that have one for others: a sign of another track's file."""
    missing: list[str] = []
    for group, parts in (("sectors", track.sector_parts), ("segments", track.segment_parts)):
        there = {column.target for column in columns if column and column.group == group}
        if there:
            missing += [part.code for part in parts if part.code not in there]
    return tuple(missing)


def _check_sums(reader: _Reader) -> list[RowWarning]:
    """Warn where parts that are all there miss the lap time by more than one unit of the last given place per part."""
    decimals: dict[tuple[str, str], int] = {}
    for cells in reader.cells:
        if cells.column and cells.column.group != "field":
            decimals[cells.column.group, cells.column.target] = 6 if cells.decimals is None else cells.decimals
    warnings = []
    checks = []
    for group, parts in (("sectors", reader.track.sector_parts), ("segments", reader.track.segment_parts)):
        keys = [(group, part.code) for part in parts]
        if keys and all(key in decimals for key in keys):
            places = min(decimals[key] for key in [*keys, ("time", "time_us")] if key in decimals)
            checks.append((group, len(keys), places, len(keys) * MICROSECONDS // 10**places))
    for line, lap in reader.laps:
        for group, count, places, tolerance in checks:
            times = lap.sectors if group == "sectors" else lap.segments
            if len(times) == count:
                total = sum(times.values())
                if abs(total - lap.time_us) > tolerance:
                    shown = max(places, 3)
                    warnings.append(
                        RowWarning(
                            line,
                            (
                                f"{group} sum to {format_time(total, shown)}, lap time is "
                                f"{format_time(lap.time_us, shown)}"
                            ),
                        )
                    )
    return warnings
