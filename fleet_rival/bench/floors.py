"""The floors that `./fleet bench` measures against: the least that could do the same, with nothing of the product in
it.

They check nothing, set nothing aside and explain nothing; they are here so that a ratio says what those things cost.
"""

import io
import os
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
from flask import Flask, Response
from numpy.typing import NDArray
from sqlalchemy import Engine, Table, insert

from fleet_rival.api.access import allowed
from fleet_rival.api.app import create_app

__all__ = ["numpy_pass", "parse_and_insert", "with_trivial_route"]


def parse_and_insert(
    content: bytes,
    engine: Engine,
    table: Table,
    keys: dict[str, Any],
    drivers: dict[str, int],
    session_id: int,
    names: tuple[list[str], list[str]],
) -> int:
    """Parse a plain lap file with Polars and write the same rows with Core `executemany`, in one transaction.

    Args:
        keys: team, combination and change set of the rows.
        names: sector and segment columns.
    """
    sectors, segments = names
    frame = pl.read_csv(io.BytesIO(content), infer_schema_length=10_000, try_parse_dates=True)
    rows = []
    for row in frame.iter_rows(named=True):
        minutes, _, seconds = row["time"].rpartition(":")
        rows.append(
            {
                **keys,
                "driver_id": drivers[row["driver"]],
                "session_id": session_id,
                "run": row["run"],
                "number": row["lap"],
                "time_us": int(minutes or 0) * 60_000_000 + round(float(seconds) * 1000) * 1000,
                "car": None,
                "session_kind": "practice",
                "started_at": row["started_at"],
                "kind": row["kind"],
                "valid": bool(row["valid"]),
                "strikes": row["strikes"],
                "incidents": None,
                "flags": row["flags"],
                "company": None,
                "tyre_set": row["tyre_set"],
                "compound": row["compound"],
                "tyre_age": row["tyre_age"],
                "fuel_l": row["fuel_l"],
                "energy_kwh": None,
                "track_temp_c": row["track_temp_c"],
                "air_temp_c": row["air_temp_c"],
                "wetness": row["wetness"],
                "purpose": row["purpose"],
                "setup": row["setup"],
                "assists": None,
                "options": None,
                "mistakes": None,
                "note": row["note"],
                "said": None,
                "plus_minus_us": None,
                "sectors": {name: round(row[name] * 1000) * 1000 for name in sectors},
                "segments": {name: round(row[name] * 1000) * 1000 for name in segments},
            }
        )
    with engine.begin() as connection:
        connection.execute(insert(table), rows)
    return len(rows)


def numpy_pass(times: NDArray[np.int64]) -> float:
    """One pass over an array of laps by segments: best and median of each segment, mean and deviation of the laps."""
    best, middle, laps = times.min(axis=0), np.median(times, axis=0), times.sum(axis=1)
    return float(best.sum() + middle.sum() + laps.mean() + laps.std())


def with_trivial_route() -> Flask:
    """The application with one more route, `/trivial`: the bytes of the file `FLEET_BENCH_BODY`, behind the same
    sign-in.
    """
    app = create_app()
    body = Path(os.environ["FLEET_BENCH_BODY"]).read_bytes()

    @allowed("week.see", blueprint="")
    def trivial() -> Response:
        return Response(body, mimetype="application/json")

    app.add_url_rule("/trivial", view_func=trivial)
    return app
