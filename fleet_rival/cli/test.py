"""`./fleet test`: format and lint, types, import rules, then the tests."""

import argparse
import os
import shutil
import subprocess
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from fleet_rival.runtime.console import Failure, say

__all__ = ["add_arguments", "run", "turning_points"]

_PYTHON = str(Path(sys.executable).parent)
CHECKS: dict[str, list[str]] = {
    "format": [f"{_PYTHON}/ruff", "format", "--check", "."],
    "lint": [f"{_PYTHON}/ruff", "check", "."],
    "types": [f"{_PYTHON}/mypy"],
    "import rules": [f"{_PYTHON}/lint-imports"],
    "interface format": ["npm", "--prefix", "frontend", "run", "--silent", "format"],
    "interface lint": ["npm", "--prefix", "frontend", "run", "--silent", "lint"],
    "interface types": ["npm", "--prefix", "frontend", "run", "--silent", "types"],
    "interface units": ["npm", "--prefix", "frontend", "run", "--silent", "test"],
}
TESTS: dict[str, list[str]] = {
    "browser": ["tests/browser"],
    "services": ["tests/services"],
    "commands": ["tests/cli"],
    "core": ["fleet_rival/core", "tests/core"],
    "API and database": ["tests/api", "tests/db"],
    "formats, simulator and words": ["fleet_rival/formats", "tests/formats", "tests/simulator", "tests/wording"],
}
"""What takes long comes first, and beside what computes what waits, so that no core is idle at the end."""
_LANES = 3
"""More than there are cores on a small machine: much of the time is spent waiting."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--only", choices=["checks", *dict.fromkeys(_called(name) for name in TESTS)], help="one part alone"
    )
    parser.add_argument(
        "--at",
        action="append",
        metavar="MOMENT",
        help="run under a set clock: 2026-12-05T23:58, or 2026-12-05T23:58@Asia/Tokyo",
    )
    parser.add_argument(
        "--clocks", action="store_true", help="run once under each of the clocks at which something may turn over"
    )
    parser.add_argument("rest", nargs="*", help="handed to pytest, after --")


def run(arguments: argparse.Namespace) -> int:
    """Run everything, side by side where that saves waiting; what failed is shown, and named at the end."""
    home = Path(os.environ["FLEET_HOME"])
    started = time.monotonic()
    clocks = [*(arguments.at or ()), *(turning_points(datetime.now(UTC)) if arguments.clocks else ())]
    if clocks:
        return _under(clocks, arguments)
    commands: dict[str, list[str]] = {}
    for name, folders in TESTS.items():
        if arguments.only in (None, _called(name)):
            there = [folder for folder in folders if (home / folder).exists()]
            commands[name] = [sys.executable, "-m", "pytest", *there, *arguments.rest]
    checks = CHECKS if arguments.only in (None, "checks") else {}
    failed = _side_by_side({**checks, **commands}, home)
    say(f"\n{'Failed: ' + ', '.join(failed) if failed else 'All passed'} ({time.monotonic() - started:.0f} s)")
    return 1 if failed else 0


def turning_points(moment: datetime) -> list[str]:
    """Each weekday, a moment before midnight in three zones, and days on which clocks change, all to come."""
    monday = (moment + timedelta(days=7 - moment.weekday())).date()
    days = [
        f"{monday + timedelta(days=day)}T{hour:02}:00"
        for day, hour in zip(range(7), (8, 11, 14, 17, 20, 2, 5), strict=True)
    ]
    midnights = [
        f"{monday + timedelta(days=2)}T23:57@{zone}"
        for zone in ("Pacific/Auckland", "Europe/Oslo", "America/Los_Angeles")
    ]
    year = moment.year + 1
    last_sundays = [
        max(day for day in range(25, 32) if datetime(year, month, day, tzinfo=UTC).weekday() == 6) for month in (3, 10)
    ]
    changes = [f"{year}-{month:02}-{day}T00:30@Europe/Oslo" for month, day in zip((3, 10), last_sundays, strict=True)]
    return [*days, *midnights, *changes]


def _under(clocks: Sequence[str], arguments: argparse.Namespace) -> int:
    """Run the same once under each of some clocks.

    Raises:
        Failure: one of them isn't a moment.
    """
    failed = []
    for clock in clocks:
        text, _, zone = clock.partition("@")
        try:
            meant = datetime.fromisoformat(text).replace(tzinfo=ZoneInfo(zone or "UTC"))
        except (ValueError, ZoneInfoNotFoundError) as error:
            raise Failure(
                f"{clock} isn't a moment such as 2026-12-05T23:58 or 2026-12-05T23:58@Europe/Oslo."
            ) from error
        say(f"\n== {clock}")
        os.environ["FLEET_CLOCK_AHEAD_S"] = str((meant - datetime.now(UTC)).total_seconds())
        os.environ["TZ"] = zone or "UTC"
        if run(argparse.Namespace(**{**vars(arguments), "at": None, "clocks": False})):
            failed.append(clock)
    say(f"\nUnder {len(clocks)} clocks: {'failed at ' + ', '.join(failed) if failed else 'all passed'}")
    return 1 if failed else 0


def _called(name: str) -> str:
    return name.replace(",", " ").split()[0].lower()


def _side_by_side(commands: dict[str, list[str]], home: Path) -> list[str]:
    """Run commands, a few at a time.

    Returns:
        Names of what failed.
    """
    with ThreadPoolExecutor(_LANES) as pool:
        passed = pool.map(lambda name: _succeeds(name, commands[name], home, verbose=name in TESTS), commands)
        return [name for name, well in zip(commands, passed, strict=True) if not well]


def _succeeds(name: str, command: list[str], home: Path, *, verbose: bool) -> bool:
    started = time.monotonic()
    program = shutil.which(command[0]) or command[0]
    done = subprocess.run([program, *command[1:]], cwd=home, check=False, capture_output=True, text=True)
    told = (done.stdout + done.stderr).strip()
    # In one piece, so that lanes don't mix.
    shown = f"\n{told}" if told and (verbose or done.returncode) else ""
    say(f"-- {name}{shown}\n   {'passed' if not done.returncode else 'FAILED'} ({time.monotonic() - started:.0f} s)")
    return done.returncode == 0
