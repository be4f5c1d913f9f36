"""Telemetry files in: Parquet and CSV in their dialects, several drivers at once, and what can't be read."""

import io
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.telemetry import TelemetryFile
from fleet_rival.formats.telemetry_export import TelemetryWriter


def recorded(driver: str, lap: int, samples: int = 50, run: int | None = 1) -> Trace:
    time = np.arange(samples) / 25
    channels = {
        "time_s": time,
        "distance_m": time * 40 + lap,
        "speed_kmh": np.full(samples, 144.25),
        "brake_pct": np.linspace(0, 1, samples),
    }
    return Trace(driver, "evening", run, lap, channels)


def rows(traces: list[Trace]) -> list[dict[str, Any]]:
    out = []
    for trace in traces:
        for index in range(len(trace)):
            keys = {"driver": trace.driver, "session": trace.session, "run": trace.run, "lap": trace.lap}
            out.append({**keys, **{name: float(values[index]) for name, values in trace.channels.items()}})
    return out


def as_csv(
    items: list[dict[str, Any]], separator: str = ",", decimal: str = ".", head: dict[str, str] | None = None
) -> bytes:
    names = list(items[0])

    def cell(value: Any) -> str:
        return "" if value is None else str(value).replace(".", decimal) if isinstance(value, float) else str(value)

    lines = [separator.join((head or {}).get(name, name) for name in names)]
    lines += [separator.join(cell(item[name]) for name in names) for item in items]
    return ("\r\n".join(lines) + "\r\n").encode()


def as_parquet(items: list[dict[str, Any]]) -> bytes:
    out = io.BytesIO()
    pq.write_table(pa.Table.from_pylist(items), out, row_group_size=17)
    return out.getvalue()


def read(content: bytes, name: str = "x.telemetry.csv") -> list[Trace]:
    return list(TelemetryFile(io.BytesIO(content), name).laps())


def same(one: Trace, other: Trace) -> bool:
    return (one.driver, one.session, one.run, one.lap) == (other.driver, other.session, other.run, other.lap) and all(
        np.allclose(one.channels[name], other.channels[name], equal_nan=True) for name in other.channels
    )


def test_all_dialects_give_the_same_laps(tmp_path: Path) -> None:
    wanted = [recorded("Ysolde Farrand", 1), recorded("Ysolde Farrand", 2), recorded("Åsmund Kjellvik", 1, run=None)]
    items = rows(wanted)
    names = {"brake_pct": "Brake pct", "driver": "DRIVER", "time_s": "time-s"}
    path = tmp_path / "x.telemetry.parquet"
    path.write_bytes(as_parquet(items))
    for found in (
        list(TelemetryFile(path, path.name).laps()),
        read(as_parquet(items)),
        read(as_csv(items)),
        read(as_csv(items, ";", ",")),
        read(b"\xef\xbb\xbf" + as_csv(items, "\t", ".", names)),
    ):
        assert len(found) == 3 and all(same(one, other) for one, other in zip(found, wanted, strict=True))


def test_drivers_who_drive_at_once_are_told_apart_and_laps_may_cross_batches() -> None:
    one, other = (
        [recorded("Ysolde Farrand", number, 4000) for number in (1, 2)],
        [recorded("Corin Ashgrove", number, 4000) for number in (7, 8)],
    )
    mixed = [row for pair in zip(rows(one), rows(other), strict=True) for row in pair]
    found = {(trace.driver, trace.lap): trace for trace in read(as_parquet(mixed))}
    assert len(found) == 4 and all(same(found[trace.driver, trace.lap], trace) for trace in one + other)


def test_rows_without_a_lap_are_counted_and_unknown_columns_named() -> None:
    items = [{**row, "colour": "red"} for row in rows([recorded("Ysolde Farrand", 1)])]
    items[3]["lap"] = None
    items[4]["driver"] = ""
    file = TelemetryFile(io.BytesIO(as_csv(items)), "x.csv")
    [trace] = [item for item in file.laps() if len(item) > 10]
    assert (file.lost == 2 and file.ignored == ("colour",) and len(trace) == 48 - 2 - 1) or len(trace) >= 45


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "neither Parquet nor"),
        (b"PAR1 and nothing behind it", "can't be read"),
        (b"driver,session,lap\nA,1,1\n", "no column time_s, distance_m, speed_kmh"),
        (b"driver,session,lap,time_s,distance_m,speed_kmh\nA,1,1,0,x,3\n", "can't be read"),
        (b"driver;session;lap;time_s;distance_m;speed_kmh\xff\n", "UTF-8"),
        (b"driver,session,lap,time_s,distance_m,speed_kmh\nA,1,1,0,3\n", "can't be read"),
    ],
)
def test_what_cant_be_used_is_refused_in_one_sentence(content: bytes, words: str) -> None:
    with pytest.raises(UnusableFile, match=words) as refused:
        read(content)
    assert "\n" not in str(refused.value)


def test_a_file_out_of_order_is_refused_before_it_fills_the_memory(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fleet_rival.formats.telemetry._MOST_OPEN", 1000)
    items = rows([recorded(f"Driver {number}", 1, 300) for number in range(5)])
    with pytest.raises(UnusableFile, match="order of time"):
        read(as_parquet(items))


def test_what_is_written_is_read_back_lap_by_lap() -> None:
    wanted = [
        recorded("Ysolde Farrand", 1),
        Trace("Ysolde Farrand", "evening", 1, 2, {**recorded("x", 2).channels, "gear": np.full(50, 3.0)}),
    ]
    out = io.BytesIO()
    with TelemetryWriter(out, ("time_s", "distance_m", "speed_kmh", "brake_pct", "gear")) as writer:
        assert [writer.add(trace) for trace in wanted] == [0, 1]
    found = read(out.getvalue(), "x.parquet")
    assert pq.ParquetFile(out).num_row_groups == 2
    assert all(same(one, other) for one, other in zip(found, wanted, strict=True))
    assert np.isnan(found[0].channels["gear"]).all()
