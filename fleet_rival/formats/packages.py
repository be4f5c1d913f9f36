"""Exchange packages: tables as CSV with a `datapackage.json` in one zip, after the Tabular Data Package and Table
Schema standards.

The same tables give the same bytes: rows in the order in which they come, no moment of writing anywhere.

Sources: Frictionless standards, Tabular Data Package 1.0 and Table Schema 1.0; RFC 4180 for CSV.
"""

import csv
import io
import json
import zipfile
import zlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import IO, Any, Final

import pyarrow as pa
import pyarrow.csv as pa_csv

from fleet_rival.formats.errors import UnusableFile

__all__ = ["FORMAT", "PackageField", "PackageReader", "PackageTable", "write_package"]

FORMAT: Final = "fleet-rival/package"
VERSION: Final = 1
_DESCRIPTOR: Final = "datapackage.json"
_MOMENT: Final = "%Y-%m-%dT%H:%M:%S.%fZ"
_NEVER: Final = (1980, 1, 1, 0, 0, 0)
"""The moment of each file in the zip: a real one would make two packages of the same tables differ."""
_CHUNK_ROWS: Final = 2000
_BLOCK: Final = 1 << 24
"""Bytes that are read at once; a row is shorter."""
_MOST_BYTES: Final = 20 * 1024**3
_MOST_TIMES_LARGER: Final = 100
_SMALL: Final = 2_000_000
"""Bytes; the description of all tables has some thirty thousand."""
_UNITS: Final = (
    ("_us", "µs"),
    ("_ms", "ms"),
    ("_kmh", "km/h"),
    ("_kwh", "kWh"),
    ("_kpa", "kPa"),
    ("_pct", "%"),
    ("_rpm", "1/min"),
    ("_hz", "Hz"),
    ("_l", "l"),
    ("_c", "°C"),
    ("_m", "m"),
    ("_minutes", "min"),
    ("minutes", "min"),
)


@dataclass(frozen=True, slots=True)
class PackageField:
    """A column.

    Attributes:
        kind: `integer`, `number`, `boolean`, `string`, `file` (its path in the package), `uuid`, `date`, `moment`
            (UTC), `object`, or `array` (both JSON).
        required: never empty; a text may be empty all the same.
        refers_to: the table whose `key` stands here.
    """

    name: str
    kind: str
    required: bool = False
    refers_to: str | None = None

    @property
    def schema(self) -> dict[str, Any]:
        """As Table Schema says it."""
        kinds: Mapping[str, dict[str, Any]] = {
            "file": {"type": "string"},
            "uuid": {"type": "string", "format": "uuid"},
            "moment": {"type": "datetime", "format": _MOMENT},
        }
        out: dict[str, Any] = {"name": self.name, **kinds.get(self.kind, {"type": self.kind})}
        unit = next((unit for ending, unit in _UNITS if self.name.endswith(ending)), None)
        if unit and self.kind in ("integer", "number"):
            out["unit"] = unit
        # An empty text is a missing value to CSV, so that a text can't be asked for.
        if self.required and self.kind != "string":
            out["constraints"] = {"required": True}
        return out


@dataclass(frozen=True, slots=True)
class PackageTable:
    """A table; its first field is its `key`, counted from 1."""

    name: str
    fields: tuple[PackageField, ...]
    description: str = ""

    @property
    def path(self) -> str:
        return f"data/{self.name}.csv"

    @property
    def resource(self) -> dict[str, Any]:
        """As a Tabular Data Package says it."""
        refers = [item for item in self.fields if item.refers_to]
        keys = [
            {
                "fields": [item.name],
                "reference": {"resource": "" if item.refers_to == self.name else item.refers_to, "fields": ["key"]},
            }
            for item in refers
        ]
        schema: dict[str, Any] = {
            "fields": [item.schema for item in self.fields],
            "primaryKey": ["key"],
            "missingValues": [""],
        }
        if keys:
            schema["foreignKeys"] = keys
        return {
            "name": self.name,
            "path": self.path,
            "profile": "tabular-data-resource",
            "description": self.description,
            "encoding": "utf-8",
            "dialect": {
                "delimiter": ",",
                "lineTerminator": "\r\n",
                "quoteChar": '"',
                "doubleQuote": True,
                "header": True,
            },
            "schema": schema,
        }


def write_package(
    file: IO[bytes],
    title: str,
    tables: Iterable[tuple[PackageTable, Iterable[Sequence[str]]]],
    others: Iterable[tuple[str, IO[bytes]]] = (),
) -> None:
    """Write a package.

    Args:
        tables: each with its rows as cells; they are asked for one after the other.
        others: paths and contents of files beside the tables.
    """
    resources = []
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
        for table, rows in tables:
            resources.append(table.resource)
            with archive.open(_entry(table.path), "w", force_zip64=True) as target:
                _write_rows(target, table, rows)
        for path, content in others:
            with archive.open(_entry(path), "w", force_zip64=True) as target:
                while piece := content.read(1 << 20):
                    target.write(piece)
        descriptor = {
            "profile": "tabular-data-package",
            "name": "fleet-rival-team",
            "title": title,
            "format": FORMAT,
            "version": str(VERSION),
        }
        text = json.dumps({**descriptor, "resources": resources}, ensure_ascii=False, indent=1)
        archive.writestr(_entry(_DESCRIPTOR), text.encode())


def _entry(path: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(path, _NEVER)
    info.compress_type = zipfile.ZIP_DEFLATED
    info.external_attr = 0o644 << 16
    return info


def _write_rows(target: IO[bytes], table: PackageTable, rows: Iterable[Sequence[str]]) -> None:
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow([item.name for item in table.fields])
    for number, row in enumerate(rows, 1):
        writer.writerow(row)
        if number % _CHUNK_ROWS == 0:
            target.write(text.getvalue().encode())
            text.seek(0)
            text.truncate()
    target.write(text.getvalue().encode())


@dataclass(slots=True)
class PackageReader:
    """A package that somebody brings; everything in it may be wrong.

    Raises:
        UnusableFile: it is none, or of a kind that isn't known here.
    """

    file: IO[bytes]
    title: str = field(init=False)
    columns: dict[str, list[str]] = field(init=False)
    """By table: the names of its columns, in the order of the file."""
    _archive: zipfile.ZipFile = field(init=False)
    _paths: dict[str, str] = field(init=False)

    def __post_init__(self) -> None:
        try:
            self._archive = zipfile.ZipFile(self.file)
            whole = sum(item.file_size for item in self._archive.infolist())
            size = self.file.seek(0, 2)
            fits = (
                whole <= min(_MOST_BYTES, max(_SMALL, _MOST_TIMES_LARGER * size))
                and self._archive.getinfo(_DESCRIPTOR).file_size <= _SMALL
            )
            with self._archive.open(_DESCRIPTOR) as described:
                # What the directory says of a size needn't be true.
                text = described.read(_SMALL + 1) if fits else b""
            told = json.loads(text) if fits and len(text) <= _SMALL else None
        except (
            zipfile.BadZipFile,
            zlib.error,
            KeyError,
            ValueError,
            RecursionError,
            OSError,
            EOFError,
            NotImplementedError,
            RuntimeError,
        ) as error:
            raise UnusableFile(
                "This isn't an exchange package: a zip with a datapackage.json in it is needed."
            ) from error
        if told is None:
            raise UnusableFile(
                "The package unpacks to more than a team can have, or than belongs into one of its size."
            )
        version = str(told.get("version", "")) if isinstance(told, dict) else ""
        if not isinstance(told, dict) or told.get("format") != FORMAT or not version.isdecimal():
            raise UnusableFile("This is a data package, but not of a Fleet Rival team.")
        if int(version) > VERSION:
            raise UnusableFile(
                "This package comes from a newer version of Fleet Rival: bring this installation up to date first."
            )
        try:
            self.title = str(told["title"])
            self._paths = {item["name"]: item["path"] for item in told["resources"]}
            self.columns = {
                item["name"]: [one["name"] for one in item["schema"]["fields"]] for item in told["resources"]
            }
        except (KeyError, TypeError) as error:
            raise UnusableFile("The package's description doesn't say which tables it has.") from error

    def rows(self, name: str) -> Iterator[tuple[int, tuple[str, ...]]]:
        """A table's rows, counted from 1.

        Raises:
            UnusableFile: the table is missing, has other columns than the description says, or isn't CSV.
        """
        path, wanted, number = self._paths[name], self.columns[name], 0
        texts = pa_csv.ConvertOptions(column_types=dict.fromkeys(wanted, pa.string()), strings_can_be_null=False)
        parsing = pa_csv.ParseOptions(newlines_in_values=True)
        try:
            with (
                self._archive.open(path) as binary,
                pa_csv.open_csv(binary, pa_csv.ReadOptions(block_size=_BLOCK), parsing, texts) as batches,
            ):
                if batches.schema.names != wanted:
                    raise UnusableFile(f"{path} has other columns than the package's description says.")
                for batch in batches:
                    for row in zip(*(column.to_pylist() for column in batch.columns), strict=True):
                        number += 1
                        yield number, row
        except (KeyError, zipfile.BadZipFile, zlib.error, OSError) as error:
            raise UnusableFile(f"{path} is missing in the package, or broken.") from error
        except pa.ArrowInvalid as error:
            raise UnusableFile(f"{path} can't be read as CSV: {error}.") from error

    def size(self, name: str) -> int:
        """Bytes of a table."""
        return self._archive.NameToInfo[self._paths[name]].file_size if self.has(self._paths[name]) else 0

    def has(self, path: str) -> bool:
        """Whether a file beside the tables is there."""
        return path in self._archive.NameToInfo

    def open(self, path: str) -> IO[bytes]:
        """A file beside the tables."""
        return self._archive.open(path)
