"""Tables in files: from bytes to rows of text, each with its line number, nothing dropped in silence."""

import csv
import io
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final

from fleet_rival.formats.text import decode

__all__ = ["SEPARATORS", "RowWarning", "SetAside", "misfit", "rows_of", "separator_of", "text_lines"]

SEPARATORS: Final = {",": "comma", ";": "semicolon", "\t": "tab"}


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


def misfit(cells: list[str], width: int, *, closed: bool) -> str | None:
    """Why a row doesn't fit under its header; None where it does."""
    if not closed:
        return "a cell is longer than 131,072 characters" if len(cells[0]) > csv.field_size_limit() else "a quotation mark isn't closed"
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
