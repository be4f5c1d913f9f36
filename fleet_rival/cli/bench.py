"""`./fleet bench`: how fast it is, as ratios against floors measured in the same run."""

import argparse
import io
import os
import platform
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from http.client import HTTPConnection
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np
from sqlalchemy import Engine, delete, func, select
from sqlalchemy.orm import Session, sessionmaker

import fleet_rival
from fleet_rival.cli.bench_floors import numpy_pass, parse_and_insert
from fleet_rival.cli.console import say, step
from fleet_rival.cli.mariadb import MariaDB
from fleet_rival.cli.processes import free_port
from fleet_rival.cli.serve import Server
from fleet_rival.core.analysis import analyse
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.db.migrate import upgrade
from fleet_rival.db.session import make_engine, make_sessions
from fleet_rival.db.tables import ChangeSet, Combination, Driver, Lap, PracticeSession
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.tracks import write_track
from fleet_rival.services import drive, find, track, week
from fleet_rival.services.team import first_actor

__all__ = ["add_arguments", "run"]

Row = tuple[str, str, str, str]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--save", action="store_true", help="write the result to docs/performance.md")


def run(arguments: argparse.Namespace) -> int:
    rows: list[Row] = []
    with tempfile.TemporaryDirectory() as folder:
        server = MariaDB(Path(folder) / "mariadb", free_port())
        server.start()
        try:
            upgrade(server.url)
            engine = make_engine(server.url)
            sessions = make_sessions(engine)
            with step("Import of 50,000 laps"):
                rows += _bench_import(engine, sessions)
            with step("Main request with many laps in the database"):
                rows += _bench_request(server.url, sessions)
            engine.dispose()
        finally:
            server.stop()
    with step("Analysis of 2,000 laps"):
        rows += _bench_analysis()
    table = _table(rows)
    say("")
    print(table)
    if arguments.save:
        target = Path(os.environ["FLEET_HOME"]) / "docs" / "performance.md"
        target.write_text(_document(table), encoding="utf-8")
        say(f"Written: {target}")
    return 0


def _layout(corners: int, name: str) -> Track:
    starts = [200.0 + 250 * index for index in range(corners)]
    return Track(
        name=name,
        layout="Bench",
        kind="street",
        length_m=starts[-1] + 300,
        sectors=(Sector("S1", 0), Sector("S2", starts[corners // 3]), Sector("S3", starts[2 * corners // 3])),
        corners=tuple(Corner(f"T{index + 1}", start, start + 60, start + 110, linked_to_next=index % 5 == 3) for index, start in enumerate(starts)),
    )


def _laps(layout: Track, drivers: int, each: int, seed: int, session: str = "1") -> list[CoreLap]:
    """Practice with runs of 25 laps, two thirds of them unremarkable, times in milliseconds."""
    rng = np.random.default_rng(seed)
    segments = [part.code for part in layout.segment_parts]
    inside = {sector.code: [part.code for part in layout.overlapping(sector, layout.segment_parts)] for sector in layout.sector_parts}
    begin = datetime(2031, 5, 1, tzinfo=UTC)
    laps = []
    for driver in range(drivers):
        times = np.round(rng.normal(7000, 60, (each, len(segments)))).astype(np.int64) * 1000
        clock = begin
        for number in range(each):
            kind = "out" if number % 25 == 0 else "in" if number % 25 == 24 else "flying"
            times_here = dict(zip(segments, map(int, times[number]), strict=True))
            total = sum(times_here.values())
            laps.append(
                CoreLap(
                    driver=f"Driver {driver + 1:02d}",
                    session=session,
                    number=number + 1,
                    run=number // 25 + 1,
                    time_us=total,
                    kind=kind,
                    started_at=clock,
                    valid=number % 17 != 5,
                    strikes=("T2",) if number % 17 == 5 else (),
                    flags=frozenset({"traffic"}) if number % 23 == 7 else frozenset(),
                    tyre_set=f"{number // 25 + 1}",
                    compound="medium",
                    tyre_age=float(number % 25),
                    fuel_l=round(60.0 - number % 25 * 2.1, 1),
                    track_temp_c=27.5,
                    air_temp_c=20.5,
                    purpose="long",
                    setup="base",
                    note="box, box" if number % 50 == 11 else None,
                    segments=times_here,
                    sectors={code: sum(times_here[part] for part in parts) for code, parts in inside.items()},
                )
            )
            clock += timedelta(microseconds=total)
    return laps


def _bench_import(engine: Engine, sessions: sessionmaker[Session]) -> list[Row]:
    actor = first_actor(sessions)
    layout = _layout(11, "Import")
    content = write_laps(_laps(layout, 50, 1000, 1), layout)
    layout_id = track.add_track(sessions, actor, write_track(layout)).id
    looks, imports = [], []
    for repeat in range(3):
        combination = week.add_combination(sessions, actor, layout_id, f"Car {repeat}")
        begin = time.perf_counter()
        seen = drive.upload(sessions, actor, combination.id, "bench.laps.csv", content)
        looked = time.perf_counter()
        drive.confirm(sessions, actor, seen.id, drive.Wishes(seen.revision))
        looks.append(looked - begin)
        imports.append(time.perf_counter() - looked)
    floors = []
    for _ in range(3):
        with sessions.begin() as session:
            row = session.scalars(select(Combination).order_by(Combination.id.desc()).limit(1)).one()
            session.execute(delete(Lap).where(Lap.team_id == actor.team_id, Lap.combination_id == row.id))
            keys = {"team_id": actor.team_id, "combination_id": row.id, "change_set_id": session.scalars(select(ChangeSet.id).limit(1)).one()}
            drivers = {name: key for name, key in session.execute(select(Driver.name, Driver.id))}
            session_id = session.scalars(select(PracticeSession.id).where(PracticeSession.combination_id == row.id)).one()
        begin = time.perf_counter()
        names = ([part.code for part in layout.sector_parts], [part.code for part in layout.segment_parts])
        parse_and_insert(content, engine, Lap.__table__, keys, drivers, session_id, names)  # type: ignore[arg-type]
        floors.append(time.perf_counter() - begin)
    floor = median(floors)
    return [
        (
            "import of 50,000 laps × 12 segments, after the preview",
            _seconds(median(imports)),
            f"Polars + executemany of the same rows: {_seconds(floor)}",
            _ratio(median(imports), floor, "2"),
        ),
        ("preview of that file (read, kept, compared)", _seconds(median(looks)), "the same", _ratio(median(looks), floor)),
    ]


def _bench_request(url: str, sessions: sessionmaker[Session]) -> list[Row]:
    """With what the import left in the database; the combination that is asked for has 600 laps of eight drivers."""
    actor = first_actor(sessions)
    layout = _layout(11, "Asked")
    layout_id = track.add_track(sessions, actor, write_track(layout)).id
    combination = week.add_combination(sessions, actor, layout_id, "Asked")
    seen = drive.upload(sessions, actor, combination.id, "asked.laps.csv", write_laps(_laps(layout, 8, 75, 2), layout))
    drive.confirm(sessions, actor, seen.id, drive.Wishes(seen.revision))
    with sessions() as session:
        laps = session.scalar(select(func.count()).select_from(Lap))
    body, _ = find.summary(sessions, actor, combination.id)
    with tempfile.TemporaryDirectory() as folder:
        os.environ["FLEET_BENCH_BODY"] = str(Path(folder) / "body.json")
        Path(os.environ["FLEET_BENCH_BODY"]).write_bytes(body)
        server = Server(free_port(), url, Path(folder) / "server.log", "fleet_rival.cli.bench_floors:with_trivial_route()")
        try:
            server.wait()
            time.sleep(12)  # past what the server does by itself after its start
            connection = HTTPConnection(server.address.removeprefix("http://"), timeout=30)

            def ask(path: str) -> None:
                connection.request("GET", path)
                answer = connection.getresponse()
                assert answer.read() == body and answer.status == 200

            kept, trivial = _repeat_in_turn(lambda: ask(f"/api/combinations/{combination.id}/analysis"), lambda: ask("/trivial"), 400)
            connection.close()
        finally:
            server.stop()
    return [
        (
            f"the combination page's main request ({len(body) // 1000} kB), {laps:,} laps in the database",
            _seconds(kept),
            f"trivial route with the same bytes: {_seconds(trivial)}",
            _ratio(kept, trivial, "3"),
        )
    ]


def _bench_analysis() -> list[Row]:
    layout = _layout(13, "Analysis")
    laps = _laps(layout, 8, 250, 3)
    array = np.asarray([list(lap.segments.values()) for lap in laps], dtype=np.int64)
    whole = _repeat(lambda: analyse(layout, laps), 5)
    floor = _repeat(lambda: numpy_pass(array), 200)
    return [
        (
            "analysis of 2,000 laps × 14 segments (8 drivers)",
            _seconds(whole),
            f"one NumPy pass (best, median, mean, deviation): {_seconds(floor)}",
            _ratio(whole, floor),
        )
    ]


def _repeat(act: Callable[[], Any], times: int) -> float:
    """Median of the seconds that something takes, after one run to warm up."""
    act()
    took = []
    for _ in range(times):
        begin = time.perf_counter()
        act()
        took.append(time.perf_counter() - begin)
    return median(took)


def _repeat_in_turn(act: Callable[[], Any], floor: Callable[[], Any], times: int) -> tuple[float, float]:
    """Medians of two things done in turn, so that whatever else the machine does meets both alike."""
    act()
    floor()
    took: tuple[list[float], list[float]] = ([], [])
    for _ in range(times):
        for one, seconds in zip((act, floor), took, strict=True):
            begin = time.perf_counter()
            one()
            seconds.append(time.perf_counter() - begin)
    return median(took[0]), median(took[1])


def _seconds(value: float) -> str:
    return f"{value:.2f} s" if value >= 1 else f"{value * 1000:.3g} ms"


def _ratio(value: float, floor: float, aim: str = "") -> str:
    return f"{value / floor:.3g}" + (f" (aim ≤ {aim})" if aim else "")


def _table(rows: list[Row]) -> str:
    out = io.StringIO()
    out.write("| what | time | floor | ratio |\n|---|---|---|---|\n")
    for row in rows:
        out.write(f"| {' | '.join(row)} |\n")
    return out.getvalue()


def _document(table: str) -> str:
    return (
        "# Performance\n\n"
        "The last output of `./fleet bench --save`. Ratios are measured in one run against a floor that does the least that could be\n"
        "done (`fleet_rival/cli/bench_floors.py`); times are medians and belong to the machine, ratios are what counts.\n\n"
        f"{table}\n"
        f"Version {fleet_rival.__version__}, Python {platform.python_version()}, {os.cpu_count()} cores, {datetime.now(UTC):%Y-%m-%d}.\n"
    )
