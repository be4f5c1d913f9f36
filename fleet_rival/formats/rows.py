"""Tables in files: from bytes to rows of text, each with its line number, nothing dropped in silence."""

import csv
import io
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final

from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.text import decode

__all__ = ["MOST_LINES", "SEPARATORS", "RowWarning", "SetAside", "misfit", "rows_of", "separator_of", "text_lines"]

MOST_LINES: Final = 1_000_000
_LONGEST_LINE: Final = 1_000_000
"""Characters; a longer one would be cells without end."""
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
        row: dict[str, Any] = {
            "file": file,
            "line": self.line,
            "column": self.column,
            "value": self.value,
            "reason": self.reason,
        }
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
        return (
            "a cell is longer than 131,072 characters"
            if len(cells[0]) > csv.field_size_limit()
            else "a quotation mark isn't closed"
        )
    if len(cells) < width:
        return f"ends after {len(cells)} of {width} cells"
    if any(cell.strip() for cell in cells[width:]):
        return f"has {len(cells)} cells under {width} column names"
    return None


def text_lines(content: bytes, what: str) -> list[str]:
    """Lines of a text. They end at LF, CRLF or CR alone: other separators that Unicode knows are ordinary characters
    of a note.

    Raises:
        UnusableFile: no text, or more lines than a table here can have.
    """
    if content.count(b"\n") + content.count(b"\r") > 2 * MOST_LINES:  # CRLF counts twice
        raise UnusableFile(f"The {what} has more than {MOST_LINES:,} lines. Split it and add the parts.")
    return list(io.StringIO(decode(content, what), newline=""))


def separator_of(header: str) -> str:
    """The separator that yields the most column names; a comma where none does."""
    return max(SEPARATORS, key=lambda sign: (header.count(sign), sign == ","))


def rows_of(lines: list[str], separator: str, start: int) -> Iterator[tuple[int, list[str], bool]]:
    """Line number, cells and whether all quotation marks were closed.

    A stray quotation mark would make the rest of the file one cell. So a row that swallows the rest of the file, or
    lines that leave it with another number of cells than the header, is given up after its first line and reading goes
    on at the next.

    Takes time in proportion to the lines, whatever stands in them: a cell that is open at the end of a line can only
        end in the next line that
    has an odd number of quotation marks, and each line lies between two of those at most once.
    """
    width: int | None = None
    at = start
    while at < len(lines):
        plain = at
        while plain < len(lines) and '"' not in lines[plain] and len(lines[plain]) <= _LONGEST_LINE:
            plain += 1
        if plain > at:
            for line, cells, well in _plain_rows(lines, at, plain, separator):
                width = len(cells) if width is None and well else width
                yield line, cells, well
            at = plain
            continue
        found = _quoted_row(lines, at, separator)
        if found is None or (found[1] > 1 and width is not None and len(found[0]) != width):
            yield at + 1, [lines[at]], False
            at += 1
        else:
            cells, taken = found
            width = len(cells) if width is None else width
            yield at + 1, cells, True
            at += taken


def _plain_rows(lines: list[str], first: int, end: int, separator: str) -> Iterator[tuple[int, list[str], bool]]:
    """Rows of lines without any quotation mark: a line each."""
    while first < end:
        parser = csv.reader(lines[first:end], delimiter=separator, strict=True)
        try:
            for cells in parser:
                yield first + 1, cells, True
                first += 1
        except csv.Error:
            yield first + 1, [lines[first]], False
            first += 1


def _quoted_row(lines: list[str], at: int, separator: str) -> tuple[list[str], int] | None:
    """The row that begins at a line, and of how many lines it is; None where its quotation marks don't close."""
    if len(lines[at]) > _LONGEST_LINE:
        return None
    end = at + 1
    if lines[at].count('"') % 2:
        while end < len(lines) and not lines[end].count('"') % 2:
            end += 1
        end += 1
    parser = csv.reader(lines[at:end], delimiter=separator, strict=True)
    try:
        return next(parser), parser.line_num
    except (StopIteration, csv.Error):
        return None
