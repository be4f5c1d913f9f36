"""`./fleet bench`: how fast it is, as ratios against floors measured in the same run."""

import argparse
import io
import os
import platform
import tempfile
import time
from pathlib import Path

import numpy as np
from sqlalchemy import Engine, delete, func, select
from sqlalchemy.orm import Session, sessionmaker

import fleet_rival
from fleet_rival.bench.accuracy import bench_truth
from fleet_rival.bench.attack import attack_table, bench_attack
from fleet_rival.bench.board import bench_board
from fleet_rival.bench.clinic import bench_clinic
from fleet_rival.bench.feed import bench_feed, bench_feed_kills
from fleet_rival.bench.find import bench_find
from fleet_rival.bench.floors import numpy_pass, parse_and_insert
from fleet_rival.bench.kills import bench_kills
from fleet_rival.bench.load import Asking, add_practice, cookie_of, made_laps, made_layout
from fleet_rival.bench.measure import Row, ratio, repeat, repeat_in_turn, seconds
from fleet_rival.bench.outline import bench_outline
from fleet_rival.bench.plan import bench_plan
from fleet_rival.bench.race import bench_race
from fleet_rival.bench.storm import storm, storm_table
from fleet_rival.bench.streams import bench_streams
from fleet_rival.bench.telemetry import bench_memory, bench_telemetry
from fleet_rival.bench.traces import bench_traces
from fleet_rival.clock import now
from fleet_rival.core.analysis import analyse
from fleet_rival.db.session import engine_of
from fleet_rival.db.tables import ChangeSet, Combination, Driver, Lap, PracticeSession
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.tracks import write_track
from fleet_rival.runtime.children import Server
from fleet_rival.runtime.console import say, step
from fleet_rival.runtime.processes import free_port
from fleet_rival.runtime.trial import Trial, trial
from fleet_rival.services.drive import files, importing
from fleet_rival.services.find import figures
from fleet_rival.services.people.team import make_team
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations

__all__ = ["add_arguments", "run"]


_IMPORT_CORNERS = 11
_FIND_HEAD = "## Lost time looked for"
_ATTACK_HEAD = "## Attacked"
_RACE_HEAD = "## Races planned, and a season taken along"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--truth",
        action="store_true",
        help="how right it is, on made-up drivers whose truth is known, and nothing else",
    )
    parser.add_argument("--find", action="store_true", help="the figures of lost time and of plans, and nothing else")
    parser.add_argument("--race", action="store_true", help="planning stops, and a season's package, and nothing else")
    parser.add_argument(
        "--attack",
        action="store_true",
        help="what an ill-willed stranger tries, and a storm of kills, and nothing else",
    )
    parser.add_argument("--storm-kills", type=int, default=60, help="kills of the storm (default 60)")
    parser.add_argument(
        "--save",
        action="store_true",
        help="write the result to docs: performance.md, accuracy.md of --truth, security.md of --attack",
    )
    parser.add_argument(
        "--idle-minutes",
        type=float,
        default=30,
        help="how long the open streams idle before they are measured (default 30)",
    )
    parser.add_argument(
        "--kills", type=int, default=5, help="how often each part is killed during an import (default 5)"
    )
    parser.add_argument(
        "--feed-kills", type=int, default=20, help="how often the server is killed while rigs feed it (default 20)"
    )


def run(arguments: argparse.Namespace) -> int:
    if arguments.truth:
        return bench_truth(save=arguments.save)
    if arguments.find:
        return _find(save=arguments.save)
    if arguments.race:
        return _race(save=arguments.save)
    if arguments.attack:
        return _attack(arguments.storm_kills, save=arguments.save)
    rows: list[Row] = []

    def note(found: list[Row]) -> None:
        """At once, so that what is measured isn't lost where a later part breaks."""
        rows.extend(found)
        say("".join(f"{_line(row)}\n" for row in found))

    with tempfile.TemporaryDirectory() as folder, trial(Path(folder)) as whole:
        # For the imports that are disturbed: this process starts their jobs, and wakes the worker.
        os.environ["FLEET_REDIS_URL"] = whole.messages.url
        actor = make_team(whole.sessions, "Bench", "Bench")
        with step("Import of 200,000 laps"):
            note(_bench_import(engine_of(whole.sessions), whole.sessions, actor))
        with step("Main request with many laps in the database"):
            note(_bench_request(whole, actor))
        with step("The week board with 200,000 laps"):
            note(bench_board(whole))
        with step("Telemetry read, cut and stored"):
            note(bench_telemetry(whole.folder))
        with step("Rigs that feed 500 laps a second"):
            note(bench_feed(whole, actor))
        with step("Ten laps of 20 km over each other"):
            note(bench_traces(whole, actor))
        with step("A telemetry file of 2 GB"):
            note(bench_memory(whole, actor))
        with step("The outline of a long layout in a browser"):
            note(bench_outline(whole, actor))
        with step(f"{arguments.idle_minutes:g} minutes of idle streams"):
            note(bench_streams(whole, actor, arguments.idle_minutes))
        with step(f"{arguments.kills} kills of each part"):
            kills = bench_kills(whole, actor, arguments.kills)
        with step(f"{arguments.feed_kills} kills of the server while it is fed"):
            kills += "\n" + bench_feed_kills(whole, actor, arguments.feed_kills)
        with step("Lost time looked for"):
            found = bench_find(whole, actor)
            found += [_bench_analysis(), *bench_clinic(), *bench_plan()]
        with step("Stops planned, and a season's package"):
            raced = bench_race(whole.sessions)
    report = f"{_table(rows)}\n{kills}"
    print(f"{report}\n{_table(found)}\n{_table(raced)}")
    if arguments.save:
        target = Path(os.environ["FLEET_HOME"]) / "docs" / "performance.md"
        target.write_text(_document(report) + _find_section(found) + _race_section(raced), encoding="utf-8")
        say(f"Written: {target}")
    return 0


def _attack(kills: int, *, save: bool) -> int:
    with tempfile.TemporaryDirectory() as folder, trial(Path(folder)) as whole:
        os.environ["FLEET_REDIS_URL"] = whole.messages.url
        actor = make_team(whole.sessions, "Bench", "Bench")
        with step("What a stranger tries"):
            tried = bench_attack(whole, actor)
        print(attack_table(tried), flush=True)
        with step(f"{kills} kills while laps come in"):
            outcome = storm(whole, actor, kills)
    print(storm_table(outcome))
    if save:
        target = Path(os.environ["FLEET_HOME"]) / "docs" / "security.md"
        before = target.read_text(encoding="utf-8").partition(_ATTACK_HEAD)[0].rstrip()
        report = f"{attack_table(tried)}\n{storm_table(outcome)}"
        target.write_text(
            f"{before}\n\n{_ATTACK_HEAD}\n\nThe last output of `./fleet bench --attack --save`.\n\n{report}",
            encoding="utf-8",
        )
        say(f"Written: {target}")
    return 0 if outcome.sound and all(fine for _, _, fine in tried) else 1


def _bench_import(engine: Engine, sessions: sessionmaker[Session], actor: Actor) -> list[Row]:
    """As large a file as is taken: some 50 MB, 200,000 laps."""
    layout = made_layout(_IMPORT_CORNERS, "Import")
    content = write_laps(made_laps(layout, 200, 1000, 1), layout)
    assert len(content) <= files.MAX_BYTES, len(content)
    layout_id = tracks.add_track(sessions, actor, write_track(layout)).id
    combination = combinations.add_combination(sessions, actor, layout_id, "Car")
    begin = time.perf_counter()
    file_id = files.upload(sessions, actor, combination.id, "bench.laps.csv", content)
    files.first_look(sessions, actor, file_id)
    first = time.perf_counter()
    files.look(sessions, actor, file_id, frozenset())
    looked = time.perf_counter()
    importing.confirm(sessions, actor, file_id, importing.Wishes(combination.revision))
    imported = time.perf_counter()
    with sessions.begin() as session:
        row = session.scalars(select(Combination).order_by(Combination.id.desc()).limit(1)).one()
        session.execute(delete(Lap).where(Lap.team_id == actor.team_id, Lap.combination_id == row.id))
        keys = {
            "team_id": actor.team_id,
            "combination_id": row.id,
            "change_set_id": session.scalars(select(ChangeSet.id).limit(1)).one(),
        }
        drivers = {name: key for name, key in session.execute(select(Driver.name, Driver.id))}
        session_id = session.scalars(select(PracticeSession.id).where(PracticeSession.combination_id == row.id)).one()
    names = ([part.code for part in layout.sector_parts], [part.code for part in layout.segment_parts])
    started = time.perf_counter()
    parse_and_insert(content, engine, Lap.__table__, keys, drivers, session_id, names)  # type: ignore[arg-type]
    floor = time.perf_counter() - started
    words = f"Polars + executemany of the same rows: {seconds(floor)}"
    size = f"{len(content) / 1e6:.0f} MB"
    return [
        (
            f"first look at a file of {size}: kept, its columns and first laps",
            seconds(first - begin),
            "aim: 2 s, with progress before",
            "",
        ),
        (
            f"comparing that file (200,000 laps × {_IMPORT_CORNERS + 1} segments)",
            seconds(looked - first),
            words,
            ratio(looked - first, floor),
        ),
        (
            "import of these laps, after the preview",
            seconds(imported - looked),
            "the same",
            ratio(imported - looked, floor, "2"),
        ),
    ]


def _bench_request(whole: Trial, actor: Actor) -> list[Row]:
    """With what the import left in the database; the combination that is asked for has 600 laps of eight drivers."""
    layout = made_layout(11, "Asked")
    combination = add_practice(whole.sessions, actor, layout, "Asked", made_laps(layout, 8, 75, 2))
    with whole.sessions() as session:
        laps = session.scalar(select(func.count()).select_from(Lap))
    body, _ = figures.summary(whole.sessions, actor, combination.id)
    place = whole.folder / "body.json"
    place.write_bytes(body)
    os.environ["FLEET_BENCH_BODY"] = str(place)
    server = Server(
        free_port(), whole.places, whole.folder / "trivial.log", "fleet_rival.bench.floors:with_trivial_route()"
    )
    try:
        server.wait()
        time.sleep(12)  # past what the server does by itself after its start
        asking = Asking(server.address, cookie_of(whole.sessions, actor))

        def ask(path: str) -> None:
            assert asking.get(path) == body

        kept, trivial = repeat_in_turn(
            lambda: ask(f"/api/combinations/{combination.id}/analysis"), lambda: ask("/trivial"), 400
        )
        asking.close()
    finally:
        server.stop()
    return [
        (
            f"the combination page's main request ({len(body) // 1000} kB), {laps:,} laps in the database",
            seconds(kept),
            f"trivial route with the same bytes behind the same sign-in: {seconds(trivial)}",
            ratio(kept, trivial, "3"),
        )
    ]


def _bench_analysis() -> Row:
    layout = made_layout(13, "Analysis")
    laps = made_laps(layout, 8, 250, 3)
    array = np.asarray([list(lap.segments.values()) for lap in laps], dtype=np.int64)
    whole = repeat(lambda: analyse(layout, laps), 5)
    floor = repeat(lambda: numpy_pass(array), 200)
    return (
        "analysis of 2,000 laps × 14 segments (8 drivers)",
        seconds(whole),
        f"one NumPy pass (best, median, mean, deviation): {seconds(floor)}",
        ratio(whole, floor),
    )


def _table(rows: list[Row]) -> str:
    out = io.StringIO()
    out.write("| what | time | floor | ratio |\n|---|---|---|---|\n")
    for row in rows:
        out.write(f"{_line(row)}\n")
    return out.getvalue()


def _find(*, save: bool) -> int:
    with tempfile.TemporaryDirectory() as folder, trial(Path(folder)) as whole:
        actor = make_team(whole.sessions, "Bench", "Bench")
        with step("Lost time looked for"):
            found = [*bench_find(whole, actor), _bench_analysis(), *bench_clinic(), *bench_plan()]
    print(_table(found))
    if save:
        target = Path(os.environ["FLEET_HOME"]) / "docs" / "performance.md"
        before, _, behind = target.read_text(encoding="utf-8").partition(_FIND_HEAD)
        raced = behind.partition(_RACE_HEAD)
        target.write_text(before + _find_section(found) + "".join(raced[1:]), encoding="utf-8")
        say(f"Written: {target}")
    return 0


def _race(*, save: bool) -> int:
    with (
        tempfile.TemporaryDirectory() as folder,
        trial(Path(folder)) as whole,
        step("Stops planned, and a season's package"),
    ):
        raced = bench_race(whole.sessions)
    print(_table(raced))
    if save:
        target = Path(os.environ["FLEET_HOME"]) / "docs" / "performance.md"
        target.write_text(
            target.read_text(encoding="utf-8").partition(_RACE_HEAD)[0] + _race_section(raced), encoding="utf-8"
        )
        say(f"Written: {target}")
    return 0


def _race_section(rows: list[Row]) -> str:
    return (
        f"{_RACE_HEAD}\n\nThe last output of `./fleet bench --race --save`, or of the whole.\n\n{_table(rows)}\n{_on()}"
    )


def _find_section(rows: list[Row]) -> str:
    return (
        f"{_FIND_HEAD}\n\nThe last output of `./fleet bench --find --save`, or of the "
        f"whole.\n\n{_table(rows)}\n{_on()}\n"
    )


def _on() -> str:
    return (
        f"Version {fleet_rival.__version__}, Python {platform.python_version()}, {os.cpu_count()} cores, "
        f"{now():%Y-%m-%d}.\n"
    )


def _line(row: Row) -> str:
    return f"| {' | '.join(row)} |"


def _document(report: str) -> str:
    return (
        "# Performance\n\n"
        "The last output of `./fleet bench --save`. Ratios are measured in one run against a floor that does the least "
        "that could be\n"
        "done (`fleet_rival/bench/floors.py`); times are medians and belong to the machine, ratios are what counts.\n\n"
        f"{report}\n{_on()}\n"
    )
