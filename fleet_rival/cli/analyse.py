"""`./fleet analyse`: the report from files alone, without a server and without a database."""

import argparse
import json
import sys
from pathlib import Path

from fleet_rival.core.analysis import analyse
from fleet_rival.core.report import report
from fleet_rival.core.settings import BadSetting, Settings
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.laps import read_laps
from fleet_rival.formats.tracks import read_track

__all__ = ["add_arguments", "run"]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--track", type=Path, required=True, metavar="T.track.json", help="the track file")
    parser.add_argument("--laps", type=Path, required=True, metavar="L.laps.csv", help="the lap file")
    parser.add_argument(
        "--telemetry", type=Path, nargs="+", default=[], metavar="X.telemetry.parquet", help="telemetry files (not used in this version)"
    )
    parser.add_argument("--settings", type=Path, metavar="S.json", help='a JSON object of settings, e.g. {"cold_laps": 2}')
    parser.add_argument("--out", type=Path, metavar="R.json", help="where to write the report; standard output if missing")


def run(arguments: argparse.Namespace) -> int:
    """Write the report. Returns 0, or 2 with one line on standard error for input that can't be used."""
    try:
        settings = _settings(arguments.settings)
        track = read_track(_read(arguments.track))
        file = read_laps(_read(arguments.laps), track)
        for path in arguments.telemetry:
            if not path.is_file():
                raise UnusableFile(f"{path} can't be read.")
        name = arguments.laps.name
        result = report(
            analyse(track, [lap for _, lap in file.laps], settings),
            [row.as_row(name) for row in file.set_aside],
            [row.as_row(name) for row in file.warnings]
            + [{"file": path.name, "line": None, "reason": "telemetry isn't used in this version"} for path in arguments.telemetry],
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
        print(f"fleet analyse: {arguments.out or 'standard output'} can't be written: {error.strerror or error}.", file=sys.stderr)
        return 2
    return 0


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
