"""Telemetry files (`*.telemetry.parquet`) out, one row a sample, one row group a lap."""

import io
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

__all__ = ["write_telemetry"]

_TEXT = ("driver", "session")
_WHOLE = ("run", "lap")


def write_telemetry(laps: Iterable[Mapping[str, Any]], channels: Sequence[str]) -> bytes:
    """Write laps' samples, each lap as a row group of its own.

    Args:
        laps: `driver`, `session`, `run`, `lap`, and an array of shape (samples,) for each channel.
        channels: names after section 3 of the formats page; the unit is in the name.
    """
    # Only who writes telemetry needs it, and the report's environment doesn't have it.
    import pyarrow as pa  # noqa: PLC0415
    import pyarrow.parquet as pq  # noqa: PLC0415

    fields = [(name, pa.string()) for name in _TEXT] + [(name, pa.int32()) for name in _WHOLE] + [(name, pa.float64()) for name in channels]
    schema = pa.schema(fields)
    out = io.BytesIO()
    with pq.ParquetWriter(out, schema, compression="zstd") as writer:
        for lap in laps:
            count = len(lap[channels[0]])
            columns = [pa.array([lap[name]] * count, schema.field(name).type) for name in (*_TEXT, *_WHOLE)]
            writer.write_table(pa.table([*columns, *(pa.array(lap[name]) for name in channels)], schema=schema))
    return out.getvalue()
