"""What a spreadsheet will be once it is unpacked, told from its parts before anything of it is built."""

import re
from collections.abc import Iterator
from typing import IO, Final
from zipfile import ZipFile

__all__ = ["sheet_size"]

_BLOCK: Final = 1 << 20
_OVERLAP: Final = 1 << 12
"""Bytes of a block that are looked at once more with the next one: a tag is shorter."""
_REFERENCE: Final = re.compile(rb'<c\b[^>]*?\br="([A-Z]{1,3})([0-9]{1,7})"[^>]*>')
_SHARED: Final = re.compile(rb'<c\b[^>]*?\bt="s"[^>]*>\s*<v>([0-9]{1,9})</v>')
_STRING: Final = re.compile(rb"<si\b")
_ODS: Final = re.compile(
    rb"<table:table-row\b([^>]*)>|<table:(?:covered-)?table-cell\b([^>]*?)(/?)>|<text:p\b[^>]*>([^<]*)"
)
_COLUMNS: Final = re.compile(rb'number-columns-repeated="([0-9]{1,9})"')
_ROWS: Final = re.compile(rb'number-rows-repeated="([0-9]{1,9})"')


def sheet_size(archive: ZipFile) -> tuple[int, int]:
    """How many cells the largest sheet of an XLSX or ODS spans, and how many characters of text its cells hold in
    all, repeated ones each time.

    Both are told from the markup alone; what isn't written as spreadsheets write it counts as nothing here, and is met
    by the limits of who reads it.
    """
    names = archive.namelist()
    if "content.xml" in names:
        with archive.open("content.xml") as file:
            return _ods(file)
    cells = characters = 0
    strings = _string_sizes(archive) if "xl/sharedStrings.xml" in names else []
    for name in names:
        if name.startswith("xl/worksheets/") and name.endswith(".xml"):
            with archive.open(name) as file:
                wide, text = _xlsx(file, strings)
            cells, characters = max(cells, wide), max(characters, text)
    return cells, characters


def _xlsx(file: IO[bytes], strings: list[int]) -> tuple[int, int]:
    columns = rows = 0
    text = 0
    for block, fresh in _blocks(file):
        for found in _REFERENCE.finditer(block):
            columns, rows = max(columns, _column(found[1])), max(rows, int(found[2]))
        text += sum(
            strings[index]
            for found in _SHARED.finditer(block)
            if found.end() > fresh and (index := int(found[1])) < len(strings)
        )
    return columns * rows, text


def _column(letters: bytes) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + letter - 64
    return number


def _string_sizes(archive: ZipFile) -> list[int]:
    """About how long each shared string is: from where it begins to where the next one does."""
    starts: list[int] = []
    at = 0
    with archive.open("xl/sharedStrings.xml") as file:
        for block, fresh in _blocks(file):
            starts += [at - fresh + found.start() for found in _STRING.finditer(block) if found.end() > fresh]
            at += len(block) - fresh
    return [after - before for before, after in zip(starts, [*starts[1:], at], strict=True)]


def _ods(file: IO[bytes]) -> tuple[int, int]:
    cells = characters = 0
    times = wide = 1
    for block, fresh in _blocks(file):
        for found in _ODS.finditer(block):
            if found.end() <= fresh:
                continue
            row, cell, _, text = found.groups()
            if row is not None:
                times = int(repeated[1]) if (repeated := _ROWS.search(row)) else 1
            elif cell is not None:
                wide = int(repeated[1]) if (repeated := _COLUMNS.search(cell)) else 1
                # Empty cells are written as one that is repeated to the sheet's edge; they cost nothing.
                cells += times * wide if b"value-type" in cell or wide < 1000 else 0
            else:
                characters += times * wide * len(text)
    return cells, characters


def _blocks(file: IO[bytes]) -> Iterator[tuple[bytes, int]]:
    """Blocks of a file, each with the end of the one before it, and where its own bytes begin."""
    tail = b""
    while block := file.read(_BLOCK):
        yield tail + block, len(tail)
        tail = (tail + block)[-_OVERLAP:]
