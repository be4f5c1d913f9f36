"""Tables of any open kind as rows of text: CSV and TSV, the first sheet of XLSX or ODS, JSON lines, Parquet.

What a file is, its first bytes say, never its name.
"""

import io
import json
import math
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any, Final
from zipfile import BadZipFile, ZipFile

from python_calamine import CalamineError, CalamineWorkbook, ZipError

from fleet_rival.core.times import format_time
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.rows import MOST_LINES, SEPARATORS, SetAside, misfit, rows_of, separator_of, text_lines
from fleet_rival.formats.sizes import sheet_size
from fleet_rival.formats.text import decode

__all__ = ["Grid", "Table", "is_packed", "open_grid", "read_table"]

Rows = Iterator[tuple[int, list[str], bool]]
"""Line number, cells, and whether all quotation marks were closed."""

_MOST_TIMES_LARGER: Final = 100
_MOST_UNPACKED: Final = 200_000_000
_MOST_CELLS: Final = 4_000_000
"""Of a whole table: a hundred thousand laps with forty columns."""
_MOST_CHARACTERS: Final = 100_000_000
_MOST_COLUMNS: Final = 2000
_MOST_ROWS: Final = 20_000
"""Of a small table."""


@dataclass(frozen=True, slots=True)
class Grid:
    """A table on its way in."""

    kind: str
    """`comma`, `semicolon`, `tab`, `sheet`, `JSON` or `Parquet`."""
    header: tuple[str, ...]
    rows: Rows


@dataclass(frozen=True, slots=True)
class Table:
    """A small table: its header, and its rows as text, each as wide as the header."""

    header: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]
    """Line number, from 1, and cells; empty rows are left out."""
    set_aside: tuple[SetAside, ...]
    """Rows of another width, or with a quotation mark that isn't closed."""


def is_packed(content: bytes) -> bool:
    """Whether a file is of a kind that unpacks to something else than its bytes: it is read where that can't hurt."""
    return content.startswith((b"PK", b"PAR1")) or content[:4096].lstrip(b"\xef\xbb\xbf \r\n\t").startswith(
        (b"{", b"[")
    )


def open_grid(content: bytes, what: str) -> Grid:
    """Open a file as a table.

    Args:
        content: the whole file.
        what: the kind of file, for the sentences ("lap file").

    Raises:
        UnusableFile: empty, no table, or one that unpacks to more than a hundred times its size.
    """
    if content.startswith(b"PK\x03\x04"):
        return _sheet(content, what)
    if content.startswith(b"PAR1"):
        return _parquet(content, what)
    start = content[:4096].lstrip(b"\xef\xbb\xbf \r\n\t")
    if start.startswith((b"{", b"[")):
        return _json_lines(content, what)
    return _text(content, what)


def read_table(content: bytes, what: str) -> Table:
    """Read a small file of any of these kinds as a table of text.

    Args:
        what: the kind of file, for the sentences.

    Raises:
        UnusableFile: empty, no table, or more rows than such a table can have.
    """
    grid = open_grid(content, what)
    rows: list[tuple[int, tuple[str, ...]]] = []
    set_aside: list[SetAside] = []
    for line, cells, closed in grid.rows:
        if not any(cell.strip() for cell in cells):
            continue
        if reason := misfit(cells, len(grid.header), closed=closed):
            set_aside.append(SetAside(line, None, None, reason))
        else:
            rows.append((line, tuple(cells[: len(grid.header)])))
        if len(rows) > _MOST_ROWS:
            raise UnusableFile(f"The {what} has more than {_MOST_ROWS:,} rows. Split it and add the parts.")
    return Table(grid.header, tuple(rows), tuple(set_aside))


def _text(content: bytes, what: str) -> Grid:
    lines = text_lines(content, what)
    start = next(index for index, line in enumerate(lines) if line.strip())
    separator = separator_of(lines[start])
    rows = rows_of(lines, separator, start)
    _, header, closed = next(rows)
    if not closed:
        raise UnusableFile(f"The first line of the {what} holds a quotation mark that isn't closed.")
    if len(header) > _MOST_COLUMNS:
        raise UnusableFile(f"The {what} has {len(header):,} columns, more than laps need. Save the laps alone.")
    return Grid(SEPARATORS[separator], tuple(header), rows)


def _sheet(content: bytes, what: str) -> Grid:
    try:
        with ZipFile(io.BytesIO(content)) as archive:
            unpacked = sum(item.file_size for item in archive.infolist())
            if unpacked > min(_MOST_UNPACKED, max(2_000_000, _MOST_TIMES_LARGER * len(content))):
                raise UnusableFile(
                    f"This spreadsheet unpacks to {unpacked // 1_000_000} MB, too much for its size. Save the sheet as "
                    "CSV and try again."
                )
            cells, characters = sheet_size(archive)
    except (BadZipFile, zlib.error, NotImplementedError, RuntimeError, OSError, EOFError) as error:
        raise _unreadable(what) from error
    if cells > _MOST_CELLS or characters > _MOST_CHARACTERS:
        what_too_much = f"spans {cells:,} cells" if cells > _MOST_CELLS else f"holds {characters:,} characters of text"
        raise UnusableFile(f"The sheet {what_too_much}, more than laps need. Save the laps alone.")
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(content))
        sheet = next((found for name in book.sheet_names if (found := book.get_sheet_by_name(name)).total_height), None)
    except (CalamineError, ZipError, OSError, IndexError, ValueError) as error:
        raise _unreadable(what) from error
    if sheet is None:
        raise UnusableFile(f"The {what} is empty.")
    if sheet.total_height * sheet.total_width > _MOST_CELLS or sheet.total_width > _MOST_COLUMNS:
        raise UnusableFile(
            f"The sheet has {sheet.total_height:,} rows and {sheet.total_width:,} columns, more than laps need. Save "
            "the laps alone."
        )
    # Rows above the first filled one are counted, so that line numbers are those of the sheet.
    numbered = (
        (line, [_cell(value) for value in row], True)
        for line, row in enumerate(sheet.to_python(skip_empty_area=False), 1)
    )
    rows = ((line, cells, closed) for line, cells, closed in numbered if any(cell.strip() for cell in cells))
    _, header, _ = next(rows, (0, [], True))
    if not header:
        raise UnusableFile(f"The {what} is empty.")
    while header and not header[-1].strip():
        header.pop()
    return Grid("sheet", tuple(header), rows)


def _parquet(content: bytes, what: str) -> Grid:
    try:
        # Only the application's environment has it.
        import pyarrow as arrow  # noqa: PLC0415
        from pyarrow import parquet  # noqa: PLC0415
    except ImportError as error:
        raise UnusableFile("Parquet isn't read here. Save the laps as CSV and try again.") from error
    try:
        buffer = arrow.BufferReader(content)
        # Text stays as it is kept, each different one once, until it is known how much it all is.
        texts = [
            field.name
            for field in parquet.read_schema(buffer)
            if arrow.types.is_string(field.type) or arrow.types.is_binary(field.type)
        ]
        file = parquet.ParquetFile(arrow.BufferReader(content), read_dictionary=texts)
        groups = [file.metadata.row_group(index) for index in range(file.metadata.num_row_groups)]
        unpacked = sum(group.total_byte_size for group in groups)
        count, columns = file.metadata.num_rows, list(file.schema_arrow.names)
        if (
            unpacked > max(20_000_000, _MOST_TIMES_LARGER * len(content))
            or count * len(columns) > _MOST_CELLS
            or len(columns) > _MOST_COLUMNS
        ):
            raise UnusableFile(
                f"This file unpacks to {count:,} rows and {len(columns):,} columns, more than laps need. Save the laps "
                "alone."
            )
        batches = list(file.iter_batches(batch_size=10_000))
        if sum(_characters(column) for batch in batches for column in batch.columns) > _MOST_CHARACTERS:
            raise UnusableFile(
                f"This file unpacks to more than {_MOST_CHARACTERS // 1_000_000} MB of text, more than laps need. Save "
                "the laps alone."
            )
    except arrow.ArrowException as error:
        raise UnusableFile(f"This {what} is Parquet that can't be read. Write it again, or save it as CSV.") from error

    def rows() -> Rows:
        line = 0
        for batch in batches:
            for values in zip(*(column.to_pylist() for column in batch.columns), strict=True):
                line += 1
                yield line, [_cell(value) for value in values], True

    return Grid("Parquet", tuple(columns), rows())


def _characters(column: Any) -> int:
    """How much text a column holds, repeated ones each time."""
    import pyarrow as arrow  # noqa: PLC0415
    from pyarrow import compute  # noqa: PLC0415

    if not arrow.types.is_dictionary(column.type):
        return int(column.nbytes)
    lengths = compute.binary_length(column.dictionary) if len(column.dictionary) else arrow.array([], arrow.int32())
    return int(compute.sum(compute.cast(lengths, arrow.int64()).take(column.indices)).as_py() or 0)


def _json_lines(content: bytes, what: str) -> Grid:
    if content.count(b"{") > MOST_LINES or content.count(b":") > _MOST_CELLS:
        raise UnusableFile(
            f"The {what} holds more than {MOST_LINES:,} rows or {_MOST_CELLS:,} values. Split it and add the parts."
        )
    text = decode(content, what)
    found: list[tuple[int, dict[str, str] | None, str]] = []
    if text.lstrip().startswith("["):
        try:
            whole = json.loads(text)
        except (ValueError, RecursionError) as error:
            raise UnusableFile(
                f"This {what} is JSON that can't be read. Write one object a line and try again."
            ) from error
        found = (
            [(number, _flat(item), json.dumps(item)[:200]) for number, item in enumerate(whole, 1)]
            if isinstance(whole, list)
            else []
        )
    else:
        for number, line in enumerate(io.StringIO(text), 1):
            if line.strip():
                try:
                    found.append((number, _flat(json.loads(line)), line.strip()[:200]))
                except (ValueError, RecursionError):
                    found.append((number, None, line.strip()[:200]))
    header = tuple(dict.fromkeys(name for _, row, _ in found if row for name in row))
    if not header or len(header) > _MOST_COLUMNS:
        raise UnusableFile(f"The {what} holds no objects with names and values. Write one object a line and try again.")
    rows = (
        (number, [row.get(name, "") for name in header] if row else [raw], row is not None)
        for number, row, raw in found
    )
    return Grid("JSON", header, rows)


def _flat(item: Any) -> dict[str, str] | None:
    """An object as cells; what is nested one level down stands beside the rest, lists numbered from 1."""
    if not isinstance(item, dict):
        return None
    out: dict[str, str] = {}
    for name, value in item.items():
        if isinstance(value, dict):
            out |= {str(inner): _cell(each) for inner, each in value.items() if not isinstance(each, dict | list)}
        elif isinstance(value, list):
            if all(isinstance(each, str) for each in value):
                out[str(name)] = " ".join(value)
            else:
                out |= {
                    f"{name} {index}": _cell(each)
                    for index, each in enumerate(value, 1)
                    if not isinstance(each, dict | list)
                }
        else:
            out[str(name)] = _cell(value)
    return out


def _unreadable(what: str) -> UnusableFile:
    return UnusableFile(
        f"This {what} is a zip or spreadsheet that can't be read. Save it as XLSX or as CSV in UTF-8 and try again."
    )


def _cell(value: Any) -> str:
    """A typed cell as a CSV would hold it."""
    if value is None:
        return ""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return str(int(value))
    if isinstance(value, float):
        if not math.isfinite(value):
            return ""
        return str(int(value)) if value.is_integer() else repr(value)
    if isinstance(value, timedelta):
        microseconds = value // timedelta(microseconds=1)
        return format_time(microseconds, 6 if microseconds % 1000 else 3)
    if isinstance(value, datetime):
        return value.date().isoformat() if value.time() == time() else value.isoformat()
    if isinstance(value, date | time):
        return value.isoformat()
    return str(value)
