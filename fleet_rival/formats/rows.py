"""Tables in files: from bytes to rows of text, each with its line number, nothing dropped in silence."""

import csv
import io
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Any, Final
from zipfile import BadZipFile, ZipFile

from python_calamine import CalamineError, CalamineWorkbook, ZipError

from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.text import decode

__all__ = ["SEPARATORS", "RowWarning", "SetAside", "Table", "misfit", "read_table", "rows_of", "separator_of", "text_lines"]

SEPARATORS: Final = {",": "comma", ";": "semicolon", "\t": "tab"}
_MOST_ROWS: Final = 20_000
_MOST_UNPACKED: Final = 100_000_000
"""Bytes of a spreadsheet: it is a zip, and a small one may hold more than the memory does."""


@dataclass(frozen=True, slots=True)
class SetAside:
    """A row that isn't imported, and why."""

    line: int
    column: str | None
    value: str | None
    reason: str
    repeats_line: int | None = None
    differs: bool | None = None

    def as_row(self, file: str) -> dict[str, Any]:
        """The row of the report."""
        row: dict[str, Any] = {"file": file, "line": self.line, "column": self.column, "value": self.value, "reason": self.reason}
        if self.repeats_line is not None:
            row |= {"repeats_line": self.repeats_line, "differs": self.differs}
        return row


@dataclass(frozen=True, slots=True)
class RowWarning:
    """Something odd about a row that is imported all the same."""

    line: int
    reason: str

    def as_row(self, file: str) -> dict[str, Any]:
        return {"file": file, "line": self.line, "reason": self.reason}


@dataclass(frozen=True, slots=True)
class Table:
    """A small table: its header, and its rows as text, each as wide as the header."""

    header: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]
    """Line number, from 1, and cells; empty rows are left out."""
    set_aside: tuple[SetAside, ...]
    """Rows of another width, or with a quotation mark that isn't closed."""


def read_table(content: bytes, what: str) -> Table:
    """Read CSV, or the first sheet of an XLSX, as a table of text.

    Args:
        what: the kind of file, for the sentences.

    Raises:
        UnusableFile: empty, neither CSV in UTF-8 nor XLSX, or more rows than such a table can have.
    """
    source = _sheet_rows(content, what) if content.startswith(b"PK\x03\x04") else _text_rows(content, what)
    header: tuple[str, ...] | None = None
    rows: list[tuple[int, tuple[str, ...]]] = []
    set_aside: list[SetAside] = []
    for line, cells, closed in source:
        if not any(cell.strip() for cell in cells):
            continue
        if header is None:
            if not closed:
                raise UnusableFile(f"The first line of the {what} holds a quotation mark that isn't closed.")
            header = tuple(cells)
        elif reason := misfit(cells, len(header), closed=closed):
            set_aside.append(SetAside(line, None, None, reason))
        else:
            rows.append((line, tuple(cells[: len(header)])))
        if len(rows) > _MOST_ROWS:
            raise UnusableFile(f"The {what} has more than {_MOST_ROWS:,} rows. Split it and add the parts.")
    if header is None:
        raise UnusableFile(f"The {what} is empty.")
    return Table(header, tuple(rows), tuple(set_aside))


def misfit(cells: list[str], width: int, *, closed: bool) -> str | None:
    """Why a row doesn't fit under its header; None where it does."""
    if not closed:
        return "a quotation mark isn't closed"
    if len(cells) < width:
        return f"ends after {len(cells)} of {width} cells"
    if any(cell.strip() for cell in cells[width:]):
        return f"has {len(cells)} cells under {width} column names"
    return None


def text_lines(content: bytes, what: str) -> list[str]:
    """Lines of a text. They end at LF, CRLF or CR alone: other separators that Unicode knows are ordinary characters of a note."""
    return list(io.StringIO(decode(content, what), newline=""))


def separator_of(header: str) -> str:
    """The separator that yields the most column names; a comma where none does."""
    return max(SEPARATORS, key=lambda sign: (header.count(sign), sign == ","))


def rows_of(lines: list[str], separator: str, start: int) -> Iterator[tuple[int, list[str], bool]]:
    """Line number, cells and whether all quotation marks were closed.

    A stray quotation mark would make the rest of the file one cell. So a row that swallows the rest of the file, or lines that
    leave it with another number of cells than the header, is given up after its first line and reading goes on at the next.
    """
    width: int | None = None
    at = start
    while at < len(lines):
        source = iter(lines[at:])
        parser = csv.reader(source, delimiter=separator, strict=True)
        base = at
        restart = None
        while True:
            before = parser.line_num
            try:
                cells = next(parser)
            except StopIteration:
                return
            except csv.Error:
                restart = base + before + 1
                yield base + before + 1, [lines[base + before]], False
                break
            if parser.line_num - before > 1 and width is not None and len(cells) != width:
                restart = base + before + 1
                yield base + before + 1, [lines[base + before]], False
                break
            if width is None:
                width = len(cells)
            yield base + before + 1, cells, True
        at = restart


def _text_rows(content: bytes, what: str) -> Iterator[tuple[int, list[str], bool]]:
    lines = text_lines(content, what)
    start = next(index for index, line in enumerate(lines) if line.strip())
    return rows_of(lines, separator_of(lines[start]), start)


def _sheet_rows(content: bytes, what: str) -> Iterator[tuple[int, list[str], bool]]:
    try:
        with ZipFile(io.BytesIO(content)) as archive:
            unpacked = sum(item.file_size for item in archive.infolist())
    except BadZipFile as error:
        raise _unreadable(what) from error
    if unpacked > _MOST_UNPACKED:
        raise UnusableFile(
            f"This spreadsheet unpacks to {unpacked // 1_000_000} MB; up to {_MOST_UNPACKED // 1_000_000} MB are taken. Save it as CSV."
        )
    try:
        sheet = CalamineWorkbook.from_filelike(io.BytesIO(content)).get_sheet_by_index(0)
    except (CalamineError, ZipError, OSError, IndexError) as error:
        raise _unreadable(what) from error
    for line, cells in enumerate(sheet.to_python(skip_empty_area=False), 1):
        yield line, [_text(cell) for cell in cells], True


def _unreadable(what: str) -> UnusableFile:
    return UnusableFile(f"This {what} is a zip or spreadsheet that can't be read. Save it as XLSX or as CSV in UTF-8 and try again.")


def _text(cell: Any) -> str:
    """A sheet's cell as a CSV would hold it."""
    if isinstance(cell, bool):
        return str(int(cell))
    if isinstance(cell, float):
        return str(int(cell)) if cell.is_integer() else repr(cell)
    if isinstance(cell, datetime):
        return cell.date().isoformat() if cell.time() == time() else cell.isoformat()
    if isinstance(cell, date | time):
        return cell.isoformat()
    return str(cell)
