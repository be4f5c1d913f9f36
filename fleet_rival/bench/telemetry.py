"""How fast telemetry is read, cut and stored, what features of passes cost, and how much memory a file of 2 GB
takes.
"""

import hmac
import io
import os
import time
from contextlib import closing
from http.client import HTTPConnection
from pathlib import Path
from uuid import UUID

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from fleet_rival.api.access import CSRF_HEADER
from fleet_rival.bench.load import cookie_of
from fleet_rival.bench.measure import Row, ratio, seconds, times_in_turn
from fleet_rival.core.telemetry.cutting import cut
from fleet_rival.core.telemetry.features import pass_features
from fleet_rival.core.telemetry.laps import cut_at_line
from fleet_rival.core.telemetry.trace import Samples
from fleet_rival.core.track import Track
from fleet_rival.formats.telemetry import TelemetryFile
from fleet_rival.formats.telemetry_export import TelemetryWriter
from fleet_rival.formats.tracks import write_track
from fleet_rival.jobs import kinds
from fleet_rival.jobs.messages import wake
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.drive.traces import imports, uploads
from fleet_rival.services.shared import jobs
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations, profiles
from fleet_rival.simulator.driving import Stint, drive_lap
from fleet_rival.simulator.places import CARS, PLACES
from fleet_rival.simulator.practice import survey
from fleet_rival.simulator.road import lay_out

__all__ = ["bench_memory", "bench_telemetry"]

_LARGE = 2 * 1024**3
_LEAST_SPEED = 0.4
_MOST_MB = 300
_FEATURE_CHANNELS = (
    *("time_s", "distance_m", "speed_kmh", "throttle_pct", "brake_pct"),
    *("steering_deg", "gear", "rpm", "offset_m", "yaw_rate_dps"),
)


def _lap(rate: float, seconds_long: float | None = None) -> tuple[Track, dict[str, Samples]]:
    """A driven lap of the harbour; stretched in time where it shall be so long."""
    road, car = lay_out(PLACES["harbour"][0].pieces), CARS["harbour"][0]
    made = survey(road, car, "Bench", "Harbour", "street", PLACES["harbour"][0].sector_corners)
    driven = drive_lap(road, car, made, Stint(0.97))
    share = (seconds_long / float(driven.time_s[-1])) if seconds_long else 1.0
    channels = driven.samples(rate * share)
    return made, {**channels, "time_s": channels["time_s"] * share, "speed_kmh": channels["speed_kmh"] / share}


def _table(channels: dict[str, Samples], names: tuple[str, ...], laps: int, rng: np.random.Generator) -> pa.Table:
    """Laps as a file holds them: real noise, so that nothing packs better than measured values do."""
    count = len(channels["time_s"])
    columns: dict[str, pa.Array] = {
        "driver": pa.DictionaryArray.from_arrays(pa.array(np.zeros(count * laps, dtype=np.int32)), ["Ysolde Farrand"]),
        "session": pa.DictionaryArray.from_arrays(pa.array(np.zeros(count * laps, dtype=np.int32)), ["bench"]),
        "run": pa.array(np.ones(count * laps, dtype=np.int32)),
        "lap": pa.array(np.repeat(np.arange(1, laps + 1, dtype=np.int32), count)),
    }
    for name in names:
        values = np.tile(channels[name], laps)
        if name not in ("time_s", "distance_m", "gear"):
            values = values + rng.normal(0, 0.01, len(values))
        columns[name] = pa.array(values.astype(np.float32 if name != "time_s" else np.float64))
    return pa.table(columns)


def bench_telemetry(folder: Path) -> list[Row]:
    """Against PyArrow alone."""
    rng = np.random.default_rng(20310407)
    layout, channels = _lap(60.0)
    names = tuple(channels)
    path = folder / "sixty.telemetry.parquet"
    pq.write_table(_table(channels, names, 60, rng), path, compression="zstd")

    def ours() -> None:
        file = TelemetryFile(path, path.name)
        out = folder / "ours.parquet"
        with out.open("wb") as sink, TelemetryWriter(sink, file.channels) as writer:
            for trace in cut_at_line(file.laps(), layout.length_m):
                cut(layout, trace)
                writer.add(trace)

    def floor() -> None:
        pq.write_table(pq.read_table(path), folder / "floor.parquet", compression="zstd")

    took, least = (float(np.median(item)) for item in times_in_turn(ours, floor, 9))
    count = pq.ParquetFile(path).metadata.num_rows
    rows: list[Row] = [
        (
            f"reading, cutting and storing telemetry ({count:,} samples × {len(names)} channels, 60 laps)",
            seconds(took),
            f"PyArrow alone reads and rewrites the same Parquet: {seconds(least)}",
            f"{least / took:.0%} of its speed (aim ≥ {_LEAST_SPEED:.0%})",
        )
    ]
    many = folder / "thousand.telemetry.parquet"
    layout, channels = _lap(60.0, 90.0)
    with pq.ParquetWriter(many, _table(channels, _FEATURE_CHANNELS, 1, rng).schema, compression="zstd") as writer:
        for _ in range(10):
            writer.write_table(_table(channels, _FEATURE_CHANNELS, 100, rng))

    def features() -> None:
        for trace in TelemetryFile(many, many.name).laps():
            pass_features(layout, trace)

    def columns() -> None:
        pq.read_table(many)

    took, least = (float(np.median(item)) for item in times_in_turn(features, columns, 1))
    number = pq.ParquetFile(many).metadata.num_rows
    words = f"PyArrow reads the same columns: {seconds(least)}"
    rows.append(
        (
            f"features of 1,000 laps × 90 s × 60 Hz × 10 channels ({number:,} samples)",
            seconds(took),
            words,
            ratio(took, least),
        )
    )
    many.unlink()
    return rows


def _large_file(folder: Path, channels: dict[str, Samples], names: tuple[str, ...], size: int) -> tuple[Path, int]:
    """A file of about so many bytes, and how many laps are in it."""
    path = folder / "large.telemetry.parquet"
    rng = np.random.default_rng(7)
    batch, number = 50, 0
    first = _table(channels, names, batch, rng)
    with (
        path.open("wb") as sink,
        pq.ParquetWriter(sink, first.schema, compression="none", use_dictionary=False) as writer,
    ):
        per_lap = 0.0
        while sink.tell() + (batch + 10) * per_lap < size:
            table = _table(channels, names, batch, rng)
            laps = np.repeat(np.arange(number + 1, number + batch + 1, dtype=np.int32), len(channels["time_s"]))
            table = table.set_column(table.schema.get_field_index("lap"), "lap", pa.array(laps))
            writer.write_table(table)
            number += batch
            per_lap = sink.tell() / number
    return path, number


def bench_memory(whole: Trial, actor: Actor, size: int = _LARGE) -> list[Row]:
    """A file as large as is taken, sent in pieces over HTTP and read by the worker: how much memory each process
    took at most.
    """
    layout, channels = _lap(60.0)
    names = tuple(channels)
    layout_id = tracks.add_track(whole.sessions, actor, write_track(layout)).id
    combination = combinations.add_combination(whole.sessions, actor, layout_id, "Large").id
    if "Ysolde Farrand" not in {item.name for item in profiles.profiles(whole.sessions, actor)}:
        profiles.add_driver(whole.sessions, actor, "Ysolde Farrand")
    path, number = _large_file(whole.folder, channels, names, size)
    sent = path.stat().st_size
    # Started anew: what they held at most shall belong to this file.
    for part in (whole.server, whole.worker):
        part.stop()
        part.start()
    whole.server.wait()
    cookie = cookie_of(whole.sessions, actor)
    coming = uploads.begin_upload(whole.sessions, actor, combination, path.name, sent)
    begin = time.perf_counter()
    with path.open("rb") as file:
        offset = 0
        while block := file.read(8_000_000):
            offset = _send_piece(whole, cookie, f"/api/uploads/{coming.id}", offset, block)
    uploaded = time.perf_counter() - begin
    path.unlink()
    imports.say_who(whole.sessions, actor, coming.id, {})
    job = jobs.start(
        whole.sessions,
        actor,
        kinds.TELEMETRY,
        "Large",
        kinds.AskedTelemetry(coming.id, combination),
    )
    wake(jobs.key_of(whole.sessions, job.id))
    begin = time.perf_counter()
    _wait(whole, actor, job.id)
    read = time.perf_counter() - begin
    found = uploads.upload(whole.sessions, actor, coming.id).read
    assert found is not None and found.added == number, (found, number)
    uploads.discard_upload(whole.sessions, actor, coming.id)
    peaks = {name: _peak_mb(whole, name) for name in ("server", "worker")}
    told = ", ".join(f"{name} {peak:.0f} MB" for name, peak in peaks.items())
    words = f"most: {_MOST_MB} MB"
    return [
        (
            (
                f"peak memory of a file of {sent / 1e9:.2f} GB sent in pieces ({seconds(uploaded)}) and read "
                f"({number:,} laps, {seconds(read)})"
            ),
            told,
            words,
            ratio(max(peaks.values()), _MOST_MB, "1"),
        )
    ]


def _send_piece(whole: Trial, cookie: str, path: str, offset: int, block: bytes) -> int:
    shown = cookie.partition("=")[2]
    token = hmac.new(whole.places.secret.encode(), f"csrf:{shown}".encode(), "sha256").hexdigest()
    headers = {
        "Cookie": cookie,
        CSRF_HEADER: token,
        "Tus-Resumable": "1.0.0",
        "Upload-Offset": str(offset),
        "Content-Type": "application/offset+octet-stream",
    }
    with closing(HTTPConnection(whole.address.removeprefix("http://"), timeout=60)) as connection:
        connection.request("PATCH", path, block, headers)
        answer = connection.getresponse()
        assert answer.status == 204, answer.read()[:300]
        return int(answer.headers["Upload-Offset"])


def _wait(whole: Trial, actor: Actor, job_id: UUID) -> None:
    end = time.monotonic() + 1200
    while time.monotonic() < end:
        seen = jobs.job(whole.sessions, actor, job_id)
        if seen.ended_at:
            assert seen.state == "done", seen.trouble
            return
        time.sleep(0.2)
    raise TimeoutError("the file isn't read")


def _peak_mb(whole: Trial, name: str) -> float:
    """The most memory that a part's processes held at any time, the largest of them."""
    started = whole.parts[name].started
    assert started is not None
    group = os.getpgid(started.pid)
    peaks = []
    for place in Path("/proc").iterdir():
        if not place.name.isdecimal():
            continue
        try:
            if os.getpgid(int(place.name)) == group:
                text = (place / "status").read_text()
                peaks.append(
                    next(int(line.split()[1]) for line in io.StringIO(text) if line.startswith("VmHWM")) / 1024
                )
        except (OSError, StopIteration):
            continue
    return max(peaks)
