"""Telemetry files (`*.telemetry.parquet` or `.csv`) in, lap by lap, without holding the file in memory.

Rows stand in the order of time, perhaps of several drivers at once. A lap is handed on when its driver's next one
begins.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import IO, Any, Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.telemetry.trace import CHANNELS, REQUIRED, Trace
from fleet_rival.formats.errors import UnusableFile

__all__ = ["TelemetryFile"]

_KEYS: Final = ("driver", "session", "run", "lap")
_NEEDED: Final = ("driver", "session", "lap", *REQUIRED)
_ROWS: Final = 1 << 16
_BLOCK: Final = 1 << 22
_UNKNOWN: Final = ("", "NaN", "nan", "NA", "null", "-nan", "inf", "-inf")
_LONGEST_NAME: Final = 140
_MOST_OPEN: Final = 2_000_000
"""Samples of laps that aren't finished; a file that isn't in the order of time would pile them up."""

Numbers = NDArray[np.float64]


@dataclass(slots=True)
class _Open:
    """A lap whose samples are still coming."""

    key: tuple[str, str, int | None, int]
    pieces: list[dict[str, Numbers]] = field(default_factory=list)
    samples: int = 0

    def trace(self) -> Trace:
        names = self.pieces[0]
        channels = {
            name: np.concatenate([piece[name] for piece in self.pieces]) if len(self.pieces) > 1 else names[name]
            for name in names
        }
        return Trace(*self.key, channels)


class TelemetryFile:
    """A telemetry file that is read lap by lap.

    Args:
        source: a path, or an open binary file that can seek.
        name: for sentences; also tells Parquet from CSV where the content doesn't.

    Attributes:
        channels: names of the channels that it has.
        ignored: columns that aren't known.
        lost: rows without a driver, a session or a lap; known once all laps were read.

    Raises:
        UnusableFile: neither Parquet nor CSV, or required columns are missing.
    """

    def __init__(self, source: Path | IO[bytes], name: str) -> None:
        self._source, self._name = source, name
        self.lost = 0
        self._columns: dict[str, str] = {}
        self._parquet = _begins_with(source, b"PAR1")
        try:
            columns = self._parquet_columns() if self._parquet else self._csv_columns()
        except (ValueError, OSError) as error:
            raise UnusableFile(f"{name} can't be read: {_first_line(error)}.") from error
        self._columns = _by_name(columns)
        if missing := [item for item in _NEEDED if item not in self._columns]:
            raise UnusableFile(
                f"{name} has no column {', '.join(missing)}. A telemetry file needs {', '.join(_NEEDED)}."
            )
        self.channels = tuple(item for item in CHANNELS if item in self._columns)
        known = set(self._columns.values())
        self.ignored = tuple(item for item in columns if item not in known)

    def laps(self) -> Iterator[Trace]:
        """Each lap's trace, in the order in which they end.

        Raises:
            UnusableFile: the file breaks off, holds something else than numbers, or isn't in the order of time.
        """
        waiting: dict[tuple[str, str], _Open] = {}
        try:
            for batch in self._batches():
                yield from self._take(batch, waiting)
        except (ValueError, OSError) as error:
            if isinstance(error, UnusableFile):
                raise
            raise UnusableFile(f"{self._name} can't be read: {_first_line(error)}.") from error
        for item in waiting.values():
            yield item.trace()

    def count_groups(self) -> int:
        """How many row groups a Parquet file has.

        Raises:
            UnusableFile: it is none.
        """
        if not self._parquet:
            raise UnusableFile(f"{self._name} isn't Parquet.")
        return int(self._open_parquet().num_row_groups)

    def groups(self, numbers: Sequence[int]) -> Iterator[Trace]:
        """The laps of some row groups, of a file with one lap in each."""
        opened = self._open_parquet()
        wanted = [self._columns[name] for name in (*_KEYS, *CHANNELS) if name in self._columns]
        for number in numbers:
            waiting: dict[tuple[str, str], _Open] = {}
            table = opened.read_row_group(number, columns=wanted, use_threads=False).combine_chunks()
            for batch in table.to_batches():
                list(self._take(self._arrays(batch), waiting))
            [only] = waiting.values()
            yield only.trace()

    def _take(self, batch: Mapping[str, Any], waiting: dict[tuple[str, str], _Open]) -> Iterator[Trace]:
        drivers, sessions, runs, laps = (batch[name] for name in _KEYS)
        count = len(laps)
        if not count:
            return
        changes = (
            (drivers[1:] != drivers[:-1])
            | (sessions[1:] != sessions[:-1])
            | (laps[1:] != laps[:-1])
            | (runs[1:] != runs[:-1])
        )
        edges = [0, *(int(edge) + 1 for edge in np.flatnonzero(changes)), count]
        for first, after in pairwise(edges):
            driver, session = batch["driver_names"][drivers[first]], batch["session_names"][sessions[first]]
            if not driver or not session or laps[first] < 0:
                self.lost += after - first
                continue
            key = (driver, session, None if runs[first] < 0 else int(runs[first]), int(laps[first]))
            there = waiting.get((driver, session))
            if there is not None and there.key != key:
                yield waiting.pop((driver, session)).trace()
                there = None
            if there is None:
                there = waiting[driver, session] = _Open(key)
            there.pieces.append({name: batch[name][first:after] for name in self.channels})
            there.samples += after - first
            if sum(item.samples for item in waiting.values()) > _MOST_OPEN:
                raise UnusableFile(
                    f"{self._name} isn't in the order of time: more than {_MOST_OPEN:,} samples belong to laps that "
                    "don't end."
                )

    def _batches(self) -> Iterator[dict[str, Any]]:
        wanted = [self._columns[name] for name in (*_KEYS, *CHANNELS) if name in self._columns]
        if self._parquet:
            batches: Any = self._open_parquet().iter_batches(_ROWS, columns=wanted, use_threads=False)
        else:
            batches = self._csv_batches(wanted)
        for batch in batches:
            yield self._arrays(batch)

    def _arrays(self, batch: Any) -> dict[str, Any]:
        """A batch's columns as arrays, by the names that we know them by."""
        import pyarrow as pa  # noqa: PLC0415

        out: dict[str, Any] = {}
        for name in ("driver", "session"):
            out[name], out[f"{name}_names"] = _texts(batch.column(self._columns[name]))
        for name in ("run", "lap"):
            out[name] = (
                _wholes(batch.column(self._columns[name])) if name in self._columns else np.full(batch.num_rows, -1)
            )
        for name in self.channels:
            column = batch.column(self._columns[name])
            if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
                raise UnusableFile(f"{self._name} holds text in the column {name}, where numbers belong.")
            out[name] = _numbers(column)
        return out

    def _open_parquet(self) -> Any:
        import pyarrow.parquet as pq  # noqa: PLC0415

        if not isinstance(self._source, Path):
            self._source.seek(0)
        # Names are kept once each, however often they stand there.
        names = [self._columns[name] for name in ("driver", "session")] if self._columns else None
        return pq.ParquetFile(self._source, pre_buffer=False, buffer_size=1 << 20, read_dictionary=names)

    def _parquet_columns(self) -> list[str]:
        import pyarrow as pa  # noqa: PLC0415

        schema = self._open_parquet().schema_arrow
        for column in schema:
            if pa.types.is_nested(column.type) and column.name.strip().lower() in (*_KEYS, *CHANNELS):
                raise UnusableFile(
                    f"{self._name} holds lists or objects in the column {column.name[:80]}, where single values belong."
                )
        return list(schema.names)

    def _csv_columns(self) -> list[str]:
        head = _head(self._source, 1 << 16)
        if b"\x00" in head or not head.strip():
            raise UnusableFile(f"{self._name} is neither Parquet nor a text file with a header.")
        try:
            first = head.removeprefix(b"\xef\xbb\xbf").split(b"\n", 1)[0].decode("utf-8").strip("\r\n")
        except UnicodeDecodeError as error:
            raise UnusableFile(f"{self._name} isn't in UTF-8. Save it as UTF-8 and try again.") from error
        self._separator = max(",;\t", key=first.count)
        second = head.split(b"\n", 2)[1:2]
        self._decimal = "," if self._separator != "," and second and b"," in second[0] else "."
        return [item.strip().strip('"') for item in first.split(self._separator)]

    def _csv_batches(self, wanted: list[str]) -> Iterator[Any]:
        import pyarrow as pa  # noqa: PLC0415
        from pyarrow import csv  # noqa: PLC0415

        texts = {self._columns[name] for name in ("driver", "session")}
        types = {name: pa.string() if name in texts else pa.float64() for name in wanted}
        if not isinstance(self._source, Path):
            self._source.seek(0)
        header = self._csv_columns()
        if not isinstance(self._source, Path):
            self._source.seek(0)
        reader = csv.open_csv(
            self._source,
            csv.ReadOptions(use_threads=False, block_size=_BLOCK, column_names=header, skip_rows=1),
            csv.ParseOptions(delimiter=self._separator),
            csv.ConvertOptions(
                column_types=types,
                include_columns=wanted,
                null_values=list(_UNKNOWN),
                decimal_point=self._decimal,
            ),
        )
        yield from reader


def _begins_with(source: Path | IO[bytes], sign: bytes) -> bool:
    try:
        return _head(source, len(sign)) == sign
    except OSError as error:
        raise UnusableFile(f"{source} can't be read: {error.strerror or error}.") from error


def _head(source: Path | IO[bytes], size: int) -> bytes:
    if isinstance(source, Path):
        with source.open("rb") as file:
            return file.read(size)
    source.seek(0)
    return source.read(size)


def _by_name(columns: list[str]) -> dict[str, str]:
    """Known name to the file's own; case, blanks and hyphens don't matter."""
    known = {}
    for column in columns:
        plain = column.strip().lower().replace(" ", "_").replace("-", "_")
        if plain in (*_KEYS, *CHANNELS) and plain not in known:
            known[plain] = column
    return known


def _texts(column: Any) -> tuple[NDArray[np.int64], list[str]]:
    """Codes and the names that they stand for; code of an empty one stands for an empty name."""
    import pyarrow as pa  # noqa: PLC0415

    if pa.types.is_dictionary(column.type):
        encoded = column
    else:
        if not (pa.types.is_string(column.type) or pa.types.is_large_string(column.type)):
            column = column.cast(pa.string())
        encoded = column.dictionary_encode()
    names = ["" if value is None else str(value).strip() for value in encoded.dictionary.to_pylist()]
    if any(len(name) > _LONGEST_NAME for name in names):
        raise UnusableFile(f"A driver or session has a name of more than {_LONGEST_NAME} characters.")
    codes = encoded.indices.fill_null(len(names)).to_numpy(zero_copy_only=False).astype(np.int64)
    return codes, [*names, ""]


def _wholes(column: Any) -> NDArray[np.int64]:
    numbers = _numbers(column)
    # A lap that is none, half a lap or absurd isn't a lap; -1 says so.
    good = np.isfinite(numbers) & (numbers >= 0) & (numbers == np.floor(numbers)) & (numbers < 1e9)
    return np.where(good, numbers, -1).astype(np.int64)


def _numbers(column: Any) -> Numbers:
    import pyarrow as pa  # noqa: PLC0415

    if not (pa.types.is_floating(column.type) or pa.types.is_integer(column.type)):
        column = column.cast(pa.float64())
    numbers = column.to_numpy(zero_copy_only=False)
    return np.asarray(numbers, dtype=np.float64)


def _first_line(error: Exception) -> str:
    return str(error).strip().splitlines()[0].rstrip(".") if str(error).strip() else type(error).__name__
