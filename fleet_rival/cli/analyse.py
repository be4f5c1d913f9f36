"""`./fleet analyse`: the report from files alone, without a server and without a database."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from fleet_rival.core.analysis import analyse
from fleet_rival.core.clinics import clinics_of, curves_by_driver
from fleet_rival.core.laps.lap import Identity, Lap
from fleet_rival.core.ledger import books_of
from fleet_rival.core.report import report
from fleet_rival.core.settings import BadSetting, Settings
from fleet_rival.core.telemetry.curves import LapCurves
from fleet_rival.core.telemetry.filling import fill_laps
from fleet_rival.core.track import Track
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.laps import read_laps
from fleet_rival.formats.telemetry import TelemetryFile
from fleet_rival.formats.tracks import read_track
from fleet_rival.wording.telemetry import STRANGE, stretch_sentence

__all__ = ["add_arguments", "run"]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--track", type=Path, required=True, metavar="T.track.json", help="the track file")
    parser.add_argument("--laps", type=Path, required=True, metavar="L.laps.csv", help="the lap file")
    parser.add_argument(
        "--telemetry", type=Path, nargs="+", default=[], metavar="X.telemetry.parquet", help="telemetry files"
    )
    parser.add_argument(
        "--settings", type=Path, metavar="S.json", help='a JSON object of settings, e.g. {"cold_laps": 2}'
    )
    parser.add_argument(
        "--out", type=Path, metavar="R.json", help="where to write the report; standard output if missing"
    )


def run(arguments: argparse.Namespace) -> int:
    """Write the report. Returns 0, or 2 with one line on standard error for input that can't be used."""
    try:
        settings = _settings(arguments.settings)
        track = read_track(_read(arguments.track))
        file = read_laps(_read(arguments.laps), track)
        name = arguments.laps.name
        laps, curves, more = _with_telemetry(track, [lap for _, lap in file.laps], arguments.telemetry)
        analysis = analyse(track, laps, settings)
        clinics = clinics_of(track, analysis, curves_by_driver(analysis, curves), settings)
        result = report(
            analysis,
            clinics,
            [row.as_row(name) for row in file.set_aside],
            [row.as_row(name) for row in file.warnings] + more,
            books=books_of(track, analysis, clinics, settings),
        )
        text = json.dumps(result, ensure_ascii=False, indent=1, allow_nan=False) + "\n"
        if arguments.out is None:
            sys.stdout.write(text)
        else:
            arguments.out.write_text(text, encoding="utf-8")
    except (UnusableFile, BadSetting) as error:
        print(f"fleet analyse: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(
            f"fleet analyse: {arguments.out or 'standard output'} can't be written: {error.strerror or error}.",
            file=sys.stderr,
        )
        return 2
    return 0


def _with_telemetry(
    track: Track, laps: list[Lap], paths: list[Path]
) -> tuple[list[Lap], dict[Identity, LapCurves], list[dict[str, Any]]]:
    """The laps with what telemetry says of them, their curves, and warnings."""
    if not paths:
        return laps, {}, []
    for path in paths:
        if not path.is_file():
            raise UnusableFile(f"{path} can't be read.")
    files = [TelemetryFile(path, path.name) for path in paths]
    found = fill_laps(track, laps, (trace for file in files for trace in file.laps()))
    warnings: list[dict[str, Any]] = []

    def warn(file: str | None, driver: str | None, reason: str) -> None:
        warnings.append({"file": file, "line": None, **({"driver": driver} if driver else {}), "reason": reason})

    for path, file in zip(paths, files, strict=True):
        if file.ignored:
            warn(path.name, None, f"columns that aren't known were left out: {', '.join(file.ignored)}")
        if file.lost:
            warn(path.name, None, f"{file.lost} samples have no driver, session or lap and were left out")
    for driver, session, number, reason in found.strange:
        warn(None, driver, f"telemetry of session {session}, lap {number}: {STRANGE[reason]}")
    for index, what in sorted(found.cuts.items()):
        lap = laps[index]
        for stretch in what.stretches:
            warn(
                None,
                lap.driver,
                f"telemetry of session {lap.session}, run {lap.run}, lap {lap.number}: {stretch_sentence(stretch)}",
            )
    return list(found.laps), {laps[index].identity: item for index, item in found.curves.items()}, warnings


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise UnusableFile(f"{path} can't be read: {error.strerror or error}.") from error


def _settings(path: Path | None) -> Settings:
    if path is None:
        return Settings()
    try:
        values = json.loads(_read(path))
    except (ValueError, RecursionError) as error:
        raise BadSetting(f"{path} is not valid JSON.") from error
    if not isinstance(values, dict):
        raise BadSetting(f"{path} must hold one JSON object.")
    return Settings.from_mapping(values)
