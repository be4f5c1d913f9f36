"""Telemetry files (`*.telemetry.parquet`) out, one row a sample, one row group a lap."""

from collections.abc import Sequence
from types import TracebackType
from typing import IO, Any, Final

import numpy as np

from fleet_rival.core.telemetry.trace import Trace

__all__ = ["TelemetryWriter"]

_EXACT: Final = ("time_s", "distance_m")
"""Written with 64 bits; the others are measured to fewer digits than 32 bits hold."""


class TelemetryWriter:
    """Writes laps one after the other, each as a row group of its own.

    Args:
        sink: where to; an open binary file.
        channels: names after section 3 of the formats page, the unit in the name; laps without one get unknown values.
    """

    def __init__(self, sink: IO[bytes], channels: Sequence[str]) -> None:
        import pyarrow as pa  # noqa: PLC0415
        import pyarrow.parquet as pq  # noqa: PLC0415

        self._channels = tuple(channels)
        text = pa.dictionary(pa.int32(), pa.string())
        keys = [("driver", text), ("session", text), ("run", pa.int32()), ("lap", pa.int32())]
        self._schema = pa.schema(
            keys + [(name, pa.float64() if name in _EXACT else pa.float32()) for name in self._channels]
        )
        # Measured values repeat seldom: a dictionary of them costs time and saves nothing.
        self._writer: Any = pq.ParquetWriter(
            sink,
            self._schema,
            compression="zstd",
            compression_level=1,
            use_dictionary=["driver", "session", "run", "lap"],
            write_statistics=False,
        )
        self._groups = 0

    def add(self, trace: Trace) -> int:
        """Write a lap. Returns the number of its row group."""
        import pyarrow as pa  # noqa: PLC0415

        count = len(trace)
        indices = pa.array(np.zeros(count, dtype=np.int32))
        columns: list[Any] = [pa.DictionaryArray.from_arrays(indices, [text]) for text in (trace.driver, trace.session)]
        columns.append(
            pa.nulls(count, pa.int32()) if trace.run is None else pa.array(np.full(count, trace.run, dtype=np.int32))
        )
        columns.append(pa.array(np.full(count, trace.lap, dtype=np.int32)))
        for name in self._channels:
            values = trace.channels.get(name)
            kind = np.float64 if name in _EXACT else np.float32
            columns.append(
                pa.array(np.full(count, np.nan, dtype=kind) if values is None else values.astype(kind, copy=False))
            )
        self._writer.write_table(pa.Table.from_arrays(columns, schema=self._schema), row_group_size=max(count, 1))
        self._groups += 1
        return self._groups - 1

    def __enter__(self) -> "TelemetryWriter":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._writer.close()
